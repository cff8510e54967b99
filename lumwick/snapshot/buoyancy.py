"""Hulls on a place's sea: which of its waves come to a spot, and how a hull answers them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lumwick.place.document import Place, Shot
from lumwick.snapshot.waters import sea_state
from lumwick.water.floating import Afloat, Hull
from lumwick.water.surface import largest, swells

if TYPE_CHECKING:
    from lumwick.snapshot.evaluate import Setting

FELT = 0.95
"""Of the variance of waves, what a float is carried by: the rest is too short or too low for it."""


def floating_on(
    setting: Setting, shot: Shot, place: Place, thing: str, hull: Hull, spot: tuple[float, float]
) -> Afloat:
    """A hull on the sea's waves at a spot [m], kept while both are the same: choosing the waves, and working out how
    the hull answers them, takes longer than riding them.

    Parameters
    ----------
    place : Place
        At an instant.
    thing : str
        Whose hull it is, by its id.
    """
    sea, loop, memory = place.sea, shot.closes_over, setting.memory
    state = sea_state(sea, place.site.north_turn)
    by, of = ("largest waves", sea.seed), (state, loop)
    held = memory.get(by)
    if held is None or held[0] != of:
        tiles = swells(state, sea.seed, loop)
        held = memory[by] = (of, largest(tiles[0], FELT), largest(tiles[1], FELT))
    # the longest waves come as far as the shore lets them, what is shorter as far as ripples do
    shares = setting.openness(round(sea.surface, 1))(*spot)[0]
    own, asked = ("afloat", thing), (of, sea.seed, hull, spot, *shares.tolist(), sea.choppiness)
    met = memory.get(own)
    if met is None or met[0] != asked:
        _, long, short = held
        amplitude = np.concatenate([long[0] * shares[0], short[0] * shares[1]])
        kx, ky, omega = (np.concatenate([long[k], short[k]]) for k in (1, 2, 3))
        met = memory[own] = (asked, Afloat((amplitude, kx, ky, omega), hull, spot, sea.choppiness))
    afloat: Afloat = met[1]
    return afloat
