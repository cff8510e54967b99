"""Plants that keep apart, and plants on a model's faces."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from lumwick.errors import PlaceError
from lumwick.growth.compiled import kept_apart
from lumwick.growth.plants import Plants, no_plants, too_many
from lumwick.land.ground import Ground
from lumwick.place.growing import PLANTS_AT_MOST, Stand

CHOICE = 5.0
"""How many more spots than are wanted plants that keep apart are chosen from."""


def spaced_out(points: NDArray[np.float64], rank: NDArray[np.float64], least: float) -> NDArray[np.bool_]:
    """Which of some points (n, 2) are kept so that no two lie nearer than ``least`` [m]: those of the lowest ``rank``
    (n,) first (R. Cook 1986, dart throwing)."""
    if not len(points):
        return np.zeros(0, bool)
    cell = np.floor((points - points.min(0)) / least).astype(np.int64)[:, ::-1]
    high, wide = (int(v) + 1 for v in cell.max(0))
    if high * wide > 40_000_000:  # so far apart that hardly any two can meet
        return np.ones(len(points), bool)
    return np.asarray(kept_apart(np.ascontiguousarray(points), np.argsort(rank), float(least), cell, wide, high))


def between(ground: Ground, x: NDArray[np.float64], y: NDArray[np.float64], upright: float) -> NDArray[np.float64]:
    """Ways to stand (n, 3) between out from the ground (0) and upright (1)."""
    i = np.clip(((y - ground.south) / ground.spacing).round().astype(int), 0, ground.heights.shape[0] - 1)
    j = np.clip(((x - ground.west) / ground.spacing).round().astype(int), 0, ground.heights.shape[1] - 1)
    return turned_up(ground.normals()[i, j].astype(float), upright)


def turned_up(normal: NDArray[np.float64], upright: float) -> NDArray[np.float64]:
    up = normal * (1 - upright) + np.array([0.0, 0.0, 1.0]) * upright
    size = np.linalg.norm(up, axis=1, keepdims=True)
    return np.where(size > 1e-6, up / np.maximum(size, 1e-9), normal)


def on_faces(stand: Stand, faces: NDArray[np.float64] | None) -> Plants:
    """Plants on a model's faces: as many on a square metre as the stand says, on those that are not too steep;
    where any slope will do, on overhanging ones too."""
    if faces is None or not len(faces):
        raise PlaceError(f"{stand.name} grows on a model that has no faces, or is not there: choose another.")
    normal = np.cross(faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0])
    area = np.linalg.norm(normal, axis=1) / 2
    normal = normal / np.maximum(2 * area, 1e-12)[:, None]
    middle = faces.mean(1)
    steep = np.degrees(np.arccos(np.clip(normal[:, 2], -1, 1)))
    keep = (area > 1e-10) & ((steep <= stand.slope_most) | (stand.slope_most >= 90)) & (middle[:, 2] >= stand.lowest)
    keep &= middle[:, 2] <= stand.highest
    faces, normal, area = faces[keep], normal[keep], area[keep]
    number = float(area.sum()) * stand.per_hectare / 1e4
    if number > PLANTS_AT_MOST:
        raise PlaceError(too_many(stand, number))
    rng = np.random.Generator(np.random.Philox(key=[stand.seed, 23]))
    n = int(number * (CHOICE if stand.spaced > 0 else 1.0) + rng.random())
    if n == 0 or not len(faces):
        return no_plants()
    which = np.searchsorted(np.cumsum(area) / area.sum(), rng.random(n))
    which = np.minimum(which, len(area) - 1)
    a, b = np.sqrt(rng.random(n)), rng.random(n)
    share = np.stack([1 - a, a * (1 - b), a * b], 1)
    at = np.einsum("ij,ijk->ik", share, faces[which])
    draw = rng.random((n, 5))
    if stand.spaced > 0:
        tree, kept = cKDTree(at), np.zeros(n, bool)
        gone = np.zeros(n, bool)
        for k in np.argsort(draw[:, 0]):
            if not gone[k]:
                kept[k] = True
                gone[tree.query_ball_point(at[k], stand.spaced)] = True
        chosen = np.flatnonzero(kept)[: int(number + 0.5)]
        at, which, draw = at[chosen], which[chosen], draw[chosen]
    tall = np.clip(1 + stand.variation * (draw[:, 1] + draw[:, 2] - 1) * 1.7, 0.25, 2.0)
    up = turned_up(normal[which], 0.0 if stand.upright is None else stand.upright)
    return Plants(at, draw[:, 3] * 2 * np.pi, tall, draw[:, 4], up)
