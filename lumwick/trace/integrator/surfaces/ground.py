"""The ground near and far: normal, colour and wetness with grain too fine for the survey's grid.

The grain's sizes and amounts are practice: chosen by eye against photographs, with no source.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.surfaces.relief import broken_share, bumps, earth_share, faded
from lumwick.trace.integrator.surfaces.wetted import washed
from lumwick.trace.sampling import INNER, noise2

OCTAVES, COARSEST, FINER = 6, 2.6, 0.42
"""Of the grain: how many, the first's size [m], and each one's size against the one before."""
TONE_OF_SWARD, TONE_OF_SAND = 0.13, 0.055
BLOCKS, BLOCK_OCTAVES, BANDS = 3.4, 5, 2.3
"""Size [m] of the coarsest blocks of rock, how many sizes there are, and the height of its bands [m]."""
RELIEF_OF_ROCK, TONE_OF_ROCK, TONE_OF_BANDS = 0.15, 0.13, 0.16
STRAW = (0.095, 0.078, 0.042)
"""Dead grass between the blades of a sward (albedo)."""
STRAW_SHARE, STRAW_REACH = 0.55, 60.0
RIPPLE_SIZE, RIPPLE_EAST, RIPPLE_NORTH = 62.0, 0.82, 0.57
"""Wind ripples of sand: radians a metre (about 10 cm from crest to crest), and the way they run."""
WET_ALPHA = 0.16 * 0.16
"""GGX alpha of the film of water on wet ground."""
SOAKED = 0.5
"""Colour of soaked earth against dry (practice)."""
RIDGE_OCTAVES, GULLIES = 3, 0.32
"""Sizes of the gullies of far ridges, and how much they tilt the ground."""
ROCK_FROM, ROCK_OVER, SNOW_OVER, SNOW_ALBEDO = 0.16, 0.1, 160.0, 0.8
"""1 less the cosine of the slope from which a ridge is rock, and that over which it comes to be; metres over which snow
comes to lie, and its albedo."""
FAR_FROM_EYE = 200.0
"""Ground that scattered light meets is drawn as if so far off [m]."""


@nb.njit(**INNER)
def grid_cell(heights, grid, x, y):
    """The grid's cell under a point: row, column, and shares of the next row and column."""
    ny, nx = heights.shape
    fx = min(max((x - grid.west) / grid.spacing, 0.0), nx - 1.001)
    fy = min(max((y - grid.south) / grid.spacing, 0.0), ny - 1.001)
    i, j = int(fy), int(fx)
    return i, j, fy - i, fx - j


@nb.njit(**INNER)
def bilinear(grid, i, j, a, b, c):
    """A channel of a grid's values between four points."""
    low = grid[i, j, c] * (1 - b) + grid[i, j + 1, c] * b
    return low * (1 - a) + (grid[i + 1, j, c] * (1 - b) + grid[i + 1, j + 1, c] * b) * a


@nb.njit(**INNER)
def _grain(normal, x, y, footprint, sward, rough, coarse):
    """Tilt a normal by what is too fine for the grid, the coarse of it by that share; returns how much lighter it is
    there."""
    tone, size = 0.0, COARSEST
    for octave in range(OCTAVES):
        fade = min(1.0, max(0.0, 1.5 - footprint / (0.5 * size)))
        if fade > 0:
            v, du, dv = noise2(x / size + octave * 17.3, y / size - octave * 9.1, octave)
            # sward is rough at every size; sand is smooth but for its small unevenness
            k = rough * (coarse if octave < 4 else 1.0) * (0.5 * sward + (1 - sward) * (0.12 if octave < 3 else 0.30))
            tone += fade * v * (TONE_OF_SWARD * sward + TONE_OF_SAND * (1 - sward))
            normal[0] -= fade * k * du
            normal[1] -= fade * k * dv
        size *= FINER
    return tone


@nb.njit(**INNER)
def _ripples(normal, x, y, footprint, sand):
    """Tilt a normal by the wind's ripples on sand."""
    fade = min(1.0, 1.5 - footprint / 0.04) * sand
    if fade > 0:
        v, _, _ = noise2(x / 0.9, y / 0.9, 41)
        u, _, _ = noise2(x / 7.0, y / 7.0, 42)
        phase = (RIPPLE_EAST * x + RIPPLE_NORTH * y) * RIPPLE_SIZE + 2.6 * v
        slope = 0.20 * fade * max(0.0, 0.55 + u) * np.cos(phase)
        normal[0] -= slope * RIPPLE_EAST
        normal[1] -= slope * RIPPLE_NORTH


@nb.njit(**INNER)
def _broken(normal, x, y, height, footprint, rock):
    """Tilt a normal by the blocks and cracks that rock and scree break into; returns how much lighter it is there."""
    tone, size = 0.0, BLOCKS
    for octave in range(BLOCK_OCTAVES):
        fade = min(1.0, max(0.0, 1.5 - footprint / (0.5 * size)))
        if fade > 0:
            # cells are longer along the slope's bands, which go by height
            v, du, dv = noise2(x / size + 0.7 * height / size, y / size - 0.5 * height / size, 60 + octave)
            ridge, side = 1 - 2 * abs(v), -2.0 if v > 0 else 2.0
            k = fade * rock * RELIEF_OF_ROCK
            tone += fade * rock * TONE_OF_ROCK * (ridge - 0.4)
            normal[0] -= k * side * du
            normal[1] -= k * side * dv
        size *= 0.4
    bands, _, _ = noise2(height / BANDS + 0.02 * x, 0.013 * y, 71)
    return tone + rock * TONE_OF_BANDS * bands


@nb.njit(**WITHIN)
def ground(land, waters, path, hit, lobes, rough):
    """The surveyed ground, or with ``rough`` what stands up from it near the eye.

    Sward shows dead straw between its blades close by and its own green further off, where blades are too small to be
    drawn; sand has wind ripples; wet ground is smooth.
    """
    x, y = hit.position[0], hit.position[1]
    grid, colours, normal = land.grid[0], land.albedo, hit.normal
    i, j, a, b = grid_cell(land.heights, grid, x, y)
    for c in range(3):
        normal[c] = bilinear(land.normals, i, j, a, b, c)
        lobes.albedo[c] = bilinear(colours, i, j, a, b, c)
    wet, sward = bilinear(colours, i, j, a, b, 3), bilinear(colours, i, j, a, b, 4)
    rock = bilinear(colours, i, j, a, b, 5)
    film = 0.0
    if waters.tiles[0].wash_high > waters.tiles[0].wash_low:
        film = washed(waters, bilinear(land.open_water, i, j, a, b, 2), path, hit, lobes)
        wet = max(wet, film)
    raised = faded(path.travelled) if rough else 0.0
    if raised > 0:
        bumps(x, y, sward, rock, wet, hit.relief)
        normal[0] -= raised * hit.relief[1]
        normal[1] -= raised * hit.relief[2]
    fine = grid.bump * (1 - 0.75 * wet) * (1 - 0.8 * film)
    broken, earth = broken_share(rock), earth_share(rock)
    tone = _grain(normal, x, y, hit.footprint, max(sward, earth), fine, 1 - 0.8 * raised)
    if broken > 0.02:
        tone += _broken(normal, x, y, hit.position[2], hit.footprint, broken)
    sand = max(0.0, 1 - sward - broken - earth) * (1 - min(1.0, 2 * wet))
    if sand > 0.02 and hit.footprint < 0.06:
        _ripples(normal, x, y, hit.footprint, sand)
    away = path.travelled if path.depth == 0 else FAR_FROM_EYE
    straw = sward * min(1.0, max(0.0, 1.4 - away / STRAW_REACH)) * STRAW_SHARE
    for c in range(3):
        dead = STRAW[0] if c == 0 else (STRAW[1] if c == 1 else STRAW[2])
        lobes.albedo[c] = min(0.9, max(0.0, (lobes.albedo[c] * (1 - straw) + dead * straw) * (1 + tone)))
    if path.in_water and waters.body[path.body].filmed > 0:  # earth under a puddle is soaked
        for c in range(3):
            lobes.albedo[c] *= SOAKED
    wet *= 1 - 0.7 * sward
    if wet > 0.05 and path.depth == 0 and not path.in_water:
        lobes.coat, lobes.coat_alpha = wet * wet, WET_ALPHA
        hit.glossy = 1


@nb.njit(**INNER)
def _mirrored(at, count):
    """A row or column of a grid at a place beyond its edge, which turns back there."""
    k = int(np.floor(at)) % (2 * count - 2)
    return k if k < count else 2 * count - 2 - k


@nb.njit(**INNER)
def _ridge(material, hit, lobes):
    """A far ridge: woods or grass on what is less steep, rock on what is steeper, snow above its line; its normal
    roughened by gullies too fine for its mesh."""
    p, n, size = hit.position, hit.normal, material.forms
    tone, ragged = 0.0, 0.0
    for c in range(3):
        n[c] = hit.geometric[c]
    steep = 1 - abs(n[2])
    for octave in range(RIDGE_OCTAVES):
        fade = min(1.0, max(0.0, 1.5 - hit.footprint / (0.5 * size)))
        if fade > 0:
            v, du, dv = noise2(p[0] / size, p[1] / size, 80 + octave)
            n[0] -= fade * GULLIES * du
            n[1] -= fade * GULLIES * dv
            tone += fade * 0.16 * v
            ragged += v
        size *= 0.38
    rock = min(1.0, max(0.0, (steep + 0.05 * ragged - ROCK_FROM) / ROCK_OVER))
    snow = min(1.0, max(0.0, (p[2] - material.snow_from) / SNOW_OVER + 0.4 * ragged - 2.2 * (steep - 0.3)))
    for c in range(3):
        own = material.base[c] * (1 - rock) + material.second[c] * rock
        white = SNOW_ALBEDO if c < 2 else SNOW_ALBEDO + 0.03
        lobes.albedo[c] = min(0.9, max(0.01, own * (1 + tone) * (1 - snow) + white * snow))


@nb.njit(**WITHIN)
def far_ground(land, material, hit, lobes):
    """The ring of land beyond the survey: the colour of its edge, broken up."""
    x, y = hit.position[0], hit.position[1]
    if material.forms > 0:
        _ridge(material, hit, lobes)
        return
    # the survey's covers go on as in a mirror: those of its edge alone would be drawn out into stripes
    grid = land.grid[0]
    i = _mirrored((y - grid.south) / grid.spacing, land.heights.shape[0])
    j = _mirrored((x - grid.west) / grid.spacing, land.heights.shape[1])
    broad, _, _ = noise2(x / 90, y / 90, 3)
    fine, _, _ = noise2(x / 23, y / 23, 4)
    for c in range(3):
        lobes.albedo[c] = land.albedo[i, j, c] * 0.4 + 0.6 * material.base[c] * (1 + 0.3 * broad + 0.2 * fine)
        hit.normal[c] = hit.geometric[c]
