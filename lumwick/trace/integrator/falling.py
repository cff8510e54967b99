"""What falls through the air before the camera: streaks of rain, flakes, what drifts.

Each is a stretch that it crosses while the shutter is open, sorted by the direction in which it is seen from the eye
(`starlight.sort_by_way`), so that a ray looks at the few of its own cell. A streak lets through what it does not cover;
one that is thinner than a pixel covers a part of it.
"""

from __future__ import annotations

import numba as nb

from lumwick.trace.integrator import film
from lumwick.trace.integrator.starlight import cell_of
from lumwick.trace.sampling import INNER

START, RUN, RADIUS, COVERS, LIGHT, COLUMNS = 0, 3, 6, 7, 8, 11
"""Columns of a row: where it starts, its run while the shutter is open, its radius [m], how much of a point on its way
it covers, and its light [cd/m2]."""
NEAREST = 0.05


@nb.njit(**INNER)
def cross_falling(air, ctx):
    """What a camera's ray meets of it before its surface: takes light and gives some."""
    path, hit, drop, first = ctx.path, ctx.hit, air.drop, air.drop_first
    o, d = path.origin, path.direction
    cell = cell_of(d[0], d[1], d[2])
    row = film.AIR
    for k in range(first[cell], first[cell + 1]):
        one = drop[k]
        wx, wy, wz = o[0] - one[0], o[1] - one[1], o[2] - one[2]
        rx, ry, rz = one[3], one[4], one[5]
        b, c2 = d[0] * rx + d[1] * ry + d[2] * rz, rx * rx + ry * ry + rz * rz
        dw, rw = d[0] * wx + d[1] * wy + d[2] * wz, rx * wx + ry * wy + rz * wz
        s, den = 0.0, c2 - b * b
        if den > 1e-12:
            s = min(1.0, max(0.0, (rw - b * dw) / den))
        t = b * s - dw
        if t < NEAREST or t > hit.distance:
            continue
        x, y, z = wx + t * d[0] - s * rx, wy + t * d[1] - s * ry, wz + t * d[2] - s * rz
        wide = max(one[RADIUS], 0.75 * path.spread * t)
        q = (x * x + y * y + z * z) / (wide * wide)
        if q >= 1:
            continue
        covered = min(1.0, one[COVERS] * 1.5 * (one[RADIUS] / wide) * (1 - q))
        for c in range(3):
            path.by[row, c] += path.throughput[c] * covered * one[LIGHT + c]
            path.throughput[c] *= 1 - covered
