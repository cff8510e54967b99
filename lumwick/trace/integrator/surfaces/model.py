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
def triangle_of(material, primitive):
    """The hit triangle's row among the corners, or -1."""
    return int(material.corners) + primitive if material.corners >= 0 else -1


@nb.njit(**INNER)
def layout(materials, material, hit, triangle, bu, bv):
    """Where a point lies on its textures: u, v and texture widths in a metre, into the hit's layout.

    A surface without texture coordinates is projected from the side it faces most.
    """
    if material.boxed > 0 or material.corners < 0:
        p = hit.local
        ax, ay, az = abs(hit.local_normal[0]), abs(hit.local_normal[1]), abs(hit.local_normal[2])
        if az >= ax and az >= ay:
            u, v = p[0], p[1]
        elif ax >= ay:
            u, v = p[1], p[2]
        else:
            u, v = p[0], p[2]
        widths = 1.0 / material.scale
        u *= widths
        v *= widths
    else:
        corner = materials.corner[triangle]
        a = 1 - bu - bv
        u = (a * corner.uv[0, 0] + bu * corner.uv[1, 0] + bv * corner.uv[2, 0]) / material.scale
        v = (a * corner.uv[0, 1] + bu * corner.uv[1, 1] + bv * corner.uv[2, 1]) / material.scale
        widths = corner.widths / material.scale
    c, s = np.cos(material.turn), np.sin(material.turn)
    hit.layout[0], hit.layout[1], hit.layout[2] = (
        c * u - s * v + material.offset[0],
        s * u + c * v + material.offset[1],
        widths,
    )


@nb.njit(**INNER)
def _sample(materials, hit, number, footprint):
    """A texture's value at the hit's layout, into its texel; returns how many texels the footprint covers."""
    where = materials.texture_where
    texels = footprint * hit.layout[2] * max(where[number, 0], where[number, 1])
    texture_at(
        materials.texture, where, materials.code_to_linear, number, hit.layout[0], hit.layout[1], texels, hit.texel
    )
    return texels


@nb.njit(**INNER)
def opacity(materials, material, hit, primitive, bu, bv, footprint):
    """Opacity of a cut-out at a point, 0 to 1, over a footprint; the hit's local point and normal say where."""
    layout(materials, material, hit, triangle_of(material, primitive), bu, bv)
    texels = _sample(materials, hit, int(material.base_map), footprint)
    # sharp close by; far off, the share of the footprint that is covered
    if texels < 1:
        return 1.0 if hit.texel[3] >= material.cutoff else 0.0
    return hit.texel[3]


@nb.njit(**WITHIN)
def opacity_here(geometry, materials, material, hit):
    """Opacity of the cut-out that was hit."""
    for c in range(3):
        hit.local_normal[c] = hit.geometric[c]
    unit(hit.local_normal)
    to_local(geometry.transform[hit.instance], hit.position, hit.local)
    return opacity(materials, material, hit, hit.primitive, hit.bary[0], hit.bary[1], hit.footprint)


@nb.njit(**INNER)
def _interpolated_normal(materials, m, hit, triangle):
    """The shading normal between a triangle's corners, unless it leaves the face behind."""
    n, face = hit.normal, hit.geometric
    corner = materials.corner[triangle]
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
def _normal_map(materials, material, m, hit, triangle, rough):
    """Bend the normal by its map; returns the roughness with what averaging took from the normals' length."""
    n, t, b, texel = hit.normal, hit.tangent, hit.bitangent, hit.texel
    nx, ny = (2 * texel[0] - 1) * material.normal_scale, (2 * texel[1] - 1) * material.normal_scale
    nz = 2 * texel[2] - 1
    long = np.sqrt(nx * nx + ny * ny + nz * nz)
    if long <= 1e-3:
        return rough
    short = min(1.0, np.sqrt((2 * texel[0] - 1) ** 2 + (2 * texel[1] - 1) ** 2 + nz * nz))
    lost = max(0.0, (1 - short) / max(short, 0.05) - 0.01)
    rough = min(1.0, np.sqrt(np.sqrt(min(1.0, rough**4 + lost))))
    if triangle >= 0 and material.boxed <= 0:
        for c in range(3):
            t[c] = materials.corner[triangle].tangent[c]
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
def _textured(materials, material, m, hit, lobes, triangle, rough, metal):
    """Colour, emission and normal by textures; returns roughness and metalness."""
    layout(materials, material, hit, triangle, hit.bary[0], hit.bary[1])
    if material.base_map >= 0:
        _sample(materials, hit, int(material.base_map), hit.footprint)
        for c in range(3):
            share = hit.texel[c] / max(hit.texel[3], 1e-3) if hit.texel[3] > 0 else 1.0
            lobes.albedo[c] *= share
            lobes.through[c] *= share
    if material.rough_map >= 0:
        _sample(materials, hit, int(material.rough_map), hit.footprint)
        rough *= hit.texel[1]
        metal *= hit.texel[2]
    if material.emission_map >= 0:
        _sample(materials, hit, int(material.emission_map), hit.footprint)
        for c in range(3):
            lobes.emission[c] *= hit.texel[c]
    if material.normal_map >= 0:
        _sample(materials, hit, int(material.normal_map), hit.footprint)
        rough = _normal_map(materials, material, m, hit, triangle, rough)
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
def _patterned(material, m, hit, lobes, kind):
    """Colour and relief of a built-in pattern."""
    n, p, own, scale = hit.normal, hit.local, hit.local_normal, material.scale
    iu, iv, iw = _axes_of_pattern(kind, own)
    cs, sn = np.cos(material.turn), np.sin(material.turn)
    pu, pv, pw = p[iu] / scale, p[iv] / scale, p[iw] / scale
    pu, pv = cs * pu - sn * pv + material.offset[0], sn * pu + cs * pv + material.offset[1]
    small = hit.footprint / scale
    step = max(0.0012, 0.7 * small)
    bumpy = material.relief > 0 and hit.footprint < 0.5 * scale
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
        mixed_colour = lobes.albedo[c] * (1 - mix) + material.second[c] * mix
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
                n[c] -= material.relief * steep * (own[c] - dot * n[c])


@nb.njit(**INNER)
def _layered(material, lobes, kind, tone, rough, metal):
    """Tone, wetness and coat over the colour, and what is left to gloss, to clearness and to the matt part."""
    coat, coat_rough, wet = material.coat, material.coat_roughness, material.wet
    for c in range(3):
        lobes.albedo[c] = min(1.0, max(0.0, lobes.albedo[c] * tone))
    if wet > 0:
        porous = POROUS_SAND if kind == SAND else POROUS
        for c in range(3):
            lobes.albedo[c] = lobes.albedo[c] * (1 - wet) + wet * lobes.albedo[c] ** porous
        coat = max(coat, wet * wet)
        coat_rough = coat_rough * (1 - wet) + wet * (WET_ROUGH_SAND if kind == SAND else WET_ROUGH)
        rough *= 1 - 0.4 * wet
    f = (material.ior - 1) / (material.ior + 1)
    f *= f
    for c in range(3):
        base = lobes.albedo[c]
        lobes.tint[c] = base
        lobes.f0[c] = f * (1 - metal) + base * metal
        lobes.albedo[c] = base * (1 - metal)
    lobes.alpha = max(MIRROR, rough * rough)
    lobes.coat, lobes.coat_alpha = coat, max(MIRROR, coat_rough * coat_rough)
    lobes.transmission, lobes.ior, lobes.thin = material.transmission * (1 - metal), material.ior, material.thin


@nb.njit(**INNER)
def _varied(material, shade, lobes):
    """A plant of one's own model differs from others of it, as plants do (practice)."""
    warm, light = (
        1 + material.varied * 0.30 * (shade - 0.5),
        1 + material.varied * 0.30 * (np.mod(shade * 37.0, 1.0) - 0.5),
    )
    for c in range(3):
        k = max(0.2, light * (warm if c == 0 else (1.0 if c == 1 else 1 - 0.5 * (warm - 1))))
        lobes.albedo[c] = min(0.9, lobes.albedo[c] * k)
        lobes.through[c] = min(0.9 - lobes.albedo[c], lobes.through[c] * k)


@nb.njit(**PART)
def model(geometry, materials, material, path, hit, lobes):
    """A model's surface; the hit's geometric normal comes in the placement's own frame and leaves in the place's."""
    m, triangle = geometry.transform[hit.instance], triangle_of(material, hit.primitive)
    for c in range(3):
        hit.local_normal[c] = hit.geometric[c]
    unit(hit.local_normal)
    turned(m, hit.geometric)
    for c in range(3):
        hit.normal[c] = hit.geometric[c]
    if triangle >= 0:
        _interpolated_normal(materials, m, hit, triangle)
    to_local(m, hit.position, hit.local)
    for c in range(3):
        lobes.albedo[c] = material.base[c]
        lobes.emission[c] = material.emission[c]
        lobes.through[c] = material.translucency[c]
    rough, metal = material.roughness, material.metalness
    if max(max(material.base_map, material.normal_map), max(material.rough_map, material.emission_map)) >= 0:
        rough, metal = _textured(materials, material, m, hit, lobes, triangle, rough, metal)
    if material.varied > 0:
        _varied(material, geometry.shade[hit.instance], lobes)
    kind = int(material.pattern)
    if kind != NONE:
        _patterned(material, m, hit, lobes, kind)
    tone = float(geometry.tone[geometry.offset[hit.part] + hit.primitive]) if material.toned > 0 else 1.0
    _layered(material, lobes, kind, tone, rough, metal)
    hit.glossy = 1 if path.depth == 0 or (lobes.alpha < 0.09 and lobes.f0[0] > 0.2) else 0
