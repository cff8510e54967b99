"""Random numbers and noise for kernels: counter-based, so that every picture can be made again."""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

from lumwick.motion.quick import QUICK

FAST = QUICK["fastmath"]
INNER: dict[str, Any] = QUICK
"""How functions are compiled that run for every ray: divisions by zero are not looked for, and who holds an array is
not counted (Numba counts whenever a row is passed on, by a locked instruction that the threads wait for; it was a
quarter of the integrator's own time). Such functions cannot make arrays."""
ONE_THREAD: dict[str, Any] = {**INNER, "cache": True, "nogil": True}
"""How functions are compiled that a thread calls for its share of the work."""
ROWS: dict[str, Any] = {"parallel": True, "fastmath": FAST, "error_model": "numpy", "cache": True, "nogil": True}
"""How functions are compiled that deal a picture's rows to the threads."""


@nb.njit(**INNER)
def mix32(x):
    """A 32-bit finaliser with full avalanche (the multipliers of 'lowbias32', a public-domain search result)."""
    x = np.uint32(x)
    x ^= x >> np.uint32(16)
    x = np.uint32(x * np.uint32(0x7FEB352D))
    x ^= x >> np.uint32(15)
    x = np.uint32(x * np.uint32(0x846CA68B))
    x ^= x >> np.uint32(16)
    return x


def _sobol_table(bits: int = 12) -> np.ndarray:
    """The first 2**bits points of the first two Sobol dimensions, as 32-bit fractions."""
    n = 1 << bits
    out = np.zeros((n, 2), np.uint32)
    v = np.uint32(0x80000000)
    for bit in range(bits):
        chosen = (np.arange(n) >> bit) & 1 == 1
        out[chosen, 0] ^= np.uint32(1 << (31 - bit))
        out[chosen, 1] ^= v
        v ^= v >> np.uint32(1)
    return out


SOBOL = _sobol_table()
STEPS_A_SAMPLE = 64
"""Choices of a sample are numbered by its steps: no more than this."""
BITS = 12
"""Binary digits of a net of points: it is spread over a pixel's samples, or over those of a square of pixels."""
_MASK = np.uint32(len(SOBOL) - 1)


def _backwards(table: np.ndarray) -> np.ndarray:
    """The leading twelve digits of 32-bit numbers, the first of them lowest."""
    digits = [((table >> np.uint32(31 - k)) & np.uint32(1)) << np.uint32(k) for k in range(BITS)]
    return np.asarray(np.stack(digits).sum(axis=0, dtype=np.uint32))


MIRRORED_BITS = (SOBOL[:, 0] >> np.uint32(32 - BITS)).astype(np.uint32)
"""A number's twelve digits in the opposite order (the first Sobol dimension is just that)."""
SECOND = _backwards(SOBOL[:, 1])


@nb.njit(**INNER)
def _flip(x, seed):
    """Flip each digit of a number by a hash of the digits below it and of a seed (Vegdahl's constants, public)."""
    x = np.uint32(x ^ np.uint32(x * np.uint32(0x3D20ADEA)))
    x = np.uint32(x + seed)
    x = np.uint32(x * (np.uint32(seed >> np.uint32(16)) | np.uint32(1)))
    x = np.uint32(x ^ np.uint32(x * np.uint32(0x05526C56)))
    return np.uint32(x ^ np.uint32(x * np.uint32(0x53A22864)))


@nb.njit(**INNER)
def pair(pixel, sample, dimension):
    """Two numbers in [0, 1) for a sample: the first two Sobol dimensions, decorrelated per pixel and dimension.

    The points' order and their digits are scrambled by nested uniform scrambling: each aligned block of 2^m points
    stays a (0, m, 2)-net, two dimensions have nothing to do with each other, and within its cell of the net a point
    lies anywhere. (Exclusive-or with a constant would do neither. The sequence is linear, so any two dimensions of a
    pixel would be the same numbers up to a constant; and the digits that few samples do not reach would be the same
    for all of them, which a table of light with thousands of cells turns into a wrong mean.)

    References
    ----------
    Burley, Practical hash-based Owen scrambling, Journal of Computer Graphics Techniques 9 (2020).
    """
    block = np.uint32(sample) >> np.uint32(BITS)
    seed = mix32(
        np.uint32(pixel)
        ^ np.uint32(np.uint32(dimension) * np.uint32(0x9E3779B9))
        ^ np.uint32(block * np.uint32(0x85EBCA6B))
    )
    other = np.uint32(seed * np.uint32(0x846CA68B) + np.uint32(0x6C50B47C))
    third = np.uint32((seed ^ (seed >> np.uint32(15))) * np.uint32(0x2C1B3C6D))
    # the order: digits of the number, the highest lowest
    i = MIRRORED_BITS[_flip(SOBOL[np.uint32(sample) & _MASK, 0], other) >> np.uint32(32 - BITS)]
    # the digits, the first lowest; what lies above the twelve is as good as random
    x, y = _flip(i, seed), _flip(SECOND[i], third)
    # 24 bits: the numbers stay below 1 in single precision too
    a = (MIRRORED_BITS[x & _MASK] << np.uint32(12)) | (x >> np.uint32(20))
    b = (MIRRORED_BITS[y & _MASK] << np.uint32(12)) | (y >> np.uint32(20))
    return a * 5.9604644775390625e-08, b * 5.9604644775390625e-08


@nb.njit(**INNER)
def choices(path, salt):
    """Two numbers in [0, 1) for a choice on a path's present step: spread over a pixel's samples as `pair` is.

    ``salt`` is the choice's own, 4 or more, so that it shares no dimension with another.
    """
    return pair(path.pixel, path.sample, salt * STEPS_A_SAMPLE + path.step)


@nb.njit(**INNER)
def bearing(dx, dy):
    """The angle from north [radians, -pi to pi] of a direction, to 1.2e-5.

    References
    ----------
    Abramowitz and Stegun, Handbook of Mathematical Functions (1964), 4.4.47.
    """
    ax, ay = abs(dx), abs(dy)
    q = min(ax, ay) / max(1e-30, max(ax, ay))
    b = q * q
    a = q * (0.9998660 + b * (-0.3302995 + b * (0.1801410 + b * (-0.0851330 + b * 0.0208351))))
    if ax > ay:
        a = 0.5 * np.pi - a
    if dy < 0:
        a = np.pi - a
    return a if dx >= 0 else -a


@nb.njit(**INNER)
def elevation(dz):
    """The angle above the horizon [radians] of a unit vector's height, to 3e-8.

    References
    ----------
    Abramowitz and Stegun, Handbook of Mathematical Functions (1964), 4.4.46.
    """
    z = min(1.0, abs(dz))
    p = 1.5707963050 + z * (
        -0.2145988016
        + z
        * (
            0.0889789874
            + z * (-0.0501743046 + z * (0.0308918810 + z * (-0.0170881256 + z * (0.0066700901 - z * 0.0012624911))))
        )
    )
    a = max(0.0, 0.5 * np.pi - np.sqrt(1 - z) * p)
    return a if dz >= 0 else -a


@nb.njit(**INNER)
def cell(ix, iy, iz):
    """A number in [0, 1) for a lattice cell."""
    h = mix32(
        np.uint32(ix) * np.uint32(0x8DA6B343)
        ^ np.uint32(iy) * np.uint32(0xD8163841)
        ^ np.uint32(iz) * np.uint32(0xCB1AB31F)
    )
    return h * 2.3283064365386963e-10


@nb.njit(**INNER)
def noise2(x, y, salt):
    """Value noise with its slopes: value in [-1, 1], d/dx, d/dy."""
    fx, fy = np.floor(x), np.floor(y)
    ix, iy = np.int64(fx), np.int64(fy)
    u, v = x - fx, y - fy
    su, sv = u * u * u * (u * (u * 6 - 15) + 10), v * v * v * (v * (v * 6 - 15) + 10)
    du, dv = 30 * u * u * (u * (u - 2) + 1), 30 * v * v * (v * (v - 2) + 1)
    a, b = cell(ix, iy, salt), cell(ix + 1, iy, salt)
    c, d = cell(ix, iy + 1, salt), cell(ix + 1, iy + 1, salt)
    k = a - b - c + d
    value = a + (b - a) * su + (c - a) * sv + k * su * sv
    return 2 * value - 1, 2 * du * ((b - a) + k * sv), 2 * dv * ((c - a) + k * su)
