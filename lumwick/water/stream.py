"""Streams: how fast and deep water runs down a bed, the bed that it cuts, and the way it finds.

References
----------
Manning's formula with the roughness of V. T. Chow, Open-Channel Hydraulics (1959), table 5-6. Ways out of hollows:
R. Barnes, C. Lehman and D. Mulla, Priority-flood, Computers and Geosciences 62 (2014).
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


def manning_speed(radius: ArrayLike, slope: ArrayLike, n: ArrayLike) -> Floats:
    """Mean speed [m/s] by hydraulic radius [m], slope and roughness: R^(2/3) S^(1/2) / n."""
    radius, slope = np.asarray(radius, float), np.asarray(slope, float)
    return np.asarray(radius ** (2 / 3) * np.sqrt(slope) / np.asarray(n, float))


def hydraulic_radius(depth: ArrayLike, width: float) -> Floats:
    """Hydraulic radius [m] of a bed of a mean depth [m]: area over wetted perimeter of a parabola, whose deepest point
    lies 1.5 mean depths under its surface.

    References
    ----------
    V. T. Chow, Open-Channel Hydraulics (1959), table 2-1: P = T/2 (sqrt(1 + x^2) + ln(x + sqrt(1 + x^2)) / x) with
    x = 4 y / T.
    """
    depth = np.asarray(depth, float)
    x = np.maximum(4 * 1.5 * depth / width, 1e-9)
    perimeter = width / 2 * (np.sqrt(1 + x * x) + np.arcsinh(x) / x)
    return np.asarray(depth * width / perimeter)


def normal_depth(flow: ArrayLike, slope: ArrayLike, n: float, width: float = np.inf) -> Floats:
    """Mean depth [m] at which a flow for each metre of a stream's width [m2/s] runs evenly; of a wide one
    (q n / S^(1/2))^(3/5), of others by its hydraulic radius."""
    q = np.asarray(flow, float) * n / np.sqrt(np.asarray(slope, float))
    depth = np.asarray(q**0.6)
    if np.isfinite(width):
        for _ in range(SOLVED):  # q = d R^(2/3); the mean of old and new in their logarithms comes home
            depth = np.sqrt(depth * q / hydraulic_radius(depth, width) ** (2 / 3))
    return depth


SOLVED = 30


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
    per_metre = depth * (float(manning_speed(hydraulic_radius(depth, width), mean, n)) if speed is None else speed)
    deep = normal_depth(per_metre, slope, n, width)
    if speed is not None:  # as deep as told where it falls as the whole does
        deep = deep * depth / float(normal_depth(per_metre, mean, n, width))
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
