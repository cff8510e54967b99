"""Relief finer than a survey, made up so that ground seen close by is not a smooth sheet.

References
----------
Relief is nearly self-affine: its roughness at a smaller size is that of a larger one by the ratio of sizes to a power H
(B. Mandelbrot, The Fractal Geometry of Nature, 1982; H of about 0.7 to 0.9 for eroded land, from memory). The survey's
own points are kept.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.ground import Ground

Floats = NDArray[np.float64]
HURST = 0.8
POINTS_AT_MOST = 1_200_000
"""Of the finer grid."""
FINE_ENOUGH = 3.0
"""Metres between points from which nothing is made up."""
FINEST_SHARE = 8
"""Parts into which a survey's spacing is divided, at most."""
STEEPEST = 0.6
"""Slope of what is made up, at most: the height of its unevenness over the survey's spacing."""


def parts_of(ground: Ground) -> int:
    """Into how many parts each of a survey's cells is divided along a side; 1 if it is fine enough, or too large."""
    wanted = int(np.ceil(ground.spacing / FINE_ENOUGH))
    room = int(np.sqrt(POINTS_AT_MOST / ground.heights.size))
    return max(1, min(wanted, room, FINEST_SHARE))


def refined(ground: Ground, seed: int) -> Ground:
    """A survey on a finer grid, with relief made up below its spacing: as rough there as the land is about it.

    Its own points are where they were, and as high; a survey that is fine enough is given back.
    """
    n = parts_of(ground)
    if n == 1:
        return ground
    coarse = ground.heights.astype(float)
    ny, nx = coarse.shape
    rows, columns = (np.arange((size - 1) * n + 1) / n for size in (ny, nx))
    at = np.meshgrid(rows, columns, indexing="ij")
    smooth = ndimage.map_coordinates(coarse, at, order=3, mode="nearest")
    # how rough the land is at its own spacing, about each point
    rough = np.sqrt(ndimage.gaussian_filter((coarse - ndimage.gaussian_filter(coarse, 1.0)) ** 2, 2.0))
    rough = np.minimum(rough, STEEPEST * ground.spacing / 4)
    noise = _noise((len(rows), len(columns)), n, seed)
    noise *= ndimage.map_coordinates(rough, at, order=1, mode="nearest")
    # nothing at the survey's own points
    noise -= ndimage.map_coordinates(noise[::n, ::n], at, order=1, mode="nearest")
    heights = smooth + noise
    heights[::n, ::n] = coarse
    return Ground(heights.astype(np.float32), ground.spacing / n, ground.west, ground.south)


def _noise(shape: tuple[int, int], n: int, seed: int) -> Floats:
    """Self-affine noise of sizes below ``n`` cells, as rough at a size of ``n`` as 1."""
    rng = np.random.default_rng(seed)
    out = np.zeros(shape)
    size = n / 2
    while size >= 0.5:
        octave = ndimage.gaussian_filter(rng.standard_normal(shape), size / 2, mode="reflect")
        out += octave / max(float(octave.std()), 1e-12) * (size / n) ** HURST
        size /= 2
    return out
