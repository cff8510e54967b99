"""What water leaves wet: things that stand in it, and the sand that a wash has run over."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.surfaces.inland import height_over
from lumwick.trace.sampling import INNER, noise2

RISES = 0.035
"""Height over still water [m] to which what stands in it is wet (practice)."""
FADES = 0.05
"""Over which it is dry above that [m] (practice)."""
DARKENS = 0.5
"""Share of its colour that a wet thing loses (practice: 0.4 to 0.6 of rough stone and wood)."""
WET_ALPHA = 0.12 * 0.12
"""GGX alpha of the film of water on it."""
WET_SAND = 0.47
"""Wet sand's colour against dry sand's (practice)."""
LACE_ALBEDO = 0.62
"""Of foam left on sand (practice)."""


@nb.njit(**WITHIN)
def wet_line(land, waters, path, hit, lobes):
    """Darken and gloss a thing up to where water has wetted it."""
    tiles, p = waters.tiles[0], hit.position
    if path.depth > 0 or path.in_water or p[2] > tiles.wet_top:
        return
    level = height_over(waters, p[0], p[1])
    if waters.body[0].level > level:
        level = waters.body[0].level + tiles.splash
    uneven, _, _ = noise2(p[0] * 9.0 + p[1] * 3.0, p[2] * 7.0 - p[1] * 9.0, 61)
    wet = min(1.0, max(0.0, 1 + (level + RISES * (1 + 0.8 * uneven) - p[2]) / FADES))
    if wet <= 0:
        return
    for c in range(3):
        lobes.albedo[c] *= 1 - DARKENS * wet
    if wet > lobes.coat:
        lobes.coat, lobes.coat_alpha = wet, WET_ALPHA
        hit.glossy = 1


@nb.njit(**INNER)
def lateness(x, y):
    """By how much of a wave the wash comes later at a spot of a shore than elsewhere."""
    return 0.22 * np.sin(x / 19 + y / 23) + 0.18 * np.sin(x / 41 - y / 29 + 1)


@nb.njit(**INNER)
def _of_table(table, a, b, i, j, c):
    low = table[i, j, c] * (1 - b) + table[i, j + 1, c] * b
    return low * (1 - a) + (table[i + 1, j, c] * (1 - b) + table[i + 1, j + 1, c] * b) * a


@nb.njit(**WITHIN)
def washed(waters, near_sea, path, hit, lobes):
    """Wet the sand that the wash has run over, and leave lace on it; returns its gloss."""
    tiles, p = waters.tiles[0], hit.position
    over = p[2] - waters.body[0].level
    if near_sea <= 0.02 or tiles.wash_high <= tiles.wash_low or over >= tiles.wash_high:
        return 0.0
    table = waters.wash
    rows, columns = table.shape[0], table.shape[1]
    uneven, _, _ = noise2(p[0] * 0.8, p[1] * 0.8, 63)
    late = lateness(p[0], p[1]) / tiles.latest
    fi = min(max((late + 1) / 2 * (rows - 1), 0.0), rows - 1.001)
    share = (over + 0.012 * uneven - tiles.wash_low) / (tiles.wash_high - tiles.wash_low)
    fj = min(max(share * (columns - 1), 0.0), columns - 1.001)
    i, j = int(fi), int(fj)
    a, b = fi - i, fj - j
    dark = _of_table(table, a, b, i, j, 0) * near_sea
    gloss = _of_table(table, a, b, i, j, 1) * near_sea
    lace = _of_table(table, a, b, i, j, 2) * near_sea
    for c in range(3):
        lobes.albedo[c] *= 1 - dark * (1 - WET_SAND)
    if lace > 0.02 and hit.footprint < 0.5:
        ridge, _, _ = noise2(p[0] * 2.3, p[1] * 2.3, 64)
        finer, _, _ = noise2(p[0] * 7.9 + 2 * ridge, p[1] * 7.9, 65)
        bubbles, _, _ = noise2(p[0] * 41.0, p[1] * 41.0, 66)
        thread = 1 - min(1.0, abs(ridge + 0.45 * finer) * 3.2)  # along the lines where the noise is nought
        foam = min(1.0, max(0.0, (thread - 1 + 0.85 * lace + 0.15 * bubbles) * 2.2))
        for c in range(3):
            lobes.albedo[c] += (LACE_ALBEDO - lobes.albedo[c]) * foam
        gloss *= 1 - foam
    return gloss
