"""Relief of the ground close to the camera: tussocks, clods and blocks that stand up from the survey's own surface.

Sizes and heights are practice: chosen by eye against photographs, with no source.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER, ROWS, noise2

TUSSOCKS, CLODS, BLOCKS = 0.055, 0.085, 0.17
"""How high sward, bare earth and rock stand up [m]."""
SUNK = 0.014
"""By which the relief lies under the survey's own surface where it is lowest, so that only what stands up is seen
[m]."""
REACH, FADES = 11.0, 6.0
"""How far from the eye it reaches, and from where on it sinks away [m]."""


@nb.njit(**INNER)
def broken_share(rock):
    """Of ground that is rock by a share, how much is rock or scree: less than half of it is bare earth."""
    return min(1.0, max(0.0, 2 * rock - 1))


@nb.njit(**INNER)
def earth_share(rock):
    """And how much is bare earth."""
    return min(1.0, 2 * rock) * (1 - broken_share(rock))


@nb.njit(**INNER)
def bumps(x, y, sward, rock, wet, out):
    """How high the ground stands up at a point, and its slopes east and north, into ``out`` (3).

    Parameters
    ----------
    sward, rock, wet : float
        Shares of the ground there, 0 to 1.
    """
    broken = broken_share(rock)
    earth = earth_share(rock)
    dry = 1 - min(1.0, 3 * wet)
    out[0] = out[1] = out[2] = 0.0
    for octave in range(3):
        size = 0.62 * 0.41**octave
        share = 0.6 * 0.5**octave
        clods = 0.2 if octave == 0 else (0.5 if octave == 1 else 0.3)
        high = dry * (TUSSOCKS * sward * share + CLODS * earth * clods)
        if high > 0:
            v, du, dv = noise2(x / size + 31.7 * octave, y / size - 12.3 * octave, 80 + octave)
            out[0] += high * 0.5 * (1 + v)
            out[1] += high * 0.5 * du / size
            out[2] += high * 0.5 * dv / size
        high = dry * BLOCKS * broken
        if high > 0:
            size *= 2.1
            v, du, dv = noise2(x / size - 7.9 * octave, y / size + 18.1 * octave, 84 + octave)
            side = -1.0 if v > 0 else 1.0
            out[0] += high * share * (1 - abs(v))
            out[1] += high * share * side * du / size
            out[2] += high * share * side * dv / size


@nb.njit(**INNER)
def faded(away):
    """What is left of the relief at a distance from the eye [m]."""
    s = min(1.0, max(0.0, (REACH - away) / (REACH - FADES)))
    return s * s * (3 - 2 * s)


@nb.njit(**ROWS)
def raise_ground(heights, cover, free, grid, eye, step, out):
    """The relief about an eye: vertices (n, n, 3) relative to it, into ``out``.

    Parameters
    ----------
    heights, cover, free : ndarray, shape (ny, nx), (ny, nx, 6), (ny, nx)
        Of the ground; 0 where nothing may stand up, 1 elsewhere.
    grid : (float, float, float) [m]
        West, south and spacing.
    eye : ndarray, shape (3,) [m]
    step : float [m]
        Between vertices.
    """
    n, (ny, nx) = out.shape[0], heights.shape
    west, south, spacing = grid
    for i in nb.prange(n):
        told = np.zeros(3)
        for j in range(n):
            dx, dy = (j - (n - 1) / 2) * step, (i - (n - 1) / 2) * step
            x, y = eye[0] + dx, eye[1] + dy
            fx = min(max((x - west) / spacing, 0.0), nx - 1.001)
            fy = min(max((y - south) / spacing, 0.0), ny - 1.001)
            p, q = int(fy), int(fx)
            a, b = fy - p, fx - q
            # a cell is two triangles to the ray library, that meet from its south-east to its north-west
            if a + b <= 1:
                z = heights[p, q] + b * (heights[p, q + 1] - heights[p, q]) + a * (heights[p + 1, q] - heights[p, q])
            else:
                top = heights[p + 1, q + 1]
                z = top + (1 - b) * (heights[p + 1, q] - top) + (1 - a) * (heights[p, q + 1] - top)
            share = (1 - a) * (1 - b), (1 - a) * b, a * (1 - b), a * b
            wet = sward = rock = may = 0.0
            for k in range(4):
                r, c = p + (k >> 1), q + (k & 1)
                wet += share[k] * cover[r, c, 3]
                sward += share[k] * cover[r, c, 4]
                rock += share[k] * cover[r, c, 5]
                may += share[k] * free[r, c]
            bumps(x, y, sward, rock, wet, told)
            away = np.sqrt(dx * dx + dy * dy + (z - eye[2]) ** 2)
            out[i, j, 0], out[i, j, 1] = dx, dy
            out[i, j, 2] = z - eye[2] + told[0] * faded(away) * may - SUNK
