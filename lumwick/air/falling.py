"""What falls: rain and snow by their rates, and what drifts; how large, how fast and how many, and what they leave.

References
----------
Marshall and Palmer, The distribution of raindrops with size, J. Meteorol. 5 (1948): N = 8000 exp(-4.1 R^-0.21 D) a m3
and mm. Atlas, Srivastava and Sekhon, Rev. Geophys. 11 (1973): v = 9.65 - 10.3 exp(-0.6 D) m/s, a fit to Gunn and Kinzer
(1949). Gunn and Marshall, J. Meteorol. 15 (1958): snow, N = 3800 R^-0.87 exp(-2.55 R^-0.48 D), by the melted diameter.
Atlas, J. Meteorol. 10 (1953): light taken by rain. How fast flakes fall and how far one sees in snow: practice.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats = NDArray[np.float64]
RAIN_MM = np.array([0.5, 0.75, 1.0, 1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 6.0])
"""Edges of the classes of drops by diameter [mm]; smaller ones are seen as a veil alone."""
SNOW_MM = np.array([0.3, 0.6, 0.9, 1.2, 1.6, 2.2, 3.0, 4.5])
"""Of flakes, by what they melt to."""
FLAKE = 3.2
"""Width of a flake against its drop (practice)."""


def drop_speed(diameter: ArrayLike) -> Floats:
    """Speed of fall of a drop by its diameter [mm], at the sea [m/s]."""
    return np.asarray(np.maximum(9.65 - 10.3 * np.exp(-0.6 * np.asarray(diameter, float)), 0.1))


def flake_speed(diameter: ArrayLike) -> Floats:
    """Speed of fall of a flake by its melted diameter [mm] [m/s]."""
    return np.asarray(0.75 + 0.35 * np.sqrt(np.asarray(diameter, float)))


def drops_by_size(diameter: ArrayLike, rate: float) -> Floats:
    """Drops in a cubic metre and a millimetre of diameter [mm] in rain of a rate [mm/h].

    Marshall and Palmer's spectrum, made larger or smaller so that it brings just this rate: with measured speeds it
    brings a sixth more by itself.
    """
    if rate <= 0:
        return np.zeros(np.shape(diameter))
    return np.asarray(_palmer(rate) * np.exp(-4.1 * rate**-0.21 * np.asarray(diameter, float)))


@lru_cache(64)
def _palmer(rate: float) -> float:
    """Drops in a cubic metre and a millimetre where they are smallest: about 8000."""
    d = np.linspace(0.01, 10.0, 3000)
    falls = np.exp(-4.1 * rate**-0.21 * d) * np.pi / 6 * d**3 * drop_speed(d)
    return rate / float(np.trapezoid(falls, d) * 3.6e-3)


def flakes_by_size(diameter: ArrayLike, rate: float) -> Floats:
    """Flakes in a cubic metre and a millimetre of melted diameter [mm], in snow of a rate [mm/h of water]."""
    if rate <= 0:
        return np.zeros(np.shape(diameter))
    return np.asarray(3800.0 * rate**-0.87 * np.exp(-2.55 * rate**-0.48 * np.asarray(diameter, float)))


def veil(rain: float, snow: float) -> float:
    """Light that rain and snow [mm/h] take on their way [1/m]: one sees 2.7 km in rain of 10 mm/h, 0.9 km in snow of
    1 mm/h of water."""
    out = 2.996 / 11_600.0 * rain**0.63 if rain > 0 else 0.0
    return out + (2.996 / 900.0 * snow**0.8 if snow > 0 else 0.0)


@dataclass(frozen=True)
class Kind:
    """Things that fall alike.

    Attributes
    ----------
    number : float
        In a cubic metre.
    radius : float [m]
    speed : float [m/s]
        Of its fall.
    sways : float [m]
        How far it swings to its sides as it falls.
    covers : float
        Share of the light that it keeps back where it is.
    reach : float [m]
        How far off it is still drawn.
    light : int
        Whose light it has: 0 a drop's, 1 a flake's, 2 a thing's own colour.
    """

    number: float
    radius: float
    speed: float
    sways: float
    covers: float
    reach: float
    light: int


def kinds_of(rain: float, snow: float) -> list[Kind]:
    """Classes of drops and flakes, the largest first."""
    rains = [(low, high, drops_by_size, drop_speed, 1.0, 0.0, 0.8, 6.5, 0) for low, high in pairwise(RAIN_MM)]
    snows = [(low, high, flakes_by_size, flake_speed, FLAKE, 0.12, 0.85, 4.5, 1) for low, high in pairwise(SNOW_MM)]
    out = []
    for low, high, number, speed, wide, sways, covers, reach, light in (*rains, *snows):
        middle = float(low + high) / 2
        count = float(number(middle, snow if light else rain)) * float(high - low)
        if count > 1e-4:
            size = middle * wide
            out.append(Kind(count, size / 2000, float(speed(middle)), sways, covers, reach * min(size, 4.0), light))
    return sorted(out, key=lambda kind: -kind.radius)


def soaked(times: Floats, rain: Floats, dries: float, before: float | None = None) -> Floats:
    """How wet open surfaces are, 0 to 1, at moments of the place [s] (n,), by the rain [mm/h] (n,) that fell.

    They wet the faster the more it rains (in a minute at 4 mm/h) and dry by a half in about 0.7 ``dries`` [s]; before
    the first moment it rained as it does there for ever, if nothing else is said (practice).
    """
    wets = np.asarray(rain, float) / 4.0 / 60.0
    rate = wets + 1.0 / dries
    wet = np.empty(len(times))
    wet[0] = wets[0] / rate[0] if before is None else before
    for k in range(1, len(times)):
        middle = 0.5 * (wets[k - 1] + wets[k]), 0.5 * (rate[k - 1] + rate[k])
        end = middle[0] / middle[1]
        wet[k] = end + (wet[k - 1] - end) * np.exp(-middle[1] * (times[k] - times[k - 1]))
    return wet


SNOW_COVERS = 9.0
"""Millimetres of water in snow by which it has covered all but a third (practice)."""


def covered(times: Floats, snow: Floats, before: float) -> Floats:
    """How much of the ground snow covers, 0 to 1, at moments of the place [s] (n,), by what fell [mm/h] (n,) and lay
    before [mm of water]."""
    fell = np.concatenate([[0.0], np.cumsum(0.5 * (snow[1:] + snow[:-1]) * np.diff(times)) / 3600.0])
    return np.asarray(-np.expm1(-(before + fell) / SNOW_COVERS))
