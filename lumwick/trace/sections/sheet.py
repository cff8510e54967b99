"""The sea's surface at rest: a sheet over the survey, tiles beyond it, flat water to the horizon."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.covers import FLATTEST, beach_slope
from lumwick.land.covers import open_water as openness
from lumwick.land.ground import Ground, grid_quads
from lumwick.trace import embree
from lumwick.trace.integrator.surfaces.wetted import lateness
from lumwick.trace.part import IDENTITY, Part
from lumwick.trace.sections.land import LandMade
from lumwick.trace.sections.section import key_of
from lumwick.trace.world import WATER
from lumwick.water.shore import WASH_DEPTH
from lumwick.water.surface import TILES

TILES_AROUND = 4
"""Tiles of open sea on each side of the survey; flat water goes on from there."""
HORIZON = 40_000.0
WASHED = 1.6
"""Metres over still water to which the sheet lies under the sand, for the wash to run up on."""
WASHES = 5e-4
"""Share of the wash under which a point stays: less than a millimetre even of a gale's."""
FINEST = 1.5
"""Metres between the sheet's points, or the survey's spacing if that is more."""


@dataclass(frozen=True)
class SheetInputs:
    """The ground that the sea stands over, and how high it stands now [m], or None."""

    land: LandMade
    level: float | None


@dataclass(frozen=True)
class Raised:
    """A mesh of water that waves raise, in place.

    Attributes
    ----------
    rest : ndarray, shape (n, 3) [m]
    open : ndarray, shape (n,)
        Share of the long waves that comes to each point.
    shore, late : ndarray, shape (n,)
        Share of the wash that comes to each point, and by how much of a wave later than elsewhere.
    washed : ndarray of int, shape (m,)
        Points to which any of the wash comes that is seen.
    vertices : ndarray of float32, shape (n, 3)
        As Embree reads them.
    """

    rest: NDArray[np.float64]
    open: NDArray[np.float64]
    shore: NDArray[np.float64]
    late: NDArray[np.float64]
    washed: NDArray[np.intp]
    vertices: NDArray[np.float32]
    mesh: embree.Geometry
    scene: embree.Scene


@dataclass(frozen=True)
class Sheet:
    """Water over and about a survey.

    Attributes
    ----------
    level : float [m]
    slope : float
        Of the beach where the sea washes it.
    open_water : ndarray of float32, shape (ny, nx, 3)
        Shares of long waves, of ripples and of foam that come to each point of the ground.
    near, tile : Raised or None
        Over the survey, and the tile that stands for the sea beyond; None without water.
    """

    fingerprint: str
    level: float
    slope: float
    open_water: NDArray[np.float32]
    near: Raised | None
    tile: Raised | None
    parts: dict[str, Part]


def make_sheet(inputs: SheetInputs) -> Sheet:
    """Water at rest; none where the survey lies above the sea."""
    land = inputs.land
    g, level, key = land.ground, inputs.level, key_of(inputs)
    none = Sheet(key, level or 0.0, FLATTEST, np.zeros((*land.heights.shape, 3), np.float32), None, None, {})
    if level is None or float(g.heights.min()) > level + 0.5:
        return none
    open_water = openness(g, level, land.near_sea)
    ny, nx = g.heights.shape
    every = max(1, round(FINEST / g.spacing))
    rows, cols = np.arange(0, ny, every), np.arange(0, nx, every)
    wet = ndimage.minimum_filter(g.heights, 2 * every + 1)[np.ix_(rows, cols)] < level + WASHED
    cells = wet[:-1, :-1] | wet[1:, 1:] | wet[1:, :-1] | wet[:-1, 1:]
    if not cells.any():
        return replace(none, open_water=open_water)
    used, quads = np.unique(grid_quads(len(rows), len(cols), cells), return_inverse=True)
    x, y = np.meshgrid(g.west + cols * g.spacing, g.south + rows * g.spacing)
    rest = np.stack([x.ravel()[used], y.ravel()[used], np.full(len(used), level)], 1).astype(float)
    # at the sheet's rim the open sea's tiles go on, so the sheet must be as rough as they are
    share = open_water[np.ix_(rows, cols)][..., 0].ravel()[used].astype(float)
    depth = level - g.heights[np.ix_(rows, cols)].ravel()[used].astype(float)
    shore = open_water[np.ix_(rows, cols)][..., 2].ravel()[used].astype(float) * np.exp(
        -np.clip(depth, 0, None) / WASH_DEPTH
    )
    late = np.asarray(lateness.py_func(rest[:, 0], rest[:, 1]))
    near = _raised(rest, share, np.ascontiguousarray(quads.reshape(-1, 4).astype(np.uint32)), shore, late)
    length, n = TILES[0]
    tx, ty = np.meshgrid(*2 * (np.arange(n + 1) * (length / n),))
    tile_rest = np.stack([tx, ty, np.full_like(tx, level)], -1).reshape(-1, 3)
    tile = _raised(tile_rest, np.ones(len(tile_rest)), grid_quads(n + 1, n + 1))
    parts = {
        "sheet": _water(near.scene),
        "open sea": _water(tile.scene, _tiles_about(g, length)),
        "far sea": _water(embree.still_scene(*_far_sea(g, level, length), embree.MASK_WATER)),
    }
    slope = beach_slope(land.heights, land.slope, land.near_sea, level)
    return Sheet(key, level, slope or FLATTEST, open_water, near, tile, parts)


def _water(scene: embree.Scene, placed: NDArray[np.float32] = IDENTITY[None]) -> Part:
    shade = np.zeros(len(placed), np.float32)
    return Part(WATER, scene, placed, shade, mask=embree.MASK_WATER, thing="water", surfaces=("water",) * 4)


def _raised(
    rest: NDArray[np.float64],
    share: NDArray[np.float64],
    quads: NDArray[np.uint32],
    shore: NDArray[np.float64] | None = None,
    late: NDArray[np.float64] | None = None,
) -> Raised:
    none = np.zeros(len(rest))
    shore, late = none if shore is None else shore, none if late is None else late
    vertices = embree.padded(rest.astype(np.float32))
    mesh = embree.mesh(vertices, quads, embree.MASK_WATER, embree.REFIT)
    scene = embree.Scene(robust=True, dynamic=True, quality=embree.LOW)
    scene.attach(0, mesh)
    scene.commit()
    return Raised(rest, share, shore, late, np.flatnonzero(shore > WASHES), vertices, mesh, scene)


def _tiles_about(g: Ground, length: float) -> NDArray[np.float32]:
    """Where tiles of open sea lie about a survey but not on it, as transforms, shape (n, 12)."""
    w, s, e, n = g.bounds

    def along(low: float, high: float) -> NDArray[np.float64]:
        first, last = int(np.floor(low / length)) - TILES_AROUND, int(np.ceil(high / length)) + TILES_AROUND
        return np.arange(first, last, dtype=float) * length

    a, b = (v.ravel() for v in np.meshgrid(along(w, e), along(s, n), indexing="ij"))
    outside = ~((a + length > w) & (a < e) & (b + length > s) & (b < n))
    placed = np.repeat(np.asarray(IDENTITY, np.float32)[None], int(outside.sum()), 0)
    placed[:, 9], placed[:, 10] = a[outside], b[outside]
    return placed


def _far_sea(g: Ground, level: float, length: float) -> tuple[NDArray[np.float32], NDArray[np.uint32]]:
    """Flat water: between the survey's edge and the first whole tile, and from the last tile to the horizon."""
    w, s, e, n = g.bounds
    whole = (
        float(np.floor(w / length) * length),
        float(np.floor(s / length) * length),
        float(np.ceil(e / length) * length),
        float(np.ceil(n / length) * length),
    )
    near = max(TILES_AROUND * length - length * 0.5, 1.0)

    def wider(by: float) -> tuple[float, float, float, float]:
        return whole[0] - by, whole[1] - by, whole[2] + by, whole[3] + by

    v: list[list[float]] = []
    q: list[list[int]] = []
    for inner, outer, z in (((w, s, e, n), whole, level), (wider(near), wider(HORIZON), level - 0.05)):
        base = len(v)
        for x0, y0, x1, y1 in (inner, outer):
            v += [[x0, y0, z], [x1, y0, z], [x1, y1, z], [x0, y1, z]]
        q += [[base + k, base + (k + 1) % 4, base + 4 + (k + 1) % 4, base + 4 + k][::-1] for k in range(4)]
    return np.array(v, np.float32), np.array(q, np.uint32)
