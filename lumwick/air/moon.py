"""The moon: where it stands from a place, how it is lit and turned, how much light it gives, and its face.

References
----------
ephem (the library): the moon's place, and the sun's for its phase. Allen, Astrophysical Quantities (1973): its
magnitude by phase angle, -12.73 + 0.026 a + 4e-9 a^4, and that magnitude 0 is 2.54e-6 lx outside the air. Lommel and
Seeliger's law for its face, which is as bright at the limb as in the middle when it is full. Where the dark plains and
the bright craters lie, and that the face is a tenth as light as white: from memory.
"""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass
from functools import lru_cache

import ephem
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.air.sun import direction

Floats = NDArray[np.float64]
MEAN_KM, RADIUS_KM = 384_400.0, 1737.4
MAGNITUDE_0_LUX = 2.54e-6
TINT = np.array([1.12, 0.985, 0.80])
"""Colour of its light against the sun's, of unit luminance: its colour index is 0.92, the sun's 0.65 (practice)."""
EARTHSHINE = 6e-5
"""Light of its night side against the full moon's when the moon is new (from memory); with the earth's phase."""


@dataclass(frozen=True)
class Moon:
    """The moon as it is seen from a place.

    Attributes
    ----------
    azimuth, elevation : float [degrees]
        Of its middle as it is seen, lifted by the air; azimuth from true north.
    distance_km : float
        From the place.
    phase_angle : float [degrees]
        At the moon, between the sun and the place: 0 full, 180 new.
    limb : float [degrees]
        On its disc, the way to the sun, clockwise from up as it is seen.
    pole : float [degrees]
        The same for its north.
    """

    azimuth: float
    elevation: float
    distance_km: float
    phase_angle: float
    limb: float
    pole: float

    @property
    def lit(self) -> float:
        """Share of its disc that is lit."""
        return (1 + math.cos(math.radians(self.phase_angle))) / 2

    @property
    def radius_deg(self) -> float:
        """Half its width as it is seen."""
        return math.degrees(math.asin(RADIUS_KM / self.distance_km))

    @property
    def lux(self) -> float:
        """Light [lx] that it gives a surface facing it outside the air."""
        a = abs(self.phase_angle)
        magnitude = -12.73 + 0.026 * a + 4e-9 * a**4
        return float(MAGNITUDE_0_LUX * 10 ** (-0.4 * magnitude) * (MEAN_KM / self.distance_km) ** 2)


def _on_disc(toward: Floats, other: Floats) -> float:
    """The way to another direction on the disc of what is seen ``toward``, clockwise from up [degrees]."""
    right = np.cross(toward, [0.0, 0.0, 1.0])
    right /= max(float(np.linalg.norm(right)), 1e-9)
    up = np.cross(right, toward)
    return float(np.degrees(np.arctan2(other @ right, other @ up)))


def moon_position(utc: dt.datetime, latitude: float, longitude: float, altitude: float = 0.0) -> Moon:
    """The moon from a place on the earth at a naive UTC date and time.

    Parameters
    ----------
    latitude, longitude : float [degrees]
        North and east positive.
    altitude : float [m]
    """
    seen = ephem.Observer()
    seen.lat, seen.lon, seen.elevation = math.radians(latitude), math.radians(longitude), altitude
    seen.date = ephem.Date(utc)
    seen.pressure = 1010.0 * math.exp(-altitude / 8400.0)
    moon, sun = ephem.Moon(seen), ephem.Sun(seen)
    toward = direction(math.degrees(moon.az), math.degrees(moon.alt))
    # its north is taken as that of the earth's way round the sun, which it is within 1.5 degrees
    pole = ephem.FixedBody()
    pole._ra, pole._dec, pole._epoch = ephem.hours("18:00:00"), ephem.degrees("66:33:38.6"), ephem.J2000
    seen.pressure = 0.0  # nothing is lifted where directions alone count
    pole.compute(seen)
    sun.compute(seen)
    to_sun = direction(math.degrees(sun.az), math.degrees(sun.alt))
    moon_au = RADIUS_KM / math.sin(moon.radius) / 149_597_870.7
    away = to_sun * sun.earth_distance - toward * moon_au
    away /= np.linalg.norm(away)
    return Moon(
        math.degrees(moon.az),
        math.degrees(moon.alt),
        RADIUS_KM / math.sin(moon.radius),
        float(np.degrees(np.arccos(np.clip(-away @ toward, -1, 1)))),
        _on_disc(toward, to_sun),
        _on_disc(toward, direction(math.degrees(pole.az), math.degrees(pole.alt))),
    )


PLAINS = (
    # longitude east, latitude north, half width [degrees], how dark
    (-57, 18, 22, 0.9), (-45, 45, 9, 0.7), (-16, 33, 17, 1.0), (18, 28, 11, 1.0), (31, 8, 12, 1.0), (59, 17, 8, 1.0),
    (51, -8, 11, 0.9), (35, -15, 7, 0.9), (-39, -24, 7, 1.0), (-17, -21, 10, 0.9),
    (-23, -10, 8, 0.8), (-30, 5, 12, 0.9),
    (4, 13, 5, 0.9), (-30, 56, 9, 0.5), (0, 56, 10, 0.6), (25, 55, 9, 0.5), (-65, -2, 10, 0.8), (45, 27, 3, 0.6),
    (-5, 1, 4, 0.6), (87, -2, 4, 0.5), (67, -3, 3, 0.5), (-9, 51, 2, 0.9),
)  # fmt: skip
RAYED = (
    (-11, -43, 34, 1.0),
    (-20, 10, 11, 0.8),
    (-38, 8, 6, 0.7),
    (-47, 24, 3, 1.2),
    (61, -9, 7, 0.5),
    (16, 73, 8, 0.4),
)
FACE = 160
"""Pixels across the map of its disc."""


@lru_cache(1)
def _albedo() -> Floats:
    """How light its face is (FACE, FACE) by its own north up; 1 is usual, and nothing outside its disc counts."""
    at = (np.arange(FACE) + 0.5) / FACE * 2 - 1
    x, y = np.meshgrid(at, -at)
    z = np.sqrt(np.clip(1 - x * x - y * y, 0, None))
    rng = np.random.default_rng(17)
    rough = sum(
        weight * ndimage.gaussian_filter(rng.standard_normal((FACE, FACE)), wide, mode="wrap") * wide
        for wide, weight in ((9, 0.9), (4, 0.7), (1.6, 0.45))
    )
    dark = np.zeros((FACE, FACE))
    for east, north, wide, deep in PLAINS:
        a, b = np.radians(east), np.radians(north)
        away = np.degrees(
            np.arccos(np.clip(x * np.sin(a) * np.cos(b) + y * np.sin(b) + z * np.cos(a) * np.cos(b), -1, 1))
        )
        dark += deep * np.exp(-0.9 * (away / wide) ** 2)
    dark = np.clip((dark + 0.3 * rough - 0.33) / 0.28, 0, 1) * (0.8 + 0.25 * np.clip(dark, 0, 1))
    light = 1.06 - 0.44 * dark + 0.07 * rough
    for east, north, wide, bright in RAYED:
        a, b = np.radians(east), np.radians(north)
        across, up = (
            np.array([np.cos(a), 0, -np.sin(a)]),
            np.array([-np.sin(a) * np.sin(b), np.cos(b), -np.cos(a) * np.sin(b)]),
        )
        away = np.degrees(
            np.arccos(np.clip(x * np.sin(a) * np.cos(b) + y * np.sin(b) + z * np.cos(a) * np.cos(b), -1, 1))
        )
        turn = np.arctan2(x * up[0] + y * up[1] + z * up[2], x * across[0] + z * across[2])
        rays = sum(np.cos(k * turn + 1.7 * k) ** 2 for k in (3, 5, 7, 11)) / 4
        light += bright * (0.34 * np.exp(-away / (0.16 * wide)) + 0.20 * rays**3 * np.exp(-away / (0.6 * wide)))
    return np.asarray(light)


def moon_face(moon: Moon) -> Floats:
    """Luminance of its disc by its own north up, shape (FACE, FACE), of mean 1 over all of the disc; 0 outside it."""
    at = (np.arange(FACE) + 0.5) / FACE * 2 - 1
    x, y = np.meshgrid(at, -at)
    inside = x * x + y * y < 1
    z = np.sqrt(np.clip(1 - x * x - y * y, 0, None))
    turn, a = np.radians(moon.limb - moon.pole), np.radians(moon.phase_angle)
    to_sun = np.sin(turn) * np.sin(a), np.cos(turn) * np.sin(a), np.cos(a)
    lit = np.clip(x * to_sun[0] + y * to_sun[1] + z * to_sun[2], 0, None)
    albedo = _albedo()
    face = albedo * lit / (lit + z + 1e-6)
    mean = float(face[inside].mean())
    full = 0.5 * float(albedo[inside].mean())
    dim = EARTHSHINE * full * (1 - np.cos(a)) / 2
    if mean > 1e-9:
        # its light is told by Allen's law; what the face is darker than that by is its own hills' shadow
        face *= moon.lux / full_lux(moon) * full / mean
    return np.where(inside, (face + dim * albedo) / full, 0.0)


def full_lux(moon: Moon) -> float:
    """Light [lx] that it would give if it were full."""
    return float(MAGNITUDE_0_LUX * 10 ** (0.4 * 12.73) * (MEAN_KM / moon.distance_km) ** 2)
