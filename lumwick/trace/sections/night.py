"""What shines in the sky besides sun and day: the moon's face, stars, the galaxy's band and a town's glow."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumwick.air.atmosphere import N_AZ, N_EL, NIGHT_CD, clear_sky, sky_azimuths, sun_at_height
from lumwick.air.bands import BAND_RGB_LUX, LUMA
from lumwick.air.moon import TINT, Moon, full_lux, moon_face
from lumwick.air.starry import BAND_CD, galaxy, lifted, star_list, to_place
from lumwick.air.sun import direction, flattened
from lumwick.lens.colour import temperature_rgb
from lumwick.place.nature import Heavens
from lumwick.trace import records
from lumwick.trace.integrator.starlight import COLUMNS, ROWS, WIDEST, sort_by_way

Floats = NDArray[np.float64]
F32 = NDArray[np.float32]
STARS_FROM = -1.5
"""Height of the sun [degrees] from which stars are looked for."""
MOON_SKY_FROM = -5.0
"""Height of the sun [degrees] under which the sky that the moon lights counts."""
TOWN_KELVIN = 3000.0
SUN_LUX = BAND_RGB_LUX.sum(0)
SUN_LUX_Y = float(LUMA @ SUN_LUX)


@dataclass(frozen=True)
class NightInputs:
    """What of the heavens changes a picture.

    Attributes
    ----------
    moon : Moon
        With its azimuth from the model's north; None where there is none.
    jd : float [days]
        Julian day; 0 by day, when no star is seen.
    north : float [degrees]
        From true north to the model's.
    """

    moon: Moon | None
    heavens: Heavens
    jd: float
    latitude: float
    longitude: float
    north: float


@dataclass(frozen=True)
class Night:
    """Ready for rays: see `lumwick.trace.world.Lights`."""

    record: NDArray[np.void]
    face: F32
    stars: F32
    first: NDArray[np.int32]
    galaxy: F32


def _air_over(haze: float, ozone_du: float, altitude: float, elevation: Floats) -> Floats:
    """What air leaves of light from elevations (n,) [degrees], by colour (n, 3)."""
    high, left = _air_table(round(haze, 3), ozone_du, round(altitude))
    return np.stack([np.interp(elevation, high, left[:, c]) for c in range(3)], -1)


@lru_cache(16)
def _air_table(haze: float, ozone_du: float, altitude: float) -> tuple[Floats, Floats]:
    high = 90 * np.linspace(0.0, 1, 40) ** 2
    left = np.array([sun_at_height(float(el), 1.0, haze, ozone_du, altitude) for el in high]) / SUN_LUX
    return high, np.clip(left, 0, 1)


def night(inputs: NightInputs, haze: float, ozone_du: float, altitude: float) -> Night:
    """Moon, stars and the galaxy as they are seen through the air."""
    record = np.zeros(1, records.NIGHT)
    face: F32 = np.zeros((1, 1, 3), np.float32)
    stars, first = np.zeros((1, 6), np.float32), np.zeros(ROWS * COLUMNS + 1, np.int32)
    band: F32 = np.zeros((1, 1), np.float32)
    moon, sky = inputs.moon, inputs.heavens
    if moon is not None and moon.elevation > -1.0:
        face = _moon(record[0], moon, sky, _air_over(haze, ozone_du, altitude, np.array([moon.elevation]))[0])
    if inputs.jd > 0:
        turn = to_place(inputs.jd, inputs.latitude, inputs.longitude, inputs.north)
        if sky.stars > 0:
            listed = star_list()
            seen = lifted(listed.toward @ turn.T)
            up = seen[:, 2] > -0.01
            seen, lux = seen[up], listed.lux[up] * float(sky.stars)
            lux = lux * _air_over(haze, ozone_du, altitude, np.degrees(np.arcsin(seen[:, 2])))
            order, first = sort_by_way(seen, np.full(len(seen), WIDEST))
            stars = np.concatenate([seen, lux], 1)[order].astype(np.float32)
            record["stars"] = len(stars)
        if sky.galaxy > 0:
            band = galaxy()
            record["band"] = BAND_CD * float(sky.galaxy) * temperature_rgb(5000.0)
            record["turn"] = turn.T
    return Night(record, face, stars, first, band)


def _moon(record: np.void, moon: Moon, sky: Heavens, left: Floats) -> F32:
    """Fill in the moon's place on the sky; gives its face [cd/m2]."""
    toward = direction(moon.azimuth, moon.elevation)
    right = np.cross(toward, [0.0, 0.0, 1.0])
    right /= max(float(np.linalg.norm(right)), 1e-9)
    up = np.cross(right, toward)
    a = np.radians(moon.pole)  # clockwise from up to its north
    tan = np.tan(np.radians(moon.radius_deg))
    flat = flattened(moon.elevation, moon.radius_deg) if sky.moon_by == "date" else 1.0
    record["moon"], record["moon_direction"], record["moon_tan"] = 1.0, toward, tan * float(sky.moon_size)
    record["moon_right"], record["moon_up"], record["moon_flat"] = right, up, flat
    record["moon_turn"] = (np.cos(a), np.sin(a))
    light = full_lux(moon) / (np.pi * tan * tan)
    return np.asarray(moon_face(moon)[..., None] * light * TINT * left, np.float32)


def moonlight(moon: Moon, haze: float, ozone_du: float, altitude: float) -> Floats:
    """Light [lx] of the moon on a surface facing it at a height over the sea [m], by colour (3,)."""
    return sun_at_height(moon.elevation, 1.0, haze, ozone_du, altitude) * (TINT * moon.lux / SUN_LUX_Y)


def night_sky(
    inputs: NightInputs, about: float, sun_height: float, haze: float, ozone_du: float, altitude: float
) -> Floats:
    """Light [cd/m2] of the sky that is not the sun's, shape (N_EL, 2 N_AZ - 1, 3): its own glow, a town's, and what
    the moon makes of the air; told about a bearing [degrees] from the model's north."""
    sky, moon = inputs.heavens, inputs.moon
    el = 90 * (np.arange(N_EL) / (N_EL - 1)) ** 2
    out = np.zeros((N_EL, 2 * N_AZ - 1, 3))
    # air glows in a layer: seen aslant there is more of it
    glow = np.minimum(1 / np.sqrt(1 - (np.cos(np.radians(el)) / 1.0157) ** 2), 4.0)
    out += NIGHT_CD * float(sky.night_glow) * (0.6 + 0.4 * glow)[:, None, None]
    if sky.town > 0:
        off = (about + sky_azimuths() - (float(sky.town_bearing) + inputs.north) + 180) % 360 - 180
        along = np.exp(-0.5 * (off / (0.5 * float(sky.town_width))) ** 2)
        over = np.exp(-el / float(sky.town_height))
        out += float(sky.town) * over[:, None, None] * along[None, :, None] * temperature_rgb(TOWN_KELVIN)
    if moon is not None and sun_height < MOON_SKY_FROM and moon.elevation > -18:
        lit = clear_sky(moon.azimuth, moon.elevation, 1.0, haze, ozone_du, altitude)
        out += lit.seen_about(about) * (TINT * moon.lux / SUN_LUX_Y)
    return out
