"""Lamps as the integrator reads them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import LUMA
from lumwick.built.gaps import Gap
from lumwick.built.lamps import SMALLEST_AREA, LampLight
from lumwick.trace.integrator import lamplight as ll
from lumwick.trace.records import EMITTER, LAMP, PORTAL

EMITTERS = {
    "point": ll.POINT,
    "spot": ll.SPOT,
    "rectangle": ll.RECTANGLE,
    "disc": ll.DISC,
    "parallel": ll.PARALLEL,
}
LINE = ll.LINE
TUBE_SIDES = 24


def row(lamp: LampLight, gobo: int = -1, table: int = -1) -> NDArray[np.void]:
    """A lamp's record for the kernel.

    Parameters
    ----------
    gobo, table : int
        Numbers of what its light is thrown through, and of what says how much of it goes where; -1 for none.
    """
    out = np.zeros((), LAMP)
    light = lamp.light()
    out["kind"], out["position"], out["direction"], out["light"] = (
        EMITTERS[lamp.kind],
        lamp.position,
        lamp.direction,
        light,
    )
    out["cos_inner"] = np.cos(np.radians(min(lamp.inner, lamp.outer)))
    out["cos_outer"] = np.cos(np.radians(lamp.outer))
    flat = lamp.kind in ("rectangle", "disc")
    if flat:
        out["side_a"], out["side_b"] = lamp.sides()
    out["gobo"], out["table"] = -1, table
    if lamp.kind == "parallel":
        out["side_a"], out["side_b"] = lamp.across()
        out["tan_spread"] = np.tan(np.radians(lamp.spread / 2))
    if lamp.distribution is not None:
        out["side_a"], out["side_b"] = lamp.top, np.cross(lamp.direction, lamp.top)
    if lamp.kind == "spot" and lamp.distribution is None:
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
    """The mesh of a flat lamp, facing its way, or of a line: vertices (n, 3) and triangles (m, 3); None for others."""
    if lamp.kind == "line":
        return _tube(lamp)
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


def _tube(lamp: LampLight) -> tuple[NDArray[np.float32], NDArray[np.uint32]]:
    """A line lamp's tube, lying across its way, as round as it is wide; open at its ends."""
    along, _ = lamp.across()
    across = np.cross(along, lamp.direction)
    n, k = TUBE_SIDES, np.arange(TUBE_SIDES)
    turn = 2 * np.pi * k / n
    grow = np.pi / (n * np.sin(np.pi / n))  # its surface is as large as the round tube's
    ring = lamp.width / 2 * grow * (np.cos(turn)[:, None] * lamp.direction + np.sin(turn)[:, None] * across)
    ends = [ring + side * lamp.height / 2 * along for side in (-1, 1)]
    m = (k + 1) % n
    t = np.concatenate([np.stack([k, m, n + m], 1), np.stack([k, n + m, n + k], 1)])
    return (np.concatenate(ends) + lamp.position).astype(np.float32), t.astype(np.uint32)


def portal(gap: Gap) -> NDArray[np.void]:
    """An opening's record for the kernel."""
    out = np.zeros((), PORTAL)
    out["side_a"], out["side_b"] = gap.side_a, gap.side_b
    out["position"], out["direction"], out["reach"], out["aside"] = gap.position, gap.direction, gap.reach, gap.aside
    out["area"] = 4 * np.linalg.norm(np.cross(gap.side_a, gap.side_b))
    return out


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
    triangles["cdf"] = np.cumsum(areas) / area
    triangles["cdf"][-1] = 1.0
    middle = (corners.mean(1) * areas[:, None]).sum(0) / area
    row = np.zeros((), LAMP)
    row["kind"], row["position"], row["light"] = ll.MESH, middle, light
    row["area"], row["power"], row["count"] = area, float(LUMA @ light) * area, len(areas)
    row["reach2"] = max(1e-4, float(((corners.reshape(-1, 3) - middle) ** 2).sum(1).max()) / 2)
    return row, triangles
