"""Banks of fog of an instant ready for rays: a grid of how dense they are and where their foot and top lie."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from rasterio.features import rasterize
from rasterio.transform import from_origin
from scipy import ndimage

from lumwick.land.ground import Ground
from lumwick.place.nature import FogBank
from lumwick.snapshot.evaluate import RANGE_TO_EXTINCTION
from lumwick.snapshot.showers import Bank
from lumwick.trace import records

Floats = NDArray[np.float64]
F32 = NDArray[np.float32]
CELLS = 192
"""Cells along the longer side of all banks together."""
FINEST = 0.75
ASYMMETRY = 0.75
FARTHEST = 30_000.0
LOW_SHARE = 0.1
"""Share of an area's ground that lies lower than where a pool's depth is told from (practice)."""


@dataclass(frozen=True)
class BanksInputs:
    """Where banks lie: the ground and each bank's own numbers."""

    ground: Ground
    banks: tuple[FogBank, ...]


@dataclass(frozen=True)
class Banks:
    """The grid (rows, columns, 4): extinction [1/m], foot and thickness [m], how lumpy; where it lies [m]; the box that
    holds all of it."""

    mist: F32
    west: float
    south: float
    spacing: float
    least: Floats
    most: Floats


NONE = Banks(np.zeros((2, 2, 4), np.float32), 0.0, 0.0, 1.0, np.zeros(3), np.zeros(3))


def make_banks(inputs: BanksInputs) -> Banks:
    """All banks on one grid; where two overlap, the denser counts."""
    if not inputs.banks:
        return NONE
    placed = [np.array(one.area, float) + [float(one.moved_east), float(one.moved_north)] for one in inputs.banks]
    corners = np.concatenate(placed)
    rim = max(one.edge for one in inputs.banks) * 0.5 + 2 * FINEST
    low, high = corners.min(0) - rim, corners.max(0) + rim
    spacing = max(float((high - low).max()) / CELLS, FINEST)
    columns, rows = (int(np.ceil(v)) + 2 for v in (high - low) / spacing)
    x, y = np.meshgrid(low[0] + np.arange(columns) * spacing, low[1] + np.arange(rows) * spacing)
    ground = inputs.ground.height(x, y)
    mist = np.zeros((rows, columns, 4))
    mist[..., 1], mist[..., 2] = ground, 1.0
    for one, area in zip(inputs.banks, placed, strict=True):
        thick, foot, high_up = _one(one, area, ground, low, spacing)
        over = thick > mist[..., 0]
        for k, told in enumerate((thick, foot, high_up, np.full(thick.shape, float(one.soft)))):
            mist[..., k] = np.where(over, told, mist[..., k])
    there = mist[..., 0] > 0
    tops = (mist[..., 1] + 1.4 * mist[..., 2])[there]
    feet = (mist[..., 1] - 0.5 * mist[..., 2])[there]
    least = np.array([low[0], low[1], feet.min() if len(feet) else 0.0])
    most = np.array([x.max() - spacing, y.max() - spacing, tops.max() if len(tops) else 0.0])
    return Banks(mist.astype(np.float32), float(low[0]), float(low[1]), spacing, least, most)


def _one(one: FogBank, area: Floats, ground: Floats, low: Floats, spacing: float) -> tuple[Floats, Floats, Floats]:
    """Extinction, foot and thickness of one bank at the grid's spots."""
    rows, columns = ground.shape
    # the grid's first row is its southern one, a picture's is its northern one
    ring = [(float(a), -float(b)) for a, b in [*area, area[0]]]
    to = from_origin(low[0] - spacing / 2, -(low[1] - spacing / 2), spacing, spacing)
    inside = rasterize(
        [{"type": "Polygon", "coordinates": [ring]}], (rows, columns), transform=to, all_touched=True
    ).astype(bool)
    away = ndimage.distance_transform_edt(inside) - ndimage.distance_transform_edt(~inside)
    share = np.clip(0.5 + away * spacing / one.edge, 0, 1)
    share = share * share * (3 - 2 * share)
    lowest = float(np.quantile(ground[inside], LOW_SHARE)) if inside.any() else float(ground.min())
    follows, level = float(one.thick), lowest + float(one.thick)
    high = (1 - one.pools) * follows + one.pools * np.clip(level - ground, 0, None)
    foot = ground + float(one.lifted)
    extinction = RANGE_TO_EXTINCTION / float(one.visibility) * float(one.amount) * share
    # where a pool runs out on rising ground it thins out, and does not end in a wall
    extinction = extinction * np.clip(high / max(0.35 * float(one.thick), 1e-6), 0, 1)
    return extinction, foot, np.maximum(high * np.sqrt(np.clip(share * 1.5, 0, 1)), 0.05)


@dataclass(frozen=True)
class BankLight:
    """What lights banks: the sun's light on them and the mean light from all round (3,) each [lx], [cd/m2]."""

    sun: Floats
    ambient: Floats


def bank_record(made: Banks, banks: tuple[Bank, ...], light: BankLight) -> NDArray[np.void]:
    """Their record for the integrator."""
    record = np.zeros(1, records.BANK)
    if not banks:
        return record
    one, first = record[0], banks[0]
    one["on"], one["west"], one["south"], one["spacing"] = 1.0, made.west, made.south, made.spacing
    one["least"], one["most"], one["high"], one["far"] = made.least, made.most, made.most[2], FARTHEST
    one["grain"], one["share"], one["turned"] = first.bank.size, first.share, first.turned + first.bank.seed % 97 * 3.7
    one["offset"] = (*first.offset[0], *first.offset[1])
    one["sunlight"], one["ambient"], one["asymmetry"] = light.sun, light.ambient, ASYMMETRY
    return record
