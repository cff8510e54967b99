"""Growing over time, seasons, forms of one's own, and where plants may stand."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.spatial import cKDTree
from scipy.stats import qmc

from lumwick.errors import PlaceError
from lumwick.growth.form_cache import form_of, habit_of, wood_form
from lumwick.growth.growth_stage import STEPS, WHOLE, Bears, away, grown, growth_steps
from lumwick.growth.kinds import KINDS, USUAL
from lumwick.growth.kinds.form import BARK, LEAF, Form
from lumwick.growth.kinds.leaf import HALVES, area, outline
from lumwick.growth.kinds.seasons import at_month, month_of
from lumwick.growth.plants import Plants
from lumwick.growth.scatter import Bounds, scatter
from lumwick.growth.spacing import spaced_out
from lumwick.land.covers import EARTH, SNOW, albedo, worn
from lumwick.land.ground import Ground
from lumwick.place.edits import apply, command
from lumwick.place.growing import BladeForm, Front, Spot, Stand, WoodForm
from lumwick.place.nature import GroundWay, Sea
from lumwick.place.objects import Shape, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.planted import planted
from tests.conftest import small_place

FLAT = Ground(np.full((65, 65), 1.0, np.float32), 2.0, -64.0, -64.0)
HILL = Ground(
    np.add.outer(np.zeros(65), 20 - np.abs(np.arange(65) - 32.0) * 0.6).astype(np.float32), 2.0, -64.0, -64.0
)  # a ridge that runs north


def stand(**more: object) -> Stand:
    usual = {"id": "s", "name": "S", "kind": "birch", "per_hectare": 400, "height": 8.0, "slope_most": 90}
    return Stand.model_validate({**usual, **more})


def shown(form: Form, bears: Bears) -> np.ndarray:
    out = np.empty_like(form.vertices)
    grown(form, bears, out)
    return out


def quad_area(form: Form, vertices: np.ndarray, surface: int) -> float:
    c = vertices[form.quads[form.surface == surface]].astype(float)
    return float(np.linalg.norm(np.cross(c[:, 2] - c[:, 0], c[:, 3] - c[:, 1]), axis=1).sum() / 2)


@pytest.mark.parametrize("kind", sorted(name for name, kind in KINDS.items() if not kind.still))
def test_a_plant_grows_from_nothing_to_its_whole_form_in_order(kind: str) -> None:
    side = 0.0 if KINDS[kind].woody else 2.0
    form, _ = form_of(stand(kind=kind, height=USUAL[kind][0], per_hectare=8000), 1, 0, side)
    assert np.array_equal(shown(form, WHOLE), form.vertices)
    last = shown(form, Bears(stage=1 - 1e-6))
    assert np.abs(last - form.vertices).max() < 0.002 * max(1.0, USUAL[kind][0])
    steps = np.linspace(0, 1, 13)
    total = [sum(quad_area(form, shown(form, Bears(stage=float(g))), k) for k in range(4)) for g in steps]
    assert total[0] == pytest.approx(0.0, abs=1e-3 * total[-1]) and (np.diff(total) > -1e-9).all()
    if KINDS[kind].woody:  # wood comes before the leaves that it bears
        wood, leaf = (
            np.array([quad_area(form, shown(form, Bears(stage=float(g))), k) for g in steps]) for k in (BARK, LEAF)
        )
        assert steps[np.argmax(wood > 0.3 * wood[-1])] < steps[np.argmax(leaf > 0.3 * leaf[-1])]
        low, high = (
            form.birth[form.vertices[:, 2] < 0.1 * 8],
            form.birth[form.vertices[:, 2] > 0.9 * form.vertices[:, 2].max()],
        )
        assert low.mean() < high.mean()


def test_leaves_fall_by_their_own_number_and_flowers_open() -> None:
    oak, _ = form_of(stand(kind="oak"), 0, 0)
    whole = quad_area(oak, oak.vertices, LEAF)
    for kept in (0.0, 0.25, 0.5):
        there = quad_area(oak, shown(oak, Bears(leaves=kept)), LEAF)
        assert there == pytest.approx(kept * whole, abs=0.03 * whole)
        assert quad_area(oak, shown(oak, Bears(leaves=kept)), BARK) == pytest.approx(quad_area(oak, oak.vertices, BARK))
    poppy, _ = form_of(stand(kind="poppy", height=0.6, per_hectare=20000), 0, 0, 2.0)
    shut = shown(poppy, Bears(flowers=0.0))
    assert quad_area(poppy, shut, 3) == pytest.approx(0, abs=1e-6)
    assert quad_area(poppy, shut, LEAF) == pytest.approx(quad_area(poppy, poppy.vertices, LEAF))


def test_a_front_spreads_from_where_it_starts_with_a_soft_edge() -> None:
    rng = np.random.default_rng(1)
    at = np.column_stack([rng.uniform(-50, 50, (400, 2)), np.zeros(400)])
    plants = Plants(at, np.zeros(400), np.ones(400), rng.random(400))
    front = Front(of="spots", points=[(0.0, 0.0)], reach=20.0, soft=5.0, lag=0.0)
    far = np.hypot(*at[:, :2].T)
    assert away(front, at[:, :2], []) == pytest.approx(far)
    now = growth_steps(stand(front=front), plants, far)
    assert (now[far < 20.0] == STEPS).all() and (now[far > 25.2] == 0).all()
    between = (far > 21) & (far < 24)
    assert between.any() and ((now[between] > 0) & (now[between] < STEPS)).all()
    late = growth_steps(stand(front=front.model_copy(update={"lag": 1.0})), plants, far)
    assert (late <= now).all() and (late < now).any()
    line = Front(of="line", points=[(0.0, -50.0), (0.0, 50.0)], reach=0.0)
    assert away(line, at[:, :2], []) == pytest.approx(np.abs(at[:, 0]), abs=1e-9)
    assert np.isinf(away(Front(of="water"), at[:, :2], [])).all()
    assert (growth_steps(stand(grown=0.5), plants, None) == STEPS // 2).all()


@pytest.mark.parametrize(
    ("front", "said"), [({"of": "spots"}, "a spot to spread from"), ({"of": "line", "points": [(0, 0)]}, "two points")]
)
def test_a_front_without_a_start_is_refused(front: dict, said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        Front.model_validate(front)


def test_a_year_turns_round_and_south_of_the_equator_half_a_year_on() -> None:
    assert month_of(dt.datetime(2026, 1, 1), 50) == pytest.approx(1.0)
    assert month_of(dt.datetime(2026, 7, 2, 12), 50) == pytest.approx(7.0)
    assert month_of(dt.datetime(2026, 7, 2, 12), -50) == pytest.approx(1.0)
    oak = KINDS["oak"]
    summer, winter, autumn = (at_month(oak.turns, m, oak.leaf) for m in (7.0, 1.5, 10.7))
    assert summer.leaf == oak.leaf and summer.kept == 1.0 and winter.kept == pytest.approx(0.0)
    assert autumn.leaf[0] > autumn.leaf[1] and autumn.varied > 1.5
    for kind in KINDS.values():
        assert at_month(kind.turns, 12.99, kind.leaf).leaf == pytest.approx(
            at_month(kind.turns, 1.0, kind.leaf).leaf, abs=0.01
        )
    assert at_month(KINDS["pine"].turns, 1.5, (0.1, 0.1, 0.1)).kept == 1.0
    poppy = KINDS["poppy"]
    assert at_month(poppy.turns, 6.6, poppy.leaf).bloom > 0.9 > 0.1 > at_month(poppy.turns, 2.0, poppy.leaf).bloom


@pytest.mark.parametrize("name", sorted(HALVES))
def test_a_leafs_outline_has_its_area_and_two_like_halves(name: str) -> None:
    points, quads = outline(HALVES[name])
    c = points[quads][..., :2]
    x, y = c[..., 0], c[..., 1]
    shoelace = (x * np.roll(y, -1, 1) - np.roll(x, -1, 1) * y).sum(1) / 2
    assert np.abs(shoelace).sum() == pytest.approx(area(HALVES[name]))
    assert np.sort(points[points[:, 1] > 0][:, 0]) == pytest.approx(np.sort(points[points[:, 1] < 0][:, 0]))


@pytest.mark.parametrize("kind", [k for k, v in KINDS.items() if v.habit])
def test_a_form_of_its_own_begins_as_its_kind(kind: str) -> None:
    plain = stand(kind=kind)
    own = plain.model_copy(update={"wood": wood_form(plain)})
    was, now = habit_of(plain), habit_of(own)
    assert was is not None and now is not None
    assert np.array(now.crown) == pytest.approx(np.array(was.crown), abs=1e-3)
    assert (now.bare, now.room, now.leaf, now.cover, now.outline) == (
        was.bare,
        was.room,
        was.leaf,
        was.cover,
        was.outline,
    )


@settings(max_examples=30, deadline=None)
@given(st.data())
def test_every_setting_of_a_form_makes_a_plant_that_ends(data: st.DataObject) -> None:
    said = {}
    for name, info in WoodForm.model_fields.items():
        if name in ("crown", "outline", "own_outline"):
            continue
        low, high = (next(getattr(m, side) for m in info.metadata if hasattr(m, side)) for side in ("ge", "le"))
        said[name] = data.draw(st.sampled_from([low, high]))
    said["branches"] = min(said["branches"], 3000)
    said["crown"] = data.draw(st.sampled_from(["of its kind", "vase", "cone"]))
    said["outline"] = data.draw(st.sampled_from(["lobed", "needle", "own"]))
    said["own_outline"] = "0 0, 0.4 0.6, 1 0"
    one = stand(
        kind=data.draw(st.sampled_from(["oak", "willow"])), wood=said, height=data.draw(st.sampled_from([0.05, 60]))
    )
    habit = habit_of(one)
    form = KINDS[one.kind].maker(habit, one.height, 1, data.draw(st.sampled_from([0, 2])))
    assert np.isfinite(form.vertices).all() and len(form.quads) < 1_500_000


@settings(max_examples=20, deadline=None)
@given(st.data())
def test_every_setting_of_blades_makes_a_sward(data: st.DataObject) -> None:
    said = {}
    for name, info in BladeForm.model_fields.items():
        low, high = (next(getattr(m, side) for m in info.metadata if hasattr(m, side)) for side in ("ge", "le"))
        said[name] = data.draw(st.sampled_from([low, high]))
    one = stand(kind="meadow", height=0.6, blades=said, per_hectare=10000)
    form, _ = form_of(one, 0, data.draw(st.sampled_from([0, 1, 2])), data.draw(st.sampled_from([0.0, 2.0])))
    assert np.isfinite(form.vertices).all() and len(form.quads) > 10


@pytest.mark.parametrize(
    ("outline_", "said"),
    [
        ("0 0, 1 0", "three points"),
        ("a leaf", "three points"),
        ("0 0 1, 1 1 1, 2 2 2", "three points"),
        ("0 0, 0.5 0.4, 0.4 0", "further along"),
        ("0 0, 0.5 2, 1 0", "breadth"),
    ],
)
def test_a_leafs_own_outline_that_cannot_be_is_refused(outline_: str, said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        WoodForm(outline="own", own_outline=outline_)


def test_plants_keep_apart_as_closely_as_a_poisson_disk_lets_them() -> None:
    # scipy's own Poisson disk sampling of the same radius on the unit square
    theirs = len(qmc.PoissonDisk(2, radius=0.03, rng=np.random.default_rng(1)).fill_space())
    rng = np.random.default_rng(2)
    points = rng.random((40_000, 2))
    kept = points[spaced_out(points, rng.random(len(points)), 0.03)]
    assert cKDTree(kept).query(kept, k=2)[0][:, 1].min() >= 0.03
    assert len(kept) == pytest.approx(theirs, rel=0.1)


def test_where_a_stand_may_stand() -> None:
    slope = HILL.slope()
    p = scatter(stand(spaced=4.0, per_hectare=900), FLAT, FLAT.slope()).position
    assert len(p) > 300 and cKDTree(p[:, :2]).query(p[:, :2], k=2)[0][:, 1].min() >= 4.0
    east = scatter(stand(faces=90, faces_within=60), HILL, slope).position
    west = scatter(stand(faces=270, faces_within=60), HILL, slope).position
    assert len(east) > 40 and len(west) > 40 and east[:, 0].min() > -3 and west[:, 0].max() < 3
    path = shapely.box(-4, -64, 4, 64)
    for margin in (0.0, 3.0):
        off = np.abs(scatter(stand(margin=margin), FLAT, FLAT.slope(), Bounds(clear=[path])).position[:, 0])
        assert off.min() >= 4 + margin
    pond = shapely.Point(20, 0).buffer(5)
    near = scatter(stand(near_water=6.0, per_hectare=3000), FLAT, FLAT.slope(), Bounds(water=[pond])).position
    assert len(near) > 20 and (np.hypot(near[:, 0] - 20, near[:, 1]) < 11.1).all()
    low = scatter(stand(near_water=10.0, per_hectare=2000), HILL, slope, Bounds(water_level=5.0)).position
    assert len(low) > 10 and np.abs(low[:, 0]).min() > 50 - 10 - 2 - 1
    mown = scatter(stand(kind="grass", per_hectare=9000), FLAT, FLAT.slope(), Bounds(cut=[(path, 0.2)]))
    on = np.abs(mown.position[:, 0]) < 4
    assert mown.scale[on].mean() == pytest.approx(0.2 * mown.scale[~on].mean(), rel=0.1)
    bare = scatter(stand(kind="grass", per_hectare=9000), FLAT, FLAT.slope(), Bounds(cut=[(path, 0.0)]))
    assert np.abs(bare.position[:, 0]).min() >= 4


def test_single_plants_stand_where_they_were_set_whatever_becomes_of_the_others() -> None:
    spots = [Spot(id="p1", east=3.0, north=-2.0, size=1.5, turn=90.0), Spot(id="p2", east=-7.0, north=9.0)]
    few = scatter(stand(singles=spots, per_hectare=100), FLAT, FLAT.slope())
    many = scatter(stand(singles=spots, per_hectare=900, seed=9), FLAT, FLAT.slope())
    alone = scatter(stand(singles=spots, only_singles=True), FLAT, FLAT.slope())
    assert len(alone.turn) == 2 and len(many.turn) > len(few.turn) > 2
    for found in (few, many, alone):
        assert found.position[-2:] == pytest.approx(np.array([[3, -2, 1], [-7, 9, 1]]))
        assert found.scale[-2:].tolist() == [1.5, 1.0] and found.shade[-2:].tolist() == alone.shade.tolist()
    place, said = apply(
        small_place(growth=[stand()]), command({"op": "set_plant", "stand": "s", "east": 1.0, "north": 2.0})
    )
    assert place.growth[0].singles[0].id == "p1" and "a plant set" in said
    place, _ = apply(place, command({"op": "take_plant", "stand": "s", "id": "p1"}))
    assert not place.growth[0].singles
    with pytest.raises(PlaceError, match="not there any more"):
        apply(place, command({"op": "take_plant", "stand": "s", "id": "p1"}))


def test_plants_grow_on_a_models_faces_and_stand_out_from_them() -> None:
    ball = Thing(id="stump", name="Stump", shape=Shape(kind="ball", width=4, depth=4, height=4), east=10.0, up=1.0)
    moss = stand(kind="grass", height=0.1, per_hectare=120_000, on="stump")
    place = small_place(growth=[moss], things=[ball], sea=Sea(present=False))
    (one,) = planted(Setting(place, FLAT))
    plants = one.plants(FLAT.slope())
    # a ball of 4 m has 50 m2; 12 on a square metre
    assert len(plants.turn) == pytest.approx(4 * np.pi * 4 * 12, rel=0.03)
    out = plants.position - [10, 0, 3]
    assert np.linalg.norm(out, axis=1) == pytest.approx(2.0, abs=0.05)
    assert np.einsum("ij,ij->i", plants.up, out / 2).min() > 0.97
    (upright,) = planted(Setting(small_place(growth=[moss.model_copy(update={"upright": 1.0})], things=[ball]), FLAT))
    assert upright.plants(FLAT.slope()).up == pytest.approx(np.tile([0, 0, 1.0], (len(plants.turn), 1)))
    apart_ = moss.model_copy(update={"spaced": 0.5})
    (spaced,) = planted(Setting(small_place(growth=[apart_], things=[ball]), FLAT))
    at = spaced.plants(FLAT.slope()).position
    assert len(at) > 60 and cKDTree(at).query(at, k=2)[0][:, 1].min() >= 0.5
    with pytest.raises(PlaceError, match="not in this place"):
        list(planted(Setting(small_place(growth=[moss]), FLAT)))
    rolls = ball.model_copy(update={"held": "camera"})
    with pytest.raises(PlaceError, match="which moves"):
        list(planted(Setting(small_place(growth=[moss], things=[rolls]), FLAT)))
    with pytest.raises(PlaceError, match="no faces"):
        scatter(moss, FLAT, FLAT.slope(), Bounds(faces=np.zeros((0, 3, 3))))
    left, _ = apply(place, command({"op": "remove", "of": "things", "id": "stump"}))
    assert left.growth[0].on == ""


def test_more_plants_than_can_be_filmed_are_refused_with_the_number_that_fits() -> None:
    many = stand(per_hectare=4_000_000)
    with pytest.raises(PlaceError, match=r"Lower its density to 1,\d\d\d,\d\d\d a hectare"):
        scatter(many, FLAT, FLAT.slope())


def test_a_way_is_worn_into_the_ground_and_snow_lies_above_its_line() -> None:
    cover = albedo(FLAT, "upland", None, 2.0, 1)
    way = GroundWay(id="w", line=[(-60, 0), (60, 0)], width=6.0, worn=1.0)
    after = worn(cover, FLAT, [(shapely.LineString(way.line), way.width, way.worn)])
    assert (
        after[32, 10:54, :3] == pytest.approx(np.tile(EARTH, (44, 1)), abs=1e-3) and (after[32, 10:54, 4] < 0.01).all()
    )
    assert np.array_equal(after[:28], cover[:28]) and np.array_equal(after[37:], cover[37:])
    high = Ground(HILL.heights * 20, 2.0, -64.0, -64.0)
    low = Ground(np.clip(high.heights - 200, 0, None), 30.0, 0.0, 0.0)
    snowy, plain = (albedo(low, "upland", None, 2.0, 1, line) for line in (100.0, None))
    assert np.abs(snowy[..., :3] - np.array(SNOW)).max(-1)[low.heights > 180].mean() < 0.2
    assert np.abs(snowy - plain)[low.heights < 10].mean() < 0.05


def test_a_stand_is_widened_and_narrowed_with_a_brush() -> None:
    square = stand(area=[(0, 0), (40, 0), (40, 40), (0, 40)])
    place = small_place(growth=[square])

    def brushed(**more: object) -> Stand:
        told = {"op": "brush_stand", "stand": "s", "width": 10.0, **more}
        return apply(place, command(told))[0].growth[0]

    wider = shapely.Polygon(brushed(line=[(30, 20), (60, 20)]).area)
    # 20 m of a stroke of 10 m, and its round end
    assert wider.area - 1600 == pytest.approx(20 * 10 + np.pi * 25 / 2, rel=0.05)
    less = shapely.Polygon(brushed(line=[(45, 20), (25, 20)], takes=True).area)
    assert 1600 - less.area == pytest.approx(15 * 10 + np.pi * 25 / 2, rel=0.05)
    for line, takes, said in (
        ([(60, 60), (80, 60)], False, "one area"),
        ([(20, 20)], True, "no holes"),
        ([(-5, 20), (45, 20)], True, "one area"),
    ):
        with pytest.raises(PlaceError, match=said):
            brushed(line=line, takes=takes)
    with pytest.raises(PlaceError, match="remove it instead"):
        brushed(line=[(0, 20), (40, 20)], takes=True, width=100)
    place = small_place(growth=[stand()])
    with pytest.raises(PlaceError, match="covers the whole place"):
        brushed(line=[(0, 0)])
