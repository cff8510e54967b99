"""Clouds before the sky as one eye sees them.

They are marched for each spot of a lattice over the picture when a ray first asks for it, and read off between the
spots by all others: their light comes from so far off that it is the same for all samples of a pixel, for all moments
of a shutter, and for an eye that moves while it is open.

Threads write the same numbers to a spot, whoever comes first.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator import clouds
from lumwick.trace.integrator.skylight import sky_from
from lumwick.trace.sampling import INNER

EDGEWISE = 0.12
"""Sine of the height under which clouds are marched for each ray: there they lie edge on, and are finer than any
lattice (practice, docs/decisions/0025)."""
SIDEWAYS = 0.05
"""Cosine to where the eye looks under which a direction is not on the lattice."""


@nb.njit(**INNER)
def march(air, lights, ctx, origin, d, xi, air_light):
    """Low clouds along a ray that meets nothing, and high ones behind them: their light into ``clouds`` of the
    working record; returns what they leave of what lies behind. ``air_light`` is the clear sky's."""
    work, sun = ctx.work, lights.sun[0]
    keep = clouds.march(
        air.cloud[0],
        air.deck,
        air.haze,
        sun,
        origin,
        d,
        clouds.FARTHEST,
        xi,
        work.lattice_noise,
        air_light,
        work.clouds,
    )
    behind = clouds.veil(air.cloud[0], sun, origin, d, work.high_clouds)
    for c in range(3):
        work.clouds[c] += keep * work.high_clouds[c]
    return keep * behind


@nb.njit(**INNER)
def none(ctx):
    """No clouds: no light of theirs, and all of what lies behind is left."""
    for c in range(3):
        ctx.work.clouds[c] = 0.0
    return 1.0


@nb.njit(**INNER)
def _lot(row, column):
    """One of sixteen numbers in [0, 1) for a spot, unlike its neighbours' (an ordered pattern)."""
    x, y = column & 3, row & 3
    a, b = x ^ y, y
    return (8 * (a & 1) + 4 * (b & 1) + 2 * (a >> 1) + (b >> 1) + 0.5) / 16


@nb.njit(**INNER)
def _look_up(air, lights, ctx, row, column):
    """March a spot of the lattice: the first steps of its marches begin each elsewhere, and elsewhere than those of its
    neighbours."""
    work, d, over = ctx.work, ctx.work.lattice_direction, ctx.cloud_lattice
    sx = (2 * (column * over.step + over.left) / over.width - 1) * over.tan_x
    sy = (1 - 2 * (row * over.step + over.top) / over.height) * over.tan_y
    q = 1 / np.sqrt(1 + sx * sx + sy * sy)
    for c in range(3):
        d[c] = (over.forward[c] + sx * over.right[c] + sy * over.up[c]) * q
    sky_from(lights, lights.sky, over.origin, d, work.lattice_sky)
    red = green = blue = left = 0.0
    for k in range(over.marches):
        left += march(air, lights, ctx, over.origin, d, (k + _lot(row, column)) / over.marches, work.lattice_sky)
        red += work.clouds[0]
        green += work.clouds[1]
        blue += work.clouds[2]
    seen = over.seen[row, column]
    q = 1.0 / over.marches
    seen[0], seen[1], seen[2], seen[3] = q * red, q * green, q * blue, q * left


@nb.njit(**INNER)
def read_off(air, lights, ctx, d):
    """Clouds along a direction [unit]: their light into ``clouds`` of the working record; returns what they leave
    of what lies behind, or -1 if the lattice does not reach there or is too coarse."""
    over = ctx.cloud_lattice
    rows, columns = over.seen.shape[0], over.seen.shape[1]
    if rows < 2 or d[2] < EDGEWISE:
        return -1.0
    ahead = right = up = 0.0
    for c in range(3):
        ahead += d[c] * over.forward[c]
        right += d[c] * over.right[c]
        up += d[c] * over.up[c]
    if ahead < SIDEWAYS:
        return -1.0
    x = ((right / (ahead * over.tan_x) + 1) * 0.5 * over.width - over.left) / over.step
    y = ((1 - up / (ahead * over.tan_y)) * 0.5 * over.height - over.top) / over.step
    if not (0 <= x < columns - 1 and 0 <= y < rows - 1):
        return -1.0
    j, i = int(x), int(y)
    for row in range(i, i + 2):
        for column in range(j, j + 2):
            seen = over.seen[row, column]
            if min(min(seen[0], seen[1]), min(seen[2], seen[3])) < 0:
                _look_up(air, lights, ctx, row, column)
    a, b = x - j, y - i
    light, left = ctx.work.clouds, 0.0
    p, q, r, s = over.seen[i, j], over.seen[i, j + 1], over.seen[i + 1, j], over.seen[i + 1, j + 1]
    for c in range(4):
        told = (p[c] * (1 - a) + q[c] * a) * (1 - b) + (r[c] * (1 - a) + s[c] * a) * b
        if c < 3:
            light[c] = told
        else:
            left = told
    return left
