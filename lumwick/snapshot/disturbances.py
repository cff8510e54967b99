"""What goes through a place's waters: where it was in the last seconds, whose blows on the water its wake is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.built.floors import model_of
from lumwick.motion.channel import Curve
from lumwick.place.document import Place, Shot
from lumwick.place.nature import Water
from lumwick.place.objects import Thing
from lumwick.snapshot.waters import Bed, Stirrer

if TYPE_CHECKING:
    from lumwick.snapshot.evaluate import Setting

Floats = NDArray[np.float64]
LOOKS_BACK, LOOKS_EVERY = 6.0, 0.1
"""How far one looks back for what stirred the water, and in what steps [s]."""
SELDOM, CLEAR_OF_IT = 10, 1.5
"""Which of those steps are looked at first, and how far over all water something is then let be [m]."""
BESIDE = 2.0
"""How far beside a stream a model may have its own zero and still stand in it [m]."""
AT_THE_LINE = 0.15
"""How far off the water's level a model's corners may lie to tell how wide it is there [m]."""


def goes(thing: Thing) -> bool:
    """Whether a thing may go anywhere, as the document says it."""
    return bool(thing.held) or any(isinstance(getattr(thing, name), Curve) for name in ("east", "north", "up"))


def disturbances_of(setting: Setting, shot: Shot, place: Place, t: float, loop: float | None) -> tuple[Stirrer, ...]:
    """What has moved in the last seconds in a place with water."""
    if not (place.sea.present or place.waters):
        return ()
    ago = np.arange(0.0, LOOKS_BACK, LOOKS_EVERY)
    times = (t - ago) % loop if loop else t - ago
    levels = [place.sea.surface] if place.sea.present else []
    if place.waters:
        levels += [bed.top + float(water.level) for water, bed in zip(place.waters, setting.beds(), strict=True)]
    out = []
    for thing in setting.place.things:
        if not goes(thing):
            continue
        scale = next(float(now.scale) for now in place.things if now.id == thing.id)
        low, high = (np.asarray(v, float) * scale for v in model_of(setting.read, thing).bounds)
        few, _ = setting.whereabouts(shot, thing.id, times[::SELDOM])
        if few[:, 2].min() + float(low[2]) > max(levels) + CLEAR_OF_IT:
            continue  # nowhere near any water: what flies need not be looked at closely
        where, _ = setting.whereabouts(shot, thing.id, times)
        foot = where + [0.0, 0.0, float(low[2])]
        if np.ptp(where, axis=0).max() < 1e-4 or not _wetted(setting, place, foot):
            continue
        radius = float(min(high[0] - low[0], high[1] - low[1])) / 2
        out.append(Stirrer(thing.name, ago, foot, max(radius, 0.01), float(high[2] - low[2])))
    return tuple(out)


def _wetted(setting: Setting, place: Place, foot: Floats) -> bool:
    """Whether a thing's foot (n, 3) comes down to any water, as it lies without waves."""
    k = int(np.argmin(foot[:, 2]))
    x, y, z = (float(v) for v in foot[k])
    if place.sea.present and z < place.sea.surface and float(setting.ground.height(x, y)) < place.sea.surface:
        return True
    beds = setting.beds() if place.waters else ()
    return any(z < level for _, level, _ in level_at(beds, place.waters, x, y))


def posts_of(
    setting: Setting, stood: dict[str, Floats], bed: Bed, water: Water
) -> tuple[tuple[float, float, float], ...]:
    """What of a place's models stands in a stream at an instant: where [m], and how wide it is at the water [m]."""
    run = bed.reach
    if run is None:
        return ()
    out = []
    for thing in setting.place.things:
        placed = stood.get(thing.id)
        if placed is None or thing.floats or goes(thing):
            continue
        off, at = bed.nearest(placed[:, :2, 3])
        near = np.flatnonzero(off < run.width / 2 + BESIDE)
        if not len(near):
            continue
        points = np.concatenate([part.vertices for part in model_of(setting.read, thing).parts]).astype(float)
        for k in near:
            corners = points @ placed[k, :, :3].T + placed[k, :, 3]
            level = float(run.surface[at[k]]) + float(water.level)
            if not corners[:, 2].min() < level < corners[:, 2].max():
                continue
            cut = corners[np.abs(corners[:, 2] - level) < AT_THE_LINE]
            cut = cut if len(cut) >= 3 else corners
            low, high = cut[:, :2].min(0), cut[:, :2].max(0)
            x, y = (low + high) / 2
            out.append((round(float(x), 3), round(float(y), 3), round(float((high - low).mean() / 2), 3)))
    return tuple(out)


def level_at(beds: Sequence[Bed], waters: Sequence[Water], x: float, y: float) -> list[tuple[int, float, float]]:
    """The inland waters at a spot at an instant: number (from 1), level [m], depth [m]."""
    out = []
    for number, (bed, water) in enumerate(zip(beds, waters, strict=True), 1):
        if bed.reach is not None:
            off, at = bed.nearest(np.array([[x, y]]))
            if off[0] < bed.reach.width / 2:
                k = int(at[0])
                out.append((number, float(bed.reach.surface[k]) + float(water.level), float(bed.reach.depth[k])))
        elif bed.shore is not None and shapely.contains_xy(bed.shore, x, y):
            out.append((number, bed.level + float(water.level), water.depth))
    return out
