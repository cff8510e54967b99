"""Lamps as a shaded point sees them, for kernels.

A lamp is a row of numbers (`lumwick.trace.lamps.rows`): its kind, position, two half sides, the way it shines,
its light, and what its sampling needs. Points and spots have an intensity [cd], the others a luminance [cd/m2].
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER

POINT, SPOT, RECTANGLE, DISC, MESH = 0, 1, 2, 3, 4
KIND, AT, SIDE_A, SIDE_B, WAY, LIGHT = 0, 1, 4, 7, 10, 13
COS_INNER, COS_OUTER, AREA, POWER, REACH2, FIRST, COUNT = 16, 17, 18, 19, 20, 21, 22
LAMP_NUMBERS = 24
TRIANGLE_NUMBERS = 10
"""Of an emitting triangle: a corner, two sides, and the share of the lamp's area up to and with it."""


@nb.njit(**INNER)
def weight(lamp, x, y, z):
    """How much of the choice a lamp gets at a point: its power over the square of its distance."""
    dx, dy, dz = lamp[AT] - x, lamp[AT + 1] - y, lamp[AT + 2] - z
    return lamp[POWER] / max(dx * dx + dy * dy + dz * dz, lamp[REACH2])


@nb.njit(**INNER)
def chance(lamps, number, x, y, z):
    """Probability with which `choose` takes a lamp at a point."""
    total = 0.0
    for k in range(len(lamps)):
        total += weight(lamps[k], x, y, z)
    return weight(lamps[number], x, y, z) / total if total > 0 else 0.0


@nb.njit(**INNER)
def choose(lamps, x, y, z, u):
    """A lamp's number, the probability of choosing it, and about the light [lx] of all at this point; -1 if no lamp
    shines."""
    total = 0.0
    for k in range(len(lamps)):
        total += weight(lamps[k], x, y, z)
    if total <= 0:
        return -1, 0.0, 0.0
    at = u * total
    for k in range(len(lamps)):
        share = weight(lamps[k], x, y, z)
        if at < share or k == len(lamps) - 1:
            return k, share / total, total
        at -= share
    return -1, 0.0, 0.0


@nb.njit(**INNER)
def shine(lamp, triangles, x, y, z, u, v, d, c):
    """Choose a point of a lamp.

    Parameters
    ----------
    d : ndarray, shape (3,)
        Takes the direction to it.
    c : ndarray, shape (3,)
        Takes its intensity [cd] (points and spots) or luminance [cd/m2].

    Returns
    -------
    tuple of float
        Distance [m], and the density [1/sr] of the direction for lamps with an area, or 0.
    """
    kind = int(lamp[KIND])
    px, py, pz = lamp[AT], lamp[AT + 1], lamp[AT + 2]
    wx, wy, wz = lamp[WAY], lamp[WAY + 1], lamp[WAY + 2]
    if kind == RECTANGLE:
        a, b = 2 * u - 1, 2 * v - 1
        px += a * lamp[SIDE_A] + b * lamp[SIDE_B]
        py += a * lamp[SIDE_A + 1] + b * lamp[SIDE_B + 1]
        pz += a * lamp[SIDE_A + 2] + b * lamp[SIDE_B + 2]
    elif kind == DISC:
        r, phi = np.sqrt(u), 2 * np.pi * v
        a, b = r * np.cos(phi), r * np.sin(phi)
        px += a * lamp[SIDE_A] + b * lamp[SIDE_B]
        py += a * lamp[SIDE_A + 1] + b * lamp[SIDE_B + 1]
        pz += a * lamp[SIDE_A + 2] + b * lamp[SIDE_B + 2]
    elif kind == MESH:
        low, high = int(lamp[FIRST]), int(lamp[FIRST] + lamp[COUNT]) - 1
        first = low
        while low < high:
            mid = (low + high) // 2
            if triangles[mid, 9] > u:
                high = mid
            else:
                low = mid + 1
        before = triangles[low - 1, 9] if low > first else 0.0
        u = min(0.999999, (u - before) / max(1e-12, triangles[low, 9] - before))
        s = np.sqrt(u)
        a, b = 1 - s, v * s
        t = triangles[low]
        px, py, pz = t[0] + a * t[3] + b * t[6], t[1] + a * t[4] + b * t[7], t[2] + a * t[5] + b * t[8]
        wx, wy, wz = t[4] * t[8] - t[5] * t[7], t[5] * t[6] - t[3] * t[8], t[3] * t[7] - t[4] * t[6]
        q = 1 / max(1e-20, np.sqrt(wx * wx + wy * wy + wz * wz))
        wx, wy, wz = wx * q, wy * q, wz * q
    dx, dy, dz = px - x, py - y, pz - z
    far2 = max(1e-8, dx * dx + dy * dy + dz * dz)
    far = np.sqrt(far2)
    d[0], d[1], d[2] = dx / far, dy / far, dz / far
    lean = -(d[0] * wx + d[1] * wy + d[2] * wz)
    k = 1.0
    if kind == SPOT:
        s = min(1.0, max(0.0, (lean - lamp[COS_OUTER]) / max(1e-6, lamp[COS_INNER] - lamp[COS_OUTER])))
        k = s * s * (3 - 2 * s)
    elif kind >= RECTANGLE:
        if kind == MESH:
            lean = abs(lean)
        if lean <= 1e-6:
            k = 0.0
    for i in range(3):
        c[i] = k * lamp[LIGHT + i]
    return far, far2 / (max(lean, 1e-6) * lamp[AREA]) if kind >= RECTANGLE else 0.0
