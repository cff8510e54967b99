"""How large a model is meant to be, when its file does not say, or says what can hardly be meant."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

SHORT = {"m": "metres", "cm": "centimetres", "mm": "millimetres", "in": "inches", "ft": "feet"}
UNITS = (
    ("metres", 1.0),
    ("centimetres", 0.01),
    ("millimetres", 0.001),
    ("inches", 0.0254),
    ("feet", 0.3048),
)
"""Units that models are drawn in, and what they are in metres."""
RARER = ("inches", "feet")
"""Units that are offered, and guessed only where no other fits."""
LIKELY, LIKELY_UNTOLD = (0.05, 60.0), (0.2, 20.0)
"""Longest sides [m] that are taken without a question (practice: from a cup to a house), and where a file does not say
its unit."""
THINGS = (0.2, 30.0)
"""Longest sides [m] that are offered."""
USUAL = 2.0
"""The longest side [m] to which a guess comes nearest (practice)."""


@dataclass(frozen=True)
class Sized:
    """A size that a model may be meant to have.

    Attributes
    ----------
    unit : str
        What its numbers are then in.
    scale : float
        Metres for one unit of the file, beside what the file says itself.
    longest : float
        Its longest side [m].
    """

    unit: str
    scale: float
    longest: float


@dataclass(frozen=True)
class Guess:
    """The size that a model is taken to have, and what else it may be; nothing else if it is beyond doubt."""

    taken: Sized
    others: tuple[Sized, ...] = ()
    question: str = ""


def sized(longest: float, unit: str) -> Sized | None:
    """A size whose longest side is so many of a unit, by its short or long name; None if there is no such unit."""
    scale = dict(UNITS).get(SHORT.get(unit, unit))
    return None if scale is None else Sized(SHORT.get(unit, unit), scale, longest * scale)


def length(metres: float) -> str:
    """A length in words: 309 m, 7.4 m, 74 cm, 3 mm."""
    if metres >= 100:
        return f"{metres:,.0f} m"
    if metres >= 1:
        return f"{metres:.3g} m"
    return f"{metres * 100:.2g} cm" if metres >= 0.01 else f"{metres * 1000:.2g} mm"


def guess(name: str, size: NDArray[np.float64], told: bool = True) -> Guess:
    """How large a model is meant to be.

    Parameters
    ----------
    size : ndarray, shape (3,) [m]
        Its extents, as its file says, or with its numbers taken for metres.
    told : bool
        Whether the file says its unit.
    """
    longest = float(np.max(size))
    as_told = Sized("metres", 1.0, longest)
    least, most = LIKELY if told else LIKELY_UNTOLD
    if least <= longest <= most or longest <= 0:
        return Guess(as_told)
    sizes = [Sized(unit, scale, longest * scale) for unit, scale in UNITS]
    fitting = [s for s in sizes if THINGS[0] <= s.longest <= THINGS[1]]
    if not fitting:
        # nothing common fits: by tens, as a file that was scaled on its way
        tens = 10.0 ** round(np.log10(USUAL / longest))
        fitting = [Sized(f"a scale of {tens:g}", tens, longest * tens)]
    likely = min(fitting, key=lambda s: (s.unit in RARER, abs(np.log(s.longest / USUAL))))
    others = tuple(s for s in (*fitting, as_told) if s is not likely)
    says = "is" if told else "would be"
    question = f"{name} {says} {length(longest)} long by its file: {likely.unit}, so {length(likely.longest)}?"
    return Guess(likely, tuple(sorted(others, key=lambda s: s.longest)), question)
