"""Broad-leaved growth: branching limbs (radii by da Vinci's rule) under rounded leaves, on one stem or several."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lumwick.growth.kinds.form import GOLDEN_DEG, Builder, Floats, Form, Leaves, Limb, point_at, spray

SIDES = (9, 5, 4, 3)
"""Of a limb's tube, by its order; with them go the points along it."""
POINTS = (7, 4, 4, 4)
DRAWN = (4, 2, 1)
"""Orders of limbs that are drawn, by level."""
FROM_STEM, FROM_LIMB = (0.28, 0.45), (0.3, 0.75)
"""From which share of it on limbs grow, and how much of its direction they keep."""
LEAVES = (5, 2, 2)
"""At a spot, by level, and the factor of their size."""
LEAF_SIZE = (1.0, 1.65, 3.2)


@dataclass
class Growth:
    """A plant in the making.

    Attributes
    ----------
    children : tuple of int
        How many limbs grow from one of each order.
    spots : list of (where, which way, weight, group)
        Of leaves.
    """

    builder: Builder
    level: int
    children: tuple[int, int, int]
    spots: list[tuple[Floats, Floats, float, int]] = field(default_factory=list)
    groups: int = 1

    def limb(self, limb: Limb, radius: float, order: int, weight: float, group: int) -> None:
        """A limb with all that grows from it; the limbs of a stem each move by themselves."""
        rng, k = self.builder.rng, POINTS[order]
        path = limb.path(k, rng)
        s = np.linspace(0, 1, k)
        gain = 0.0 if order == 0 else 0.5  # of the weight along a limb: a stem does not go with the branches
        if order < DRAWN[self.level]:
            thick = np.maximum(radius * (1 - 0.65 * s), 0.0035)
            self.builder.tube(path, thick, SIDES[order] - (2 if self.level else 0), weight + s * gain, group)
        if order >= 2:
            for q in np.linspace(0.25, 1, 7):
                where = path[0] + (path[-1] - path[0]) * q
                self.spots.append((where, limb.direction, float(weight + 0.5 * q), group))
        count = self.children[order] if order < 3 else 0
        lowest, rise = FROM_STEM if order == 0 else FROM_LIMB
        for i in range(count):
            f = lowest + (1 - lowest) * (i + rng.uniform(0, 0.8)) / count
            start = point_at(f, s, path)
            az = np.radians(GOLDEN_DEG * i + rng.normal() * 15)
            out = np.array([np.cos(az), np.sin(az), 0.0])
            d = limb.direction * rise + out * rng.uniform(0.6, 1.0) + np.array([0, 0, 0.22])
            d /= np.linalg.norm(d)
            # squares of the children's radii add up to the parent's
            r = radius * (1 - 0.65 * f) * np.sqrt(1.0 / count) * 1.25
            shorter = 0.52 * (1.15 - 0.75 * f * f) if order == 0 else 0.5
            child = Limb(start, d, limb.length * shorter * rng.uniform(0.75, 1.2), limb.lift, limb.wobble)
            own = group
            if order == 0:
                own, self.groups = self.groups, self.groups + 1
            self.limb(child, r, order + 1, weight + gain * f, own)


def make(height: float, seed: int, level: int = 0, stems: int = 1) -> Form:
    """A tree of a height [m], or with several stems a shrub."""
    rng = np.random.default_rng([seed, 2])
    growth = Growth(Builder(rng), level, (13, 6, 5) if stems == 1 else (6, 5, 3))
    for i in range(stems):
        az = np.radians(GOLDEN_DEG * i)
        out = 0.0 if stems == 1 else rng.uniform(0.25, 0.95)
        spread = np.array([np.cos(az) * out + rng.normal() * 0.05, np.sin(az) * out + rng.normal() * 0.05, 1.0])
        length = height * (0.88 if stems == 1 else rng.uniform(0.6, 0.95))
        growth.limb(Limb(np.zeros(3), spread / np.linalg.norm(spread), length, 0.12, 0.16), 0.017 * height, 0, 0.0, 0)
    spots = growth.spots[:: 3 if level == 2 else 1]
    n = LEAVES[level]
    axes = spray(rng, np.array([direction for _, direction, _, _ in spots]) + [0, 0, -0.25], n, 0.75)
    size = rng.uniform(0.06, 0.10, len(axes)) * LEAF_SIZE[level] * (1.0 if stems == 1 else 0.6)
    leaves = Leaves(
        np.repeat(np.array([where for where, *_ in spots]), n, 0) + rng.normal(size=(len(axes), 3)) * 0.05,
        axes,
        size,
        size * 0.8,
        np.repeat([weight for _, _, weight, _ in spots], n),
        np.repeat([group for *_, group in spots], n),
    )
    growth.builder.leaves(leaves, 0.35, blunt=0.55)
    return growth.builder.form(growth.groups)
