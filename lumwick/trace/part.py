"""A part of the stage: one child scene and where it is placed."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumwick.trace import embree
from lumwick.trace.records import MATERIAL

IDENTITY = np.array([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], np.float32)
"""A placement at the origin, unturned."""


def matt_material(albedo: tuple[float, ...] | NDArray[np.float64] = (0.0, 0.0, 0.0)) -> NDArray[np.void]:
    """The material of a part of one matt colour."""
    material = np.zeros((), MATERIAL)
    material["base"] = albedo
    return material


@dataclass
class Part:
    """Many placements of one child scene.

    Attributes
    ----------
    transforms : ndarray of float32, shape (n, 12)
        3x4 column-major: the three axes, then the position [m].
    shade : ndarray of float32, shape (n,)
        Each placement's own number from 0 to 1.
    material : record, shape ()
        `lumwick.trace.records.MATERIAL`, or PLANT_LOOK of a plant.
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
    material: NDArray[np.void] = field(default_factory=matt_material)
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


def boxes(parts: list[Part], most: int = 24) -> NDArray[np.float32]:
    """Upright boxes round placed parts, shape (n, 6): least and greatest coordinates [m]; one round all if they are
    many."""
    out = []
    for part in parts:
        ends = part.child.bounds()
        corners = np.array([[ends[i, 0], ends[j, 1], ends[k, 2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
        axes = part.transforms.reshape(-1, 4, 3)
        placed = np.einsum("cj,njk->nck", corners, axes[:, :3]) + axes[:, 3][:, None]
        out.append(np.concatenate([placed.min(1) - 0.01, placed.max(1) + 0.01], 1))
    whole = np.concatenate(out).astype(np.float32) if out else np.zeros((0, 6), np.float32)
    return whole if len(whole) <= most else np.concatenate([whole[:, :3].min(0), whole[:, 3:].max(0)])[None]
