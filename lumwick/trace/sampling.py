"""Random numbers and noise for kernels: counter-based, so that every picture can be made again."""

from __future__ import annotations

import numba as nb
import numpy as np

FAST = {"contract", "arcp", "afn", "reassoc", "nsz"}


@nb.njit(inline="always")
def mix32(x):
    """A 32-bit finaliser with full avalanche (the multipliers of 'lowbias32', a public-domain search result)."""
    x = np.uint32(x)
    x ^= x >> np.uint32(16)
    x = np.uint32(x * np.uint32(0x7FEB352D))
    x ^= x >> np.uint32(15)
    x = np.uint32(x * np.uint32(0x846CA68B))
    x ^= x >> np.uint32(16)
    return x


@nb.njit(inline="always")
def _reverse(x):
    x = np.uint32(x)
    x = ((x >> np.uint32(1)) & np.uint32(0x55555555)) | np.uint32((x & np.uint32(0x55555555)) << np.uint32(1))
    x = ((x >> np.uint32(2)) & np.uint32(0x33333333)) | np.uint32((x & np.uint32(0x33333333)) << np.uint32(2))
    x = ((x >> np.uint32(4)) & np.uint32(0x0F0F0F0F)) | np.uint32((x & np.uint32(0x0F0F0F0F)) << np.uint32(4))
    x = ((x >> np.uint32(8)) & np.uint32(0x00FF00FF)) | np.uint32((x & np.uint32(0x00FF00FF)) << np.uint32(8))
    return (x >> np.uint32(16)) | np.uint32(x << np.uint32(16))


@nb.njit(inline="always")
def _permute(x, seed):
    """Laine and Karras's hash: each bit is flipped by the bits below it."""
    x = np.uint32(x + seed)
    x ^= np.uint32(x * np.uint32(0x6C50B47C))
    x ^= np.uint32(x * np.uint32(0xB82F1E52))
    x ^= np.uint32(x * np.uint32(0xC7AFE638))
    x ^= np.uint32(x * np.uint32(0x8D22F6E6))
    return x


@nb.njit
def pair(pixel, sample, dimension):
    """Two numbers in [0, 1): the first two Sobol dimensions, shuffled and Owen-scrambled per pixel and dimension.

    References
    ----------
    Burley, Practical hash-based Owen scrambling, Journal of Computer Graphics Techniques 9(4), 2020.
    """
    seed = mix32(np.uint32(pixel) ^ mix32(np.uint32(dimension) + np.uint32(0x9E3779B9)))
    index = _reverse(_permute(_reverse(np.uint32(sample)), seed))
    x = _reverse(index)
    y = np.uint32(0)
    v = np.uint32(0x80000000)
    i = index
    while i:
        if i & np.uint32(1):
            y ^= v
        v ^= v >> np.uint32(1)
        i >>= np.uint32(1)
    # _reverse(_permute(_reverse(.))) is the scramble; x is already reversed once
    a = _reverse(_permute(_reverse(x), mix32(seed + np.uint32(1))))
    b = _reverse(_permute(_reverse(y), mix32(seed + np.uint32(2))))
    return a * 2.3283064365386963e-10 * 0.99999994, b * 2.3283064365386963e-10 * 0.99999994


@nb.njit(inline="always")
def cell(ix, iy, iz):
    """A number in [0, 1) for a lattice cell."""
    h = mix32(np.uint32(ix) * np.uint32(0x8DA6B343) ^ np.uint32(iy) * np.uint32(0xD8163841) ^ np.uint32(iz) * np.uint32(0xCB1AB31F))
    return h * 2.3283064365386963e-10


@nb.njit(fastmath=FAST)
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
