"""Models that their files move, things that carry others, roll, and copies out of step."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from lumwick.built.copies import delays
from lumwick.built.gltf import Writer
from lumwick.built.gltf_motion import Moving, played_at
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, look_at
from lumwick.motion.channel import Channel, Key
from lumwick.place.edits import apply, command
from lumwick.place.fields import Asset
from lumwick.place.files import parse
from lumwick.place.objects import Copies, Lamp, Playing, Shape, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.footprint import footprints
from lumwick.snapshot.transforms import PHASES_AT_MOST, kept_where_it_is, phases
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place

FLAT = Ground(np.full((65, 65), 10.0, np.float32), 2.0, -64.0, -64.0)
F = np.float32


def moved(
    channels: list[tuple[int, str, str, list[float], Any]],
    nodes: list[dict[str, Any]] | None = None,
    **more: Any,
) -> bytes:
    """A glTF of one triangle with a motion: its channels as node, path, interpolation, times and values."""
    w = Writer()
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], F)
    attributes = {"POSITION": w.array(corners, "VEC3", True)}
    primitive: dict[str, Any] = {"attributes": attributes}
    told: dict[str, Any] = {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}]}
    if "joints" in more:
        attributes["JOINTS_0"] = w.array(np.array(more["joints"], np.uint16), "VEC4")
        attributes["WEIGHTS_0"] = w.array(np.array(more["weights"], F), "VEC4")
        bind = np.array(more["bind"], F).transpose(0, 2, 1).reshape(len(more["bind"]), 16)
        told["skins"] = [{"joints": more["bones"], "inverseBindMatrices": w.array(bind, "MAT4")}]
    if "targets" in more:
        primitive["targets"] = [{"POSITION": w.array(np.array(t, F), "VEC3", True)} for t in more["targets"]]
    samplers, aimed = [], []
    for node, path, how, times, values in channels:
        flat = np.array(values, F)
        flat = flat.reshape(-1, {"rotation": 4, "weights": 1}.get(path, 3))
        kind = {"rotation": "VEC4", "weights": "SCALAR"}.get(path, "VEC3")
        t = w.array(np.array(times, F).reshape(-1, 1), "SCALAR", True)
        samplers.append({"input": t, "output": w.array(flat, kind), "interpolation": how})
        aimed.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})
    told |= {
        "nodes": nodes or [{"mesh": 0}],
        "meshes": [{"primitives": [primitive]}],
        "animations": [{"name": "go", "samplers": samplers, "channels": aimed}],
    }
    return w.file(told)


def corner(data: bytes, t: float, which: int = 1) -> np.ndarray:
    """One of the triangle's corners at a time, in the file's own axes (y up)."""
    (v, _), *_ = Moving(data, "m.glb", False).posed(0, t)
    return v[which].astype(float)


def test_moves_and_turns_are_as_scipy_reads_the_same_keys() -> None:
    times, moves = [0.0, 1.0, 2.5], np.array([[0, 0, 0], [2, 1, 0], [0, 5, -1.0]])
    turns = Rotation.from_euler("xyz", [[0, 0, 0], [80, 20, 0], [10, -50, 160]], degrees=True)
    data = moved(
        [
            (0, "translation", "LINEAR", times, moves),
            # the same turns, one told by its other quaternion: it must go by the shorter way
            (0, "rotation", "LINEAR", times, turns.as_quat() * [[1], [-1], [1]]),
        ],
    )
    slerp = Slerp(times, turns)
    for t in (0.0, 0.3, 1.0, 1.9, 2.5):
        want = slerp(t).apply([1, 0, 0]) + [np.interp(t, times, moves[:, k]) for k in range(3)]
        assert corner(data, t) == pytest.approx(want, abs=1e-5)
    assert corner(data, -1.0) == pytest.approx(corner(data, 0.0))  # held outside its keys
    assert corner(data, 9.0) == pytest.approx(corner(data, 2.5))


def test_steps_and_splines() -> None:
    stepped = moved([(0, "translation", "STEP", [0, 1], [[0, 0, 0], [3, 0, 0]])])
    assert corner(stepped, 0.999)[0] == pytest.approx(1) and corner(stepped, 1.0)[0] == pytest.approx(4)
    times, values = np.array([0.0, 0.5, 2.0]), np.array([0.0, 2.0, 1.0])
    into, out = np.array([0.0, 1.0, -2.0]), np.array([4.0, -3.0, 0.0])
    spline = np.zeros((3, 3, 3))
    spline[:, 0, 0], spline[:, 1, 0], spline[:, 2, 0] = into, values, out
    data = moved([(0, "translation", "CUBICSPLINE", times.tolist(), spline.reshape(-1, 3))])
    for k, t in ((0, 0.2), (1, 0.9), (1, 1.7)):
        both = CubicHermiteSpline(times[k : k + 2], values[k : k + 2], [out[k], into[k + 1]])
        assert corner(data, t, 0)[0] == pytest.approx(float(both(t)), abs=1e-6)


def test_a_skin_by_hand() -> None:
    """Linear blend skinning of one corner at (1, 0, 0): half by a bone that stays, half by one that stands at x = 1 and
    turns a quarter about z. The second leaves it at (1, 0, 0); with its joint moved up by 2 as well it is at (1, 2, 0),
    so half of each is (1, 1, 0)."""
    bones = [{"mesh": 0, "skin": 0}, {"children": [2]}, {"translation": [1, 0, 0]}]
    eye = np.eye(4)
    at_one = np.eye(4)
    at_one[0, 3] = -1
    quarter = Rotation.from_euler("z", 90, degrees=True).as_quat()
    data = moved(
        [
            (2, "rotation", "LINEAR", [0, 1], [[0, 0, 0, 1], quarter]),
            (2, "translation", "LINEAR", [0, 1], [[1, 0, 0], [1, 2, 0]]),
        ],
        nodes=bones,
        joints=[[0, 1, 0, 0]] * 3,
        weights=[[1, 0, 0, 0], [0.5, 0.5, 0, 0], [0, 1, 0, 0]],
        bind=[eye, at_one],
        bones=[1, 2],
    )
    told = Moving(data, "m.glb", False)
    told.g.told["scenes"] = [{"nodes": [0, 1]}]
    (v, _), *_ = told.posed(0, 1.0)
    assert v[0] == pytest.approx([0, 0, 0], abs=1e-6) and v[1] == pytest.approx([1, 1, 0], abs=1e-6)
    # the third corner, (0, 1, 0), is (-1, 1, 0) from the bone: turned (-1, -1, 0), and the joint is at (1, 2, 0)
    assert v[2] == pytest.approx([0, 1, 0], abs=1e-6)


def test_a_morph_goes_by_its_weight() -> None:
    target = [[0, 0, 0], [0, 0, 4], [0, 0, 0]]
    data = moved([(0, "weights", "LINEAR", [0, 2], [[0], [1]])], targets=[target])
    assert corner(data, 0.5) == pytest.approx([1, 0, 1])


@pytest.mark.parametrize(
    ("how", "rate", "t", "want"),
    [
        ("looping", 1.0, 2.5, 0.5),
        ("looping", 2.0, 2.5, 1.0),
        ("looping", -1.0, 0.5, 1.5),
        ("to and fro", 1.0, 2.5, 1.5),
        ("to and fro", 1.0, 4.5, 0.5),
        ("once", 1.0, 9.0, 2.0),
        ("once", 1.0, -3.0, 0.0),
        ("once", -1.0, 0.5, 1.5),
    ],
)
def test_how_a_motion_of_two_seconds_is_played(how: str, rate: float, t: float, want: float) -> None:
    assert played_at(how, rate, 0.0, 2.0, t, None) == pytest.approx(want)


def test_in_a_loop_a_motion_comes_round_exactly() -> None:
    for how in ("looping", "to and fro"):
        for t in (0.0, 0.37, 1.2):
            assert played_at(how, 1.0, 0.4, 2.0, t, 5.0) == played_at(how, 1.0, 0.4, 2.0, t + 5.0, 5.0)
    assert played_at("looping", 1.0, 0.0, 2.0, 1.0, 5.0) == pytest.approx(2 / 5 * 2)  # two and a half times: two
    assert played_at("looping", 0.1, 0.0, 2.0, 2.5, 5.0) == pytest.approx(1.0)  # never less than once


def test_what_cannot_be_played_is_said() -> None:
    asset = Asset(sha256="5" * 64, name="m.glb", bytes=1)
    thing = Thing(id="m", name="M", mesh=asset, plays=Playing(clip="run"))
    data = moved([(0, "translation", "LINEAR", [0, 1], [[0, 0, 0], [1, 0, 0]])])
    setting = Setting(small_place(growth=[], things=[thing]), FLAT, lambda asset: data)
    with pytest.raises(PlaceError, match="no motion 'run': choose one of go"):
        evaluate(setting, setting.place.shots[0], 0.0)
    still = moved([])
    setting = Setting(small_place(growth=[], things=[thing]), FLAT, lambda asset: still)
    with pytest.raises(PlaceError, match="no motion of its own"):
        evaluate(setting, setting.place.shots[0], 0.0)
    bad = moved([(0, "translation", "LINEAR", [0, 1], [[0, 0, 0]])])
    with pytest.raises(PlaceError, match="damaged"):
        Moving(bad, "m.glb", False)


def test_a_moving_model_is_drawn_where_it_is_and_its_copies_out_of_step() -> None:
    data = moved([(0, "translation", "LINEAR", [0, 4], [[0, 0, 0], [40, 0, 0]])])
    asset = Asset(sha256="6" * 64, name="m.glb", bytes=1)
    thing = Thing(id="m", name="M", mesh=asset, up=10.5, plays=Playing(), copies=Copies(count=3, step=1.0, later=0.5))
    setting = Setting(small_place(growth=[], things=[thing]), FLAT, lambda asset: data)
    shot = setting.place.shots[0]
    stage = Stage(setting)
    for t in (3.0, 1.0):
        stage.set(evaluate(setting, shot, t))
        parts = {n: p for n, p in stage.parts().items() if n.startswith("thing m ")}
        assert len(parts) == 3
        at = sorted(p.corners_in_place()[0, 0, 0] for p in parts.values())
        assert at == pytest.approx(sorted(k + 10 * (t - 0.5 * k) for k in range(3)), abs=1e-5)
    fresh = Stage(setting)
    fresh.set(evaluate(setting, shot, 1.0))
    assert np.array_equal(fresh.world.geometry.transform, stage.world.geometry.transform)
    film = blank(32, 18, passes=True)
    eye = np.array([12.0, -20.0, 14.0])
    stage.set(evaluate(setting, shot, 1.0, Camera(eye, look_at(eye, np.array([11.0, 0, 11])), 50.0)))
    expose(stage, film, 4)
    assert "M" in film.names[0]


def test_many_copies_share_poses() -> None:
    asset = Asset(sha256="6" * 64, name="m.glb", bytes=1)
    thing = Thing(id="m", name="M", mesh=asset, copies=Copies(count=500, any_later=2.0))
    late, which = phases(thing)
    assert len(late) == PHASES_AT_MOST and len(which) == 500
    assert np.abs(late[which] - delays(thing.copies)).max() < 2.0 / PHASES_AT_MOST * 1.5  # type: ignore[arg-type]


# -- carried ---------------------------------------------------------------------------------------------------


def box(name: str, **more: Any) -> Thing:
    return Thing(id=name, name=name.capitalize(), shape=Shape(), **more)


def keyed(*pairs: tuple[float, float]) -> Channel:
    return Channel(keys=tuple(Key(t=t, v=v, join="straight") for t, v in pairs))


def test_what_is_carried_goes_where_its_carrier_goes() -> None:
    cart = box("cart", east=5.0, north=keyed((0, 0), (1, 10)), up=10.0, turn=90.0)
    mast = box("mast", held="cart", east=1.0, north=2.0, up=3.0)
    flag = box("flag", held="mast", up=1.0, turn=90.0)
    lantern = Lamp(id="lantern", name="L", kind="spot", held="mast", up=0.5, bearing=0.0, pitch=0.0)
    setting = Setting(small_place(growth=[], things=[flag, mast, cart], lamps=[lantern]), FLAT)
    now = evaluate(setting, setting.place.shots[0], 0.5)
    # the cart faces east: what is to its right lies to the south, what is ahead of it to the east
    assert now.stood["mast"][0, :, 3] == pytest.approx([5 + 2, 5 - 1, 13])
    assert now.stood["flag"][0, :, 3] == pytest.approx([7, 4, 14])
    assert now.stood["flag"][0, :, 1] == pytest.approx([0, -1, 0], abs=1e-12)  # turned once more: to the south
    (lamp,) = now.lamps
    assert lamp.position == pytest.approx([7, 4, 13.5]) and lamp.direction == pytest.approx([1, 0, 0], abs=1e-12)
    at, turn = setting.whereabouts(setting.place.shots[0], "flag", np.array([0.0, 0.5]))
    assert at[1] == pytest.approx([7, 4, 14]) and at[0] == pytest.approx([7, -1, 14])
    assert turn % 360 == pytest.approx([180, 180])


def test_what_the_camera_carries_stays_in_its_picture() -> None:
    held = box("held", held="camera", east=0.5, north=3.0, up=-0.4)
    setting = Setting(small_place(growth=[], things=[held]), FLAT)
    shot = setting.place.shots[0]
    for t in (0.0, 0.6):
        now = evaluate(setting, shot, t)
        right, up = now.camera.axes()
        away = now.stood["held"][0, :, 3] - now.camera.position
        assert [away @ right, away @ now.camera.forward, away @ up] == pytest.approx([0.5, 3.0, -0.4])


def test_a_new_carrier_leaves_it_where_it_is() -> None:
    cart = box("cart", east=5.0, north=2.0, up=10.0, turn=70.0, tilt=10.0)
    mast = box("mast", east=7.0, north=3.0, up=12.0, turn=-30.0, lean=25.0)
    spot = Lamp(id="spot", name="S", kind="spot", east=1.0, north=1.0, up=13.0, bearing=200.0, pitch=-20.0)
    place = small_place(growth=[], things=[cart, mast], lamps=[spot])
    place.site.north_turn = 15.0
    setting = Setting(place, FLAT)
    shot = place.shots[0]
    for of, name in (("things", "mast"), ("lamps", "spot")):
        item = next(x for x in getattr(place, of) if x.id == name)
        before = setting.standing(shot, 0.0).frames(item, np.zeros(1))[0]
        for held in ("cart", "camera", "cart", ""):
            now = kept_where_it_is(setting.standing(shot, 0.0), item, held)
            item = item.model_copy(update={**now, "held": held})
            after = setting.standing(shot, 0.0).frames(item, np.zeros(1))[0]
            assert after[:, 3] == pytest.approx(before[:, 3], abs=1e-3)
            assert after[:, 1] == pytest.approx(before[:, 1], abs=1e-5)  # where it points; a lamp has no lean
            if of == "things":
                assert after[:, 2] == pytest.approx(before[:, 2], abs=1e-5)


def test_carriers_in_a_ring_or_gone_are_refused() -> None:
    place = small_place(growth=[], things=[box("a", held="b"), box("b")])
    with pytest.raises(PlaceError, match="carry one another in a ring"):
        apply(place, command({"op": "set", "path": "/things/b/held", "value": "a"}))
    with pytest.raises(PlaceError, match="which this place does not have"):
        apply(place, command({"op": "set", "path": "/things/a/held", "value": "c"}))
    kept, label = apply(place, command({"op": "remove", "of": "things", "id": "b"}))
    assert kept.things[0].held == "" and "removed" in label
    raw = place.model_dump(mode="json")
    raw["things"][1]["held"] = "camera"
    raw["shots"][0]["route"]["subject"] = "a"
    with pytest.raises(PlaceError, match="which it carries itself"):
        parse(raw)


# -- rolling ---------------------------------------------------------------------------------------------------


def ball(east: Any, **more: Any) -> Thing:
    return Thing(id="ball", name="Ball", shape=Shape(kind="ball", width=0.8, depth=0.8, height=0.8), east=east,
                 rolls=True, **more)  # fmt: skip


def test_a_ball_turns_once_in_two_pi_r() -> None:
    way = 2 * np.pi * 0.4
    setting = Setting(small_place(growth=[], things=[ball(keyed((0, 0), (1, way)))]), FLAT)
    shot = setting.place.shots[0]
    start, half, full = (evaluate(setting, shot, t).stood["ball"][0] for t in (0.0, 0.5, 1.0))
    assert start[:, 3] == pytest.approx([0, 0, 10])  # its foot is on the ground
    # after half a turn its top is below: what was its foot is 0.8 m higher
    assert half @ [0, 0, 0, 1] == pytest.approx([way / 2, 0, 10.8], abs=1e-6)
    assert full[:, :3] == pytest.approx(np.eye(3), abs=1e-6) and full[:, 3] == pytest.approx([way, 0, 10], abs=1e-6)
    # a quarter: what was on top leads
    quarter = evaluate(setting, shot, 0.25).stood["ball"][0]
    assert quarter[:, 2] == pytest.approx([1, 0, 0], abs=1e-6)


def test_on_a_slope_it_rolls_by_the_length_of_the_slope() -> None:
    slope = Ground((np.mgrid[0:65, 0:65][1] * 1.5 + 10).astype(np.float32), 2.0, -64.0, -64.0)  # 3 up for 4 along
    way = 2 * np.pi * 0.4 * 4 / 5
    setting = Setting(small_place(growth=[], things=[ball(keyed((0, 0), (1, way)))]), slope)
    a, b = (evaluate(setting, setting.place.shots[0], t).stood["ball"][0] for t in (0.0, 1.0))
    assert b[:, :3] == pytest.approx(a[:, :3], abs=1e-4)
    middle = np.array([0, 0, 0.4, 1])
    away = b @ middle - [way, 0, slope.height(np.array([way]), np.array([0.0]))[0]]
    assert away == pytest.approx(0.4 * np.array([-0.6, 0, 0.8]), abs=1e-4)  # a radius off the ground, at right angles


def test_a_frame_of_what_rolls_depends_on_the_way_it_came() -> None:
    def frame(middle: float) -> str:
        place = small_place(growth=[], things=[ball(keyed((0, 0), (0.2, middle), (0.4, 1.0)))])
        setting = Setting(place, FLAT)
        return footprints(setting, setting.place.shots[0], [18], 1)[0]

    assert frame(0.5) != frame(-3.0)
    assert frame(0.5) == frame(0.5)


def test_copies_of_a_keyed_model_go_as_it_went() -> None:
    boat = box("boat", tilt=keyed((0, 0), (1, 10), (2, 0)), copies=Copies(count=3, step=2.0, later=0.25))
    setting = Setting(small_place(growth=[], things=[boat]), FLAT)
    now = evaluate(setting, setting.place.shots[0], 0.75).stood["boat"]
    tilt = np.degrees(np.arcsin(now[:, 2, 1]))
    assert tilt == pytest.approx([7.5, 5.0, 2.5])
