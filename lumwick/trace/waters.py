"""The water's surface as a ray meets it, for kernels."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER


@nb.njit(**INNER)
def grid_cell(heights, grid, x, y):
    ny, nx = heights.shape
    fx = min(max((x - grid[0]) / grid[2], 0.0), nx - 1.001)
    fy = min(max((y - grid[1]) / grid[2], 0.0), ny - 1.001)
    i, j = int(fy), int(fx)
    return i, j, fy - i, fx - j


@nb.njit(**INNER)
def tile_at(tex, length, x, y, c):
    n = tex.shape[0]
    fx, fy = x / length * n, y / length * n
    gx, gy = np.floor(fx), np.floor(fy)
    a, b = fx - gx, fy - gy
    j, i = int(gx) % n, int(gy) % n
    j2, i2 = (j + 1) % n, (i + 1) % n
    return (tex[i, j, c] * (1 - a) + tex[i, j2, c] * a) * (1 - b) + (tex[i2, j, c] * (1 - a) + tex[i2, j2, c] * a) * b


@nb.njit(**INNER)
def water_normal(tile, slope0, slope1, slope2, slope3, x, y, footprint, long, short, n):
    """Normal of the water from its tiles' slopes, by the shares of long and short waves; returns the variance of the
    slopes too fine to see."""
    sx = sy = 0.0
    short = max(long, short)
    # what no tile carries, as strong as the shortest waves here
    left = max(0.0, tile[8] - tile[4] - tile[5] - tile[6] - tile[7]) * short * short
    for c in range(4):
        length = tile[c]
        points = (
            slope0.shape[0]
            if c == 0
            else (slope1.shape[0] if c == 1 else (slope2.shape[0] if c == 2 else slope3.shape[0]))
        )
        seen = min(1.0, max(0.0, 1.6 - footprint * points / (length * 5.0)))
        amount = long if c == 0 else short
        left += amount * amount * (1 - seen * seen) * tile[4 + c]
        k = seen * amount
        if k > 0:
            slope = slope0 if c == 0 else (slope1 if c == 1 else (slope2 if c == 2 else slope3))
            sx += k * tile_at(slope, length, x, y, 0)
            sy += k * tile_at(slope, length, x, y, 1)
    q = 1 / np.sqrt(1 + sx * sx + sy * sy)
    n[0], n[1], n[2] = -sx * q, -sy * q, q
    return max(left, 0.0004)
