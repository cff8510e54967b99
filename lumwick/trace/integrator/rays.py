"""Asking Embree: what a ray meets, whether something stands in the way, and what clear things leave of light."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.trace.embree import MASK_CLEAR, MASK_CUT, MASK_WATER, NO_HIT, SCATTERED, SEEN, rtcIntersect1, rtcOccluded1
from lumwick.trace.integrator import together
from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.facets import fresnel, pane
from lumwick.trace.integrator.surfaces.model import opacity
from lumwick.trace.integrator.surfaces.placing import to_local, turned, unit
from lumwick.trace.sampling import INNER

REPLAY = 9
"""Numbers of a recorded ray: origin, direction, reach, mask, whether it is a shadow ray."""
RAY_WORDS = 32
"""Words of a ray's buffer, more than the ray library's record has."""
FOREVER = together.FOREVER
CLEAR_LAYERS = 24
"""Cut-out and clear surfaces that a shadow ray looks through (practice)."""
CUT_FOOTPRINT = 0.004
"""Width [m] over which a shadow ray takes a cut-out's opacity (practice)."""
FROM_OVER = 1
"""Of a path in water: it went in through its surface, which it meets no more (as `media` says)."""
UPRIGHT = (0.0, 0.0, 1.0)


def buffers(count: int) -> NDArray[np.uint32]:
    """Room for ``count`` rays, shape (count, RAY_WORDS), aligned to 64 bytes as the ray library wants."""
    return together.aligned(count * RAY_WORDS).reshape(count, RAY_WORDS)


@nb.njit(**INNER)
def _set(ctx, origin, direction, near, far, mask):
    ray, f = ctx.ray, ctx.f
    for c in range(3):
        f[c] = origin[c]
        f[4 + c] = direction[c]
    f[3], f[7], f[8] = near, 0.0, far
    ray[9], ray[10], ray[11] = mask, 0, 0
    ray[17], ray[18], ray[19], ray[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT


@nb.njit(**INNER)
def _record(ctx, shadow, origin, direction, far, mask):
    """Record a ray, if there is room for records."""
    k = ctx.counts[0] + ctx.counts[1]
    if k < len(ctx.log):
        row = ctx.log[k]
        for c in range(3):
            row[c] = origin[c]
            row[3 + c] = direction[c]
        row[6], row[7], row[8] = far, mask, shadow


@nb.njit(**WITHIN)
def find_surface(geometry, ctx):
    """The next surface on the path, into the context's hit."""
    path, hit, f = ctx.path, ctx.hit, ctx.f
    under = path.in_water == FROM_OVER or path.skims
    mask = SCATTERED if path.depth > 0 else (SEEN if under else SEEN | MASK_WATER)
    mask |= MASK_CUT | MASK_CLEAR
    _record(ctx, 0, path.origin, path.direction, FOREVER, mask)
    if path.step == 0 and ctx.ahead.taken[1] > 0:
        together.take(ctx)
    else:
        _set(ctx, path.origin, path.direction, path.near, FOREVER, mask)
        rtcIntersect1(geometry.scene, ctx.ray.ctypes.data, 0)
    ctx.counts[0] += 1
    hit.missed = 1 if ctx.ray[18] == NO_HIT else 0
    hit.distance = FOREVER if hit.missed else float(f[8])
    if hit.missed:
        return
    hit.instance, hit.primitive = int(ctx.ray[19]), int(ctx.ray[17])
    hit.bary[0], hit.bary[1] = f[15], f[16]
    hit.part = geometry.owner[hit.instance]
    hit.kind = geometry.kind[hit.part]
    for c in range(3):
        hit.position[c] = path.origin[c] + path.direction[c] * hit.distance
        hit.geometric[c] = f[12 + c]


@nb.njit(**INNER)
def water_over(geometry, ctx):
    """The part that is the water's surface over where the path begins, or -1."""
    _set(ctx, ctx.path.origin, UPRIGHT, 0.0, FOREVER, MASK_WATER)
    rtcIntersect1(geometry.scene, ctx.ray.ctypes.data, 0)
    return -1 if ctx.ray[18] == NO_HIT else int(geometry.owner[int(ctx.ray[19])])


@nb.njit(**INNER)
def unoccluded(scene, ctx, origin, direction, far, mask):
    """Whether nothing solid stands in the way."""
    _record(ctx, 1, origin, direction, far, mask)
    _set(ctx, origin, direction, 0.0, far, mask)
    rtcOccluded1(scene, ctx.ray.ctypes.data, 0)
    ctx.counts[1] += 1
    return ctx.f[8] > 0.0


@nb.njit(**INNER)
def meets_box(boxes, position, direction, reach):
    """Whether a ray from a point goes through any of some upright boxes."""
    for k in range(len(boxes)):
        near, far = 0.0, reach
        box = boxes[k]
        for c in range(3):
            if abs(direction[c]) < 1e-12:
                if position[c] < box[c] or position[c] > box[c + 3]:
                    near = far + 1.0
            else:
                q = 1 / direction[c]
                p, r = (box[c] - position[c]) * q, (box[c + 3] - position[c]) * q
                near = max(near, min(p, r))
                far = min(far, max(p, r))
        if near <= far:
            return True
    return False


@nb.njit(**INNER)
def through_clear(geometry, materials, ctx, origin, direction, far, left):
    """What cut-out and clear things leave of light on its way, by colour, into ``left``; False if nothing is left."""
    cut, ray, f = ctx.cut, ctx.ray, ctx.f
    for c in range(3):
        left[c] = 1.0
    at, inside, entered = 0.0, -1, 0.0
    for _ in range(CLEAR_LAYERS):
        _record(ctx, 0, origin, direction, far, MASK_CUT | MASK_CLEAR)
        _set(ctx, origin, direction, at, far, MASK_CUT | MASK_CLEAR)
        rtcIntersect1(geometry.scene, ray.ctypes.data, 0)
        ctx.counts[0] += 1
        if ray[18] == NO_HIT:
            break
        distance, placement = float(f[8]), geometry.transform[int(ray[19])]
        part = geometry.owner[int(ray[19])]
        material = materials.surface[geometry.row[part]]
        local_normal = cut.local_normal
        for c in range(3):
            local_normal[c] = f[12 + c]
        if material.cutoff > 0:
            unit(local_normal)
            for c in range(3):
                cut.at[c] = origin[c] + direction[c] * distance
            to_local(placement, cut.at, cut.local)
            open_share = 1 - opacity(materials, material, cut, int(ray[17]), float(f[15]), float(f[16]), CUT_FOOTPRINT)
            for c in range(3):
                left[c] *= open_share
        else:
            turned(placement, local_normal)
            cos = local_normal[0] * direction[0] + local_normal[1] * direction[1] + local_normal[2] * direction[2]
            reflected = fresnel(min(1.0, abs(cos)), material.ior)
            if material.thin > 0:
                for c in range(3):
                    left[c] *= (1 - pane(reflected)) * material.base[c]
            else:
                for c in range(3):
                    left[c] *= (1 - reflected) * np.sqrt(material.base[c])
                    if inside == part:
                        left[c] *= np.exp(-material.absorption[c] * (distance - entered))
                inside = -1 if inside == part else part
                entered = distance
            for c in range(3):
                left[c] *= material.transmission
        if left[0] + left[1] + left[2] < 1e-4:
            return False
        at = distance * (1 + 1e-6) + 1e-4
    return True
