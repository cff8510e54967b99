"""Facets: what they reflect, how they are spread, how they hide one another."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER


@nb.njit(**INNER)
def fresnel(cos_in, n):
    """Reflectance of unpolarised light at a smooth dielectric, from the thin side (Fresnel's equations)."""
    s2 = (1 - cos_in * cos_in) / (n * n)
    if s2 >= 1:
        return 1.0
    cos_t = np.sqrt(max(0.0, 1 - s2))
    rs = (cos_in - n * cos_t) / (cos_in + n * cos_t)
    rp = (n * cos_in - cos_t) / (n * cos_in + cos_t)
    return 0.5 * (rs * rs + rp * rp)


@nb.njit(**INNER)
def pane(reflected):
    """Reflectance of a thin pane, from that of one of its sides: all that goes back and forth between them."""
    return 2 * reflected / (1 + reflected)


@nb.njit(**INNER)
def facet_pdf(cos_h, a2):
    """GGX's pdf of facets' normals [1/sr], for a squared alpha."""
    k = cos_h * cos_h * (a2 - 1) + 1
    return a2 / (np.pi * k * k)


@nb.njit(**INNER)
def hidden(cos, a2):
    """Smith's Lambda of GGX: how many facets hide one that is seen."""
    return 0.5 * (np.sqrt(1 + a2 * (1 - cos * cos) / (cos * cos)) - 1)


@nb.njit(**INNER)
def schlick(cos):
    k = max(0.0, 1 - cos)
    return k * k * k * k * k
