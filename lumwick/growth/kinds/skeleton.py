"""How trees grow into their crown: each bud goes towards the free room about it, and a limb is as thick as what it
feeds.

References
----------
Branching: A. Runions, B. Lane and P. Prusinkiewicz, Modeling trees with a space colonization algorithm, Eurographics
Workshop on Natural Phenomena (2007). Thickness: the pipe model (K. Shinozaki et al. 1964), radii to a power add up, for
which 2 to 3 has been measured (C. Murray 1927; 2.3 is used). Crowns, leaves and the rest of a kind's habit are broad
practice.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from lumwick.growth.kinds.form import GOLDEN_DEG, Floats
from lumwick.growth.kinds.leaf import Half

Ints = NDArray[np.int64]
PIPE = 2.3
"""Power to which radii add up where a limb forks."""
STEPS, ROUNDS = 70, 150
"""Steps in a plant's height, and how many times all buds take one at most."""
TAKEN, FELT = 2.2, 14.0
"""Steps within which room is taken up, and within which a bud feels it."""
CLEARS_GROUND = 0.13
"""Share of its height over the ground at which hanging twigs end."""


@dataclass(frozen=True)
class Habit:
    """How a kind of tree grows; lengths are shares of its height.

    Attributes
    ----------
    crown : tuple of (height, radius)
        Its outline from below up: shares of the crown's own height, and of the plant's.
    bare : float
        Stem below the crown.
    leader : float
        How far up the stem goes on as one.
    stems : int
    room : int
        Spots of free room that are grown into.
    rises : float
        How much growth turns up, or down.
    hangs : float
        Length of the twigs that hang from its ends.
    tip : float [m]
        Radius of the last twig.
    reach : float
        Steps of growth over which a bud feels the free room about it.
    wanders : float
        How crooked its limbs grow.
    flare : float
        How much thicker its foot is.
    leaf, broad : float
        A leaf's length [m], and its width against that.
    cover : float
        Area of all its leaves over that of the ground under its crown.
    blunt : float
        Where along it a leaf is broadest, seen from far.
    outline : str
        Of a leaf, one of `lumwick.growth.kinds.leaf.HALVES`, or a needle.
    half : tuple of (along, width) or None
        An outline of one's own.
    clad : float
        Up to how many times as thick as the last one a twig bears leaves.
    spread : float
        How far leaves point away from their twig.
    most : int
        Leaves that are drawn at most, close by; where a kind has more, one that is drawn stands for some.
    longer : float
        How much of what a leaf that stands for some is larger by goes into its length: 1 as much as into its breadth.
    """

    crown: tuple[tuple[float, float], ...]
    bare: float
    leader: float
    stems: int = 1
    room: int = 2600
    rises: float = 0.15
    hangs: float = 0.0
    tip: float = 0.004
    flare: float = 1.5
    leaf: float = 0.08
    broad: float = 0.75
    cover: float = 2.4
    blunt: float = 0.5
    outline: str = "oval"
    half: Half | None = None
    clad: float = 2.5
    spread: float = 0.75
    most: int = 26_000
    longer: float = 1.0
    reach: float = FELT
    wanders: float = 0.12


@dataclass(frozen=True)
class Skeleton:
    """A grown plant's points: where they are, which one each grew from (-1 for a foot), radius [m], the limb that each
    belongs to (0 for stems), how far along it each lies from the stem, and from the foot [m]."""

    at: Floats
    parent: Ints
    radius: Floats
    limb: Ints
    out: Floats
    run: Floats


def _unit(way: Floats) -> Floats:
    return np.asarray(way / (np.linalg.norm(way, axis=1, keepdims=True) + 1e-9), float)


def _room(habit: Habit, height: float, rng: np.random.Generator) -> Floats:
    """Spots within the crown (n, 3), more towards its outside, where the light is."""
    shares, radii = np.array(habit.crown).T
    n = habit.room * 3
    f = rng.random(n)
    wide = np.interp(f, shares, radii)
    keep = rng.random(n) < (wide / radii.max()) ** 2
    f, wide = f[keep][: habit.room], wide[keep][: habit.room]
    r = wide * rng.random(len(f)) ** 0.4
    a = rng.random(len(f)) * 2 * np.pi
    # a crown is no solid of revolution
    r *= 0.93 + 0.14 * np.sin(2 * a + rng.random() * 6.3) + 0.09 * np.sin(3 * a + 5 * f + rng.random() * 6.3)
    z = habit.bare + (1 - habit.bare) * f
    return np.stack([r * np.cos(a), r * np.sin(a), z], 1) * height


def _stems(habit: Habit, height: float, rng: np.random.Generator) -> tuple[list[Floats], list[int]]:
    """The points of the stems from their feet up, and what each grew from."""
    step, points, parent = height / STEPS, list[Floats](), list[int]()
    for k in range(habit.stems):
        az = np.radians(GOLDEN_DEG * k) + rng.random()
        out = 0.0 if habit.stems == 1 else rng.uniform(0.25, 0.6)
        way = np.array([np.cos(az) * out, np.sin(az) * out, 1.0])
        at = np.array([np.cos(az), np.sin(az), 0.0]) * (0.0 if habit.stems == 1 else 0.012 * height)
        bend = rng.normal(size=2) * 0.05
        for i in range(max(2, round(habit.leader * STEPS * rng.uniform(0.95, 1.05)))):
            parent.append(len(points) - 1 if i else -1)
            points.append(at)
            bend = 0.93 * bend + rng.normal(size=2) * (0.012 if habit.leader > 0.8 else 0.025)
            back = at[:2] / (0.1 * height) if habit.stems == 1 else 0.0 * at[:2]
            way = way + [*(bend * 0.4 - 0.06 * way[:2] - 0.05 * back), 0.0]
            at = at + way / np.linalg.norm(way) * step
    return points, parent


def _colonize(habit: Habit, height: float, rng: np.random.Generator) -> tuple[Floats, Ints]:
    """Points and what each grew from, when all the crown's room is taken up."""
    points, parent = _stems(habit, height, rng)
    room, step = _room(habit, height, rng), height / STEPS
    at, grew = np.array(points), np.array(parent, np.int64)
    if habit.stems == 1:  # its crown lies about its own stem
        room[:, :2] += np.stack([np.interp(room[:, 2], at[:, 2], at[:, c]) for c in (0, 1)], 1)
    for round_ in range(ROUNDS):
        tree = cKDTree(at)
        reach = step * habit.reach * (2.5 if round_ < 12 else 1.0)
        far, nearest = tree.query(room, distance_upper_bound=reach)
        felt = np.isfinite(far)
        if not felt.any():
            break
        toward = (room[felt] - at[nearest[felt]]) / far[felt, None]
        buds, which = np.unique(nearest[felt], return_inverse=True)
        way = _unit(np.stack([np.bincount(which, toward[:, c], len(buds)) for c in range(3)], 1).astype(float))
        way = _unit(way + [0.0, 0.0, habit.rises] + rng.normal(size=way.shape) * habit.wanders)
        new = at[buds] + way * step
        close, _ = tree.query(new)
        fresh = close > 0.35 * step  # a bud that would grow back into its own wood rests
        if not fresh.any():
            break
        at, grew = np.concatenate([at, new[fresh]]), np.concatenate([grew, buds[fresh]])
        left, _ = cKDTree(new[fresh]).query(room, distance_upper_bound=step * TAKEN)
        room = room[~np.isfinite(left)]
        if not len(room):
            break
    return at, grew


def _hung(habit: Habit, height: float, at: Floats, grew: Ints, rng: np.random.Generator) -> tuple[Floats, Ints]:
    """The same with twigs that hang from its ends."""
    if habit.hangs <= 0:
        return at, grew
    ends = np.setdiff1d(np.arange(len(at)), grew)
    ends = ends[at[ends, 2] > (habit.bare + 0.15) * height]
    n, step = len(ends), height / STEPS * 1.6
    aside = at[ends, :2] / (np.linalg.norm(at[ends, :2], axis=1, keepdims=True) + 1e-6)
    length = habit.hangs * height * rng.uniform(0.4, 1.2, n)
    last, before = at[ends], ends
    for k in range(int(np.ceil(habit.hangs * height * 1.2 / step))):
        goes = (k + 1) * step <= length + step
        goes &= last[:, 2] > CLEARS_GROUND * height
        if not goes.any():
            break
        lean = 0.75 * np.exp(-k / 2.0)
        down = np.concatenate([aside * lean, np.full((n, 1), -1.0)], 1) + rng.normal(size=(n, 3)) * 0.07
        new = last + _unit(down) * step
        number = np.full(n, -1, np.int64)
        number[goes] = len(at) + np.arange(int(goes.sum()))
        at, grew = np.concatenate([at, new[goes]]), np.concatenate([grew, before[goes]])
        last, before = np.where(goes[:, None], new, last), np.where(goes, number, before)
        length = np.where(goes, length, -1.0)
    return at, grew


@lru_cache(96)
def skeleton(habit: Habit, height: float, seed: int) -> Skeleton:
    """A plant of a habit and a height [m], grown; each seed another."""
    rng = np.random.default_rng([seed, 5])
    at, grew = _colonize(habit, height, rng)
    at, grew = _hung(habit, height, at, grew, rng)
    n = len(at)
    # radii from the ends in: what grew later never feeds what grew before
    area = np.zeros(n)
    for k in range(n - 1, -1, -1):
        area[k] = max(area[k], habit.tip**PIPE)
        if grew[k] >= 0:
            area[grew[k]] += area[k]
    radius = area ** (1 / PIPE)
    main = _heirs(grew, radius)
    follows = np.zeros(n, bool)
    follows[main[main >= 0]] = True
    limb, out, run, stem = np.zeros(n, np.int64), np.zeros(n), np.zeros(n), np.zeros(n, bool)
    limbs = 0
    smooth = at.copy()
    for k in range(n):
        p = grew[k]
        if p < 0:
            stem[k] = True
            continue
        step = float(np.linalg.norm(at[k] - at[p]))
        run[k] = run[p] + step
        stem[k] = stem[p] and follows[k] and radius[k] > 0.3 * radius[0]
        if not stem[k]:
            if stem[p]:
                limbs += 1
            limb[k] = limbs if stem[p] else limb[p]
            out[k] = out[p] + step
    inner = np.flatnonzero((grew >= 0) & (main >= 0))
    for _ in range(2):
        smooth[inner] = 0.5 * smooth[inner] + 0.25 * (smooth[grew[inner]] + smooth[main[inner]])
    foot = np.exp(-smooth[:, 2] / (0.03 * height))
    return Skeleton(smooth, grew, radius * (1 + (habit.flare - 1) * foot * stem), limb, out, run)


def _heirs(grew: Ints, radius: Floats) -> Ints:
    """For each point the thickest of those that grew from it, or -1."""
    main = np.full(len(grew), -1, np.int64)
    order = np.argsort(radius, kind="stable")
    grown = order[grew[order] >= 0]
    main[grew[grown]] = grown  # the last written is the thickest
    return main


def chains(bones: Skeleton) -> list[Ints]:
    """Its limbs as rows of points, each from what it grew from to its end, the thickest way on."""
    main = _heirs(bones.parent, bones.radius)
    follows = np.zeros(len(main), bool)
    follows[main[main >= 0]] = True
    out = []
    for k in np.flatnonzero(~follows):
        row = [] if bones.parent[k] < 0 else [int(bones.parent[k])]
        at = int(k)
        while at >= 0:
            row.append(at)
            at = int(main[at])
        if len(row) > 1:
            out.append(np.array(row))
    return out
