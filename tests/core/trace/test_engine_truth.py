"""That the integrator goes to one picture, whatever it is asked to hurry, and that what is kept between processes is
found again."""

import copy
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import shapely
from PIL import Image

from lumwick.deliver.stills import read_png, write_png
from lumwick.demo import saltmere
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of, look_at
from lumwick.picture import frame_picture, load_setting, picture_at
from lumwick.place.nature import Air
from lumwick.place.objects import Built
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.planted import area_shapes
from lumwick.trace import embree
from lumwick.trace import furnish as furnishing
from lumwick.trace.integrator.rays import meets_box
from lumwick.trace.integrator.skylight import pick_sky, sky_light
from lumwick.trace.materials import plain_material
from lumwick.trace.part import IDENTITY, Part, boxes
from lumwick.trace.quality import QUALITIES
from lumwick.trace.sampling import pair
from lumwick.trace.stage import Stage
from lumwick.trace.world import MODEL
from scripts.stills import AIRS, SKIES
from tests.conftest import small_place
from tests.core.lens.test_surfaces_and_lens import exposed
from tests.outside.test_rendered import flat, quad

AHEAD = Camera(np.array([0.0, 0.0, 30.0]), direction_of(0.0, 0.0), 35.0, 2.0, 8.0, 14.0)


@pytest.fixture
def room() -> Stage:
    """Cards at several distances before an open lens, lit by sun, sky and each other."""
    _, stage = flat(air=Air(haze=0.1))
    stage.add_target("wall", *quad(-60, 40.0, -20, 60, 40.0, 90), (0.6, 0.5, 0.4))
    stage.add_target("card", *quad(-3, 12.0, 26, 2, 12.0, 31), (0.2, 0.4, 0.7))
    stage.add_target("floor", *quad(-60, -10, 27, 60, 40, 27), (0.5, 0.5, 0.5))
    glossy = plain_material((0.3, 0.3, 0.3), 0.3)
    stage.add_target("gloss", *quad(1, 9.0, 26, 5, 9.0, 29.5), material=glossy)
    return stage


def test_two_exposures_come_together_as_samples_are_added(room: Stage) -> None:
    apart = {}
    for samples in (32, 512):
        one, two = (exposed(room, AHEAD, samples, (48, 27), seed=seed, bounces=2).mean(-1) for seed in (1, 2))
        apart[samples] = float(np.sqrt(np.mean(((one - two) / (one + two)) ** 2)))
    # sixteen times the samples, a quarter of the noise or less: nothing but noise keeps two exposures apart
    assert apart[512] < 0.3 * apart[32]


def test_a_half_clear_surface_is_half_way_between_clear_and_matt() -> None:
    readings = []
    for clear in (0.0, 0.5, 1.0):
        _, stage = flat(air=Air(haze=0.1))
        glow = plain_material(
            (0.0, 0.0, 0.0)
        )  # light that does not go through the pane before it comes back through it
        glow["emission"] = 60000.0
        stage.add_target("wall", *quad(-60, 40.0, -20, 60, 40.0, 90), material=glow)
        material = plain_material((0.8, 0.8, 0.8), 0.5)
        material["transmission"], material["thin"] = clear, 1.0
        stage.add_target("pane", *quad(-60, 12.0, -20, 60, 12.0, 90), material=material)
        readings.append(float(exposed(stage, replace(AHEAD, f_number=22.0), 128, (48, 27), bounces=1).mean()))
    assert (
        readings[1] == pytest.approx((readings[0] + readings[2]) / 2, rel=0.03)
        and abs(readings[0] - readings[2]) > 0.2 * readings[0]
    )


def test_boxes_round_what_is_pierced() -> None:
    scene = embree.Scene()
    scene.attach(
        0,
        embree.mesh(
            embree.padded(np.array([[-1, -2, -3], [1, -2, 3], [1, 2, 3], [-1, 2, -3]], np.float32)),
            np.array([[0, 1, 2, 3]], np.uint32),
        ),
    )
    scene.commit()
    assert scene.bounds() == pytest.approx(np.array([[-1, -2, -3], [1, 2, 3]]), abs=1e-5)
    quarter = IDENTITY.copy()
    quarter[:9] = [0, 1, 0, -1, 0, 0, 0, 0, 1]  # x goes to y
    quarter[9:] = [10, 20, 30]
    found = boxes([Part(MODEL, scene), Part(MODEL, scene, quarter[None])])
    assert found[0] == pytest.approx([-1, -2, -3, 1, 2, 3], abs=0.011) and found[1] == pytest.approx(
        [8, 19, 27, 12, 21, 33], abs=0.011
    )
    many = boxes([Part(MODEL, scene, np.repeat(quarter[None], 40, 0))])
    assert many.shape == (1, 6) and boxes([]).shape == (0, 6)


def test_a_ray_meets_a_box_where_points_along_it_lie_inside() -> None:
    rng = np.random.default_rng(4)
    low = rng.uniform(-3, 0, (3, 3))
    some = np.concatenate([low, low + rng.uniform(0.5, 3, (3, 3))], 1).astype(np.float32)
    met = 0
    for _ in range(400):
        o, d, reach = rng.uniform(-4, 4, 3), rng.normal(size=3), rng.uniform(0.5, 8)
        d /= np.linalg.norm(d)
        if rng.random() < 0.2:
            d = np.eye(3)[rng.integers(3)]
        points = o + np.linspace(0, reach, 4001)[:, None] * d
        inside = any(((points > b[:3] + 1e-4) & (points < b[3:] - 1e-4)).all(1).any() for b in some)
        outside = not any(((points > b[:3] - 4e-3) & (points < b[3:] + 4e-3)).all(1).any() for b in some)
        answer = bool(meets_box(some, o, d, reach))
        assert answer or not inside
        assert not answer or not outside
        met += answer
    assert 40 < met < 360


def test_equal_places_are_the_same_to_what_is_kept(marsh: Ground, monkeypatch: pytest.MonkeyPatch) -> None:
    other = Ground(marsh.heights.copy(), marsh.spacing, marsh.west, marsh.south)
    assert other.fingerprint == marsh.fingerprint != replace(marsh, spacing=marsh.spacing + 1).fingerprint
    higher = replace(marsh, heights=marsh.heights + np.float32(0.01))
    assert higher.fingerprint != marsh.fingerprint
    place = small_place(built=[Built(id="j", name="Jetty", kind="jetty", line=[(0, 0), (0, 20)], deck=6.0)])
    first, second, third = (Stage(Setting(place, ground)) for ground in (marsh, other, higher))
    keys = [[s.key for s in stage.stands.stand_states] for stage in (first, second, third)]
    assert keys[0] and keys[0] == keys[1] != keys[2]

    def never(*_: Any) -> None:
        raise AssertionError("built again")

    monkeypatch.setattr(furnishing, "build", never)
    again = Stage(Setting(place, copy.deepcopy(marsh)))
    assert np.array_equal(again.parts()["built j"].tone, first.parts()["built j"].tone)


@pytest.fixture(scope="module")
def demo() -> Stage:
    return Stage(load_setting(saltmere()))


def test_the_sky_is_sampled_as_well_as_the_points_are_spread(demo: Stage) -> None:
    demo.set(evaluate(demo.setting, demo.setting.place.shot("boardwalk"), 0.0))
    w, rows = demo.world.lights, range(12)
    sun = w.sun[0]

    def level_light(pixel: int, samples: int, chance: np.random.Generator | None = None) -> float:
        d, c, total = np.zeros(3), np.zeros(3), 0.0
        for n in range(samples):
            u, v = pair(pixel, n, 4) if chance is None else chance.random(2)
            density = pick_sky(w.sky_pick, w.sky_pmf, 0.0, float(sun["azimuth"]), u, v, d)
            sky_light(w.panorama, w.lit_sky, sun, d[0], d[1], d[2], c)
            total += c[1] * d[2] / density
        return total / samples

    ours = np.array([level_light(65536 * k + 40503, 128) for k in rows])
    dice = np.array([level_light(0, 128, np.random.default_rng(k)) for k in rows])
    assert ours.mean() == pytest.approx(dice.mean(), rel=0.04)
    assert ours.std() < 0.6 * dice.std() and ours.std() < 0.02 * ours.mean()


def test_every_digit_of_a_sample_is_its_own() -> None:
    for dimension in (0, 4, 12):
        for samples in (64, 512):
            points = np.array([pair(991, n, dimension) for n in range(samples)])
            # a net: each strip of 1 / samples holds one point, by either number
            for c in (0, 1):
                assert sorted((points[:, c] * samples).astype(int)) == list(range(samples))
                # and within its strip it may lie anywhere
                counts = np.histogram(points[:, c] * samples % 1, 4, (0, 1))[0]
                assert counts.min() > 0.1 * samples


@pytest.mark.parametrize("shot_id", [s.id for s in saltmere()[0].shots])
def test_no_picture_of_the_demo_is_black_or_flat(demo: Stage, shot_id: str) -> None:
    shot = demo.setting.place.shot(shot_id)
    for frame in (1, shot.frames // 2, shot.frames):
        picture = frame_picture(demo, shot, frame, (64, 36), QUALITIES["sketch"])
        assert picture is not None
        grey = picture.pixels @ np.array([0.2126, 0.7152, 0.0722])
        assert 25 < grey.mean() < 215 and grey.std() > 12, (
            f"frame {frame}: mean {grey.mean():.0f}, spread {grey.std():.0f}"
        )
        assert (grey < 8).mean() < 0.5, f"frame {frame}: {100 * (grey < 8).mean():.0f} % black"
        assert (grey > 252).mean() < 0.3, f"frame {frame}: {100 * (grey > 252).mean():.0f} % burnt out"


def test_nothing_grows_through_a_floor(demo: Stage) -> None:
    floors = area_shapes(demo.setting)
    seen = 0
    for stand_state in demo.stands.stand_states:
        for batch in stand_state.batches:
            if batch.side and len(batch.plants.turn):
                x, y, half = batch.plants.position[:, 0], batch.plants.position[:, 1], batch.side / 2
                squares = shapely.box(x - half, y - half, x + half, y + half)
                assert not any(shapely.intersects(floor, squares).any() for floor in floors)
                seen += len(squares)
    assert seen > 10000


def test_the_stills_of_the_readme_stand_where_there_is_something_to_see(demo: Stage, tmp_path: Any) -> None:
    ground = demo.setting.ground
    for _hour, eye, aim, *_rest in (*AIRS, *SKIES):
        assert eye[2] > float(ground.height(eye[0], eye[1])) + 0.5 and np.hypot(aim[0] - eye[0], aim[1] - eye[1]) > 3
    _, eye, aim, focal, *_rest = AIRS[1]
    camera = Camera(np.array(eye, float), look_at(np.array(eye, float), np.array(aim, float)), focal)
    seen = picture_at(demo, demo.setting.place.shot("boardwalk"), 2.0, (96, 54), QUALITIES["sketch"], camera)
    assert seen is not None
    picture = seen.pixels
    assert picture.shape == (54, 96, 3) and 40 < picture.mean() < 215 and picture.std() > 10
    write_png(tmp_path / "still.png", picture)
    assert np.array_equal(
        read_png(tmp_path / "still.png"), np.asarray(Image.open(tmp_path / "still.png"))
    ) and np.array_equal(read_png(tmp_path / "still.png"), picture)
