"""What the Water bench draws: the sea's spectrum, its shore's section, the day's tide, a stream's long section.

All of it is data for SVG: metres, seconds, hours.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np

from lumwick.place.document import Shot
from lumwick.place.instant import place_clock
from lumwick.place.nature import Sea, Water
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.water_report import (
    overlaps,
    sea_in_words,
    shore_in_words,
    shore_of,
    tide_at_hours,
    water_in_words,
)
from lumwick.snapshot.waters import Bed, told_state
from lumwick.water.spectrum import SeaState, jonswap, peak_frequency, significant_height, swell_density

WASH_SECONDS = 24.0
"""Length of the wash that is drawn, if the shot is no loop [s]."""


def _rounded(values: Any, digits: int = 3) -> list[float]:
    return [round(float(v), digits) for v in values]


def sea_drawing(setting: Setting, shot: Shot, t: float) -> dict[str, Any]:
    """The sea's spectrum by frequency, the sea in words, its shore and its tide."""
    sea = setting.still(shot, t).place.sea
    if not sea.present:
        return {"spectrum": [], "words": "There is no sea in this place: switch it on in the slip."}
    state, _ = told_state(sea)
    wp = peak_frequency(state)
    slowest = wp if state.swell is None else min(wp, 2 * np.pi / state.swell.period)
    w = np.linspace(0.3 * slowest, 3.2 * wp, 140)
    density = jonswap(w, state) + (swell_density(w, state.swell) if state.swell is not None else 0.0)
    return {
        "spectrum": [
            [round(float(f) / 2 / np.pi, 4), round(float(s) * 2 * np.pi, 5)] for f, s in zip(w, density, strict=True)
        ],
        "words": "; ".join([*sea_in_words(setting, shot, t), *overlaps(setting)]),
        "peak": {
            "by": sea.by,
            "period": round(2 * np.pi / wp, 3),
            "height": round(significant_height(state), 3),
            "wind": round(float(sea.wind_speed), 2),
        },
        "shore": _shore(setting, sea, state, shot.closes_over),
        "tide": _tide(sea, shot) if sea.tide_range > 0 else None,
    }


def _shore(setting: Setting, sea: Sea, state: SeaState, loop: float | None) -> dict[str, Any] | None:
    """The wash over time on the place's own beach, and how high it runs."""
    found = shore_of(setting, sea, state, loop)
    if found is None:
        return None
    slope, wash, highest = found
    t = np.linspace(0, loop or WASH_SECONDS, 200)
    edge = wash.at(t, 0.0)
    return {
        "slope": round(slope, 4),
        "edge": [[round(float(a), 2), round(float(b), 3)] for a, b in zip(t, edge, strict=True)],
        "run_up": round(highest, 3),
        "words": shore_in_words(slope, wash, highest),
    }


def _tide(sea: Sea, shot: Shot) -> dict[str, Any]:
    """Water over the day on which a shot begins, and the hours that the shot shows."""
    hours = np.linspace(0, 24, 97).tolist()
    height = tide_at_hours(sea, hours)
    begins, ends = place_clock(shot, 0.0), place_clock(shot, shot.seconds)
    midnight = dt.datetime.combine(begins.date(), dt.time())
    span = [(at - midnight).total_seconds() / 3600 for at in (begins, ends)]
    return {
        "curve": [[round(float(h), 2), round(float(v), 3)] for h, v in zip(hours, height, strict=True)],
        "range": sea.tide_range,
        "high": sea.tide_high,
        "span": _rounded(span),
        "words": f"{sea.tide_range:.1f} m, high at {_clock(sea.tide_high)}",
    }


def _clock(hours: float) -> str:
    minutes = round(hours * 60) % 1440
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def water_drawing(setting: Setting, shot: Shot, t: float, name: str) -> dict[str, Any] | None:
    """One of the place's other waters, or None if there is none of this id."""
    place = setting.still(shot, t).place
    for water, bed in zip(place.waters, setting.beds() if place.waters else (), strict=True):
        if water.id == name:
            return _long_section(setting, water, bed) if bed.reach is not None else _across(setting, water, bed)
    return None


def _long_section(setting: Setting, water: Water, bed: Bed) -> dict[str, Any]:
    """A stream from its head down: land, surface and bed, its speed and depth."""
    run = bed.reach
    assert run is not None
    every = max(1, len(run.along) // 240)
    rows = np.stack([run.along, run.ground, run.surface + water.level, run.bed, run.speed, run.depth, run.froude], 1)
    return {
        "stream": [_rounded(row) for row in rows[::every]],
        "depth": water.depth,
        "by": water.by,
        "words": water_in_words(setting, water, bed),
    }


def _across(setting: Setting, water: Water, bed: Bed) -> dict[str, Any]:
    """A pond's section from west to east through its middle."""
    if bed.shore is None:
        return {"section": [], "words": bed.trouble}
    w, _, e, _ = bed.shore.bounds
    x = np.linspace(w - 0.15 * (e - w), e + 0.15 * (e - w), 160)
    middle = bed.shore.representative_point().y
    ground = setting.ground.height(x, np.full(len(x), middle))
    level = bed.level + float(water.level)
    return {
        "section": [[round(float(a), 2), round(float(b), 3)] for a, b in zip(x - w, ground, strict=True)],
        "level": round(level, 3) if water.kind == "pond" else None,
        "depth": water.depth,
        "words": water_in_words(setting, water, bed),
    }
