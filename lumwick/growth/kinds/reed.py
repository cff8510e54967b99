"""Common reed: stiff stems, long leaves held to one side, and feathery heads on some; a tuft, or a patch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.growth.kinds.form import LEAF, PLUME, STALK, Builder, Floats, Form, Leaves, feet
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import REEDY

STEMS = (34, 17, 7)
"""In a tuft, by level; so are the points of stems, the leaves on each, how much broader all is drawn, and the leaflets
of a head with the factors of their length and width."""
STEM_POINTS = (4, 3, 2)
STEM_LEAVES = (4, 3, 2)
BROADER = (1.0, 1.5, 3.2)
LEAFLETS = (20, 6, 2)
LEAFLET_LENGTH = (1.0, 1.2, 1.6)
LEAFLET_WIDTH = (1.0, 2.4, 5.5)


@dataclass(frozen=True)
class Stems:
    """The stems of a tuft or patch.

    Attributes
    ----------
    foot : ndarray, shape (n, 3)
    height : ndarray, shape (n,) [m]
    lean : ndarray, shape (n, 2)
        As a slope.
    group : ndarray of int64, shape (n,)
    """

    foot: Floats
    height: Floats
    lean: Floats
    group: NDArray[np.int64]

    def along(self, s: Floats) -> Floats:
        """Points (n, k, 3) at shares (n, k) of each stem."""
        h = self.height[:, None]
        rise = [self.lean[:, None] * (h * s**1.6)[..., None], (h * s * (1 - 0.03 * s))[..., None]]
        return np.asarray(self.foot[:, None] + np.concatenate(rise, -1), float)


def make(
    _: None, height: float, seed: int, level: int = 0, side: float = 0.0, density: float = 1.0, dry_share: float = 0.07
) -> Form:
    """Reeds of a height [m].

    Parameters
    ----------
    side : float [m]
        Of a square patch; 0 makes one tuft.
    density : float [1/m2]
        Tufts on a square metre of a patch.
    dry_share : float
        Share of the leaves that are dry.
    """
    rng = np.random.default_rng([seed, 3])
    b = Builder(rng)
    at = feet(rng, side, density, STEMS[level], 0.55)
    n, k = len(at), STEM_POINTS[level]
    foot = np.concatenate([at, np.full((n, 1), -0.05 if side else 0.0)], 1)
    groups = min(n, 40)
    stems = Stems(foot, height * rng.uniform(0.62, 1.05, n), rng.normal(size=(n, 2)) * 0.09, 1 + np.arange(n) % groups)
    s = np.broadcast_to(np.linspace(0, 1, k), (n, k))
    th = rng.uniform(0, np.pi, n)
    facing = np.stack([np.cos(th), np.sin(th), np.zeros(n)], 1)
    thick = 0.0045 * BROADER[level] * (1 - 0.5 * s)
    b.ribbons(stems.along(s), facing[:, None] * thick[..., None], STALK, s**1.6, stems.group)
    for leaf in range(STEM_LEAVES[level]):
        _leaves(b, stems, leaf / STEM_LEAVES[level], level, min(height / 1.8, 1.3), (seed, dry_share))
    _heads(b, stems, seed, level)
    return b.form(groups + 1, (1, 2, k - 1, 1))


def _leaves(b: Builder, stems: Stems, share: float, level: int, size: float, kind: tuple[int, float]) -> None:
    """One leaf on every stem, from ``share`` of where leaves are; ``kind`` is the seed that says to which side all
    are held, and the share that is dry."""
    rng, n = b.rng, len(stems.height)
    seed, dry_share = kind
    q = np.linspace(0, 1, 3)
    at = 0.28 + 0.55 * (share + rng.uniform(0, 1, n) / STEM_LEAVES[level])
    az = rng.normal(size=n) * 0.9 + seed
    out = np.stack([np.cos(az), np.sin(az), np.zeros(n)], 1)
    length = (rng.uniform(0.28, 0.5, n) * size)[:, None]
    path = (
        stems.along(at[:, None])
        + out[:, None] * (length * q * (0.55 + 0.3 * q))[..., None]
        + np.array([0, 0, 1.0]) * (length * (0.75 * q - 0.75 * q**2.4))[..., None]
    )
    side = np.stack([out[:, 1], -out[:, 0], np.zeros(n)], 1)
    across = side[:, None] * (0.010 * BROADER[level] * np.array([0.7, 1.0, 0.12]))[None, :, None]
    weight = at[:, None] ** 1.6 + 0.25 * q
    dry = rng.random(n) < dry_share
    for surface, chosen in ((LEAF, ~dry), (STALK, dry)):
        b.ribbons(path[chosen], across[chosen], surface, weight[chosen], stems.group[chosen], stems.foot[chosen, :2])


def _heads(b: Builder, stems: Stems, seed: int, level: int) -> None:
    """Feathery heads on some of the stems, hanging to the side that the leaves are held to."""
    rng, n = b.rng, len(stems.height)
    headed = np.flatnonzero(rng.random(n) < 0.45)
    stem = np.repeat(headed, LEAFLETS[level])
    m = len(stem)
    axis = (
        np.stack([stems.lean[stem, 0], stems.lean[stem, 1], np.ones(m)], 1)
        + rng.normal(size=(m, 3)) * 0.20
        + np.array([0.42 * np.cos(seed), 0.42 * np.sin(seed), 0])
    )
    top = stems.along(np.ones((n, 1)))[stem, 0] - np.array([0, 0, 1.0]) * rng.uniform(0, 0.16, m)[:, None]
    leaflets = Leaves(
        top,
        axis,
        rng.uniform(0.05, 0.13, m) * LEAFLET_LENGTH[level],
        np.full(m, 0.007 * LEAFLET_WIDTH[level]),
        np.full(m, 1.1),
        stems.group[stem],
        0.75,
        stems.foot[stem, :2],
    )
    b.leaves(leaflets, 0.12, PLUME, blunt=0.6)


KIND = Kind(
    maker=make,
    bark=(0.2, 0.16, 0.08),
    leaf=(0.115, 0.150, 0.042),
    through=(0.110, 0.155, 0.030),
    stalk=(0.25, 0.225, 0.10),
    plume=(0.20, 0.165, 0.12),
    compliance=0.0045,
    branch_hz=1.1,
    branch_reach=0.0050,
    leaf_reach=0.0020,
    reaches=(20, 75, 700),
    root=0.72,
    patch=2.4,
    wades=0.5,
    clearings=0.12,
    turns=REEDY,
)
