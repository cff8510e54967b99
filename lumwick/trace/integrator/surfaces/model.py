"""Surfaces by parameters and textures: the glTF 2.0 metallic-roughness model and the built-in patterns."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.integrator.scattering import MIRROR, basis
from lumwick.trace.integrator.surfaces.placing import to_local, turned, unit
from lumwick.trace.patterns import BARK, NONE, SAND, pattern
from lumwick.trace.sampling import INNER
from lumwick.trace.textures import texture_at

POROUS_SAND, POROUS = 1.9, 1.45
"""By what power wet darkens: light that a film of water turns back into pores is lost to them (practice)."""
WET_ROUGH_SAND, WET_ROUGH = 0.16, 0.10


@nb.njit(**INNER)
def triangle_of(look, primitive):
    """The hit triangle's row among the corners, or -1."""
    return int(look.corners) + primitive if look.corners >= 0 else -1


@nb.njit(**INNER)
def layout(looks, look, hit, triangle, bu, bv):
    """Where a point lies on its textures: u, v and texture widths in a metre, into the hit's layout.

    A surface without texture coordinates is projected from the side it faces most.
    """
    if look.boxed > 0 or look.corners < 0:
        p = hit.local
        ax, ay, az = abs(hit.local_normal[0]), abs(hit.local_normal[1]), abs(hit.local_normal[2])
        if az >= ax and az >= ay:
            u, v = p[0], p[1]
        elif ax >= ay:
            u, v = p[1], p[2]
        else:
            u, v = p[0], p[2]
        widths = 1.0 / look.scale
        u *= widths
        v *= widths
    else:
        corner = looks.corner[triangle]
        a = 1 - bu - bv
        u = (a * corner.uv[0, 0] + bu * corner.uv[1, 0] + bv * corner.uv[2, 0]) / look.scale
        v = (a * corner.uv[0, 1] + bu * corner.uv[1, 1] + bv * corner.uv[2, 1]) / look.scale
        widths = corner.widths / look.scale
    c, s = np.cos(look.turn), np.sin(look.turn)
    hit.layout[0], hit.layout[1], hit.layout[2] = (
        c * u - s * v + look.offset[0],
        s * u + c * v + look.offset[1],
        widths,
    )


@nb.njit(**INNER)
def _sample(looks, hit, number, footprint):
    """A texture's value at the hit's layout, into its texel; returns how many texels the footprint covers."""
    where = looks.texture_where
    texels = footprint * hit.layout[2] * max(where[number, 0], where[number, 1])
    texture_at(looks.texture, where, looks.code_to_linear, number, hit.layout[0], hit.layout[1], texels, hit.texel)
    return texels


@nb.njit(**INNER)
def opacity(looks, look, hit, primitive, bu, bv, footprint):
    """Opacity of a cut-out at a point, 0 to 1, over a footprint; the hit's local point and normal say where."""
    layout(looks, look, hit, triangle_of(look, primitive), bu, bv)
    texels = _sample(looks, hit, int(look.base_map), footprint)
    # sharp close by; far off, the share of the footprint that is covered
    if texels < 1:
        return 1.0 if hit.texel[3] >= look.cutoff else 0.0
    return hit.texel[3]


@nb.njit(**WITHIN)
def opacity_here(geometry, looks, look, hit):
    """Opacity of the cut-out that was hit."""
    for c in range(3):
        hit.local_normal[c] = hit.geometric[c]
    unit(hit.local_normal)
    to_local(geometry.transform[hit.instance], hit.position, hit.local)
    return opacity(looks, look, hit, hit.primitive, hit.bary[0], hit.bary[1], hit.footprint)


@nb.njit(**INNER)
def _interpolated_normal(looks, m, hit, triangle):
    """The shading normal between a triangle's corners, unless it leaves the face behind."""
    n, face = hit.normal, hit.geometric
    corner = looks.corner[triangle]
    bu, bv = hit.bary[0], hit.bary[1]
    for c in range(3):
        n[c] = (1 - bu - bv) * corner.normal[0, c] + bu * corner.normal[1, c] + bv * corner.normal[2, c]
    keep = n[0] * n[0] + n[1] * n[1] + n[2] * n[2] > 1e-12
    if keep:
        turned(m, n)
        keep = n[0] * face[0] + n[1] * face[1] + n[2] * face[2] >= 0.05
    if not keep:
        for c in range(3):
            n[c] = face[c]


@nb.njit(**INNER)
def _normal_map(looks, look, m, hit, triangle, rough):
    """Bend the normal by its map; returns the roughness with what averaging took from the normals' length."""
    n, t, b, texel = hit.normal, hit.tangent, hit.bitangent, hit.texel
    nx, ny = (2 * texel[0] - 1) * look.normal_scale, (2 * texel[1] - 1) * look.normal_scale
    nz = 2 * texel[2] - 1
    long = np.sqrt(nx * nx + ny * ny + nz * nz)
    if long <= 1e-3:
        return rough
    short = min(1.0, np.sqrt((2 * texel[0] - 1) ** 2 + (2 * texel[1] - 1) ** 2 + nz * nz))
    lost = max(0.0, (1 - short) / max(short, 0.05) - 0.01)
    rough = min(1.0, np.sqrt(np.sqrt(min(1.0, rough**4 + lost))))
    if triangle >= 0 and look.boxed <= 0:
        for c in range(3):
            t[c] = looks.corner[triangle].tangent[c]
        turned(m, t)
    else:
        basis(n, t, b)
    dot = t[0] * n[0] + t[1] * n[1] + t[2] * n[2]
    for c in range(3):
        t[c] -= dot * n[c]
    q = 1 / max(1e-9, np.sqrt(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]))
    for c in range(3):
        t[c] *= q
    b[0], b[1], b[2] = n[1] * t[2] - n[2] * t[1], n[2] * t[0] - n[0] * t[2], n[0] * t[1] - n[1] * t[0]
    for c in range(3):
        n[c] = (nx * t[c] + ny * b[c] + nz * n[c]) / long
    return rough


@nb.njit(**INNER)
def _textured(looks, look, m, hit, lobes, triangle, rough, metal):
    """Colour, emission and normal by textures; returns roughness and metalness."""
    layout(looks, look, hit, triangle, hit.bary[0], hit.bary[1])
    if look.base_map >= 0:
        _sample(looks, hit, int(look.base_map), hit.footprint)
        for c in range(3):
            share = hit.texel[c] / max(hit.texel[3], 1e-3) if hit.texel[3] > 0 else 1.0
            lobes.albedo[c] *= share
            lobes.through[c] *= share
    if look.rough_map >= 0:
        _sample(looks, hit, int(look.rough_map), hit.footprint)
        rough *= hit.texel[1]
        metal *= hit.texel[2]
    if look.emission_map >= 0:
        _sample(looks, hit, int(look.emission_map), hit.footprint)
        for c in range(3):
            lobes.emission[c] *= hit.texel[c]
    if look.normal_map >= 0:
        _sample(looks, hit, int(look.normal_map), hit.footprint)
        rough = _normal_map(looks, look, m, hit, triangle, rough)
    return rough, metal


@nb.njit(**INNER)
def _axes_of_pattern(kind, normal):
    """Which of the local axes run along the surface, upwards (or north on a level one), and out of it."""
    ax, ay, az = abs(normal[0]), abs(normal[1]), abs(normal[2])
    if kind == BARK:
        return 0, 2, 1
    if az >= ax and az >= ay:
        return 0, 1, 2
    if ax >= ay:
        return 1, 2, 0
    return 0, 2, 1


@nb.njit(**INNER)
def _patterned(look, m, hit, lobes, kind):
    """Colour and relief of a built-in pattern."""
    n, p, own, scale = hit.normal, hit.local, hit.local_normal, look.scale
    iu, iv, iw = _axes_of_pattern(kind, own)
    cs, sn = np.cos(look.turn), np.sin(look.turn)
    pu, pv, pw = p[iu] / scale, p[iv] / scale, p[iw] / scale
    pu, pv = cs * pu - sn * pv + look.offset[0], sn * pu + cs * pv + look.offset[1]
    small = hit.footprint / scale
    step = max(0.0012, 0.7 * small)
    bumpy = look.relief > 0 and hit.footprint < 0.5 * scale
    high = hu = hv = hw = mix = 0.0
    shade = 1.0
    for k in range(4 if bumpy else 1):
        du, dv, dw = step if k == 1 else 0.0, step if k == 2 else 0.0, step if k == 3 else 0.0
        h, mixed, toned = pattern(kind, pu + du, pv + dv, pw + dw, small)
        if k == 0:
            high, mix, shade = h, mixed, toned
        elif k == 1:
            hu = h
        elif k == 2:
            hv = h
        else:
            hw = h
    for c in range(3):
        mixed_colour = lobes.albedo[c] * (1 - mix) + look.second[c] * mix
        lobes.albedo[c] = min(0.95, max(0.0, mixed_colour * shade))
    if bumpy:
        gu, gv, gw = (hu - high) / step, (hv - high) / step, (hw - high) / step
        gu, gv = cs * gu + sn * gv, -sn * gu + cs * gv
        own[iu], own[iv], own[iw] = gu, gv, gw
        # the slope's part across the normal, in the place's frame
        steep = np.sqrt(gu * gu + gv * gv + gw * gw)
        if steep > 1e-9:
            turned(m, own)
            dot = own[0] * n[0] + own[1] * n[1] + own[2] * n[2]
            for c in range(3):
                n[c] -= look.relief * steep * (own[c] - dot * n[c])


@nb.njit(**INNER)
def _layered(look, lobes, kind, tone, rough, metal):
    """Tone, wetness and coat over the colour, and what is left to gloss, to clearness and to the matt part."""
    coat, coat_rough, wet = look.coat, look.coat_roughness, look.wet
    for c in range(3):
        lobes.albedo[c] = min(1.0, max(0.0, lobes.albedo[c] * tone))
    if wet > 0:
        porous = POROUS_SAND if kind == SAND else POROUS
        for c in range(3):
            lobes.albedo[c] = lobes.albedo[c] * (1 - wet) + wet * lobes.albedo[c] ** porous
        coat = max(coat, wet * wet)
        coat_rough = coat_rough * (1 - wet) + wet * (WET_ROUGH_SAND if kind == SAND else WET_ROUGH)
        rough *= 1 - 0.4 * wet
    f = (look.ior - 1) / (look.ior + 1)
    f *= f
    for c in range(3):
        base = lobes.albedo[c]
        lobes.tint[c] = base
        lobes.f0[c] = f * (1 - metal) + base * metal
        lobes.albedo[c] = base * (1 - metal)
    lobes.alpha = max(MIRROR, rough * rough)
    lobes.coat, lobes.coat_alpha = coat, max(MIRROR, coat_rough * coat_rough)
    lobes.transmission, lobes.ior, lobes.thin = look.transmission * (1 - metal), look.ior, look.thin


@nb.njit(**INNER)
def _varied(look, shade, lobes):
    """A plant of one's own model differs from others of it, as plants do (practice)."""
    warm, light = 1 + look.varied * 0.30 * (shade - 0.5), 1 + look.varied * 0.30 * (np.mod(shade * 37.0, 1.0) - 0.5)
    for c in range(3):
        k = max(0.2, light * (warm if c == 0 else (1.0 if c == 1 else 1 - 0.5 * (warm - 1))))
        lobes.albedo[c] = min(0.9, lobes.albedo[c] * k)
        lobes.through[c] = min(0.9 - lobes.albedo[c], lobes.through[c] * k)


@nb.njit(**PART)
def model(geometry, looks, look, path, hit, lobes):
    """A model's surface; the hit's geometric normal comes in the placement's own frame and leaves in the place's."""
    m, triangle = geometry.transform[hit.instance], triangle_of(look, hit.primitive)
    for c in range(3):
        hit.local_normal[c] = hit.geometric[c]
    unit(hit.local_normal)
    turned(m, hit.geometric)
    for c in range(3):
        hit.normal[c] = hit.geometric[c]
    if triangle >= 0:
        _interpolated_normal(looks, m, hit, triangle)
    to_local(m, hit.position, hit.local)
    for c in range(3):
        lobes.albedo[c] = look.base[c]
        lobes.emission[c] = look.emission[c]
        lobes.through[c] = look.translucency[c]
    rough, metal = look.roughness, look.metalness
    if max(max(look.base_map, look.normal_map), max(look.rough_map, look.emission_map)) >= 0:
        rough, metal = _textured(looks, look, m, hit, lobes, triangle, rough, metal)
    if look.varied > 0:
        _varied(look, geometry.shade[hit.instance], lobes)
    kind = int(look.pattern)
    if kind != NONE:
        _patterned(look, m, hit, lobes, kind)
    tone = float(geometry.tone[geometry.offset[hit.part] + hit.primitive]) if look.toned > 0 else 1.0
    _layered(look, lobes, kind, tone, rough, metal)
    hit.glossy = 1 if path.depth == 0 or (lobes.alpha < 0.09 and lobes.f0[0] > 0.2) else 0
