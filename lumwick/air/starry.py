"""Stars and the galaxy's band: where they stand over a place, and how much light they send.

References
----------
Stars to the sixth magnitude with their colours, and the band's outlines: d3-celestial (BSD-3, lumwick/air/stars/),
after the Hipparcos catalogue. Meeus, Astronomical Algorithms, chapters 12 (sidereal time) and 21 (precession).
Ballesteros, EPL 97 (2012): temperature by colour index. Allen (1973): magnitude 0 is 2.54e-6 lx. Nutation and
aberration (together under 0.01 degree) are left out.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.air.moon import MAGNITUDE_0_LUX
from lumwick.air.sun import lift, sidereal
from lumwick.errors import PlaceError
from lumwick.lens.colour import temperature_rgb

Floats = NDArray[np.float64]
FOLDER = Path(__file__).parent / "stars"
BAND_CD = 2.6e-4
"""Luminance of the band where it is brightest (about 20.5 magnitudes a square arcsecond with the sky's own; from
memory) [cd/m2]."""


@dataclass(frozen=True)
class Stars:
    """The list: numbers (n,), directions at the equator and equinox of J2000 (n, 3), and light [lx] outside the air by
    colour (n, 3)."""

    number: NDArray[np.int64]
    toward: Floats
    lux: Floats


@lru_cache(1)
def star_list(folder: Path = FOLDER) -> Stars:
    """The stars that are shipped.

    Raises
    ------
    PlaceError
        The list is missing or damaged.
    """
    try:
        with (folder / "stars.csv").open() as file:
            told = [[float(value) for value in row.values()] for row in csv.DictReader(file)]
        hip, ra, dec, magnitude, colour = np.array(told).T
    except (OSError, ValueError) as error:
        raise PlaceError(
            f"The list of stars ({folder / 'stars.csv'}) cannot be read: set Lumwick up again, or turn the stars off."
        ) from error
    a, d = np.radians(ra), np.radians(dec)
    kelvin = 4600 * (1 / (0.92 * colour + 1.7) + 1 / (0.92 * colour + 0.62))
    tint = np.array([temperature_rgb(round(min(k, 25000.0), -2)) for k in kelvin])
    lux = MAGNITUDE_0_LUX * 10 ** (-0.4 * magnitude)
    toward = np.stack([np.cos(d) * np.cos(a), np.cos(d) * np.sin(a), np.sin(d)], -1)
    return Stars(hip.astype(np.int64), toward, lux[:, None] * tint)


@lru_cache(1)
def galaxy(folder: Path = FOLDER) -> NDArray[np.float32]:
    """How bright the band is, 0 to 1: rows by declination from the north, columns by right ascension from 0.

    Raises
    ------
    PlaceError
        Its map is missing or damaged.
    """
    try:
        with Image.open(folder / "galaxy.png") as picture:
            return np.asarray(picture, np.float32) / np.float32(255)
    except OSError as error:
        raise PlaceError(
            f"The map of the galaxy ({folder / 'galaxy.png'}) cannot be read: set Lumwick up again, or turn it off."
        ) from error


def _about(axis: int, degrees: float) -> Floats:
    """Turn of the axes about one of them."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    out = np.eye(3)
    i, j = (axis + 1) % 3, (axis + 2) % 3
    out[i, i] = out[j, j] = c
    out[i, j], out[j, i] = s, -s
    return out


def to_place(jd: float, latitude: float, longitude: float, north: float = 0.0) -> Floats:
    """Turn (3, 3) from directions at J2000's equator to east, north and up at a place, before any air lifts them.

    Parameters
    ----------
    jd : float [days]
        Julian day, universal time.
    latitude, longitude : float [degrees]
    north : float [degrees]
        From true north to the model's.
    """
    t = (jd - 2451545.0) / 36525.0
    zeta = (2306.2181 * t + 0.30188 * t**2 + 0.017998 * t**3) / 3600
    z = (2306.2181 * t + 1.09468 * t**2 + 0.018203 * t**3) / 3600
    theta = (2004.3109 * t - 0.42665 * t**2 - 0.041833 * t**3) / 3600
    of_date = _about(2, -z) @ _about(1, theta) @ _about(2, -zeta)
    hour = _about(2, float(np.mod(sidereal(jd) + longitude, 360.0)))  # x to the meridian, y to the east, z to the pole
    p = np.radians(latitude)
    level = np.array([[0.0, 1.0, 0.0], [-np.sin(p), 0.0, np.cos(p)], [np.cos(p), 0.0, np.sin(p)]])
    return np.asarray(_about(2, -north).T @ level @ hour @ of_date) if north else np.asarray(level @ hour @ of_date)


def lifted(toward: Floats) -> Floats:
    """Directions (n, 3) as they are seen through air that lifts them."""
    flat = np.hypot(toward[:, 0], toward[:, 1])
    true = np.degrees(np.arctan2(toward[:, 2], flat))
    seen = np.radians(true + lift(true))
    k = np.cos(seen) / np.maximum(flat, 1e-12)
    return np.stack([toward[:, 0] * k, toward[:, 1] * k, np.sin(seen)], -1)
