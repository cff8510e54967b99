"""What floats on waves, in closed form: each wave filtered by the hull's answer to it, and all added up.

References
----------
J. J. Jensen, A. E. Mansour and A. S. Olsen, Estimation of ship motions using closed-form expressions, Ocean
Engineering 31 (2004): heave and pitch of a box of the hull's length, breadth and draught, at no speed (from memory).
Roll: the equation of a damped pendulum, with the radius of gyration of 0.4 breadths and the stability of a box
(practice); its period is 2 pi k / sqrt(g GM).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.water.kernels import swung_up
from lumwick.water.spectrum import G
from lumwick.water.surface import Waves

Floats = NDArray[np.float64]
GYRATION = 0.4
"""Radius of gyration in roll, as a share of the breadth (practice)."""
ROLL_DAMPING = 0.12
"""Of critical (practice: small open boats 0.1 to 0.15)."""
CENTRE_OF_WEIGHT = 0.9
"""Height of an open boat's weight over its keel, as a share of its draught (practice, with its crew out)."""


@dataclass(frozen=True)
class Hull:
    """A floating body as a box: length, breadth and draught [m]."""

    length: float
    breadth: float
    draught: float

    @property
    def stability(self) -> float:
        """Metacentric height GM [m]: KB + B^2 / 12 T - KG, never less than a twentieth of the breadth."""
        t = self.draught
        return max(t / 2 + self.breadth**2 / (12 * t) - CENTRE_OF_WEIGHT * t, 0.05 * self.breadth)

    @property
    def roll_period(self) -> float:
        """Natural period of roll [s], 2 pi k / sqrt(g GM)."""
        return float(2 * np.pi * GYRATION * self.breadth / np.sqrt(G * self.stability))


@dataclass(frozen=True)
class Answer:
    """How a hull answers waves (n,): heave over height, pitch and roll over the slope along and across it (complex)."""

    heave: Floats
    pitch: Floats
    roll: NDArray[np.complex128]


def answer(hull: Hull, ahead: Floats, across: Floats, omega: Floats) -> Answer:
    """How a hull answers waves whose wave numbers along and across it are ``ahead`` and ``across`` (n,) [rad/m]."""
    k = np.maximum(np.hypot(ahead, across), 1e-9)
    length, b, t = hull.length, hull.breadth, hull.draught
    half = np.maximum(np.abs(ahead) * length / 2, 1e-4)
    spread = 2 * np.sin(np.minimum(k * b / 2, np.pi)) * np.exp(-k * t)  # how strongly its sides make waves
    lift = np.sqrt((1 - np.minimum(k * t, 1)) ** 2 + (spread**2 / (k * b)) ** 2)
    damped = np.maximum(spread**2 / (k * b), DAMPED_LEAST)
    gain = np.minimum(1 / np.sqrt((1 - 2 * k * t) ** 2 + damped**2), STRONGEST)
    breadth = np.sinc(across * b / 2 / np.pi)  # a wave shorter than the breadth lifts one side and sinks the other
    common = gain * np.exp(-np.abs(ahead) * t) * lift * breadth
    heave = common * np.sin(half) / half
    pitch = common * 3 * (np.sin(half) - half * np.cos(half)) / half**3
    natural = 2 * np.pi / hull.roll_period
    swing = natural**2 / (natural**2 - omega**2 - 2j * ROLL_DAMPING * natural * omega)
    narrow = np.exp(-k * t) * breadth * np.sinc(ahead * length / 2 / np.pi)
    return Answer(heave, pitch, (swing * narrow).astype(np.complex128))


DAMPED_LEAST = 0.15
"""Damping of heave and pitch at their own periods, at least (practice)."""
STRONGEST = 1.35
"""How much a small boat's heave may outdo the wave's (practice)."""


@dataclass(frozen=True)
class Ride:
    """Where waves take a hull: aside and up (n,) [m], and by what it pitches and rolls (n,) [rad].

    Pitch lifts the bow, roll lowers the right side.
    """

    east: Floats
    north: Floats
    up: Floats
    pitch: Floats
    roll: Floats


@dataclass
class Afloat:
    """A hull on waves at a spot [m]; how it answers them is kept for the bearing that it had last.

    Attributes
    ----------
    waves : Waves
        As `lumwick.water.surface.largest` gives them.
    """

    waves: Waves
    hull: Hull
    spot: tuple[float, float]
    choppiness: float = 1.0
    _answered: tuple[float, NDArray[np.complex128]] | None = None

    def _answer(self, way: float) -> NDArray[np.complex128]:
        """What each wave (n,) makes of the hull that heads to a bearing [rad], shape (5, n): its way east, north and
        up [m], and the slopes by which it pitches and rolls."""
        kept = self._answered
        if kept is not None and kept[0] == way:
            return kept[1]
        amplitude, kx, ky, omega = self.waves
        here = amplitude * np.exp(1j * (kx * self.spot[0] + ky * self.spot[1]))
        k = np.maximum(np.hypot(kx, ky), 1e-9)
        s, c = np.sin(way), np.cos(way)
        ahead, across = kx * s + ky * c, kx * c - ky * s
        a = answer(self.hull, ahead, across, np.abs(omega))
        # a wave that runs the other way is written by its mirror image, and its roll lags the other way
        swung = np.where(omega < 0, np.conj(a.roll), a.roll)
        lifted = a.heave * here
        rows = np.stack(
            [
                1j * kx / k * self.choppiness * lifted,
                1j * ky / k * self.choppiness * lifted,
                lifted,
                1j * ahead * a.pitch * here,
                1j * across * swung * here,
            ]
        )
        self._answered = (way, rows)
        return rows

    def ride(self, bearing: Floats, t: Floats) -> Ride:
        """How it rides, heading to bearings (n,) [rad] at clip times (n,) [s]."""
        bearing, t = np.asarray(bearing, float), np.asarray(t, float)
        out = np.empty((5, len(t)))
        for way in np.unique(bearing):
            when = bearing == way
            out[:, when] = swung_up(self._answer(float(way)), self.waves[3], t[when])
        return Ride(out[0], out[1], out[2], np.arctan(out[3]), -np.arctan(out[4]))
