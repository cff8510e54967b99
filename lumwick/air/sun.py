"""Where the sun stands: azimuth, elevation, rise and set, from date, hour and place."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

SUN_RADIUS_DEG = 0.2666
RISE_ELEVATION = -0.8333
NO_LONGER_LIFTED = 6.0
"""Degrees under the horizon from which refraction is left out."""


@dataclass(frozen=True)
class SunPosition:
    """Azimuth from north through east and elevation, arrays or scalars [degrees]."""

    azimuth: NDArray[np.float64]
    elevation: NDArray[np.float64]
    true_elevation: NDArray[np.float64]
    distance_au: NDArray[np.float64]


def julian_day(utc: dt.datetime) -> float:
    """Julian day of a naive UTC date and time."""
    return (utc - dt.datetime(2000, 1, 1, 12)).total_seconds() / 86400.0 + 2451545.0


def delta_t(year: ArrayLike) -> NDArray[np.float64]:
    """Terrestrial time minus universal time [s], good to some seconds from 1900 to 2100.

    References
    ----------
    Espenak and Meeus, Five Millennium Canon of Solar Eclipses (2006), polynomial for 2005-2050, with the
    table's round values before (from memory).
    """
    t = np.asarray(year, float) - 2000
    return np.where(
        t > 5,
        62.92 + 0.32217 * t + 0.005589 * t**2,
        np.interp(t, [-100, -80, -60, -40, -20, -10, 0, 5], [-3, 21, 24, 33, 51, 57, 63.9, 64.7]),
    )


def sidereal(jd: ArrayLike) -> NDArray[np.float64]:
    """Mean sidereal time at Greenwich [degrees], not brought into one turn (Meeus, chapter 12)."""
    days = np.asarray(jd, float) - 2451545.0
    return np.asarray(280.46061837 + 360.98564736629 * days + 0.000387933 * (days / 36525.0) ** 2)


def lift(elevation: ArrayLike, pressure_mbar: float = 1010.0, temperature_c: float = 10.0) -> NDArray[np.float64]:
    """By how much air lifts what stands at a true elevation [degrees]; see `sun_position`."""
    el = np.asarray(elevation, float)
    lifted = np.maximum(el, -(SUN_RADIUS_DEG + 0.5667))
    by = 1.02 / (60 * np.tan(np.radians(lifted + 10.3 / (lifted + 5.11))))
    by = by * (pressure_mbar / 1010.0) * (283.0 / (273.0 + temperature_c))
    fade = np.clip((el + NO_LONGER_LIFTED) / (NO_LONGER_LIFTED + lifted), 0.0, 1.0)
    return np.asarray(by * fade * fade * (3 - 2 * fade))


def flattened(elevation: float, radius: float = SUN_RADIUS_DEG) -> float:
    """Height over width of a disc whose middle stands at a true elevation [degrees]: air lifts its foot by more."""
    foot, head = lift([elevation - radius, elevation + radius])
    return max(0.4, 1.0 - float(foot - head) / (2 * radius))


def sun_position(
    jd_utc: ArrayLike,
    latitude: float,
    longitude: float,
    altitude: float = 0.0,
    pressure_mbar: float = 1010.0,
    temperature_c: float = 10.0,
) -> SunPosition:
    """Apparent position of the sun's centre.

    Parameters
    ----------
    jd_utc : array_like, shape (n,) [days]
        Julian days, universal time.
    latitude, longitude : float [degrees]
        North and east positive.
    altitude : float [m]
    pressure_mbar, temperature_c : float
        Of the air, for refraction.

    References
    ----------
    Meeus, Astronomical Algorithms, 2nd ed., chapters 22 (nutation, leading terms), 25 (solar coordinates,
    higher accuracy by the leading periodic terms), 40 (parallax); refraction as in Reda and Andreas,
    NREL/TP-560-34302, equation 42, which ends where the disc has set: from there the sun sinks on without a jump to
    where
    it truly stands at the end of civil twilight (ours, so that dusk has no step). Held to 0.02 degree against pvlib's
    SPA in tests/outside.
    """
    jd = np.asarray(jd_utc, float)
    jde = jd + delta_t(2000 + (jd - 2451545.0) / 365.25) / 86400.0
    t = (jde - 2451545.0) / 36525.0
    rad = np.radians
    l0 = 280.46646 + t * (36000.76983 + 0.0003032 * t)
    m = rad(357.52911 + t * (35999.05029 - 0.0001537 * t))
    e = 0.016708634 - t * (0.000042037 + 0.0000001267 * t)
    c = (
        (1.914602 - t * (0.004817 + 0.000014 * t)) * np.sin(m)
        + (0.019993 - 0.000101 * t) * np.sin(2 * m)
        + 0.000289 * np.sin(3 * m)
    )
    r = 1.000001018 * (1 - e * e) / (1 + e * np.cos(m + rad(c)))
    # the largest perturbations by Venus, Jupiter and the Moon (Meeus 1st ed., chapter 24, low-precision set)
    c = (
        c
        + 0.00134 * np.cos(rad(153.23 + 22518.7541 * t))
        + 0.00154 * np.cos(rad(216.57 + 45037.5082 * t))
        + 0.00200 * np.cos(rad(312.69 + 32964.3577 * t))
        + 0.00179 * np.sin(rad(350.74 + 445267.1142 * t))
    )
    omega = rad(125.04452 - 1934.136261 * t)
    ls, lm = rad(280.4665 + 36000.7698 * t), rad(218.3165 + 481267.8813 * t)
    dpsi = (-17.20 * np.sin(omega) - 1.32 * np.sin(2 * ls) - 0.23 * np.sin(2 * lm) + 0.21 * np.sin(2 * omega)) / 3600
    deps = (9.20 * np.cos(omega) + 0.57 * np.cos(2 * ls) + 0.10 * np.cos(2 * lm) - 0.09 * np.cos(2 * omega)) / 3600
    eps = rad(23.0 + (26 + 21.448 / 60) / 60 - t * (46.8150 / 3600 + t * 0.00059 / 3600) + deps)
    lam = rad(l0 + c + dpsi - 20.4898 / 3600 / r)
    ra = np.arctan2(np.cos(eps) * np.sin(lam), np.cos(lam))
    dec = np.arcsin(np.sin(eps) * np.sin(lam))
    h = rad(np.mod(sidereal(jd) + dpsi * np.cos(eps) + longitude, 360.0)) - ra
    phi = rad(latitude)
    u = np.arctan(0.99664719 * np.tan(phi))
    x = np.cos(u) + altitude / 6378140.0 * np.cos(phi)
    y = 0.99664719 * np.sin(u) + altitude / 6378140.0 * np.sin(phi)
    xi = rad(8.794 / 3600 / r)
    dra = np.arctan2(-x * np.sin(xi) * np.sin(h), np.cos(dec) - x * np.sin(xi) * np.cos(h))
    dec = np.arctan2((np.sin(dec) - y * np.sin(xi)) * np.cos(dra), np.cos(dec) - x * np.sin(xi) * np.cos(h))
    h = h - dra
    el = np.degrees(np.arcsin(np.clip(np.sin(phi) * np.sin(dec) + np.cos(phi) * np.cos(dec) * np.cos(h), -1, 1)))
    az = np.degrees(np.arctan2(np.sin(h), np.cos(h) * np.sin(phi) - np.tan(dec) * np.cos(phi))) + 180.0
    return SunPosition(np.mod(az, 360.0), el + lift(el, pressure_mbar, temperature_c), el, r)


def direction(azimuth: float, elevation: float) -> NDArray[np.float64]:
    """Unit vector (east, north, up) towards a bearing and elevation [degrees]."""
    a, e = np.radians(azimuth), np.radians(elevation)
    return np.array([np.sin(a) * np.cos(e), np.cos(a) * np.cos(e), np.sin(e)])


@dataclass(frozen=True)
class SunDay:
    """One day's events on the place's clock; None where the sun does not do it that day."""

    sunrise: dt.datetime | None
    sunset: dt.datetime | None
    noon: dt.datetime
    always: str | None
    """'up' in a polar day, 'down' in a polar night."""


def day_elevations(
    date: dt.date, latitude: float, longitude: float, utc_offset: float
) -> tuple[NDArray[np.float64], SunPosition]:
    """Minutes of a date on the place's clock, shape (1441,), and where the sun stands at each."""
    start = dt.datetime.combine(date, dt.time()) - dt.timedelta(hours=utc_offset)
    minutes = np.arange(0, 1441.0)
    return minutes, sun_position(julian_day(start) + minutes / 1440.0, latitude, longitude)


def crossings(date: dt.date, above: NDArray[np.float64]) -> tuple[list[dt.datetime], list[dt.datetime]]:
    """Moments of a date at which a quantity, given for each of its minutes (1441,), goes above 0 and below."""

    def moments(at: NDArray[np.int64]) -> list[dt.datetime]:
        return [
            dt.datetime.combine(date, dt.time()) + dt.timedelta(minutes=float(i + above[i] / (above[i] - above[i + 1])))
            for i in at
        ]

    up = above > 0
    return moments(np.flatnonzero(~up[:-1] & up[1:])), moments(np.flatnonzero(up[:-1] & ~up[1:]))


def sun_day(date: dt.date, latitude: float, longitude: float, utc_offset: float) -> SunDay:
    """Sunrise, sunset and solar noon of a date on a clock ``utc_offset`` hours before UTC's east.

    Sunrise and sunset are when the sun's upper edge meets a flat horizon (true elevation -0.8333 degree).
    """
    _, sun = day_elevations(date, latitude, longitude, utc_offset)
    above = sun.true_elevation - RISE_ELEVATION
    rises, sets = crossings(date, above)
    always = None if rises or sets else ("up" if above[0] > 0 else "down")
    noon = dt.datetime.combine(date, dt.time()) + dt.timedelta(minutes=float(np.argmax(above)))
    return SunDay(rises[0] if rises else None, sets[-1] if sets else None, noon, always)


TWILIGHTS = {"civil": -6.0, "nautical": -12.0, "astronomical": -18.0}
"""Elevations of the sun's centre [degrees] at which each twilight begins and ends."""


def twilights(
    date: dt.date, latitude: float, longitude: float, utc_offset: float
) -> dict[str, tuple[dt.datetime | None, dt.datetime | None]]:
    """When each twilight of a date begins in the morning and ends in the evening; None where it does not."""
    _, sun = day_elevations(date, latitude, longitude, utc_offset)
    out: dict[str, tuple[dt.datetime | None, dt.datetime | None]] = {}
    for name, low in TWILIGHTS.items():
        rises, sets = crossings(date, sun.true_elevation - low)
        out[name] = (rises[0] if rises else None, sets[-1] if sets else None)
    return out


@dataclass(frozen=True)
class Meeting:
    """The sun at a bearing or at the skyline: when, where [degrees], and whether it comes or goes."""

    when: dt.datetime
    azimuth: float
    elevation: float
    rising: bool


def sun_at_bearing(
    date: dt.date, latitude: float, longitude: float, utc_offset: float, bearing: float
) -> list[Meeting]:
    """When the sun, while it is up, stands at a bearing from true north [degrees] on a date."""
    minutes, sun = day_elevations(date, latitude, longitude, utc_offset)
    off = (sun.azimuth - bearing + 180.0) % 360.0 - 180.0
    near = np.abs(off) < 90  # the turn at the opposite bearing is no meeting
    out = []
    for i in np.flatnonzero((off[:-1] * off[1:] <= 0) & near[:-1] & near[1:] & (off[:-1] != off[1:])):
        share = off[i] / (off[i] - off[i + 1])
        elevation = float(sun.elevation[i] + share * (sun.elevation[i + 1] - sun.elevation[i]))
        if sun.true_elevation[i] > RISE_ELEVATION:
            out.append(
                Meeting(
                    dt.datetime.combine(date, dt.time()) + dt.timedelta(minutes=float(minutes[i] + share)),
                    bearing % 360,
                    elevation,
                    bool(sun.elevation[i + 1] > sun.elevation[i]),
                )
            )
    return out


def sun_over_skyline(
    date: dt.date,
    latitude: float,
    longitude: float,
    utc_offset: float,
    azimuth: NDArray[np.float64],
    skyline: NDArray[np.float64],
) -> list[Meeting]:
    """When the sun's centre comes up from behind a skyline, or goes down behind it.

    Parameters
    ----------
    azimuth, skyline : ndarray, shape (n,) [degrees]
        Bearings from true north, rising and going on past 360, and the skyline's elevation at each.
    """
    _, sun = day_elevations(date, latitude, longitude, utc_offset)
    middle = (azimuth[0] + azimuth[-1]) / 2
    seen = middle + (sun.azimuth - middle + 180.0) % 360.0 - 180.0
    inside = (seen >= azimuth[0]) & (seen <= azimuth[-1])
    above = sun.elevation - np.interp(seen, azimuth, skyline)
    out = []
    for rising, moments in zip((True, False), crossings(date, above), strict=True):
        for when in moments:
            minute = (when - dt.datetime.combine(date, dt.time())).total_seconds() / 60
            if inside[int(minute)] and sun.true_elevation[int(minute)] > RISE_ELEVATION - 1:
                i, part = int(minute), minute % 1
                out.append(
                    Meeting(
                        when,
                        float(seen[i] + part * (seen[i + 1] - seen[i])) % 360,
                        float(sun.elevation[i] + part * (sun.elevation[i + 1] - sun.elevation[i])),
                        rising,
                    )
                )
    return sorted(out, key=lambda m: m.when)
