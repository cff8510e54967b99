"""The sea's surface: its waves, its foam and edge, and what it does with a ray: mirror it, or let it through.

Amounts of foam and lace are practice: chosen by eye, with no source.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import SEEN
from lumwick.trace.integrator import film, media, rays
from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.integrator.facets import fresnel
from lumwick.trace.integrator.scattering import basis, mirror, refract
from lumwick.trace.integrator.surfaces.ground import bilinear, grid_cell
from lumwick.trace.sampling import INNER, noise2, pair, turn

SKIM = 0.012
"""Depth [m] of a film at the water's edge that is too thin to see."""
FOAM_ALBEDO = 0.72
"""Of dense, fresh foam (practice)."""
FOAMS_BELOW, FOAMS_OVER = 0.44, 0.35
"""Folding (the Jacobian of the sideways motion) under which crests break, and over how much of it."""
EDGE_DEPTH = 0.30
"""Water shallower than this [m] is laced with foam on a sea shore."""
SMOOTHEST = 0.0004
"""Least variance of slopes too fine to see."""
FACETS = 0.7
"""How far facets for a mirrored or bent ray lean, of the slopes' own spread (practice: the far ones are the sun's)."""
SURE = 0.15
"""Chance that mirroring and letting through each have at least."""
EVENT_DIMENSION = 200
"""The first of the dimensions that choose, at each step, between mirroring and letting through."""
FACET_DIMENSION = 5
GRAZING = 0.02
"""Least cosine to the eye; a wave's hidden back leans to it."""


@nb.njit(**INNER)
def _tile_at(tile, length, x, y, c):
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
def _waves(waters, x, y, footprint, long, short, n):
    """Normal of the water from its tiles' slopes, by the shares of long and short waves; returns the variance of the
    slopes too fine to see."""
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
            sx += k * _tile_at(slope, length, x, y, 0)
            sy += k * _tile_at(slope, length, x, y, 1)
    q = 1 / np.sqrt(1 + sx * sx + sy * sy)
    n[0], n[1], n[2] = -sx * q, -sy * q, q
    return max(left, SMOOTHEST)


@nb.njit(**INNER)
def _foam(waters, x, y, n, long, thin, near_sea, on_survey):
    """Share of the surface that is foam: where crests fold, and laced along a sea shore."""
    fold = 1 - (1 - _tile_at(waters.fold, waters.tiles[0].length[0], x, y, 3)) * long
    foam = min(1.0, max(0.0, (FOAMS_BELOW - fold) / FOAMS_OVER))
    if on_survey:
        drift = waters.body[0].drift
        lace, _, _ = noise2(x * 1.9 + n[0] * 6 + drift[0], y * 1.9 + n[1] * 6 + drift[1], 31)
        finer, _, _ = noise2(x * 6.7 - n[1] * 9, y * 6.7 + 2 * drift[1], 32)
        edge = min(1.0, max(0.0, 1 - thin / EDGE_DEPTH)) * near_sea
        foam = max(foam, min(1.0, max(0.0, edge * 1.5 + 0.55 * lace * edge + 0.5 * finer * edge - 0.35)))
    else:
        lace, _, _ = noise2(x * 1.9, y * 1.9, 31)
    return foam * (min(1.0, 0.7 + 0.6 * lace) if foam < 0.95 else 1.0)


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


@nb.njit(**WITHIN)
def water(land, waters, path, hit):
    """Set the hit's normal; returns foam (0 to 1, or -1 for a film too thin to see), slopes' variance, cosine to the
    eye."""
    x, y, d = hit.position[0], hit.position[1], path.direction
    grid, heights = land.grid[0], land.heights
    i, j, a, b = grid_cell(heights, grid, x, y)
    inside_x = grid.west < x < grid.west + grid.spacing * (heights.shape[1] - 1)
    on_survey = inside_x and grid.south < y < grid.south + grid.spacing * (heights.shape[0] - 1)
    long = short = 1.0
    thin, near_sea = 1e9, 0.0
    if on_survey:
        long, short = bilinear(land.open_water, i, j, a, b, 0), bilinear(land.open_water, i, j, a, b, 1)
        bed = (heights[i, j] * (1 - a) + heights[i + 1, j] * a) * (1 - b)
        bed += (heights[i, j + 1] * (1 - a) + heights[i + 1, j + 1] * a) * b
        thin, near_sea = hit.position[2] - bed, land.open_water[i, j, 2]
    if thin < SKIM:
        return -1.0, 0.0, 1.0
    grazing = max(0.05, -d[2])
    variance = _waves(waters, x, y, hit.footprint / np.sqrt(grazing), long, short, hit.normal)
    foam = _foam(waters, x, y, hit.normal, long, thin, near_sea, on_survey)
    return foam, variance, _face_the_eye(hit.normal, d)


@nb.njit(**WITHIN)
def _glitter(air, lights, geometry, lane, variance, cos_v):
    """The sun on facets too fine to see: Beckmann's distribution by the slopes' variance."""
    path, hit, sun = lane.path, lane.hit, lights.sun[0]
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
    density = np.exp(-tan2 / m2) / (np.pi * m2 * cos_h**4)
    if density <= 1e-4:
        return
    shade = 1.0 / (1 + 0.5 * m2 / max(cos_v * cos_v, 1e-3)) / (1 + 0.5 * m2 / max(cos_l * cos_l, 1e-3))
    k = fresnel(-(d[0] * hx + d[1] * hy + d[2] * hz), media.IOR_WATER) * density * shade / (4 * cos_v)
    for c in range(3):
        hit.local[c] = hit.position[c]
    hit.local[2] += 0.02
    if rays.unoccluded(geometry.scene, lane, hit.local, s, rays.FOREVER, SEEN):
        k *= media.sun_through_fog(air, lights, hit.position[2])
        for c in range(3):
            path.by[film.MIRRORED, c] += path.throughput[c] * k * sun.illuminance[c]


@nb.njit(**INNER)
def _facet(path, hit, variance, cos_v):
    """A facet of the fine slopes, and its cosine to the ray."""
    n, t, b, d = hit.normal, hit.tangent, hit.bitangent, path.direction
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
def pass_water(air, lights, geometry, limits, lane, variance, cos_v, lot):
    """Mirror a ray at the water or let it in, by Fresnel; False if the path ends here.

    ``lot`` is a number in [0, 1) that has not been used.
    """
    path, hit = lane.path, lane.hit
    d = path.direction
    _glitter(air, lights, geometry, lane, variance, cos_v)
    hx, hy, hz, cos = _facet(path, hit, variance, cos_v)
    reflected = fresnel(cos, media.IOR_WATER)
    pick = min(1 - SURE, max(SURE, reflected))
    path.plain = 0  # the sun on water is sampled by its facets
    path.density = 0.0
    rise = 0.01
    if limits.flat:
        return False
    if lot < pick:
        if path.reflected >= limits.reflections:
            return False
        path.reflected += 1
        if hit.first:
            path.mirrored = 1
        for c in range(3):
            path.throughput[c] *= reflected / pick
        mirror(d, hx, hy, hz)
        if d[2] < 0.003:
            d[2] = 0.003 + 0.3 * abs(d[2])
    else:
        if path.passed >= limits.transmissions:
            return False
        path.passed += 1
        for c in range(3):
            path.throughput[c] *= (1 - reflected) / (1 - pick)
        refract(d, hx, hy, hz, cos, media.IOR_WATER)
        path.in_water = 1  # from here on water is not met: starting over it, the bed under thin water is not missed
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
        path.origin[c] = hit.position[c]
    path.origin[2] += rise
    path.near = 1e-3
    return True
