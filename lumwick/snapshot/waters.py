"""The waters of a place as they are made from: the sea's state, the beds that others lie in, and what stirs them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage
from scipy.spatial import KDTree

from lumwick.disk_cache import digest
from lumwick.errors import LandError, LumwickError
from lumwick.land.ground import Ground
from lumwick.place.nature import Sea, Water
from lumwick.water.spectrum import SeaState, Train, limited
from lumwick.water.stream import BEDS, FREEBOARD, Reach, carved, reach
from lumwick.water.surface import swells

Floats = NDArray[np.float64]
POND_BANK = 0.5
"""Slope of a pond's bed from its shore down (practice)."""


def sea_state(sea: Sea, north_turn: float = 0.0) -> SeaState:
    """The state of a sea at an instant, its bearings on the chart; told waves are lowered to what its depth bears."""
    return told_state(sea, north_turn)[0]


def told_state(sea: Sea, north_turn: float = 0.0) -> tuple[SeaState, str]:
    """The same, and in words what was lowered."""

    def toward(bearing: float) -> float:
        return (bearing + 180 + north_turn) % 360

    told = sea.by == "height"
    swell = None
    if sea.swell_height > 0:
        swell = Train(sea.swell_height, sea.swell_period, toward(sea.swell_from), sea.swell_spread)
    height, period = (sea.wave_height, sea.wave_period) if told else (None, None)
    wind = toward(sea.wind_from)
    return limited(SeaState(sea.wind_speed, sea.fetch_km * 1000, sea.depth, wind, height, period, swell, sea.rate))


def loop_changes(state: SeaState, seed: int, loop: float | None) -> str:
    """What closing over a loop [s] has changed of a sea's waves, in numbers; empty if nothing is closed."""
    if not loop:
        return ""
    free, closed = (swells(state, seed, length)[0] for length in (None, loop))
    strong = np.abs(free.up) > 0.25 * np.abs(free.up).max()
    own, now = free.omega[strong], closed.omega[strong]
    still = now < 1e-9
    if not len(own) or still.all():
        return f"the loop of {loop:g} s is too short for these waves: they stand still"
    slowest = int(np.argmin(np.where(still, np.inf, own)))
    before, after = 2 * np.pi / own[slowest], 2 * np.pi / now[slowest]
    most = float(np.abs(now[~still] / own[~still] - 1).max()) * 100
    words = (
        f"to close in {loop:g} s the slowest wave goes from {before:.1f} to {after:.1f} s, none by over {most:.0f} %"
    )
    return words + (f"; {still.sum()} slower ones stand still" if still.any() else "")


# -- beds ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Bed:
    """Where a body of water lies: a stream's reach, or the shore of another; its usual level [m]; or in a sentence why
    it cannot lie there."""

    reach: Reach | None = None
    shore: shapely.Polygon | None = None
    level: float = 0.0
    trouble: str = ""

    @property
    def top(self) -> float:
        """Its highest level [m]."""
        return float(self.reach.surface[0]) if self.reach is not None else self.level

    def nearest(self, spots: Floats) -> tuple[Floats, NDArray[np.int64]]:
        """How far a stream's middle is from spots (n, 2) [m], and which of its stations is nearest."""
        assert self.reach is not None
        off, at = self._stations.query(spots)
        return np.asarray(off, float), np.asarray(at, np.int64)

    @cached_property
    def _stations(self) -> KDTree:
        assert self.reach is not None
        return KDTree(np.stack([self.reach.x, self.reach.y], 1))

    @property
    def shape(self) -> shapely.Geometry | None:
        """What it covers, seen from above."""
        if self.reach is not None:
            return shapely.LineString(np.stack([self.reach.x, self.reach.y], 1)).buffer(self.reach.width / 2)
        return self.shore

    @property
    def fingerprint(self) -> str:
        """What it is known by."""
        reach = () if self.reach is None else (self.reach.surface, self.reach.speed, self.reach.x, self.reach.y)
        shore = "" if self.shore is None else self.shore.wkt
        return digest(self.level, shore, *reach)


def outline_of(line: Sequence[tuple[float, float]]) -> shapely.Polygon:
    """The shore of a pond, or of where puddles lie.

    Raises
    ------
    LandError
        It crosses itself, or has no area.
    """
    if len(line) < 3:
        raise LandError("a shore has three corners at least.")
    shape = shapely.Polygon(line)
    if not shape.is_valid or shape.area < 0.05:
        raise LandError("its shore crosses itself or has no area: draw it as one ring.")
    return shape


def beds_of(ground: Ground, waters: Sequence[Water]) -> tuple[Ground, tuple[Bed, ...]]:
    """The land with the beds of all waters dug into it, in their order, and where each lies."""
    return _beds(Known(ground), tuple(_Shape.of(water) for water in waters))


class Known:
    """A ground that is another only if its fingerprint is."""

    def __init__(self, ground: Ground) -> None:
        self.ground = ground

    def __hash__(self) -> int:
        return hash(self.ground.fingerprint)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Known) and self.ground.fingerprint == other.ground.fingerprint


@dataclass(frozen=True)
class _Shape:
    """What of a water its bed depends on."""

    kind: str
    name: str
    line: tuple[tuple[float, float], ...]
    width: float
    depth: float
    n: float
    speed: float | None

    @classmethod
    def of(cls, water: Water) -> _Shape:
        told = water.speed if water.by == "speed" else None
        return cls(water.kind, water.name, tuple(water.line), water.width, water.depth, BEDS[water.bed], told)


@lru_cache(12)
def _beds(known: Known, shapes: tuple[_Shape, ...]) -> tuple[Ground, tuple[Bed, ...]]:
    g, beds = known.ground, []
    for shape in shapes:
        try:
            heights, bed = _laid(g, shape)
        except LumwickError as error:
            beds.append(Bed(trouble=f"{shape.name}: {error}"))
            continue
        beds.append(bed)
        g = Ground(heights, g.spacing, g.west, g.south)
    return g, tuple(beds)


def _laid(g: Ground, shape: _Shape) -> tuple[NDArray[np.float32], Bed]:
    """Heights with a water's bed in them, and where it lies."""
    east, north = (
        np.asarray(start + np.arange(n) * g.spacing, float)
        for start, n in ((g.west, g.heights.shape[1]), (g.south, g.heights.shape[0]))
    )
    if shape.kind == "stream":
        run = reach(shape.line, g.height, shape.width, shape.depth, shape.n, shape.speed)
        return carved(g.heights, east, north, run), Bed(run, level=float(run.surface[-1]))
    shore = outline_of(shape.line)
    ring = np.asarray(shore.exterior.segmentize(max(0.5, g.spacing)).coords)
    low = float(g.height(ring[:, 0], ring[:, 1]).min())
    if shape.kind == "puddles":
        return g.heights, Bed(shore=shore, level=low)
    level = low - FREEBOARD / 2
    return _dug(g.heights, east, north, shore, level, shape.depth), Bed(shore=shore, level=level)


def _dug(
    heights: NDArray[np.float32], east: Floats, north: Floats, shape: shapely.Polygon, level: float, depth: float
) -> NDArray[np.float32]:
    """A grid's heights with a pond's bed in them: no shallower than its shore's slope makes it; its banks keep its
    water in."""
    inside = np.zeros(heights.shape, bool)
    w, s, e, n = shape.bounds
    rows, cols = np.flatnonzero((north > s) & (north < n)), np.flatnonzero((east > w) & (east < e))
    if not len(rows) or not len(cols):
        return heights
    x, y = np.meshgrid(east[cols], north[rows])
    inside[np.ix_(rows, cols)] = shapely.contains_xy(shape, x.ravel(), y.ravel()).reshape(x.shape)
    away = ndimage.distance_transform_edt(inside) * float(east[1] - east[0])
    bed = level - depth * np.tanh(np.maximum(away - 0.3, 0) * POND_BANK / depth)
    return np.where(inside, np.minimum(heights, bed), heights).astype(np.float32)


# -- what stirs them -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Stirrer:
    """Something that goes through water: what it is called, where it was [s, m], and its size there [m].

    Attributes
    ----------
    ago : ndarray, shape (n,)
    place : ndarray, shape (n, 3)
        Its foot.
    radius, draught : float
    """

    name: str
    ago: Floats
    place: Floats
    radius: float
    height: float
