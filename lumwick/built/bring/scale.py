"""How large a model is meant to be, when its file does not say, or says what can hardly be meant."""

from __future__ import annotations

import re
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
UNASKED = (0.1, 10.0)
"""Longest sides [m] that are taken without a question (practice)."""
THINGS = (0.05, 60.0)
"""Longest sides [m] that are offered (practice: from a cup to a house)."""
CLASSES: dict[tuple[str, ...], tuple[float, float]] = {
    ("bench", "chair", "table", "sofa", "stool", "desk", "bed", "shelf", "cupboard", "seat"): (0.4, 3.0),
    ("beech", "oak", "maple", "palm", "pine", "birch", "alder", "willow", "spruce", "fir", "tree", "poplar"): (
        4.0,
        35.0,
    ),
    ("bush", "shrub", "hedge", "fern", "bonsai", "flower", "plant", "pot", "reed"): (0.2, 4.0),
    ("bus", "lorry", "truck", "tram", "van", "tractor"): (4.5, 18.0),
    ("car", "cart", "wagon", "boat", "dinghy", "canoe"): (2.0, 8.0),
    ("ship", "yacht", "barge", "ferry"): (8.0, 200.0),
    ("house", "barn", "church", "hall", "mill", "tower", "building", "cottage"): (5.0, 60.0),
    ("shed", "hut", "cabin", "gazebo", "tent", "bridge", "gate"): (1.5, 15.0),
    ("lamp", "lantern", "bottle", "cup", "mug", "vase", "bowl", "book", "bucket", "jug", "shell"): (0.05, 0.8),
    ("post", "pole", "mast", "column"): (1.0, 15.0),
    ("barrel", "crate", "box", "basket", "drum", "bin", "stone", "rock", "stump", "log"): (0.2, 3.0),
    ("man", "woman", "person", "figure", "horse", "cow"): (1.4, 2.6),
}
"""Common longest sides [m] by what a name says a thing is (practice)."""


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
    usual = usual_of(name)
    low, high = usual or UNASKED
    if longest <= 0 or max(low, UNASKED[0]) <= longest <= min(high, UNASKED[1]):
        return Guess(as_told)
    sizes = [Sized(unit, scale, longest * scale) for unit, scale in UNITS]
    fitting = [s for s in sizes if low <= s.longest <= high]
    if told or all(s.unit in RARER for s in fitting):
        fitting += [s for s in sizes if THINGS[0] <= s.longest <= THINGS[1] and s not in fitting]
    if not fitting:
        # nothing common fits: by tens, as a file that was scaled on its way
        tens = 10.0 ** round(np.log10(np.sqrt(low * high) / longest))
        fitting = [Sized(f"a scale of {tens:g}", tens, longest * tens)]

    def unlikely(s: Sized) -> tuple[bool, bool, float]:
        """What the file says of itself comes first, then what is drawn in most, then what is nearest to common."""
        away = max(low / s.longest, s.longest / high, 1.0)
        return not (told and s.unit == "metres"), s.unit in RARER, away

    likely = min(fitting, key=unlikely)
    others = [s for s in fitting if s is not likely]
    if as_told not in (likely, *others):
        others.append(as_told)
    says = "is" if told else "would be"
    both = f"{length(likely.longest)} ({likely.unit})"
    if others:
        both += f" or {length(others[0].longest)} ({others[0].unit})"
    question = f"{name} {says} {length(longest)} long by its file: {both}?"
    return Guess(likely, tuple(sorted(others, key=lambda s: s.longest)), question)


def usual_of(name: str) -> tuple[float, float] | None:
    """The longest sides [m] that things of a name commonly have; None where the name tells none."""
    words = set(re.split(r"[^a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).lower()))
    words |= {word.removesuffix("s") for word in words}
    return next((sides for names, sides in CLASSES.items() if words & set(names)), None)
