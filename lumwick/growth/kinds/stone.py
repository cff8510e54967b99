"""Loose stones: blocks that broke along planes and wore round at their edges, half sunk."""

from __future__ import annotations

from typing import Any

import numpy as np

from lumwick.growth.kinds.form import BARK, Builder, Floats, Form
from lumwick.growth.kinds.kind import Kind

SIDES = (40, 14, 5)
"""Quads along each edge of the cube that it is made from, by level."""
BREAKS = 11
"""Planes along which a stone broke."""
SUNK = 0.28
"""Share of its height that lies in the ground."""
WORN = 0.032
"""How far its edges are worn round, against its size."""


def _ball(n: int) -> tuple[Floats, np.ndarray]:
    """Directions (m, 3) over a sphere by a cube's faces, and quads between them."""
    t = np.tan(np.linspace(-np.pi / 4, np.pi / 4, n + 1))
    u, v = np.meshgrid(t, t, indexing="ij")
    one = np.ones_like(u)
    points, quads, count = [], [], 0
    i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
    first = (i * (n + 1) + j).ravel()
    face = np.stack([first, first + n + 1, first + n + 2, first + 1], 1)
    for sides in ((one, u, v), (-one, v, u), (v, one, u), (u, -one, v), (u, v, one), (v, u, -one)):
        points.append(np.stack([s.ravel() for s in sides], 1))
        quads.append(face + count)
        count += len(points[-1])
    every = np.concatenate(points)
    return every / np.linalg.norm(every, axis=1, keepdims=True), np.concatenate(quads)


def make(habit: Any, height: float, seed: int, level: int = 0) -> Form:
    """A stone of a height over the ground [m], at a level of detail; it has no habit."""
    rng = np.random.default_rng([seed, 9])
    way, quads = _ball(SIDES[level])
    size = np.array([rng.uniform(1.0, 1.5), rng.uniform(0.8, 1.15), rng.uniform(0.62, 0.9)])
    normal = rng.normal(size=(BREAKS, 3))
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    far = rng.uniform(0.55, 0.95, BREAKS)
    # how far it reaches each way: to the nearest plane, edges worn by a soft least
    toward = np.maximum(way @ normal.T, 1e-3)
    reach = -WORN * np.log(np.exp(-np.minimum(far / toward, 1.05) / WORN).sum(1) + np.exp(-1.05 / WORN))
    # pits and swellings by a few waves over it, fewer as it is seen from further off
    for octave in range(6 - 2 * level):
        k = 3.0 * 2.1**octave
        phase, axes = rng.uniform(0, 2 * np.pi, 6), rng.normal(size=(6, 3))
        axes /= np.linalg.norm(axes, axis=1, keepdims=True)
        reach = reach + 0.075 * 0.56**octave * np.sin(k * (way @ axes.T) + phase).mean(1)
    v = way * np.maximum(reach, 0.2)[:, None] * size
    v = v / np.ptp(v[:, 2]) * height / (1 - SUNK)
    v[:, 2] -= v[:, 2].min() + SUNK * height / (1 - SUNK)
    b = Builder(rng)
    b.add(v, quads, BARK, np.zeros(len(v)), 0)
    return b.form(1)


KIND = Kind(
    maker=make,
    bark=(0.180, 0.166, 0.148),
    leaf=(0.1, 0.1, 0.1),
    through=(0.0, 0.0, 0.0),
    stalk=(0.1, 0.1, 0.1),
    plume=(0.1, 0.1, 0.1),
    compliance=0.0,
    branch_hz=1.0,
    branch_reach=0.0,
    leaf_reach=0.0,
    reaches=(14, 60, 900),
    said="loose stones",
    wades=0.8,
    clearings=0.5,
)
