"""Foam that stays for a while where the sea has folded, in closed form over the last seconds.

References
----------
Whitecaps: E. C. Monahan and I. O'Muircheartaigh, J. Physical Oceanography 10 (1980). They last some seconds
(E. C. Monahan, J. Physical Oceanography 1 (1971): 3.5 s in salt water, from memory). Streaks along the wind from
Beaufort 7 on: the scale's own words (WMO). How far they cover the sea is practice.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from lumwick.water.surface import Swell, fold_at

LASTS = 3.5
"""Seconds in which foam fades to a third."""
AGES = (0.8, 2.0, 4.0)
"""Ages of what is looked back for [s]."""
LINGERS_FROM = 0.005
"""Share of whitecaps from which it is looked back at all."""
LINGERING = 2.0
"""How much more of the sea is white by what lingers (measured)."""
SOFT = 0.45
"""Over how much of its standard deviation the fold goes from no foam to all of it (practice)."""


def whitecaps(wind_speed: float) -> float:
    """Share of the sea that is white in a wind [m/s]: 3.84e-6 U^3.41 (Monahan and O'Muircheartaigh 1980)."""
    return float(min(0.5, 3.84e-6 * wind_speed**3.41))


def lingering(
    wave: Swell, fold: NDArray[np.float32], t: float, choppiness: float, wind_speed: float, rate: float = 1.0
) -> NDArray[np.float32]:
    """Share of foam (n, n) on a tile: as much as is white in its wind, where it folds, and what earlier folds have
    left.

    A fold is 1 and a normal deviate, whose spread the waves give; so the share that is white says where it breaks.
    """
    share = whitecaps(wind_speed)
    spread = choppiness * wave.fold_spread
    if spread < 1e-6 or share < 1e-5:
        return np.zeros_like(fold)
    lingers = share > LINGERS_FROM and rate > 0
    below = 1 + spread * float(ndtri(share / (LINGERING if lingers else 1.0)))
    over = SOFT * spread

    def white(of: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(np.clip((below + over / 2 - of) / over, 0, 1), np.float32)

    most = white(fold)
    if lingers:
        for age in AGES:
            most = np.maximum(most, white(fold_at(wave, t - age / rate, choppiness)) * np.float32(np.exp(-age / LASTS)))
    return most


def streaks(beaufort: float) -> float:
    """Share of the sea that streaks cover at a Beaufort number: none up to 6, two thirds at 11."""
    return float(np.clip((beaufort - 6) / 5, 0, 1) * 0.66)
