"""A part of the stage: one child scene and where it is placed."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from lumwick.trace import embree

IDENTITY = np.array([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], np.float32)
LOOK = 30
"""Numbers that tell the kernel how a part looks: see `lumwick.trace.world.World`."""


def plain_look(albedo_rgb: tuple[float, ...] | NDArray[np.float64] = (0.0, 0.0, 0.0)) -> NDArray[np.float64]:
    """The look of a part of one matt colour."""
    look = np.zeros(LOOK)
    look[:3] = albedo_rgb
    look[26:] = 1.0
    return look


def digest(*things: Any) -> str:
    """A hash of documents and plain values, for knowing whether something must be made again."""
    h = hashlib.sha256()
    for thing in things:
        if isinstance(thing, BaseModel):
            h.update(thing.model_dump_json().encode())
        elif isinstance(thing, np.ndarray):
            h.update(thing.tobytes())
        elif isinstance(thing, list):
            h.update(digest(*thing).encode())
        else:
            h.update(repr(thing).encode())
        h.update(b"|")
    return h.hexdigest()


@dataclass
class Part:
    """Many placements of one child scene.

    Attributes
    ----------
    transforms : ndarray of float32, shape (n, 12)
        3x4 column-major: the three axes, then the position [m].
    shade : ndarray of float32, shape (n,)
        Each placement's own number from 0 to 1.
    look : ndarray, shape (LOOK,)
    cut : ndarray of int64, shape (3,)
        Quads at which the surface changes.
    tone : ndarray of float32 or None
        A brightness for each quad.
    """

    kind: int
    child: embree.Scene
    transforms: NDArray[np.float32] = field(default_factory=lambda: IDENTITY[None].copy())
    shade: NDArray[np.float32] = field(default_factory=lambda: np.zeros(1, np.float32))
    look: NDArray[np.float64] = field(default_factory=plain_look)
    cut: NDArray[np.int64] = field(default_factory=lambda: np.full(3, 2**40, np.int64))
    tone: NDArray[np.float32] | None = None
    mask: int = embree.MASK_SOLID
