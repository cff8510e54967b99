"""Where plants stand: seeded scattering over an area, by slope and height."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS
from lumwick.land.covers import lie_of
from lumwick.land.ground import Ground
from lumwick.place.nature import PLANTS_AT_MOST, Stand


@dataclass(frozen=True)
class Plants:
    """Plants of one stand.

    Attributes
    ----------
    position : ndarray, shape (n, 3) [m]
    turn : ndarray, shape (n,) [rad]
    scale : ndarray, shape (n,)
        Height over the stand's usual height.
    shade : ndarray, shape (n,)
        Each plant's own number from 0 to 1, for colour and for choosing its form.
    """

    position: NDArray[np.float64]
    turn: NDArray[np.float64]
    scale: NDArray[np.float64]
    shade: NDArray[np.float64]


def scatter(
    stand: Stand,
    ground: Ground,
    slope: NDArray[np.float64],
    clear: list[shapely.Geometry] | None = None,
    water_level: float | None = None,
) -> Plants:
    """Set a stand's plants out: a jittered grid, thinned in clumps, where slope, height and area allow.

    Parameters
    ----------
    slope : ndarray, shape (ny, nx) [degrees]
        Of the ground.
    clear : list of shapely geometries
        Where nothing grows, as on a path.
    water_level : float or None [m]
        Trees and grass stay above it; reeds stand in up to half a metre of it.

    Raises
    ------
    PlaceError
        The stand would hold more plants than can be filmed.
    """
    kind, area = KINDS[stand.kind], _area(stand)
    w, s, e, n = _extent(stand, ground, area)
    if stand.per_hectare <= 0 or w >= e or s >= n:
        return _none()
    step = 100.0 / np.sqrt(stand.per_hectare)  # of the jittered grid
    nx, ny = max(1, int(np.ceil((e - w) / step))), max(1, int(np.ceil((n - s) / step)))
    rng = np.random.Generator(np.random.Philox(key=[stand.seed, 21]))
    draw = rng.random((ny, nx, 6))
    x = w + (np.arange(nx)[None, :] + draw[..., 0]) * step
    y = s + (np.arange(ny)[:, None] + draw[..., 1]) * step
    x, y, draw = x.ravel(), y.ravel(), draw.reshape(-1, 6)
    z = ground.height(x, y)
    steep = ndimage.map_coordinates(
        slope, [(y - ground.south) / ground.spacing, (x - ground.west) / ground.spacing], order=1, mode="nearest"
    )
    keep = (steep <= stand.slope_most) & (z >= stand.lowest) & (z <= stand.highest) & (x < e) & (y < n)
    if water_level is not None:
        keep &= z > water_level - kind.wades
    if area is not None:
        keep &= shapely.contains_xy(area, x, y)
    for path in clear or []:
        shapely.prepare(path)
        keep &= ~shapely.contains_xy(path, x, y)
    keep &= draw[:, 2] > kind.clearings * _thinning(x, y, rng)
    if stand.groves > 0 and keep.any():
        keep[keep] = draw[keep, 2] * 0.999 < _grove(stand, ground, x[keep], y[keep])
    tall = np.clip(1 + stand.variation * (draw[:, 3] + draw[:, 4] - 1) * 1.7, 0.25, 2.0)
    return Plants(
        np.stack([x, y, z], 1)[keep], draw[keep, 5] * 2 * np.pi, tall[keep], np.mod(draw[keep, 2] * 7919.0, 1.0)
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
        raise PlaceError(
            f"{stand.name} would hold {expected:,.0f} plants: at most "
            f"{PLANTS_AT_MOST:,} can be filmed. Lower its density or its area."
        )
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
    return (
        Plants(middle[whole], quarter[whole], tall[whole], shade[whole]),
        Plants(plants.position[single], plants.turn[single], plants.scale[single], plants.shade[single]),
    )


def _none() -> Plants:
    return Plants(np.zeros((0, 3)), np.zeros(0), np.zeros(0), np.zeros(0))
