"""What a path meets: asks the hit's own kind for its normal and lobes, and brings them into one form.

The next kind of surface is one more file beside this one, and one more line in `evaluate_surface`.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator import film
from lumwick.trace.integrator.caustics import gathered
from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.integrator.surfaces.ground import far_ground, ground
from lumwick.trace.integrator.surfaces.model import model, opacity_here
from lumwick.trace.integrator.surfaces.placing import unit
from lumwick.trace.integrator.surfaces.plant import plant
from lumwick.trace.integrator.surfaces.timber import timber
from lumwick.trace.integrator.surfaces.water import EVENT_DIMENSION, FOAM_ALBEDO, pass_water, water
from lumwick.trace.integrator.surfaces.weathered import weather_on
from lumwick.trace.integrator.surfaces.wetted import wet_line
from lumwick.trace.sampling import INNER, choices, pair
from lumwick.trace.world import FAR, GROUND, MODEL, PLANT, TIMBER, WATER

SHADE, ONWARD, END = 0, 1, 2
"""What comes of a meeting: a surface to be lit; the path goes on from here; or it ends."""
GRAINLESS = 3.0
"""Width [m] of a ray that a matt surface scattered: its light needs no grain (practice)."""
STEP_BACK = 0.05
"""Metres before a film of water from which the bed is looked for: from under it one might look through the bed."""
CUT_SALT = 78
GRAZING = 0.02
LIFT, LIFT_BY_PLACE, MODEL_LIFT, MODEL_LIFT_BY_PLACE = 1e-3, 1e-5, 2e-4, 2e-6
"""How far rays start off a surface [m]: at least, and by how far from the origin it lies, as single precision asks."""


@nb.njit(**INNER)
def _clear_lobes(hit, lobes):
    for c in range(3):
        lobes.through[c] = lobes.f0[c] = lobes.emission[c] = 0.0
    lobes.coat = lobes.transmission = 0.0
    hit.layer = hit.glossy = 0


@nb.njit(**WITHIN)
def _meet_water(w, limits, ctx):
    """Water: a film that is passed over, foam to be lit, or a surface that mirrors or lets through."""
    path, hit, lobes = ctx.path, ctx.hit, ctx.lobes
    number = int(w.materials.surface[w.geometry.row[hit.part]].water)
    foam, variance, cos_v = water(w.land, w.waters, number, path, hit)
    if foam < 0:  # on to the bed
        for c in range(3):
            path.origin[c] = hit.position[c] - STEP_BACK * path.direction[c]
        path.near = 0.0
        path.skims = 1
        path.in_water = 0
        return ONWARD
    _, xi = pair(path.pixel, path.sample, EVENT_DIMENSION + path.step)
    hit.first = 0 if path.seen else 1
    if xi < foam:
        for c in range(3):
            lobes.albedo[c] = FOAM_ALBEDO
            hit.geometric[c] = hit.normal[c]
        return SHADE
    if hit.first:
        shown = 0.5 + 0.5 * foam
        film.note_surface(w.geometry.thing, ctx, shown, shown, shown)
    xi = (xi - foam) / (1 - foam)
    path.body = number
    return ONWARD if pass_water(w.air, w.lights, w.geometry, limits, ctx, variance, cos_v, xi) else END


@nb.njit(**WITHIN)
def _meet_model(w, ctx):
    """A model: a hole of a cut-out, or its surface."""
    path, hit = ctx.path, ctx.hit
    material = w.materials.surface[w.geometry.row[hit.part]]
    if material.cutoff > 0:
        cut_at_random, _ = choices(path, CUT_SALT)
        if cut_at_random >= opacity_here(w.geometry, w.materials, material, hit):
            for c in range(3):
                path.origin[c] = hit.position[c]
            path.near = 1e-4 + 1e-6 * hit.distance
            return ONWARD
    model(w.geometry, w.materials, material, path, hit, ctx.lobes)
    wet_line(w.land, w.waters, path, hit, ctx.lobes)
    return SHADE


@nb.njit(**PART)
def evaluate_surface(w, view, limits, ctx):
    """Fill in the hit's normal and lobes by its kind, or send the path on."""
    path, hit, lobes, geometry = ctx.path, ctx.hit, ctx.lobes, w.geometry
    hit.footprint = path.travelled * (2 * view.tan_x / view.width) if path.depth == 0 else GRAINLESS
    _clear_lobes(hit, lobes)
    if hit.kind == WATER:
        return _meet_water(w, limits, ctx)
    if hit.kind == MODEL:
        return _meet_model(w, ctx)
    if hit.kind == GROUND:
        ground(w.land, w.waters, path, hit, lobes, geometry.cut[hit.part, 0] < 0)
    elif hit.kind == FAR:
        far_ground(w.land, w.materials.surface[geometry.row[hit.part]], hit, lobes)
    elif hit.kind == PLANT:
        plant(geometry, w.materials.plant[geometry.row[hit.part]], path, hit, lobes)
    elif hit.kind == TIMBER:
        tone = geometry.tone[geometry.offset[hit.part] + hit.primitive]
        timber(w.materials.surface[geometry.row[hit.part]], tone, path, hit, lobes)
        wet_line(w.land, w.waters, path, hit, lobes)
    return SHADE


@nb.njit(**PART)
def orient_and_record(w, ctx):
    """Bring normals to unit length and to the ray's side, take what a clear solid before it absorbed, and note the
    features of a sample's first surface."""
    path, hit, lobes = ctx.path, ctx.hit, ctx.lobes
    n, g, d, p = hit.normal, hit.geometric, path.direction, hit.position
    unit(n)
    unit(g)
    hit.entering = 1 if d[0] * g[0] + d[1] * g[1] + d[2] * g[2] <= 0 else 0
    if not hit.entering:
        for c in range(3):
            g[c] = -g[c]
    if n[0] * g[0] + n[1] * g[1] + n[2] * g[2] < 0:
        for c in range(3):
            n[c] = -n[c]
    if path.inside >= 0:
        absorption = w.materials.surface[w.geometry.row[path.inside]].absorption
        for c in range(3):
            path.throughput[c] *= np.exp(-absorption[c] * hit.distance)
    hit.cos_out = -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
    if hit.cos_out < GRAZING:  # a bump's back: lean the normal to the eye
        for c in range(3):
            n[c] -= d[c] * (GRAZING - hit.cos_out)
        unit(n)
        hit.cos_out = GRAZING
    hit.leaf = 1 if lobes.through[0] + lobes.through[1] + lobes.through[2] > 0 else 0
    hit.lift = LIFT + LIFT_BY_PLACE * (abs(p[0]) + abs(p[1]))
    if hit.kind == MODEL:
        hit.lift = MODEL_LIFT + MODEL_LIFT_BY_PLACE * (abs(p[0]) + abs(p[1]) + abs(p[2]))
    # a point under the water's level gets its light through it
    hit.submerged = max(0.0, w.waters.body[path.body].level - p[2]) if path.in_water else 0.0
    hit.caustic = 1.0
    if hit.submerged > 0 and path.depth == 0:
        hit.caustic = gathered(w.land, w.waters, path.body, p, hit.submerged)
    weather_on(w.air, path, hit, lobes)
    hit.first = 0 if path.seen else 1
    if hit.first:
        if lobes.transmission > 0:
            film.note_surface(w.geometry.thing, ctx, 1.0, 1.0, 1.0)
        else:
            a, f = lobes.albedo, lobes.f0
            film.note_surface(
                w.geometry.thing, ctx, min(1.0, a[0] + f[0]), min(1.0, a[1] + f[1]), min(1.0, a[2] + f[2])
            )
