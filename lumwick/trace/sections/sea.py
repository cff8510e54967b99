"""The sea at an instant."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.place.nature import Sea
from lumwick.trace import embree, records
from lumwick.trace.sections.sheet import Sheet
from lumwick.water.shore import wash_of
from lumwick.water.spectrum import SeaState, slope_variance
from lumwick.water.surface import TILES, raise_sheet, surface, swells


@dataclass(frozen=True)
class SeaInputs:
    """The sea's state, the moment [s], over what the clip closes [s], and the water that it raises."""

    state: SeaState | None
    t: float
    loop: float | None
    sea: Sea
    sheet: Sheet


@dataclass(frozen=True)
class SeaMade:
    """Waves for the kernel.

    Attributes
    ----------
    slopes : tuple of ndarray of float32, shape (n, n, 2) each
        Of each tile.
    fold : ndarray of float32, shape (n, n, 4)
        Displacement of the longest tile [m], and where it folds.
    tiles : ndarray of `lumwick.trace.records.TILES`, shape (1,)
    raised : list of Scene
        What was moved and waits for its commit.
    """

    slopes: tuple[NDArray[np.float32], ...]
    fold: NDArray[np.float32]
    tiles: NDArray[np.void]
    raised: list[embree.Scene]


def make_sea(inputs: SeaInputs) -> SeaMade:
    """Waves at a moment; the sheet's meshes are moved to them."""
    state, sheet = inputs.state, inputs.sheet
    if state is None:
        flat = tuple(np.zeros((2, 2, 2), np.float32) for _ in TILES)
        return SeaMade(flat, np.ones((2, 2, 4), np.float32), _tiles([0.0] * len(TILES), 0.001), [])
    waves = swells(state, inputs.sea.seed, inputs.loop)
    now = surface(waves, inputs.t, inputs.sea.choppiness)
    variance = [float(np.vdot(s, s)) / (s.size / 2) for s in now.slopes]
    raised: list[embree.Scene] = []
    if sheet.near is not None and sheet.tile is not None:
        x, y = (np.ascontiguousarray(sheet.near.rest[:, c]) for c in (0, 1))
        raise_sheet(x, y, sheet.near.open, now.displaced, TILES[0][0], sheet.level, sheet.near.vertices)
        wash = wash_of(state, sheet.slope, inputs.sea.seed, inputs.loop)
        sheet.near.vertices[: len(x), 2] += sheet.near.shore * wash.at(inputs.t, sheet.near.late)
        wrapped = np.pad(now.displaced[..., :3], ((0, 1), (0, 1), (0, 0)), mode="wrap").reshape(-1, 3)
        sheet.tile.vertices[:] = sheet.tile.rest + wrapped
        for water in (sheet.near, sheet.tile):
            water.mesh.moved()
            raised.append(water.scene)
    return SeaMade(now.slopes, now.displaced, _tiles(variance, slope_variance(state.wind_speed)), raised)


def _tiles(variance: list[float], slopes: float) -> NDArray[np.void]:
    """The sea's tiles for the kernel: their lengths, the variance of slopes in each, and of all slopes."""
    return np.array([([length for length, _ in TILES], variance, slopes)], records.TILES)
