"""What waves do on a beach: how high they run up, and the wash at each moment.

References
----------
H. Stockdon, R. Holman, P. Howd and A. Sallenger, Empirical parameterization of setup, swash, and runup, Coastal
Engineering 53 (2006), equations 10, 11 and 19; 17 and 18 on flat beaches.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.motion.terms import chance
from lumwick.water.spectrum import G, SeaState, moment, peak_frequency, significant_height

Floats = NDArray[np.float64]
FLAT_BEACH = 0.3
UP, HOLD = 0.30, 0.08
"""Of the time between two waves: while the water runs up, and while it stands; it runs back in the rest (practice)."""
LEAST_WAVE, SPREAD = 0.45, 0.55
"""A wave's run-up over the swash: at least this, and by chance so much more (practice)."""


def deep_length(period: float) -> float:
    """Length [m] of waves of a period [s] in deep water, g T^2 / 2 pi."""
    return G * period**2 / (2 * np.pi)


def dissipative(height: float, period: float, slope: float) -> bool:
    """Whether a beach is so flat for its waves that they break far out: its Iribarren number is under 0.3."""
    return float(slope / np.sqrt(height / deep_length(period))) < FLAT_BEACH


def setup(height: float, period: float, slope: float) -> float:
    """By how much breaking waves raise the water at the shore [m]."""
    return float(0.35 * slope * np.sqrt(height * deep_length(period)))


def swash(height: float, period: float, slope: float) -> float:
    """Height [m] from the lowest to the highest of the significant wash."""
    way = 0.046**2 if dissipative(height, period, slope) else 0.563 * slope**2 + 0.004
    return float(np.sqrt(height * deep_length(period) * way))


def run_up(height: float, period: float, slope: float) -> float:
    """Height over still water [m] that one run-up in fifty is higher than.

    Parameters
    ----------
    height : float [m]
        Significant, in deep water.
    period : float [s]
        Of the peak.
    slope : float
        Of the beach where the wash runs.
    """
    if dissipative(height, period, slope):
        return float(0.043 * np.sqrt(height * deep_length(period)))
    return 1.1 * (setup(height, period, slope) + swash(height, period, slope) / 2)


@dataclass(frozen=True)
class Wash:
    """The wash of a shore.

    Attributes
    ----------
    setup, swash : float [m]
    period : float [s]
        From one run-up to the next.
    waves : int
        After how many they begin again, in a loop; else 0.
    """

    setup: float
    swash: float
    period: float
    waves: int
    seed: int

    @property
    def highest(self) -> float:
        """What no wash of it reaches over still water [m]."""
        return self.setup + self.swash / 2 * (LEAST_WAVE + SPREAD)

    def at(self, t: float | Floats, late: float | Floats) -> Floats:
        """Height of the water's edge over still water [m] at times [s], at spots where it comes ``late`` [waves].

        It runs up quickly, stands, and runs back slowly; each wave has its own height.
        """
        phase = np.asarray(t / self.period - late)
        wave = np.floor(phase)
        x = phase - wave
        rises = np.clip(x / UP, 0, 1)
        falls = np.clip((x - UP - HOLD) / (1 - UP - HOLD), 0, 1)
        form = rises * (2 - rises) * (1 - falls * falls * (3 - 2 * falls))
        index = wave.astype(np.int64)
        if self.waves:
            index %= self.waves
        tall = LEAST_WAVE + SPREAD * chance(self.seed, index, 71)
        return np.asarray(self.setup + self.swash * tall * (form - 0.5), float)


DARK_LASTS, GLOSS_LASTS, LACE_LASTS = 26.0, 8.0, 4.0
"""Seconds in which wet sand loses two thirds of its darkness, of its gloss, and of the lace on it (practice)."""
LOOKS_BACK, LOOKS_EVERY = 90.0, 0.25
"""How far one looks back for the last wave that came so high, and in what steps [s]."""
WASH_DEPTH = 0.5
"""Depth [m] over which the wash dies away from the shore (practice)."""
LATEST = 0.4
"""A wash comes by so much of a wave sooner or later along the shore, at most."""


def marks(wash: Wash, t: float, heights: Floats, columns: int = 17) -> NDArray[np.float32]:
    """What the wash has left at a time [s] at heights over still water (n,) [m], by how late it comes there (from
    -LATEST to LATEST of a wave): shares of wet colour, of gloss and of lace, shape (columns, n, 3).

    Sand is as wet as the time since the last wave that reached it says; lace lies where the water has drawn back.
    """
    late = np.linspace(-LATEST, LATEST, columns)
    ages = np.arange(0, LOOKS_BACK, LOOKS_EVERY)
    edge = wash.at(t - ages[:, None], late)  # (ages, columns)
    highest = np.maximum.accumulate(edge, 0)
    out = np.zeros((columns, len(heights), 3), np.float32)
    for k in range(columns):
        at = np.searchsorted(highest[:, k], heights)
        reached = at < len(ages)
        age = ages[np.minimum(at, len(ages) - 1)]
        drawn_back = np.clip((heights - edge[0, k]) / 0.01, 0, 1)
        out[k, :, 0] = np.where(reached, np.exp(-age / DARK_LASTS), 0)
        out[k, :, 1] = np.where(reached, np.exp(-age / GLOSS_LASTS), 0)
        out[k, :, 2] = np.where(reached, np.exp(-age / LACE_LASTS), 0) * drawn_back
    return out


def wash_of(state: SeaState, slope: float, seed: int, loop: float | None) -> Wash:
    """The wash of a sea on a beach of a slope; in a loop a whole number of waves comes."""
    height = significant_height(state)
    period = 2 * np.pi / peak_frequency(state)
    if state.swell is not None and state.swell.height > 4 * np.sqrt(moment(state) / 2):  # the swell carries more
        period = state.swell.period
    apart = period / state.rate if state.rate > 0 else np.inf
    waves = max(1, round(loop / apart)) if loop and np.isfinite(apart) else 0
    between = loop / waves if loop and waves else apart
    return Wash(setup(height, period, slope), swash(height, period, slope), between, waves, seed)
