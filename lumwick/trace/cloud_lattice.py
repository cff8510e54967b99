"""The lattice on which an eye sees clouds."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.trace.framing import Window
from lumwick.trace.world import CloudLattice

MARGIN = 0.06
"""Of the film's sides by which the lattice is larger, for what a lens bends in and a moving eye turns to (practice)."""
WANTED, MOST = 1_000_000, 4_000_000
"""Spots of a lattice: clouds have their fine detail at an angle, whatever the film's pixels; and at most (64 MB)."""
CLOSEST = 1 / 3
"""Pixels between spots at least: so many take the stairs out of fibres on a small film (docs/decisions/0025)."""


def lattice(axes: list[NDArray[np.float64]], tan_x: float, shown: Window, size: tuple[int, int]) -> CloudLattice:
    """A lattice for a film, on which nothing has been looked up yet.

    Parameters
    ----------
    axes : list of ndarray, shape (3,)
        The eye's position [m], and its right, up and forward.
    tan_x : float
        Half the picture's width at unit distance.
    shown : Window
        Which part of the picture the film shows.
    size : tuple of int
        The film's.
    """
    width, height = size
    area = width * height * (1 + 2 * MARGIN) ** 2
    step = min(max(CLOSEST, float(np.sqrt(area / WANTED))), max(1.0, float(np.sqrt(area / MOST))))
    more = [np.ceil(MARGIN * side / step) + 1 for side in size]
    columns, rows = (int(np.ceil(side / step) + 2 * extra + 1) for side, extra in zip(size, more, strict=True))
    origin, right, up, forward = axes
    return CloudLattice(
        np.full((rows, columns, 4), -1.0, np.float32),
        origin,
        right,
        up,
        forward,
        float(tan_x),
        float(tan_x * shown.height / shown.width),
        float(shown.width),
        float(shown.height),
        float(shown.left) - float(more[0]) * step,
        float(shown.top) - float(more[1]) * step,
        step,
        1 if step <= 0.6 else 2,
    )
