"""What the integrator needs of a textured triangle besides its corners' places."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.built.meshes import MeshPart
from lumwick.trace.records import CORNER


def corners(part: MeshPart) -> NDArray[np.void] | None:
    """Texture coordinates, normals, the way of growing u and texture widths of each triangle, shape (m,).

    None if it has neither coordinates nor normals.
    """
    if part.uv is None and part.normals is None:
        return None
    m = len(part.triangles)
    out = np.zeros(m, CORNER)
    p = part.vertices[part.triangles].astype(float)
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    cross = np.cross(a, b)
    area = np.linalg.norm(cross, axis=1)
    if part.normals is not None:
        out["normal"] = part.normals.reshape(m, 3, 3)
    else:
        out["normal"] = (cross / area[:, None])[:, None]
    if part.uv is not None:
        out["uv"] = part.uv.reshape(m, 3, 2)
        d, e = part.uv[:, 1] - part.uv[:, 0], part.uv[:, 2] - part.uv[:, 0]
        det = d[:, 0] * e[:, 1] - d[:, 1] * e[:, 0]
        safe = np.where(np.abs(det) > 1e-12, det, 1.0)
        along = (a * e[:, 1:2] - b * d[:, 1:2]) / safe[:, None]
        along[np.abs(det) <= 1e-12] = a[np.abs(det) <= 1e-12]
        out["tangent"] = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
        out["widths"] = np.sqrt(np.abs(det) / area)
    return out
