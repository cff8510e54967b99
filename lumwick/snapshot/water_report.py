"""A place's waters in words, with their figures."""

from __future__ import annotations

import numpy as np

from lumwick.motion.tide import tide_height
from lumwick.place.document import Shot
from lumwick.place.nature import Sea, SeaNow, Water
from lumwick.snapshot.creeks import current_of
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.shores import beach_slope
from lumwick.snapshot.waters import Bed, loop_changes, told_state
from lumwick.water.shore import Wash, run_up, wash_of
from lumwick.water.spectrum import SeaState, beaufort, peak_frequency, sea_name, significant_height


def sea_in_words(setting: Setting, shot: Shot, t: float) -> list[str]:
    """The sea at a clip time: its state, what its depth lowered, its shore, and what a loop changes."""
    sea = setting.still(shot, t).place.sea
    state, lowered = told_state(sea)
    hs = significant_height(state)
    told = [
        f"{sea_name(hs)} sea: waves of {hs:.2f} m every {2 * np.pi / peak_frequency(state):.1f} s, "
        f"Beaufort {beaufort(state.wind_speed)}"
    ]
    if state.swell is not None:
        told.append(f"swell of {state.swell.height:.2f} m every {state.swell.period:.1f} s")
    if sea.tide_range > 0:
        told.append(f"water at {sea.surface:+.2f} m{_runs(setting, sea)}")
    return [line for line in (*told, lowered, loop_changes(state, sea.seed, shot.closes_over)) if line]


def _runs(setting: Setting, sea: Sea) -> str:
    """Which way the tide goes, and how quickly water runs in creeks."""
    current = current_of(setting.ground, sea)
    if not isinstance(sea, SeaNow) or current is None:
        return ""
    return f", {'rising' if sea.rises > 0 else 'falling'}, up to {current.fastest:.2f} m/s in creeks"


def shore_of(setting: Setting, sea: Sea, state: SeaState, loop: float | None) -> tuple[float, Wash, float] | None:
    """The slope of a place's beach, its wash, and how high one in fifty runs up [m]; None without a beach or waves."""
    slope = beach_slope(setting, float(sea.surface))
    if slope is None:
        return None
    wash = wash_of(state, slope, sea.seed, loop)
    if not np.isfinite(wash.period):
        return None
    period = 2 * np.pi / peak_frequency(state)
    if state.swell is not None and state.swell.height > significant_height(state) / np.sqrt(2):
        period = state.swell.period
    return slope, wash, run_up(significant_height(state), period, slope)


def shore_in_words(slope: float, wash: Wash, highest: float) -> str:
    return f"beach of 1 in {1 / slope:.0f}, up {highest:.2f} m"


def tide_at_hours(sea: Sea, hours: list[float]) -> list[float]:
    """Height over mean water [m] at hours of a shot's first day."""
    return [tide_height(hour, sea.tide_high, sea.tide_range) for hour in hours]


def water_in_words(setting: Setting, water: Water, bed: Bed) -> str:
    """A stream, a pond or puddles at an instant."""
    if bed.reach is not None:
        run = bed.reach
        fall = float(run.surface[0] - run.surface[-1])
        shoots = float((run.froude > 1).mean())
        words = (
            f"{run.along[-1]:.0f} m, falling {fall:.1f} m (1 in {run.along[-1] / max(fall, 1e-6):.0f}); "
            f"{run.discharge * 1000:.0f} l/s; {run.speed.min():.2f} to {run.speed.max():.2f} m/s, "
            f"{run.depth.min() * 100:.0f} to {run.depth.max() * 100:.0f} cm deep"
        )
        return words + (f"; it shoots over {shoots * 100:.0f} % of its way" if shoots > 0.02 else "")
    if bed.shore is None:
        return bed.trouble
    area = bed.shore.area
    if water.kind == "puddles":
        return f"{area * float(water.filled):.0f} of {area:.0f} m² under water"
    level = bed.level + float(water.level)
    return f"{area:.0f} m²; water at {level:+.2f} m, up to {water.depth + float(water.level):.2f} m deep"


def overlaps(setting: Setting) -> list[str]:
    """Waters that lie in one another, in sentences: the higher one is seen."""
    waters, beds = setting.place.waters, setting.beds() if setting.place.waters else ()
    shapes = [(water.name, shape) for water, bed in zip(waters, beds, strict=True) if (shape := bed.shape) is not None]
    out = []
    for k, (name, shape) in enumerate(shapes):
        for other, theirs in shapes[k + 1 :]:
            if (area := shape.intersection(theirs).area) > 0.5:
                out.append(f"{name} and {other} overlap by {area:.0f} m²: the higher water is seen")
    return out
