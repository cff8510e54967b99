"""Grass, as one tuft or as a square patch: curling blades in clumps, a share of dry stalks, and heads on some."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.growth.kinds.form import LEAF, PLUME, STALK, Builder, Floats, Form, Leaves, feet
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import GRASSY

POINTS = (4, 3, 2)
"""Along a blade, by level; and how much broader all is drawn, and the spikelets of a head."""
BROADER = (1.0, 2.27, 6.5)
SPIKELETS = (14, 5, 2)


@dataclass(frozen=True)
class Blades:
    """How a kind of grass stands.

    Attributes
    ----------
    tuft : tuple of int
        Blades of a tuft, by level.
    bunch : int
        Of them, how many stand together in a clump.
    spread, tight : float [m]
        How far clumps stand from the tuft's middle, and blades from their clump's.
    lengths : tuple of float
        Shortest and longest, against its height.
    curl : tuple of float
        How far a blade bends over: 0 is straight.
    width : float [m]
    taper : float
        How soon a blade narrows: large keeps it broad to near its tip.
    lean : float
        To one side, as a slope.
    headed : float
        Share of the blades that stand up and bear a head.
    """

    tuft: tuple[int, int, int] = (380, 120, 40)
    bunch: int = 20
    spread: float = 0.55
    tight: float = 0.085
    lengths: tuple[float, float] = (0.4, 1.1)
    curl: tuple[float, float] = (0.15, 0.8)
    width: float = 0.0055
    taper: float = 1.6
    lean: float = 0.0
    headed: float = 0.0


def make(
    blades: Blades,
    height: float,
    seed: int,
    level: int = 0,
    side: float = 0.0,
    density: float = 1.0,
    dry_share: float = 0.07,
) -> Form:
    """Grass of a height [m], as one tuft or as a square patch (see `lumwick.growth.kinds.reed.make`)."""
    rng = np.random.default_rng([seed, 4])
    b = Builder(rng)
    bunch = max(1, min(blades.bunch, blades.tuft[level]))
    at = feet(rng, side, density, max(1, blades.tuft[level] // bunch), blades.spread)
    at = np.repeat(at, bunch, 0) + rng.normal(size=(len(at) * bunch, 2)) * blades.tight
    if side:
        at = np.mod(at + side / 2, side) - side / 2
    n, k = len(at), POINTS[level]
    low, high = blades.lengths
    h = height * rng.uniform(low, high, n) * (1 + 0.25 * np.sin(at[:, 0] * 5.1 + seed) * np.sin(at[:, 1] * 4.3))
    dry = rng.random(n) < dry_share
    headed = ~dry & (rng.random(n) < blades.headed)
    h = np.where(headed, height * rng.uniform(0.9, 1.15, n), h)
    # far off a level top, so that rays that skim a meadow do not enter every patch
    h = np.where(dry, h * 1.25, h) if level < 2 else np.minimum(h, 0.9 * height)
    az = rng.uniform(0, 2 * np.pi, n)
    out = np.stack([np.cos(az), np.sin(az), np.zeros(n)], 1)
    curl = np.where(dry | headed, 0.12, rng.uniform(*blades.curl, n))
    leans = np.array([np.cos(seed), np.sin(seed), 0.0]) * blades.lean
    q = np.linspace(0, 1, k)
    foot = np.concatenate([at, np.full((n, 1), -0.05 if side else -0.02)], 1)
    path = (
        foot[:, None]
        + (out * (h * curl)[:, None] + leans * h[:, None])[:, None] * (q**2)[None, :, None]
        + np.array([0, 0, 1.0]) * (h[:, None] * (q - 0.35 * curl[:, None] * q**2.5))[..., None]
    )
    width = (
        (blades.width * BROADER[level] * rng.uniform(0.7, 1.3, n))[:, None]
        * np.maximum(1 - q**blades.taper, 0.08)
        * np.where(dry | headed, 0.55, 1.0)[:, None]
    )
    across = np.stack([-out[:, 1], out[:, 0], np.zeros(n)], 1)[:, None] * (width / 2)[..., None]
    group = 1 + np.arange(n) % 40
    for surface, chosen in ((LEAF, ~dry & ~headed), (PLUME, dry), (STALK, headed)):
        b.ribbons(path[chosen], across[chosen], surface, np.broadcast_to(q**1.6, (int(chosen.sum()), k)), group[chosen])
    if headed.any():
        _heads(b, path[headed], group[headed], at[headed], level)
    return b.form(41, (1, k - 1, 1, 1 if blades.headed else k - 1))


def _heads(b: Builder, path: Floats, group: NDArray[np.int64], foot: Floats, level: int) -> None:
    """Loose heads of spikelets on the upper part of stalks (n, k, 3)."""
    each = SPIKELETS[level]
    which = np.repeat(np.arange(len(path)), each)
    tip, before = path[which, -1], path[which, -2]
    way = tip - before
    way /= np.linalg.norm(way, axis=1, keepdims=True) + 1e-9
    n = len(which)
    leaflets = Leaves(
        tip - way * (b.rng.random(n) * 0.13)[:, None],
        way + b.rng.normal(size=(n, 3)) * 0.35,
        b.rng.uniform(0.018, 0.045, n) * (1.0, 1.3, 2.2)[level],
        np.full(n, 0.0045) * (1.0, 2.0, 5.0)[level],
        np.full(n, 1.0),
        group[which],
        0.7,
        foot[which],
    )
    b.leaves(leaflets, 0.1, PLUME, blunt=0.5)


KIND = Kind(
    maker=make,
    blades=Blades(),
    bark=(0.2, 0.16, 0.08),
    leaf=(0.098, 0.128, 0.036),
    through=(0.105, 0.150, 0.027),
    stalk=(0.2, 0.2, 0.1),
    plume=(0.27, 0.225, 0.115),
    compliance=0.0060,
    branch_hz=2.0,
    branch_reach=0.0022,
    leaf_reach=0.0,
    reaches=(14, 45, 170),
    root=0.72,
    patch=2.0,
    clearings=0.12,
    turns=GRASSY,
)
MARRAM = Kind(
    maker=make,
    blades=Blades(
        tuft=(260, 90, 34), bunch=65, spread=0.42, tight=0.055, lengths=(0.55, 1.1), curl=(0.1, 0.5), width=0.0042,
        taper=2.6, lean=0.16,
    ),
    bark=(0.2, 0.16, 0.08),
    leaf=(0.125, 0.145, 0.062),
    through=(0.075, 0.098, 0.030),
    stalk=(0.24, 0.21, 0.11),
    plume=(0.31, 0.26, 0.145),
    compliance=0.0046,
    branch_hz=2.2,
    branch_reach=0.0024,
    leaf_reach=0.0,
    reaches=(14, 45, 190),
    root=0.8,
    patch=2.0,
    clearings=0.28,
    turns=GRASSY,
)  # fmt: skip
MEADOW = Kind(
    maker=make,
    said="meadow grasses",
    blades=Blades(
        tuft=(400, 120, 40), bunch=12, spread=0.56, tight=0.12, lengths=(0.25, 0.85), curl=(0.1, 0.7), width=0.0048,
        headed=0.16,
    ),
    bark=(0.2, 0.16, 0.08),
    leaf=(0.085, 0.126, 0.034),
    through=(0.098, 0.150, 0.026),
    stalk=(0.17, 0.175, 0.075),
    plume=(0.235, 0.185, 0.125),
    compliance=0.0066,
    branch_hz=1.8,
    branch_reach=0.0028,
    leaf_reach=0.01,
    reaches=(14, 45, 190),
    root=0.66,
    patch=2.0,
    clearings=0.1,
    turns=GRASSY,
)  # fmt: skip
