"""Trees drawn by their skeletons: tubes of limbs, and as much leaf as their habit says."""

from __future__ import annotations

import numpy as np

from lumwick.growth.kinds.form import BARK, Builder, Floats, Form, Grows, Leaves, rings, spray
from lumwick.growth.kinds.leaf import HALVES, Half, area
from lumwick.growth.kinds.skeleton import STEPS, Habit, Ints, Skeleton, chains, skeleton

SIDES = ((9, 6, 4, 3), (6, 4, 3, 3), (4, 3, 3, 3))
"""Of a limb's tube, by level and by how thick it is: the stem, limbs, branches and twigs."""
THICK = (0.35, 0.12, 0.035)
"""Shares of the foot's radius down to which it counts as stem, limb and branch."""
THINNEST = (0.0, 0.13, 0.3)
"""Share of the foot's radius under which nothing is drawn, by level."""
LEAVES = (1.0, 0.38, 0.10)
"""Share of the leaves that is drawn, by level; they are as much larger for it."""
GROWN, LEAFED = 0.62, 0.10
"""Share of its growing by which a plant's wood has reached its ends, and how long its leaves come after a twig."""


def _tubes(b: Builder, bones: Skeleton, height: float, level: int, foot: float) -> None:
    """Draw limbs, those of as many sides at once."""
    rows: dict[int, list[tuple[Ints, Floats]]] = {}
    for row in chains(bones):
        radius = bones.radius[row].copy()
        radius[0] = min(radius[0], radius[1] * 1.15)  # it sets out as thick as itself, not as what it grew from
        size = float(radius[0]) / foot
        if size < THINNEST[level]:
            continue
        sides = SIDES[level][int(np.searchsorted(-np.array(THICK), -size))]
        rows.setdefault(sides, []).append((row, radius))
    for sides, some in rows.items():
        at = np.concatenate([bones.at[row] for row, _ in some])
        radius = np.concatenate([r for _, r in some])
        weight = np.concatenate([_weight(bones, row, height) for row, _ in some])
        birth = np.repeat(np.concatenate([_birth(bones, row) for row, _ in some]), sides)
        twig = np.repeat(np.concatenate([_twig(bones, row, height) for row, _ in some]), sides)
        group = np.concatenate([bones.limb[row] for row, _ in some])
        number = np.concatenate([np.full(len(row), k) for k, (row, _) in enumerate(some)])
        ahead, behind = np.roll(at, -1, 0), np.roll(at, 1, 0)
        last, first = number != np.roll(number, -1), number != np.roll(number, 1)
        last[-1] = first[0] = True
        way = np.where(last[:, None], at, ahead) - np.where(first[:, None], at, behind)
        vertices = rings(at, way, radius, sides)
        i, j = np.meshgrid(np.flatnonzero(~last), np.arange(sides), indexing="ij")
        j2 = (j + 1) % sides
        quads = np.stack([i * sides + j, i * sides + j2, (i + 1) * sides + j2, (i + 1) * sides + j], -1).reshape(-1, 4)
        b.add(
            vertices,
            quads,
            BARK,
            np.repeat(weight, sides),
            np.repeat(group, sides),
            grows=Grows(np.repeat(at, sides, 0), birth),
            twig=twig,
        )


def _weight(bones: Skeleton, which: Ints, height: float) -> Floats:
    """How far points go with their limb: not at all at the stem, wholly some way out."""
    return np.minimum(1.5, bones.out[which] / (0.22 * height))


TWIG = 0.06
"""Length of the end of a limb that is its twig, against the plant's height (practice)."""


def _twig(bones: Skeleton, row: Ints, height: float) -> Floats:
    """How far the points of a limb go with its twig: only its thin end does, and it not where the limb begins."""
    run = bones.run[row] - bones.run[row[0]]
    return np.asarray(np.clip((run - max(run[-1] - TWIG * height, 0.0)) / (TWIG * height), 0, 1) ** 1.5, float)


def half_of(habit: Habit, level: int) -> Half | None:
    """The outline that its leaves are drawn by; needles are plain, and what is seen from far."""
    return None if level else habit.half or HALVES.get(habit.outline)


def _leaves(habit: Habit, height: float, level: int) -> tuple[float, float, float]:
    """How many leaves are drawn, how long and how broad they are [m], to cover as much as all of them."""
    half = half_of(habit, level)
    own = area(half) if half else 0.5
    under = np.pi * (max(radius for _, radius in habit.crown) * height) ** 2
    wanted = habit.cover * under / (habit.leaf**2 * habit.broad * own)
    drawn = max(min(wanted, habit.most) * LEAVES[level], 1.0)
    larger = max(wanted, 1.0) / drawn
    long = larger ** (0.5 * habit.longer)
    return float(drawn), float(habit.leaf * long), float(habit.leaf * habit.broad * larger / long)


def _birth(bones: Skeleton, which: Ints) -> Floats:
    """When points grow: stem, branches, twigs, as far as they lie from the foot along the wood."""
    return np.asarray(GROWN * bones.run[which] / max(float(bones.run.max()), 1e-9), float)


def make(habit: Habit, height: float, seed: int, level: int = 0) -> Form:
    """A tree or a shrub of a habit and a height [m], at a level of detail."""
    bones = skeleton(habit, round(float(height), 4), seed)
    rng = np.random.default_rng([seed, 6, level])
    b = Builder(rng)
    foot = float(bones.radius[0]) / habit.flare
    _tubes(b, bones, height, level, foot)
    twig_at = np.zeros(len(bones.at))
    for row in chains(bones):
        twig_at[row[1:]] = _twig(bones, row, height)[1:]
    # leaves stand on twigs: the last points of each limb
    counts = np.bincount(bones.parent[bones.parent >= 0], minlength=len(bones.at))
    twig = bones.radius < habit.clad * habit.tip
    ends = np.flatnonzero(twig & ((counts == 0) | (rng.random(len(counts)) < 0.75)))
    lot, length, wide = _leaves(habit, height, level)
    where = np.repeat(ends, np.floor(lot / max(len(ends), 1) + rng.random(len(ends))).astype(np.int64))
    way = bones.at[where] - bones.at[np.maximum(bones.parent[where], 0)]
    droop = [0.0, 0.0, -0.3 if habit.hangs > 0 else -0.12]
    step = height / STEPS
    axes = spray(rng, way / step + droop, 1, habit.spread)
    own = rng.uniform(0.75, 1.2, len(where))
    size = length * own
    base = (
        bones.at[where] - way * rng.random((len(where), 1)) + rng.normal(size=(len(where), 3)) * 0.3 * min(length, 0.25)
    )
    base[:, 2] = np.maximum(base[:, 2], size + 0.03)  # none reaches into the ground
    leaves = Leaves(
        base,
        axes,
        size,
        wide * own,
        _weight(bones, where, height),
        bones.limb[where],
        _birth(bones, where) + LEAFED,
        twig=twig_at[where],
    )
    quads = b.leaves(leaves, 0.35, blunt=habit.blunt, half=half_of(habit, level))
    return b.form(int(bones.limb.max()) + 1, (1, quads, 1, 1))
