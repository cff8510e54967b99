"""Lamps as a shaded point sees them, for kernels.

A lamp is a `lumwick.trace.records.LAMP`, made by `lumwick.trace.lamps.row`.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER

POINT, SPOT, PARALLEL, RECTANGLE, DISC, MESH, LINE = 0, 1, 2, 3, 4, 5, 6
"""Kinds of lamp; those from RECTANGLE on have an area. A line is a mesh that shines outwards alone."""
PARALLEL_FAR = 6e4
"""How far off [m] the source of parallel light is taken to be."""


@nb.njit(**INNER)
def _weight(lamp, position):
    """How much of the choice a lamp gets at a point: its power over the square of its distance."""
    if lamp.kind == PARALLEL:
        return lamp.power
    far2 = 0.0
    for c in range(3):
        far2 += (lamp.position[c] - position[c]) ** 2
    return lamp.power / max(far2, lamp.reach2)


@nb.njit(**INNER)
def pmf(lamps, number, position):
    """Probability with which `choose` takes a lamp at a point."""
    total = 0.0
    for k in range(len(lamps)):
        total += _weight(lamps[k], position)
    return _weight(lamps[number], position) / total if total > 0 else 0.0


@nb.njit(**INNER)
def choose(lamps, position, u):
    """A lamp's number, the probability of choosing it, and about the light [lx] of all at this point; -1 if no lamp
    shines."""
    total = 0.0
    for k in range(len(lamps)):
        total += _weight(lamps[k], position)
    if total <= 0:
        return -1, 0.0, 0.0
    at = u * total
    for k in range(len(lamps)):
        weight = _weight(lamps[k], position)
        if at < weight or k == len(lamps) - 1:
            return k, weight / total, total
        at -= weight
    return -1, 0.0, 0.0


@nb.njit(**INNER)
def _spot_of_mesh(lamp, emitters, u, v):
    """A point of a glowing mesh by its triangles' areas, and its normal: x, y, z, nx, ny, nz."""
    low, high = int(lamp.first), int(lamp.first + lamp.count) - 1
    first = low
    while low < high:
        mid = (low + high) // 2
        if emitters[mid].cdf > u:
            high = mid
        else:
            low = mid + 1
    before = emitters[low - 1].cdf if low > first else 0.0
    t = emitters[low]
    u = min(0.999999, (u - before) / max(1e-12, t.cdf - before))
    s = np.sqrt(u)
    k, m = 1 - s, v * s
    a, b, p = t.side_a, t.side_b, t.corner
    nx, ny, nz = a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
    q = 1 / max(1e-20, np.sqrt(nx * nx + ny * ny + nz * nz))
    return (
        p[0] + k * a[0] + m * b[0],
        p[1] + k * a[1] + m * b[1],
        p[2] + k * a[2] + m * b[2],
        nx * q,
        ny * q,
        nz * q,
    )


@nb.njit(**INNER)
def thrown_through(light, x, y, outside, colour):
    """Take what a gobo keeps back, at a place on it in halves of its width from its middle, to the right and up as its
    light goes; ``outside`` is left of what passes beside it."""
    n = light.shape[0]
    fi, fj = (0.5 - 0.5 * y) * n - 0.5, (0.5 + 0.5 * x) * n - 0.5
    if fi < -0.5 or fj < -0.5 or fi > n - 0.5 or fj > n - 0.5:
        for c in range(3):
            colour[c] *= outside
        return
    gi, gj = np.floor(fi), np.floor(fj)
    a, b = fi - gi, fj - gj
    i, i2 = min(max(int(gi), 0), n - 1), min(max(int(gi) + 1, 0), n - 1)
    j, j2 = min(max(int(gj), 0), n - 1), min(max(int(gj) + 1, 0), n - 1)
    for c in range(3):
        colour[c] *= (1 - a) * ((1 - b) * light[i, j, c] + b * light[i, j2, c]) + a * (
            (1 - b) * light[i2, j, c] + b * light[i2, j2, c]
        )


@nb.njit(**INNER)
def _by_table(light, lamp, d, colour):
    """Spread a lamp's light as a table says: rows by the angle from its way, columns about it, from its first side to
    its second."""
    n = light.shape[0]
    a, b, w = lamp.side_a, lamp.side_b, lamp.direction
    down = -(d[0] * w[0] + d[1] * w[1] + d[2] * w[2])
    x = -(d[0] * a[0] + d[1] * a[1] + d[2] * a[2])
    y = -(d[0] * b[0] + d[1] * b[1] + d[2] * b[2])
    fi = np.arccos(min(1.0, max(-1.0, down))) / np.pi * (n - 1)
    fj = np.arctan2(y, x) / (2 * np.pi)
    fj = (fj - np.floor(fj)) * n
    i, j = min(int(fi), n - 2), int(fj) % n
    s, t = fi - i, fj - np.floor(fj)
    j2 = (j + 1) % n
    k = (1 - s) * ((1 - t) * light[i, j, 0] + t * light[i, j2, 0]) + s * (
        (1 - t) * light[i + 1, j, 0] + t * light[i + 1, j2, 0]
    )
    for c in range(3):
        colour[c] *= k


@nb.njit(**INNER)
def _parallel(lamp, u, v, light_sample):
    """A direction to a source far off, seen as wide as it is said to be."""
    r, phi = lamp.tan_spread * np.sqrt(u), 2 * np.pi * v
    d, x, y = light_sample.direction, r * np.cos(phi), r * np.sin(phi)
    for c in range(3):
        d[c] = -lamp.direction[c] + x * lamp.side_a[c] + y * lamp.side_b[c]
        light_sample.radiance[c] = lamp.light[c] * PARALLEL_FAR * PARALLEL_FAR
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
    light_sample.distance, light_sample.pdf = PARALLEL_FAR, 0.0


@nb.njit(**INNER)
def shine(lamp, emitters, gobos, position, u, v, light_sample):
    """Choose a point of a lamp: the gleam takes direction, distance, its intensity [cd] (points and spots) or luminance
    [cd/m2] as radiance, and the pdf [1/sr] of the direction for lamps with an area, or 0."""
    kind = int(lamp.kind)
    if kind == PARALLEL:
        _parallel(lamp, u, v, light_sample)
        return
    px, py, pz = lamp.position[0], lamp.position[1], lamp.position[2]
    sx = sy = 0.0
    wx, wy, wz = lamp.direction[0], lamp.direction[1], lamp.direction[2]
    if kind in (RECTANGLE, DISC):
        a, b = 2 * u - 1, 2 * v - 1
        if kind == DISC:
            r, phi = np.sqrt(u), 2 * np.pi * v
            a, b = r * np.cos(phi), r * np.sin(phi)
        px += a * lamp.side_a[0] + b * lamp.side_b[0]
        py += a * lamp.side_a[1] + b * lamp.side_b[1]
        pz += a * lamp.side_a[2] + b * lamp.side_b[2]
    elif kind == SPOT and lamp.source > 0:
        r, phi = lamp.source * np.sqrt(u), 2 * np.pi * v
        sx, sy = r * np.cos(phi), r * np.sin(phi)
        px += sx * lamp.side_a[0] + sy * lamp.side_b[0]
        py += sx * lamp.side_a[1] + sy * lamp.side_b[1]
        pz += sx * lamp.side_a[2] + sy * lamp.side_b[2]
    elif kind >= MESH:
        px, py, pz, wx, wy, wz = _spot_of_mesh(lamp, emitters, u, v)
    dx, dy, dz = px - position[0], py - position[1], pz - position[2]
    far2 = max(1e-8, dx * dx + dy * dy + dz * dz)
    far = np.sqrt(far2)
    d = light_sample.direction
    d[0], d[1], d[2] = dx / far, dy / far, dz / far
    lean = -(d[0] * wx + d[1] * wy + d[2] * wz)
    k = 1.0
    if kind == SPOT:
        s = min(1.0, max(0.0, (lean - lamp.cos_outer) / max(1e-6, lamp.cos_inner - lamp.cos_outer)))
        k = s * s * (3 - 2 * s)
    elif kind >= RECTANGLE:
        if kind == MESH:
            lean = abs(lean)
        if lean <= 1e-6:
            k = 0.0
    for c in range(3):
        light_sample.radiance[c] = k * lamp.light[c]
    if kind == SPOT and lamp.gobo >= 0 and lean > 1e-6:
        # from the source's point through the gobo: how far aside the light has gone when it is there
        a, b = lamp.side_a, lamp.side_b
        g = lamp.gobo_far / lean
        x = g * (d[0] * a[0] + d[1] * a[1] + d[2] * a[2]) - sx  # the first side lies to the left of the light's way
        y = sy - g * (d[0] * b[0] + d[1] * b[1] + d[2] * b[2])
        half = lamp.gobo_half
        thrown_through(gobos[int(lamp.gobo)], x / half, y / half, 0.0, light_sample.radiance)
    if kind <= SPOT and lamp.table >= 0:
        _by_table(gobos[int(lamp.table)], lamp, d, light_sample.radiance)
    light_sample.distance = far
    light_sample.pdf = far2 / (max(lean, 1e-6) * lamp.area) if kind >= RECTANGLE else 0.0
