"""Models with fewer triangles: positions by edge collapse, textures and normals from where they were.

References
----------
M. Garland and P. Heckbert, Surface simplification using quadric error metrics, SIGGRAPH 1997; by fast-simplification.
"""

from __future__ import annotations

from dataclasses import replace

import fast_simplification
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import KDTree

from lumwick.built.meshes import Mesh, MeshPart
from lumwick.errors import PlaceError

MANY = 1_000_000
"""Triangles from which a model is offered with fewer (practice: they cost memory and time before a picture)."""
LEAST = 4
"""Triangles that a part keeps at least."""
ASIDE = 0.02
"""By which a corner is moved to its triangle's middle before it is looked for: so it is found on its own side of a seam
and of an edge."""

Floats = NDArray[np.float64]


def moves_by_itself(name: str) -> str:
    """Why a model that its own file moves is not reduced."""
    return f"{name} moves by itself, which reducing would lose: leave its triangles as they are."


def triangles_of(mesh: Mesh) -> int:
    """How many triangles a model has."""
    return sum(len(part.triangles) for part in mesh.parts)


def reduced(mesh: Mesh, to: int) -> Mesh:
    """A model of about so many triangles, each part by its share.

    Raises
    ------
    PlaceError
        It has no more than that, or fewer are asked than its parts must have.
    """
    have = triangles_of(mesh)
    if to >= have:
        raise PlaceError(f"It has {have:,} triangles, which is no more than {to:,}.")
    if to < LEAST * len(mesh.parts):
        raise PlaceError(f"Its {len(mesh.parts)} parts need {LEAST * len(mesh.parts)} triangles at least.")
    return replace(mesh, parts=tuple(_reduced(part, max(LEAST, round(len(part.triangles) * to / have)))
                                     for part in mesh.parts))  # fmt: skip


def _reduced(part: MeshPart, to: int) -> MeshPart:
    if len(part.triangles) <= to:
        return part
    corners = part.vertices[part.triangles.astype(np.int64)].reshape(-1, 3)
    spots, which = np.unique(corners, axis=0, return_inverse=True)
    faces = which.reshape(-1, 3)
    faces = faces[(faces != np.roll(faces, 1, axis=1)).all(1)]
    v, t = fast_simplification.simplify(spots.astype(np.float32), faces.astype(np.int32), target_count=to)
    if not len(t):
        return part
    v, t = np.asarray(v, float), np.asarray(t, np.int64)
    found, weights = _found(part, v, t)
    uv = None if part.uv is None else np.einsum("nk,nkc->nc", weights, part.uv[found].astype(float)).reshape(-1, 3, 2)
    normals = None
    if part.normals is not None:
        normals = np.einsum("nk,nkc->nc", weights, part.normals[found].astype(float))
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        normals = normals.reshape(-1, 3, 3).astype(np.float32)
    return replace(
        part,
        vertices=v.astype(np.float32),
        triangles=t.astype(np.uint32),
        uv=None if uv is None else uv.astype(np.float32),
        normals=normals,
    )


def _found(part: MeshPart, v: Floats, t: NDArray[np.int64]) -> tuple[NDArray[np.int64], Floats]:
    """For each corner of new triangles the old triangle it lies on (3 n,), and its weights there (3 n, 3)."""
    old = part.vertices[part.triangles.astype(np.int64)].astype(float)
    corner = v[t]
    spot = (corner + ASIDE * (corner.mean(1, keepdims=True) - corner)).reshape(-1, 3)
    _, near = KDTree(old.mean(1)).query(spot, k=min(4, len(old)), workers=2)
    near = near.reshape(len(spot), -1)
    best, weights, least = near[:, 0], np.full((len(spot), 3), 1 / 3), np.full(len(spot), np.inf)
    for column in near.T:
        w = _weights(old[column], spot)
        away = np.linalg.norm(np.einsum("nk,nkc->nc", w, old[column]) - spot, axis=1)
        closer = away < least
        best, least = np.where(closer, column, best), np.minimum(away, least)
        weights = np.where(closer[:, None], w, weights)
    return best, weights


def _weights(triangle: Floats, spot: Floats) -> Floats:
    """Barycentric weights (n, 3) of spots on triangles (n, 3, 3), those outside at the nearest edge or so."""
    a, b = triangle[:, 1] - triangle[:, 0], triangle[:, 2] - triangle[:, 0]
    p = spot - triangle[:, 0]
    aa, ab, bb = (np.einsum("nc,nc->n", x, y) for x, y in ((a, a), (a, b), (b, b)))
    pa, pb = np.einsum("nc,nc->n", p, a), np.einsum("nc,nc->n", p, b)
    d = np.maximum(aa * bb - ab * ab, 1e-30)
    w = np.stack([(bb * pa - ab * pb) / d, (aa * pb - ab * pa) / d], 1)
    w = np.clip(np.concatenate([1 - w.sum(1, keepdims=True), w], 1), 0, None)
    return np.asarray(w / np.maximum(w.sum(1, keepdims=True), 1e-30))
