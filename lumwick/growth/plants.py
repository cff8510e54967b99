"""Where a stand's plants stand, and how each is turned and sized."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumwick.place.growing import PLANTS_AT_MOST, Stand


@dataclass(frozen=True)
class Plants:
    """Plants of one stand.

    Attributes
    ----------
    position : ndarray, shape (n, 3) [m]
    turn : ndarray, shape (n,) [rad]
    scale : ndarray, shape (n,)
        Height over the stand's usual height.
    shade : ndarray, shape (n,)
        Each plant's own number from 0 to 1, for colour and for choosing its form.
    up : ndarray, shape (n, 3)
        Which way each stands; nothing of it if they stand as their kind does on the ground.
    """

    position: NDArray[np.float64]
    turn: NDArray[np.float64]
    scale: NDArray[np.float64]
    shade: NDArray[np.float64]
    up: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 3)))

    def of(self, which: NDArray[np.bool_] | NDArray[np.int64]) -> Plants:
        """Some of them."""
        up = self.up[which] if len(self.up) else self.up
        return Plants(self.position[which], self.turn[which], self.scale[which], self.shade[which], up)


def too_many(stand: Stand, expected: float) -> str:
    """What is said of a stand that holds too many plants: the density that fits, too."""
    fits = float(stand.per_hectare) * PLANTS_AT_MOST / expected
    return (
        f"{stand.name} would hold {expected:,.0f} plants: at most {PLANTS_AT_MOST:,} can be filmed. "
        f"Lower its density to {fits:,.0f} a hectare, or its area."
    )


def no_plants() -> Plants:
    return Plants(np.zeros((0, 3)), np.zeros(0), np.zeros(0), np.zeros(0))
