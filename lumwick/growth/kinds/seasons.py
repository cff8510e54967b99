"""How plants look through the year: their leaves' colour, how many hang on, and how many flowers are open.

Months are told as 1.0 for the first of January and 6.5 for the middle of June, north of the equator; south of it
half a year later. When what turns is broad practice for a temperate climate, with no source.
"""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

import numpy as np

Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Turn:
    """A kind at a month of the year.

    Attributes
    ----------
    month : float
    leaf : Colour or None
        What its leaves reflect; the kind's own if None.
    kept : float
        Share of its leaves that it bears.
    bloom : float
        Share of its flowers that are open.
    varied : float
        How much leaf differs from leaf.
    """

    month: float
    leaf: Colour | None = None
    kept: float = 1.0
    bloom: float = 1.0
    varied: float = 1.0


def leafy(
    gold: Colour, fresh: Colour = (0.105, 0.150, 0.028), out: float = 4.3, fall: float = 10.4
) -> tuple[Turn, ...]:
    """A tree that is bare in winter: ``out`` and ``fall`` are the months in which its leaves come and turn."""
    brown = (0.115, 0.068, 0.030)
    return (
        Turn(out, fresh, 0.0),
        Turn(out + 0.7, fresh, 0.85),
        Turn(out + 1.6),
        Turn(fall - 1.2),
        Turn(fall, gold, 0.95, 1.0, 2.0),
        Turn(fall + 0.7, gold, 0.45, 1.0, 1.6),
        Turn(fall + 1.2, brown, 0.03),
        Turn(fall + 1.6, brown, 0.0),
    )


def flowering(first: float, last: float, dry: Colour = (0.19, 0.155, 0.08)) -> tuple[Turn, ...]:
    """A herb that flowers between two months, dries up, and is low and brown in winter."""
    return (
        Turn(1.0, dry, 0.5, 0.0),
        Turn(first - 1.2, None, 1.0, 0.0),
        Turn(first, None, 1.0, 0.4),
        Turn((first + last) / 2),
        Turn(last, None, 1.0, 0.25),
        Turn(min(last + 0.8, 11.8), dry, 0.8, 0.0),
    )


GRASSY = (
    Turn(1.5, (0.185, 0.165, 0.075), 1.0, 0.15),
    Turn(3.8, (0.130, 0.142, 0.045), 1.0, 0.1),
    Turn(5.2, (0.082, 0.128, 0.028), 1.0, 0.5),
    Turn(6.6),
    Turn(8.3, (0.165, 0.150, 0.060), 1.0, 1.0),
    Turn(10.5, (0.180, 0.155, 0.068), 1.0, 0.6),
)
"""Grass: fresh in May, straw by the end of summer."""
REEDY = (
    Turn(1.5, (0.240, 0.200, 0.105), 0.7),
    Turn(4.3, (0.200, 0.185, 0.085), 0.7),
    Turn(5.8, (0.100, 0.150, 0.035), 1.0, 0.3),
    Turn(7.5),
    Turn(9.5, (0.160, 0.165, 0.055)),
    Turn(11.3, (0.235, 0.195, 0.095), 0.9),
)
"""Reeds: green from June, straw all winter."""


@dataclass(frozen=True)
class Look:
    """How a kind looks at a moment: see `Turn`."""

    leaf: Colour
    kept: float = 1.0
    bloom: float = 1.0
    varied: float = 1.0


def month_of(when: dt.datetime, latitude: float) -> float:
    """A date as a month, from 1 up to 13; south of the equator as if it were half a year on."""
    start = dt.datetime(when.year, 1, 1)
    share = (when - start) / (dt.datetime(when.year + 1, 1, 1) - start)
    return 1 + 12 * ((share + (0.5 if latitude < 0 else 0.0)) % 1.0)


def at_month(turns: tuple[Turn, ...], month: float, own: Colour) -> Look:
    """How a kind whose leaves are of a colour of their ``own`` looks at a month; what lies between two turns is mixed
    evenly."""
    if not turns:
        return Look(own)
    months = [turn.month for turn in turns]
    values = [[*(turn.leaf or own), turn.kept, turn.bloom, turn.varied] for turn in turns]
    at = (month - 1) % 12 + 1
    r, g, b, kept, bloom, varied = (
        float(np.interp(at, months, column, period=12)) for column in zip(*values, strict=True)
    )
    return Look((r, g, b), kept, bloom, varied)
