"""The tide as one harmonic: the moon's half-daily constituent, M2.

References
----------
M2's speed is 28.9841042 degrees an hour, 12.4206 h from high water to high water (Doodson 1921; any tide table).
"""

from __future__ import annotations

import numpy as np

M2_CYCLES_AN_HOUR = 28.9841042 / 360.0


def tide_height(hours: float, high_at: float, tide_range: float) -> float:
    """Height [m] over mean water at an hour, with high water at another, and so much from low to high water."""
    return float(tide_range / 2 * np.cos(2 * np.pi * M2_CYCLES_AN_HOUR * (hours - high_at)))


def tide_rises(hours: float, high_at: float, tide_range: float) -> float:
    """How quickly it rises [m/s] at that hour; less than nought while it falls."""
    turn = 2 * np.pi * M2_CYCLES_AN_HOUR
    return float(-tide_range / 2 * turn / 3600 * np.sin(turn * (hours - high_at)))
