"""The sun against published and reference positions."""

import datetime as dt

import numpy as np
import pandas as pd
import pvlib
import pytest

from lumwick.air.sun import julian_day, sun_day, sun_position


def test_worked_example_of_the_solar_position_algorithm() -> None:
    # Reda and Andreas, NREL/TP-560-34302, table A5.1: zenith 50.11162, azimuth 194.34024 degrees
    p = sun_position(julian_day(dt.datetime(2003, 10, 17, 19, 30, 30)), 39.742476, -105.1786, 1830.14, 820.0, 11.0)
    assert 90 - p.elevation == pytest.approx(50.11162, abs=0.02)
    assert p.azimuth == pytest.approx(194.34024, abs=0.02)


def test_the_seen_sun_sets_without_a_step_and_ends_where_it_truly_is() -> None:
    # refraction after the disc has set is ours; above it is pvlib's, under -6 degrees there is none, and between
    # nothing jumps
    start = julian_day(dt.datetime(2026, 6, 5, 20, 20))
    p = sun_position(start + np.arange(0, 5400, 2.0) / 86400, 54.6, -3.5)
    step, true_step = np.diff(p.elevation), np.diff(p.true_elevation)
    assert p.true_elevation[0] > 1 and p.true_elevation[-1] < -6 and (step < 0).all()
    assert np.abs(step / true_step - 1).max() < 0.3
    assert p.elevation[-1] == pytest.approx(p.true_elevation[-1], abs=1e-9)


def test_against_pvlib_spa_for_200_places_and_dates() -> None:
    # reference: pvlib.solarposition.spa_python (NREL SPA), apparent elevation, same pressure and temperature
    rng = np.random.default_rng(7)
    seen = 0
    for _ in range(400):
        lat, lon = rng.uniform(-80, 80), rng.uniform(-180, 180)
        when = dt.datetime(1951, 1, 1) + dt.timedelta(seconds=float(rng.uniform(0, 365.25 * 86400 * 110)))
        ref = pvlib.solarposition.spa_python(
            pd.DatetimeIndex([when], tz="UTC"), lat, lon, altitude=0, pressure=101000, temperature=10, delta_t=None
        ).iloc[0]
        if ref.apparent_elevation <= 0:
            continue
        ours = sun_position(julian_day(when), lat, lon)
        assert ours.elevation == pytest.approx(ref.apparent_elevation, abs=0.02)
        across = ((ref.azimuth - ours.azimuth + 180) % 360 - 180) * np.cos(np.radians(ref.apparent_elevation))
        assert abs(across) < 0.02
        seen += 1
        if seen == 200:
            return
    pytest.fail("too few cases above the horizon")


def test_rise_and_set_against_pvlib() -> None:
    # reference: pvlib.solarposition.spa_python, true elevation; to one minute
    rng = np.random.default_rng(3)
    for _ in range(12):
        lat, lon = rng.uniform(-60, 60), rng.uniform(-170, 170)
        date = dt.date(2026, 1, 1) + dt.timedelta(days=int(rng.integers(0, 365)))
        offset = round(lon / 15)
        day = sun_day(date, lat, lon, offset)
        for ours, rising in ((day.sunrise, 1), (day.sunset, -1)):
            assert ours is not None
            # a minute either side of our event, the reference's sun stands either side of -0.8333 degree
            times = pd.DatetimeIndex(
                [ours - dt.timedelta(hours=offset) + dt.timedelta(seconds=k) for k in (-60, 60)], tz="UTC"
            )
            before, after = pvlib.solarposition.spa_python(times, lat, lon).elevation - (-0.8333)
            assert before * rising < 0 < after * rising


@pytest.mark.parametrize(("date", "always"), [(dt.date(2026, 6, 21), "up"), (dt.date(2026, 12, 21), "down")])
def test_polar_day_and_night(date: dt.date, always: str) -> None:
    day = sun_day(date, 75.0, 20.0, 1.0)
    assert day.sunrise is None and day.sunset is None and day.always == always
