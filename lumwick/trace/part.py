"""A part of the stage: one child scene and where it is placed."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumwick.trace import embree
from lumwick.trace.records import SURFACE

IDENTITY = np.array([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], np.float32)
"""A placement at the origin, unturned."""


def plain_look(albedo: tuple[float, ...] | NDArray[np.float64] = (0.0, 0.0, 0.0)) -> NDArray[np.void]:
    """The look of a part of one matt colour."""
    look = np.zeros((), SURFACE)
    look["base"] = albedo
    return look


@dataclass
class Part:
    """Many placements of one child scene.

    Attributes
    ----------
    transforms : ndarray of float32, shape (n, 12)
        3x4 column-major: the three axes, then the position [m].
    shade : ndarray of float32, shape (n,)
        Each placement's own number from 0 to 1.
    look : record, shape ()
        `lumwick.trace.records.SURFACE`, or PLANT_LOOK of a plant.
    cut : ndarray of int64, shape (3,)
        Quads at which the surface changes.
    tone : ndarray of float32 or None
        A brightness for each quad.
    thing, surfaces : str and tuple of four str
        Names, for mattes.
    surface : str
        Id of the place's surface that it has, if any.
    """

    kind: int
    child: embree.Scene
    transforms: NDArray[np.float32] = field(default_factory=lambda: IDENTITY[None].copy())
    shade: NDArray[np.float32] = field(default_factory=lambda: np.zeros(1, np.float32))
    look: NDArray[np.void] = field(default_factory=plain_look)
    cut: NDArray[np.int64] = field(default_factory=lambda: np.full(3, 2**40, np.int64))
    tone: NDArray[np.float32] | None = None
    mask: int = embree.MASK_SOLID
    thing: str = "ground"
    surfaces: tuple[str, ...] = ("ground",) * 4
    surface: str = ""

    def mesh(self) -> tuple[NDArray[np.float32], NDArray[np.uint32]]:
        """Its own vertices as they stand now, shape (n, 3), and faces, shape (m, 3) or (m, 4)."""
        return self.child.geometries[0].vertices, self.child.geometries[0].faces

    def corners_in_place(self) -> NDArray[np.float64]:
        """Corners of the triangles of all its placements, shape (n, 3, 3) [m]."""
        vertices, faces = self.mesh()
        m = self.transforms.astype(float)
        placed = np.einsum("vj,njk->nvk", vertices.astype(float), m[:, :9].reshape(-1, 3, 3)) + m[:, None, 9:]
        return np.asarray(placed[:, faces].reshape(-1, 3, 3))
