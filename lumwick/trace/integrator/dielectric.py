"""Clear things: a ray that a pane or a solid mirrors or lets through."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator import film
from lumwick.trace.integrator.compiling import PART
from lumwick.trace.integrator.facets import fresnel, pane
from lumwick.trace.integrator.lights import half_way_fresnel, sun_glint
from lumwick.trace.integrator.scattering import LOBE_DIMENSION, MIRROR, facet, leave, mirror, refract
from lumwick.trace.sampling import INNER, pair


@nb.njit(**INNER)
def _outward(path, hit):
    """A mirrored ray that would go into the surface goes out again, as between facets."""
    d, g = path.direction, hit.geometric
    out = d[0] * g[0] + d[1] * g[1] + d[2] * g[2]
    if out <= 1e-4:
        for c in range(3):
            d[c] += (1e-3 - 2 * min(0.0, out)) * g[c]


@nb.njit(**INNER)
def _reflect(path, hit, hx, hy, hz, rough):
    path.reflected += 1
    if hit.first:
        path.mirrored = 1
    mirror(path.direction, hx, hy, hz)
    _outward(path, hit)
    path.pdf = 0.0
    path.plain = 0 if rough else 1
    leave(path, hit, 1.0)


@nb.njit(**INNER)
def _transmit(ctx, facet_normal, cos, ior, rough):
    path, hit, lobes = ctx.path, ctx.hit, ctx.lobes
    hx, hy, hz = facet_normal
    d, n = path.direction, hit.normal
    path.passed += 1
    for c in range(3):
        path.throughput[c] *= lobes.tint[c] if lobes.thin > 0 else np.sqrt(lobes.tint[c])
    if lobes.thin > 0:
        if rough:  # mirrored at a facet, and let through where it would have come out
            mirror(d, hx, hy, hz)
            mirror(d, n[0], n[1], n[2])
    else:
        if path.depth == 0:  # scattered light passes unbent, as shadows take it
            refract(d, hx, hy, hz, cos, ior)
        path.inside = hit.part if hit.entering else -1
    if path.depth == 0:
        path.pdf = 0.0
        path.plain = 1 if path.plain and not rough else 0
    leave(path, hit, -1.0)


@nb.njit(**PART)
def scatter_dielectric(air, lights, geometry, limits, ctx, xi):
    """Mirror a ray at a clear thing or let it through, by Fresnel; False if the path ends here.

    ``xi`` is a number in [0, 1) that has not been used.
    """
    path, hit, lobes = ctx.path, ctx.hit, ctx.lobes
    d, n = path.direction, hit.normal
    rough = lobes.alpha > 2 * MIRROR and path.depth == 0
    ior = lobes.ior if hit.entering or lobes.thin > 0 else 1 / lobes.ior
    hx, hy, hz = n[0], n[1], n[2]
    if rough:
        u, v = pair(path.pixel, path.sample, 8 * path.step + LOBE_DIMENSION)
        hx, hy, hz = facet(lobes.alpha, n, lobes, d, u, v)
    cos = min(1.0, max(1e-4, -(d[0] * hx + d[1] * hy + d[2] * hz)))
    reflected = fresnel(cos, ior)
    if lobes.thin > 0:
        reflected = pane(reflected)
    if rough and lights.sun[0].illuminance[1] > 0 and hit.entering:
        row = film.MIRRORED if path.mirrored or hit.first else film.SUN
        glint = half_way_fresnel(lights, d, ior)
        sun_glint(air, lights, geometry, ctx, lobes.alpha * lobes.alpha, glint, hit.cos_out, row)
    if xi < reflected:
        if path.reflected >= limits.reflections:
            return False
        _reflect(path, hit, hx, hy, hz, rough)
    else:
        if path.passed >= limits.transmissions:
            return False
        _transmit(ctx, (hx, hy, hz), cos, ior, rough)
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
    return True
