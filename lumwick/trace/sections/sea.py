"""The sea at an instant."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.place.nature import Sea
from lumwick.trace import embree, records
from lumwick.trace.sections.sheet import Sheet
from lumwick.water.foam import lingering, streaks
from lumwick.water.ripples import CHOP_TILE
from lumwick.water.shore import LATEST, marks, wash_of
from lumwick.water.spectrum import SeaState, significant_height, slope_variance
from lumwick.water.surface import TILES, raise_sheet, raise_tile, surface, swells


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
    crests : ndarray of float32, shape (n, n, 4)
        Displacement of the longest tile [m], and its share of foam.
    tiles : ndarray of `lumwick.trace.records.TILES`, shape (1,)
    wash : ndarray of float32, shape (columns, n, 3)
        What the wash of the shore has left, as `lumwick.water.shore.marks` gives it.
    raised : list of Scene
        What was moved and waits for its commit.
    """

    slopes: tuple[NDArray[np.float32], ...]
    crests: NDArray[np.float32]
    tiles: NDArray[np.void]
    wash: NDArray[np.float32]
    raised: list[embree.Scene]


def make_sea(inputs: SeaInputs) -> SeaMade:
    """Waves at a moment; the sheet's meshes are moved to them."""
    state, sheet = inputs.state, inputs.sheet
    tiles = np.zeros(1, records.TILES)
    tiles["length"], tiles["slope_variance"] = [length for length, _ in TILES], 0.001
    tiles["chop"] = CHOP_TILE
    if state is None:
        flat = tuple(np.zeros((2, 2, 2), np.float32) for _ in TILES)
        return SeaMade(flat, np.zeros((2, 2, 4), np.float32), tiles, NO_WASH, [])
    waves = swells(state, inputs.sea.seed, inputs.loop)
    now = surface(waves, inputs.t, inputs.sea.choppiness)
    foam = lingering(waves[0], now.displaced[..., 3], inputs.t, inputs.sea.choppiness, state.wind_speed, state.rate)
    tiles["variance"] = [float(np.vdot(s, s)) / (s.size / 2) for s in now.slopes]
    tiles["slope_variance"] = slope_variance(state.wind_speed)
    tiles["streak"] = streaks((state.wind_speed / 0.836) ** (2 / 3))
    tiles["wind"] = np.sin(np.radians(state.toward)), np.cos(np.radians(state.toward))
    tiles["splash"] = SPLASHES * significant_height(state)
    wash, table = wash_of(state, sheet.slope, inputs.sea.seed, inputs.loop), NO_WASH
    raised: list[embree.Scene] = []
    if sheet.near is not None and sheet.tile is not None:
        x, y = (np.ascontiguousarray(sheet.near.rest[:, c]) for c in (0, 1))
        level = inputs.sea.surface  # the sheet is laid for about this height of the tide, and lies at just this
        raise_sheet(x, y, sheet.near.open, now.displaced, TILES[0][0], level, sheet.near.vertices)
        washed = sheet.near.washed
        sheet.near.vertices[washed, 2] += sheet.near.shore[washed] * wash.at(inputs.t, sheet.near.late[washed])
        raise_tile(sheet.tile.rest, now.displaced, level - sheet.level, sheet.tile.vertices)
        for water in (sheet.near, sheet.tile):
            water.mesh.moved()
            raised.append(water.scene)
        if len(washed) and wash.swash > 0 and np.isfinite(wash.period):
            low, high = wash.setup - wash.swash / 2 - 0.02, wash.highest + 0.02
            table = marks(wash, inputs.t, np.linspace(low, high, WASH_ROWS))
            tiles["wash_low"], tiles["wash_high"], tiles["latest"] = low, high, LATEST
    now.displaced[..., 3] = foam
    return SeaMade(now.slopes, now.displaced, tiles, table, raised)


NO_WASH = np.zeros((2, 2, 3), np.float32)
WASH_ROWS = 96
SPLASHES = 0.35
"""Height over still water, of the significant, to which waves wet what stands in them (practice)."""
