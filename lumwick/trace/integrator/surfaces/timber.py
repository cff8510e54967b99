"""Sawn timber: on upright faces the grain runs level, as boards do (sizes and amounts are practice)."""

from __future__ import annotations

import numba as nb

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.surfaces.placing import unit
from lumwick.trace.sampling import noise2

TIMBER_F0, TIMBER_ALPHA = 0.03, 0.36
GRAIN_ON_SIDES, GRAIN_ON_TOP = 170.0, 60.0
"""Lines of the grain over a metre, about."""


@nb.njit(**WITHIN)
def timber(material, tone, path, hit, lobes):
    """Colour and dull gloss of a board."""
    unit(hit.geometric)
    n = hit.geometric
    x, y, z = hit.position[0], hit.position[1], hit.position[2]
    upright = abs(n[2]) < 0.5
    u, v = (x * abs(n[1]) + y * abs(n[0]), z) if upright else (x, y)
    broad, _, _ = noise2(u * 2.1 + v * 0.7, v * 9.0, 91)
    seen = min(1.0, max(0.0, 1.6 - hit.footprint / 0.012))
    fine = 0.0
    if seen > 0:
        fine, _, _ = noise2(u * 5.0, v * (GRAIN_ON_SIDES if upright else GRAIN_ON_TOP), 92)
    k = tone * (1 + 0.14 * broad + 0.16 * seen * fine)
    for c in range(3):
        hit.normal[c] = n[c]
        lobes.albedo[c] = min(0.8, max(0.0, material.base[c] * k))
        lobes.f0[c] = TIMBER_F0
    lobes.alpha = TIMBER_ALPHA
    hit.glossy = 1 if path.depth == 0 else 0
