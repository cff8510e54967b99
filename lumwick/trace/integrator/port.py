"""A lens at or under water: each ray starts in what is before it there."""

from __future__ import annotations

import numba as nb

from lumwick.trace.integrator import media, rays
from lumwick.trace.integrator.compiling import PART


@nb.njit(**PART)
def start(w, view, ctx):
    """Start a camera's path a little before the lens, as behind the dome of a housing; in water if there is a surface
    over that point, so that the waterline lies across the picture."""
    path = ctx.path
    for c in range(3):
        path.origin[c] += view.port * path.direction[c]
    part = rays.water_over(w.geometry, ctx)
    if part >= 0:
        path.in_water = media.FROM_WITHIN
        path.body = int(w.materials.surface[w.geometry.row[part]].water)
