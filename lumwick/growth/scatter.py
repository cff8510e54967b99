"""Where plants stand: seeded scattering over an area, by slope and height."""

from __future__ import annotations

import zlib
from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS
from lumwick.growth.plants import Plants, no_plants, too_many
from lumwick.growth.spacing import CHOICE, between, on_faces, spaced_out
from lumwick.land.covers import lie_of
from lumwick.land.ground import Ground
from lumwick.place.growing import PLANTS_AT_MOST, Stand


@dataclass(frozen=True)
class Bounds:
    """What bounds a stand besides its own description.

    Attributes
    ----------
    clear : list of shapely geometries
        Where nothing grows, as on a path.
    cut : list of (shapely geometry, float)
        Ways, and what share of its height is left to what grows on them.
    water : list of shapely geometries
        Inland waters.
    water_level : float or None [m]
        Trees and grass stay above it; reeds stand in up to half a metre of it.
    faces : ndarray, shape (m, 3, 3) or None [m]
        Triangles that it grows on, in place of the ground.
    """

    clear: list[shapely.Geometry] = field(default_factory=list)
    cut: list[tuple[shapely.Geometry, float]] = field(default_factory=list)
    water: list[shapely.Geometry] = field(default_factory=list)
    water_level: float | None = None
    faces: NDArray[np.float64] | None = None


def scatter(stand: Stand, ground: Ground, slope: NDArray[np.float64], bounds: Bounds | None = None) -> Plants:
    """Set a stand's plants out where slope, height, area and what bounds it allow; and those that were set by hand.

    Parameters
    ----------
    slope : ndarray, shape (ny, nx) [degrees]
        Of the ground.

    Raises
    ------
    PlaceError
        The stand would hold more plants than can be filmed.
    """
    bounds = bounds or Bounds()
    if stand.only_singles:
        return _with_singles(stand, ground, no_plants())
    if stand.on:
        return _with_singles(stand, ground, on_faces(stand, bounds.faces))
    area = _area(stand)
    w, s, e, n = _extent(stand, ground, area)
    if stand.per_hectare <= 0 or w >= e or s >= n:
        return _with_singles(stand, ground, no_plants())
    rng = np.random.Generator(np.random.Philox(key=[stand.seed, 21]))
    # what keeps apart is chosen from more than are wanted
    step = 100.0 / np.sqrt(stand.per_hectare * (CHOICE if stand.spaced > 0 else 1.0))  # of the jittered grid
    nx, ny = max(1, int(np.ceil((e - w) / step))), max(1, int(np.ceil((n - s) / step)))
    draw = rng.random((ny, nx, 6))
    x = w + (np.arange(nx)[None, :] + draw[..., 0]) * step
    y = s + (np.arange(ny)[:, None] + draw[..., 1]) * step
    x, y, draw = x.ravel(), y.ravel(), draw.reshape(-1, 6)
    z = ground.height(x, y)
    keep = (z >= stand.lowest) & (z <= stand.highest) & (x < e) & (y < n)
    if area is not None:
        keep &= shapely.contains_xy(area, x, y)
    keep &= _allowed(stand, ground, slope, (x, y, z), bounds)
    keep &= draw[:, 2] > KINDS[stand.kind].clearings * _thinning(x, y, rng)
    if stand.groves > 0 and keep.any():
        keep[keep] = draw[keep, 2] * 0.999 < _grove(stand, ground, x[keep], y[keep])
    if stand.spaced > 0:
        kept = np.flatnonzero(keep)
        chosen = spaced_out(np.stack([x[kept], y[kept]], 1), draw[kept, 3], stand.spaced)
        keep[kept[~chosen]] = False
        over = np.flatnonzero(keep)
        most = round(stand.per_hectare * step * step / 1e4 * len(kept))
        keep[over[np.argsort(draw[over, 4])[most:]]] = False
    tall = np.clip(1 + stand.variation * (draw[:, 3] + draw[:, 4] - 1) * 1.7, 0.25, 2.0)
    for shape, left in bounds.cut:
        shapely.prepare(shape)
        on = keep & shapely.contains_xy(shape, x, y)
        tall[on] *= left
        keep &= ~on | (left > 0)
    up = np.zeros((0, 3)) if stand.upright is None else between(ground, x[keep], y[keep], stand.upright)
    found = Plants(
        np.stack([x, y, z], 1)[keep], draw[keep, 5] * 2 * np.pi, tall[keep], np.mod(draw[keep, 2] * 7919.0, 1.0), up
    )
    return _with_singles(stand, ground, found)


def _allowed(
    stand: Stand,
    ground: Ground,
    slope: NDArray[np.float64],
    at: tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]],
    bounds: Bounds,
) -> NDArray[np.bool_]:
    """Whether a stand's plants may stand at points, by slope, by water and by what is kept clear; shape (n,)."""
    (x, y, z), kind = at, KINDS[stand.kind]
    cell = [(y - ground.south) / ground.spacing, (x - ground.west) / ground.spacing]
    keep = ndimage.map_coordinates(slope, cell, order=1, mode="nearest") <= stand.slope_most
    if bounds.water_level is not None:
        keep &= z > bounds.water_level - kind.wades
    for path in bounds.clear:
        kept = path.buffer(stand.margin) if stand.margin > 0 else path
        shapely.prepare(kept)
        keep &= ~shapely.contains_xy(kept, x, y)
    if stand.near_water > 0:
        keep &= _to_water(ground, cell, (x, y), bounds) <= stand.near_water
    if stand.faces_within < 180:
        north, east = (
            ndimage.map_coordinates(g, cell, order=1, mode="nearest")
            for g in np.gradient(ground.heights.astype(float), ground.spacing)
        )
        off = np.degrees(np.arctan2(-east, -north)) - stand.faces
        keep &= np.abs((off + 180) % 360 - 180) <= stand.faces_within
    return np.asarray(keep, bool)


def _to_water(
    ground: Ground,
    cell: list[NDArray[np.float64]],
    at: tuple[NDArray[np.float64], NDArray[np.float64]],
    bounds: Bounds,
) -> NDArray[np.float64]:
    """How far points are from the sea or from any inland water [m], shape (n,)."""
    far = np.full(len(at[0]), np.inf)
    if bounds.water_level is not None and (ground.heights < bounds.water_level).any():
        grid = ndimage.distance_transform_edt(ground.heights >= bounds.water_level) * ground.spacing
        far = ndimage.map_coordinates(grid, cell, order=1, mode="nearest")
    for shape in bounds.water:
        shapely.prepare(shape)
        far = np.minimum(far, shapely.distance(shape, shapely.points(*at)))
    return far


def _with_singles(stand: Stand, ground: Ground, found: Plants) -> Plants:
    """The same with the plants that were set by hand, each its own whatever becomes of the others."""
    if not stand.singles:
        return found
    x, y = (np.array([getattr(spot, name) for spot in stand.singles], float) for name in ("east", "north"))
    shade = np.array([zlib.crc32(spot.id.encode()) % 10007 / 10007 for spot in stand.singles])
    turn = np.radians([-spot.turn for spot in stand.singles])
    up = np.concatenate([found.up, np.tile([0.0, 0.0, 1.0], (len(x), 1))]) if len(found.up) else found.up
    return Plants(
        np.concatenate([found.position, np.stack([x, y, ground.height(x, y)], 1)]),
        np.concatenate([found.turn, turn]),
        np.concatenate([found.scale, [spot.size for spot in stand.singles]]),
        np.concatenate([found.shade, shade]),
        up,
    )


GROVE_CELLS = 192
"""Points a side of the noise that groves are cut from; it repeats after `GROVE_CELLS` / 6 groves."""
RAGGED = 0.16
"""Over how much of the noise's spread a grove thins out at its rim (practice)."""


def _grove(stand: Stand, ground: Ground, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Chance (n,) that a plant stands at points: 1 within a grove, 0 outside, thinning at a ragged rim.

    Stands whose groves are as wide share them, so that a wood can be mixed.
    """
    rng = np.random.Generator(np.random.Philox(key=[round(stand.groves), 22]))
    noise = np.zeros((GROVE_CELLS, GROVE_CELLS))
    for size, share in ((2.0, 1.0), (0.9, 0.55), (0.4, 0.3)):
        octave = ndimage.gaussian_filter(rng.standard_normal(noise.shape), size, mode="wrap")
        noise += share * octave / octave.std()
    noise /= noise.std()
    cell = stand.groves / 6
    value = ndimage.map_coordinates(noise, [y / cell, x / cell], order=1, mode="grid-wrap")
    hollow = lie_of(ground)[0]
    at = [(y - ground.south) / ground.spacing, (x - ground.west) / ground.spacing]
    value = value + 0.9 * ndimage.map_coordinates(hollow, at, order=1, mode="nearest")
    least = float(np.quantile(value, 1 - stand.groves_cover))
    return np.asarray(np.clip((value - least) / (2 * RAGGED) + 0.5, 0, 1))


def _extent(stand: Stand, ground: Ground, area: shapely.Polygon | None) -> tuple[float, float, float, float]:
    """West, south, east and north [m] of where a stand is set out; it must not hold more plants than can be filmed."""
    w, s, e, n = ground.bounds
    if area is not None:
        aw, as_, ae, an = area.bounds
        w, s, e, n = max(w, aw), max(s, as_), min(e, ae), min(n, an)
    size = area.area if area is not None and w < e and s < n else max(e - w, 0.0) * max(n - s, 0.0)
    expected = size / 1e4 * stand.per_hectare
    if expected > PLANTS_AT_MOST:
        raise PlaceError(too_many(stand, expected))
    return w, s, e, n


def _area(stand: Stand) -> shapely.Polygon | None:
    """The outline that a stand keeps within; None if that is the whole place."""
    if not stand.area:
        return None
    area = shapely.Polygon(stand.area) if len(stand.area) >= 3 else None
    if area is None or not area.is_valid or area.area <= 0:
        raise PlaceError(
            f"The area of {stand.name} is not a simple outline: draw at least three corners that do not cross."
        )
    shapely.prepare(area)
    return area


def _thinning(x: NDArray[np.float64], y: NDArray[np.float64], rng: np.random.Generator) -> NDArray[np.float64]:
    """Slow seeded waves by which a stand has clearings, 0 to 2.6 at points (n,); more in a wood than in a sward."""
    p = rng.random(6) * 2 * np.pi
    waves = (
        np.sin(x / 17 + p[0] + np.sin(y / 23 + p[1]))
        + np.sin(y / 13 + p[2] + np.sin(x / 19 + p[3]))
        + np.sin((x + y) / 37 + p[4])
    )
    return np.asarray(np.clip(1 + waves / 1.5, 0, 2.6))


def cell_numbers(position: NDArray[np.float64], side: float) -> NDArray[np.int64]:
    """A number for the square cell of ``side`` [m] in which each position (n, 2 or 3) lies; the same cell, the same
    number."""
    cell = np.floor(position[:, :2] / side).astype(np.int64)
    return cell[:, 1] * 2**31 + cell[:, 0]


def gather(
    plants: Plants,
    side: float,
    density: float,
    ground: Ground,
    enough: float = 0.55,
    clear: list[shapely.Geometry] | None = None,
) -> tuple[Plants, Plants]:
    """Let whole square patches stand for the tufts of a bed, where it is closed; its rim keeps single tufts.

    Parameters
    ----------
    side : float [m]
        Of a patch; patches lie on one grid and do not overlap.
    density : float [1/m2]
        Tufts that were asked for on a square metre.
    enough : float
        Share of a full patch's tufts from which a patch stands for them.
    clear : list of shapely geometries
        Where nothing grows: a patch would, so squares that these touch keep single tufts.

    Returns
    -------
    patches, single : Plants
        A patch's position is its middle on the ground, its turn a whole number of right angles, and its scale
        the mean of its tufts'.
    """
    if not len(plants.turn):
        return plants, plants
    cell = np.floor(plants.position[:, :2] / side).astype(np.int64)
    low = cell.min(axis=0)
    wide = int(cell[:, 0].max() - low[0]) + 1
    number = (cell[:, 1] - low[1]) * wide + (cell[:, 0] - low[0])
    used, inverse, count = np.unique(number, return_inverse=True, return_counts=True)
    whole = count >= max(2.0, enough * density * side * side)
    tall = np.bincount(inverse, plants.scale) / count
    first = np.zeros(len(used), np.int64)
    first[inverse[::-1]] = np.arange(len(inverse))[::-1]
    x = (used % wide + low[0] + 0.5) * side
    y = (used // wide + low[1] + 0.5) * side
    for shape in clear or ():
        west, south, east, north = shape.bounds
        shapely.prepare(shape)
        near = np.flatnonzero(
            whole
            & (abs(x - (west + east) / 2) < (east - west + side) / 2)
            & (abs(y - (south + north) / 2) < (north - south + side) / 2)
        )
        whole[near] = ~shapely.intersects(
            shape, shapely.box(x[near] - side / 2, y[near] - side / 2, x[near] + side / 2, y[near] + side / 2)
        )
    middle = np.stack([x, y, ground.height(x, y)], 1)
    shade = plants.shade[first]
    quarter = np.floor(np.mod(shade * 977.0, 1.0) * 4) * (np.pi / 2)
    single = ~whole[inverse]
    return Plants(middle[whole], quarter[whole], tall[whole], shade[whole]), plants.of(single)
