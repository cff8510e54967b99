"""Clouds as they are at an instant: how much of the sky they take up, where they lie, and how they drift.

References
----------
F. Kasten and G. Czeplak, Solar and terrestrial radiation dependent on the amount and type of cloud, Solar Energy 24
(1980): light on the ground by oktas. E. Eddington's approximation for light that is scattered often in a layer, with
the similarity of optical depths by 1 - g (as in G. Petty, A First Course in Atmospheric Radiation, 2006).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
OKTAS = 8
ASYMMETRY = 0.863
"""Mean cosine of the angle by which drops of 10 micrometres scatter light."""
FORWARD, PEAK, REST = 0.82, 0.95, 0.467
"""Drops' phase function as two of Henyey and Greenstein: the share and the asymmetry of the peak, and the asymmetry of
the rest; together they have `ASYMMETRY`."""
SHEAR = 0.14
"""Power by which wind grows with height over open land (practice)."""
FASTEST = 2.4
"""How much quicker than at 10 m wind is at most, above the layer that the ground slows (practice)."""


@dataclass(frozen=True)
class Deck:
    """Low clouds of one instant.

    Attributes
    ----------
    oktas : float
        Eighths of the sky that they take up, seen from below.
    base, thick : float [m]
        Height of their foot over the datum, and from there to the highest top.
    extinction : float [1/m]
        Within them.
    soft : float
        0 is hard-edged, 1 all veil.
    size : float [m]
        Usual width of one of them.
    closed : float
        0 for heaps that stand apart, 1 for a sheet.
    seed : int
    age : float
        How far they have turned into others, in lives of one.
    offset : tuple of two (float, float) [m]
        East and north by which they have drifted, of two sets of them that are mixed.
    share : float
        Of the first set.
    """

    oktas: float
    base: float
    thick: float
    extinction: float
    soft: float
    size: float
    closed: float
    seed: int
    age: float
    offset: tuple[tuple[float, float], tuple[float, float]]
    share: float

    @property
    def top(self) -> float:
        return self.base + self.thick


@dataclass(frozen=True)
class Veil:
    """High clouds of ice of one instant: an optical depth, the sky's share, height [m], the way their fibres lie
    [degrees], how fibrous they are (0 to 1), how far they have drifted [m], and a seed."""

    depth: float
    amount: float
    height: float
    bearing: float
    fibrous: float
    offset: tuple[float, float]
    seed: int


HELD, HELD_AGE = 3e-4, 3e-4
"""How far clouds may go, against their height (a third of a milliradian), and how old they may grow [lives], and still
count as unmoved (practice)."""


def unmoved(before: tuple[Deck | None, Veil | None], now: tuple[Deck | None, Veil | None]) -> bool:
    """Whether low and high clouds stand so nearly where they stood that nobody can tell, and are otherwise the same."""
    deck, veil = before
    other, cirrus = now
    if deck is not None and other is not None:
        off = np.abs(np.subtract(deck.offset, other.offset)).max()
        if off > HELD * max(deck.base, 100.0) or abs(deck.age - other.age) > HELD_AGE:
            return False
        other = replace(other, offset=deck.offset, age=deck.age, share=deck.share)
    if veil is not None and cirrus is not None:
        if np.abs(np.subtract(veil.offset, cirrus.offset)).max() > HELD * veil.height:
            return False
        cirrus = replace(cirrus, offset=veil.offset)
    return deck == other and veil == cirrus


def aloft(speed: float, height: float) -> float:
    """Wind [m/s] at a height [m], by that at 10 m."""
    return float(speed * min(FASTEST, (max(height, 10.0) / 10.0) ** SHEAR))


def drifted(
    speed: float, toward: float, t: float, loop: float | None
) -> tuple[tuple[tuple[float, float], tuple[float, float]], float]:
    """How far two sets of clouds have gone [m], and the share of the first, at clip time ``t`` [s].

    In a loop the second set is as far as it was a clip ago, and the first gives way to it: at the end the picture is
    that of the start.

    Parameters
    ----------
    speed : float [m/s]
    toward : float [degrees]
    """
    a = np.radians(toward)
    way = float(np.sin(a)), float(np.cos(a))

    def at(s: float) -> tuple[float, float]:
        return (speed * s * way[0], speed * s * way[1])

    if not loop:
        return (at(t), at(t)), 1.0
    return (at(t), at(t - loop)), 1.0 - t / loop


def transmitted(depth: float | Floats, slant: float = 1.0) -> float | Floats:
    """Share of light that a closed layer of cloud lets pass, direct and scattered, by its vertical optical depth.

    Parameters
    ----------
    slant : float
        Cosine of the light's angle to the vertical.
    """
    scaled = np.asarray(depth) * (1 - ASYMMETRY)
    out = ((2 / 3 + slant) + (2 / 3 - slant) * np.exp(-scaled / slant)) / (4 / 3 + scaled)
    return out if np.ndim(out) else float(out)


def dimmed(oktas: float) -> float:
    """Light on level ground under clouds against that of a clear sky, by Kasten and Czeplak (1980)."""
    return float(1 - 0.75 * (oktas / OKTAS) ** 3.4)


def phase_of_drops(cosine: Floats) -> Floats:
    """Share of light that drops scatter into an angle [1/sr]."""

    def henyey(g: float) -> Floats:
        return np.asarray((1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cosine) ** 1.5), float)

    return FORWARD * henyey(PEAK) + (1 - FORWARD) * henyey(REST)
