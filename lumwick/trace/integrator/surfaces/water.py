"""The sea's surface: its waves, its foam and edge, and what it does with a ray: mirror it, or let it through.

Amounts of foam and lace are practice: chosen by eye, with no source.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.motion.quick import turn
from lumwick.trace.embree import SEEN
from lumwick.trace.integrator import film, media, rays
from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.integrator.facets import fresnel
from lumwick.trace.integrator.scattering import basis, mirror, refract
from lumwick.trace.integrator.surfaces.ground import bilinear, grid_cell
from lumwick.trace.integrator.surfaces.inland import (
    SMOOTHEST,
    flow_at,
    flow_cell,
    inland,
    rained,
    ripples,
    stirred,
    tile_at,
    tile_two,
)
from lumwick.trace.sampling import INNER, noise2, pair
from lumwick.water.cells import EAST, FOAM, NORTH, ROUGH

SKIM, INLAND_SKIM = 0.012, 0.0015
"""Depth [m] of a film at the water's edge that is too thin to see: of the sea's, and of other waters'."""
FOAM_ALBEDO = 0.72
"""Of dense, fresh foam (practice)."""
EDGE_DEPTH = 0.30
"""Water shallower than this [m] is laced with foam on a sea shore."""
LIP_DEPTH = 0.035
"""Depth [m] under which the wash's lip is foam (practice)."""
FACETS = 0.7
"""How far facets for a mirrored or bent ray lean, of the slopes' own spread (practice: the far ones are the sun's)."""
SURE = 0.15
"""Chance that mirroring and letting through each have at least."""
EVENT_DIMENSION = 200
"""The first of the dimensions that choose, at each step, between mirroring and letting through."""
FACET_DIMENSION = 5
LEAST_RISE = 0.003
"""Least sine at which a mirrored ray leaves the water."""
RISE = 0.01
"""How far off the water a ray starts [m]."""
GRAZING = 0.02
"""Least cosine to the eye; a wave's hidden back leans to it."""


@nb.njit(**INNER)
def _waves(waters, x, y, footprint, long, short, n):
    """Normal of the sea from its tiles' slopes, by the shares of long and short waves; returns the variance of the
    slopes too fine to see, and the foam of what stirs it."""
    tiles = waters.tiles[0]
    sx = sy = 0.0
    short = max(long, short)
    # what no tile carries, as strong as the shortest waves here
    left = tiles.slope_variance
    for c in range(4):
        left -= tiles.variance[c]
    left = max(0.0, left) * short * short
    for c in range(4):
        length = tiles.length[c]
        slope = waters.slope0 if c == 0 else (waters.slope1 if c == 1 else (waters.slope2 if c == 2 else waters.slope3))
        seen = min(1.0, max(0.0, 1.6 - footprint * slope.shape[0] / (length * 5.0)))
        amount = long if c == 0 else short
        left += amount * amount * (1 - seen * seen) * tiles.variance[c]
        k = seen * amount
        if k > 0:
            east, north = tile_two(slope, length, x, y, 0)
            sx += k * east
            sy += k * north
    rx, ry, unseen = rained(waters, x, y, footprint)
    tx, ty, churned = stirred(waters, 0, x, y)
    cx, cy, finest, flecks = _running(waters, x, y, footprint)
    sx, sy, left = sx + rx + tx + cx, sy + ry + ty + cy, left + unseen + finest
    churned = max(churned, flecks)
    q = 1 / np.sqrt(1 + sx * sx + sy * sy)
    n[0], n[1], n[2] = -sx * q, -sy * q, q
    return max(left, SMOOTHEST), churned


@nb.njit(**INNER)
def _flecks(share, x, y):
    """Foam in flecks, that gather in drifts."""
    drifts, _, _ = noise2(x * 0.31, y * 0.31, 54)
    threads, _, _ = noise2(x * 1.7, y * 1.7, 55)
    fine, _, _ = noise2(x * 9.0 + 2 * threads, y * 9.0, 56)
    finest, _, _ = noise2(x * 31.0, y * 31.0, 57)
    xi = 0.5 + 0.3 * drifts - 0.3 * abs(threads) + 0.22 * fine + 0.2 * finest
    return min(1.0, max(0.0, (xi - 0.92 + share) * 3.0))


@nb.njit(**INNER)
def _running(waters, x, y, footprint):
    """Slopes of the ripples that go with the tide's current, the variance of those too fine to see, and its foam."""
    body = waters.body[0]
    k, a, b = flow_cell(body, x, y)
    if k < 0:
        return 0.0, 0.0, 0.0, 0.0
    columns = int(body.columns)
    rough = flow_at(waters.flow, columns, k, a, b, ROUGH)
    if rough <= 0:
        return 0.0, 0.0, 0.0, 0.0
    east, north = flow_at(waters.flow, columns, k, a, b, EAST), flow_at(waters.flow, columns, k, a, b, NORTH)
    cx, cy, unseen = ripples(waters, body, x, y, footprint, east, north)
    own = flow_at(waters.flow, columns, k, a, b, FOAM)
    foam = 0.0
    if own > 0.02:
        foam = body.share * _flecks(own, x - east * body.offset[0], y - north * body.offset[0])
        foam += (1 - body.share) * _flecks(own, x - east * body.offset[1] + 5.3, y - north * body.offset[1])
    return rough * cx, rough * cy, rough * rough * unseen, foam


@nb.njit(**INNER)
def _foam(waters, x, y, n, long, thin, near_sea, on_survey):
    """Share of the surface that is foam: where crests fold, and laced along a sea shore."""
    foam = tile_at(waters.crests, waters.tiles[0].length[0], x, y, 3) * long
    lace = 0.0
    if on_survey and near_sea > 0 and thin < EDGE_DEPTH:
        drift = waters.body[0].drift
        lace, _, _ = noise2(x * 1.9 + n[0] * 6 + drift[0], y * 1.9 + n[1] * 6 + drift[1], 31)
        finer, _, _ = noise2(x * 6.7 - n[1] * 9, y * 6.7 + 2 * drift[1], 32)
        edge = min(1.0, max(0.0, 1 - thin / EDGE_DEPTH)) * near_sea
        lip = min(1.0, max(0.0, 1 - thin / LIP_DEPTH)) * near_sea * (0.75 + 0.5 * finer)
        foam = max(foam, min(0.9, max(0.0, lip)))
        foam = max(foam, min(1.0, max(0.0, edge * 1.1 + 0.75 * lace * edge + 0.6 * finer * edge - 0.45)))
    if waters.tiles[0].streak > 0:
        foam = max(foam, _streaks(waters, x, y) * long)
    if foam <= 0 or foam >= 0.95:
        return foam
    if lace == 0:
        lace, _, _ = noise2(x * 1.9, y * 1.9, 31)
    return foam * min(1.0, 0.7 + 0.6 * lace)


@nb.njit(**INNER)
def _streaks(waters, x, y):
    """Foam that a strong wind draws out into streaks along its way."""
    tiles, drift = waters.tiles[0], waters.body[0].drift
    along, across = x * tiles.wind[0] + y * tiles.wind[1], y * tiles.wind[0] - x * tiles.wind[1]
    bend, _, _ = noise2(along / 31, across / 31, 33)
    line, _, _ = noise2(along / 29 + drift[0] * 0.1, across / 1.3 + 1.4 * bend, 34)
    fine, _, _ = noise2(along / 2.3, across / 0.22 + 3.0 * bend, 35)
    threads, _, _ = noise2(along / 0.9, across / 0.13 + 5.0 * bend, 36)
    share = line + 0.5 * fine + 0.45 * threads - 1 + STREAKED * tiles.streak
    return min(1.0, max(0.0, share * 1.3)) * min(0.75, 1.5 * tiles.streak)


STREAKED = 1.15
"""How far streaks spread where they cover most (practice)."""


@nb.njit(**INNER)
def _face_the_eye(n, d):
    """Lean a wave's back to the eye that cannot see it; returns the cosine to the eye."""
    cos = -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
    if cos >= GRAZING:
        return cos
    for c in range(3):
        n[c] -= d[c] * (GRAZING - cos)
    q = 1 / np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
    for c in range(3):
        n[c] *= q
    return max(GRAZING, -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2]))


@nb.njit(**INNER)
def _sea(land, waters, path, hit):
    """Set the hit's normal; returns foam, or -1 for a film too thin to see, and slopes' variance."""
    x, y = hit.position[0], hit.position[1]
    grid, heights = land.grid[0], land.heights
    i, j, a, b = grid_cell(heights, grid, x, y)
    inside_x = grid.west < x < grid.west + grid.spacing * (heights.shape[1] - 1)
    on_survey = inside_x and grid.south < y < grid.south + grid.spacing * (heights.shape[0] - 1)
    long = short = 1.0
    thin, near_sea = 1e9, 0.0
    if on_survey:
        long, short = bilinear(land.open_water, i, j, a, b, 0), bilinear(land.open_water, i, j, a, b, 1)
        thin, near_sea = _depth(heights, hit.position[2], i, j, a, b), land.open_water[i, j, 2]
    if thin < SKIM:
        return -1.0, 0.0
    wide = hit.footprint / np.sqrt(max(0.05, abs(path.direction[2])))
    variance, churned = _waves(waters, x, y, wide, long, short, hit.normal)
    return max(churned, _foam(waters, x, y, hit.normal, long, thin, near_sea, on_survey)), variance


@nb.njit(**INNER)
def _depth(heights, z, i, j, a, b):
    """How far a height [m] lies over the ground."""
    bed = (heights[i, j] * (1 - a) + heights[i + 1, j] * a) * (1 - b)
    return z - bed - (heights[i, j + 1] * (1 - a) + heights[i + 1, j + 1] * a) * b


@nb.njit(**WITHIN)
def water(land, waters, number, path, hit):
    """Set the hit's normal, to the ray's side; returns foam (0 to 1, or -1 for a film too thin to see), slopes'
    variance, cosine to the eye."""
    d = path.direction
    if number == 0:
        foam, variance = _sea(land, waters, path, hit)
        if foam < 0:
            return -1.0, 0.0, 1.0
    else:
        grazing = max(0.05, abs(d[2]))
        foam, variance, thin = inland(land, waters, number, hit.position, hit.footprint, grazing, hit.normal)
        if thin < 0:
            i, j, a, b = grid_cell(land.heights, land.grid[0], hit.position[0], hit.position[1])
            thin = _depth(land.heights, hit.position[2], i, j, a, b)
        if thin < INLAND_SKIM:
            return -1.0, 0.0, 1.0
    if path.in_water:  # seen from under it, where foam is no more than a dull patch
        for c in range(3):
            hit.normal[c] = -hit.normal[c]
        foam *= 0.5
    return foam, variance, _face_the_eye(hit.normal, d)


@nb.njit(**WITHIN)
def _glitter(air, lights, geometry, ctx, variance, cos_v):
    """The sun on facets too fine to see: Beckmann's distribution by the slopes' variance."""
    path, hit, sun, start = ctx.path, ctx.hit, lights.sun[0], ctx.work.glitter_start
    d, n, s = path.direction, hit.normal, sun.direction
    hx, hy, hz = s[0] - d[0], s[1] - d[1], s[2] - d[2]
    q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * q, hy * q, hz * q
    cos_l = n[0] * s[0] + n[1] * s[1] + n[2] * s[2]
    cos_h = n[0] * hx + n[1] * hy + n[2] * hz
    if cos_l <= 0 or cos_h <= 0 or sun.illuminance[0] + sun.illuminance[1] <= 0 or s[2] <= -0.01:
        return
    tan2 = (1 - cos_h * cos_h) / (cos_h * cos_h)
    m2 = variance + sun.tan_radius * sun.tan_radius
    pdf = np.exp(-tan2 / m2) / (np.pi * m2 * cos_h**4)
    if pdf <= 1e-4:
        return
    shade = 1.0 / (1 + 0.5 * m2 / max(cos_v * cos_v, 1e-3)) / (1 + 0.5 * m2 / max(cos_l * cos_l, 1e-3))
    k = fresnel(-(d[0] * hx + d[1] * hy + d[2] * hz), media.IOR_WATER) * pdf * shade / (4 * cos_v)
    for c in range(3):
        start[c] = hit.position[c]
    start[2] += 0.02
    if rays.unoccluded(geometry.scene, ctx, start, s, rays.FOREVER, SEEN):
        k *= media.sun_through_air(air, lights, ctx)
        for c in range(3):
            path.by[film.MIRRORED, c] += path.throughput[c] * k * sun.illuminance[c]


@nb.njit(**INNER)
def _facet(ctx, variance, cos_v):
    """A facet of the fine slopes, and its cosine to the ray."""
    path, n = ctx.path, ctx.hit.normal
    t, b, d = ctx.work.facet_tangent, ctx.work.facet_bitangent, path.direction
    u, v = pair(path.pixel, path.sample, 8 * path.step + FACET_DIMENSION)
    r = np.sqrt(max(0.0, -variance * np.log(max(1e-7, 1 - u)))) * FACETS
    ca, sa = turn(v)
    basis(n, t, b)
    hx, hy = n[0] + r * (ca * t[0] + sa * b[0]), n[1] + r * (ca * t[1] + sa * b[1])
    hz = n[2] + r * (ca * t[2] + sa * b[2])
    q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * q, hy * q, hz * q
    cos = -(d[0] * hx + d[1] * hy + d[2] * hz)
    if cos < 0.01:
        return n[0], n[1], n[2], cos_v
    return hx, hy, hz, cos


@nb.njit(**PART)
def pass_water(air, lights, geometry, limits, ctx, variance, cos_v, xi):
    """Mirror a ray at the water or let it in, by Fresnel; False if the path ends here.

    ``xi`` is a number in [0, 1) that has not been used.
    """
    path, hit = ctx.path, ctx.hit
    d = path.direction
    under = path.in_water == media.FROM_WITHIN
    ior = 1 / media.IOR_WATER if under else media.IOR_WATER
    if not under:
        _glitter(air, lights, geometry, ctx, variance, cos_v)
    hx, hy, hz, cos = _facet(ctx, variance, cos_v)
    reflected = fresnel(cos, ior)
    pick = 1.0 if reflected >= 1 else min(1 - SURE, max(SURE, reflected))
    path.pdf = 0.0
    if not under:
        path.plain = 0  # the sun on water is sampled by its facets
    if limits.flat:
        return False
    if xi < pick:
        if path.reflected >= limits.reflections:
            return False
        path.reflected += 1
        if hit.first:
            path.mirrored = 1
        for c in range(3):
            path.throughput[c] *= reflected / pick
        mirror(d, hx, hy, hz)
        side = -1.0 if under else 1.0
        if side * d[2] < LEAST_RISE:
            d[2] = side * (LEAST_RISE + 0.3 * abs(d[2]))
    else:
        if path.passed >= limits.transmissions:
            return False
        path.passed += 1
        # its radiance is another there: it goes into a narrower cone
        kept = (1 - reflected) / (1 - pick) * (media.DENSER if under else 1 / media.DENSER)
        for c in range(3):
            path.throughput[c] *= kept
        refract(d, hx, hy, hz, cos, ior)
        # once in, its surface is not met: starting over it, the bed under thin water is not missed
        path.in_water = 0 if under else media.FROM_OVER
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
        path.origin[c] = hit.position[c]
    path.origin[2] += -RISE if path.in_water == media.FROM_WITHIN else RISE
    path.near = 1e-3
    return True
