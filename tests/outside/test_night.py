"""Moon, stars and twilight against other libraries and handbooks."""

import datetime as dt

import astronomy
import numpy as np
import pytest

from lumwick.air.atmosphere import NIGHT_CD, clear_sky, sky_illuminance
from lumwick.air.bands import LUMA
from lumwick.air.medium import densities
from lumwick.air.moon import moon_face, moon_position
from lumwick.air.starry import star_list, to_place
from lumwick.air.sun import julian_day

SPOTS = [(50.0, 0.0), (-33.9, 18.4), (68.0, 25.0), (1.3, 103.8)]


def there(when: dt.datetime, latitude: float, longitude: float) -> tuple[astronomy.Time, astronomy.Observer]:
    return astronomy.Time.Make(when.year, when.month, when.day, when.hour, when.minute, 0), astronomy.Observer(
        latitude, longitude, 0.0
    )


def apart(one: tuple[float, float], other: tuple[float, float]) -> float:
    """Angle between two azimuths and elevations [degrees]."""
    a, b = np.radians(one), np.radians(other)
    cos = np.sin(a[1]) * np.sin(b[1]) + np.cos(a[1]) * np.cos(b[1]) * np.cos(a[0] - b[0])
    return float(np.degrees(np.arccos(min(1.0, cos))))


@pytest.mark.parametrize("spot", SPOTS)
def test_the_moon_stands_where_another_library_says(spot: tuple[float, float]) -> None:
    for days in range(0, 365, 13):
        when = dt.datetime(2026, 1, 5, 19, 30) + dt.timedelta(days=days)
        time, seen = there(when, *spot)
        equator = astronomy.Equator(astronomy.Body.Moon, time, seen, True, True)
        theirs = astronomy.Horizon(time, seen, equator.ra, equator.dec, astronomy.Refraction.Normal)
        ours = moon_position(when, *spot)
        if theirs.altitude > 2:  # below, the two libraries' airs differ
            assert apart((ours.azimuth, ours.elevation), (theirs.azimuth, theirs.altitude)) < 0.05
        told = astronomy.Illumination(astronomy.Body.Moon, time)
        assert ours.lit == pytest.approx(told.phase_fraction, abs=0.012)  # theirs is told from the earth's middle
        assert ours.lux == pytest.approx(2.54e-6 * 10 ** (-0.4 * told.mag), rel=0.25)


def test_a_moon_of_the_almanac() -> None:
    moon = moon_position(dt.datetime(2024, 6, 21, 22), 50.0, 0.0)  # 6.686 without air, by astronomy-engine
    assert moon.azimuth == pytest.approx(154.766, abs=0.05)
    assert moon.elevation == pytest.approx(6.686 + 0.12, abs=0.05)


def test_the_phases_of_a_year() -> None:
    quarter = astronomy.SearchMoonQuarter(astronomy.Time.Make(2026, 1, 1, 0, 0, 0))
    for _ in range(48):
        when = quarter.time.Utc().replace(tzinfo=None)
        moon = moon_position(when, 0.0, 0.0)
        assert moon.lit == pytest.approx((0.0, 0.5, 1.0, 0.5)[quarter.quarter], abs=0.012)
        quarter = astronomy.NextMoonQuarter(quarter)


def test_moonlight_of_a_full_and_of_a_half_moon() -> None:
    # handbooks: a full moon high up gives 0.25 to 0.32 lx outside the air, a half moon about a tenth (Allen 1973, from
    # memory)
    full = moon_position(dt.datetime(2026, 1, 3, 10), 0.0, 0.0)
    half = moon_position(dt.datetime(2026, 1, 26, 5), 0.0, 0.0)
    assert 0.24 < full.lux < 0.36
    assert 0.05 < half.lux / full.lux < 0.14


def test_the_waxing_moon_is_lit_towards_the_sun() -> None:
    moon = moon_position(dt.datetime(2026, 2, 23, 19), 50.0, 0.0)  # evening, some days after new
    face = moon_face(moon)
    turn = np.radians(moon.limb - moon.pole)
    at = (np.arange(len(face)) + 0.5) / len(face) * 2 - 1
    x, y = np.meshgrid(at, -at)
    middle = np.array([(face * x).sum(), (face * y).sum()]) / face.sum()
    assert np.degrees(np.arctan2(*middle)) == pytest.approx(np.degrees(turn), abs=6)
    assert 20 < moon.limb < 160  # its lit side looks down to where the sun has set in the west
    assert face[face > 0].mean() == pytest.approx(moon.lux / 0.314 * (moon.distance_km / 384400) ** 2, rel=0.05)


@pytest.mark.parametrize("hip", [91262, 32349, 11767, 69673, 24436, 30438, 80763])
def test_stars_stand_where_another_library_says(hip: int) -> None:
    listed = star_list()
    toward = listed.toward[listed.number == hip][0]
    ra, dec = float(np.degrees(np.arctan2(toward[1], toward[0])) % 360 / 15), float(np.degrees(np.arcsin(toward[2])))
    astronomy.DefineStar(astronomy.Body.Star1, ra, dec, 1000.0)
    for latitude, longitude in SPOTS:
        for hours in range(0, 24 * 300, 731):
            when = dt.datetime(2026, 1, 1) + dt.timedelta(hours=hours)
            time, seen = there(when, latitude, longitude)
            equator = astronomy.Equator(astronomy.Body.Star1, time, seen, True, True)
            theirs = astronomy.Horizon(time, seen, equator.ra, equator.dec, astronomy.Refraction.Airless)
            v = to_place(julian_day(when), latitude, longitude) @ toward
            ours = float(np.degrees(np.arctan2(v[0], v[1]))), float(np.degrees(np.arcsin(v[2])))
            assert apart(ours, (theirs.azimuth, theirs.altitude)) < 0.02


def test_stars_turn_once_in_a_sidereal_day_about_the_pole() -> None:
    start = julian_day(dt.datetime(2026, 5, 1, 22))
    first, later = (to_place(jd, 50.0, 0.0) for jd in (start, start + 0.99726957))  # 23 h 56 min 4.09 s
    assert np.degrees(np.abs(first - later)).max() < 0.001
    pole = first @ np.array([0.0, 0.0, 1.0])
    assert np.degrees(np.arcsin(pole[2])) == pytest.approx(50.0, abs=0.2)
    hour = to_place(start + 1 / 24, 50.0, 0.0)
    east = first @ np.array([1.0, 0.0, 0.0])
    assert (hour @ np.array([1.0, 0.0, 0.0]) - east) @ np.cross(pole, east) < 0  # against the clock, as seen northwards


def test_the_brightest_star_and_how_many_there_are() -> None:
    listed = star_list()
    assert listed.number[np.argmax(listed.lux @ LUMA)] == 32349  # Sirius, of magnitude -1.46
    assert (listed.lux @ LUMA).max() == pytest.approx(2.54e-6 * 10 ** (0.4 * 1.46), rel=0.03)
    assert len(listed.number) > 5000


@pytest.mark.parametrize(("height", "lux"), [(0.0, 730.0), (-3.0, 68.0), (-6.0, 3.4), (-9.0, 0.11), (-12.0, 0.0083)])
def test_twilight_on_level_ground(height: float, lux: float) -> None:
    # Brown, Natural Illumination Charts (1952) and the Explanatory Supplement; from memory. -3 and -9 by interpolation
    sky = clear_sky(0.0, height)
    ours = float(LUMA @ (sky_illuminance(sky) + np.pi * NIGHT_CD))
    assert lux / 1.5 < ours < lux * 1.5


def test_a_moonless_night_after_twilight() -> None:
    ours = float(LUMA @ (sky_illuminance(clear_sky(0.0, -18.0)) + np.pi * NIGHT_CD))
    assert 4e-4 < ours < 1.2e-3  # 0.0006 to 0.001 lx, from memory


@pytest.mark.parametrize(
    ("km", "ratio"), [(5.5, 0.5697), (11.0, 0.2971), (20.0, 0.0726), (32.0, 0.01107), (50.0, 8.38e-4)]
)
def test_air_is_as_dense_as_the_standard(km: float, ratio: float) -> None:
    assert densities(km * 1000.0)[0] == pytest.approx(ratio, rel=0.02)  # U.S. Standard Atmosphere 1976, from memory
