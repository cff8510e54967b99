"""Light at a point by multiple importance sampling: samples of the sun, the sky and a lamp, what of their light
arrives, and the light of what a scattered ray meets."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.motion.quick import turn
from lumwick.trace.embree import SCATTERED, SEEN
from lumwick.trace.integrator import film, media, rays, windows
from lumwick.trace.integrator import lamplight as ll
from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.integrator.facets import facet_pdf, fresnel, hidden
from lumwick.trace.integrator.scattering import evaluate, evaluate_matt
from lumwick.trace.integrator.skylight import pick_sky, sky_from, sky_pdf, sun_disc
from lumwick.trace.sampling import INNER, choices, pair
from lumwick.trace.world import MODEL

SUN_DIMENSION, SKY_DIMENSION, LAMP_DIMENSION = 3, 4, 7
WHICH_LAMP, AIR_AT, AIR_ACROSS = 77, 86, 87
"""Salts of choices."""
ASKED_BELOW, ASKED_AT_LEAST = 0.02, 0.04
"""Lamps that give less than this share of the open's light are asked in proportion, at least so often (practice)."""
LAMP_SHORT, LAMP_SHORTER = 0.9998, 1e-4
"""A shadow ray ends this much before its lamp, or it would meet the lamp itself."""


@nb.njit(**INNER)
def whole_sphere(lights):
    """Height from which directions are chosen by the sky's light: of the horizon, or of an environment's foot."""
    return -1.0 if lights.panorama.shape[0] > 1 else 0.0


@nb.njit(**PART)
def on_the_air(w, limits, ctx):
    """Whether day falls on the air of a ray from an eye that is in a room: 1 or 0, by one spot of it and one direction
    to the sky; 1 outside, where a shadow on the air is passed over."""
    path, hit, light_sample, spot = ctx.path, ctx.hit, ctx.light_sample, ctx.work.open_air
    if not limits.indoors or path.depth > 0 or hit.missed or path.in_water or path.inside >= 0:
        return 1.0
    xi, _ = choices(path, AIR_AT)
    t = xi * hit.distance
    u, v = choices(path, AIR_ACROSS)
    lights = w.lights
    pick_sky(lights.sky_pick, lights.sky_pmf, whole_sphere(lights), lights.sun[0].azimuth, u, v, light_sample.direction)
    for c in range(3):
        spot[c] = path.origin[c] + t * path.direction[c]
    free = rays.unoccluded(w.geometry.scene, ctx, spot, light_sample.direction, rays.FOREVER, SCATTERED)
    return 1.0 if free else 0.0


@nb.njit(**INNER)
def _sky_pdf_at(lights, position, d):
    """The pdf [1/sr] with which `_to_sky` takes a direction at a point: by the sky's light, or through an opening."""
    out = sky_pdf(lights.sky_pmf, whole_sphere(lights), lights.sun[0].azimuth, d[0], d[1], d[2])
    if len(lights.portal) == 0:
        return out
    inside, total = windows.share(lights.portal, position)
    if inside <= 0:
        return out
    return (1 - inside) * out + inside * windows.pdf(lights.portal, position, total, d[0], d[1], d[2])


@nb.njit(**WITHIN)
def escaped_sky_mis(air, lights, ctx):
    """The sky where a scattered ray escapes, weighted by the balance heuristic against its having been sampled."""
    path, d, colour, sun = ctx.path, ctx.path.direction, ctx.light_sample.radiance, lights.sun[0]
    row = film.MIRRORED if path.mirrored else film.SKY
    if path.plain and path.pdf <= 0 and not path.skims and path.reflected > 0 and media.has_figures(air, lights):
        # a mirror shows clouds where they are, not their mean, and moon and stars
        media.open_sky(air, lights, ctx, colour)
        keep = media.transmittance(air, path.origin[2], max(d[2], 0.02), media.FAR_FOG)
        cos_sun = d[0] * sun.direction[0] + d[1] * sun.direction[1] + d[2] * sun.direction[2]
        for c in range(3):
            seen = colour[c] * keep + media.fog_light(air.fog[0], cos_sun, c) * (1 - keep)
            film.add(path, row, c, path.throughput[c] * seen)
        return
    sky_from(lights, lights.lit_sky, path.origin, d, colour)
    weight = 1.0
    if path.pdf > 0:
        other = _sky_pdf_at(lights, path.chosen_at, d)
        weight = path.pdf / (path.pdf + other)
    elif path.plain and sun.illuminance[1] > 0 and not path.skims and path.reflected > 0:
        left = ctx.light_sample.left
        for c in range(3):
            left[c] = 0.0
        sun_disc(sun, d, left)
        keep = media.transmittance(air, path.origin[2], max(d[2], 0.02), media.FAR_FOG)
        for c in range(3):
            colour[c] += left[c] * keep
    for c in range(3):
        film.add(path, row, c, path.throughput[c] * colour[c] * weight)


@nb.njit(**WITHIN)
def emitted(materials, row, lamps, ctx):
    """Emission of a surface, weighted by the balance heuristic against its having been sampled as a lamp."""
    path, hit, lobes = ctx.path, ctx.hit, ctx.lobes
    number = int(materials.surface[row].lamp)
    if not (hit.entering or number < 0 or lamps[number].kind == ll.MESH):
        return
    weight = 1.0
    if path.pdf > 0 and number >= 0:
        far2, cos = 0.0, 0.0
        for c in range(3):
            far2 += (hit.position[c] - path.chosen_at[c]) ** 2
            cos += hit.geometric[c] * path.direction[c]
        area = max(abs(cos), 1e-6) * lamps[number].area
        weight = path.pdf / (path.pdf + ll.pmf(lamps, number, path.chosen_at) * far2 / area)
        for c in range(3):  # as it was sampled: a glow's texture is seen, and lights by its mean
            lobes.emission[c] = lamps[number].light[c]
    to = film.MIRRORED if path.mirrored else (film.GLOWING if hit.first else film.LAMPS)
    for c in range(3):
        film.add(path, to, c, path.throughput[c] * lobes.emission[c] * weight)


@nb.njit(**INNER)
def _to_sun(lights, path, hit, light_sample):
    """A direction to the sun's disc; False if it is under the horizon or behind the surface."""
    sun, n, d = lights.sun[0], hit.normal, light_sample.direction
    cos = n[0] * sun.direction[0] + n[1] * sun.direction[1] + n[2] * sun.direction[2]
    if sun.illuminance[1] <= 0 or (not hit.leaf and cos < -sun.tan_radius):
        return False
    u, v = pair(path.pixel, path.sample, 8 * path.step + SUN_DIMENSION)
    r = sun.tan_radius * np.sqrt(u)
    cx, cy = turn(v)
    for c in range(3):
        d[c] = sun.direction[c] + r * cx * sun.across[c] + r * cy * sun.flat * sun.up[c]
        light_sample.radiance[c] = sun.illuminance[c]
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
    if sun.gobo >= 0:
        _through_suns_gobo(lights.gobo[int(sun.gobo)], sun, hit.position, d, light_sample.radiance)
    return d[2] > 0


@nb.njit(**INNER)
def _through_suns_gobo(light, sun, position, d, colour):
    """Take what the sun's gobo keeps back on the way from a point to the sun; beside it all passes."""
    at, a, b, s = sun.gobo_at, sun.gobo_a, sun.gobo_b, sun.direction
    lean = d[0] * s[0] + d[1] * s[1] + d[2] * s[2]
    far = 0.0
    for c in range(3):
        far += (at[c] - position[c]) * s[c]
    far /= lean
    if far <= 0:
        return
    x = y = 0.0
    for c in range(3):
        away = position[c] + far * d[c] - at[c]
        x += away * a[c]
        y += away * b[c]
    ll.thrown_through(light, x, y, 1.0, colour)


@nb.njit(**INNER)
def _to_sky(lights, path, hit, light_sample):
    """A direction to the sky, by its light or through an opening."""
    sun, d = lights.sun[0], light_sample.direction
    u, v = pair(path.pixel, path.sample, 8 * path.step + SKY_DIMENSION)
    low = whole_sphere(lights)
    if len(lights.portal) > 0:
        inside, total = windows.share(lights.portal, hit.position)
        if u < inside:
            windows.choose(lights.portal, hit.position, total, u / inside, v, d)
            light_sample.pdf = _sky_pdf_at(lights, hit.position, d)
            return
        if inside > 0:
            pick_sky(lights.sky_pick, lights.sky_pmf, low, sun.azimuth, (u - inside) / (1 - inside), v, d)
            light_sample.pdf = _sky_pdf_at(lights, hit.position, d)
            return
    light_sample.pdf = pick_sky(lights.sky_pick, lights.sky_pmf, low, sun.azimuth, u, v, light_sample.direction)


@nb.njit(**INNER)
def _to_lamp(lights, open_lux, path, hit, light_sample):
    """A direction to one of the lamps; False if none is asked or it gives nothing."""
    if len(lights.lamp) == 0:
        return False
    which, whether = choices(path, WHICH_LAMP)
    number, pmf, given = ll.choose(lights.lamp, hit.position, which)
    if number < 0 or pmf <= 0:
        return False
    # lamps that are nothing beside the day are asked seldom, and count for more when they are
    asked = min(1.0, max(ASKED_AT_LEAST, given / (ASKED_BELOW * open_lux)))
    if asked < 1:
        if whether >= asked:
            return False
        light_sample.weight = 1 / asked
    u, v = pair(path.pixel, path.sample, 8 * path.step + LAMP_DIMENSION)
    ll.shine(lights.lamp[number], lights.emitter, lights.gobo, hit.position, u, v, light_sample)
    if light_sample.radiance[0] + light_sample.radiance[1] + light_sample.radiance[2] <= 0:
        return False
    light_sample.pdf *= pmf
    if light_sample.pdf <= 0:
        light_sample.weight /= pmf * light_sample.distance * light_sample.distance
    return True


@nb.njit(**INNER)
def _aim_at(lights, open_lux, kind, path, hit, light_sample):
    """Choose a direction to one kind of light; False if there is nothing to be had of it."""
    light_sample.pdf, light_sample.distance, light_sample.weight = 0.0, rays.FOREVER, 1.0
    if kind == media.SUN:
        return _to_sun(lights, path, hit, light_sample)
    if kind == media.SKY:
        _to_sky(lights, path, hit, light_sample)
        return True
    return _to_lamp(lights, open_lux, path, hit, light_sample)


@nb.njit(**INNER)
def _gather(path, hit, lobes, light_sample, kind, pdf, gloss_pdf, matt):
    """Add a light sample by the point's lobes, each weighted against the scattered ray that might have found it."""
    by_matt = by_gloss = light_sample.weight
    if light_sample.pdf > 0:
        by_matt = light_sample.weight / (light_sample.pdf + (pdf if matt else 0.0))
        by_gloss = light_sample.weight / (light_sample.pdf + (pdf if matt else gloss_pdf))
    row = film.SUN if kind == media.SUN else (film.SKY if kind == media.SKY else film.LAMPS)
    if path.mirrored:
        row = film.MIRRORED
    for c in range(3):
        film.add(path, row, c, path.throughput[c] * light_sample.radiance[c] * lobes.matt[c] * by_matt)
    if hit.glossy:
        if hit.first:
            row = film.MIRRORED
        for c in range(3):
            film.add(path, row, c, path.throughput[c] * light_sample.radiance[c] * lobes.gloss[c] * by_gloss)


@nb.njit(**INNER)
def _keep_off(ctx, weight):
    """Count the sun's light that a shadow keeps off a sample's first surface."""
    light_sample, lobes = ctx.light_sample, ctx.lobes
    for c in range(3):
        light = lobes.matt[c] + (lobes.gloss[c] if ctx.hit.glossy else 0.0)
        ctx.out[film.CHANNELS + film.SHADOW + c] += ctx.path.throughput[c] * light_sample.radiance[c] * light * weight


@nb.njit(**WITHIN)
def _note_shadow(w, ctx, cos_l):
    """What the sun would give the first surface if nothing stood in its way."""
    hit, lobes, light_sample = ctx.hit, ctx.lobes, ctx.light_sample
    media.reaching(w.air, w.lights, w.waters.body[ctx.path.body], ctx, media.SUN)
    if hit.glossy:
        evaluate(lobes, hit.normal, ctx.path.direction, light_sample.direction)
    else:
        evaluate_matt(lobes, cos_l)
    _keep_off(ctx, light_sample.weight / max(1e-3, 1 - light_sample.shaded))


@nb.njit(**WITHIN)
def _arrive(w, ctx, kind, start, reach, matt):
    """Add what comes of a kind of light that nothing stands before: through air, water and clear things."""
    path, hit, lobes, light_sample = ctx.path, ctx.hit, ctx.lobes, ctx.light_sample
    n, d = hit.normal, light_sample.direction
    if kind == media.SKY:
        sky_from(w.lights, w.lights.lit_sky, hit.position, d, light_sample.radiance)
    media.reaching(w.air, w.lights, w.waters.body[path.body], ctx, kind)
    pdf, gloss_pdf = 0.0, 0.0
    if hit.glossy:
        pdf, gloss_pdf = evaluate(lobes, n, path.direction, d)
    else:
        pdf = evaluate_matt(lobes, n[0] * d[0] + n[1] * d[1] + n[2] * d[2])
    if rays.meets_box(w.geometry.pierced, hit.position, d, reach):
        if not rays.through_clear(w.geometry, w.materials, ctx, start, d, reach, light_sample.left):
            return
        for c in range(3):
            light_sample.radiance[c] *= light_sample.left[c]
    _gather(path, hit, lobes, light_sample, kind, pdf, gloss_pdf, matt)
    if kind == media.SUN and hit.first and light_sample.shaded > 0:
        _keep_off(ctx, light_sample.weight * light_sample.shaded / max(1e-3, 1 - light_sample.shaded))


@nb.njit(**PART)
def direct(w, limits, ctx):
    """Light straight from the sun's disc, from the sky and from a lamp."""
    path, hit, light_sample = ctx.path, ctx.hit, ctx.light_sample
    n, g, d = hit.normal, hit.geometric, light_sample.direction
    matt = path.depth < limits.bounces
    for kind in range(3):
        if not _aim_at(w.lights, limits.open_lux, kind, path, hit, light_sample):
            continue
        cos_l = n[0] * d[0] + n[1] * d[1] + n[2] * d[2]
        cos_g = g[0] * d[0] + g[1] * d[1] + g[2] * d[2]
        if not ((cos_l > 0 and cos_g > 0) or (hit.leaf and cos_l * cos_g > 0)):
            continue
        lift = hit.lift if cos_g > 0 else -hit.lift
        reach = light_sample.distance
        start = ctx.work.shadow_start
        for c in range(3):
            start[c] = hit.position[c] + lift * g[c]
        if kind == media.LAMP:  # from the lifted point to the lamp's, or rays that graze the lamp would miss their mark
            for c in range(3):
                d[c] = d[c] * light_sample.distance - lift * g[c]
            q = np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
            for c in range(3):
                d[c] /= q
            reach = q * LAMP_SHORT - LAMP_SHORTER
        mask = SEEN if path.depth == 0 and kind != media.SKY else SCATTERED
        if rays.unoccluded(w.geometry.scene, ctx, start, d, reach, mask):
            _arrive(w, ctx, kind, start, reach, matt)
        elif kind == media.SUN and hit.first:
            _note_shadow(w, ctx, cos_l)


@nb.njit(**WITHIN)
def sun_glint(air, lights, geometry, ctx, alpha2, reflectance, cos_out, row):
    """The sun in facets too fine for a scattered ray to find it by chance.

    Parameters
    ----------
    alpha2, reflectance, cos_out : float
        GGX's squared alpha, the facets' reflectance at this angle, and the cosine of the ray to the normal.
    """
    path, hit, sun, start = ctx.path, ctx.hit, lights.sun[0], ctx.work.glint_start
    d, n, s = path.direction, hit.normal, sun.direction
    hx, hy, hz = s[0] - d[0], s[1] - d[1], s[2] - d[2]
    q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
    cos_h = (hx * n[0] + hy * n[1] + hz * n[2]) * q
    cos_l = n[0] * s[0] + n[1] * s[1] + n[2] * s[2]
    if cos_l <= 0 or cos_h <= 0:
        return
    shading = 1 + hidden(cos_out, alpha2) + hidden(max(cos_l, 1e-4), alpha2)
    k = reflectance * facet_pdf(cos_h, alpha2) / (4 * cos_out * shading)
    for c in range(3):
        start[c] = hit.position[c] + hit.lift * hit.geometric[c]
    if rays.unoccluded(geometry.scene, ctx, start, s, rays.FOREVER, SEEN):
        k *= media.sun_through_air(air, lights, ctx)
        for c in range(3):
            path.by[row, c] += path.throughput[c] * k * sun.illuminance[c]


@nb.njit(**INNER)
def half_way_fresnel(lights, d, ior):
    """Reflectance of a facet that sends the sun along a ray."""
    s = lights.sun[0].direction
    hx, hy, hz = s[0] - d[0], s[1] - d[1], s[2] - d[2]
    q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
    return fresnel(min(1.0, -(d[0] * hx + d[1] * hy + d[2] * hz) * q), ior)


@nb.njit(**INNER)
def has_glow(kind, lobes):
    """Whether a surface sends out light of its own."""
    return kind == MODEL and lobes.emission[0] + lobes.emission[1] + lobes.emission[2] > 0
