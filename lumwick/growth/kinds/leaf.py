"""Outlines of leaves, as a few quads each, and leaves laid out by them.

A leaf lies along x from 0 to 1, as broad as 1 across y, folded a little along its midrib and drooping to its tip. The
outlines are practice: drawn by eye after common leaves.
"""

from __future__ import annotations

import itertools
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Half = tuple[tuple[float, float], ...]
"""How broad a half of a leaf is along it: shares of its length, and of its breadth; nothing at both ends."""
HALVES: dict[str, Half] = {
    "oval": ((0.0, 0.0), (0.28, 0.44), (0.72, 0.44), (1.0, 0.0)),
    "egg": ((0.0, 0.0), (0.18, 0.46), (0.5, 0.44), (1.0, 0.0)),
    "lance": ((0.0, 0.0), (0.3, 0.48), (0.6, 0.4), (1.0, 0.0)),
    "heart": ((-0.06, 0.0), (0.08, 0.5), (0.5, 0.4), (1.0, 0.0)),
    "spoon": ((0.0, 0.0), (0.5, 0.36), (0.8, 0.48), (1.0, 0.0)),
    "lobed": ((0.0, 0.0), (0.24, 0.46), (0.46, 0.17), (0.7, 0.48), (1.0, 0.0)),
    "toothed": ((0.0, 0.0), (0.22, 0.48), (0.44, 0.33), (0.56, 0.42), (1.0, 0.0)),
}
"""Outlines by name."""
FOLD, DROOP = 0.16, 0.12
"""How far the sides stand up over the midrib, against the breadth; and the tip hangs, against the length."""


@lru_cache(64)
def outline(half: Half) -> tuple[Floats, NDArray[np.int64]]:
    """Points (k, 3) and quads (m, 4) of a leaf of this half outline of three points or more.

    Each half is cut across at every point but its second and its last but one, so that a lobe is one quad.
    """
    along, wide = np.array(half, float).T
    n = len(along)
    rib = np.stack([along, 0 * along, -DROOP * along**2], 1)
    left = rib + np.stack([0 * along, wide, FOLD * wide], 1)
    right = rib + np.stack([0 * along, -wide, FOLD * wide], 1)
    cuts = [0, *range(2, n - 2), n - 1] if n > 3 else [0, n - 1]
    quads = []
    for a, b in itertools.pairwise(cuts):
        between = [k for k in range(a, b + 1) if wide[k] > 0][-2:] if b - a > 1 or a else [a, b]
        first, second = (between[0], between[-1]) if between else (a, b)
        quads += [[a, n + first, n + second, b], [a, b, 2 * n + second, 2 * n + first]]
    return np.concatenate([rib, left, right]), np.array(quads, np.int64)


def area(half: Half) -> float:
    """A leaf's area, against its length by its breadth."""
    along, wide = np.array(half, float).T
    return float(2 * np.trapezoid(wide, along))
