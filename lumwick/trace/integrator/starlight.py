"""The night's lights as a ray that meets nothing sees them: stars, the galaxy's band, the moon's face.

A star has no size; it is spread over about a pixel, so that what a pixel gathers of it is its light over the pixel's
angle, whatever the film's size. Directions are sorted into cells of equal height and bearing, so that a ray looks at
the few stars of its own cell.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.trace.sampling import INNER, bearing, elevation

Floats = NDArray[np.float64]
ROWS, COLUMNS = 256, 512
WIDEST = 0.006
"""Angle [rad] over which something small is spread at most: pixels of a very small picture."""


@nb.njit(**INNER)
def cell_of(dx, dy, dz):
    """The cell of a direction."""
    row = min(int(0.5 * (dz + 1) * ROWS), ROWS - 1)
    az = bearing(dx, dy) / (2 * np.pi)
    return row * COLUMNS + min(int((az - np.floor(az)) * COLUMNS), COLUMNS - 1)


@nb.njit(cache=True)
def _touched(direction, wide, count, order, first):
    """Count the cells that each direction touches, or note it in each of them."""
    for i in range(len(direction)):
        z = min(max(direction[i, 2], -1.0), 1.0)
        el, az = np.arcsin(z), np.arctan2(direction[i, 0], direction[i, 1])
        low = min(int(0.5 * (np.sin(max(el - wide[i], -np.pi / 2)) + 1) * ROWS), ROWS - 1)
        high = min(int(0.5 * (np.sin(min(el + wide[i], np.pi / 2)) + 1) * ROWS), ROWS - 1)
        flat = np.cos(min(np.pi / 2, abs(el) + wide[i]))
        span = np.pi if flat <= 1.1 * wide[i] else min(np.pi, 1.1 * wide[i] / flat)
        start = int(np.floor((az - span) / (2 * np.pi) * COLUMNS))
        end = int(np.floor((az + span) / (2 * np.pi) * COLUMNS))
        for row in range(low, high + 1):
            for column in range(start, min(end, start + COLUMNS - 1) + 1):
                cell = row * COLUMNS + column % COLUMNS
                if len(order):
                    order[first[cell] + count[cell]] = i
                count[cell] += 1


def sort_by_way(direction: Floats, wide: Floats) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Sort directions (n, 3) into cells, each into all that an angle (n,) [rad] about it touches.

    Returns their numbers, cell after cell, and where each cell's begin (ROWS * COLUMNS + 1,).
    """
    count = np.zeros(ROWS * COLUMNS, np.int32)
    first = np.zeros(ROWS * COLUMNS + 1, np.int32)
    _touched(direction, wide, count, np.zeros(0, np.int32), first)
    first[1:] = np.cumsum(count)
    order = np.zeros(int(first[-1]), np.int32)
    count[:] = 0
    _touched(direction, wide, count, order, first)
    return order, first


@nb.njit(**INNER)
def _stars(star, first, spread, d, c):
    """Add the light [cd/m2] of stars near a direction, each spread over an angle [rad]."""
    r2 = spread * spread
    cell = cell_of(d[0], d[1], d[2])
    for k in range(first[cell], first[cell + 1]):
        x, y, z = d[0] - star[k, 0], d[1] - star[k, 1], d[2] - star[k, 2]
        q = (x * x + y * y + z * z) / r2
        if q < 1:
            w = 3 / (np.pi * r2) * (1 - q) * (1 - q)
            for i in range(3):
                c[i] += w * star[k, 3 + i]


@nb.njit(**INNER)
def _band(night, galaxy, d, c):
    """Add the galaxy's band."""
    t = night.turn
    x = t[0, 0] * d[0] + t[0, 1] * d[1] + t[0, 2] * d[2]
    y = t[1, 0] * d[0] + t[1, 1] * d[1] + t[1, 2] * d[2]
    z = t[2, 0] * d[0] + t[2, 1] * d[1] + t[2, 2] * d[2]
    rows, columns = galaxy.shape
    fi = (0.5 - elevation(min(max(z, -1.0), 1.0)) / np.pi) * rows - 0.5
    fj = bearing(y, x) / (2 * np.pi) * columns - 0.5  # from x through y, as right ascension goes
    i, gj = min(max(int(fi), 0), rows - 2), np.floor(fj)
    a, b = min(max(fi - i, 0.0), 1.0), fj - gj
    j, j2 = int(gj) % columns, (int(gj) + 1) % columns
    v = (galaxy[i, j] * (1 - b) + galaxy[i, j2] * b) * (1 - a) + (
        galaxy[i + 1, j] * (1 - b) + galaxy[i + 1, j2] * b
    ) * a
    v *= np.exp(-0.2 / max(d[2], 0.03))
    for k in range(3):
        c[k] += v * night.band[k]


@nb.njit(**INNER)
def _moon(night, face, d, c):
    """Add the moon's face."""
    m, r, u = night.moon_direction, night.moon_right, night.moon_up
    towards = m[0] * d[0] + m[1] * d[1] + m[2] * d[2]
    if towards <= 0.5:
        return
    k = 1 / (towards * night.moon_tan)
    x = (r[0] * d[0] + r[1] * d[1] + r[2] * d[2]) * k
    y = (u[0] * d[0] + u[1] * d[1] + u[2] * d[2]) * k / night.moon_flat
    if x * x + y * y >= 1:
        return
    cos, sin = night.moon_turn[0], night.moon_turn[1]
    x, y = x * cos - y * sin, x * sin + y * cos
    n = face.shape[0]
    fi, fj = min(max((0.5 - 0.5 * y) * n - 0.5, 0.0), n - 1.001), min(max((0.5 + 0.5 * x) * n - 0.5, 0.0), n - 1.001)
    i, j = int(fi), int(fj)
    a, b = fi - i, fj - j
    for q in range(3):
        top = face[i, j, q] * (1 - b) + face[i, j + 1, q] * b
        c[q] += top * (1 - a) + (face[i + 1, j, q] * (1 - b) + face[i + 1, j + 1, q] * b) * a


@nb.njit(**INNER)
def shines(night):
    """Whether there is anything of the night in the sky."""
    return night.stars > 0 or night.moon > 0 or night.band[1] > 0


@nb.njit(**INNER)
def add_night(lights, spread, d, c):
    """Add what shines in the night sky along a direction [cd/m2].

    Parameters
    ----------
    spread : float [rad]
        Angle of a pixel.
    """
    night = lights.night[0]
    if night.moon > 0:
        _moon(night, lights.moon_face, d, c)
    if d[2] < 0:
        return
    if night.stars > 0:
        _stars(lights.star, lights.star_first, min(spread, WIDEST), d, c)
    if night.band[1] > 0:
        _band(night, lights.galaxy, d, c)
