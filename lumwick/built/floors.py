"""Models as they are set down, and what of them can be walked on: floors, ramps and stairs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from lumwick.built.meshes import Mesh, read_mesh
from lumwick.built.shapes import mesh_of_shape
from lumwick.place.fields import Asset
from lumwick.place.growing import OwnPlant
from lumwick.place.objects import Thing

Read = Callable[[Asset], bytes]

STEEPEST = 50.0
"""Degrees that a floor may slope to be walked on (stairs' treads are level)."""
HEADROOM = 0.3
"""Metres over the eye's own height that a floor may lie to be stepped on."""
CELL = 0.5


def placement(thing: Thing, north_turn: float) -> NDArray[np.float64]:
    """A model's placement, 3x4: what it does to the model's own coordinates [m]."""
    a = np.radians(thing.turn + north_turn)
    c, s = np.cos(a), np.sin(a)
    turned = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
    if thing.tilt or thing.lean:
        turned = turned @ Rotation.from_euler("XY", [thing.tilt, thing.lean], degrees=True).as_matrix()
    return np.column_stack([thing.scale * turned, [thing.east, thing.north, thing.up]])


def model_of(read: Read, thing: Thing) -> Mesh:
    """A thing's model, or its own shape as one.

    Raises
    ------
    PlaceError
        Its file cannot be used.
    """
    if thing.shape is not None:
        return mesh_of_shape(thing.shape)
    return mesh_of(read, thing)


def mesh_of(read: Read, of: Thing | OwnPlant) -> Mesh:
    """The model of a thing or a plant that is one, from its file.

    Raises
    ------
    PlaceError
        The file cannot be used.
    """
    assert of.mesh is not None
    y_up = {"by the file": None, "y up": True, "z up": False}[of.upright]
    return read_mesh(read(of.mesh), of.mesh.name, y_up)


@dataclass(frozen=True)
class Walkable:
    """Triangles that can be walked on, shape (m, 3, 3) [m], sorted into squares of the plan."""

    corners: NDArray[np.float64]
    west: float
    south: float
    across: int
    start: NDArray[np.int64]
    which: NDArray[np.int64]

    def height(self, x: NDArray[np.float64], y: NDArray[np.float64], below: NDArray[np.float64]) -> NDArray[np.float64]:
        """Highest floor (n,) [m] under heights ``below`` (n,); minus infinity where there is none."""
        out = np.full(len(x), -np.inf)
        if not len(self.corners):
            return out
        rows = len(self.start) // self.across
        # most are asked of models that are nowhere near: without any work
        if x.max() < self.west or y.max() < self.south:
            return out
        if x.min() > self.west + self.across * CELL or y.min() > self.south + rows * CELL:
            return out
        i, j = np.floor((x - self.west) / CELL).astype(np.int64), np.floor((y - self.south) / CELL).astype(np.int64)
        there = (i >= 0) & (j >= 0) & (i < self.across) & (j < rows)
        cell = np.where(there, j * self.across + i, 0)
        count = np.where(there, self.start[np.minimum(cell + 1, len(self.start) - 1)] - self.start[cell], 0)
        if not count.any():
            return out
        point = np.repeat(np.arange(len(x)), count)
        offset = np.arange(len(point)) - np.repeat(np.cumsum(count) - count, count)
        a, b, c = np.moveaxis(self.corners[self.which[self.start[cell[point]] + offset]], 1, 0)
        d = (b[:, 1] - c[:, 1]) * (a[:, 0] - c[:, 0]) + (c[:, 0] - b[:, 0]) * (a[:, 1] - c[:, 1])
        px, py = x[point] - c[:, 0], y[point] - c[:, 1]
        u = ((b[:, 1] - c[:, 1]) * px + (c[:, 0] - b[:, 0]) * py) / d
        v = ((c[:, 1] - a[:, 1]) * px + (a[:, 0] - c[:, 0]) * py) / d
        z = u * a[:, 2] + v * b[:, 2] + (1 - u - v) * c[:, 2]
        on = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (z <= below[point])
        np.maximum.at(out, point[on], z[on])
        return out


def walkable_of(mesh: Mesh, m: NDArray[np.float64]) -> Walkable:
    """What of a model, set down by a placement (3, 4), can be walked on."""
    corners = (
        np.concatenate([part.vertices[part.triangles].astype(float) for part in mesh.parts]) @ m[:, :3].T + m[:, 3]
    )
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(normal, axis=1)
    corners = corners[(size > 1e-12) & (np.abs(normal[:, 2]) >= np.cos(np.radians(STEEPEST)) * size)]
    if not len(corners):
        return Walkable(corners, 0.0, 0.0, 1, np.zeros(2, np.int64), np.zeros(0, np.int64))
    low, high = corners[:, :, :2].min(1), corners[:, :, :2].max(1)
    west, south = low.min(0) - 1e-6
    first, last = (np.floor((v - [west, south]) / CELL).astype(np.int64) for v in (low, high))
    across, rows = (int(v) + 1 for v in last.max(0))
    wide, tall = (last - first + 1).T
    owner = np.repeat(np.arange(len(corners)), wide * tall)
    k = np.arange(len(owner)) - np.repeat(np.cumsum(wide * tall) - wide * tall, wide * tall)
    cell = (first[owner, 1] + k // wide[owner]) * across + first[owner, 0] + k % wide[owner]
    order = np.argsort(cell, kind="stable")
    start = np.searchsorted(cell[order], np.arange(across * rows + 1))
    return Walkable(corners, float(west), float(south), across, start.astype(np.int64), owner[order])


def walked_on(
    floor: NDArray[np.float64],
    models: Sequence[Walkable],
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    eye: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Height that one stands on who comes with the eye at a height: a model's floor under it, or the floor there is."""
    out = np.array(floor, float)
    for model in models:
        out = np.maximum(out, model.height(x, y, eye + HEADROOM))
    return out
