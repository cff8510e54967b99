"""The integrator: one kernel that follows each sample from the camera to the light.

At every surface that is not a mirror the sun's disc, the sky and one lamp are sampled directly, the sky and
lamps of some size with multiple importance sampling against the scattered ray (balance heuristic; Veach 1997).
Water reflects by Fresnel and lets light through to the bed. Leaves pass light. Radiances are in cd/m2.

Three simplifications, each keeping the light's sum: a surface met after a matt bounce returns its gloss matt;
light scattered by a matt surface passes clear solids unbent, as their shadows take it; and what one sample
brings by a matt bounce above a limit is set aside and spread over its neighbourhood (`lumwick.trace.render`).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace import lamplight as ll
from lumwick.trace import material as mt
from lumwick.trace import reflectance as rf
from lumwick.trace.covering import ground_surface, plant_surface, timber_surface
from lumwick.trace.embree import MASK_CLEAR, MASK_CUT, MASK_WATER, NO_HIT, SCATTERED, SEEN, rtcIntersect1, rtcOccluded1
from lumwick.trace.reflectance import basis, facet, fresnel, prepare, scattered
from lumwick.trace.sampling import INNER, ROWS, around, cell, noise2, pair
from lumwick.trace.skylight import fog_depth, fog_light, pick_sky, sky_density, sky_light, sun_disc
from lumwick.trace.waters import grid_cell, tile_at, water_normal
from lumwick.trace.world import FAR, GROUND, MODEL, PLANT, TIMBER, WATER

RAY_WORDS = 32
CHANNELS = 15
"""Of film: radiance rgb, albedo rgb, normal xyz, distance, squared brightness, samples, light set aside rgb."""
SQUARED, COUNTED, ASIDE = 10, 11, 12
SUN, SKY, LAMPS, MIRRORED, GLOWING, AIR, BEHIND = range(7)
SOURCES = 7
POSITION, COVERAGE = 3 * SOURCES, 3 * SOURCES + 3
PASSES = 3 * SOURCES + 4
"""Radiance by its source, rgb each: sun, sky, lamps, reflection, emission, air and water, background; position xyz;
coverage."""
IDS = 6
"""Things, and surfaces, that one pixel can tell apart."""
IOR_WATER = 1.333
PICK = 200
"""The first of the dimensions that choose, at each step, between mirroring and letting through (the others are eight
to a step)."""
REPLAY = 9
"""Numbers of a recorded ray: origin, direction, reach, mask, whether it is a shadow ray."""


@nb.njit(**INNER)
def _set_ray(buf, f, ox, oy, oz, dx, dy, dz, near, far, mask):
    f[0], f[1], f[2], f[3] = ox, oy, oz, near
    f[4], f[5], f[6], f[7] = dx, dy, dz, 0.0
    f[8] = far
    buf[9], buf[10], buf[11] = mask, 0, 0
    buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT


@nb.njit(**INNER)
def _note(log, counts, shadow, ox, oy, oz, dx, dy, dz, far, mask):
    """Record a ray, if there is room for records."""
    k = counts[0] + counts[1]
    if k < len(log):
        r = log[k]
        r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7], r[8] = ox, oy, oz, dx, dy, dz, far, mask, shadow


@nb.njit(**INNER)
def _meets(boxes, x, y, z, d, reach):
    """Whether a ray from a point goes through any of some upright boxes."""
    for k in range(len(boxes)):
        near, far = 0.0, reach
        b = boxes[k]
        for c in range(3):
            at = x if c == 0 else (y if c == 1 else z)
            if abs(d[c]) < 1e-12:
                if at < b[c] or at > b[c + 3]:
                    near = far + 1.0
            else:
                q = 1 / d[c]
                p, r = (b[c] - at) * q, (b[c + 3] - at) * q
                near = max(near, min(p, r))
                far = min(far, max(p, r))
        if near <= far:
            return True
    return False


@nb.njit(**INNER)
def _through(
    scene,
    owner,
    looks,
    transforms,
    corner,
    texture,
    where,
    curve,
    buf,
    f,
    px,
    py,
    pz,
    dx,
    dy,
    dz,
    far,
    room,
    counts,
    log,
    c,
):
    """What cut-out and clear things leave of light on its way, by colour; 0 if nothing is left."""
    for k in range(3):
        c[k] = 1.0
    at = 0.0
    inside = -1
    entered = 0.0
    for _ in range(24):
        _note(log, counts, 0, px, py, pz, dx, dy, dz, far, MASK_CUT | MASK_CLEAR)
        _set_ray(buf, f, px, py, pz, dx, dy, dz, at, far, MASK_CUT | MASK_CLEAR)
        rtcIntersect1(scene, buf.ctypes.data, 0)
        counts[0] += 1
        if buf[18] == NO_HIT:
            break
        dist = float(f[8])
        inst, prim = int(buf[19]), int(buf[17])
        g = owner[inst]
        look = looks[g]
        p, own, out, tex = room[20], room[21], room[22], room[23]
        own[0], own[1], own[2] = f[12], f[13], f[14]
        if look[mt.CUTOFF] > 0:
            q = 1 / max(1e-30, np.sqrt(own[0] * own[0] + own[1] * own[1] + own[2] * own[2]))
            for k in range(3):
                own[k] *= q
            mt._to_own(transforms[inst], px + dx * dist, py + dy * dist, pz + dz * dist, p)
            triangle = int(look[mt.CORNERS]) + prim if look[mt.CORNERS] >= 0 else -1
            left = 1 - mt.opacity(
                look, corner, triangle, float(f[15]), float(f[16]), texture, where, curve, 0.004, p, own, out, tex
            )
            for k in range(3):
                c[k] *= left
        else:
            mt.turned(transforms[inst], own)
            cos = own[0] * dx + own[1] * dy + own[2] * dz
            fr = fresnel(min(1.0, abs(cos)), look[mt.IOR])
            if look[mt.THIN] > 0:
                fr = 2 * fr / (1 + fr)
                for k in range(3):
                    c[k] *= (1 - fr) * look[mt.BASE + k]
            else:
                tint = 1.0 if inside == g else 0.0
                for k in range(3):
                    c[k] *= (1 - fr) * np.sqrt(look[mt.BASE + k])
                    if tint > 0:
                        c[k] *= np.exp(-look[mt.ABSORB + k] * (dist - entered))
                inside = -1 if inside == g else g
                entered = dist
            for k in range(3):
                c[k] *= look[mt.TRANSMISSION]
        if c[0] + c[1] + c[2] < 1e-4:
            return 0.0
        at = dist * (1 + 1e-6) + 1e-4
    return 1.0


@nb.njit(**INNER)
def _open(scene, buf, f, px, py, pz, dx, dy, dz, far, mask, counts, log):
    """Whether nothing solid stands in the way."""
    _note(log, counts, 1, px, py, pz, dx, dy, dz, far, mask)
    _set_ray(buf, f, px, py, pz, dx, dy, dz, 0.0, far, mask)
    rtcOccluded1(scene, buf.ctypes.data, 0)
    counts[1] += 1
    return f[8] > 0.0


@nb.njit(**INNER)
def _stand(out, x, y, z):
    """Note where the first surface of a sample lies."""
    out[CHANNELS + POSITION] += x
    out[CHANNELS + POSITION + 1] += y
    out[CHANNELS + POSITION + 2] += z
    out[CHANNELS + COVERAGE] += 1.0


@nb.njit(**INNER)
def _tell(ids, which, number):
    """Count a sample for a thing (row 0) or a surface (row 1) of its pixel."""
    for k in range(IDS):
        if ids[which, k, 0] == number or ids[which, k, 0] == 0:
            ids[which, k, 0] = number
            ids[which, k, 1] += 1
            return


@nb.njit(**INNER)
def _aim(view, px, py, pixel, sample, o, d):
    """A camera ray; returns which colour it carries alone (0 to 2), or -1 for all."""
    ju, jv = pair(pixel, sample, 0)
    # a tent of one pixel's radius
    ju = np.sqrt(2 * ju) - 0.5 if ju < 0.5 else 1.5 - np.sqrt(2 - 2 * ju)
    jv = np.sqrt(2 * jv) - 0.5 if jv < 0.5 else 1.5 - np.sqrt(2 - 2 * jv)
    if view.around == 1:
        turned = np.arctan2(view.forward[0], view.forward[1]) + (2 * (px + view.left + ju) / view.width - 1) * np.pi
        raised = min(max(0.5 - (py + view.top + jv) / view.height, -0.5), 0.5) * np.pi
        d[0], d[1], d[2] = np.sin(turned) * np.cos(raised), np.cos(turned) * np.cos(raised), np.sin(raised)
        moment = 0.0
        if view.moving:
            moment, _ = pair(pixel, sample, 1)
        for c in range(3):
            o[c] = view.origin[c] + moment * view.origin_moves[c]
        o[0] += view.eye * np.cos(turned)
        o[1] -= view.eye * np.sin(turned)
        return -1
    sx = (2 * (px + view.left + ju) / view.width - 1) * view.tan_x
    sy = (1 - 2 * (py + view.top + jv) / view.height) * view.tan_y
    colour = -1
    if view.bend != 0 or view.fringe != 0:
        r2 = (sx * sx + sy * sy) / (view.tan_x * view.tan_x + view.tan_y * view.tan_y)
        k = (1 + view.bend * r2) / (1 + view.bend)
        if view.fringe != 0:
            colour = (sample + pixel) % 3
            k /= 1 + view.fringe * r2 * (1 - colour)
        sx *= k
        sy *= k
    for c in range(3):
        d[c] = view.forward[c] + sx * view.right[c] + sy * view.up[c]
        o[c] = view.origin[c]
    if view.moving:  # each sample at its own moment of the open shutter
        moment, _ = pair(pixel, sample, 1)
        for c in range(3):
            d[c] += moment * (view.forward_moves[c] + sx * view.right_moves[c] + sy * view.up_moves[c])
            o[c] += moment * view.origin_moves[c]
    if view.lens_radius > 0:
        lu, lv = pair(pixel, sample, 2)
        if view.blades > 2:
            # a point of one of the triangles that make up the opening, which is as large as the round one
            side = lu * view.blades
            number = np.floor(side)
            a, b = np.sqrt(side - number), lv
            turn = 2 * np.pi / view.blades
            r = view.lens_radius * np.sqrt(turn / np.sin(turn))
            p, q = (number + 0.0) * turn + view.blade_turn, (number + 1.0) * turn + view.blade_turn
            lx = r * a * ((1 - b) * np.cos(p) + b * np.cos(q))
            ly = r * a * ((1 - b) * np.sin(p) + b * np.sin(q))
        else:
            r, a = view.lens_radius * np.sqrt(lu), 2 * np.pi * lv
            lx, ly = r * np.cos(a), r * np.sin(a)
        for c in range(3):
            shift = lx * view.right[c] + ly * view.up[c]
            o[c] += shift
            d[c] = d[c] * view.focus - shift
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
    return colour


@nb.njit(**INNER)
def _sample(w, view, limits, px, py, pixel, sample, buf, f, room, m, out, ids, counts, log):
    """Follow one sample; adds radiance, features and light by its source to ``out``."""
    n, ng, t1, t2, albedo, through = room[0], room[1], room[2], room[3], room[4], room[5]
    thr, col, sd, d, o, dull, shiny, tint = room[6], room[7], room[8], room[9], room[10], room[11], room[12], room[13]
    work, own, place, tex = room[14], room[15], room[16], room[17]
    by = room[24:31]  # light by where it comes from; the sum is the picture
    thr[:] = 1.0
    by[:] = 0.0
    aside = room[31]
    aside[:] = 0.0
    colour = _aim(view, px, py, pixel, sample, o, d)
    if colour >= 0:
        for c in range(3):
            thr[c] = 3.0 if c == colour else 0.0
    low = -1.0 if w.panorama.shape[0] > 1 else 0.0
    pixel_angle = 2 * view.tan_x / view.width
    travelled = 0.0
    plain = True  # only mirrors and clear things between here and the last point that could choose its ray's direction
    in_water = False
    skim = False
    inside = -1  # the clear solid that the ray is in
    density = 0.0
    depth = reflected = passed = 0  # matt surfaces, glossy surfaces, and clear surfaces met
    seen = False  # features stored
    mirrored = False  # whether the first surface reflected the path
    near = 0.0
    limit = 1e30
    px0 = py0 = pz0 = 0.0  # where the last choice of a direction was made
    for step in range(24):
        base = 8 * step
        mask = (SCATTERED if depth > 0 else (SEEN if in_water or skim else SEEN | MASK_WATER)) | MASK_CUT | MASK_CLEAR
        _note(log, counts, 0, o[0], o[1], o[2], d[0], d[1], d[2], 1e9, mask)
        _set_ray(buf, f, o[0], o[1], o[2], d[0], d[1], d[2], near, 1e9, mask)
        rtcIntersect1(w.scene, buf.ctypes.data, 0)
        counts[0] += 1
        missed = buf[18] == NO_HIT
        dist = 1e9 if missed else float(f[8])
        cos_sun = d[0] * w.sun[0] + d[1] * w.sun[1] + d[2] * w.sun[2]
        if in_water:
            reach = min(dist, 60.0)
            row = MIRRORED if mirrored else AIR
            for c in range(3):
                keep = np.exp(-w.water[c] * reach)
                by[row, c] += thr[c] * w.water[3 + c] * (1 - keep)
                thr[c] *= keep
            if missed:
                break
        elif missed:
            if step == 0 or (plain and depth == 0 and not mirrored and not skim):
                # seen directly, or through clear things
                sky_light(w.panorama, w.sky, w.sun, d[0], d[1], d[2], col)
                if d[2] > -0.01:
                    sun_disc(w.sun, cos_sun, col)
                keep = np.exp(-fog_depth(w.fog, o[2], max(d[2], 0.0), 60000.0))
                fog_light(w.fog, cos_sun, sd)
                for c in range(3):
                    by[BEHIND, c] += thr[c] * col[c] * keep
                    by[AIR, c] += thr[c] * sd[c] * (1 - keep)
            else:
                sky_light(w.panorama, w.lit_sky, w.sun, d[0], d[1], d[2], col)
                weight = 1.0
                if density > 0:
                    weight = density / (density + sky_density(w.sky_share, low, w.sun[7], d[0], d[1], d[2]))
                elif plain and w.sun[4] > 0 and not skim and reflected > 0:
                    sd[:] = 0.0
                    sun_disc(w.sun, cos_sun, sd)
                    keep = np.exp(-fog_depth(w.fog, o[2], max(d[2], 0.02), 60000.0))
                    for c in range(3):
                        col[c] += sd[c] * keep
                row = MIRRORED if mirrored else SKY
                for c in range(3):
                    v = thr[c] * col[c] * weight
                    by[row, c] += min(limit, v)
                    aside[c] += max(0.0, v - limit)
            break
        x, y, z = o[0] + d[0] * dist, o[1] + d[1] * dist, o[2] + d[2] * dist
        travelled += dist
        # haze and fog between the eye and the surface
        if depth == 0 and not in_water and inside < 0:
            sky_light(w.panorama, w.sky, w.sun, d[0], d[1], max(0.03, d[2]), col)
            keep = np.exp(-fog_depth(w.fog, o[2], d[2], dist))
            fog_light(w.fog, cos_sun, sd)
            row = MIRRORED if mirrored else AIR
            for c in range(3):
                clear = np.exp(-w.air[c] * dist)
                by[row, c] += thr[c] * (col[c] * (1 - clear) * keep + sd[c] * (1 - keep))
                thr[c] *= clear * keep
        inst, prim = int(buf[19]), int(buf[17])
        bu, bv = float(f[15]), float(f[16])
        g = w.owner[inst]
        kind = w.kind[g]
        ng[0], ng[1], ng[2] = f[12], f[13], f[14]
        footprint = travelled * pixel_angle if depth == 0 else 3.0  # scattered light needs no grain
        layer = 0
        glossy = False
        for c in range(3):
            m[rf.THROUGH + c] = 0.0
            m[rf.F0 + c] = 0.0
            m[rf.EMISSION + c] = 0.0
        m[rf.COAT] = m[rf.TRANSMISSION] = 0.0
        if kind == WATER:
            i, j, a, b = grid_cell(w.heights, w.grid, x, y)
            long = (w.open_water[i, j, 0] * (1 - b) + w.open_water[i, j + 1, 0] * b) * (1 - a) + (
                w.open_water[i + 1, j, 0] * (1 - b) + w.open_water[i + 1, j + 1, 0] * b
            ) * a
            short = (w.open_water[i, j, 1] * (1 - b) + w.open_water[i, j + 1, 1] * b) * (1 - a) + (
                w.open_water[i + 1, j, 1] * (1 - b) + w.open_water[i + 1, j + 1, 1] * b
            ) * a
            on_survey = w.grid[0] < x < w.grid[0] + w.grid[2] * (w.heights.shape[1] - 1) and w.grid[1] < y < w.grid[
                1
            ] + w.grid[2] * (w.heights.shape[0] - 1)
            if not on_survey:
                long = short = 1.0
            grazing = max(0.05, -d[2])
            left = water_normal(
                w.tile, w.slope0, w.slope1, w.slope2, w.slope3, x, y, footprint / np.sqrt(grazing), long, short, n
            )
            fold = 1 - (1 - tile_at(w.fold, w.tile[0], x, y, 3)) * long
            foam = min(1.0, max(0.0, (0.44 - fold) / 0.35))
            if on_survey:
                bed = (w.heights[i, j] * (1 - a) + w.heights[i + 1, j] * a) * (1 - b) + (
                    w.heights[i, j + 1] * (1 - a) + w.heights[i + 1, j + 1] * a
                ) * b
                thin = z - bed
                if thin < 0.012:  # a film at the water's edge, too thin to see: on to the bed
                    o[0], o[1], o[2] = x + 0.01 * d[0], y + 0.01 * d[1], z + 0.01 * d[2]
                    near = 0.0
                    skim = True
                    continue
                near_sea = w.open_water[i, j, 2]
                lace, _, _ = noise2(x * 1.9 + n[0] * 6 + w.water[6], y * 1.9 + n[1] * 6 + w.water[7], 31)
                lace2, _, _ = noise2(x * 6.7 - n[1] * 9, y * 6.7 + 2 * w.water[7], 32)
                edge = min(1.0, max(0.0, 1 - thin / 0.30)) * near_sea
                foam = max(foam, min(1.0, max(0.0, edge * 1.5 + 0.55 * lace * edge + 0.5 * lace2 * edge - 0.35)))
            else:
                lace, _, _ = noise2(x * 1.9, y * 1.9, 31)
            foam *= min(1.0, 0.7 + 0.6 * lace) if foam < 0.95 else 1.0
            cos_v = -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
            if cos_v < 0.02:  # a wave's back, hidden at this grazing angle: lean the normal to the eye
                k = 0.02 - cos_v
                for c in range(3):
                    n[c] -= d[c] * k
                q = 1 / np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
                for c in range(3):
                    n[c] *= q
                cos_v = max(0.02, -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2]))
            ru, rv = pair(pixel, sample, PICK + step)
            if not seen:
                for c in range(3):
                    out[3 + c] += 0.5 + 0.5 * foam
                    out[6 + c] += n[c]
                out[9] += travelled
                _stand(out, x, y, z)
                _tell(ids, 0, w.thing[g, 0])
                _tell(ids, 1, w.thing[g, 4])
            if rv >= foam:
                rv = (rv - foam) / (1 - foam)
                # sun on the facets that are too fine to see (Beckmann, by the slopes' variance)
                hx, hy, hz = w.sun[0] - d[0], w.sun[1] - d[1], w.sun[2] - d[2]
                q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
                hx, hy, hz = hx * q, hy * q, hz * q
                cos_l = n[0] * w.sun[0] + n[1] * w.sun[1] + n[2] * w.sun[2]
                cos_h = n[0] * hx + n[1] * hy + n[2] * hz
                cos_vh = -(d[0] * hx + d[1] * hy + d[2] * hz)
                if cos_l > 0 and cos_h > 0 and w.sun[3] + w.sun[4] > 0 and w.sun[2] > -0.01:
                    tan2 = (1 - cos_h * cos_h) / (cos_h * cos_h)
                    m2 = left + w.sun[6] * w.sun[6]
                    dn = np.exp(-tan2 / m2) / (np.pi * m2 * cos_h**4)
                    if dn > 1e-4:
                        shade = (
                            1.0 / (1 + 0.5 * m2 / max(cos_v * cos_v, 1e-3)) / (1 + 0.5 * m2 / max(cos_l * cos_l, 1e-3))
                        )
                        k = fresnel(cos_vh, IOR_WATER) * dn * shade / (4 * cos_v)
                        if _open(w.scene, buf, f, x, y, z + 0.02, w.sun[0], w.sun[1], w.sun[2], 1e9, SEEN, counts, log):
                            fade = np.exp(-fog_depth(w.fog, z, max(w.sun[2], 0.02), 60000.0))
                            for c in range(3):
                                by[MIRRORED, c] += thr[c] * k * w.sun[3 + c] * fade
                # a facet of the fine slopes for the mirrored or bent ray
                lot, lot2 = pair(pixel, sample, base + 5)
                r = np.sqrt(max(0.0, -left * np.log(max(1e-7, 1 - lot)))) * 0.7
                pa, pb = around(lot2)
                basis(n, t1, t2)
                hx = n[0] + r * (pa * t1[0] + pb * t2[0])
                hy = n[1] + r * (pa * t1[1] + pb * t2[1])
                hz = n[2] + r * (pa * t1[2] + pb * t2[2])
                q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
                hx, hy, hz = hx * q, hy * q, hz * q
                cos_vh = -(d[0] * hx + d[1] * hy + d[2] * hz)
                if cos_vh < 0.01:
                    hx, hy, hz, cos_vh = n[0], n[1], n[2], cos_v
                fr = fresnel(cos_vh, IOR_WATER)
                pick = min(0.85, max(0.15, fr))
                first = not seen
                seen = True
                plain = False  # the sun on water is sampled by its facets
                density = 0.0
                if rv < pick:
                    if reflected >= limits.reflections or limits.flat:
                        break
                    reflected += 1
                    mirrored = mirrored or first
                    for c in range(3):
                        thr[c] *= fr / pick
                    d[0], d[1], d[2] = d[0] + 2 * cos_vh * hx, d[1] + 2 * cos_vh * hy, d[2] + 2 * cos_vh * hz
                    if d[2] < 0.003:
                        d[2] = 0.003 + 0.3 * abs(d[2])
                    z += 0.01
                else:
                    if passed >= limits.transmissions or limits.flat:
                        break
                    passed += 1
                    for c in range(3):
                        thr[c] *= (1 - fr) / (1 - pick)
                    k = cos_vh / IOR_WATER - np.sqrt(max(0.0, 1 - (1 - cos_vh * cos_vh) / (IOR_WATER * IOR_WATER)))
                    d[0], d[1], d[2] = d[0] / IOR_WATER + k * hx, d[1] / IOR_WATER + k * hy, d[2] / IOR_WATER + k * hz
                    in_water = True
                    z -= 0.002
                q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
                for c in range(3):
                    d[c] *= q
                o[0], o[1], o[2] = x, y, z
                near = 1e-3
                continue
            for c in range(3):
                m[rf.ALBEDO + c] = 0.72
                ng[c] = n[c]
        elif kind == GROUND:
            wet = ground_surface(
                w.normals, w.albedo, w.grid, x, y, footprint, travelled if depth == 0 else 200.0, n, albedo
            )
            for c in range(3):
                m[rf.ALBEDO + c] = albedo[c]
            if wet > 0.05 and depth == 0 and not in_water:
                m[rf.COAT], m[rf.COAT_ALPHA] = wet * wet, 0.16 * 0.16
                glossy = True
        elif kind == FAR:
            i, j, a, b = grid_cell(w.heights, w.grid, x, y)
            v, _, _ = noise2(x / 90, y / 90, 3)
            v2, _, _ = noise2(x / 23, y / 23, 4)
            for c in range(3):
                m[rf.ALBEDO + c] = w.albedo[i, j, c] * 0.4 + 0.6 * w.look[g, c] * (1 + 0.3 * v + 0.2 * v2)
                n[c] = ng[c]
        elif kind == PLANT:
            for c in range(3):
                n[c] = ng[c]
            layer = plant_surface(
                w.transform[inst],
                w.cut[g],
                w.look[g],
                float(w.shade[inst]),
                prim,
                x,
                y,
                z,
                d[0],
                d[1],
                d[2],
                n,
                albedo,
                through,
            )
            sheen = w.look[g, 30] > 0 and layer > 0 and depth == 0 and d[0] * n[0] + d[1] * n[1] + d[2] * n[2] < 0
            for c in range(3):
                ng[c] = n[c]
                m[rf.ALBEDO + c] = albedo[c]
                m[rf.THROUGH + c] = through[c] if layer > 0 else 0.0
                if sheen:
                    m[rf.F0 + c] = 0.035
            if sheen:
                m[rf.ALPHA] = w.look[g, 30]
                glossy = True
        elif kind == TIMBER:
            q = 1 / max(1e-20, np.sqrt(ng[0] * ng[0] + ng[1] * ng[1] + ng[2] * ng[2]))
            for c in range(3):
                ng[c] *= q
                n[c] = ng[c]
            timber_surface(w.tone[w.offset[g] + prim], w.look[g], x, y, z, ng, footprint, albedo)
            for c in range(3):
                m[rf.ALBEDO + c] = albedo[c]
                m[rf.F0 + c] = 0.03
            m[rf.ALPHA] = 0.36
            glossy = depth == 0
        else:
            look = w.look[g]
            triangle = int(look[mt.CORNERS]) + prim if look[mt.CORNERS] >= 0 else -1
            if look[mt.CUTOFF] > 0:
                q = 1 / max(1e-30, np.sqrt(ng[0] * ng[0] + ng[1] * ng[1] + ng[2] * ng[2]))
                for c in range(3):
                    own[c] = ng[c] * q
                mt._to_own(w.transform[inst], x, y, z, work)
                if cell(pixel, sample * 64 + step, 78) >= mt.opacity(
                    look,
                    w.corner,
                    triangle,
                    bu,
                    bv,
                    w.texture,
                    w.texture_where,
                    w.curve,
                    footprint,
                    work,
                    own,
                    place,
                    tex,
                ):
                    # a hole: on, in the same direction
                    o[0], o[1], o[2] = x, y, z
                    near = 1e-4 + 1e-6 * dist
                    continue
            tone = float(w.tone[w.offset[g] + prim]) if look[mt.TONED] > 0 else 1.0
            mt.material(
                look,
                w.transform[inst],
                tone,
                w.corner,
                triangle,
                bu,
                bv,
                w.texture,
                w.texture_where,
                w.curve,
                x,
                y,
                z,
                footprint,
                n,
                ng,
                m,
                work,
                own,
                t1,
                t2,
                place,
                tex,
            )
            glossy = depth == 0 or (m[rf.ALPHA] < 0.09 and m[rf.F0] > 0.2)
        q = 1 / max(1e-20, np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]))
        for c in range(3):
            n[c] *= q
        q = 1 / max(1e-20, np.sqrt(ng[0] * ng[0] + ng[1] * ng[1] + ng[2] * ng[2]))
        entering = d[0] * ng[0] + d[1] * ng[1] + d[2] * ng[2] <= 0
        side = 1.0 if entering else -1.0
        for c in range(3):
            ng[c] *= q * side
        if n[0] * ng[0] + n[1] * ng[1] + n[2] * ng[2] < 0:
            for c in range(3):
                n[c] = -n[c]
        if inside >= 0:  # what the solid that it came through has absorbed
            for c in range(3):
                thr[c] *= np.exp(-w.look[inside, mt.ABSORB + c] * dist)
        cos_o = -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
        if cos_o < 0.02:  # a bump's back: lean the normal to the eye
            for c in range(3):
                n[c] -= d[c] * (0.02 - cos_o)
            q = 1 / np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
            for c in range(3):
                n[c] *= q
            cos_o = 0.02
        first = not seen
        if not seen:
            for c in range(3):
                out[3 + c] += min(1.0, m[rf.ALBEDO + c] + m[rf.F0 + c]) if m[rf.TRANSMISSION] <= 0 else 1.0
                out[6 + c] += n[c]
            out[9] += travelled
            _stand(out, x, y, z)
            _tell(ids, 0, w.thing[g, layer])
            _tell(ids, 1, w.thing[g, 4 + layer])
            seen = True
        lift = 1e-3 + 1e-5 * (abs(x) + abs(y))
        if kind == MODEL:
            lift = 2e-4 + 2e-6 * (abs(x) + abs(y) + abs(z))
        # light of its own
        if (
            kind == MODEL
            and m[rf.EMISSION] + m[rf.EMISSION + 1] + m[rf.EMISSION + 2] > 0
            and (entering or w.look[g, mt.LAMP] < 0 or w.lamp[int(w.look[g, mt.LAMP]), ll.KIND] == ll.MESH)
        ):
            weight = 1.0
            number = int(w.look[g, mt.LAMP])
            if density > 0 and number >= 0:
                far2 = (x - px0) ** 2 + (y - py0) ** 2 + (z - pz0) ** 2
                cos_e = abs(ng[0] * d[0] + ng[1] * d[1] + ng[2] * d[2])
                other = ll.chance(w.lamp, number, px0, py0, pz0) * far2 / (max(cos_e, 1e-6) * w.lamp[number, ll.AREA])
                weight = density / (density + other)
                for c in range(3):  # as it was sampled: a glow's texture is seen, and lights by its mean
                    m[rf.EMISSION + c] = w.lamp[number, ll.LIGHT + c]
            row = MIRRORED if mirrored else (GLOWING if first else LAMPS)
            for c in range(3):
                v = thr[c] * m[rf.EMISSION + c] * weight
                by[row, c] += min(limit, v)
                aside[c] += max(0.0, v - limit)
        if limits.flat:
            break
        # a clear thing
        if m[rf.TRANSMISSION] > 0:
            lot, lot2 = pair(pixel, sample, PICK + step)
            if lot < m[rf.TRANSMISSION]:
                lot /= m[rf.TRANSMISSION]
                rough = m[rf.ALPHA] > 2 * rf.MIRROR and depth == 0
                ior = m[rf.IOR] if entering or m[rf.THIN] > 0 else 1 / m[rf.IOR]
                hx, hy, hz = n[0], n[1], n[2]
                if rough:
                    basis(n, t1, t2)
                    ru, rv = pair(pixel, sample, base + 6)
                    hx, hy, hz = facet(m[rf.ALPHA], n, t1, t2, -d[0], -d[1], -d[2], ru, rv)
                cos_h = min(1.0, max(1e-4, -(d[0] * hx + d[1] * hy + d[2] * hz)))
                fr = fresnel(cos_h, ior)
                if m[rf.THIN] > 0:
                    fr = 2 * fr / (1 + fr)
                if rough and w.sun[4] > 0 and entering:
                    # the sun's glint, which a scattered ray would hardly find
                    hx2, hy2, hz2 = w.sun[0] - d[0], w.sun[1] - d[1], w.sun[2] - d[2]
                    q = 1 / np.sqrt(hx2 * hx2 + hy2 * hy2 + hz2 * hz2)
                    cos_n = (hx2 * n[0] + hy2 * n[1] + hz2 * n[2]) * q
                    cos_l = n[0] * w.sun[0] + n[1] * w.sun[1] + n[2] * w.sun[2]
                    if cos_l > 0 and cos_n > 0:
                        a2 = m[rf.ALPHA] * m[rf.ALPHA]
                        k = (
                            fresnel(min(1.0, -(d[0] * hx2 + d[1] * hy2 + d[2] * hz2) * q), ior)
                            * rf._density(cos_n, a2)
                            / (4 * cos_o * (1 + rf._hidden(cos_o, a2) + rf._hidden(max(cos_l, 1e-4), a2)))
                        )
                        if _open(
                            w.scene,
                            buf,
                            f,
                            x + ng[0] * lift,
                            y + ng[1] * lift,
                            z + ng[2] * lift,
                            w.sun[0],
                            w.sun[1],
                            w.sun[2],
                            1e9,
                            SEEN,
                            counts,
                            log,
                        ):
                            fade = np.exp(-fog_depth(w.fog, z, max(w.sun[2], 0.02), 60000.0))
                            for c in range(3):
                                by[MIRRORED if mirrored or first else SUN, c] += thr[c] * k * w.sun[3 + c] * fade
                if lot < fr:
                    if reflected >= limits.reflections:
                        break
                    reflected += 1
                    mirrored = mirrored or first
                    d[0], d[1], d[2] = d[0] + 2 * cos_h * hx, d[1] + 2 * cos_h * hy, d[2] + 2 * cos_h * hz
                    out_side = d[0] * ng[0] + d[1] * ng[1] + d[2] * ng[2]
                    if out_side <= 1e-4:  # into the surface: out again, as between facets
                        for c in range(3):
                            d[c] += (1e-3 - 2 * min(0.0, out_side)) * ng[c]
                    density = 0.0
                    plain = not rough
                    o[0], o[1], o[2] = x + ng[0] * lift, y + ng[1] * lift, z + ng[2] * lift
                else:
                    if passed >= limits.transmissions:
                        break
                    passed += 1
                    for c in range(3):
                        thr[c] *= m[rf.TINT + c] if m[rf.THIN] > 0 else np.sqrt(m[rf.TINT + c])
                    if m[rf.THIN] > 0:
                        if rough:
                            d[0], d[1], d[2] = d[0] + 2 * cos_h * hx, d[1] + 2 * cos_h * hy, d[2] + 2 * cos_h * hz
                            k = 2 * (d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
                            for c in range(3):
                                d[c] -= k * n[c]
                    else:
                        if depth == 0:
                            k = cos_h / ior - np.sqrt(max(0.0, 1 - (1 - cos_h * cos_h) / (ior * ior)))
                            d[0], d[1], d[2] = d[0] / ior + k * hx, d[1] / ior + k * hy, d[2] / ior + k * hz
                        inside = g if entering else -1
                    if depth == 0:
                        density = 0.0
                        plain = plain and not rough
                    o[0], o[1], o[2] = x - ng[0] * lift, y - ng[1] * lift, z - ng[2] * lift
                q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
                for c in range(3):
                    d[c] *= q
                near = 0.0
                continue
        matt = depth < limits.bounces
        leaf = m[rf.THROUGH] + m[rf.THROUGH + 1] + m[rf.THROUGH + 2] > 0
        if glossy or m[rf.F0] + m[rf.F0 + 1] + m[rf.F0 + 2] + m[rf.COAT] > 0:
            prepare(w.gloss, m, cos_o, glossy, matt)
        else:
            m[rf.P_COAT] = m[rf.P_GLOSS] = 0.0
            m[rf.P_MATT] = (0.5 if leaf else 1.0) if matt else 0.0
            m[rf.P_BACK] = 0.5 if leaf and matt else 0.0
        # a point under the water's level gets its light through it
        drown = 0.0
        if kind == GROUND and in_water:
            drown = max(0.0, w.grid[3] - z)
        to_x, to_y, to_z = -d[0], -d[1], -d[2]
        row_shine = MIRRORED if mirrored or first else -1
        for source in range(3):
            # a direction to the sun's disc, to the sky, to a lamp; with what density it was chosen, if it has one
            per_angle, far, k = 0.0, 1e9, 1.0
            if source == 0:
                if w.sun[4] <= 0 or (not leaf and n[0] * w.sun[0] + n[1] * w.sun[1] + n[2] * w.sun[2] < -w.sun[6]):
                    continue
                su, sv = pair(pixel, sample, base + 3)
                r = w.sun[6] * np.sqrt(su)
                cx, cy = around(sv)
                cx, cy = r * cx, r * cy
                for c in range(3):
                    sd[c] = w.sun[c] + cx * w.sun[8 + c] + cy * w.sun[11 + c]
                q = 1 / np.sqrt(sd[0] * sd[0] + sd[1] * sd[1] + sd[2] * sd[2])
                for c in range(3):
                    sd[c] *= q
                    col[c] = w.sun[3 + c]
                if sd[2] <= 0:
                    continue
            elif source == 1:
                su, sv = pair(pixel, sample, base + 4)
                per_angle = pick_sky(w.sky_pick, w.sky_share, low, w.sun[7], su, sv, sd)
            else:
                if len(w.lamp) == 0:
                    continue
                number, chance, given = ll.choose(w.lamp, x, y, z, cell(pixel, sample * 64 + step, 77))
                if number < 0 or chance <= 0:
                    continue
                # lamps that are nothing beside the day are asked seldom, and count for more when they are
                asked = min(1.0, max(0.04, given / (0.02 * limits.open_lux)))
                if asked < 1:
                    if cell(pixel, sample * 64 + step, 79) >= asked:
                        continue
                    k = 1 / asked
                su, sv = pair(pixel, sample, base + 7)
                far, per_angle = ll.shine(w.lamp[number], w.lamp_triangle, x, y, z, su, sv, sd, col)
                if col[0] + col[1] + col[2] <= 0:
                    continue
                per_angle *= chance
                if per_angle <= 0:
                    k /= chance * far * far
                k *= np.exp(-fog_depth(w.fog, z, sd[2], far))
            cos_l = n[0] * sd[0] + n[1] * sd[1] + n[2] * sd[2]
            cos_g = ng[0] * sd[0] + ng[1] * sd[1] + ng[2] * sd[2]
            if not ((cos_l > 0 and cos_g > 0) or (leaf and cos_l * cos_g > 0)):
                continue
            reach = far
            up = lift if cos_g > 0 else -lift
            if source == 2:  # from the lifted point to the lamp's, or rays that graze the lamp would miss their mark
                for c in range(3):
                    sd[c] = sd[c] * far - up * ng[c]
                q = np.sqrt(sd[0] * sd[0] + sd[1] * sd[1] + sd[2] * sd[2])
                for c in range(3):
                    sd[c] /= q
                reach = q * 0.9998 - 1e-4
            if not _open(
                w.scene,
                buf,
                f,
                x + up * ng[0],
                y + up * ng[1],
                z + up * ng[2],
                sd[0],
                sd[1],
                sd[2],
                reach,
                SEEN if depth == 0 and source != 1 else SCATTERED,
                counts,
                log,
            ):
                continue
            if glossy:
                whole, gloss_alone = scattered(m, n, to_x, to_y, to_z, sd[0], sd[1], sd[2], dull, shiny)
            else:
                part = rf.ALBEDO if cos_l > 0 else rf.THROUGH
                flat = abs(cos_l) / np.pi
                whole, gloss_alone = flat * (m[rf.P_MATT] if cos_l > 0 else m[rf.P_BACK]), 0.0
                for c in range(3):
                    dull[c] = m[part + c] * flat
            if source == 0:
                k *= np.exp(-fog_depth(w.fog, z, sd[2], 60000.0))
                if drown > 0:
                    k *= 1 - fresnel(sd[2], IOR_WATER)
            elif source == 1:
                sky_light(w.panorama, w.lit_sky, w.sun, sd[0], sd[1], sd[2], col)
                if drown > 0:
                    k *= 0.93
            if drown > 0:
                slant = (
                    drown / np.sqrt(1 - (1 - sd[2] * sd[2]) / (IOR_WATER * IOR_WATER)) if source == 0 else drown * 1.15
                )
                for c in range(3):
                    col[c] *= np.exp(-w.water[c] * slant)
            if _meets(w.pierced, x, y, z, sd, reach):
                if (
                    _through(
                        w.scene,
                        w.owner,
                        w.look,
                        w.transform,
                        w.corner,
                        w.texture,
                        w.texture_where,
                        w.curve,
                        buf,
                        f,
                        x + up * ng[0],
                        y + up * ng[1],
                        z + up * ng[2],
                        sd[0],
                        sd[1],
                        sd[2],
                        reach,
                        room,
                        counts,
                        log,
                        tint,
                    )
                    <= 0
                ):
                    continue
                for c in range(3):
                    col[c] *= tint[c]
            k_dull = k_shine = k
            if per_angle > 0:
                k_dull = k / (per_angle + (whole if matt else 0.0))
                k_shine = k / (per_angle + (whole if matt else gloss_alone))
            row = MIRRORED if mirrored else (SUN if source == 0 else (SKY if source == 1 else LAMPS))
            for c in range(3):
                v = thr[c] * col[c] * dull[c] * k_dull
                if depth > 0 and v > limit:
                    aside[c] += v - limit
                    v = limit
                by[row, c] += v
            if glossy:
                row = row_shine if row_shine >= 0 else row
                for c in range(3):
                    v = thr[c] * col[c] * shiny[c] * k_shine
                    if depth > 0 and v > limit:
                        aside[c] += v - limit
                        v = limit
                    by[row, c] += v
        # the next ray
        chances = m[rf.P_COAT] + m[rf.P_GLOSS]
        if chances + m[rf.P_MATT] + m[rf.P_BACK] <= 0:
            break
        lot, lot2 = pair(pixel, sample, base + 6)
        bu, bv = pair(pixel, sample, base + 5)
        if lot < chances:
            if reflected >= limits.reflections:
                break
            reflected += 1
            coat = lot < m[rf.P_COAT]
            alpha = m[rf.COAT_ALPHA] if coat else m[rf.ALPHA]
            basis(n, t1, t2)
            hx, hy, hz = n[0], n[1], n[2]
            if alpha > rf.MIRROR:
                hx, hy, hz = facet(alpha, n, t1, t2, to_x, to_y, to_z, bu, bv)
            k = 2 * (to_x * hx + to_y * hy + to_z * hz)
            d[0], d[1], d[2] = k * hx - to_x, k * hy - to_y, k * hz - to_z
            if alpha > rf.MIRROR:
                whole, gloss_alone = scattered(m, n, to_x, to_y, to_z, d[0], d[1], d[2], dull, shiny)
                density = whole if matt else gloss_alone
                if density <= 1e-9:
                    break
                for c in range(3):
                    thr[c] *= ((dull[c] if matt else 0.0) + shiny[c]) / density
                plain = False
            else:
                for c in range(3):
                    thr[c] *= (
                        m[rf.E_COAT] / m[rf.P_COAT] if coat else (1 - m[rf.E_COAT]) * m[rf.E_GLOSS + c] / m[rf.P_GLOSS]
                    )
                density = 0.0
                plain = True
            if d[0] * ng[0] + d[1] * ng[1] + d[2] * ng[2] <= 0:
                if alpha > rf.MIRROR:
                    break
                # a mirror whose bump would send it inward: along the surface
                k = d[0] * ng[0] + d[1] * ng[1] + d[2] * ng[2]
                for c in range(3):
                    d[c] += (1e-3 - k) * ng[c]
            mirrored = mirrored or first
            o[0], o[1], o[2] = x + ng[0] * lift, y + ng[1] * lift, z + ng[2] * lift
        else:
            if not matt:
                break
            depth += 1
            limit = limits.clamp
            back = lot >= 1 - m[rf.P_BACK]
            basis(n, t1, t2)
            r, h = np.sqrt(bu), np.sqrt(max(0.0, 1 - bu))
            ca, sa = around(bv)
            ca, sa = r * ca, r * sa
            if back:
                h = -h
            for c in range(3):
                d[c] = ca * t1[c] + sa * t2[c] + h * n[c]
            if h * (d[0] * ng[0] + d[1] * ng[1] + d[2] * ng[2]) <= 0:
                break
            plain = False
            if glossy:
                whole, _ = scattered(m, n, to_x, to_y, to_z, d[0], d[1], d[2], dull, shiny)
                if whole <= 1e-9:
                    break
                density = whole
                for c in range(3):
                    thr[c] *= (dull[c] + shiny[c]) / whole
            else:
                chance = m[rf.P_BACK] if back else m[rf.P_MATT]
                density = abs(h) / np.pi * chance
                part = rf.THROUGH if back else rf.ALBEDO
                for c in range(3):
                    thr[c] *= m[part + c] / chance
            if drown > 0:
                for c in range(3):
                    thr[c] *= np.exp(-w.water[c] * drown * 2)
            # Russian roulette: dark surfaces pass little on, so few of their rays are worth following
            chance = min(1.0, max(0.15, 2.2 * max(thr[0], max(thr[1], thr[2]))))
            if lot2 >= chance:
                break
            for c in range(3):
                thr[c] /= chance
            up = -lift if back else lift
            o[0], o[1], o[2] = x + up * ng[0], y + up * ng[1], z + up * ng[2]
        px0, py0, pz0 = x, y, z
        near = 0.0
        in_water = False
        inside = -1
    if not seen:
        for c in range(3):
            out[3 + c] += 1.0
        out[9] += 1e5
    brightness = 0.0
    for k in range(SOURCES):
        for c in range(3):
            v = by[k, c]
            if abs(v) < 1e30:  # a degenerate surface may give no number: that sample is dark
                out[c] += v
                brightness += v
                out[CHANNELS + 3 * k + c] += v
    out[SQUARED] += brightness * brightness
    out[COUNTED] += 1.0
    for c in range(3):
        if aside[c] < 1e30:
            out[ASIDE + c] += aside[c]


@nb.njit(**ROWS)
def render_rows(w, view, limits, film, passes, mattes, wanted, seed, rows, counts, log):
    """Add samples to the sums in ``film``.

    Parameters
    ----------
    w : World
    view : View
    limits : Limits
    film : ndarray of float32, shape (height, width, CHANNELS)
        Sums of radiance [cd/m2], albedo, normal, distance [m] and what else CHANNELS says.
    passes : ndarray of float32, shape (height, width, PASSES) or (0, 0, PASSES)
        Sums of the radiance by its source [cd/m2], of the first surface's position [m] and of coverage, if wanted.
    mattes : ndarray of int32, shape (height, width, 2, IDS, 2) or (0, 0, 2, IDS, 2)
        Numbers of things and of surfaces, each with its samples, if wanted.
    wanted : ndarray of int32, shape (height, width)
        Samples to add to each pixel.
    rows : ndarray of int64, shape (n,)
        The rows to render, in an order that spreads the costly ones over the threads.
    counts : ndarray of int64, shape (n, 2)
        Takes the numbers of closest-hit and shadow rays of each row.
    log : ndarray of float32, shape (n, m, REPLAY) or (1, 0, REPLAY)
        Takes the first m rays of each row, in their order.
    """
    for i in nb.prange(len(rows)):
        y = rows[i]
        room = np.zeros(RAY_WORDS + 16, np.uint32)
        start = (64 - (room.ctypes.data % 64)) % 64 // 4
        buf = room[start : start + RAY_WORDS]
        f = buf.view(np.float32)
        out = np.zeros(CHANNELS + PASSES)
        ids = np.zeros((2, IDS, 2), np.int32)
        vectors = np.zeros((32, 4))
        m = np.zeros(rf.PROPERTIES)
        own_counts, own_log = counts[i], log[i % len(log)]
        for x in range(film.shape[1]):
            out[:] = 0
            if len(mattes):
                ids[:] = mattes[y, x]
            # a cropped picture has the samples of the whole one
            pixel = (y + int(view.top)) * 65536 + x + int(view.left) + seed * 40503
            first = int(film[y, x, COUNTED])
            for s in range(wanted[y, x]):
                _sample(w, view, limits, x, y, pixel, first + s, buf, f, vectors, m, out, ids, own_counts, own_log)
            for c in range(CHANNELS):
                film[y, x, c] += out[c]
            if len(passes):
                for c in range(PASSES):
                    passes[y, x, c] += out[CHANNELS + c]
            if len(mattes):
                mattes[y, x] = ids
