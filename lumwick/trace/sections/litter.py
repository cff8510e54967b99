"""What woods shed on the ground under them: leaves and needles over whatever covers it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.disk_cache import cached
from lumwick.growth.kinds import KINDS
from lumwick.snapshot.planted import Planted
from lumwick.trace.sections.land import LandMade
from lumwick.trace.sections.section import key_of

CROWN = 0.28
"""Radius of the ground that a tree sheds on, against its height (practice)."""
THICK = 1.6
"""How soon litter lies closed where crowns overlap (practice)."""


@dataclass(frozen=True)
class LitterInputs:
    """The covered ground, how much litter lies under woods, and the stands that shed it, by their keys."""

    land: LandMade
    amount: float
    stands: tuple[str, ...]
    shedding: tuple[Planted, ...] = field(compare=False)

    @classmethod
    def of(cls, land: LandMade, amount: float, planted: Iterable[Planted]) -> LitterInputs:
        sheds = tuple(one for one in planted if KINDS[one.stand.kind].sheds is not None and amount > 0)
        return cls(land, amount, tuple(one.key for one in sheds), sheds)


def make_litter(inputs: LitterInputs) -> NDArray[np.float32]:
    """The ground's covers with litter on them, shape (ny, nx, 6); see `lumwick.land.covers.albedo`."""
    land = inputs.land
    if not inputs.shedding:
        return land.albedo
    return cached("litter", key_of(inputs), lambda: {"albedo": _strewn(inputs)})["albedo"]


def _strewn(inputs: LitterInputs) -> NDArray[np.float32]:
    land, g = inputs.land, inputs.land.ground
    out = land.albedo.copy()
    for one in inputs.shedding:
        plants, colour = one.plants(land.slope), KINDS[one.stand.kind].sheds
        radius = max(CROWN * float(one.stand.height), g.spacing / 2)
        share = covered(land.albedo.shape[:2], (g.west, g.south, g.spacing), plants.position, plants.scale, radius)
        share *= inputs.amount * (1 - np.clip(2 * out[..., 3], 0, 1))  # none stays on wet ground
        out[..., :3] += (np.array(colour, np.float32) - out[..., :3]) * share[..., None]
        out[..., 5] *= 1 - 0.7 * share  # it lies between rocks, and over them
    return out.astype(np.float32)


def covered(
    shape: tuple[int, int],
    grid: tuple[float, float, float],
    at: NDArray[np.float64],
    size: NDArray[np.float64],
    radius: float,
) -> NDArray[np.float64]:
    """Share of the ground at each grid point that lies under crowns, from 0 to 1.

    Crowns that stand by chance leave open exp(-their area on an area of ground) (Beer and Lambert).

    Parameters
    ----------
    grid : (float, float, float) [m]
        West, south and spacing.
    at : ndarray, shape (n, 2 or more) [m]
    size : ndarray, shape (n,)
        Of each crown against ``radius`` [m].
    """
    west, south, spacing = grid
    i = np.clip(((at[:, 1] - south) / spacing).round().astype(int), 0, shape[0] - 1)
    j = np.clip(((at[:, 0] - west) / spacing).round().astype(int), 0, shape[1] - 1)
    crowns = np.zeros(shape)
    np.add.at(crowns, (i, j), np.pi * (radius * size) ** 2 / spacing**2)
    return np.asarray(1 - np.exp(-THICK * ndimage.gaussian_filter(crowns, 0.6 * radius / spacing)), float)
