"""A leaf of one's own by a picture: its outline and its colour, read off the picture.

A stand has a hundred thousand leaves; drawn by an outline of a few corners they cost what its kind's cost, and have no
edges of a cut-out. The picture shows one leaf, its stalk below and its tip above, on nothing or on one even colour.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.errors import PlaceError

Floats = NDArray[np.float64]
LEAF_SIDE = 1024
"""Pixels of a leaf's picture, on its longer side, that are looked at."""
POINTS = 9
"""By how many points half of its outline is told."""
APART = 0.12
"""How far a colour code lies from the background's to be leaf (0 to 1; practice)."""
LEAST = 12
"""Pixels that a leaf is long, at least."""
STALK = 0.06
"""Share of its greatest breadth under which it is stalk, and no part of the blade."""


class LeafRead(NamedTuple):
    """What a picture of a leaf says: its outline as `WoodForm.own_outline` writes it, its breadth against its length,
    and its colour as #rrggbb."""

    outline: str
    broad: float
    colour: str


def read_leaf(pixels: Floats) -> LeafRead:
    """A leaf's outline and colour from a picture of it.

    Parameters
    ----------
    pixels : ndarray, shape (height, width, 4)
        RGBA codes from 0 to 1.

    Raises
    ------
    PlaceError
        No leaf can be told from its background.
    """
    leaf = pixels[..., 3] > 0.5
    if leaf.mean() > 0.98:  # on a background: that of the picture's rim
        rim = np.concatenate([pixels[0], pixels[-1], pixels[:, 0], pixels[:, -1]])[:, :3]
        leaf = np.abs(pixels[..., :3] - np.median(rim, axis=0)).max(-1) > APART
    parts, count = ndimage.label(ndimage.binary_fill_holes(leaf))
    if not count:
        raise PlaceError("No leaf is seen in this picture: it takes one leaf on nothing, or on one even colour.")
    sizes = ndimage.sum_labels(leaf, parts, np.arange(1, count + 1))
    whole = parts == 1 + int(np.argmax(sizes))
    wide = whole.sum(1).astype(float)
    blade = np.flatnonzero(wide > STALK * wide.max())
    top, bottom = int(blade[0]), int(blade[-1])
    long = bottom - top + 1
    if long < LEAST or whole.mean() > 0.98:
        raise PlaceError("No leaf is seen in this picture: it takes one leaf on nothing, or on one even colour.")
    # from its base below to its tip above, at the middles of rows
    along = (bottom - np.arange(top, bottom + 1) + 0.5) / long
    half = wide[top : bottom + 1] / wide.max() / 2
    at = np.linspace(0, 1, POINTS)
    value = np.interp(at, along[::-1], half[::-1])
    value[[0, -1]] = np.where(value[[0, -1]] < 0.12, 0.0, value[[0, -1]])
    outline = ", ".join(f"{a:.4g} {v:.3g}" for a, v in zip(at, value, strict=True))
    seen = whole & leaf
    mean = (pixels[..., :3][seen] ** 2.2).mean(0) ** (1 / 2.2)
    colour = "#" + "".join(f"{round(float(c) * 255):02x}" for c in mean)
    return LeafRead(outline, round(float(np.clip(wide.max() / long, 0.02, 2)), 3), colour)
