"""Flowers of meadows and heaths: stems with leaves, under a head of petals or a spike; a tuft, or a patch."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.growth.kinds.form import (
    BARK,
    GOLDEN_DEG,
    LEAF,
    PLUME,
    STALK,
    Builder,
    Floats,
    Form,
    Grows,
    Leaves,
    feet,
)
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.leaf import HALVES
from lumwick.growth.kinds.seasons import Turn, flowering

STEM_POINTS = (4, 3, 2)
FEWER = (1.0, 0.6, 0.3)
"""Of leaves, petals and spike flowers, by level; they are as much larger for it."""
Told = tuple[NDArray[np.int64], Floats]
"""The group of each stem, and where it stands (n, 2)."""
Along = Callable[[Floats], Floats]
"""Points (n, m, 3) at shares (n, m) of each stem."""
HEAD = 6
"""Sides of the middle of a head."""


@dataclass(frozen=True)
class Herb:
    """How a kind of flower stands; lengths in metres.

    Attributes
    ----------
    stems : int
        Of a tuft.
    spread : float
        How far they stand from its middle.
    leaves : int
        On a stem.
    leaf, broad : float
        A leaf's length, and its width against that.
    outline : str
        Of leaves.
    petals : int
        Of a head; 0 for a spike.
    petal, petal_broad : float
        A petal's length, and its width against that.
    petal_outline : str
    opens : float [degrees]
        How far petals lie from the stem's own way: 90 is flat.
    middle : float
        Radius of the middle of a head.
    spike : int
        Flowers on the upper part of a stem.
    spike_from : float
        Share of the stem from which they stand.
    crooked : float
        How far stems lean apart, as a slope.
    thick : float
        Half a stem's width.
    woody : bool
        Whether its stems are bark.
    """

    stems: int = 7
    spread: float = 0.3
    leaves: int = 7
    leaf: float = 0.07
    broad: float = 0.3
    outline: str = "lance"
    petals: int = 0
    petal: float = 0.03
    petal_broad: float = 0.9
    petal_outline: str = "spoon"
    opens: float = 55.0
    middle: float = 0.008
    spike: int = 0
    spike_from: float = 0.55
    crooked: float = 0.14
    thick: float = 0.0013
    woody: bool = False


def make(
    herb: Herb,
    height: float,
    seed: int,
    level: int = 0,
    side: float = 0.0,
    density: float = 1.0,
    dry_share: float = 0.0,
) -> Form:
    """A flower of a height [m], as one tuft or as a square patch (see `lumwick.growth.kinds.reed.make`)."""
    rng = np.random.default_rng([seed, 8])
    b = Builder(rng)
    at = feet(rng, side, density, herb.stems, herb.spread)
    n, k = len(at), STEM_POINTS[level]
    h = height * rng.uniform(0.6, 1.08, n)
    lean, group = rng.normal(size=(n, 2)) * herb.crooked, 1 + np.arange(n) % 40
    foot = np.concatenate([at, np.full((n, 1), -0.03)], 1)

    def along(s: Floats) -> Floats:
        """Points (n, m, 3) at shares (n, m) of each stem."""
        rise = [lean[:, None] * (h[:, None] * s**1.5)[..., None], (h[:, None] * s)[..., None]]
        return np.asarray(foot[:, None] + np.concatenate(rise, -1), float)

    s = np.broadcast_to(np.linspace(0, 1, k), (n, k))
    th = rng.uniform(0, np.pi, n)
    facing = np.stack([np.cos(th), np.sin(th), np.zeros(n)], 1)
    thick = herb.thick * (1.0, 2.0, 4.5)[level] * (1 - 0.4 * s)
    b.ribbons(along(s), facing[:, None] * thick[..., None], BARK if herb.woody else STALK, s**1.4, group)
    strips = _leaves(b, herb, along, (group, at), level)
    petals = _heads(b, herb, along, (group, at), level) if herb.petals else _spikes(b, herb, along, (group, at), level)
    return b.form(41, (1, strips, k - 1, petals))


def _about(rng: np.random.Generator, stems: int, each: int) -> Floats:
    """Which ways leaves stand about their stems, one after another up each, shape (stems each, 3): every one a golden
    angle on from that below it, within some degrees."""
    a = rng.uniform(0, 2 * np.pi, (stems, 1)) + np.radians(GOLDEN_DEG * np.arange(each))
    a = (a + rng.normal(size=a.shape) * STRAYS).ravel()
    return np.stack([np.cos(a), np.sin(a), np.zeros(len(a))], 1)


STRAYS = 0.12
"""By which a leaf strays from its place about the stem [rad] (practice)."""


def _leaves(b: Builder, herb: Herb, along: Along, told: Told, level: int) -> int:
    """Leaves along the stems, larger below; how many quads make one."""
    group, at = told
    each = max(1, round(herb.leaves * FEWER[level]))
    n = len(group)
    share = (np.arange(each) + b.rng.random((n, each))) / each * (1.0 if herb.spike else 0.7)
    base, which = along(share).reshape(-1, 3), np.repeat(np.arange(n), each)
    size = (herb.leaf * (herb.leaves / each) ** 0.5 * (1.25 - share) * b.rng.uniform(0.7, 1.2, share.shape)).ravel()
    axis = _about(b.rng, n, each) + [0.0, 0.0, 0.55]
    leaves = Leaves(base, axis, size, size * herb.broad, share.ravel() ** 1.4, group[which],
                    0.55 * share.ravel() + 0.15, at[which])  # fmt: skip
    return b.leaves(leaves, 0.25, LEAF, half=HALVES[herb.outline] if level == 0 else None)


def _heads(b: Builder, herb: Herb, along: Along, told: Told, level: int) -> int:
    """A head of petals on every stem, facing up and a little aside; how many quads make a petal."""
    group, at = told
    n = len(group)
    top, under = along(np.ones((n, 1)))[:, 0], along(np.full((n, 1), 0.93))[:, 0]
    way = top - under
    way = way / np.linalg.norm(way, axis=1, keepdims=True) + b.rng.normal(size=(n, 3)) * 0.22
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    first = np.cross(way, [1.0, 0.3, 0.1])
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    second = np.cross(way, first)
    each = max(3, round(herb.petals * FEWER[level]))
    a = 2 * np.pi * (np.arange(each) / each) + b.rng.uniform(0, 6.3, (n, 1))
    out = np.cos(a)[..., None] * first[:, None] + np.sin(a)[..., None] * second[:, None]
    open_ = np.radians(herb.opens + b.rng.normal(size=(n, each)) * 7)
    axis = (np.sin(open_)[..., None] * out + np.cos(open_)[..., None] * way[:, None]).reshape(-1, 3)
    which = np.repeat(np.arange(n), each)
    size = herb.petal * b.rng.uniform(0.85, 1.1, len(which))
    petals = Leaves(
        np.repeat(top, each, 0) + out.reshape(-1, 3) * herb.middle * 0.5,
        axis,
        size,
        size * herb.petal_broad * herb.petals / each,
        np.full(len(which), 1.05),
        group[which],
        0.78,
        at[which],
    )
    across = np.cross(axis, np.repeat(way, each, 0))
    half = HALVES[herb.petal_outline] if level == 0 else None
    quads = b.leaves(petals, 0.12, PLUME, blunt=0.6, half=half, side=across)
    if level < 2:
        _middles(b, herb.middle, top, (way, first, second), told)
    return quads


def _middles(b: Builder, radius: float, top: Floats, axes: tuple[Floats, Floats, Floats], told: Told) -> None:
    """A small dome of BARK on every head."""
    (way, first, second), (group, at) = axes, told
    n = len(top)
    a = 2 * np.pi * np.arange(HEAD) / HEAD
    ring = np.cos(a)[None, :, None] * first[:, None] + np.sin(a)[None, :, None] * second[:, None]
    v = np.concatenate([top[:, None] + ring * radius, (top + way * radius * 0.7)[:, None]], 1)
    i = np.arange(0, HEAD, 2)
    one = np.stack([i, i + 1, (i + 2) % HEAD, np.full(len(i), HEAD)], 1)
    quads = (one[None] + (HEAD + 1) * np.arange(n)[:, None, None]).reshape(-1, 4)
    k = HEAD + 1
    grows = Grows(np.repeat(top, k, 0), np.full(n * k, 0.75), 0.0, np.repeat(at, k, 0))
    b.add(v.reshape(-1, 3), quads, BARK, np.full(n * k, 1.05), np.repeat(group, k), grows=grows)


def _spikes(b: Builder, herb: Herb, along: Along, told: Told, level: int) -> int:
    """Small flowers all about the upper part of every stem."""
    group, at = told
    n, each = len(group), max(2, round(herb.spike * FEWER[level]))
    share = herb.spike_from + (1 - herb.spike_from) * (np.arange(each) + b.rng.random((n, each))) / each
    which = np.repeat(np.arange(n), each)
    larger = (herb.spike / each) ** 0.6
    size = herb.petal * larger * b.rng.uniform(0.7, 1.2, len(which)) * (1.3 - 0.5 * share.ravel())
    axis = _about(b.rng, n, each) + [0.0, 0.0, 0.25]
    leaves = Leaves(along(share).reshape(-1, 3), axis, size, size * herb.petal_broad, share.ravel() ** 1.4,
                    group[which], 0.6 + 0.2 * share.ravel(), at[which])  # fmt: skip
    return b.leaves(leaves, 0.15, PLUME, blunt=0.6)


def _kind(herb: Herb, **more: Any) -> Kind:
    usual: dict[str, Any] = dict(
        maker=make,
        blades=herb,
        bark=(0.2, 0.15, 0.05),
        stalk=(0.10, 0.13, 0.045),
        compliance=0.0052,
        branch_hz=2.1,
        branch_reach=0.0026,
        leaf_reach=0.01,
        reaches=(12, 40, 170),
        root=0.75,
        patch=2.0,
        clearings=0.3,
    )
    return Kind(**{**usual, **more})


HEATHER = _kind(
    Herb(stems=150, spread=0.42, leaves=16, leaf=0.026, broad=0.3, spike=18, spike_from=0.5, petal=0.014,
         petal_broad=0.85, crooked=0.38, thick=0.0012, woody=True),
    bark=(0.10, 0.075, 0.06),
    leaf=(0.058, 0.075, 0.030),
    through=(0.035, 0.048, 0.015),
    plume=(0.33, 0.135, 0.27),
    compliance=0.0018,
    branch_hz=3.0,
    branch_reach=0.0012,
    turns=(
        Turn(1.0, (0.070, 0.062, 0.036), 1.0, 0.35),
        Turn(5.0, None, 1.0, 0.1),
        Turn(7.6, None, 1.0, 0.6),
        Turn(8.5),
        Turn(9.6, None, 1.0, 0.8),
        Turn(11.0, (0.072, 0.064, 0.036), 1.0, 0.4),
    ),
)  # fmt: skip
POPPY = _kind(
    Herb(stems=5, spread=0.3, leaves=7, leaf=0.10, broad=0.4, outline="lobed", petals=4, petal=0.038, petal_broad=1.15,
         opens=58, middle=0.007, crooked=0.12),
    bark=(0.03, 0.035, 0.02),
    leaf=(0.072, 0.112, 0.042),
    through=(0.075, 0.118, 0.028),
    plume=(0.56, 0.035, 0.012),
    turns=flowering(5.6, 7.6),
)  # fmt: skip
OXEYE = _kind(
    Herb(stems=8, spread=0.26, leaves=8, leaf=0.055, broad=0.32, outline="toothed", petals=18, petal=0.021,
         petal_broad=0.30, petal_outline="oval", opens=84, middle=0.0085, crooked=0.13),
    bark=(0.55, 0.36, 0.02),
    leaf=(0.066, 0.105, 0.030),
    through=(0.070, 0.115, 0.020),
    plume=(0.70, 0.70, 0.68),
    said="oxeye daisy",
    turns=flowering(5.4, 8.2),
)  # fmt: skip
CORNFLOWER = _kind(
    Herb(stems=6, spread=0.24, leaves=10, leaf=0.085, broad=0.11, outline="lance", petals=9, petal=0.023,
         petal_broad=0.55, opens=62, middle=0.006, crooked=0.12),
    bark=(0.10, 0.035, 0.18),
    leaf=(0.090, 0.118, 0.062),
    through=(0.080, 0.110, 0.040),
    plume=(0.075, 0.115, 0.62),
    turns=flowering(5.8, 8.4),
)  # fmt: skip
