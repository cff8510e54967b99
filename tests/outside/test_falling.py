"""Rain and snow against published laws of drops, and where they are against themselves."""

import numpy as np
import pytest

from lumwick.air.falling import (
    Kind,
    covered,
    drop_speed,
    drops_by_size,
    flakes_by_size,
    kinds_of,
    soaked,
    veil,
)
from lumwick.trace.drops import Seen, in_the_air

EYE = Seen(np.array([120.0, -40.0, 7.0]), np.array([0.0, 1.0, 0.0]), 0.7)


@pytest.mark.parametrize(("mm", "speed"), [(1.0, 4.03), (2.0, 6.49), (3.0, 8.06), (4.0, 8.83), (5.0, 9.09)])
def test_drops_fall_as_fast_as_they_were_measured(mm: float, speed: float) -> None:
    assert drop_speed(mm) == pytest.approx(speed, rel=0.03)  # Gunn and Kinzer (1949), from memory


def test_drops_fall_by_another_published_law_too() -> None:
    # Brandes et al. (2002), as the library disdrodb 1.0.1 has it (its wheel needs a hundred megabytes of others)
    d = np.linspace(1.0, 5.5, 30)
    theirs = -0.1021 + 4.932 * d - 0.9551 * d**2 + 0.07934 * d**3 - 0.002362 * d**4
    assert drop_speed(d) == pytest.approx(theirs, rel=0.06)


@pytest.mark.parametrize("rate", [1.0, 5.0, 25.0])
def test_drops_add_up_to_the_rain_that_was_asked_for(rate: float) -> None:
    # Marshall and Palmer (1948), with their own 8000 within a fifth
    assert drops_by_size(0.0, rate) == pytest.approx(8000.0, rel=0.2)
    # the rain that a spectrum N0 exp(-L D) brings with Atlas's speeds, integrated by hand: D^3 exp(-L D) gives 6 / L^4
    slope = 4.1 * rate**-0.21
    falls = np.pi / 6 * 6 * (9.65 / slope**4 - 10.3 / (slope + 0.6) ** 4) * 3.6e-3
    assert drops_by_size(0.0, rate) * falls == pytest.approx(rate, rel=0.02)
    # and the water in the air: 0.089 R^0.84 g/m3 (Marshall and Palmer 1948)
    d = np.linspace(0.0, 12.0, 4000)
    water = np.trapezoid(drops_by_size(d, rate) * np.pi / 6 * d**3, d) * 1e-3
    assert water == pytest.approx(0.089 * rate**0.84, rel=0.2)


@pytest.mark.parametrize("rate", [0.5, 1.5, 4.0])
def test_flakes_add_up_to_the_water_that_was_asked_for(rate: float) -> None:
    # Gunn and Marshall (1958) with flakes at 1 m/s; within a third, as their spectrum is
    d = np.linspace(0.01, 12.0, 4000)
    assert np.trapezoid(flakes_by_size(d, rate) * np.pi / 6 * d**3, d) * 3.6e-3 == pytest.approx(rate, rel=0.35)


def test_how_far_one_sees_in_rain_and_snow() -> None:
    assert 2.996 / veil(10.0, 0.0) == pytest.approx(2700, rel=0.05)  # Atlas (1953): 11.6 R^-0.63 km
    assert 2.996 / veil(0.0, 1.0) == pytest.approx(900, rel=0.05)  # about 1 km in snow of 1 mm/h (practice)
    assert veil(0.0, 0.0) == 0.0


def test_as_many_drops_fill_the_air_as_the_spectrum_says() -> None:
    kinds = kinds_of(8.0, 0.0)
    told, number = in_the_air(kinds[:4], EYE, [(0.3, 0.1)] * 4, 3.0, None, 0.02, 5, most=200_000)
    for k, kind in enumerate(kinds[:4]):
        share = (1 - 0.7) / 2  # of the sphere that the cone takes up
        there = 4 / 3 * np.pi * kind.reach**3 * share * kind.number
        assert (number == k).sum() == pytest.approx(there, rel=0.25, abs=4 * np.sqrt(there) + 2)
    assert told[:, 5] == pytest.approx(-0.02 * np.array([kinds[k].speed for k in number]))


def test_a_frame_alone_has_the_drops_that_it_has_in_a_row() -> None:
    kinds = kinds_of(12.0, 0.5)
    slants = [(0.4, -0.2)] * len(kinds)
    row = [in_the_air(kinds, EYE, slants, t, None, 0.01, 9)[0] for t in (1.0, 1.04, 1.08)]
    assert (in_the_air(kinds, EYE, slants, 1.08, None, 0.01, 9)[0] == row[2]).all()
    # and a drop of one frame is in the next where its fall has brought it
    kinds = kinds_of(12.0, 0.0)
    one = in_the_air(kinds[:1], EYE, slants[:1], 1.0, None, 0.01, 9)[0]
    later = in_the_air(kinds[:1], EYE, slants[:1], 1.04, None, 0.01, 9)[0]
    way = np.array([0.4, -0.2, -1.0]) * kinds[0].speed * 0.04
    meets = np.array([np.linalg.norm(later[:, :3] - spot - way, axis=1).min() for spot in one[:, :3]])
    assert (meets < 1e-6).mean() > 0.7  # the others have left the cone


def test_a_clip_that_closes_ends_with_the_drops_that_it_began_with() -> None:
    kinds = kinds_of(6.0, 1.0)
    slants = [(0.2, 0.1)] * len(kinds)
    first, last = (in_the_air(kinds, EYE, slants, t, 4.0, 0.01, 2)[0] for t in (0.0, 4.0))
    assert np.sort(first, 0) == pytest.approx(np.sort(last, 0), abs=1e-6)


@pytest.mark.parametrize("kind", [Kind(0.5, 0.02, 0.9, 0.3, 1.0, 14.0, 2), Kind(2.0, 0.001, 0.02, 0.1, 0.6, 4.0, 2)])
def test_what_falls_slowly_fills_the_air_of_a_short_loop_too(kind: Kind) -> None:
    there = 4 / 3 * np.pi * kind.reach**3 * (1 - 0.7) / 2 * kind.number
    for t in (0.0, 1.3):
        told, _ = in_the_air([kind], EYE, [(0.5, 0.0)], t, 2.5, 0.01, 3)
        assert len(told) == pytest.approx(there, rel=0.3, abs=4 * np.sqrt(there))
        assert np.ptp(told[:, 2]) > kind.reach  # and not a sheet at the eye's height


def test_no_more_drops_than_are_drawn_and_none_without_rain() -> None:
    kinds = kinds_of(150.0, 0.0)
    assert len(in_the_air(kinds, EYE, [(0.0, 0.0)] * len(kinds), 0.0, None, 0.01, 1)[0]) <= 20_000
    assert kinds_of(0.0, 0.0) == []
    assert in_the_air([], EYE, [], 0.0, None, 0.01, 1)[0].shape == (0, 6)


def test_ground_wets_in_a_minute_and_dries_in_half_an_hour() -> None:
    t = np.linspace(0.0, 5400.0, 541)
    rain = np.where((t > 600) & (t < 1800), 4.0, 0.0)
    wet = soaked(t, rain, 1800.0)
    assert wet[0] == 0
    assert wet[np.searchsorted(t, 720)] > 0.8
    assert wet[np.searchsorted(t, 1790)] > 0.95
    assert 0.2 < wet[np.searchsorted(t, 1800 + 1800)] / wet[np.searchsorted(t, 1800)] < 0.5
    assert soaked(np.array([0.0, 0.0]), np.array([4.0, 4.0]), 1800.0)[-1] > 0.95  # it has rained like this for ever


def test_snow_settles_by_what_fell_and_lay() -> None:
    t = np.linspace(0.0, 36000.0, 100)
    snow = covered(t, np.full(100, 2.0), 0.0)
    assert snow[0] == 0
    assert (np.diff(snow) > 0).all()
    assert snow[-1] > 0.85
    assert covered(np.zeros(2), np.zeros(2), 30.0)[-1] > 0.9
