"""Compiled loops of scattering and growing; nothing of the core is imported here, so that they are compiled once."""

from __future__ import annotations

import numba as nb
import numpy as np


@nb.njit(cache=True)
def kept_apart(points, order, least, cell_of, wide, high):
    """Which of points (n, 2) are kept, in their ``order``, so that none is nearer to a kept one than ``least``; by a
    grid of cells of that size."""
    grid = np.full(wide * high, -1, np.int64)
    following = np.full(len(points), -1, np.int64)
    kept = np.zeros(len(points), np.bool_)
    for k in order:
        i, j = cell_of[k, 0], cell_of[k, 1]
        free = True
        for a in range(max(0, i - 1), min(high, i + 2)):
            for b in range(max(0, j - 1), min(wide, j + 2)):
                other = grid[a * wide + b]
                while other >= 0 and free:
                    d0, d1 = points[other, 0] - points[k, 0], points[other, 1] - points[k, 1]
                    if d0 * d0 + d1 * d1 < least * least:
                        free = False
                    other = following[other]
                if not free:
                    break
            if not free:
                break
        if free:
            kept[k] = True
            following[k] = grid[i * wide + j]
            grid[i * wide + j] = k
    return kept


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def unfolded(rest, grows, bears, unfolds, seedling, out):
    """Vertices as far as they have grown (see `lumwick.growth.growth_stage`)."""
    origin, birth, lag, foot = grows
    size = seedling + (1 - seedling) * bears[0] if bears[0] < 1 else 1.0
    for i in nb.prange(len(rest)):
        t = min(1.0, max(0.0, (bears[0] * (1 + unfolds) - birth[i]) / unfolds)) if bears[0] < 1 else 1.0
        own = lag[i]
        if (0 < own <= 1 and own > bears[1]) or (own > 1 and own - 1 > bears[2]):
            t = 0.0
        for c in range(3):
            v = origin[i, c] + (rest[i, c] - origin[i, c]) * t
            base = foot[i, c] if c < 2 else 0.0
            out[i, c] = base + (v - base) * size
