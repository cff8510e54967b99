"""A sounding of a place's air at an instant: wind by height, how far one sees, clouds and fog by height, and how bright
sky and ground are."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lumwick.air.atmosphere import sky_at
from lumwick.air.bands import LUMA
from lumwick.air.clouds import aloft
from lumwick.air.wind import log_profile
from lumwick.snapshot.evaluate import RANGE_TO_EXTINCTION, Setting, Snapshot
from lumwick.trace.sections.daylight import Daylight, DaylightInputs, make_daylight

HEIGHTS = (2.0, 10.0, 30.0, 100.0, 300.0, 1000.0, 3000.0, 6000.0, 9000.0, 12000.0)
"""At which the wind is told [m]."""
BY_GROUND = 100.0
"""Height [m] up to which the wind goes by the ground's roughness."""
OVER_HORIZON = 3.0
"""Height [degrees] over the horizon at which the sky ahead is read."""


@dataclass(frozen=True)
class Sounding:
    """What is read off the air.

    Attributes
    ----------
    wind : list of (height, speed) [m, m/s]
        Height over the ground.
    sight : float [m]
        Meteorological optical range at the camera's height: where contrast falls to 5 %.
    overhead, ahead : float [cd/m2]
        Luminance of the sky at the zenith, and low over the horizon where the camera looks; clouds by their mean.
    by_sky, by_sun : float [lx]
        Light on level ground from the sky, and from the sun or the moon.
    eye : float [m]
        Height of the camera.
    """

    wind: list[tuple[float, float]]
    sight: float
    overhead: float
    ahead: float
    by_sky: float
    by_sun: float
    eye: float


def wind_at(snap: Snapshot, height: float) -> float:
    """Mean wind [m/s] at a height [m] over the ground: by its roughness near it, by what clouds drift with far up."""
    near = float(log_profile(snap.wind.mean, min(height, BY_GROUND), snap.wind.roughness))
    if height <= BY_GROUND:
        return near
    return near * aloft(snap.wind.mean, height) / aloft(snap.wind.mean, BY_GROUND)


def sounding(setting: Setting, snap: Snapshot) -> Sounding:
    """The air of a snapshot."""
    light = make_daylight(DaylightInputs.of(snap, snap.place, setting.read))
    eye = float(snap.camera.position[2])
    lost = float(light.haze.mean()) + snap.weather.fog_at(eye) + snap.showers.veil
    overhead, ahead = _sky(light, snap)
    down = max(0.0, float(snap.key_direction[2])) * light.light.sun_through_fog
    return Sounding(
        wind=[(height, round(wind_at(snap, height), 2)) for height in HEIGHTS],
        sight=RANGE_TO_EXTINCTION / lost,
        overhead=overhead,
        ahead=ahead,
        by_sky=float(LUMA @ light.light.sky_lux),
        by_sun=float(LUMA @ light.clear.sun_lux) * light.clouds.sun * down,
        eye=eye,
    )


def _sky(light: Daylight, snap: Snapshot) -> tuple[float, float]:
    """Luminance [cd/m2] overhead and low ahead, by the table that the place is lit with."""
    forward = snap.camera.forward
    if len(light.panorama) > 1:
        rows, columns = light.panorama.shape[:2]
        turned = np.degrees(np.arctan2(forward[0], forward[1])) - snap.place.surround.turn - snap.place.site.north_turn
        row, column = int((0.5 - OVER_HORIZON / 180) * rows), int(((turned / 360 + 0.5) % 1.0) * columns)
        return float(LUMA @ light.panorama[0].mean(0)), float(LUMA @ light.panorama[row, column % columns])
    seen = replace(light.clear, table=light.light.table)
    about = float(np.degrees(np.arctan2(snap.key_direction[0], snap.key_direction[1])))
    off = (np.degrees(np.arctan2(forward[0], forward[1])) - about + 180) % 360 - 180
    return float(LUMA @ sky_at(seen, 90.0, 0.0)), float(LUMA @ sky_at(seen, OVER_HORIZON, off))
