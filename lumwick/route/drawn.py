"""Lines that a route may be laid along."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Drawn:
    """A line to run along.

    Attributes
    ----------
    points : ndarray, shape (n, 3) [m]
    heights : bool
        Whether the points' own heights hold.
    times : ndarray, shape (n,) [s] or None
        When the points are met.
    aims : ndarray, shape (n, 3) or None
        Points looked at.
    """

    points: Floats
    heights: bool = False
    times: Floats | None = None
    aims: Floats | None = None
