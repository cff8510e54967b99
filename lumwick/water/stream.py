"""Streams: how fast and deep water runs down a bed, the bed that it cuts, and how it goes round what stands in it.

References
----------
Manning's formula with the roughness of V. T. Chow, Open-Channel Hydraulics (1959), table 5-6. Flow about a post: the
potential of a circle in a stream (Lamb, Hydrodynamics, 68). Waves that stand in a stream have the length at which
they run as fast against it, 2 pi u^2 / g in deep water (Lamb, 243). How high they and their foam are is practice.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import ArrayLike, NDArray
from scipy import ndimage
from scipy.spatial import KDTree

from lumwick.errors import LandError
from lumwick.water.spectrum import G

Floats = NDArray[np.float64]
BEDS = {
    "smooth earth": 0.022,
    "clean and straight": 0.030,
    "winding, with pools": 0.040,
    "cobbles": 0.040,
    "boulders": 0.050,
    "weeds": 0.070,
}
"""Manning's n of beds (Chow 1959, normal values: excavated earth, clean; natural, clean and straight; winding, some
pools and shoals; mountain stream, gravel and cobbles; cobbles with large boulders; sluggish reaches, weedy)."""
STEP = 0.5
"""Metres between the stations of a reach."""
WINDS = 5.0
"""Size [m] of what a stream does not wind about (practice)."""
FREEBOARD = 0.10
"""How far its surface lies under the lower bank [m]."""
FLATTEST, STEEPEST = 3e-4, 0.6
CLIMBS_AT_MOST = 2.0
"""Height of a rise [m] that a stream may cut through; a higher one is a hill."""
BANK = 0.9
"""Slope of its banks."""
CELLS_AT_MOST = 1_200_000
FINEST = 0.12
"""Metres between the cells of its grid, at least."""
FASTEST = 1.35
"""Speed in the middle over the mean."""


def manning_speed(radius: ArrayLike, slope: ArrayLike, n: ArrayLike) -> Floats:
    """Mean speed [m/s] by hydraulic radius [m], slope and roughness: R^(2/3) S^(1/2) / n."""
    radius, slope = np.asarray(radius, float), np.asarray(slope, float)
    return np.asarray(radius ** (2 / 3) * np.sqrt(slope) / np.asarray(n, float))


def normal_depth(flow: ArrayLike, slope: ArrayLike, n: float) -> Floats:
    """Depth [m] at which a flow for each metre of a wide stream's width [m2/s] runs evenly: (q n / S^(1/2))^(3/5)."""
    return np.asarray((np.asarray(flow, float) * n / np.sqrt(np.asarray(slope, float))) ** 0.6)


@dataclass(frozen=True)
class Reach:
    """A stream from its head down, at stations (n,).

    Attributes
    ----------
    along, x, y, bed, depth, speed, surface, slope : ndarray, shape (n,)
        Way from the head [m], place [m], deepest bed [m], mean depth [m], mean speed [m/s], height of its surface
        [m], and fall of that.
    ground : ndarray, shape (n,)
        The land before it [m].
    width : float [m]
    discharge : float [m3/s]
    """

    along: Floats
    x: Floats
    y: Floats
    ground: Floats
    bed: Floats
    depth: Floats
    speed: Floats
    surface: Floats
    slope: Floats
    width: float
    discharge: float

    @property
    def froude(self) -> Floats:
        """Speed over that of a long wave: over 1 it shoots."""
        return np.asarray(self.speed / np.sqrt(G * self.depth))

    @property
    def way(self) -> tuple[Floats, Floats]:
        """East and north of the unit way that it runs."""
        dx, dy = np.gradient(self.x), np.gradient(self.y)
        q = np.maximum(np.hypot(dx, dy), 1e-9)
        return dx / q, dy / q


def _curve(line: Sequence[tuple[float, float]]) -> tuple[Floats, Floats, Floats]:
    """A drawn line rounded off, by equal steps: way along it, east and north."""
    p = np.asarray(line, float)
    for _ in range(3):  # Chaikin's corner cutting
        cut = np.concatenate([0.75 * p[:-1] + 0.25 * p[1:], 0.25 * p[:-1] + 0.75 * p[1:]], 1).reshape(-1, 2)
        p = np.concatenate([p[:1], cut, p[-1:]])
    s = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(p, axis=0).T))])
    along = np.linspace(0, s[-1], max(3, round(s[-1] / STEP) + 1))
    return along, np.interp(along, s, p[:, 0]), np.interp(along, s, p[:, 1])


def reach(
    line: Sequence[tuple[float, float]],
    height: Callable[[Floats, Floats], Floats],
    width: float,
    depth: float,
    n: float,
    speed: float | None = None,
) -> Reach:
    """A stream of a width and mean depth [m] along a line from its head down, over land of a height.

    What flows is what runs at this depth down its mean slope, or at a told speed [m/s]; as much flows everywhere, so
    that it is deep and slow where the land is flat, and thin and quick where it falls.

    Raises
    ------
    LandError
        The line climbs, or is no longer than it is wide.
    """
    along, x, y = _curve(line)
    if along[-1] < max(2.0, width):
        raise LandError("This stream is shorter than it is wide: draw its line further down.")
    land = height(x, y)
    low = ndimage.minimum_filter1d(land, 3, mode="nearest")
    fallen = np.minimum.accumulate(low)
    rise = low - fallen
    worst = int(np.argmax(rise))
    if rise[worst] > CLIMBS_AT_MOST:
        raise LandError(
            f"This stream would climb {rise[worst]:.1f} m by {along[worst]:.0f} m along its line: water does not run "
            "uphill. Draw it from its head down, or round the hill."
        )
    smooth = ndimage.gaussian_filter1d(fallen, 2.0 / STEP, mode="nearest")
    surface = np.minimum.accumulate(np.minimum(smooth, fallen + 0.4)) - FREEBOARD
    surface -= np.arange(len(along)) * STEP * FLATTEST
    slope = np.clip(-np.gradient(surface, along), FLATTEST, STEEPEST)
    mean = float(np.clip((surface[0] - surface[-1]) / along[-1], FLATTEST, STEEPEST))
    per_metre = depth * (float(manning_speed(depth, mean, n)) if speed is None else speed)
    deep = normal_depth(per_metre, slope, n)
    if speed is not None:  # as deep as told where it falls as the whole does
        deep = deep * depth / float(normal_depth(per_metre, mean, n))
    deep = ndimage.gaussian_filter1d(np.clip(deep, 0.02, 4 * depth), 1.0 / STEP, mode="nearest")
    return Reach(
        along, x, y, land, surface - 1.5 * deep, deep, per_metre / deep, surface, slope, width, per_metre * width
    )


def carved(heights: NDArray[np.float32], east: Floats, north: Floats, run: Reach) -> NDArray[np.float32]:
    """A grid's heights (ny, nx) [m] with a stream's bed cut into them; ``east`` and ``north`` are its axes [m]."""
    out = heights.astype(float)
    margin = run.width / 2 + 6.0
    rows = np.flatnonzero((north > run.y.min() - margin) & (north < run.y.max() + margin))
    cols = np.flatnonzero((east > run.x.min() - margin) & (east < run.x.max() + margin))
    if not len(rows) or not len(cols):
        return heights
    x, y = np.meshgrid(east[cols], north[rows])
    off, at = KDTree(np.stack([run.x, run.y], 1)).query(
        np.stack([x.ravel(), y.ravel()], 1), distance_upper_bound=margin
    )
    near = np.isfinite(off)
    at = np.where(near, at, 0)
    half = run.width / 2
    inside = run.surface[at] - (run.surface[at] - run.bed[at]) * (1 - (off / half) ** 2)
    bank = run.surface[at] + (off - half) * BANK
    cut = np.where(off < half, inside, bank)
    part = out[np.ix_(rows, cols)].ravel()
    part = np.where(near, np.minimum(part, cut), part)
    out[np.ix_(rows, cols)] = part.reshape(x.shape)
    return out.astype(np.float32)


@dataclass(frozen=True)
class Post:
    """Something round that stands in water: where [m], and its radius there [m]."""

    x: float
    y: float
    radius: float


@dataclass(frozen=True)
class Flow:
    """A stream's surface on a grid (rows, columns): see `lumwick.trace.records.FLOW`.

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


NO_WATER = -1e9
"""Height in a grid's cells without water."""
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
    off, at = tree.query(np.stack([x.ravel(), y.ravel()], 1), distance_upper_bound=margin)
    near = np.isfinite(off).reshape(x.shape)
    at = np.where(near.ravel(), at, 0).reshape(x.shape)
    ux, uy = run.way
    dx, dy = x - run.x[at], y - run.y[at]
    ahead = dx * ux[at] + dy * uy[at]  # between two stations
    aside = dy * ux[at] - dx * uy[at]
    half = run.width / 2
    place = np.clip(at + ahead / STEP, 0, len(run.along) - 1)

    def here(values: Floats) -> Floats:
        return np.asarray(ndimage.map_coordinates(values, [place], order=1, mode="nearest"))

    across = np.clip(1 - (aside / half) ** 2, 0, 1)
    speed = here(run.speed) * FASTEST * across**0.6
    wet = near & (np.abs(aside) < half + OVER_BANK)
    surface, foam, rough = _standing(run, here, aside, across)
    grid = _Grid(x, y, speed * ux[at], speed * uy[at], surface, foam, rough, wet)
    for post in posts:
        _round(post, grid)
    level = here(run.surface)
    depth = here(run.depth) * 1.5 * across
    return Flow(_cells(grid, level, depth, spacing), west, south, spacing, wet)


def _cells(grid: _Grid, level: Floats, depth: Floats, spacing: float) -> NDArray[np.float32]:
    """The grids as the kernel reads them, with the slopes of what stands in them and of their own fall."""
    wet, waves = grid.wet, np.where(grid.wet, grid.surface, 0.0)
    cells = np.zeros((*wet.shape, 8), np.float32)
    down = np.where(wet, level, level[wet].mean() if wet.any() else 0.0)
    fall_north, fall_east = np.gradient(ndimage.gaussian_filter(down, 1), spacing)
    north, east = np.gradient(waves, spacing)
    cells[..., 0] = east + np.where(wet, np.clip(fall_east, -0.6, 0.6), 0)
    cells[..., 1] = north + np.where(wet, np.clip(fall_north, -0.6, 0.6), 0)
    cells[..., 2], cells[..., 3], cells[..., 4] = np.clip(grid.foam, 0, 1), grid.east, grid.north
    cells[..., 5] = grid.rough
    cells[..., 6] = np.where(wet, level + waves, NO_WATER)
    cells[..., 7] = np.where(wet, depth, 0)
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


def _round(post: Post, grid: _Grid) -> None:
    """Lead a stream's grids round a post, in place: its flow, the heap before it, its wake and its foam."""
    x, y, wet, east, north = grid.x, grid.y, grid.wet, grid.east, grid.north
    dx, dy = x - post.x, y - post.y
    r2 = dx * dx + dy * dy
    reach_of = r2 < (14 * post.radius + 2.5) ** 2
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


def fall_line(
    height: Callable[[Floats, Floats], Floats],
    start: tuple[float, float],
    bounds: tuple[float, float, float, float],
    ends_at: float = -np.inf,
    longest: float = 600.0,
) -> list[tuple[float, float]]:
    """The way that water takes from a spot down the land's own fall, as points some metres apart.

    It goes by the lowest outlet of each hollow (the land is filled up first: Barnes et al., Computers and Geosciences
    62 (2014)), until it reaches a height [m], the edge of the land, or is longer than told [m].

    Raises
    ------
    LandError
        The spot is outside, or lies in the water already.
    """
    west, south, east, north = bounds
    if not (west < start[0] < east and south < start[1] < north):
        raise LandError("A stream begins on the survey: choose a spot on it.")
    cell = max(2.0, (east - west) / 400, (north - south) / 400)
    xs, ys = np.arange(west, east, cell), np.arange(south, north, cell)
    z = ndimage.gaussian_filter(height(*np.meshgrid(xs, ys)), WINDS / cell, mode="nearest")
    i, j = (int(np.argmin(np.abs(v - s))) for v, s in ((ys, start[1]), (xs, start[0])))
    if z[i, j] <= ends_at:
        raise LandError("This spot lies under water: a stream begins on land.")
    down = _drained(z, z <= ends_at, (i, j))
    columns = z.shape[1]
    out = [start]
    at = i * columns + j
    while down.flat[at] >= 0 and len(out) * cell < longest:
        at = int(down.flat[at])
        out.append((float(xs[at % columns]), float(ys[at // columns])))
    rounded = ndimage.gaussian_filter1d(np.array(out, float), WINDS / cell, axis=0, mode="nearest")
    rounded[0], rounded[-1] = out[0], out[-1]
    points = shapely.simplify(shapely.LineString(rounded), 0.3).coords if len(out) > 1 else out
    return [(round(float(px), 1), round(float(py), 1)) for px, py in points]


def _drained(z: Floats, outlet: NDArray[np.bool_], spot: tuple[int, int]) -> NDArray[np.int64]:
    """The cell that each cell of land (rows, columns) drains into, -1 for outlets and for those not reached before a
    spot is: by priority flood from the outlets and the edge."""
    rows, columns = z.shape
    seen = outlet.copy()
    seen[[0, -1]] = seen[:, [0, -1]] = True
    down = np.full(z.shape, -1, np.int64)
    heap = [(float(z[a, b]), int(a), int(b)) for a, b in zip(*np.nonzero(seen), strict=True)]
    heapq.heapify(heap)
    while heap and not seen[spot]:
        level, a, b = heapq.heappop(heap)
        for da, db in AROUND:
            p, q = a + da, b + db
            if 0 <= p < rows and 0 <= q < columns and not seen[p, q]:
                seen[p, q] = True
                down[p, q] = a * columns + b
                heapq.heappush(heap, (max(level, float(z[p, q])), p, q))
    return down


AROUND = ((1, 0), (-1, 0), (0, 1), (0, -1), (1, 1), (1, -1), (-1, 1), (-1, -1))
"""From a cell to its neighbours."""
