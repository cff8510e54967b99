"""Camera rays of neighbouring samples, met by the ray library together: they go through nearly the same nodes.

A row's samples are looked ahead by as many as the library takes at once; `rays.find_surface` then has a path's first
surface from here. What is met is the same as for single rays, to the bit (docs/decisions/0025).
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.trace.embree import CAMERA_MASK, COHERENT, EVERY_FEATURE, NO_HIT, rtcIntersect16
from lumwick.trace.integrator import film
from lumwick.trace.integrator.camera_ray import camera_ray
from lumwick.trace.integrator.compiling import PART
from lumwick.trace.sampling import BITS, INNER

LANES = 16
WORDS = 22 * LANES
"""Words of the library's record of sixteen rays: a row of sixteen for each field."""
ORIGIN, NEAR, WAY, TIME, FAR, MASK, NUMBER, FLAGS, FACING, BARY, PRIMITIVE, GEOMETRY, INSTANCE = (
    LANES * row for row in (0, 3, 4, 7, 8, 9, 10, 11, 12, 15, 17, 18, 19)
)
"""Where the fields' rows begin, in the library's order."""
FOREVER = 1e9
"""Reach [m] of a ray that ends nowhere."""
ROW_STRIDE, SEED_STRIDE, RUN_STRIDE = 65536, 40503, 101
"""How far apart the numbers of rows' and seeds' pixels, and runs' seeds, lie."""


class Ahead(NamedTuple):
    """The rays that were looked ahead: the library's record and its bytes as floats, which lanes are in use, what the
    library is told of them, and how many have been taken of how many."""

    ray: NDArray[np.uint32]
    f: NDArray[np.float32]
    used: NDArray[np.int32]
    told: NDArray[np.uint32]
    taken: NDArray[np.int64]


def aligned(words: int) -> NDArray[np.uint32]:
    """Room for words, aligned to 64 bytes as the ray library wants."""
    raw = np.zeros(words + 16, np.uint32)
    start = (64 - (raw.ctypes.data % 64)) % 64 // 4
    return raw[start : start + words]


def new_ahead() -> Ahead:
    """Room for one thread."""
    ray, told = aligned(WORDS), aligned(16)
    told[0], told[1] = COHERENT, EVERY_FEATURE
    return Ahead(ray, ray.view(np.float32), aligned(LANES).view(np.int32), told, np.zeros(2, np.int64))


@nb.njit(**INNER)
def pixel_number(view, exposure, x, y):
    """The number by which a pixel's samples are told from others'; a cropped picture has those of the whole one."""
    return (y + int(view.top)) * ROW_STRIDE + x + int(view.left) + exposure.seed * SEED_STRIDE


@nb.njit(**INNER)
def number_sample(view, exposure, path, x, y, sample):
    """Number a pixel's sample for `lumwick.trace.sampling.pair`.

    Of as many samples as are planned, runs of a power of two are numbered on through all pixels of a square, so that
    what a run samples is spread over the square as well as over each pixel: neighbours err differently, which is seen
    less and cleaned better. Samples that nobody planned are numbered pixel by pixel.

    References
    ----------
    A. Ahmed and P. Wonka, Screen-space blue-noise diffusion of Monte Carlo sampling error via hierarchical ordering of
    pixels, ACM Transactions on Graphics 39 (2020).
    """
    if sample >= exposure.planned:
        path.pixel, path.sample = pixel_number(view, exposure, x, y), sample
        return
    base, bits = 0, BITS
    while (1 << bits) > exposure.planned - base or sample >= base + (1 << bits):
        if (1 << bits) <= exposure.planned - base:
            base += 1 << bits
        else:
            bits -= 1
    half, gx, gy = (BITS - bits) // 2, x + int(view.left), y + int(view.top)
    within = 0
    for k in range(half):
        within |= ((gx >> k) & 1) << (2 * k) | ((gy >> k) & 1) << (2 * k + 1)
    path.sample = (within << bits) | (sample - base)
    path.pixel = (gy >> half) * ROW_STRIDE + (gx >> half) + (exposure.seed + RUN_STRIDE * (base + 1)) * SEED_STRIDE


@nb.njit(**PART)
def look_ahead(scene, view, exposure, ctx, x, y, sample):
    """Meet the camera rays of a row's next samples, from a pixel's ``sample``-th of those that are wanted on."""
    path, ahead = ctx.path, ctx.ahead
    ray, f = ahead.ray, ahead.f
    k = 0
    while k < LANES and x < exposure.wanted.shape[1]:
        if sample >= exposure.wanted[y, x]:
            x, sample = x + 1, 0
            continue
        number_sample(view, exposure, path, x, y, int(exposure.sums[y, x, film.COUNTED]) + sample)
        camera_ray(view, x, y, path)
        for c in range(3):
            f[ORIGIN + LANES * c + k] = path.origin[c]
            f[WAY + LANES * c + k] = path.direction[c]
        f[NEAR + k], f[TIME + k], f[FAR + k] = 0.0, 0.0, FOREVER
        ray[MASK + k], ray[NUMBER + k], ray[FLAGS + k] = CAMERA_MASK, 0, 0
        ray[PRIMITIVE + k], ray[GEOMETRY + k], ray[INSTANCE + k], ray[INSTANCE + LANES + k] = (
            NO_HIT, NO_HIT, NO_HIT, NO_HIT,
        )  # fmt: skip
        ahead.used[k] = -1
        k += 1
        sample += 1
    for q in range(k, LANES):
        ahead.used[q] = 0
    rtcIntersect16(ahead.used.ctypes.data, scene, ray.ctypes.data, ahead.told.ctypes.data)
    ahead.taken[0], ahead.taken[1] = 0, k


@nb.njit(**INNER)
def take(ctx):
    """Give the context's own ray what the next of those that were looked ahead has met."""
    ahead, ray, f = ctx.ahead, ctx.ray, ctx.f
    k = ahead.taken[0]
    ahead.taken[0] += 1
    f[8] = ahead.f[FAR + k]
    for c in range(3):
        f[12 + c] = ahead.f[FACING + LANES * c + k]
    f[15], f[16] = ahead.f[BARY + k], ahead.f[BARY + LANES + k]
    ray[17], ray[18], ray[19] = ahead.ray[PRIMITIVE + k], ahead.ray[GEOMETRY + k], ahead.ray[INSTANCE + k]
