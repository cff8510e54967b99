"""A plant's bark, leaves, stalks and plumes.

How much leaf differs from leaf and plant from plant is practice: chosen by eye, with no source.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.surfaces.placing import by_cofactors
from lumwick.trace.sampling import mix32

LEAF = 1
LEAF_F0 = 0.035
"""Reflectance of a leaf's wax straight on, of about n = 1.46 (from memory)."""
WARMTH_OF_LEAVES, WARMTH_OF_PLANTS, LIGHTNESS_OF_LEAVES = 0.34, 0.30, 0.36
SIDE_REACH = 0.3
"""How far out from its stem a plant's side has its whole tint, against its height (practice)."""
PALER_UNDER = (0.7, 0.55)
"""An under side keeps this of its colour, and gets this of its grey."""


@nb.njit(**WITHIN)
def plant(geometry, material, path, hit, lobes):
    """A plant's surface; a leaf seen from its under side is paler and greyer than above."""
    m, shade, n, d = geometry.transform[hit.instance], geometry.shade[hit.instance], hit.normal, path.direction
    for c in range(3):
        n[c] = hit.geometric[c]
    by_cofactors(m, n)
    facing = d[0] * n[0] + d[1] * n[1] + d[2] * n[2]
    surface, first, cut = 0, 0, geometry.cut[hit.part]
    for k in range(3):
        if hit.primitive >= cut[k]:
            surface, first = k + 1, cut[k]
    # leaf from leaf: a hash of its number; plant from plant: its own shade
    leaf_number = (hit.primitive - first) // int(material.strip[surface])
    q = mix32(np.uint32(leaf_number * 4 + surface) ^ np.uint32(shade * 1e6))
    own = ((q >> np.uint32(8)) & np.uint32(0xFFFF)) / 65535.0 - 0.5
    warm = max(0.2, 1 + material.varied * (WARMTH_OF_LEAVES * own + WARMTH_OF_PLANTS * (shade - 0.5)))
    value = max(0.2, 1 + material.varied * LIGHTNESS_OF_LEAVES * ((q & np.uint32(0xFF)) / 255.0 - 0.5))
    # height over the plant's own foot, whichever way the ground lies
    kx, ky, kz = m[1] * m[5] - m[2] * m[4], m[2] * m[3] - m[0] * m[5], m[0] * m[4] - m[1] * m[3]
    x, y, z = hit.position[0] - m[9], hit.position[1] - m[10], hit.position[2] - m[11]
    high = (kx * x + ky * y + kz * z) / (kx * m[6] + ky * m[7] + kz * m[8])
    high = min(1.0, max(0.0, high / material.height))
    # how far out on the tinted side of its crown, which is told as a third of its height across
    aside = 0.0
    if surface > 0 and material.side_direction[0] ** 2 + material.side_direction[1] ** 2 > 0:
        tall = material.height * np.sqrt(m[6] * m[6] + m[7] * m[7] + m[8] * m[8])
        aside = min(
            1.0,
            max(
                0.0, 0.5 + 0.5 * (x * material.side_direction[0] + y * material.side_direction[1]) / (SIDE_REACH * tall)
            ),
        )
    grey = (material.reflected[surface, 0] + material.reflected[surface, 1] + material.reflected[surface, 2]) / 3
    sheen = material.sheen > 0 and surface > 0 and path.depth == 0 and facing < 0
    for c in range(3):
        hit.geometric[c] = n[c]
        k = value * (warm if c == 0 else (1.0 if c == 1 else 1 - 0.5 * (warm - 1)))
        k *= material.root[c] + (material.tip[c] - material.root[c]) * high
        k *= 1 + (material.side[c] - 1) * aside
        lobes.albedo[c] = min(0.85, material.reflected[surface, c] * k)
        if facing > 0 and surface == LEAF:
            lobes.albedo[c] = PALER_UNDER[0] * lobes.albedo[c] + PALER_UNDER[1] * grey
        lobes.through[c] = min(0.85, material.transmitted[surface, c] * k) if surface > 0 else 0.0
        if sheen:
            lobes.f0[c] = LEAF_F0
    if sheen:
        lobes.alpha = material.sheen
        hit.glossy = 1
    hit.layer = surface
