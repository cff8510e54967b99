"""How high the water stands at spots and times of a shot: tide, long waves, wash, and other waters than the sea."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.land import covers
from lumwick.land.covers import sea_nearness
from lumwick.place.document import Shot
from lumwick.place.fields import most
from lumwick.snapshot.disturbances import level_at
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.waters import sea_state
from lumwick.water.shore import WASH_DEPTH, wash_of
from lumwick.water.spectrum import significant_height
from lumwick.water.surface import heights_at, swells

Floats = NDArray[np.float64]
TIDE_SAMPLES = 17


def beach_slope(setting: Setting, level: float) -> float | None:
    """Mean slope of the ground about the sea's edge on open shores, or None where it has none."""
    key = ("beach", round(level, 1))
    ground = setting.ground

    def made() -> float | None:
        return covers.beach_slope(ground.heights, ground.slope(), sea_nearness(ground, level), level)

    return setting.memory.remembered(key, made)


def _tide(setting: Setting, shot: Shot, t: Floats) -> Floats:
    """Height [m] of the sea's still water at clip times (n,)."""
    sea = setting.place.sea
    if most(sea.tide_range) <= 0:
        return np.full(len(t), setting.still(shot).place.sea.surface)
    at = np.linspace(0.0, shot.seconds, TIDE_SAMPLES)
    return np.interp(t, at, [setting.motions(shot).at(float(v))[0].sea.surface for v in at])


def water_over(setting: Setting, shot: Shot, p: Floats, t: Floats) -> Floats:
    """Height [m] of the water's surface at points (n, 3) at clip times (n,); minus infinity over dry land."""
    still = setting.still(shot)
    place, ground = still.place, still.ground
    out = np.full(len(p), -np.inf)
    land = ground.height(p[:, 0], p[:, 1])
    if place.sea.present:
        level = _tide(setting, shot, t)
        state, loop = sea_state(place.sea, place.site.north_turn), shot.closes_over
        depth = level - land
        slope = beach_slope(still, float(level[0]))
        wash = None if slope is None else wash_of(state, slope, place.sea.seed, loop)
        high = 0.0 if wash is None or not np.isfinite(wash.period) else wash.highest
        over = depth > -high
        out[over & (depth > 0)] = level[over & (depth > 0)]
        close = over & (p[:, 2] < level + 3 * significant_height(state) + high)
        if close.any():
            shares = still.openness(round(float(level[0]), 1))(p[close, 0], p[close, 1])
            up = level[close] + shares[:, 0] * heights_at(
                swells(state, place.sea.seed, loop), p[close, 0], p[close, 1], t[close]
            )
            if high > 0 and wash is not None:
                share = shares[:, 2] * np.exp(-np.clip(depth[close], 0, None) / WASH_DEPTH)
                up += share * wash.at(t[close], 0.0)
            out[close] = np.where(up > land[close], up, -np.inf)
    if place.waters:
        beds = still.beds()
        for k, at in enumerate(p):
            for _, own, _ in level_at(beds, place.waters, float(at[0]), float(at[1])):
                out[k] = max(out[k], own)
    return out


def highest_water(setting: Setting, shot: Shot, p: Floats, times: int = 48) -> float | None:
    """The highest water [m] of a shot under points (n, 3) of its camera's way, at any time of its clip."""
    every = p[:: max(1, len(p) // 24)]
    t = np.linspace(0.0, shot.seconds, times)
    over = water_over(setting, shot, np.repeat(every, times, 0), np.tile(t, len(every)))
    return float(over.max()) if np.isfinite(over).any() else None
