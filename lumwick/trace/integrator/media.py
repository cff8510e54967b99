"""What lies between surfaces: haze, fog and water.

Three questions are asked of it: what is left of light between two points (`transmittance` and `fog_depth`), what a
stretch of a path adds and takes (`cross`), and how much of a light reaches a point (`reaching`).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator import cloud_lattice, clouds, film, mist
from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.facets import fresnel
from lumwick.trace.integrator.skylight import sky_from, sky_light, sun_disc
from lumwick.trace.integrator.starlight import add_night, shines
from lumwick.trace.sampling import INNER, choices

IOR_WATER = 1.333
FAR_FOG = 60000.0
"""Metres of fog between a point and sun or sky."""
WATER_REACH = 60.0
"""Metres that one looks through water at most."""
SKY_INTO_WATER, SKY_SLANT = 0.93, 1.15
"""Share of an even sky's light that enters water (1 less its reflectance, 6.6 %, from memory), and its mean path down
against the depth (practice)."""
FROM_OVER, FROM_WITHIN = 1, 2
"""Of a path in water: whether it went in through its surface, or began there."""
DENSER = IOR_WATER * IOR_WATER
"""Radiance in water over that which it becomes outside (n^2): what a ray has gone in through takes it off again."""
FORWARD = 3.5
"""How much brighter water is towards the light than away from it (practice)."""
CLOUDS_AT = 91
"""Salt of the choice where in its first step a cloud is looked at."""
SUN, SKY, LAMP = 0, 1, 2
"""Kinds of light that reach a point."""


@nb.njit(**INNER)
def fog_depth(fog, z, dz, length):
    """Optical depth of fog of density exp(-(z - base) / H) along a ray, in closed form."""
    if fog.extinction <= 0:
        return 0.0
    k = fog.extinction * np.exp(min(20.0, -(z - fog.base) / fog.height))
    s = dz / fog.height * length
    if abs(s) < 1e-4:
        return k * length
    return k * length * (1 - np.exp(min(50.0, -s))) / s


@nb.njit(**INNER)
def transmittance(air, z, dz, length):
    """What fog leaves of light over a length [m] of a ray from a height [m]."""
    return np.exp(-fog_depth(air.fog[0], z, dz, length))


@nb.njit(**INNER)
def phase(g, cosine):
    """Share of light that is scattered into an angle [1/sr], by Henyey and Greenstein (1941)."""
    return (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cosine) ** 1.5)


@nb.njit(**INNER)
def fog_light(fog, cos_sun, c, sunned=1.0):
    """Light [cd/m2] of one colour that deep fog shows towards the sun's angle: Henyey and Greenstein's phase, and what
    is scattered often. ``sunned`` is how much of the sun's light reaches it, against its mean."""
    return sunned * fog.sunlight[c] * phase(fog.asymmetry, cos_sun) + fog.ambient[c]


@nb.njit(**INNER)
def within_fog(fog, z, dz, part, deep):
    """How far along a ray a share of its whole optical depth ``deep`` of fog lies [m]; see `fog_depth`."""
    k = fog.extinction * np.exp(min(20.0, -(z - fog.base) / fog.height))
    s = dz / fog.height
    wanted = part * deep / max(k, 1e-30)
    if abs(s * wanted) < 1e-4:
        return wanted
    return -np.log(max(1e-12, 1 - s * wanted)) / s


@nb.njit(**INNER)
def _cos_sun(sun, d):
    return d[0] * sun.direction[0] + d[1] * sun.direction[1] + d[2] * sun.direction[2]


@nb.njit(**INNER)
def _cross_water(body, path, hit):
    """Water takes light by its absorption and shows its own: seen from over it, what deep water sends up; from within,
    what day leaves of it at each depth, more towards the light."""
    reach = min(hit.distance, WATER_REACH)
    row = film.MIRRORED if path.mirrored else film.AIR
    up = path.direction[2]
    deep = max(0.0, body.level - path.origin[2])
    for c in range(3):
        keep = np.exp(-body.absorption[c] * reach)
        light = body.colour[c] * (1 - keep)
        if path.in_water == FROM_WITHIN:
            towards = 1 + FORWARD * (0.5 + 0.5 * up) ** 2
            lost = max(body.absorption[c] - body.fading[c] * up, 1e-4)
            light = body.colour[c] * towards * np.exp(-body.fading[c] * deep) * body.absorption[c]
            light *= (1 - np.exp(-lost * reach)) / lost
        path.by[row, c] += path.throughput[c] * light * DENSER
        path.throughput[c] *= keep


@nb.njit(**INNER)
def has_clouds(air):
    """Whether there are any."""
    return air.cloud[0].top > air.cloud[0].base or air.cloud[0].veil_depth > 0


@nb.njit(**INNER)
def has_figures(air, lights):
    """Whether there is more in the sky than its table says."""
    return has_clouds(air) or shines(lights.night[0])


@nb.njit(**INNER)
def _clouds_before(air, lights, ctx, reach, colour, light):
    """Low clouds along a ray up to ``reach``: their light, into ``light``; returns what they leave. ``colour`` is the
    clear sky's."""
    path, work = ctx.path, ctx.work
    xi, _ = choices(path, CLOUDS_AT)
    for c in range(3):
        work.clear_sky[c] = colour[c]
    return clouds.march(
        air.cloud[0],
        air.deck,
        air.haze,
        lights.sun[0],
        path.origin,
        path.direction,
        reach,
        xi,
        work.cloud_noise,
        work.clear_sky,
        light,
    )


@nb.njit(**INNER)
def _clouds_marched(air, lights, ctx, colour):
    """All clouds along a ray that meets nothing, before a sky of ``colour``: their light into ``clouds`` of the
    working record; returns what they leave of it."""
    xi, _ = choices(ctx.path, CLOUDS_AT)
    return cloud_lattice.march(air, lights, ctx, ctx.path.origin, ctx.path.direction, xi, colour)


@nb.njit(**INNER)
def _through_clouds(lights, ctx, colour, left):
    """Add what stands in the clear sky to its ``colour``, and lay clouds before it, whose light is in
    ``clouds`` of the working record."""
    path, sun = ctx.path, lights.sun[0]
    d = path.direction
    if d[2] > -0.01:
        if sun.by_moon < 0.5:
            sun_disc(sun, d, colour)
        if shines(lights.night[0]):
            add_night(lights, path.spread, d, colour)
    for c in range(3):
        colour[c] = ctx.work.clouds[c] + left * colour[c]


@nb.njit(**INNER)
def open_sky(air, lights, ctx, colour):
    """Light [cd/m2] of the sky, its clouds and the sun's disc along a ray that meets nothing, before any fog; what of
    it is clouds' own, into ``clouds`` of the working record."""
    sky_from(lights, lights.sky, ctx.path.origin, ctx.path.direction, colour)
    left = _clouds_marched(air, lights, ctx, colour) if has_clouds(air) else cloud_lattice.none(ctx)
    _through_clouds(lights, ctx, colour, left)


@nb.njit(**INNER)
def _cross_air(air, lights, ctx, colour, lit, sunned):
    """Haze, fog and low clouds between the eye and a surface, which take light, and give some if day falls on them."""
    path, hit = ctx.path, ctx.hit
    d, sun = path.direction, lights.sun[0]
    # the air's own light is that of the whole sky there, with its clouds
    sky_light(lights.panorama, lights.lit_sky, sun, d[0], d[1], max(0.03, d[2]), colour)
    highest = max(path.origin[2], path.origin[2] + d[2] * hit.distance)
    if air.cloud[0].top > air.cloud[0].base and highest > air.cloud[0].base:
        left = _clouds_before(air, lights, ctx, hit.distance, colour, ctx.work.low_clouds)
        over = film.MIRRORED if path.mirrored else film.AIR
        for c in range(3):
            path.by[over, c] += path.throughput[c] * ctx.work.low_clouds[c]
            path.throughput[c] *= left
    keep = transmittance(air, path.origin[2], d[2], hit.distance)
    cos_sun = _cos_sun(sun, d)
    row = film.MIRRORED if path.mirrored else film.AIR
    for c in range(3):
        clear = np.exp(-(air.haze[c] + air.weather[0].veil) * hit.distance)
        fog = fog_light(air.fog[0], cos_sun, c, sunned)
        path.by[row, c] += lit * path.throughput[c] * (colour[c] * (1 - clear) * keep + fog * (1 - keep))
        path.throughput[c] *= clear * keep


@nb.njit(**INNER)
def cross(air, waters, lights, ctx, lit, sunned):
    """What the stretch to the hit adds and takes.

    Parameters
    ----------
    lit : float
        Share of the day's light that falls on the air there.
    sunned : float
        How much of the sun's light falls on it, against its mean.
    """
    path, hit = ctx.path, ctx.hit
    if path.in_water:
        _cross_water(waters.body[path.body], path, hit)
    if hit.missed:
        return
    path.travelled += hit.distance
    if path.depth == 0 and not path.in_water and path.inside < 0:
        _cross_air(air, lights, ctx, ctx.light_sample.radiance, lit, sunned)


@nb.njit(**WITHIN)
def background(air, lights, ctx, sunned):
    """The sky, seen directly or through clear things, behind the fog before it."""
    path, d, colour, sun = ctx.path, ctx.path.direction, ctx.light_sample.radiance, lights.sun[0]
    cos_sun = _cos_sun(sun, d)
    sky_from(lights, lights.sky, path.origin, d, colour)
    left = cloud_lattice.read_off(air, lights, ctx, d) if has_clouds(air) else cloud_lattice.none(ctx)
    if left < 0:
        left = _clouds_marched(air, lights, ctx, colour)
    _through_clouds(lights, ctx, colour, left)
    keep = transmittance(air, path.origin[2], max(d[2], 0.0), FAR_FOG)
    for c in range(3):
        clouds_own = ctx.work.clouds[c]
        path.by[film.BEHIND, c] += path.throughput[c] * (colour[c] - clouds_own) * keep
        path.by[film.CLOUDS, c] += path.throughput[c] * clouds_own * keep
        path.by[film.AIR, c] += path.throughput[c] * fog_light(air.fog[0], cos_sun, c, sunned) * (1 - keep)


@nb.njit(**INNER)
def sun_through_air(air, lights, ctx):
    """Fraction of the sun's light that clouds and fog leave at a hit."""
    sun, p = lights.sun[0], ctx.hit.position
    shade = clouds.shade(air.cloud[0], air.deck, sun, p[0], p[1], p[2], ctx.work.cloud_noise)
    shade *= mist.shade(air.bank[0], air.mist, sun, p[0], p[1], p[2])
    return shade * transmittance(air, p[2], max(sun.direction[2], 0.02), FAR_FOG)


@nb.njit(**INNER)
def reaching(air, lights, body, ctx, kind):
    """Take from a light sample what clouds, fog, and water over the point, take on its way down."""
    hit, light_sample = ctx.hit, ctx.light_sample
    z, dz = hit.position[2], light_sample.direction[2]
    if kind == SUN:
        open_, p = 1.0, hit.position
        if air.cloud[0].top > air.cloud[0].base:
            open_ *= clouds.shade(air.cloud[0], air.deck, lights.sun[0], p[0], p[1], p[2], ctx.work.cloud_noise)
        if air.bank[0].on > 0:
            open_ *= mist.shade(air.bank[0], air.mist, lights.sun[0], p[0], p[1], p[2])
        light_sample.weight *= transmittance(air, z, dz, FAR_FOG) * open_
        light_sample.shaded = 1 - open_
    elif kind == LAMP:
        light_sample.weight *= transmittance(air, z, dz, light_sample.distance)
    if hit.submerged > 0:
        slant = hit.submerged * SKY_SLANT
        if kind == SUN:
            light_sample.weight *= 1 - fresnel(dz, IOR_WATER)
            slant = hit.submerged / np.sqrt(1 - (1 - dz * dz) / (IOR_WATER * IOR_WATER))
            light_sample.weight *= hit.caustic
        elif kind == SKY:
            light_sample.weight *= SKY_INTO_WATER
        for c in range(3):
            light_sample.radiance[c] *= np.exp(-body.fading[c] * slant)
