"""Lamps' light in haze and fog on its way to the eye: halos and beams, scattered once.

A spot of the ray is chosen evenly by the angle at which the lamp sees it, within the lamp's cone alone.

References
----------
C. Kulla and M. Fajardo, Importance sampling techniques for path tracing in participating media, EGSR 2012
(equi-angular sampling).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import SEEN
from lumwick.trace.integrator import film, lights, media, rays
from lumwick.trace.integrator import lamplight as ll
from lumwick.trace.integrator.compiling import PART
from lumwick.trace.sampling import INNER, choices

WHICH, WHERE, ACROSS = 81, 82, 83
"""Salts of the choices."""
FARTHEST = 4000.0
"""Metres of a ray in which lamps' light is looked for (practice)."""
SEEN_AT, ASKED_AT_LEAST = 0.002, 0.02
"""Beams that may be this share of the open's light are asked always, weaker ones in proportion (practice)."""


@nb.njit(**INNER)
def _lit_stretch(lamp, o, d, reach):
    """From where to where [m] a ray may be lit by a lamp, and how near it comes to it: of a spot, within its cone."""
    px, py, pz = lamp.position[0], lamp.position[1], lamp.position[2]
    kind = int(lamp.kind)
    if kind == ll.PARALLEL:
        return 0.0, 0.0, 1.0
    near, far = 0.0, reach
    if kind == ll.SPOT and lamp.cos_outer > 0.05:
        w, c2 = lamp.direction, lamp.cos_outer * lamp.cos_outer
        # a source with a width shines from a cone whose tip lies behind it
        back = lamp.source * lamp.cos_outer / np.sqrt(max(1e-9, 1 - c2))
        qx, qy, qz = o[0] - px + back * w[0], o[1] - py + back * w[1], o[2] - pz + back * w[2]
        dw = d[0] * w[0] + d[1] * w[1] + d[2] * w[2]
        qw = qx * w[0] + qy * w[1] + qz * w[2]
        a = dw * dw - c2
        b = dw * qw - c2 * (d[0] * qx + d[1] * qy + d[2] * qz)
        c = qw * qw - c2 * (qx * qx + qy * qy + qz * qz)
        root = b * b - a * c
        if abs(a) < 1e-9:
            a = 1e-9
        if root < 0:
            if a < 0:
                return 0.0, 0.0, 1.0
        else:
            root = np.sqrt(root)
            t1, t2 = (-b - root) / a, (-b + root) / a
            if t1 > t2:
                t1, t2 = t2, t1
            if a < 0:
                if qw + 0.5 * (t1 + t2) * dw <= 0:
                    return 0.0, 0.0, 1.0
                near, far = max(near, t1), min(far, t2)
            elif dw > 0:
                near = max(near, t2)
            else:
                far = min(far, t1)
    along = (px - o[0]) * d[0] + (py - o[1]) * d[1] + (pz - o[2]) * d[2]
    x, y, z = o[0] + along * d[0] - px, o[1] + along * d[1] - py, o[2] + along * d[2] - pz
    return near, max(near, far), max(0.02, np.sqrt(x * x + y * y + z * z))


@nb.njit(**INNER)
def _angles(lamp, o, d, near, far, aside):
    """The angles [rad] at which a lamp sees the ends of a stretch of a ray, and where on the ray it is nearest."""
    along = (lamp.position[0] - o[0]) * d[0] + (lamp.position[1] - o[1]) * d[1] + (lamp.position[2] - o[2]) * d[2]
    return np.arctan((near - along) / aside), np.arctan((far - along) / aside), along


@nb.njit(**INNER)
def _weight(lamp, o, d, reach):
    """About the light [cd/m] that a stretch gets of a lamp: what it is chosen by."""
    near, far, aside = _lit_stretch(lamp, o, d, reach)
    if far <= near:
        return 0.0
    low, high, _ = _angles(lamp, o, d, near, far, aside)
    return lamp.power * max(high - low, 0.0) / aside


@nb.njit(**PART)
def add(w, limits, ctx):
    """What a lamp's light, scattered by haze and fog before the hit, brings the path."""
    path, hit, light_sample, lamps = ctx.path, ctx.hit, ctx.light_sample, w.lights.lamp
    if path.depth > 0 or path.in_water or path.inside >= 0:
        return
    o, d, fog, haze = path.origin, path.direction, w.air.fog[0], w.air.haze
    reach = min(hit.distance, FARTHEST)
    total = 0.0
    for k in range(len(lamps)):
        total += _weight(lamps[k], o, d, reach)
    if total <= 0:
        return
    thick = fog.extinction * np.exp(min(20.0, -(o[2] - fog.base) / fog.height)) + haze[1]
    asked = min(1.0, max(ASKED_AT_LEAST, total * thick / (4 * np.pi * SEEN_AT * limits.open_lux)))
    whether, which = choices(path, WHICH)
    if asked < 1 and whether >= asked:
        return
    at, number, mine = which * total, -1, 0.0
    for k in range(len(lamps)):
        one = _weight(lamps[k], o, d, reach)
        if one > 0:
            number, mine = k, one
            if at < one:
                break
        at -= one
    lamp = lamps[number]
    near, far, aside = _lit_stretch(lamp, o, d, reach)
    low, high, along = _angles(lamp, o, d, near, far, aside)
    where, _ = choices(path, WHERE)
    angle = low + where * (high - low)
    tan = np.tan(angle)
    t = along + aside * tan
    length_share = (high - low) * aside * (1 + tan * tan)  # one over the density [m]
    p = ctx.work.lit_spot
    for c in range(3):
        p[c] = o[c] + t * d[c]
    light_sample.weight = 1.0
    u, v = choices(path, ACROSS)
    ll.shine(lamp, w.lights.emitter, w.lights.gobo, p, u, v, light_sample)
    if light_sample.radiance[0] + light_sample.radiance[1] + light_sample.radiance[2] <= 0:
        return
    before = light_sample.distance * lights.LAMP_SHORT - lights.LAMP_SHORTER
    if not rays.unoccluded(w.geometry.scene, ctx, p, light_sample.direction, before, SEEN):
        return
    k = total / (mine * asked) * length_share
    k *= 1 / light_sample.pdf if light_sample.pdf > 0 else 1 / (light_sample.distance * light_sample.distance)
    k *= media.transmittance(w.air, p[2], light_sample.direction[2], light_sample.distance)
    k *= media.transmittance(w.air, o[2], d[2], t)
    cos = 0.0
    for c in range(3):
        cos += light_sample.direction[c] * d[c]
    k *= media.phase(fog.asymmetry, cos)
    thick = fog.extinction * np.exp(min(20.0, -(p[2] - fog.base) / fog.height))
    row = film.MIRRORED if path.mirrored else film.AIR
    for c in range(3):
        light = light_sample.radiance[c] * k * (thick + haze[c]) * np.exp(-haze[c] * t)
        path.by[row, c] += path.throughput[c] * light
