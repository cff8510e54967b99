"""Clouds of a place at an instant."""

from __future__ import annotations

from lumwick.air.clouds import Deck, Veil, aloft, drifted
from lumwick.place.nature import Air, Wind

VEER = 20.0
"""By how much wind turns clockwise from the ground up to clouds, north of the equator (practice) [degrees]."""


def clouds_of(air: Air, wind: Wind, t: float, loop: float | None, north: float) -> tuple[Deck | None, Veil | None]:
    """Low and high clouds at clip time ``t`` [s]; None where there are none.

    Parameters
    ----------
    air, wind : Air, Wind
        With constants alone.
    north : float [degrees]
        From true north to the model's.
    """
    low, high = air.low, air.high
    deck = veil = None
    toward = float(wind.from_bearing) + 180.0 + VEER + north
    if low.oktas > 0.01:
        speed = low.drift * aloft(float(wind.speed), float(low.base))
        offset, share = drifted(speed, toward, t, loop)
        more = float(low.ahead_east), float(low.ahead_north)
        deck = Deck(
            float(low.oktas),
            float(low.base),
            float(low.thick),
            float(low.density),
            float(low.soft),
            low.size,
            float(low.closed),
            low.seed,
            t / low.life if not loop else 0.0,  # in a loop they drift, and stay what they are
            ((offset[0][0] + more[0], offset[0][1] + more[1]), (offset[1][0] + more[0], offset[1][1] + more[1])),
            share,
        )
    if high.amount > 0.01:
        speed = high.drift * aloft(float(wind.speed), float(high.height))
        offset, share = drifted(speed, toward, t, loop)
        # thin and far off: in a loop it stays
        veil = Veil(
            float(high.depth),
            float(high.amount),
            float(high.height),
            float(high.bearing) + north,
            float(high.fibrous),
            offset[0] if not loop else (0.0, 0.0),
            high.seed,
        )
    return deck, veil
