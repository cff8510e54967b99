"""A survey's first picture: relief made up below its spacing, covers by the lie of the land, groves, an outlook, a low
sun, a calm flight."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.air.sun import julian_day, sun_position
from lumwick.growth.scatter import scatter
from lumwick.land.covers import DRY, LUSH, ROCK, albedo, lie_of
from lumwick.land.detail import FINE_ENOUGH, POINTS_AT_MOST, parts_of, refined
from lumwick.land.elevation import Survey, read_ground
from lumwick.land.ground import Ground, far_ring
from lumwick.land.view import lit_share, outlook
from lumwick.newplace import place_from_survey, tree_line
from lumwick.place.growing import Stand
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.ride import check
from lumwick.snapshot.sun_moon import sun_at

Floats = NDArray[np.float64]


def rough(shape: tuple[int, int], spacing: float, hurst: float, seed: int = 4) -> Ground:
    """Self-affine ground, by its spectrum."""
    rng = np.random.default_rng(seed)
    k = np.hypot(*np.meshgrid(np.fft.fftfreq(shape[0]), np.fft.fftfreq(shape[1]), indexing="ij"))
    k[0, 0] = np.inf
    heights = np.fft.ifft2(np.fft.fft2(rng.standard_normal(shape)) * k ** -(1 + hurst)).real
    heights *= 60 / heights.std()
    return Ground(np.ascontiguousarray(heights, np.float32), spacing, 0.0, 0.0)


def structure(heights: Floats, lag: int) -> float:
    """Root mean square difference over a lag in cells."""
    return float(np.sqrt(np.mean((heights[:, lag:] - heights[:, :-lag]) ** 2)))


def test_refined_ground_keeps_the_surveys_points_and_is_the_same_each_time() -> None:
    survey = rough((61, 71), 24.0, 0.8)
    fine = refined(survey, 3)
    n = parts_of(survey)
    assert n == 8 and fine.spacing == 3.0 and fine.heights.shape == (481, 561)
    assert np.array_equal(fine.heights[::n, ::n], survey.heights)
    assert fine.bounds == survey.bounds
    assert np.array_equal(refined(survey, 3).heights, fine.heights)
    assert not np.array_equal(refined(survey, 4).heights, fine.heights)


def test_what_is_made_up_is_as_rough_as_self_affine_land_would_be() -> None:
    # the truth: land of known exponent, of which every eighth point is surveyed
    truth = rough((1025, 1025), 3.0, 0.8)
    survey = Ground(np.ascontiguousarray(truth.heights[::8, ::8]), 24.0, 0.0, 0.0)
    fine = refined(survey, 3).heights.astype(float)
    inner = (slice(80, -80), slice(80, -80))
    made, true = fine[inner], truth.heights.astype(float)[inner]
    plain = ndimage.zoom(survey.heights.astype(float), 1025 / 129, order=3)[inner]
    for lag in (1, 2, 4):
        assert 0.6 < structure(made, lag) / structure(true, lag) < 1.6
    assert structure(plain, 1) < 0.75 * structure(true, 1)  # a smooth sheet is not


def test_a_fine_or_huge_survey_is_left_as_it_is() -> None:
    fine = rough((65, 65), FINE_ENOUGH, 0.8)
    assert refined(fine, 3) is fine
    side = int(np.sqrt(POINTS_AT_MOST / 2))
    huge = Ground(np.zeros((side, side), np.float32), 30.0, 0.0, 0.0)
    assert parts_of(huge) == 1
    flat = refined(Ground(np.full((40, 40), 7.0, np.float32), 20.0, 0.0, 0.0), 3)
    assert np.array_equal(flat.heights, np.full(flat.heights.shape, 7.0, np.float32))  # nothing is made up on a plain


def bowl() -> Ground:
    """A round hollow in a plain."""
    x = np.linspace(-400, 400, 201)
    r = np.hypot(*np.meshgrid(x, x))
    return Ground(np.asarray(40 * (1 - np.exp(-((r / 90) ** 2))), np.float32), 4.0, -400.0, -400.0)


def test_hollows_and_shady_sides_are_told() -> None:
    hollow, away = lie_of(bowl())
    assert hollow[100, 100] > 1 and hollow[100, 140] < 0 and abs(hollow[5, 5]) < 0.02
    # a bowl's southern side slopes north, away from the sun
    assert away[84, 100] > 0.5 and away[116, 100] < -0.5 and abs(away[5, 5]) < 0.02


def test_covers_go_by_the_lie_of_the_land() -> None:
    def mean_of(ground: Ground) -> Floats:
        return np.asarray(albedo(ground, "upland", None, 2.0, 1)[20:-20, 20:-20, :3].reshape(-1, 3).mean(0))

    y = np.arange(161) * 5.0
    north, south = (
        Ground(np.repeat((sign * 0.3 * y)[:, None], 161, 1).astype(np.float32), 5.0, 0.0, 0.0) for sign in (-1, 1)
    )
    steep = Ground(np.repeat((1.5 * y)[:, None], 161, 1).astype(np.float32), 5.0, 0.0, 0.0)
    # towards the sun it is dry: redder against green, as dry grass is against lush
    assert mean_of(south)[0] / mean_of(south)[1] > mean_of(north)[0] / mean_of(north)[1] + 0.05
    assert DRY[0] / DRY[1] > LUSH[0] / LUSH[1]
    assert mean_of(steep) == pytest.approx(np.array(ROCK), rel=0.12)
    cover = albedo(steep, "upland", None, 2.0, 1)
    assert cover[20:-20, 20:-20, 4].mean() < 0.05  # no sward on a rock face


def test_groves_cover_the_share_that_is_asked_and_lie_in_clumps() -> None:
    ground = Ground(np.zeros((201, 201), np.float32), 5.0, -500.0, -500.0)
    still = Stand(id="w", name="W", kind="alder", per_hectare=400, height=10, seed=3)
    everywhere = scatter(still, ground, ground.slope())
    groves = scatter(still.model_copy(update={"groves": 150.0, "groves_cover": 0.25}), ground, ground.slope())
    share = len(groves.turn) / len(everywhere.turn)
    assert share == pytest.approx(0.25, abs=0.03)

    def spread(position: Floats) -> float:
        """Variance over mean of the plants in squares of 50 m: 1 if they stand by chance alone."""
        counts, _, _ = np.histogram2d(position[:, 0], position[:, 1], bins=20, range=[(-500, 500)] * 2)
        return float(counts.var() / counts.mean())

    assert spread(groves.position) > 3 * spread(everywhere.position)
    again = scatter(still.model_copy(update={"groves": 150.0, "groves_cover": 0.25}), ground, ground.slope())
    assert np.array_equal(again.position, groves.position)


def test_groves_lie_in_hollows_first() -> None:
    y, x = np.mgrid[-600:600:241j, -600:600:241j]
    waves = Ground(np.asarray(25 * np.sin(x / 60) * np.sin(y / 60), np.float32), 5.0, -600.0, -600.0)
    stand = Stand(
        id="w", name="W", kind="alder", per_hectare=300, height=10, groves=90, groves_cover=0.2, slope_most=90, seed=3
    )
    stood = scatter(stand, waves, waves.slope())
    assert np.median(stood.position[:, 2]) < -5


@pytest.mark.parametrize("sea", [None, 12.0])
def test_the_first_flight_is_calm_keeps_off_the_ground_and_sees_far(sea: float | None) -> None:
    ground = rough((257, 257), 12.0, 1.0)
    ground = Ground(ground.heights - ground.heights.min(), 12.0, -1536.0, -1536.0)
    place, files = place_from_survey(Survey(ground, 52.0, 5.0), "First", sea)
    setting = Setting(place, read_ground(files[place.land.elevation.sha256]))
    shot = place.shots[0]
    assert shot.seconds == 12.0
    report = check(setting, shot)
    over = report["clearance"]["least"]
    assert over > 15 and report["speed"]["most"] < 0.7 * 70
    way = setting.camera_path(shot).at(np.linspace(0, 12, 25))
    moved = np.hypot(*(way.position[-1] - way.position[0])[:2])
    assert 20 < moved < 300  # it was 225 m/s once
    # the sun is low, and beside the view or behind it
    sun = sun_at(place, shot.clock.start)
    assert 8 < float(sun.elevation) < 22
    bearing = np.degrees(np.arctan2(way.forward[0, 0], way.forward[0, 1]))
    assert abs((float(sun.azimuth) - bearing + 180) % 360 - 180) > 45
    assert -12 < np.degrees(np.arcsin(way.forward[0, 2])) < 0  # the horizon is in view


def test_an_outlook_turns_to_the_hills_and_the_sun_reaches_what_it_lights() -> None:
    # a plain with a range along its northern edge
    y = np.linspace(-1500, 1500, 151)
    x = y[None, :]
    heights = np.clip((y[:, None] - 700) * 0.5, 0, 250) * (0.6 + 0.4 * np.sin(x / 150.0))
    ground = Ground(np.asarray(heights, np.float32), 20.0, -1500.0, -1500.0)
    view = outlook(ground, None, 12.0)
    assert abs((view.bearing + 180) % 360 - 180) <= 60
    assert lit_share(ground, view, 180.0, 30.0) > 0.9
    wall = Ground(
        np.where(np.abs(x - 0 * y[:, None] - view.begins[0] - 300) < 25, 400.0, 0.0).astype(np.float32),
        20.0,
        -1500.0,
        -1500.0,
    )
    assert lit_share(wall, view, 90.0, 15.0) < lit_share(wall, view, 90.0, 70.0)


def test_tree_line_falls_towards_the_poles() -> None:
    # practice: about 2 300 m in the Alps, 1 000 m in mid Norway
    assert tree_line(46.5) == pytest.approx(2300, abs=150) and tree_line(60.5) == pytest.approx(1000, abs=150)
    assert tree_line(-46.5) == tree_line(46.5) and tree_line(85) == 0.0


def test_the_sun_of_a_first_hour_in_the_south_is_a_summers() -> None:
    place, _ = place_from_survey(Survey(rough((65, 65), 12.0, 1.0), -41.0, 175.0), "South")
    clock: Any = place.shots[0].clock.start
    assert clock.month == 12
    noon = sun_position(julian_day(clock.replace(hour=0, minute=0)), -41.0, 175.0)
    assert float(noon.elevation) > 60


def test_land_beyond_a_survey_has_no_ribs() -> None:
    rng = np.random.default_rng(1)
    heights = ndimage.gaussian_filter(rng.standard_normal((129, 129)), 2)
    ground = Ground((20 * heights / heights.std()).astype(np.float32), 10.0, -640.0, -640.0)
    vertices, _ = far_ring(ground, None)
    ring = vertices.reshape(-1, 512, 3)
    uneven = [float(np.abs(np.diff(r[:, 2], 2)).mean()) for r in ring]
    assert uneven[6] < 0.3 * uneven[0] and uneven[10] < 0.05 * uneven[0]
