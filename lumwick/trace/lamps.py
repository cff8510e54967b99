"""Lamps as the integrator reads them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import LUMA
from lumwick.built.lamps import SMALLEST_AREA, LampLight
from lumwick.trace.integrator import lamplight as ll
from lumwick.trace.records import EMITTER, LAMP

EMITTERS = {"point": ll.POINT, "spot": ll.SPOT, "rectangle": ll.RECTANGLE, "disc": ll.DISC}


def row(lamp: LampLight, gobo: int = -1) -> NDArray[np.void]:
    """A lamp's record for the kernel; ``gobo`` is the number of what its light is thrown through."""
    out = np.zeros((), LAMP)
    light = lamp.light()
    out["kind"], out["position"], out["way"], out["light"] = EMITTERS[lamp.kind], lamp.position, lamp.way, light
    out["cos_inner"] = np.cos(np.radians(min(lamp.inner, lamp.outer)))
    out["cos_outer"] = np.cos(np.radians(lamp.outer))
    flat = lamp.kind in ("rectangle", "disc")
    if flat:
        out["side_a"], out["side_b"] = lamp.sides()
    out["gobo"] = -1
    if lamp.kind == "spot":
        out["side_a"], out["side_b"] = replace(lamp, turn=lamp.gobo.turn if lamp.gobo else 0.0).across()
        out["source"] = lamp.source / 2
        if lamp.gobo is not None:
            out["gobo"] = gobo
            out["gobo_far"], out["gobo_half"] = lamp.gobo.far, lamp.gobo.size / 2
    out["area"] = lamp.area if flat else 0.0
    out["power"] = float(LUMA @ light) * (lamp.area if flat else 1.0)
    out["reach2"] = max(1e-4, lamp.area / 4 if flat else 0.0)
    return out


def outline(lamp: LampLight) -> tuple[NDArray[np.float32], NDArray[np.uint32]] | None:
    """The mesh of a flat lamp, facing its way: vertices (n, 3) and triangles (m, 3); None for points and spots."""
    if lamp.kind not in ("rectangle", "disc"):
        return None
    a, b = lamp.sides()
    if lamp.kind == "rectangle":
        v = np.array([-a - b, a - b, a + b, -a + b])
        t = np.array([[0, 1, 2], [0, 2, 3]])
    else:
        n = 96
        turn = 2 * np.pi * np.arange(n) / n
        # as large as the true disc
        grow = np.sqrt(2 * np.pi / (n * np.sin(2 * np.pi / n)))
        v = np.concatenate([np.zeros((1, 3)), grow * (np.cos(turn)[:, None] * a + np.sin(turn)[:, None] * b)])
        t = np.array([[0, 1 + k, 1 + (k + 1) % n] for k in range(n)])
    return (v + lamp.position).astype(np.float32), t.astype(np.uint32)


def glowing_mesh(
    corners: NDArray[np.float64], light: NDArray[np.float64]
) -> tuple[NDArray[np.void], NDArray[np.void]] | None:
    """A mesh as a lamp, shining to both sides: its record (with ``first`` to be set) and its triangles.

    Parameters
    ----------
    corners : ndarray, shape (n, 3, 3) [m]
    light : ndarray, shape (3,) [cd/m2]

    Returns
    -------
    tuple or None
        None if the mesh has no area or no light: it is then no lamp.
    """
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas = np.linalg.norm(np.cross(a, b), axis=1) / 2
    area = float(areas.sum())
    if area < SMALLEST_AREA or not (light > 0).any():
        return None
    kept = areas > 0
    corners, a, b, areas = corners[kept], a[kept], b[kept], areas[kept]
    triangles = np.zeros(len(areas), EMITTER)
    triangles["corner"], triangles["side_a"], triangles["side_b"] = corners[:, 0], a, b
    triangles["share"] = np.cumsum(areas) / area
    triangles["share"][-1] = 1.0
    middle = (corners.mean(1) * areas[:, None]).sum(0) / area
    row = np.zeros((), LAMP)
    row["kind"], row["position"], row["light"] = ll.MESH, middle, light
    row["area"], row["power"], row["count"] = area, float(LUMA @ light) * area, len(areas)
    row["reach2"] = max(1e-4, float(((corners.reshape(-1, 3) - middle) ** 2).sum(1).max()) / 2)
    return row, triangles
