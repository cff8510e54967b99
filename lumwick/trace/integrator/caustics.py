"""Light that waves gather under water, from maps made for each instant (`lumwick.water.caustics`)."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.surfaces.ground import bilinear, grid_cell
from lumwick.trace.integrator.surfaces.inland import tile_two

PLAIN_RUFFLE = 0.1
"""Slope of a body's ripples at which its light is gathered as much as the sea's (practice)."""


@nb.njit(**WITHIN)
def gathered(land, waters, number, position, submerged):
    """By how much waves gather the sun's light at a depth [m] under a body of water."""
    tiles, layers = waters.tiles[0], waters.caustic.shape[2]
    if tiles.caustic <= 0 or layers < 2:
        return 1.0
    x, y = position[0], position[1]
    if number == 0:
        i, j, a, b = grid_cell(land.heights, land.grid[0], x, y)
        share = bilinear(land.open_water, i, j, a, b, 1)
    else:
        share = min(1.0, waters.body[number].ruffle / PLAIN_RUFFLE)
    at = min(np.sqrt(submerged / tiles.deepest), 1.0) * (layers - 1)  # as the layers' depths lie
    k = min(int(at), layers - 2)
    low, high = tile_two(waters.caustic, tiles.caustic, x, y, k)
    return max(0.0, 1 + share * (low + (high - low) * (at - k) - 1))
