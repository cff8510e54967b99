"""What a camera's ray meets in the air before its surface: what falls, banks of fog, and whether the sun reaches the
fog that it goes through."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import SEEN
from lumwick.trace.integrator import clouds, falling, film, media, mist, rays
from lumwick.trace.integrator.compiling import PART
from lumwick.trace.sampling import INNER, choices

BANK_AT, FOG_AT = 92, 94
THIN, ALWAYS = 0.03, 0.3
"""Share of light that fog takes under which no shadow on it is looked for, and over which it always is; between them
in proportion, and what is found counts for more (practice)."""


@nb.njit(**INNER)
def _sun_at(w, ctx, p):
    """Share of the sun's light that comes to a spot of the air: none behind a thing, and what clouds leave."""
    sun = w.lights.sun[0]
    if not rays.unoccluded(w.geometry.scene, ctx, p, sun.direction, rays.FOREVER, SEEN):
        return 0.0
    return clouds.shade(w.air.cloud[0], w.air.deck, sun, p[0], p[1], p[2], ctx.work.fog_noise)


@nb.njit(**INNER)
def _cross_banks(w, ctx, lit):
    path, hit, air, p, told = ctx.path, ctx.hit, w.air, ctx.work.fog_spot, ctx.work.bank
    bank, sun, o, d = air.bank[0], w.lights.sun[0], path.origin, path.direction
    xi, pick = choices(path, BANK_AT)
    keep = mist.march(bank, air.mist, sun, o, d, hit.distance, xi, pick, told)
    if keep >= 1.0:
        return
    by_sun, by_all = told[0], told[1]
    if by_sun > 0 and sun.illuminance[1] > 0:
        for c in range(3):
            p[c] = o[c] + told[2] * d[c]
        by_sun *= _sun_at(w, ctx, p)
        cos = d[0] * sun.direction[0] + d[1] * sun.direction[1] + d[2] * sun.direction[2]
        by_sun *= media.phase(bank.asymmetry, cos)
    row = film.MIRRORED if path.mirrored else film.AIR
    for c in range(3):
        path.by[row, c] += lit * path.throughput[c] * (bank.sunlight[c] * by_sun + bank.ambient[c] * by_all)
        path.throughput[c] *= keep


@nb.njit(**PART)
def before_surface(w, ctx, lit):
    """Cross what falls and banks of fog; returns how much of the sun's light falls on the fog of the stretch, against
    its mean.

    Parameters
    ----------
    lit : float
        Share of the day's light that falls on the air there.
    """
    path, hit, air, p = ctx.path, ctx.hit, w.air, ctx.work.fog_spot
    weather, sun, fog = air.weather[0], w.lights.sun[0], air.fog[0]
    if weather.falling > 0 and path.step == 0:
        falling.cross_falling(air, ctx)
    if air.bank[0].on > 0:
        _cross_banks(w, ctx, lit)
    if weather.sunned < 0.5 or sun.illuminance[1] <= 0 or lit <= 0:
        return 1.0
    o, d = path.origin, path.direction
    deep = media.fog_depth(fog, o[2], d[2], min(hit.distance, media.FAR_FOG))
    taken = 1 - np.exp(-deep)
    if taken < THIN:
        return 1.0
    xi, whether = choices(path, FOG_AT)
    asked = min(1.0, taken / ALWAYS)
    if whether >= asked:
        return 1.0
    part = -np.log(1 - xi * taken) / deep
    t = media.within_fog(fog, o[2], d[2], part, deep)
    for c in range(3):
        p[c] = o[c] + t * d[c]
    return 1 + (_sun_at(w, ctx, p) / max(fog.open, 0.02) - 1) / asked
