"""How stiff plants are: the frequencies at which stem, branches and leaves swing of themselves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.grown import TWIG
from lumwick.growth.sway import cantilever_frequency
from lumwick.place.growing import Stand

STIFFNESS_PA, SAP_DENSITY, CROWN = 9.0e9, 900.0, 0.70
"""Green wood: Young's modulus and density (round values of common practice), and the crown's slowing of the stem, by
which conifers swing as measured (J. Moore and D. Maguire 2004)."""
TWIG_LEAFED = 0.25
"""A twig's slowing by its leaves, which weigh several times what its wood does (practice)."""
SLENDER = 0.0133
"""A stem's radius against its height (practice)."""
LEAF_HZ = 4.1
"""At which leaves flutter, as they grow (practice)."""
STREAMLINES_FROM, VOGEL = 9.0, -0.7
"""Wind [m/s] from which crowns streamline, and Vogel's exponent: drag goes as the speed to the power of 2 and this
(S. Vogel 1989; -0.7 is usual for leafy trees; from memory)."""


def stem_hz(kind: str, tall: NDArray[np.float64]) -> NDArray[np.float64]:
    """Natural frequency [Hz] of stems or blades of heights (n,) [m], as they grow."""
    if KINDS[kind].woody:
        stems = np.maximum(tall, 0.5)
        return np.array([CROWN * cantilever_frequency(STIFFNESS_PA, SLENDER * h, h, SAP_DENSITY) for h in stems])
    return np.asarray(1.6 / np.maximum(tall, 0.1) ** 0.5, float)


def streamlined(speed: float) -> float:
    """How much less drag grows than with the square of the wind [m/s]: 1 in a light wind."""
    return float((1 + (speed / STREAMLINES_FROM) ** 2) ** (VOGEL / 2))


TWIG_QUICKEST = 7.0
"""At most [Hz]: what is quicker is not seen at any frame rate of films (practice)."""


@dataclass(frozen=True)
class NaturalFrequencies:
    """At which frequencies [Hz] the parts of a stand's plants swing."""

    stem: float
    branches: float
    twigs: float
    """0 for what has none."""
    leaves: float


def natural_frequencies(stand: Stand) -> NaturalFrequencies:
    """The frequencies of a stand's usual plant, at an instant: stiffer is quicker, by the root of the stiffness."""
    kind, stiff = KINDS[stand.kind], float(stand.stiffness)
    stem = float(stem_hz(stand.kind, np.array([float(stand.height)]))[0])
    twigs = 0.0
    if kind.habit is not None:
        thick, long = kind.habit.tip * (stand.wood.thick if stand.wood else 1.0), TWIG * float(stand.height)
        twigs = TWIG_LEAFED * cantilever_frequency(STIFFNESS_PA, thick, max(long, 0.05), SAP_DENSITY) * stiff**0.5
    return NaturalFrequencies(
        stem * stiff**0.5, kind.branch_hz * stiff**0.5, min(twigs, TWIG_QUICKEST), LEAF_HZ * stiff**0.25
    )
