"""The current of the tide in a place's creeks at an instant."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumwick.disk_cache import cached
from lumwick.land.covers import open_water, sea_nearness
from lumwick.land.ground import Ground
from lumwick.place.nature import Sea, SeaNow
from lumwick.snapshot.waters import Known
from lumwick.water.current import filling

LEVELS = 0.1
"""Steps of the water's level [m] for which currents are made; between them they are mixed."""
KEPT = 4
"""Levels that are kept, and currents."""
OPEN_FROM = 0.5
"""Share of the open sea's long waves from which water is open sea."""
MIXED = 1000
"""Steps in which two levels, and how fast the water rises, are mixed: the tide stands in one for some seconds."""
STILL = 0.01
"""Speed [m/s] under which a current is none."""
FASTEST = 3.0
"""Speed [m/s] that none exceeds, however few creeks a large plain fills through."""


@dataclass(frozen=True)
class Current:
    """Water's velocity east and north on a grid.

    Attributes
    ----------
    velocity : ndarray of float32, shape (rows, columns, 2) [m/s]
    west, south, spacing : float [m]
    """

    velocity: NDArray[np.float32]
    west: float
    south: float
    spacing: float

    @property
    def fastest(self) -> float:
        """Its greatest speed [m/s]."""
        return float(np.hypot(self.velocity[..., 0], self.velocity[..., 1]).max())


@lru_cache(KEPT)
def _filled(known: Known, step: int) -> tuple[NDArray[np.float32], float]:
    """The current over a survey for a level, for each metre a second that it rises, and its greatest speed."""
    ground, level = known.ground, step * LEVELS
    kept = cached("current", f"{ground.fingerprint} {step}", lambda: {"velocity": _filling(ground, level)})
    velocity: NDArray[np.float32] = kept["velocity"]
    return velocity, float(np.hypot(velocity[..., 0], velocity[..., 1]).max())


def _filling(ground: Ground, level: float) -> NDArray[np.float32]:
    """Velocities of water over a survey that fills to a level, for each metre a second that it rises."""
    out_there = open_water(ground, level, sea_nearness(ground, level))[..., 0] > OPEN_FROM
    rim = np.ones_like(out_there)
    rim[1:-1, 1:-1] = False
    return filling(level - ground.heights.astype(float), out_there | rim, ground.spacing).astype(np.float32)


def current_of(ground: Ground, sea: Sea) -> Current | None:
    """How water runs in the creeks of a survey now; None where it stands still.

    Parameters
    ----------
    sea : Sea
        At an instant; only a `SeaNow` has a tide.
    """
    if not isinstance(sea, SeaNow) or not sea.present:
        return None
    rises = sea.rises * float(sea.tide_flow)
    if rises == 0.0:
        return None
    quick = 10.0 ** np.floor(np.log10(abs(rises)))
    return _running(Known(ground), round(sea.surface / LEVELS * MIXED), round(rises / quick * MIXED) * quick / MIXED)


@lru_cache(KEPT)
def _running(known: Known, at: int, rises: float) -> Current | None:
    """The same at a level in steps, where the water rises so fast [m/s]."""
    ground = known.ground
    low = at // MIXED
    share = at / MIXED - low
    (under, slower), (over, faster) = (_filled(known, step) for step in (low, low + 1))
    if abs(rises) * max(slower, faster) <= STILL:
        return None
    velocity = (under * np.float32(1 - share) + over * np.float32(share)) * np.float32(rises)
    speed = np.hypot(velocity[..., 0], velocity[..., 1])
    runs = speed > STILL
    if not runs.any():
        return None
    velocity *= np.minimum(1.0, FASTEST / np.maximum(speed, 1e-6))[..., None]
    rows, columns = np.flatnonzero(runs.any(1)), np.flatnonzero(runs.any(0))
    r, c = max(0, int(rows[0]) - 1), max(0, int(columns[0]) - 1)
    return Current(
        velocity[r : rows[-1] + 2, c : columns[-1] + 2],
        ground.west + c * ground.spacing,
        ground.south + r * ground.spacing,
        ground.spacing,
    )
