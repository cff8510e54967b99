"""Models of one's own as plants, other kinds mixed in, and leaves by a picture."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from PIL import Image
from pydantic import ValidationError
from scipy.spatial import KDTree
from typer.testing import CliRunner

from lumwick import cli
from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, MeshPart, read_mesh
from lumwick.errors import PlaceError
from lumwick.growth.custom_plant import leaf_vertices, likely_leaves, pieces, sown, stood, told_of
from lumwick.growth.form_cache import habit_of, leaf_edit
from lumwick.growth.kinds.form import LEVELS
from lumwick.growth.leaf_picture import read_leaf
from lumwick.land.ground import Ground
from lumwick.picture import load_setting
from lumwick.place.edits import apply, command
from lumwick.place.files import asset_of, load, needed, pack
from lumwick.place.growing import Among, OwnPlant, Stand
from lumwick.place.nature import Sea, Wind
from lumwick.place.objects import Playing, Shape, Thing
from lumwick.plant_sheet import Sheet, sheet, silhouettes
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.planted import planted
from lumwick.snapshot.sowing import sow_edit
from lumwick.trace.amount import amount_of_motion, wild_for
from lumwick.trace.part import Part
from lumwick.trace.stage import Stage
from lumwick.trace.textures import COLOUR, packed, pyramid, texture_at
from lumwick.trace.world import MODEL
from tests.conftest import small_place, write_geotiff
from tests.plants import GREEN, leaf_picture, sapling, sapling_file

HILLS = Ground(
    np.asarray(3 + np.hypot(*np.meshgrid(np.arange(129), np.arange(129))) / 40, np.float32), 4.0, -200.0, -200.0
)
FLAT = Ground(np.full((65, 65), 1.0, np.float32), 2.0, -64.0, -64.0)


def own(data: bytes, **more: Any) -> OwnPlant:
    return OwnPlant.model_validate({"mesh": asset_of("sapling.glb", data), "leaves": ["green"], **more})


def stand(**more: object) -> Stand:
    usual = {"id": "s", "name": "S", "kind": "birch", "per_hectare": 400, "height": 3.0, "slope_most": 90}
    return Stand.model_validate({**usual, **more})


def place_with(*stands: Stand) -> Any:
    return small_place(growth=list(stands), sea=Sea(present=False), wind=Wind(speed=9.0))


def parts_at(setting: Setting, t: float) -> dict[str, Part]:
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], t))
    return {name: part for name, part in stage.parts().items() if name.startswith("stand ")}


def drawn(setting: Setting, t: float) -> dict[str, Part]:
    """Wood ("bark") and leaves ("green") of a sheet's plant at a time of its clip."""
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], t))
    return {part.surfaces[0]: part for name, part in stage.parts().items() if name.startswith("stand s")}


def leaf_area(part: Part) -> float:
    """Of a part's triangles [m2]."""
    vertices, faces = part.mesh()
    c = vertices[faces].astype(float)
    return float(np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum() / 2)


def test_a_model_stands_still_by_its_foot_sways_above_and_keeps_its_leaves_on() -> None:
    data = sapling_file()
    of = Setting(place_with(), FLAT, lambda asset: data)
    setting, _ = sheet(stand(own=own(data).model_dump()), Sheet(wind=11.0), of)
    seen = [drawn(setting, t) for t in (0.0, 0.7, 1.9)]
    wood, leaves = ([one[name].mesh()[0].copy() for one in seen] for name in ("bark", "green"))
    assert all(part.kind == MODEL for part in seen[0].values())
    moved = np.abs(wood[1] - wood[0]).max(1)
    assert moved[wood[0][:, 2] < 0.02].max() < 1e-6 < 0.004 < moved.max()
    assert np.abs(leaves[1] - leaves[0]).max() > 0.004
    # where a leaf comes nearest to wood, it goes where that wood goes
    mesh = {part.surface.name: part for part in stood(read_mesh(data, "sapling.glb"), 3.0).parts}
    bark = mesh["bark"]
    rest = trimesh.Trimesh(bark.vertices.astype(float), bark.triangles, process=False)
    spots, face = trimesh.sample.sample_surface(rest, 40_000, seed=1)
    share = trimesh.triangles.points_to_barycentric(rest.triangles[face], spots)
    off, spot = KDTree(spots).query(mesh["green"].vertices)
    fixed = np.arange(0, len(off), 6) + off.reshape(-1, 6).argmin(1)
    spot = spot[fixed]
    for w, leaf in zip(wood, leaves, strict=True):
        on = np.einsum("nk,nkc->nc", share[spot], w.astype(float)[bark.triangles[face[spot]]])
        gap = np.linalg.norm(leaf[fixed] - on, axis=1) - off[fixed]
        assert np.percentile(np.abs(gap), 90) < 0.02  # the rest lie as near to one branch as to another


def test_leaves_are_told_by_cut_outs_by_words_by_hand_and_by_looseness() -> None:
    mesh = sapling()
    assert likely_leaves(mesh) == ["green"]
    named = Mesh(tuple(MeshPart(type(p.surface)(n), p.vertices, p.triangles, None, None) for p, n in
                       zip(mesh.parts, ("trunk", "foliage_2"), strict=True)))  # fmt: skip
    assert likely_leaves(named) == ["foliage_2"]
    of = asset_of("x.glb", b"")
    by_part = leaf_vertices(mesh, OwnPlant(mesh=of, leaves=["Leaves"]))
    assert [bool(one.all()) for one in by_part] == [False, True] and not by_part[0].any()
    loose = leaf_vertices(sapling(one_surface=True), OwnPlant(mesh=of))
    assert not loose[0].any() and loose[1].mean() > 0.9


@pytest.mark.parametrize("level", range(LEVELS))
def test_far_off_there_are_fewer_leaves_that_cover_as_much(level: int) -> None:
    made = {piece.leafy: piece for piece in pieces(sapling(900), own(b""), 6.0, 3, level)}
    for piece in made.values():
        assert len(piece.form.vertices) == len(piece.part.vertices) == len(piece.form.birth)
        assert piece.part.uv is None or len(piece.part.uv) == len(piece.form.quads)
        assert np.isfinite(piece.form.vertices).all() and piece.form.vertices[:, 2].min() > -0.3

    def area(piece: Any) -> float:
        c = piece.form.vertices[piece.form.quads].astype(float)
        return float(np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum())

    whole = {piece.leafy: piece for piece in pieces(sapling(900), own(b""), 6.0, 3, 0)}
    assert area(made[True]) == pytest.approx(area(whole[True]), rel=0.12)
    assert level == 0 or len(made[True].form.quads) < 0.5 * len(whole[True].form.quads)


def test_a_model_grows_sheds_in_winter_and_is_coloured_by_its_season() -> None:
    data = sapling_file()
    place = place_with(stand())
    of = Setting(place, FLAT, lambda asset: data)
    tall, leafy, colour = {}, {}, {}
    for name, asked in (("summer", Sheet()), ("half", Sheet(grown=0.5)), ("winter", Sheet(month=1.2)),
                        ("autumn", Sheet(month=10.5))):  # fmt: skip
        setting, _ = sheet(stand(own=own(data).model_dump()), asked, of)
        seen = drawn(setting, 0.5)
        tall[name] = float(seen["bark"].mesh()[0][:, 2].max())
        leafy[name] = leaf_area(seen["green"])
        colour[name] = seen["green"].material["base"].copy()
    assert tall["summer"] == pytest.approx(3.0, rel=0.05) and 1.0 < tall["half"] < 2.4
    assert leafy["winter"] < 0.05 * leafy["summer"]
    assert colour["autumn"][0] / colour["autumn"][1] > 1.3 * colour["summer"][0] / colour["summer"][1]


def test_what_is_open_in_a_cut_out_lends_its_edges_no_colour() -> None:
    light = (np.arange(256) / 255.0).astype(np.float32)  # codes as they are
    for open_colour in ((255, 255, 255), (0, 0, 0)):
        pixels = np.asarray(leaf_picture(open_colour))
        data, where = packed([pyramid(pixels, COLOUR)])
        out = np.zeros(4)
        for u, texels in [(8 / 64, 1.0), (8.3 / 64, 1.0), (0.13, 4.0), (0.2, 16.0)]:
            texture_at(data, where, light, 0, u, 0.53, texels, out)
            assert 0.02 < out[3] < 0.98
            got = out[:3] / out[3] * 255
            assert got == pytest.approx(GREEN, abs=4)


def test_a_model_in_the_place_is_sown_where_it_stood() -> None:
    data = sapling_file(height=4.0)
    thing = Thing(id="m", name="Sapling", mesh=asset_of("sapling.glb", data), east=10.0, north=-6.0, scale=0.5)
    place = place_with().model_copy(update={"things": [thing]})
    setting = Setting(place, FLAT, lambda asset: data)
    made, label = apply(place, command(sow_edit(setting, thing)))
    (one,) = made.growth
    assert label == "sowed Sapling as plants" and not made.things and one.own and one.own.leaves == ["green"]
    assert float(one.height) == pytest.approx(2.0, rel=0.02) and needed(made)[-1].name == "sapling.glb"
    (p,) = planted(Setting(made, FLAT, lambda asset: data))
    plants = p.plants(FLAT.slope())
    assert 6 <= len(plants.turn) <= 40 and np.abs(plants.position[:, :2].mean(0) - [10, -6]).max() < 2.0


def test_what_cannot_be_sown_says_so() -> None:
    shape = Thing(id="b", name="Ball", shape=Shape(kind="ball"))
    with pytest.raises(PlaceError, match="Ball is a shape: bring a plant as a model"):
        sown(shape, sapling(), "x", 1.0, (0.0, 0.0))
    moving = Thing(id="f", name="Fish", mesh=asset_of("fish.glb", b""), plays=Playing(clip="swims"))
    with pytest.raises(PlaceError, match="Fish moves by itself"):
        sown(moving, sapling(), "x", 1.0, (0.0, 0.0))
    high = sown(Thing(id="t", name="Tower", mesh=asset_of("t.glb", b"")), sapling(height=300.0), "x", 1.0, (0.0, 0.0))
    assert float(high.height) == 60.0 and "Sown 60 m high" in told_of(high, sapling())
    with pytest.raises(ValidationError):
        OwnPlant.model_validate({"mesh": asset_of("t.glb", b""), "through": 2})


def test_a_flat_model_and_one_of_a_single_triangle_are_plants_too() -> None:
    for vertices in ([[0, 0, 0], [1, 0, 0], [0, 0, 1]], [[0, 0, 5], [1, 0, 5], [0, 1, 5]]):
        mesh = Mesh((MeshPart(sapling().parts[0].surface, np.array(vertices, np.float32),
                              np.array([[0, 1, 2]], np.uint32), None, None),))  # fmt: skip
        for piece in pieces(mesh, own(b"", leaves=[]), 2.0, 1):
            assert np.isfinite(piece.form.vertices).all() and np.isfinite(piece.form.weight).all()
    assert stood(sapling(), 7.0).bounds[1][2] == pytest.approx(7.0, rel=0.02)


def test_a_plant_of_ones_own_is_handed_on_with_its_textures(tmp_path: Path) -> None:
    from lumwick.deliver.whole import Range, gather, hand_on

    data = sapling_file()
    setting = Setting(place_with(stand(own=own(data).model_dump(), only_singles=True, singles=[{"id": "p"}])), FLAT,
                      lambda asset: data)  # fmt: skip
    hand_on(gather(setting, setting.place.shots[0], Range(1, 1, None, ("plants",))), tmp_path / "out.glb")
    back = read_mesh((tmp_path / "out.glb").read_bytes(), "out.glb")
    assert sum(len(p.triangles) for p in back.parts) == sum(len(p.triangles) for p in sapling().parts)
    assert any(p.surface.colour_map is not None for p in back.parts)


def test_sow_and_leaf_on_the_command_line(tmp_path: Path) -> None:
    document, data = place_with(stand(kind="oak", id="oaks", name="Oaks")), sapling_file()
    place, model, picture = tmp_path / "a.lumwick", tmp_path / "sapling.glb", tmp_path / "leaf.png"
    write_geotiff(tmp_path / "g.tif", FLAT.heights, 0.0, 128.0, 2.0, 2.0, "EPSG:32631")
    survey = (tmp_path / "g.tif").read_bytes()
    asset = asset_of("g.tif", survey)
    land = document.land.model_copy(update={"elevation": asset})
    place.write_bytes(pack(document.model_copy(update={"land": land}), {asset.sha256: survey}))
    model.write_bytes(data)
    leaf_picture().save(picture)
    run = CliRunner().invoke(cli.app, ["sow", str(place), str(model), "--out", str(place), "--at", "5,6"])
    assert run.exit_code == 0 and "green taken for leaves" in run.output
    by_hand = ["sow", str(place), str(model), "--out", str(tmp_path / "b.lumwick"), "--leaves", "Leaves, bark"]
    assert "Leaves, bark taken for leaves" in CliRunner().invoke(cli.app, by_hand).output
    run = CliRunner().invoke(cli.app, ["leaf", str(place), "oaks", str(picture), "--out", str(place)])
    assert run.exit_code == 0 and "leaves as in leaf.png" in run.output
    made, assets = load(place)
    assert made.growth[-1].own is not None and made.growth[-1].own.mesh.sha256 in assets
    assert made.growth[0].wood is not None and made.growth[0].wood.outline == "own"
    assert load_setting((made, assets)).place == made


# -- leaves by a picture ---------------------------------------------------------------------------------


@pytest.mark.parametrize("picture", [leaf_picture(), leaf_picture((240, 235, 220), 255)])
def test_a_leafs_outline_and_colour_are_read_off_its_picture(picture: Image.Image) -> None:
    leaf = read_leaf(np.asarray(picture, float) / 255)
    form = apply(place_with(stand(kind="oak")), command(leaf_edit(stand(kind="oak"), leaf, "l.png")))[0].growth[0].wood
    assert form is not None and habit_of(stand(kind="oak", wood=form.model_dump())) is not None
    along, half = np.array(form.half).T
    # an ellipse of 48 by 100 pixels
    assert (
        leaf.broad == pytest.approx(0.48, abs=0.02)
        and np.abs(half[1:-1] - np.sqrt(along - along**2)[1:-1]).max() < 0.05
    )
    assert [int(leaf.colour[k : k + 2], 16) for k in (1, 3, 5)] == pytest.approx(GREEN, abs=3)


def test_a_picture_without_a_leaf_is_refused() -> None:
    for picture in (np.ones((40, 40, 4)), np.zeros((40, 40, 4)), np.ones((3, 3, 4))):
        with pytest.raises(PlaceError, match="No leaf is seen"):
            read_leaf(picture)
    with pytest.raises(PlaceError, match="no leaves that a picture"):
        leaf_edit(stand(kind="reed"), read_leaf(np.asarray(leaf_picture(), float) / 255), "l.png")


# -- kinds mixed by share --------------------------------------------------------------------------------


def test_kinds_are_mixed_by_their_shares_on_the_same_spots() -> None:
    plain = stand(per_hectare=2000, spaced=1.5)
    mixed = plain.model_copy(update={"among": [Among(id="a", kind="oak", share=0.3),
                                               Among(id="b", kind="scrub", share=0.1, tall=0.4)]})  # fmt: skip
    (whole,) = planted(Setting(place_with(plain), FLAT))
    every = whole.plants(FLAT.slope()).position
    found = {one.stand.kind: one for one in planted(Setting(place_with(mixed), FLAT))}
    some = {kind: one.plants(FLAT.slope()).position for kind, one in found.items()}
    together = np.concatenate(list(some.values()))
    assert np.array_equal(together[np.lexsort(together.T)], every[np.lexsort(every.T)])
    n = len(every)
    for kind, share in (("birch", 0.6), ("oak", 0.3), ("scrub", 0.1)):
        assert abs(len(some[kind]) - share * n) < 4 * np.sqrt(n * share * (1 - share))
    assert float(found["scrub"].stand.height) == pytest.approx(1.2)
    names = {name.split(" ")[1] for name in parts_at(Setting(place_with(mixed), FLAT), 0.0)}
    assert names == {"s", "s.oak", "s.scrub"}


def test_shares_over_the_whole_and_a_kind_twice_are_refused() -> None:
    with pytest.raises(ValidationError, match=r"add up to 1\.30: at most 1"):
        stand(among=[{"id": "a", "kind": "oak", "share": 0.9}, {"id": "b", "kind": "pine", "share": 0.4}])
    with pytest.raises(ValidationError, match="twice: give it one share"):
        stand(among=[{"id": "a", "kind": "birch", "share": 0.3}])


def test_a_cut_out_leafs_silhouette_is_the_leafs_and_not_its_cards() -> None:
    data = sapling_file()
    of = Setting(place_with(), FLAT, lambda asset: data)
    frames = list(silhouettes(stand(own=own(data).model_dump()), Sheet(wind=9.0, seconds=0.1), (96, 96), of))
    plain = Mesh(tuple(replace(p, surface=replace(p.surface, cutoff=0.0)) for p in sapling().parts))
    whole = glb_of(plain, "Sapling")
    solid = list(silhouettes(stand(own=own(whole).model_dump()), Sheet(wind=9.0, seconds=0.1), (96, 96),
                             Setting(place_with(), FLAT, lambda asset: whole)))  # fmt: skip
    dark, cards_dark = ((1 - f[0] / 255.0).sum() for f in (frames, solid))
    # a leaf is an ellipse of 48 by 100 pixels, and a stalk, on a card of 64 by 128
    assert 0.02 * 96**2 < dark < 0.85 * cards_dark
    assert dark > 0.5 * cards_dark


def test_a_stand_is_as_wild_as_it_must_be_to_be_seen_moving_by_so_much() -> None:
    place = small_place(wind=Wind(speed=6.0))
    setting = Setting(place, HILLS)
    stage, shot = Stage(setting), place.shots[0]
    first = amount_of_motion(stage, setting, shot, 0.5).stands
    assert set(first) <= {"pines", "reeds"} and first
    one = next(iter(first))
    wild, seen = wild_for(stage, setting, shot, 0.5, one, 0.5 * first[one])
    assert wild < 1 and seen == pytest.approx(0.5 * first[one], rel=0.15)
    assert amount_of_motion(stage, setting, shot, 0.5).stands[one] == pytest.approx(first[one], rel=1e-6)
    calm = Setting(small_place(wind=Wind(speed=0.0)), HILLS)
    with pytest.raises(PlaceError, match="stands still in this wind"):
        wild_for(Stage(calm), calm, shot, 0.5, one, 1.0)
    with pytest.raises(PlaceError, match="not there any more"):
        wild_for(stage, setting, shot, 0.5, "elms", 1.0)
