"""Grass, as one tuft or as a square patch: curling blades in clumps, and a share of dry stalks."""

from __future__ import annotations

import numpy as np

from lumwick.growth.kinds.form import LEAF, PLUME, Builder, Form, feet
from lumwick.growth.kinds.kind import Kind


def make(
    height: float, seed: int, level: int = 0, side: float = 0.0, density: float = 1.0, dry_share: float = 0.07
) -> Form:
    """Grass of a height [m], as one tuft or as a square patch (see `lumwick.growth.kinds.reed.make`)."""
    rng = np.random.default_rng([seed, 4])
    b = Builder(rng)
    each = (380, 120, 40)[level]
    at = feet(rng, side, density, each // 20, 0.55)
    at = np.repeat(at, 20, 0) + rng.normal(size=(len(at) * 20, 2)) * 0.085
    if side:
        at = np.mod(at + side / 2, side) - side / 2
    n, k = len(at), (4, 3, 2)[level]
    h = height * rng.uniform(0.4, 1.1, n) * (1 + 0.25 * np.sin(at[:, 0] * 5.1 + seed) * np.sin(at[:, 1] * 4.3))
    dry = rng.random(n) < dry_share
    # far off a level top, so that rays that skim a meadow do not enter every patch
    h = np.where(dry, h * 1.25, h) if level < 2 else np.minimum(h, 0.9 * height)
    az = rng.uniform(0, 2 * np.pi, n)
    out = np.stack([np.cos(az), np.sin(az), np.zeros(n)], 1)
    curl = np.where(dry, 0.12, rng.uniform(0.15, 0.8, n))
    q = np.linspace(0, 1, k)
    foot = np.concatenate([at, np.full((n, 1), -0.05 if side else -0.02)], 1)
    path = (
        foot[:, None]
        + out[:, None] * (h * curl)[:, None, None] * (q**2)[None, :, None]
        + np.array([0, 0, 1.0]) * (h[:, None] * (q - 0.35 * curl[:, None] * q**2.5))[..., None]
    )
    width = (
        (np.array([0.0055, 0.0125, 0.036])[level] * rng.uniform(0.7, 1.3, n))[:, None]
        * np.maximum(1 - q**1.6, 0.08)
        * np.where(dry, 0.55, 1.0)[:, None]
    )
    across = np.stack([-out[:, 1], out[:, 0], np.zeros(n)], 1)[:, None] * (width / 2)[..., None]
    group = 1 + np.arange(n) % 40
    for surface, chosen in ((LEAF, ~dry), (PLUME, dry)):
        b.ribbons(path[chosen], across[chosen], surface, np.broadcast_to(q**1.6, (int(chosen.sum()), k)), group[chosen])
    return b.form(41, (1, k - 1, 1, k - 1))


KIND = Kind(
    maker=make,
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
    dark_root=True,
    patch=2.0,
    clearings=0.12,
)
