"""Light that waves gather under water: rays of the sun bent at the surface and counted where they land.

References
----------
Snell's law at n = 1.333. Each ray carries as much light, so the density of their landing places over that of their
starting places is the light there over what still water would let down.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.water.kernels import bend_rays, land_rays

Floats32 = NDArray[np.float32]
LENGTH, SIDE = 37.1, 640
"""Length [m] and cells a side of the maps."""
LAYERS, DEEPEST = 5, 4.0
"""Their number, and the depth of the last [m]; the first lies at the surface, each at `depths`."""


def depths() -> NDArray[np.float64]:
    """Depth of each layer [m]: by the square, for light gathers quickest near the surface."""
    return np.asarray(DEEPEST * (np.arange(LAYERS) / (LAYERS - 1)) ** 2)


def gathered(
    coarse: Floats32, coarse_length: float, fine: Floats32, fine_length: float, sun: NDArray[np.float64]
) -> Floats32:
    """Light under waves over that under still water, shape (SIDE, SIDE, LAYERS), on a tile of LENGTH.

    Parameters
    ----------
    coarse, fine : ndarray of float32, shape (n, n, 2)
        Slopes of two tiles, of lengths [m] of which LENGTH is a multiple, or nearly.
    sun : ndarray, shape (3,)
        To the sun.
    """
    out = np.zeros((LAYERS, SIDE, SIDE), np.float32)
    out[0] = 1.0
    bent = np.empty((SIDE, SIDE, 3), np.float32)
    bend_rays(coarse, coarse_length, fine, fine_length, np.asarray(sun, float), LENGTH, bent)
    land_rays(bent, depths() / (LENGTH / SIDE), out)
    return np.ascontiguousarray(np.moveaxis(out, 0, -1))
