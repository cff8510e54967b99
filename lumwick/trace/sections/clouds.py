"""Clouds of an instant ready for rays: their grid, what lies between each spot and the sun, and their mean light."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.air.clouds import OKTAS, Deck, Veil
from lumwick.disk_cache import cached
from lumwick.trace import records
from lumwick.trace.integrator.cloud_field import fill, mean, mixed, moved, shaded

Floats = NDArray[np.float64]
F32 = NDArray[np.float32]
LAYERS, CELLS = 24, 208
CRISP = 2.2
"""By how much hard edges are closer than the grid has them (practice)."""
TILE = 10
"""How many usual clouds lie side by side before they come again."""
LOWEST_SUN = 0.05
"""Sine of the sun's height under which its way through clouds is taken as at it."""
MEAN_EL, MEAN_AZ, MEAN_SPOTS = 9, 9, 20
"""Directions by which the mean light of clouds is told, and from how many spots."""
HAZE_HEIGHT = 2500.0


AGES = 10
"""In how many steps of a life clouds are made; between two they are mixed."""


@lru_cache(6)
def _made_at(step: int, seed: int, closed: float) -> F32:
    def made() -> dict[str, F32]:
        out = np.zeros((LAYERS, CELLS, CELLS), np.float32)
        fill(step / AGES, seed % 100_000, TILE, closed, out)
        return {"field": out}

    field: F32 = cached("clouds", f"{step} {seed} {closed}", made)["field"]
    return field


def _field(age: float, seed: int, closed: float) -> F32:
    """How much cloud there would be at each spot, at an age in lives."""
    step = int(np.floor(age * AGES))
    part = np.float32(age * AGES - step)
    first = _made_at(step, seed, closed)
    return first if part == 0 else first + part * (_made_at(step + 1, seed, closed) - first)


EDGES = 0.34
"""By how much more of a tile must have cloud than is counted, since edges are thin and are eaten away."""


def dense_of(deck: Deck) -> F32:
    """How dense clouds are over a tile, shape (LAYERS, CELLS, CELLS), 0 to 1; so many of its columns have any as
    its oktas say."""
    field = _field(deck.age, deck.seed, round(deck.closed, 3))
    share = min(deck.oktas / OKTAS, 1.0)
    share += EDGES * share * (1 - share)
    tops = field.max(0)
    level = float(np.quantile(tops, 1 - share)) if share < 1 else float(tops.min()) - 0.05
    # a closed sheet is thick everywhere
    level -= 0.12 * max(0.0, share - 0.85) / 0.15
    edge = 0.03 + 0.2 * deck.soft
    out = np.clip((field - level) / edge, 0, 1)
    z = ((np.arange(LAYERS) + 0.5) / LAYERS)[:, None, None]
    out *= np.clip(z / 0.06, 0, 1)  # the foot is flat
    if deck.share < 1:
        shift = [CELLS * (b - a) / side_of(deck) for a, b in zip(deck.offset[0], deck.offset[1], strict=True)]
        out = moved(np.asarray(out, np.float32), shift[1], shift[0], deck.share)
    return np.asarray(out, np.float32)


def side_of(deck: Deck) -> float:
    """Side [m] of the square over which clouds come again."""
    return TILE * 1.6 * deck.size


AGE_STEP, SUN_STEP = 2.5e-4, 3e-4
"""Steps of clouds' age [lives] and of the way to the sun [rad] by which their grid is made anew: at the next frame most
often it need not be (practice: no edge becomes denser by more than a hundredth)."""


def kept_grid(deck: Deck, toward: Floats) -> F32:
    """The grid of clouds as they were at the last step of their age and of the sun's way; in a loop mixed of two sets,
    as `grid_of` would have it, for both are kept and a grid goes by how dense clouds are."""
    asked = replace(deck, age=round(deck.age / AGE_STEP) * AGE_STEP, offset=NOWHERE, share=1.0)
    direction = tuple((np.round(toward / SUN_STEP) * SUN_STEP).tolist())
    first = _kept_grid(asked, direction)
    if deck.share == 1:
        return first
    aside = np.round(np.subtract(deck.offset[1], deck.offset[0]), 3)
    other = _kept_grid(replace(asked, offset=(NOWHERE[0], tuple(aside.tolist())), share=0.0), direction)
    out: F32 = mixed(first, other, deck.share)
    return out


NOWHERE = ((0.0, 0.0), (0.0, 0.0))


@lru_cache(2)
def _kept_grid(deck: Deck, toward: tuple[float, ...]) -> F32:
    return grid_of(deck, np.array(toward))


def grid_of(deck: Deck, toward: Floats) -> F32:
    """A tile of clouds, shape (LAYERS, CELLS, CELLS, 4): how dense, and optical depths to the sun, straight down, and
    of the whole column.

    Parameters
    ----------
    toward : ndarray, shape (3,)
        Direction to the sun.
    """
    dense = dense_of(deck)
    high = deck.thick / LAYERS
    out, room = np.empty((*dense.shape, 4), np.float32), np.empty_like(dense)
    rise = max(float(toward[2]), LOWEST_SUN)
    flat = np.array([toward[1], toward[0]]) / max(float(np.hypot(toward[0], toward[1])), 1e-9)
    run = np.sqrt(1 - rise * rise) / rise * high / side_of(deck) * CELLS
    north, east = -flat * run
    shaded(dense, float(north), float(east), room, 1 / rise, deck.extinction * high, out)
    return out


@dataclass(frozen=True)
class Clouds:
    """Clouds ready for rays, and what they make of the sky on the whole.

    Attributes
    ----------
    record : record array of one `records.CLOUD`
    grid : ndarray of float32, shape (LAYERS, CELLS, CELLS, 4)
    light, left : ndarray, shape (MEAN_EL, MEAN_AZ, 3) [cd/m2] and (MEAN_EL, MEAN_AZ)
        Their mean light and what they leave of the sky, by elevation and azimuth from the sun.
    sun : float
        Mean share of the sun's light that comes to the ground.
    """

    record: NDArray[np.void]
    grid: F32
    light: Floats
    left: Floats
    sun: float


NONE = Clouds(
    np.zeros(1, records.CLOUD),
    np.zeros((1, 1, 1, 4), np.float32),
    np.zeros((MEAN_EL, MEAN_AZ, 3)),
    np.ones((MEAN_EL, MEAN_AZ)),
    1.0,
)


@dataclass(frozen=True)
class Daystar:
    """What lights clouds: direction to the sun (3,), its light [lx] on low and on high ones, the mean light of the sky
    over them and of the ground under them [cd/m2], and the air's extinction [1/m]; each (3,)."""

    toward: Floats
    low_lux: Floats
    high_lux: Floats
    above: Floats
    below: Floats
    haze: Floats


def clouds(deck: Deck | None, high: Veil | None, by: Daystar) -> Clouds:
    """Clouds of an instant; their mean light is told from the datum's height, or under them if they lie lower."""
    if deck is None and high is None:
        return NONE
    record = np.zeros(1, records.CLOUD)
    one = record[0]
    one["above"], one["below"], one["haze_height"] = by.above, by.below, HAZE_HEIGHT
    grid = NONE.grid
    if deck is not None:
        grid = kept_grid(deck, by.toward)
        one["base"], one["top"], one["extinction"], one["side"] = deck.base, deck.top, deck.extinction, side_of(deck)
        one["offset"], one["sunlight"] = deck.offset[0], by.low_lux
        one["grain_offset"] = deck.offset[0] if deck.offset[0] == deck.offset[1] else (0.0, 0.0)
        one["detail"], one["grain"] = 1.1 - 0.8 * deck.soft, 0.16 * deck.size
        one["crisp"] = 1 + CRISP * (1 - deck.soft) ** 2
        one["shift"] = deck.age * 0.5 * deck.size
    if high is not None:
        a = np.radians(high.bearing)
        one["veil_depth"], one["veil_height"], one["veil_amount"] = high.depth, high.height, high.amount
        one["veil_direction"], one["veil_fibrous"], one["veil_seed"] = (np.sin(a), np.cos(a)), high.fibrous, high.seed
        one["veil_offset"], one["veil_light"] = high.offset, by.high_lux
    sun = np.zeros(1, records.SUN)
    sun["direction"] = by.toward
    el = 0.5 * np.pi * ((np.arange(MEAN_EL) + 0.02) / (MEAN_EL - 0.96)) ** 1.5
    az = np.pi * (np.arange(MEAN_AZ) / (MEAN_AZ - 1)) ** 2
    e, turned = np.meshgrid(el, np.arctan2(by.toward[0], by.toward[1]) + az, indexing="ij")
    ways = np.stack([np.cos(e) * np.sin(turned), np.cos(e) * np.cos(turned), np.sin(e)], -1).reshape(-1, 3)
    rng = np.random.default_rng(5)
    spots = np.concatenate([rng.uniform(0, max(float(one["side"]), 1.0), (MEAN_SPOTS, 2)),
                            np.full((MEAN_SPOTS, 1), min(0.0, float(one["base"]) - 50.0))], 1)  # fmt: skip
    air = np.repeat(by.above[None], len(ways), 0)

    def seen() -> tuple[Floats, Floats]:
        light, left = np.zeros((len(ways), 3)), np.zeros(len(ways))
        mean(record, grid, sun, np.asarray(by.haze, float), ways, spots, air, light, left)
        return light, left

    light, left = seen()
    passed = 1.0 if deck is None else float(np.exp(-grid[0, ..., 1].astype(float)).mean())
    if deck is not None:
        # light that comes straight is lost to the air under a deck as it is to the ground there: so much of the light
        # on it is scattered more than under a clear sky (Kasten and Czeplak 1980: 0.7 (N / 8)^2 more; from memory)
        one["closed_over"] = min(deck.oktas / OKTAS, 1.0) ** 2 * (1 - passed)
        falls = (np.sin(e) * np.cos(e) * np.gradient(el)[:, None] * np.gradient(az)).ravel()
        one["beneath"] = (falls[:, None] * (light + left[:, None] * by.above)).sum(0) / falls.sum()
        light, left = seen()  # with that air before them
    shape = (MEAN_EL, MEAN_AZ)
    return Clouds(record, grid, light.reshape(*shape, 3), left.reshape(shape), passed)


def laid_over(table: Floats, made: Clouds) -> Floats:
    """A sky's table (n_el, n_az, 3) with the mean light of clouds over it; rows and columns as
    `lumwick.air.atmosphere.ClearSky` has them."""
    n_el, n_az, _ = table.shape
    el = (np.arange(n_el) / (n_el - 1)) ** 2
    row = np.clip(el ** (1 / 1.5) * (MEAN_EL - 0.96) - 0.02, 0, MEAN_EL - 1)
    column = np.abs(np.arange(n_az) / (n_az - 1) * 2 - 1) * (MEAN_AZ - 1)
    at = np.meshgrid(row, column, indexing="ij")
    left = ndimage.map_coordinates(made.left, at, order=1)
    light = np.stack([ndimage.map_coordinates(made.light[..., c], at, order=1) for c in range(3)], -1)
    return np.asarray(table * left[..., None] + light)
