"""Surfaces by parameters and textures: the glTF 2.0 metallic-roughness model and the built-in patterns, for kernels.

A part's look is a row of numbers; the constants below say where each lies.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace import reflectance as rf
from lumwick.trace.patterns import BARK, NONE, SAND, pattern
from lumwick.trace.sampling import INNER
from lumwick.trace.textures import texture_at

BASE, SECOND, ROUGH, METAL, COAT, COAT_ROUGH, TRANSMISSION, IOR = 0, 3, 6, 7, 8, 9, 10, 11
ABSORB, EMISSION, CUTOFF, THIN, WET, PATTERN, SCALE, RELIEF, TURN, SHIFT = 12, 15, 18, 19, 20, 21, 22, 23, 24, 25
BOXED, BASE_MAP, NORMAL_MAP, ROUGH_MAP, EMISSION_MAP = 27, 28, 29, 30, 31
CORNERS, LAMP, THROUGH, NORMAL_SCALE, TONED = 32, 33, 34, 37, 38
LOOK = 40
CORNER_NUMBERS = 20
"""Of a textured triangle: u v at three corners (6), normals (9), the direction of growing u (3), texture widths in a
metre (1), spare."""


@nb.njit(**INNER)
def _to_own(m, x, y, z, p):
    """A point in a placement's own frame (the inverse of its 3x4 matrix)."""
    dx, dy, dz = x - m[9], y - m[10], z - m[11]
    a, b, c = m[4] * m[8] - m[5] * m[7], m[5] * m[6] - m[3] * m[8], m[3] * m[7] - m[4] * m[6]
    q = 1 / (m[0] * a + m[1] * b + m[2] * c)
    p[0] = q * (a * dx + b * dy + c * dz)
    p[1] = q * ((m[7] * m[2] - m[8] * m[1]) * dx + (m[8] * m[0] - m[6] * m[2]) * dy + (m[6] * m[1] - m[7] * m[0]) * dz)
    p[2] = q * ((m[1] * m[5] - m[2] * m[4]) * dx + (m[2] * m[3] - m[0] * m[5]) * dy + (m[0] * m[4] - m[1] * m[3]) * dz)


@nb.njit(**INNER)
def turned(m, v):
    """Turn a normal from a placement's own frame to the place's (by the cofactors of its matrix), unit length."""
    x = v[0] * (m[4] * m[8] - m[5] * m[7]) + v[1] * (m[7] * m[2] - m[8] * m[1]) + v[2] * (m[1] * m[5] - m[2] * m[4])
    y = v[0] * (m[5] * m[6] - m[3] * m[8]) + v[1] * (m[8] * m[0] - m[6] * m[2]) + v[2] * (m[2] * m[3] - m[0] * m[5])
    z = v[0] * (m[3] * m[7] - m[4] * m[6]) + v[1] * (m[6] * m[1] - m[7] * m[0]) + v[2] * (m[0] * m[4] - m[1] * m[3])
    q = 1 / max(1e-30, np.sqrt(x * x + y * y + z * z))
    v[0], v[1], v[2] = x * q, y * q, z * q


@nb.njit(**INNER)
def layout(look, corner, triangle, bu, bv, p, own, out):
    """Where a point lies on its textures: u, v in ``out[0:2]``, texture widths in a metre in ``out[2]``.

    A surface without texture coordinates is projected from the side it faces most (``own`` is its normal).
    """
    if look[BOXED] > 0 or look[CORNERS] < 0:
        ax, ay, az = abs(own[0]), abs(own[1]), abs(own[2])
        if az >= ax and az >= ay:
            u, v = p[0], p[1]
        elif ax >= ay:
            u, v = p[1], p[2]
        else:
            u, v = p[0], p[2]
        widths = 1.0 / look[SCALE]
        u *= widths
        v *= widths
    else:
        k = corner[triangle]
        a = 1 - bu - bv
        u = a * k[0] + bu * k[2] + bv * k[4]
        v = a * k[1] + bu * k[3] + bv * k[5]
        widths = k[18] / look[SCALE]
        u /= look[SCALE]
        v /= look[SCALE]
    c, s = np.cos(look[TURN]), np.sin(look[TURN])
    out[0], out[1], out[2] = c * u - s * v + look[SHIFT], s * u + c * v + look[SHIFT + 1], widths


@nb.njit(**INNER)
def opacity(look, corner, triangle, bu, bv, data, where, curve, footprint, p, own, out, c):
    """Opacity of a cut-out surface at a point, 0 to 1, over a footprint."""
    layout(look, corner, triangle, bu, bv, p, own, out)
    number = int(look[BASE_MAP])
    texels = footprint * out[2] * max(where[number, 0], where[number, 1])
    texture_at(data, where, curve, number, out[0], out[1], texels, c)
    # sharp close by; far off, the share of the footprint that is covered
    if texels < 1:
        return 1.0 if c[3] >= look[CUTOFF] else 0.0
    return c[3]


@nb.njit(**INNER)
def emission_at(look, corner, triangle, bu, bv, data, where, curve, p, own, out, c, light):
    """Luminance [cd/m2] that a surface sends out by itself at a point."""
    for k in range(3):
        light[k] = look[EMISSION + k]
    if look[EMISSION_MAP] >= 0:
        layout(look, corner, triangle, bu, bv, p, own, out)
        texture_at(data, where, curve, int(look[EMISSION_MAP]), out[0], out[1], 1.0, c)
        for k in range(3):
            light[k] *= c[k]


@nb.njit(**INNER)
def material(
    look, matrix, tone, corner, triangle, bu, bv, data, where, curve, x, y, z, footprint, n, ng, m, p, own, t, b, out, c
):
    """Fill in a point's properties ``m`` and shading normal ``n``; ``ng`` comes in the placement's own frame and
    leaves in the place's.

    Parameters
    ----------
    look : ndarray, shape (LOOK,)
    matrix : ndarray, shape (12,)
        The placement.
    corner : ndarray, shape (n, CORNER_NUMBERS)
    triangle : int
        The hit triangle's row in ``corner``, or -1.
    footprint : float [m]
        Width of the ray there.
    p, own, t, b, out, c : ndarray
        Room for working.
    """
    q = 1 / max(1e-30, np.sqrt(ng[0] * ng[0] + ng[1] * ng[1] + ng[2] * ng[2]))
    for k in range(3):
        own[k] = ng[k] * q
    turned(matrix, ng)
    for k in range(3):
        n[k] = ng[k]
    if triangle >= 0:
        k9 = corner[triangle]
        a = 1 - bu - bv
        for k in range(3):
            n[k] = a * k9[6 + k] + bu * k9[9 + k] + bv * k9[12 + k]
        if n[0] * n[0] + n[1] * n[1] + n[2] * n[2] > 1e-12:
            turned(matrix, n)
            if n[0] * ng[0] + n[1] * ng[1] + n[2] * ng[2] < 0.05:
                for k in range(3):
                    n[k] = ng[k]
        else:
            for k in range(3):
                n[k] = ng[k]
    _to_own(matrix, x, y, z, p)
    rough, metal = look[ROUGH], look[METAL]
    for k in range(3):
        m[rf.ALBEDO + k] = look[BASE + k]
        m[rf.EMISSION + k] = look[EMISSION + k]
        m[rf.THROUGH + k] = look[THROUGH + k]
        m[rf.ABSORB + k] = look[ABSORB + k]
    mapped = max(max(look[BASE_MAP], look[NORMAL_MAP]), max(look[ROUGH_MAP], look[EMISSION_MAP])) >= 0
    bent_x = bent_y = bent_z = 0.5
    if mapped:
        layout(look, corner, triangle, bu, bv, p, own, out)
        for slot in range(4):
            k0 = int(look[BASE_MAP + slot])
            if k0 < 0:
                continue
            texture_at(data, where, curve, k0, out[0], out[1], footprint * out[2] * max(where[k0, 0], where[k0, 1]), c)
            if slot == 0:
                for k in range(3):
                    m[rf.ALBEDO + k] *= c[k] / max(c[3], 1e-3) if c[3] > 0 else 1.0
            elif slot == 2:
                rough *= c[1]
                metal *= c[2]
            elif slot == 3:
                for k in range(3):
                    m[rf.EMISSION + k] *= c[k]
            else:
                bent_x, bent_y, bent_z = c[0], c[1], c[2]
        if look[NORMAL_MAP] >= 0:
            c[0], c[1], c[2] = bent_x, bent_y, bent_z
            nx, ny, nz = (2 * c[0] - 1) * look[NORMAL_SCALE], (2 * c[1] - 1) * look[NORMAL_SCALE], 2 * c[2] - 1
            long = np.sqrt(nx * nx + ny * ny + nz * nz)
            if long > 1e-3:
                short = min(1.0, np.sqrt((2 * c[0] - 1) ** 2 + (2 * c[1] - 1) ** 2 + nz * nz))
                # what averaging took from the normals' length goes to the roughness
                rough = min(1.0, np.sqrt(np.sqrt(min(1.0, rough**4 + max(0.0, (1 - short) / max(short, 0.05) - 0.01)))))
                if triangle >= 0 and look[BOXED] <= 0:
                    for k in range(3):
                        t[k] = corner[triangle, 15 + k]
                    turned(matrix, t)
                else:
                    rf.basis(n, t, b)
                dot = t[0] * n[0] + t[1] * n[1] + t[2] * n[2]
                for k in range(3):
                    t[k] -= dot * n[k]
                q = 1 / max(1e-9, np.sqrt(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]))
                for k in range(3):
                    t[k] *= q
                b[0], b[1], b[2] = n[1] * t[2] - n[2] * t[1], n[2] * t[0] - n[0] * t[2], n[0] * t[1] - n[1] * t[0]
                for k in range(3):
                    n[k] = (nx * t[k] + ny * b[k] + nz * n[k]) / long
    kind = int(look[PATTERN])
    if kind != NONE:
        scale = look[SCALE]
        ax, ay, az = abs(own[0]), abs(own[1]), abs(own[2])
        rf.basis(n, t, b)
        # along the surface, upwards (or north on a level one), and out of it
        if kind == BARK:
            iu, iv, iw = 0, 2, 1
        elif az >= ax and az >= ay:
            iu, iv, iw = 0, 1, 2
        elif ax >= ay:
            iu, iv, iw = 1, 2, 0
        else:
            iu, iv, iw = 0, 2, 1
        cs, sn = np.cos(look[TURN]), np.sin(look[TURN])
        pu, pv, pw = p[iu] / scale, p[iv] / scale, p[iw] / scale
        pu, pv = cs * pu - sn * pv + look[SHIFT], sn * pu + cs * pv + look[SHIFT + 1]
        small = footprint / scale
        step = max(0.0012, 0.7 * small)
        bumpy = look[RELIEF] > 0 and footprint < 0.5 * scale
        high = hu = hv = hw = mix = 0.0
        shade = 1.0
        for k in range(4 if bumpy else 1):
            h, mixed, toned = pattern(
                kind,
                pu + (step if k == 1 else 0.0),
                pv + (step if k == 2 else 0.0),
                pw + (step if k == 3 else 0.0),
                small,
            )
            if k == 0:
                high, mix, shade = h, mixed, toned
            elif k == 1:
                hu = h
            elif k == 2:
                hv = h
            else:
                hw = h
        for k in range(3):
            m[rf.ALBEDO + k] = min(0.95, max(0.0, (m[rf.ALBEDO + k] * (1 - mix) + look[SECOND + k] * mix) * shade))
        if bumpy:
            gu, gv, gw = (hu - high) / step, (hv - high) / step, (hw - high) / step
            gu, gv = cs * gu + sn * gv, -sn * gu + cs * gv
            for k in range(3):
                own[k] = 0.0
            own[iu], own[iv], own[iw] = gu, gv, gw
            # the slope's part across the normal, in the place's frame
            turned_long = np.sqrt(gu * gu + gv * gv + gw * gw)
            if turned_long > 1e-9:
                turned(matrix, own)
                dot = own[0] * n[0] + own[1] * n[1] + own[2] * n[2]
                for k in range(3):
                    n[k] -= look[RELIEF] * turned_long * (own[k] - dot * n[k])
    for k in range(3):
        m[rf.ALBEDO + k] = min(1.0, max(0.0, m[rf.ALBEDO + k] * tone))
    wet = look[WET]
    coat, coat_rough = look[COAT], look[COAT_ROUGH]
    if wet > 0:
        # light that the film of water turns back into pores is lost to them: darker, the more so what is porous
        # (sand more than rock)
        porous = 1.9 if kind == SAND else 1.45
        for k in range(3):
            m[rf.ALBEDO + k] = m[rf.ALBEDO + k] * (1 - wet) + wet * m[rf.ALBEDO + k] ** porous
        coat = max(coat, wet * wet)
        coat_rough = coat_rough * (1 - wet) + wet * (0.16 if kind == SAND else 0.10)
        rough *= 1 - 0.4 * wet
    f = (look[IOR] - 1) / (look[IOR] + 1)
    f *= f
    clear = look[TRANSMISSION] * (1 - metal)
    for k in range(3):
        base = m[rf.ALBEDO + k]
        m[rf.TINT + k] = base
        m[rf.F0 + k] = f * (1 - metal) + base * metal
        m[rf.ALBEDO + k] = base * (1 - metal)
    m[rf.ALPHA] = max(rf.MIRROR, rough * rough)
    m[rf.COAT], m[rf.COAT_ALPHA] = coat, max(rf.MIRROR, coat_rough * coat_rough)
    m[rf.TRANSMISSION], m[rf.IOR], m[rf.THIN] = clear, look[IOR], look[THIN]
