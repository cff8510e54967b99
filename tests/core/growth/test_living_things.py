"""Plants, where they stand, what they stand among, and the air's closed forms."""

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.air.wind import gusts, kaimal
from lumwick.built.timber import build, floor_over, footprint
from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import GOLDEN_DEG, LEAF, LEVELS
from lumwick.growth.scatter import Bounds, gather, scatter
from lumwick.growth.sway import branch_motion
from lumwick.land.ground import Ground, grid_quads
from lumwick.place.growing import Stand
from lumwick.place.objects import Built
from lumwick.snapshot.riding.sampled import speed_in_words
from lumwick.trace.integrator.media import fog_depth
from lumwick.trace.lighting import alias_table
from lumwick.trace.records import FOG
from lumwick.trace.sampling import noise2

LIVING = sorted(name for name, kind in KINDS.items() if not kind.still)


@pytest.mark.parametrize("kind", LIVING)
@pytest.mark.parametrize("level", range(LEVELS))
def test_forms_are_whole_and_stand_on_their_foot(kind: str, level: int) -> None:
    form = KINDS[kind].make(2.0, 5, level)
    assert form.quads.max() < len(form.vertices) and np.isfinite(form.vertices).all()
    assert form.vertices[:, 2].min() > -0.1 and 1.0 < form.vertices[:, 2].max() < 3.2
    assert (np.diff(form.surface.astype(int)) >= 0).all() and (form.surface == LEAF).any()
    assert form.group.max() < form.groups and form.flutter_group.max() < form.flutter_groups
    foot = form.vertices[:, 2] < 0.02
    assert np.abs(form.weight[foot]).max() < 0.02  # what is at the ground goes nowhere with its branch
    assert form.weight.max() > 0.3


@pytest.mark.parametrize("kind", LIVING)
def test_forms_are_seeded_and_far_ones_are_simpler(kind: str) -> None:
    maker = KINDS[kind].make
    assert np.array_equal(maker(2.0, 5).vertices, maker(2.0, 5).vertices)
    assert not np.array_equal(maker(2.0, 5).vertices[:50], maker(2.0, 6).vertices[:50])
    sizes = [len(maker(2.0, 5, level).quads) for level in range(LEVELS)]
    assert sizes[1] < 0.5 * sizes[0] and sizes[2] < 0.55 * sizes[1]


@pytest.mark.parametrize("kind", [name for name, kind in KINDS.items() if kind.patch])
def test_a_patch_is_a_square_of_the_tufts_asked_for(kind: str) -> None:
    side, density = 2.0, 2.25
    maker = KINDS[kind].make
    patch, tuft = maker(1.0, 5, 0, side, density), maker(1.0, 5, 0)
    tufts = round(side * np.sqrt(density)) ** 2
    assert len(patch.quads) == pytest.approx(tufts * len(tuft.quads), rel=0.06)
    feet = patch.vertices[patch.weight == 0]
    assert np.abs(feet[:, :2]).max() < side / 2 + 0.03
    if kind not in ("reed", "grass", "meadow"):
        return  # tussocks and flowers leave bare ground between
    cells = np.histogram2d(feet[:, 0], feet[:, 1], bins=4)[0]
    assert cells.min() > 0.25 * cells.mean()  # closed: no bare quarter
    dry, green = (maker(1.0, 5, 0, side, density, share) for share in (0.6, 0.0))
    assert (dry.surface == LEAF).sum() < 0.6 * (green.surface == LEAF).sum()


def test_a_closed_bed_is_drawn_by_patches_and_its_rim_by_tufts(slope_ground: Ground) -> None:
    bed = scatter(stand(kind="reed", per_hectare=12000, slope_most=90), slope_ground, slope_ground.slope())
    patches, single = gather(bed, 2.4, 1.2, slope_ground)
    assert len(patches.turn) > 0.9 * (200 / 2.4) ** 2 * 0.9 and 0 < len(single.turn) < 0.2 * len(bed.turn)
    assert np.allclose(patches.position[:, 2], slope_ground.height(patches.position[:, 0], patches.position[:, 1]))
    cell = np.floor(patches.position[:, :2] / 2.4)
    assert len(np.unique(cell, axis=0)) == len(cell)  # none over another
    assert np.allclose(np.mod(patches.turn, np.pi / 2), 0)
    covered = {tuple(c) for c in cell.astype(int)}
    assert not any(tuple(c) in covered for c in np.floor(single.position[:, :2] / 2.4).astype(int))
    sparse, kept = gather(
        scatter(stand(kind="reed", per_hectare=50, slope_most=90), slope_ground, slope_ground.slope()),
        2.4,
        0.005,
        slope_ground,
    )
    assert not len(sparse.turn) and len(kept.turn) > 100


def test_leaves_stand_about_a_stem_by_the_golden_angle() -> None:
    assert pytest.approx(360 * (2 - (1 + 5**0.5) / 2), abs=0.01) == GOLDEN_DEG  # 360 (2 - phi)
    kind = KINDS["cornflower"]
    steps = []
    for seed in range(12):
        one = replace(kind, blades=replace(kind.blades, stems=1, crooked=0.0))
        form = one.make(0.6, seed, 0, 0.0, 1.0, 0.0)
        quads = form.quads[form.surface == LEAF].reshape(kind.blades.leaves, -1, 4)
        base = np.array([form.origin[leaf[0, 0]] for leaf in quads])
        tip = np.array([form.vertices[leaf].reshape(-1, 3).mean(0) for leaf in quads]) - base
        way = np.degrees(np.arctan2(tip[:, 1], tip[:, 0]))[np.argsort(base[:, 2])]
        steps.append(np.mod(np.diff(way), 360))
    assert float(np.median(steps)) == pytest.approx(137.5, abs=4)


def stand(**more: object) -> Stand:
    return Stand(
        **{
            "id": "s",
            "name": "S",
            "kind": "alder",
            "area": [(-100, -100), (100, -100), (100, 100), (-100, 100)],
            "per_hectare": 400,
            **more,
        }
    )


@pytest.fixture(scope="module")
def slope_ground() -> Ground:
    """Level in the west, a slope of 45 degrees in the east."""
    x = np.arange(101) * 4.0 - 200
    return Ground(np.broadcast_to(np.clip(x, 0, None), (101, 101)).astype(np.float32).copy(), 4.0, -200.0, -200.0)


def test_plants_keep_to_their_area_slope_and_height(slope_ground: Ground) -> None:
    slope = slope_ground.slope()
    p = scatter(stand(), slope_ground, slope).position
    assert len(p) > 300 and np.abs(p[:, :2]).max() <= 100
    steep = scatter(stand(slope_most=30), slope_ground, slope).position
    assert steep[:, 0].max() < 4 and len(steep) < len(p)
    high = scatter(stand(lowest=20.0, highest=50.0, slope_most=90), slope_ground, slope).position
    assert high[:, 2].min() >= 20 and high[:, 2].max() <= 50
    path = shapely.LineString([(-100, 0), (100, 0)]).buffer(5)
    assert np.abs(scatter(stand(), slope_ground, slope, Bounds([path])).position[:, 1]).min() >= 5
    assert np.allclose(p[:, 2], slope_ground.height(p[:, 0], p[:, 1]))
    wet = scatter(stand(lowest=-5.0, slope_most=90), slope_ground, slope, Bounds(water_level=10.0))
    assert wet.position[:, 2].min() > 10


def test_density_is_what_was_asked_less_the_clearings(slope_ground: Ground) -> None:
    p = scatter(stand(kind="grass", per_hectare=2000, slope_most=90), slope_ground, slope_ground.slope()).position
    assert 0.7 * 8000 < len(p) <= 8000
    again = scatter(stand(kind="grass", per_hectare=2000, slope_most=90), slope_ground, slope_ground.slope()).position
    assert np.array_equal(p, again)
    other = scatter(
        stand(kind="grass", per_hectare=2000, slope_most=90, seed=2), slope_ground, slope_ground.slope()
    ).position
    assert len(other) != len(p) or not np.array_equal(p, other)


def test_too_many_plants_and_crossed_outlines_are_refused(slope_ground: Ground) -> None:
    slope = slope_ground.slope()
    with pytest.raises(PlaceError, match="at most 2,000,000"):
        scatter(stand(per_hectare=3_000_000, area=[]), slope_ground, slope)
    with pytest.raises(PlaceError, match="not a simple outline"):
        scatter(stand(area=[(0, 0), (10, 10), (10, 0), (0, 10)]), slope_ground, slope)
    assert len(scatter(stand(area=[(900, 900), (910, 900), (905, 920)]), slope_ground, slope).turn) == 0
    assert len(scatter(stand(per_hectare=0), slope_ground, slope).turn) == 0


@pytest.mark.parametrize(
    ("kind", "line"),
    [("boardwalk", [(-10, 0), (10, 5), (20, 5)]), ("jetty", [(0, 0), (8, 0)]), ("hide", [(0, 0)]), ("boat", [(0, 0)])],
)
def test_built_things_stand_on_their_ground(kind: str, line: list, slope_ground: Ground) -> None:
    thing = Built(id="b", name="B", kind=kind, line=line, deck=3.0, width=2.0)
    mesh = build(thing, slope_ground)
    assert mesh.quads.max() < len(mesh.vertices) and len(mesh.tone) == len(mesh.quads)
    assert 2.5 < mesh.vertices[:, 2].max() < 6.5
    assert footprint(thing).area > 3
    here = floor_over([thing], np.array([line[0][0] + 0.5, 150.0]), np.array([line[0][1] + 0.1, 150.0]), np.zeros(2))
    assert here[1] == 0 and here[0] == (0 if kind == "boat" else 3.0)


@settings(deadline=None)
@given(st.floats(5, 60), st.floats(-0.99, 0.99), st.floats(1, 400))
def test_fog_along_a_ray_is_its_integral(z: float, dz: float, length: float) -> None:
    fog = np.zeros(1, FOG)[0]
    fog["extinction"], fog["height"], fog["base"], fog["asymmetry"] = 0.01, 25.0, 2.0, 0.6
    s = np.linspace(0, length, 20001)
    depth = np.trapezoid(0.01 * np.exp(-((z + dz * s) - 2.0) / 25.0), s)
    if depth < 20:
        assert fog_depth(fog, z, dz, length) == pytest.approx(depth, rel=2e-3, abs=1e-6)


def test_noise_knows_its_own_slope() -> None:
    rng = np.random.default_rng(2)
    for x, y in rng.uniform(-50, 50, (40, 2)):
        v, dx, dy = noise2(x, y, 3)
        e = 1e-5
        assert -1 <= v <= 1
        assert dx == pytest.approx((noise2(x + e, y, 3)[0] - noise2(x - e, y, 3)[0]) / (2 * e), abs=1e-3)
        assert dy == pytest.approx((noise2(x, y + e, 3)[0] - noise2(x, y - e, 3)[0]) / (2 * e), abs=1e-3)


def test_alias_table_keeps_the_shares() -> None:
    share = np.random.default_rng(4).random(64) ** 3
    table = alias_table(share)
    got = np.zeros(64)
    for i, (keep, other) in enumerate(table):
        got[i] += keep / 64
        got[int(other)] += (1 - keep) / 64
    assert np.allclose(got, share / share.sum(), atol=1e-6)


def test_gust_spectrum_and_harmonics() -> None:
    n = np.geomspace(1e-4, 50, 200000)
    assert np.trapezoid(kaimal(n, 8.0, 10.0, 1.7), n) == pytest.approx(1.7**2, rel=0.03)
    g = gusts(8.0, 270.0, 0.25, 1, loop=5.0)
    assert np.allclose(g.omega * 5.0 / (2 * np.pi), np.round(g.omega * 5.0 / (2 * np.pi)))  # whole turns of the loop
    assert np.sqrt((g.amplitude**2).sum() / 2) == pytest.approx(2.0, rel=1e-6)
    assert g.toward == pytest.approx([1.0, 0.0], abs=1e-9)  # from the west, so toward the east


def test_branches_loop_and_grow_with_the_wind() -> None:
    light, strong = (gusts(u, 270.0, 0.2, 1) for u in (3.0, 6.0))
    a, b = (branch_motion(12, 3, 1.5, g, 0.4, 0.001) for g in (light, strong))
    assert np.allclose(b, 4 * a)  # the push goes as the square of the wind
    looped = [branch_motion(12, 3, 1.5, light, t, 0.001, loop=4.0) for t in (0.0, 4.0)]
    assert np.allclose(*looped)


def test_grid_quads_and_kinds() -> None:
    quads = grid_quads(3, 4)
    assert quads.shape == (6, 4) and quads.max() == 11
    keep = np.zeros((2, 3), bool)
    keep[1, 2] = True
    assert grid_quads(3, 4, keep).tolist() == [[6, 7, 11, 10]]
    for kind in KINDS.values():  # what is thrown back and what goes through never add up to more than falls on it
        assert all(r + t < 1 for r, t in zip(kind.leaf, kind.through, strict=True))


def test_speeds_in_words() -> None:
    assert [speed_in_words(v) for v in (0, 1.4, 2.4, 7, 200)] == [
        "still",
        "a walk",
        "a brisk walk",
        "a cyclist",
        "an aeroplane",
    ]
