"""Built-in surfaces that need no texture: bark, rock, soil, sand, moss, planks, plaster, brick, gravel; for kernels.

A pattern is a height, a share of the second colour, and a tone, at a point in the surface's own metres. Detail
finer than a ray's footprint fades out, so that the far field does not shimmer.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER, cell, noise2

NONE, BARK, ROCK, SOIL, SAND, MOSS, PLANKS, PLASTER, BRICK, GRAVEL = range(10)
NAMES = ("plain", "bark", "rock", "soil", "sand", "moss", "planks", "plaster", "brick", "gravel")


@nb.njit(**INNER)
def _fade(footprint, size):
    """How much of a detail of ``size`` a footprint still sees."""
    return min(1.0, max(0.0, 1.6 - 2.0 * footprint / size))


@nb.njit(**INNER)
def noise3(x, y, z, salt):
    """Value noise in space, from -1 to 1."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    ix, iy, iz = np.int64(fx), np.int64(fy), np.int64(fz) * 131 + salt
    u, v, w = x - fx, y - fy, z - fz
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    a = cell(ix, iy, iz) * (1 - u) + cell(ix + 1, iy, iz) * u
    b = cell(ix, iy + 1, iz) * (1 - u) + cell(ix + 1, iy + 1, iz) * u
    c = cell(ix, iy, iz + 131) * (1 - u) + cell(ix + 1, iy, iz + 131) * u
    d = cell(ix, iy + 1, iz + 131) * (1 - u) + cell(ix + 1, iy + 1, iz + 131) * u
    return 2 * ((a * (1 - v) + b * v) * (1 - w) + (c * (1 - v) + d * v) * w) - 1


@nb.njit(**INNER)
def _rough(x, y, z, octaves, footprint, size, salt):
    """Noise of several sizes, halving, from about -1 to 1."""
    total, share = 0.0, 0.5
    for k in range(octaves):
        seen = _fade(footprint, size)
        if seen <= 0:
            break
        total += share * seen * noise3(x / size, y / size, z / size, salt + k)
        size *= 0.48
        share *= 0.55
    return total


@nb.njit(**INNER)
def _cells(u, v, salt):
    """Distance to the nearest of one point a unit cell, the distance to the second, and the nearest one's number."""
    fu, fv = np.floor(u), np.floor(v)
    best, second, number = 9.0, 9.0, 0.0
    for i in range(-1, 2):
        for j in range(-1, 2):
            iu, iv = np.int64(fu) + i, np.int64(fv) + j
            du = fu + i + cell(iu, iv, salt) - u
            dv = fv + j + cell(iu, iv, salt + 7) - v
            d = np.sqrt(du * du + dv * dv)
            if d < best:
                best, second, number = d, best, cell(iu, iv, salt + 13)
            elif d < second:
                second = d
    return best, second, number


@nb.njit(**INNER)
def pattern(kind, u, v, w, footprint):
    """Height [of the pattern's own unit], share of the second colour (0 to 1) and tone (about 1) at a point.

    Parameters
    ----------
    u, v, w : float [m]
        Along the surface, along the stem or upwards, and out of it.
    footprint : float [m]
    """
    if kind == BARK:
        ridge = _rough(u, v * 0.16, w, 5, footprint, 0.09, 11)
        fine = _rough(u, v * 0.4, w, 3, footprint, 0.014, 31)
        h = 1 - abs(ridge) * 2.2
        return 0.010 * h + 0.002 * fine, min(1.0, max(0.0, 1.3 * h * h - 0.2)), 1 + 0.35 * ridge + 0.25 * fine
    if kind == ROCK:
        form = _rough(u, v, w, 7, footprint, 0.9, 41)
        seam = _rough(u * 0.3, v * 0.3, w * 2.4, 3, footprint, 0.5, 51)
        h = abs(form) * 0.7 + form * 0.3
        return 0.10 * h, min(1.0, max(0.0, 0.5 + 1.6 * seam)), 1 + 0.5 * form + 0.2 * seam
    if kind == SOIL:
        clod = _rough(u, v, w, 6, footprint, 0.16, 61)
        return 0.022 * clod, min(1.0, max(0.0, 0.5 + 1.2 * _rough(u, v, w, 2, footprint, 1.3, 66))), 1 + 0.55 * clod
    if kind == SAND:
        wave = 0.0
        seen = _fade(footprint, 0.06)
        if seen > 0:
            bend, _, _ = noise2(u / 0.7, v / 0.7, 71)
            wave = seen * np.cos((0.8 * u + 0.6 * v) * 68.0 + 2.8 * bend)
        grain = _rough(u, v, w, 3, footprint, 0.006, 73)
        return (
            0.0035 * wave + 0.0008 * grain,
            0.0,
            1 + 0.06 * wave + 0.22 * grain + 0.1 * _rough(u, v, w, 2, footprint, 0.8, 76),
        )
    if kind == MOSS:
        seen = _fade(footprint, 0.02)
        cushion = _rough(u, v, w, 4, footprint, 0.12, 81)
        tip = 0.0
        if seen > 0:
            d, _, _ = _cells(u / 0.008, v / 0.008, 83)
            tip = seen * (1 - d)
        return 0.02 * cushion + 0.003 * tip, min(1.0, max(0.0, 0.4 + cushion)), 0.85 + 0.3 * cushion + 0.35 * tip
    if kind == PLANKS:
        row = np.floor(u / 0.14)
        at = u / 0.14 - row
        own = cell(np.int64(row), 3, 91)
        end = np.floor(v / 2.4 + own * 7)
        tone = 0.78 + 0.44 * cell(np.int64(row), np.int64(end), 92)
        gap = _fade(footprint, 0.05) * max(0.0, 1 - min(at, 1 - at) * 28.0)
        grain = _rough(u, v * 0.05, w, 5, footprint, 0.02, 93)
        return -0.006 * gap + 0.0016 * grain, 0.0, tone * (1 + 0.4 * grain) * (1 - 0.8 * gap)
    if kind == PLASTER:
        coat = _rough(u, v, w, 5, footprint, 0.25, 101)
        return 0.004 * coat, min(1.0, max(0.0, 0.35 + 0.9 * _rough(u, v, w, 4, footprint, 1.6, 105))), 1 + 0.10 * coat
    if kind == BRICK:
        course = np.floor(v / 0.075)
        along = u / 0.225 + 0.5 * (course - 2 * np.floor(course / 2))
        brick = np.floor(along)
        a, b = (along - brick) * 0.225, (v / 0.075 - course) * 0.075
        edge = min(min(a, 0.225 - a), min(b, 0.075 - b))
        joint = _fade(footprint, 0.05) * min(1.0, max(0.0, (0.009 - edge) / 0.006))
        if footprint > 0.03:
            joint = joint + (1 - _fade(footprint, 0.05)) * 0.17
        own = cell(np.int64(brick), np.int64(course), 111)
        grain = _rough(u, v, w, 4, footprint, 0.02, 113)
        return (
            -0.007 * joint + 0.0018 * grain,
            joint,
            (0.75 + 0.5 * own * _fade(footprint, 0.3) + 0.25 * (1 - _fade(footprint, 0.3)))
            * (1 - joint)
            * (1 + 0.3 * grain)
            + joint * (1 + 0.15 * grain),
        )
    if kind == GRAVEL:
        seen = _fade(footprint, 0.05)
        if seen <= 0:
            return 0.0, 0.5, 1.0
        d, e, own = _cells(u / 0.028, v / 0.028, 121)
        round_ = max(0.0, 1 - 1.25 * d)
        return (
            0.010 * seen * np.sqrt(round_),
            own * seen + 0.5 * (1 - seen),
            1 + seen * ((0.6 + 0.7 * own) * min(1.0, 4 * (e - d)) - 1),
        )
    return 0.0, 0.0, 1.0
