"""What rain and snow make of surfaces: wet where they are open to it, white where they face up."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.surfaces.wetted import DARKENS, WET_ALPHA
from lumwick.trace.sampling import INNER, noise2
from lumwick.trace.world import GROUND, PLANT

UNDER = 0.12
"""How far under what rain falls on a spot counts as sheltered [m]."""
LEAF_DARKENS = 0.12
"""Share of its colour that a wet leaf loses (practice)."""
LEAF_GLOSS = 0.35
SNOW = (0.86, 0.88, 0.91)
"""Albedo of fresh snow (handbooks: 0.8 to 0.9)."""
STEEPEST, LEVEL = 0.42, 0.78
"""Of the upward part of a normal: where no snow stays, and from which all does (from 65 to 39 degrees; practice)."""


@nb.njit(**INNER)
def open_to_rain(weather, roof, x, y, z):
    """Whether rain falls on a spot: 1, or 0 under a roof."""
    if weather.roof_spacing <= 0:
        return 1.0
    # the way that it falls along goes through one spot of the map
    u = (x + weather.slant[0] * z - weather.roof_west) / weather.roof_spacing
    v = (y + weather.slant[1] * z - weather.roof_south) / weather.roof_spacing
    i, j = int(np.floor(v)), int(np.floor(u))
    if i < 0 or j < 0 or i >= roof.shape[0] or j >= roof.shape[1]:
        return 1.0
    return 1.0 if z > roof[i, j] - UNDER else 0.0


@nb.njit(**INNER)
def weather_on(air, path, hit, lobes):
    """Wet or whiten a hit that is open to the sky; its normal is of unit length and looks to the ray."""
    weather = air.weather[0]
    if (weather.wet <= 0.001 and weather.snow <= 0.001) or path.in_water or lobes.transmission > 0:
        return
    p, up = hit.position, hit.normal[2]
    leaf = hit.kind == PLANT
    open_sky = open_to_rain(weather, air.roof, p[0], p[1], p[2])
    if open_sky <= 0:
        return
    uneven, _, _ = noise2(p[0] * 3.1, p[1] * 3.1 + p[2] * 2.3, 71)
    finer, _, _ = noise2(p[0] * 17.0 + p[2] * 5.0, p[1] * 17.0, 72)
    wet = weather.wet * (0.3 + 0.7 * max(0.0, up)) if not leaf else weather.wet
    if wet > 0.001:
        dark = LEAF_DARKENS if leaf else DARKENS
        soaked = min(1.0, max(0.0, wet * 1.3 + 0.3 * wet * uneven))
        for c in range(3):
            lobes.albedo[c] *= 1 - dark * soaked
        film = soaked * (LEAF_GLOSS if leaf else 0.75)
        if hit.kind == GROUND:  # earth drinks it until there is too much
            film *= min(1.0, max(0.0, soaked * 1.8 - 0.9 + 0.7 * uneven))
        if film > lobes.coat and path.depth == 0:
            lobes.coat, lobes.coat_alpha = film, WET_ALPHA
            hit.glossy = 1
    if weather.snow > 0.001:
        lies = min(1.0, max(0.0, (up - STEEPEST - 0.08 * finer) / (LEVEL - STEEPEST)))
        if leaf:
            lies = max(lies * 0.8, 0.35 * (1 if up > 0 else 0))
        lies *= min(1.0, max(0.0, weather.snow * 2.2 - 0.7 * (0.5 + 0.5 * uneven) - 0.25 * (0.5 + 0.5 * finer)))
        for c in range(3):
            lobes.albedo[c] += (SNOW[c] - lobes.albedo[c]) * lies
            lobes.through[c] *= 1 - 0.8 * lies
            lobes.f0[c] *= 1 - lies
        lobes.coat *= 1 - lies
