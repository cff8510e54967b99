"""What a file of a path gives, before it is laid in a place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import RouteError
from lumwick.route.drawn import Drawn
from lumwick.route.track import Track

Floats = NDArray[np.float64]
METRES = {"m": 1.0, "ft": 0.3048, "cm": 0.01, "mm": 0.001, "km": 1000.0, "in": 0.0254, "yd": 0.9144}
"""In one of each unit that a file's lengths may have."""
POINTS_AT_MOST = 5_000_000


@dataclass(frozen=True)
class Path3:
    """One path of a file.

    Attributes
    ----------
    points : ndarray, shape (n, 3) [the file's unit, then m]
        East, north, up.
    heights : bool
        Whether the heights mean something.
    times : ndarray, shape (n,) [s] or None
    aims : ndarray, shape (n, 3) or None
        Points looked at.
    track : Track or None
        Of a camera: everything by time, in metres.
    unit : str
        Of the points; empty if the file does not say.
    """

    name: str
    points: Floats
    heights: bool = True
    times: Floats | None = None
    aims: Floats | None = None
    track: Track | None = None
    unit: str = "m"
    note: str = ""

    @property
    def drawn(self) -> Drawn:
        """It as a line that a route may be laid along."""
        return Drawn(self.points, self.heights, self.times, self.aims)


def check_count(points: int, name: str) -> None:
    """Refuse a file of too many points.

    Raises
    ------
    RouteError
    """
    if points > POINTS_AT_MOST:
        raise RouteError(f"{name} holds {points:,} points: at most {POINTS_AT_MOST:,} can be read. Thin it out first.")


def distinct(points: Floats) -> Floats:
    """A line's points (n, 3) without those that repeat the one before."""
    return np.asarray(points[np.concatenate([[True], np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-12])])
