"""Water that is not the sea: ponds, streams and puddles, and what stirs any water: things, and rain.

How rough water turns and how foam breaks up are practice: chosen by eye, with no source.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.sampling import INNER, noise2
from lumwick.water.cells import DEPTH, EAST, FOAM, HEIGHT, NO_WATER, NORTH, ROUGH, SLOPE_EAST, SLOPE_NORTH

FINER = 0.31
"""Size of a second set of small ripples against the first, and its share."""
FINER_SHARE = 0.7
SEEN_CELLS = 5.0
"""Cells of a tile in the shortest waves that are drawn in it."""
SMOOTHEST = 0.0004
"""Least variance of slopes too fine to see."""


@nb.njit(**INNER)
def tile_at(tile, length, x, y, c):
    """A channel of a tile, which repeats over ``length`` [m]."""
    n = tile.shape[0]
    fx, fy = x / length * n, y / length * n
    gx, gy = np.floor(fx), np.floor(fy)
    a, b = fx - gx, fy - gy
    j, i = int(gx) % n, int(gy) % n
    j2, i2 = (j + 1) % n, (i + 1) % n
    low = tile[i, j, c] * (1 - a) + tile[i, j2, c] * a
    return low * (1 - b) + (tile[i2, j, c] * (1 - a) + tile[i2, j2, c] * a) * b


@nb.njit(**INNER)
def tile_two(tile, length, x, y, c):
    """A channel of a tile, which repeats over ``length`` [m], and the next one."""
    n = tile.shape[0]
    fx, fy = x / length * n, y / length * n
    gx, gy = np.floor(fx), np.floor(fy)
    a, b = fx - gx, fy - gy
    j, i = int(gx) % n, int(gy) % n
    j2 = j + 1 if j + 1 < n else 0
    i2 = i + 1 if i + 1 < n else 0
    p, q, r, s = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    d = c + 1
    return (
        p * tile[i, j, c] + q * tile[i, j2, c] + r * tile[i2, j, c] + s * tile[i2, j2, c],
        p * tile[i, j, d] + q * tile[i, j2, d] + r * tile[i2, j, d] + s * tile[i2, j2, d],
    )


@nb.njit(**INNER)
def flow_cell(body, x, y):
    """The cell of a body's grid under a point, or -1, and the shares of the next row and column."""
    fx, fy = (x - body.west) / body.spacing, (y - body.south) / body.spacing
    if body.columns < 2 or not (0 <= fx < body.columns - 1 and 0 <= fy < body.rows - 1):
        return -1, 0.0, 0.0
    j, i = int(fx), int(fy)
    return int(body.first) + i * int(body.columns) + j, fy - i, fx - j


@nb.njit(**INNER)
def flow_at(flow, columns, k, a, b, c):
    """A channel of a body's grid between four cells."""
    low = flow[k, c] * (1 - b) + flow[k + 1, c] * b
    return low * (1 - a) + (flow[k + columns, c] * (1 - b) + flow[k + columns + 1, c] * b) * a


@nb.njit(**INNER)
def _drawn(tile, length, footprint):
    """Share of a tile's waves that is drawn where a ray is so wide [m]; the rest is roughness."""
    return min(1.0, max(0.0, 1.6 - footprint * tile.shape[0] / (length * SEEN_CELLS)))


@nb.njit(**INNER)
def stirred(waters, number, x, y):
    """Slopes and foam of what stirs a body of water there: wakes and rings."""
    sx = sy = foam = 0.0
    for k in range(len(waters.patch)):
        patch = waters.patch[k]
        n = int(patch.side)
        fx, fy = (x - patch.west) / patch.spacing, (y - patch.south) / patch.spacing
        if n < 2 or int(patch.body) != number or not (0 <= fx < n - 1 and 0 <= fy < n - 1):
            continue
        j, i = int(fx), int(fy)
        at, a, b = int(patch.first) + i * n + j, fy - i, fx - j
        sx += flow_at(waters.stirred, n, at, a, b, 0)
        sy += flow_at(waters.stirred, n, at, a, b, 1)
        foam = max(foam, flow_at(waters.stirred, n, at, a, b, 2))
    return sx, sy, foam


@nb.njit(**INNER)
def rained(waters, x, y, footprint):
    """Slopes of the rings of rain, and the variance of those too fine to see."""
    length = waters.tiles[0].rain
    if length <= 0:
        return 0.0, 0.0, 0.0
    k = _drawn(waters.rain, length, footprint)
    left = 0.02 * (1 - k)
    if k <= 0:
        return 0.0, 0.0, left
    sx, sy = tile_two(waters.rain, length, x, y, 0)
    return k * sx, k * sy, left


@nb.njit(**INNER)
def _chop(waters, x, y, footprint):
    """Slopes of small ripples, of a variance of 1, and how much of it is too fine to see."""
    length = waters.tiles[0].chop
    coarse = _drawn(waters.chop, length, footprint)
    fine = _drawn(waters.chop, length * FINER, footprint)
    a, b = (1 - FINER_SHARE**2) ** 0.5 * coarse, FINER_SHARE * fine
    east, north = tile_two(waters.chop, length, x, y, 0)
    other, one = tile_two(waters.chop, length * FINER, y, x, 0)
    return a * east + b * one, a * north + b * other, 1 - a * a - b * b


@nb.njit(**INNER)
def ripples(waters, body, x, y, wide, east, north):
    """Slopes of small ripples, of a variance of 1, and how much of it is too fine to see; carried on by a stream in two
    sets, one for a while as the other begins again."""
    if east * east + north * north < 1e-6:
        return _chop(waters, x, y, wide)
    first, second = body.share, 1 - body.share
    ax, ay, unseen = _chop(waters, x - east * body.offset[0], y - north * body.offset[0], wide)
    bx, by, _ = _chop(waters, x + 7.7 - east * body.offset[1], y + 3.1 - north * body.offset[1], wide)
    q = 1 / np.sqrt(first * first + second * second)
    return (ax * first + bx * second) * q, (ay * first + by * second) * q, unseen


@nb.njit(**WITHIN)
def inland(land, waters, number, position, footprint, grazing, n):
    """Set the normal of other water than the sea; returns its foam, slopes' variance, and depth [m] if its grid tells
    it, else -1."""
    body = waters.body[number]
    x, y = position[0], position[1]
    k, a, b = flow_cell(body, x, y)
    wide = footprint / np.sqrt(grazing)
    sx, sy, foam = stirred(waters, number, x, y)
    rx, ry, left = rained(waters, x, y, wide)
    sx, sy = sx + rx, sy + ry
    rough, depth, east, north = body.ruffle, -1.0, 0.0, 0.0
    if k >= 0:
        columns = int(body.columns)
        east = flow_at(waters.flow, columns, k, a, b, EAST)
        north = flow_at(waters.flow, columns, k, a, b, NORTH)
        own = flow_at(waters.flow, columns, k, a, b, ROUGH)
        rough = np.sqrt(rough * rough + own * own)
        sx += flow_at(waters.flow, columns, k, a, b, SLOPE_EAST)
        sy += flow_at(waters.flow, columns, k, a, b, SLOPE_NORTH)
        if body.filmed > 0:
            depth = flow_at(waters.flow, columns, k, a, b, DEPTH)
    if rough > 0:
        cx, cy, unseen = ripples(waters, body, x, y, wide, east, north)
        sx, sy = sx + rough * cx, sy + rough * cy
        left += rough * rough * unseen
    q = 1 / np.sqrt(1 + sx * sx + sy * sy)
    n[0], n[1], n[2] = -sx * q, -sy * q, q
    if k >= 0:
        own = flow_at(waters.flow, int(body.columns), k, a, b, FOAM)
        if own > 0.02:
            foam = max(foam, _broken(body, own, x, y, east, north))
    return min(1.0, foam), max(left, SMOOTHEST), depth


@nb.njit(**INNER)
def _broken(body, share, x, y, east, north):
    """Foam broken up into threads and flecks that go with the stream."""
    total = 0.0
    speed = np.sqrt(east * east + north * north)
    ux, uy = (east / speed, north / speed) if speed > 1e-3 else (1.0, 0.0)
    for which in range(2):
        px, py = x - east * body.offset[which] + 5.3 * which, y - north * body.offset[which]
        along, across = px * ux + py * uy, py * ux - px * uy
        broad, _, _ = noise2(along * 1.3, across * 4.5, 51)
        fine, _, _ = noise2(along * 6.1, across * 13.0, 52)
        finest, _, _ = noise2(px * 37.0, py * 37.0, 53)
        xi = 0.5 + 0.34 * broad + 0.26 * fine + 0.16 * finest
        weight = body.share if which == 0 else 1 - body.share
        total += weight * min(1.0, max(0.0, (xi - 1 + share * 1.15) * 3.0))
    return total


@nb.njit(**WITHIN)
def height_over(waters, x, y):
    """Height [m] of the highest inland water at a spot, or far down."""
    out = NO_WATER
    for number in range(1, len(waters.body)):
        body = waters.body[number]
        k, _, _ = flow_cell(body, x, y)
        if k >= 0:
            out = max(out, float(waters.flow[k, HEIGHT]))
    return out
