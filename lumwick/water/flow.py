"""A stream's surface on a grid: how it runs, stands in waves and foams, and how it goes round what stands in it.

References
----------
Flow about a post: the potential of a circle in a stream (Lamb, Hydrodynamics, 68). Waves that stand in a stream have
the length at which they run as fast against it, 2 pi u^2 / g in deep water (Lamb, 243). How high they and their foam
are is practice.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage
from scipy.spatial import KDTree

from lumwick.water.cells import (
    CHANNELS,
    DEPTH,
    EAST,
    FOAM,
    HEIGHT,
    NO_WATER,
    NORTH,
    ROUGH,
    SLOPE_EAST,
    SLOPE_NORTH,
)
from lumwick.water.spectrum import G
from lumwick.water.stream import STEP, Reach

Floats = NDArray[np.float64]
CELLS_AT_MOST = 1_200_000
FINEST = 0.12
"""Metres between the cells of its grid, at least."""
FASTEST = 1.35
"""Speed in the middle over the mean."""


@dataclass(frozen=True)
class Post:
    """Something round that stands in water: where [m], and its radius there [m]."""

    x: float
    y: float
    radius: float


@dataclass(frozen=True)
class Flow:
    """A stream's surface on a grid (rows, columns): see `lumwick.water.cells`.

    Attributes
    ----------
    cells : ndarray of float32, shape (rows, columns, 8)
    west, south, spacing : float [m]
    wet : ndarray of bool, shape (rows, columns)
        Where there is water.
    """

    cells: NDArray[np.float32]
    west: float
    south: float
    spacing: float
    wet: NDArray[np.bool_]


OVER_BANK = 0.35
"""How far its surface goes on under its banks [m]."""


@dataclass
class _Grid:
    """A stream's grids (rows, columns) as they are made: east and north [m], speed [m/s], standing waves [m], foam,
    ripples' slopes, and where there is water."""

    x: Floats
    y: Floats
    east: Floats
    north: Floats
    surface: Floats
    foam: Floats
    rough: Floats
    wet: NDArray[np.bool_]


def flow_of(run: Reach, posts: Sequence[Post] = ()) -> Flow:
    """A stream's surface: its height, speed, standing waves and foam, and how it goes round posts."""
    margin = run.width / 2 + 1.0
    west, south = float(run.x.min() - margin), float(run.y.min() - margin)
    size = np.array([run.x.max() + margin - west, run.y.max() + margin - south])
    spacing = max(FINEST, float(np.sqrt(size.prod() / CELLS_AT_MOST)))
    columns, rows = (int(v) + 2 for v in np.ceil(size / spacing))
    x, y = np.meshgrid(west + np.arange(columns) * spacing, south + np.arange(rows) * spacing)
    tree = KDTree(np.stack([run.x, run.y], 1))
    off, at = tree.query(np.stack([x.ravel(), y.ravel()], 1), distance_upper_bound=margin, workers=-1)
    near = np.isfinite(off).reshape(x.shape)
    # all of it is told of the cells that are near alone: a stream fills little of the box about it
    at = at[near.ravel()]
    ux, uy = (way[at] for way in run.way)
    dx, dy = x[near] - run.x[at], y[near] - run.y[at]
    ahead = dx * ux + dy * uy  # between two stations
    aside = dy * ux - dx * uy
    half = run.width / 2
    place = np.clip(at + ahead / STEP, 0, len(run.along) - 1)

    def here(values: Floats) -> Floats:
        return np.asarray(ndimage.map_coordinates(values, [place], order=1, mode="nearest"))

    def spread(values: NDArray[Any]) -> NDArray[Any]:
        out = np.zeros(x.shape, values.dtype)
        out[near] = values
        return out

    across = np.clip(1 - (aside / half) ** 2, 0, 1)
    speed = here(run.speed) * FASTEST * across**0.6
    wet = spread(np.abs(aside) < half + OVER_BANK)
    surface, foam, rough = (spread(values) for values in _standing(run, here, aside, across))
    grid = _Grid(x, y, spread(speed * ux), spread(speed * uy), surface, foam, rough, wet)
    for post in posts:
        _round(post, grid)
    level, depth = spread(here(run.surface)), spread(here(run.depth) * 1.5 * across)
    return Flow(_cells(grid, level, depth, spacing), west, south, spacing, wet)


def _cells(grid: _Grid, level: Floats, depth: Floats, spacing: float) -> NDArray[np.float32]:
    """The grids as the kernel reads them, with the slopes of what stands in them and of their own fall."""
    wet, waves = grid.wet, np.where(grid.wet, grid.surface, 0.0)
    cells = np.zeros((*wet.shape, CHANNELS), np.float32)
    down = np.where(wet, level, level[wet].mean() if wet.any() else 0.0)
    fall_north, fall_east = np.gradient(ndimage.gaussian_filter(down, 1), spacing)
    north, east = np.gradient(waves, spacing)
    cells[..., SLOPE_EAST] = east + np.where(wet, np.clip(fall_east, -0.6, 0.6), 0)
    cells[..., SLOPE_NORTH] = north + np.where(wet, np.clip(fall_north, -0.6, 0.6), 0)
    cells[..., FOAM], cells[..., EAST], cells[..., NORTH] = np.clip(grid.foam, 0, 1), grid.east, grid.north
    cells[..., ROUGH] = grid.rough
    cells[..., HEIGHT] = np.where(wet, level + waves, NO_WATER)
    cells[..., DEPTH] = np.where(wet, depth, 0)
    return cells


SHOOTS = 0.75
"""Froude number over which a stream breaks where it slows (practice: undular jumps begin at 1 for the mean)."""


def _standing(
    run: Reach, here: Callable[[Floats], Floats], aside: Floats, across: Floats
) -> tuple[Floats, Floats, Floats]:
    """Waves that stand where a quick stream meets slower water [m], its foam, and the spread of its ripples' slopes."""
    froude = run.froude
    slows = np.clip(-np.gradient(run.speed, run.along), 0, None)
    breaks = np.clip((froude - SHOOTS) / 0.6, 0, 1) * np.clip(slows / 0.12, 0, 1)
    # carried on downstream, dying away over some wave lengths
    length = 2 * np.pi * np.clip(run.speed, 0.15, 3.0) ** 2 / G
    carried = np.zeros_like(breaks)
    for i in range(1, len(breaks)):
        carried[i] = max(breaks[i], carried[i - 1] * np.exp(-STEP / (4 * length[i] + 0.5)))
    phase = np.cumsum(2 * np.pi * STEP / np.maximum(length, 0.3))
    high = 0.25 * run.speed**2 / (2 * G) * carried
    place_phase = here(phase)
    waves = here(high) * np.cos(place_phase + 0.9 * aside / run.width) * across
    foam = here(np.clip(carried * 0.85, 0, 0.9)) * across
    quick = here(np.clip(run.speed / 1.4, 0, 1.3))
    # banks make foam lines a little way off them
    line = np.exp(-((((np.abs(aside) / (run.width / 2)) - 0.82) / 0.08) ** 2))
    foam = np.maximum(foam, 0.22 * np.clip(quick - 0.25, 0, 1) * line)
    rough = 0.025 + 0.075 * quick * (0.4 + 0.6 * across) + 0.12 * here(carried)
    return waves, foam, rough


REACH, REACH_LEAST = 14.0, 2.5
"""How far from it a post is felt: in its radii, and besides [m] (practice)."""


def _round(post: Post, grid: _Grid) -> None:
    """Lead a stream's grids round a post, in place; only the part of them that feels it is looked at."""
    far = REACH * post.radius + REACH_LEAST
    columns, rows = (np.flatnonzero(np.abs(v) < far) for v in (grid.x[0] - post.x, grid.y[:, 0] - post.y))
    if not (len(columns) and len(rows)):
        return
    part = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    _round_near(post, _Grid(*(getattr(grid, held.name)[part] for held in fields(grid))))


def _round_near(post: Post, grid: _Grid) -> None:
    """The same of the part about it: its flow, the heap before it, its wake and its foam."""
    x, y, wet, east, north = grid.x, grid.y, grid.wet, grid.east, grid.north
    dx, dy = x - post.x, y - post.y
    r2 = dx * dx + dy * dy
    reach_of = r2 < (REACH * post.radius + REACH_LEAST) ** 2
    if not (reach_of & wet).any():
        return
    k = np.unravel_index(int(np.argmin(np.where(wet, r2, np.inf))), r2.shape)
    u, v = float(east[k]), float(north[k])
    speed = float(np.hypot(u, v))
    if speed < 0.02:
        return
    ux, uy = u / speed, v / speed
    a, b = dx * ux + dy * uy, dy * ux - dx * uy
    r = np.sqrt(np.maximum(r2, (0.8 * post.radius) ** 2))
    ring = (post.radius / r) ** 2
    cos, sin = a / r, b / r
    # the potential of a circle: along its way and across it
    along, aside = -ring * (cos * cos - sin * sin), -2 * ring * cos * sin
    inside = reach_of & wet
    east[inside] += (speed * (along * ux - aside * uy))[inside]
    north[inside] += (speed * (along * uy + aside * ux))[inside]
    head = speed**2 / (2 * G)
    edge = np.maximum(r - post.radius, 0)
    heap = 0.8 * head * np.exp(-edge / (0.5 * post.radius + 0.02)) * np.clip(-cos, 0, 1)
    # waves that stand before it and, in a widening wedge, behind it
    length = max(0.08, 2 * np.pi * speed**2 / G)
    wedge = np.abs(b) - post.radius - 0.34 * np.maximum(a, 0)
    spread = np.exp(-((wedge / (0.35 * length + 0.3 * post.radius)) ** 2)) * (a > -post.radius)
    behind = spread * np.exp(-np.maximum(a, 0) / (7 * post.radius + 2 * length))
    crests = 0.55 * head * behind * np.cos(2 * np.pi * (np.abs(b) + 0.35 * a - post.radius) / length)
    grid.surface[inside] += (heap + crests)[inside]
    width = post.radius * 0.95 + 0.10 * np.maximum(a, 0)
    lee = np.exp(-((b / width) ** 2)) * np.exp(-np.maximum(a, 0) / (9 * post.radius)) * (a > 0)
    collar = np.exp(-edge / (0.05 + 0.10 * post.radius))
    made = min(1.0, speed / 0.9)
    white = 0.7 * lee * (r > post.radius) + 0.45 * collar * (np.abs(cos) < 0.9)
    grid.foam[inside] = np.maximum(grid.foam, made * white)[inside]
    grid.rough[inside] += (0.14 * made * lee + 0.04 * made * behind)[inside]
