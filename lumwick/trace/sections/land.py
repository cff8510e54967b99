"""The ground of a place and what lies beyond it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.disk_cache import cached
from lumwick.land.covers import TURF, albedo, sea_nearness, worn
from lumwick.land.ground import Ground, far_ring, grid_quads
from lumwick.place.nature import GroundWay, Land
from lumwick.trace import embree
from lumwick.trace.part import Part, matt_material
from lumwick.trace.sections.section import key_of
from lumwick.trace.world import FAR, GROUND

MUD_OVER = 0.5
"""Metres over still water up to which mud lies where there is no tide: high water reaches it."""


@dataclass(frozen=True)
class LandInputs:
    """The survey, how it is covered, the sea's mean level [m], or None, and its tide's range [m], and the ways worn
    in."""

    ground: Ground
    land: Land
    level: float | None
    tide_range: float = 0.0
    ways: tuple[GroundWay, ...] = ()


@dataclass(frozen=True)
class LandMade:
    """Ground ready for rays.

    Attributes
    ----------
    normals : ndarray of float32, shape (ny, nx, 3)
    slope : ndarray, shape (ny, nx) [degrees]
    albedo, near_sea : ndarray, shape (ny, nx, ...)
    heights : ndarray of float32, shape (ny, nx) [m]
    """

    fingerprint: str
    ground: Ground
    level: float | None
    normals: NDArray[np.float32]
    slope: NDArray[np.float64]
    albedo: NDArray[np.float32]
    near_sea: NDArray[np.float64]
    heights: NDArray[np.float32]
    parts: dict[str, Part]


def make_land(inputs: LandInputs) -> LandMade:
    """The ground's mesh and covers, and plain land to the horizon."""
    g, land, level, key = inputs.ground, inputs.land, inputs.level, key_of(inputs)
    # what the tide leaves twice a day is mud, and wet
    washed = None if level is None else level + max(0.0, inputs.tide_range / 2 - MUD_OVER)
    ny, nx = g.heights.shape
    gx, gy = np.meshgrid(g.west + np.arange(nx) * g.spacing, g.south + np.arange(ny) * g.spacing)
    vertices = np.stack([gx, gy, g.heights], -1).reshape(-1, 3).astype(np.float32)
    covers = cached(
        "cover",
        key,
        lambda: {
            **dict(zip(("far", "far quads"), far_ring(g, level), strict=True)),
            "albedo": worn(
                albedo(g, land.cover, washed, land.beach_top, land.seed, land.snow_from),
                g,
                [(shapely.LineString(path.line), path.width, path.worn) for path in inputs.ways],
            ),
            "sea": sea_nearness(g, level if level is not None else float(g.heights.min()) - 10),
        },
    )
    return LandMade(
        fingerprint=key,
        ground=g,
        level=level,
        normals=g.normals(),
        slope=g.slope(),
        albedo=covers["albedo"],
        near_sea=covers["sea"],
        heights=g.heights.astype(np.float32),
        parts={
            "ground": Part(GROUND, embree.still_scene(vertices, grid_quads(ny, nx))),
            "far": Part(
                FAR,
                embree.still_scene(covers["far"], covers["far quads"]),
                material=matt_material(np.array(TURF) * 1.1),
                surfaces=("far ground",) * 4,
            ),
        },
    )
