"""Loose stones, what woods shed, and the ground's relief near the eye."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from scipy.spatial import KDTree

from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import LEVELS
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera
from lumwick.motion.channel import Channel, Key
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea, Wind
from lumwick.place.objects import Built, Shape, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.footprint import footprints
from lumwick.trace.integrator.surfaces.relief import BLOCKS, CLODS, FADES, REACH, SUNK, TUSSOCKS, bumps, faded
from lumwick.trace.sections.litter import covered
from lumwick.trace.stage import Stage
from tests.conftest import small_place

GROUND = Ground(
    np.asarray(6 + 2 * np.sin(np.arange(65) / 7.0)[:, None] + np.cos(np.arange(65) / 5.0)[None], np.float32),
    2.0,
    -64.0,
    -64.0,
)


def place(*stands: Stand, **more: object) -> Setting:
    usual = {"growth": list(stands), "sea": Sea(present=False), "wind": Wind(speed=8.0)}
    land = small_place().land.model_copy(update={"cover": "upland"})
    return Setting(small_place(**{**usual, "land": land, **more}), GROUND)


def stage_from(setting: Setting, eye: tuple[float, float, float]) -> Stage:
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, Camera(eye, (0.0, 1.0, -0.1))))
    return stage


# -- stones ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("level", range(LEVELS))
def test_a_stone_is_one_closed_skin_sunk_in_the_ground(level: int) -> None:
    for seed in range(4):
        form = KINDS["stones"].make(0.4, seed, level)
        v = form.vertices.astype(float)
        assert v[:, 2].max() == pytest.approx(0.4, rel=0.02) and -0.3 < v[:, 2].min() < -0.1
        corner = v[form.quads]
        # the volume by the divergence theorem is that of a body whose faces all look out
        volume = sum(
            np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6
            for a, b, c in ((corner[:, 0], corner[:, 1], corner[:, 2]), (corner[:, 0], corner[:, 2], corner[:, 3]))
        )
        size = np.ptp(v, axis=0)
        assert 0.3 * size.prod() < volume < np.pi / 6 * 1.35 * size.prod()


def test_stones_lie_still_in_any_wind_and_when_something_goes_through_them() -> None:
    setting = place(Stand(id="s", name="S", kind="stones", per_hectare=3000, height=0.3))
    stage, seen = Stage(setting), []
    for t in (0.0, 1.3):
        stage.set(evaluate(setting, setting.place.shots[0], t, Camera((0.0, 0.0, 9.0), (0.0, 1.0, -0.2))))
        parts = {n: p for n, p in stage.parts().items() if n.startswith("stand s")}
        seen.append({n: (p.mesh()[0].copy(), p.transforms.copy()) for n, p in parts.items()})
    assert seen[0] and seen[0].keys() == seen[1].keys()
    for name, (vertices, placed) in seen[0].items():
        assert np.array_equal(vertices, seen[1][name][0]) and np.array_equal(placed, seen[1][name][1])


# -- litter ----------------------------------------------------------------------------------------------


def test_litter_covers_about_as_much_as_the_crowns_do() -> None:
    at = np.random.default_rng(4).uniform(0, 200, (500, 2))
    share = covered((201, 201), (0.0, 0.0, 1.0), at, np.ones(len(at)), 3.0)
    spots = np.stack(np.meshgrid(np.arange(201.0), np.arange(201.0)), -1).reshape(-1, 2)
    under = KDTree(at).query(spots)[0].reshape(201, 201) < 3.0
    inner = np.s_[20:-20, 20:-20]
    assert float(share[inner].mean()) == pytest.approx(float(under[inner].mean()), abs=0.06)
    assert share[inner][under[inner]].mean() > 3 * share[inner][~under[inner]].mean()
    assert covered((5, 5), (0.0, 0.0, 4.0), np.zeros((0, 2)), np.zeros(0), 3.0).max() == 0


def test_litter_lies_under_woods_as_far_as_one_says() -> None:
    wood = Stand(
        id="w", name="W", kind="oak", per_hectare=300, height=12, area=[(-60, -60), (0, -60), (0, 60), (-60, 60)]
    )
    colours = {}
    for amount in (0.0, 1.0):
        land = small_place().land.model_copy(update={"cover": "upland", "litter": amount})
        colours[amount] = stage_from(place(wood, land=land), (0.0, 0.0, 40.0)).world.land.albedo.copy()
    changed = np.abs(colours[1.0] - colours[0.0])[..., :3].max(-1)
    west, east = changed[5:-5, 5:28], changed[5:-5, 45:]
    assert float(np.median(west)) > 0.01 and float(east.max()) < 1e-6
    brown = colours[1.0][5:-5, 5:28, :3].mean((0, 1))
    assert brown[0] > brown[1] > brown[2]
    # stones, reeds and flowers shed nothing
    flowers = Stand(id="f", name="F", kind="poppy", per_hectare=2000, height=0.5)
    stage = stage_from(place(flowers), (0.0, 0.0, 40.0))
    assert stage.world.land.albedo is stage._land.made.albedo


# -- relief ----------------------------------------------------------------------------------------------


def test_relief_slopes_are_those_of_its_heights() -> None:
    rng, told, other = np.random.default_rng(1), np.zeros(3), np.zeros(3)
    for sward, rock in ((1.0, 0.0), (0.0, 0.5), (0.0, 1.0)):
        for x, y in rng.uniform(-50, 50, (60, 2)):
            bumps(x, y, sward, rock, 0.0, told)
            most = TUSSOCKS if sward else (CLODS if rock < 1 else BLOCKS)
            assert 0 <= told[0] <= 1.06 * most
            for axis, step in ((1, (1e-6, 0.0)), (2, (0.0, 1e-6))):
                bumps(x + step[0], y + step[1], sward, rock, 0.0, other)
                assert (other[0] - told[0]) / 1e-6 == pytest.approx(told[axis], abs=2e-3)
    bumps(3.0, 4.0, 0.0, 0.0, 0.0, told)
    assert not told.any()  # sand and snow are smooth
    bumps(3.0, 4.0, 1.0, 0.0, 1.0, told)
    assert not told.any()  # and so is what is wet


def test_relief_stands_up_near_the_eye_alone_and_is_a_pure_function_of_it() -> None:
    setting = place()
    eye = (3.2, 1.1, float(GROUND.height(np.array([3.0]), np.array([1.0]))[0]) + 1.6)
    stage = stage_from(setting, eye)
    near = stage.parts()["near ground"]
    first = near.mesh()[0].copy()
    at = first + near.transforms[0, 9:]
    over = at[:, 2] - GROUND.height(at[:, 0].astype(float), at[:, 1].astype(float))
    away = np.linalg.norm(first, axis=1)
    assert over[away > REACH].max() < 0  # beyond it lies under the survey's own surface
    assert 0.01 < over[away < FADES].max() < BLOCKS and (over > -SUNK - 0.06).all()
    assert faded(FADES) == 1 and faded(REACH) < 1e-9
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, Camera((30.0, 30.0, 9.0), (0.0, 1.0, -0.1))))
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, Camera(eye, (0.0, 1.0, -0.1))))
    assert np.array_equal(stage.parts()["near ground"].mesh()[0], first)
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, Camera((3.0, 1.0, 60.0), (0.0, 1.0, -0.1))))
    assert "near ground" not in stage.parts()


def test_nothing_stands_up_under_what_is_built_and_under_water() -> None:
    deck = Built(id="d", name="Deck", kind="boardwalk", line=[(-10, 0), (10, 0)], width=2.0, deck=9.0)
    for more, where in (({"built": [deck]}, shapely.box(-9, -0.8, 9, 0.8)),
                        ({"sea": Sea(level=30.0)}, shapely.box(-60, -60, 60, 60))):  # fmt: skip
        high = float(GROUND.height(np.zeros(1), np.zeros(1))[0]) + 1.6
        near = stage_from(place(**more), (0.0, 0.0, high)).parts()["near ground"]
        at = near.mesh()[0].astype(float) + near.transforms[0, 9:]
        inside = shapely.contains_xy(where, at[:, 0], at[:, 1])
        over = at[inside, 2] - GROUND.height(at[inside, 0], at[inside, 1])
        assert inside.sum() > 500 and over.max() < 0


# -- what was trodden down --------------------------------------------------------------------------------


def test_a_frame_depends_on_what_went_through_its_plants_before() -> None:
    meadow = Stand(id="m", name="M", kind="grass", per_hectare=9000, height=0.4)

    def prints(early: float) -> list[str]:
        keys = tuple(Key(t=t, v=v, join="straight") for t, v in ((0.0, 0.0), (0.2, early), (0.4, 6.0), (1.0, 6.0)))
        ball = Thing(id="b", name="Ball", shape=Shape(kind="ball", width=0.5), up=6.0, east=Channel(keys=keys))
        setting = place(meadow, things=[ball])
        shot = setting.place.shots[0]
        return footprints(setting, shot, range(1, shot.frames + 1), 1)

    one, other = prints(1.0), prints(4.0)
    # the ball stands where it stood from 0.4 s on, but the grass that it went through still rises
    assert one[0] != other[0] or one[1] != other[1]
    assert all(a != b for a, b in zip(one[12:], other[12:], strict=True))
    assert prints(1.0) == one
