"""Small waves: rings of rain, what a thing stirs as it moves or falls in, and the ripples of a breeze.

Nothing is stepped on: a drop, or a thing's way through water, is a row of blows on it in the last seconds, and each
blow's waves are known in closed form at any time after.

References
----------
Capillary and gravity waves: H. Lamb, Hydrodynamics (1932), 266-267; a blow's waves (Cauchy and Poisson), 238-241. They
are slowest, 0.23 m/s, at a length of 1.7 cm. Drops: J. S. Marshall and W. M. Palmer, J. Meteorology 5 (1948).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy import fft
from scipy.special import j1

from lumwick.motion.terms import chance
from lumwick.water.kernels import blow, splash
from lumwick.water.spectrum import G
from lumwick.water.surface import Swell, surface

Floats = NDArray[np.float64]
TENSION = 7.28e-5
"""Surface tension over density of water at 20 degrees [m3/s2]."""
DAMPING = 4 * 1.0e-6
"""Twice the loss of a small wave's height by viscosity, 2 nu k^2 (Lamb, 348), with what else dirties a pond
(practice: twice)."""

RAIN_TILE, RAIN_SIDE = 2.4, 256
"""Length [m] and cells a side of the tile of rings."""
RING_LIVES = 0.85
"""Seconds that a ring is drawn."""
RING_REACH = 0.34
"""Metres that it is drawn to."""
SEEN_DROP = 1.2
"""Width [mm] of the smallest drop whose rings are drawn; those of smaller ones are too weak to see (practice)."""
DROPS_AT_MOST = 2500
"""In the tile at once."""
CHOP_TILE, CHOP_SIDE = 37.1 / 12, 128


def small_dispersion(k: ArrayLike, depth: float = np.inf) -> Floats:
    """Angular frequency [rad/s] of waves of wave number k [rad/m], with surface tension: (g k + s k^3) tanh(k d)."""
    k = np.asarray(k, float)
    deep = np.tanh(np.minimum(k * min(depth, 1e6), 50.0))
    return np.asarray(np.sqrt((G * k + TENSION * k**3) * deep))


# -- rain ----------------------------------------------------------------------------------------------------


def drops_a_second(rate: float, over: float = SEEN_DROP) -> float:
    """Drops wider than ``over`` [mm] that fall on a square metre in a second of rain [mm/h], by Marshall and Palmer's
    spectrum and speeds of 3.78 D^0.67 m/s (Atlas and Ulbrich 1977)."""
    if rate <= 0:
        return 0.0
    d = np.linspace(over, 6.0, 400)
    return float(np.trapezoid(8000.0 * np.exp(-4.1 * rate**-0.21 * d) * 3.78 * d**0.67, d))


@lru_cache(1)
def _ring_table() -> Floats:
    """Slope along the radius of a drop's waves, by age (64) and radius (160): a blow with a width of 8 mm."""
    ages = (np.arange(64) + 0.5) / 64 * RING_LIVES
    radii = np.arange(160) / 159 * RING_REACH
    k = np.linspace(4, 900, 3000)
    omega = small_dispersion(k)
    weight = k * k * np.sqrt(k) / 100 * np.exp(-((k * 0.0055) ** 2))
    bessel = j1(np.outer(radii, k))
    out = np.stack([bessel @ (weight * np.sin(omega * age) * np.exp(-DAMPING * k * k * age)) for age in ages])
    fade = np.clip((RING_REACH - radii) / 0.08, 0, 1) * np.clip((RING_LIVES - ages) / 0.3, 0, 1)[:, None]
    # a ring's steepest slope is about this where it is 5 cm wide (practice)
    steep = np.abs(out[np.searchsorted(ages, 0.2)]).max()
    return np.asarray(out / steep * 0.16 * fade)


def rain_rings(rate: float, seed: int, t: float, loop: float | None) -> NDArray[np.float32]:
    """Slopes of the rings of rain on a tile at a clip time [s], shape (n, n, 2).

    Parameters
    ----------
    rate : float [mm/h]
    loop : float or None [s]
        Length that they close over.
    """
    out = np.zeros((RAIN_SIDE, RAIN_SIDE, 2), np.float32)
    number = min(DROPS_AT_MOST, round(drops_a_second(rate) * RAIN_TILE**2 * RING_LIVES))
    if number == 0:
        return out
    rounds = max(1, round(loop / RING_LIVES)) if loop else 0
    period = loop / rounds if loop else RING_LIVES
    which = np.arange(number)
    since = t / period + chance(seed, which, 81)
    turn = np.floor(since).astype(np.int64)
    age = (since - turn) * period
    fall = which + number * (turn % rounds if rounds else turn)
    x, y = (RAIN_TILE * chance(seed, fall, salt) for salt in (82, 83))
    size = 0.6 + 1.6 * chance(seed, fall, 84) ** 3  # few drops are large
    keep = age < RING_LIVES
    splash(_ring_table(), x[keep], y[keep], age[keep], size[keep], RING_LIVES, RING_REACH, RAIN_TILE, out)
    return out


# -- ripples ---------------------------------------------------------------------------------------------------


@lru_cache(8)
def _chop_waves(seed: int, loop: float | None) -> tuple[Swell, ...]:
    n, dk = CHOP_SIDE, 2 * np.pi / CHOP_TILE
    axis = np.fft.fftfreq(n, 1 / n) * dk
    kx, ky = np.meshgrid(axis, axis)
    k = np.hypot(kx, ky)
    band = (k > 2.5 * dk) & (k < 0.9 * np.pi * n / CHOP_TILE)
    amplitude = np.where(band, np.maximum(k, 1.0) ** -2.1, 0.0)
    amplitude /= np.sqrt(np.sum(2 * amplitude**2 * k**2))
    omega = small_dispersion(k)
    if loop:
        omega = np.round(omega * loop / (2 * np.pi)) * 2 * np.pi / loop
    up = amplitude * np.exp(2j * np.pi * np.random.Generator(np.random.Philox(key=[seed, 91])).random((n, n)))
    reverse = np.conj(np.roll(up[::-1, ::-1], 1, axis=(0, 1)))
    return (Swell(CHOP_TILE, up, reverse, np.where(band, omega, 0.0), kx, ky),)


def chop(seed: int, t: float, loop: float | None) -> NDArray[np.float32]:
    """Slopes of small ripples that run every way, on a tile (n, n, 2), of a variance of 1 in all."""
    return surface(_chop_waves(seed, loop), t, 0.0).slopes[0]


# -- what a thing stirs ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Blows:
    """Blows on the water: where (n,) [m], how long ago [s], how strong [m2/s], and how wide they are [m]."""

    x: Floats
    y: Floats
    ago: Floats
    strength: Floats
    width: float


def stirred(blows: Blows, side: int, spacing: float, depth: float) -> tuple[Floats, Floats, Floats]:
    """Height [m] and slopes east and north of what blows have stirred, on a square of cells about (0, 0), each (side,
    side); far out they fade, for the square repeats itself.

    A blow of an impulse I on the water leaves k I / omega sin(omega t) of each wave number.
    """
    k1 = 2 * np.pi * np.fft.fftfreq(side, spacing)
    kx, ky = np.meshgrid(k1, k1)
    k = np.hypot(kx, ky)
    omega = small_dispersion(k, depth)
    shape = np.where(k > 0, k / np.maximum(omega, 1e-6), 0.0) * np.exp(-((k * blows.width / 2) ** 2))
    total = np.zeros((side, side), np.complex128)
    blow(k1, omega, DAMPING * k * k, blows.x, blows.y, blows.ago, blows.strength, total)
    total *= shape / (side * spacing) ** 2
    half = side // 2
    fields = [
        np.roll(fft.ifft2(f, norm="forward", workers=2).real, (half, half), (0, 1))
        for f in (total, 1j * kx * total, 1j * ky * total)
    ]
    away = np.abs(np.arange(side) - half) / half
    fade = np.clip((1 - np.maximum(away[:, None], away[None])) / 0.15, 0, 1)
    return fields[0] * fade, fields[1] * fade, fields[2] * fade
