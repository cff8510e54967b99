"""A model set out many times over: where its copies stand, how they are turned, and what is drawn of them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from lumwick.built.copies import on_mesh, placements
from lumwick.built.presets import PRESETS, preset
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, look_at
from lumwick.place.edits import apply, command
from lumwick.place.fields import Asset
from lumwick.place.files import parse
from lumwick.place.objects import Copies, Shape, Surface, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.surroundings import Surroundings
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.built.test_meshes import glb

SLOPE = Ground((np.mgrid[0:65, 0:65][1] * 0.5 + 10).astype(np.float32), 2.0, -64.0, -64.0)
"""A quarter of a metre up for each metre to the east; 26 m over the datum in its middle."""


def thing(data: bytes = b"", **more: Any) -> Thing:
    mesh = Asset(sha256="3" * 64, name="post.glb", bytes=len(data))
    return Thing(id="post", name="Post", mesh=mesh, **{"east": 0.0, "north": 0.0, "up": 26.0, **more})


def stood(north_turn: float = 0.0, **more: Any) -> np.ndarray:
    return placements(thing(**more), north_turn, SLOPE.height)


def test_a_row_goes_along_the_models_own_east_and_follows_the_ground() -> None:
    row = stood(copies=Copies(count=3, step=2.0))
    assert row[:, :, 3] == pytest.approx(np.array([[0, 0, 26], [2, 0, 26.5], [4, 0, 27.0]]))
    assert row[:, :, :3] == pytest.approx(np.tile(np.eye(3), (3, 1, 1)))
    turned = stood(turn=90, copies=Copies(count=2, step=2.0, on_ground=False))
    assert turned[1, :, 3] == pytest.approx([0, -2, 26])  # a quarter turn clockwise: its east lies to the south
    assert stood(north_turn=90, copies=Copies(count=2, step=2.0))[1, :2, 3] == pytest.approx([0, -2])
    assert stood().shape == (1, 3, 4)


def test_a_grid_and_a_ring() -> None:
    grid = stood(copies=Copies(laid="grid", count=7, columns=3, step=2, rows_apart=5, on_ground=False))
    assert grid[:, :2, 3] == pytest.approx(np.array([[0, 0], [2, 0], [4, 0], [0, 5], [2, 5], [4, 5], [0, 10]]))
    ring = stood(copies=Copies(laid="ring", count=8, step=3.0, on_ground=False))
    assert np.hypot(*ring[:, :2, 3].T) == pytest.approx(8 * 3 / (2 * np.pi))
    # each one's own north points outwards
    outward = ring[:, :2, 3] / np.hypot(*ring[:, :2, 3].T)[:, None]
    assert ring[:, :2, 1] == pytest.approx(outward)


def test_copies_along_a_line_are_a_step_apart_and_turned_along_it() -> None:
    line = [(10.0, 0.0), (16.0, 0.0), (16.0, 5.0)]
    along = stood(copies=Copies(laid="line", line=line, count=100, step=2.0, on_ground=False))
    assert along[:, :2, 3] == pytest.approx(np.array([[10, 0], [12, 0], [14, 0], [16, 0], [16, 2], [16, 4]]))
    assert along[1, :2, 0] == pytest.approx([1, 0]) and along[4, :2, 0] == pytest.approx([0, 1])
    straight = stood(copies=Copies(laid="line", line=line, count=3, step=2.0, facing=False))
    assert straight[2, :, :3] == pytest.approx(np.eye(3))
    with pytest.raises(ValueError, match="draw one on the chart"):
        Copies(laid="line", line=[(0.0, 0.0)])


def test_chance_stays_within_what_is_asked_and_is_the_same_again() -> None:
    copies = Copies(laid="grid", count=4000, columns=50, any_turn=30, any_size=0.2, any_shift=0.4, on_ground=False)
    a, b = stood(copies=copies), stood(copies=copies)
    assert np.array_equal(a, b)
    turn = np.degrees(np.arctan2(-a[:, 1, 0], a[:, 0, 0]))
    size = np.linalg.norm(a[:, :, 0], axis=1)
    still = stood(copies=copies.model_copy(update={"any_turn": 0.0, "any_size": 0.0, "any_shift": 0.0}))
    shift = (a - still)[:, :2, 3]
    for values, most in ((turn, 30), (size - 1, 0.2), (shift[:, 0], 0.4), (shift[:, 1], 0.4)):
        assert np.abs(values).max() <= most and np.abs(values).max() > 0.98 * most
        assert abs(values.mean()) < 0.05 * most and values.std() == pytest.approx(most / np.sqrt(3), rel=0.05)
    more = stood(copies=copies.model_copy(update={"count": 2000}))
    assert not np.array_equal(stood(copies=copies.model_copy(update={"seed": 2})), a) and len(more) == 2000


def seen(setting: Setting) -> np.ndarray:
    """How many pixels show models, looking down from above."""
    eye, at = np.array([4.0, -9.0, 40.0]), np.array([4.0, 0.0, 30.0])
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, Camera(eye, look_at(eye, at), 35.0)))
    film = blank(96, 54, passes=True)
    expose(stage, film, 8)
    names = film.names[0]
    number = names.index("Post") + 1
    return ((film.mattes[:, :, 0, :, 0] == number) * film.mattes[:, :, 0, :, 1]).sum(-1) / 8


def place_with(data: bytes, *surfaces: Surface, **more: Any) -> Setting:
    place = small_place(growth=[], things=[thing(data, **{"up": 30.0, **more})], surfaces=list(surfaces))
    return Setting(place, SLOPE, lambda asset: data)


def test_copies_are_drawn_checked_and_moved_as_one() -> None:
    data = glb(trimesh.creation.box((1, 1, 1)))
    one, five = place_with(data), place_with(data, copies=Copies(count=5, step=2.5))
    assert seen(five).sum() == pytest.approx(5 * seen(one).sum(), rel=0.15)
    assert len(Surroundings(five).triangles) == 5 * 12 and len(Surroundings(one).triangles) == 12
    tall = place_with(glb(trimesh.creation.icosphere(5, 0.5)), copies=Copies(count=200, step=2.5))
    assert len(Surroundings(tall).triangles) == 200 * 12  # too many to be asked one by one: their boxes


def test_a_models_own_surfaces_are_hidden_or_given_another() -> None:
    red = trimesh.creation.box((1, 1, 1))
    red.visual = trimesh.visual.TextureVisuals(material=trimesh.visual.material.PBRMaterial(name="red"))
    blue = trimesh.creation.box((1, 1, 1), trimesh.transformations.translation_matrix((3, 0, 0)))
    blue.visual = trimesh.visual.TextureVisuals(material=trimesh.visual.material.PBRMaterial(name="blue"))
    setting = place_with(glb(red, blue), Surface(id="brass", name="Brass"))
    both = seen(setting).sum()
    hidden, label = apply(setting.place, command({"op": "dress", "id": "post", "part": "red", "hidden": True}))
    assert label == "Post: red hidden"
    assert seen(Setting(hidden, SLOPE, setting.read)).sum() == pytest.approx(both / 2, rel=0.2)
    worn, label = apply(hidden, command({"op": "dress", "id": "post", "part": "blue", "surface": "brass"}))
    stage = Stage(Setting(worn, SLOPE, setting.read))
    (part,) = [p for name, p in stage.parts().items() if name.startswith("thing ")]
    assert label == "Post: blue given Brass" and part.surface == "brass" and part.surfaces[0] == "Brass"
    # without the surface it goes back to its own
    bare, _ = apply(worn, command({"op": "remove", "of": "surfaces", "id": "brass"}))
    assert [(one.part, one.hidden) for one in bare.things[0].dressed] == [("red", True)]
    with pytest.raises(PlaceError, match="surface is not there"):
        apply(bare, command({"op": "dress", "id": "post", "part": "blue", "surface": "brass"}))
    raw = worn.model_dump(mode="json")
    raw["surfaces"] = []
    with pytest.raises(PlaceError, match="which this place does not have"):
        parse(raw)


# -- on another model -------------------------------------------------------------------------------------------


def on_a_box(**more: Any) -> np.ndarray:
    box = trimesh.creation.box((4, 2, 1))
    copies = Copies(**{"laid": "faces", "on": "box", "count": 6000, **more})
    return on_mesh(copies, np.asarray(box.triangles), np.eye(3))


def test_copies_on_faces_lie_on_them_by_their_area_and_stand_out_of_them() -> None:
    placed = on_a_box()
    at, up = placed[:, :, 3], placed[:, :, 2]
    half = np.array([2, 1, 0.5])
    on = np.isclose(np.abs(at), half, atol=1e-6)
    assert on.any(1).all() and (np.abs(at) <= half + 1e-6).all()
    side = on.argmax(1)
    assert (np.take_along_axis(up * np.sign(at), side[:, None], 1) > 0.999).all()  # their own up is the face's way out
    areas = np.array([2 * 1, 4 * 1, 4 * 2]) / (2 + 4 + 8)
    assert np.bincount(side, minlength=3) / len(side) == pytest.approx(areas, abs=0.02)
    assert np.linalg.det(placed[:, :, :3]) == pytest.approx(1)
    upright = on_a_box(standing_out=False)
    assert upright[:, :, 2] == pytest.approx(np.tile([0, 0, 1], (len(upright), 1)))
    assert np.array_equal(on_a_box(), placed) and not np.array_equal(on_a_box(seed=2), placed)


def test_copies_on_corners() -> None:
    placed = on_a_box(laid="points", count=100)
    assert len(placed) == 8 and np.abs(placed[:, :, 3]) == pytest.approx(np.tile([2, 1, 0.5], (8, 1)))
    assert (placed[:, :, 2] * placed[:, :, 3] > 0).all()  # outwards


def test_copies_follow_the_model_they_stand_on() -> None:
    raft = Thing(id="raft", name="Raft", shape=Shape(width=4, depth=4, height=0.2), up=30.0, east=5.0)
    tub = Thing(id="tub", name="Tub", shape=Shape(), copies=Copies(laid="points", on="raft", count=20))
    setting = Setting(small_place(growth=[], things=[tub, raft]), SLOPE)
    now = evaluate(setting, setting.place.shots[0], 0.0).stood["tub"]
    assert len(now) == 8 and now[:, 0, 3].min() == pytest.approx(3) and now[:, 2, 3].max() == pytest.approx(30.2)
    raw = setting.place.model_dump(mode="json")
    raw["things"][0]["copies"]["on"] = "tub"
    with pytest.raises(PlaceError, match="no other model"):
        parse(raw)
    raw["things"][0]["copies"]["on"] = "raft"
    raw["things"][1]["copies"] = {"laid": "faces", "on": "tub"}
    with pytest.raises(PlaceError, match="whose own stand on another"):
        parse(raw)


@pytest.mark.parametrize("name", sorted(PRESETS))
def test_every_ready_made_surface_is_one_and_has_its_picture(name: str) -> None:
    assert preset(name, "it").name == PRESETS[name]["name"]
    assert (Path(__file__).parents[3] / "studio" / "static" / "surfaces" / f"{name}.jpg").stat().st_size > 500
