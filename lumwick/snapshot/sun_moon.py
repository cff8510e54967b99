"""Where sun and moon stand over a place at an instant: by its date, or as they were set by hand."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np

from lumwick.air.moon import MEAN_KM, Moon, moon_position
from lumwick.air.sun import SunPosition, julian_day, sun_position
from lumwick.place.document import Place
from lumwick.place.nature import Air


def utc_of(place: Place, clock: dt.datetime) -> dt.datetime:
    """Universal time of an hour of the place's clock."""
    return clock - dt.timedelta(hours=float(place.site.utc_offset))


def sun_at(place: Place, clock: dt.datetime, air: Air | None = None) -> SunPosition:
    """The sun at an hour of the place's clock; azimuth from true north.

    Parameters
    ----------
    air : Air
        A shot's own, at its instant; the place's if None.
    """
    sky = (air or place.air).heavens
    if sky.sun_by == "hand":
        bearing, height = np.array(float(sky.sun_bearing) % 360.0), np.array(float(sky.sun_height))
        return SunPosition(bearing, height, height, np.array(1.0))
    pressure = 1010.0 * float(np.exp(-place.site.altitude / 8400.0))
    jd = julian_day(utc_of(place, clock))
    return sun_position(jd, place.site.latitude, place.site.longitude, place.site.altitude, pressure)


def moon_at(place: Place, clock: dt.datetime, air: Air | None = None) -> Moon | None:
    """The moon at an hour of the place's clock; azimuth from true north. None if there is to be none.

    One that is set by hand is lit from its right while it grows, as it is seen from the north of the earth.
    """
    sky, site = (air or place.air).heavens, place.site
    if sky.moon_by == "none":
        return None
    if sky.moon_by == "hand":
        phase = float(sky.moon_phase) % 1.0
        return Moon(
            float(sky.moon_bearing) % 360.0,
            float(sky.moon_height),
            MEAN_KM,
            abs(180.0 - 360.0 * phase),
            90.0 if phase <= 0.5 else -90.0,
            0.0,
        )
    return moon_position(utc_of(place, clock), float(site.latitude), float(site.longitude), float(site.altitude))


SUN_LAST, MOON_WHOLE = -4.0, -7.0
"""Heights of the sun [degrees] from which the moon begins to cast shadows of its own, and at which it does so wholly:
between them it is nothing beside the sky (practice)."""
MOON_DOWN = -1.0


@dataclass(frozen=True)
class KeyLight:
    """What casts shadows: the sun, or the moon when the sun is far enough down.

    Attributes
    ----------
    azimuth, elevation : float [degrees]
        From true north.
    by_moon : bool
    share : float
        Of its light that counts.
    """

    azimuth: float
    elevation: float
    by_moon: bool = False
    share: float = 1.0


def key_light(sun: SunPosition, moon: Moon | None) -> KeyLight:
    """What casts shadows at an instant."""
    height = float(sun.elevation)
    if moon is None or height > SUN_LAST or moon.elevation < MOON_DOWN:
        return KeyLight(float(sun.azimuth), height)
    down = min(1.0, (SUN_LAST - height) / (SUN_LAST - MOON_WHOLE))
    return KeyLight(moon.azimuth, moon.elevation, True, down * down * (3 - 2 * down))
