"""Window light: directions to the sky through openings that a place says, for points inside.

An opening is a `lumwick.trace.records.PORTAL`. A direction is chosen by the sky's own light or through an opening, and
its pdf is the sum of both, so that it makes no difference to the picture, only to its noise, which of them it was.

References
----------
E. Veach and L. Guibas, Optimally combining sampling techniques for Monte Carlo rendering, SIGGRAPH 1995 (mixtures of
densities); B. Bitterli, J. Novak, W. Jarosz, Portal-masked environment map sampling, EGSR 2015 (why openings).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER

MOST, HALF_AT = 0.9, 0.02
"""Share of directions through openings where they fill the view, and the solid angle [sr] at which it is half of that
(practice)."""


@nb.njit(**INNER)
def _seen(portal, p):
    """About the solid angle [sr] of an opening from a point in the room behind it; 0 from elsewhere."""
    x, y, z = p[0] - portal.position[0], p[1] - portal.position[1], p[2] - portal.position[2]
    front = x * portal.direction[0] + y * portal.direction[1] + z * portal.direction[2]
    if front <= 1e-4 or front > portal.reach:
        return 0.0
    far2 = x * x + y * y + z * z
    if far2 > portal.reach * portal.reach + portal.aside * portal.aside:
        return 0.0
    return portal.area * front / (far2 * np.sqrt(far2) + portal.area * front / 4)


@nb.njit(**INNER)
def share(portals, p):
    """Share of directions that are chosen through openings at a point, and their solid angles' sum [sr]."""
    total = 0.0
    for k in range(len(portals)):
        total += _seen(portals[k], p)
    return MOST * total / (total + HALF_AT), total


@nb.njit(**INNER)
def pdf(portals, p, total, dx, dy, dz):
    """Density [1/sr] with which `choose` takes a direction at a point."""
    out = 0.0
    for k in range(len(portals)):
        w = portals[k]
        mine = _seen(w, p)
        if mine <= 0:
            continue
        cos = -(dx * w.direction[0] + dy * w.direction[1] + dz * w.direction[2])
        if cos <= 1e-6:
            continue
        x, y, z = w.position[0] - p[0], w.position[1] - p[1], w.position[2] - p[2]
        far = -(x * w.direction[0] + y * w.direction[1] + z * w.direction[2]) / cos
        x, y, z = far * dx - x, far * dy - y, far * dz - z
        a, b = w.side_a, w.side_b
        la, lb = a[0] * a[0] + a[1] * a[1] + a[2] * a[2], b[0] * b[0] + b[1] * b[1] + b[2] * b[2]
        if abs(x * a[0] + y * a[1] + z * a[2]) <= la and abs(x * b[0] + y * b[1] + z * b[2]) <= lb:
            out += mine / total * far * far / (cos * w.area)
    return out


@nb.njit(**INNER)
def choose(portals, p, total, u, v, d):
    """A direction through one of the openings, evenly over its area, into ``d``."""
    at, number, among = u * total, -1, 1.0
    for k in range(len(portals)):
        mine = _seen(portals[k], p)
        if mine > 0:
            number, among = k, min(at / mine, 0.999999)
            if at < mine:
                break
            at -= mine
    w = portals[number]
    a, b = 2 * among - 1, 2 * v - 1
    for c in range(3):
        d[c] = w.position[c] + a * w.side_a[c] + b * w.side_b[c] - p[c]
    q = 1 / np.sqrt(max(1e-20, d[0] * d[0] + d[1] * d[1] + d[2] * d[2]))
    for c in range(3):
        d[c] *= q
