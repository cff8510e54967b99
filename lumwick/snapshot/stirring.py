"""What goes through a place's waters: where it was in the last seconds, whose blows on the water its wake is."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.built.floors import model_of
from lumwick.motion.channel import Curve
from lumwick.place.document import Place, Shot
from lumwick.place.objects import Thing
from lumwick.snapshot.waters import Bed, Stirrer

if TYPE_CHECKING:
    from lumwick.snapshot.evaluate import Setting

Floats = NDArray[np.float64]
LOOKS_BACK, LOOKS_EVERY = 6.0, 0.1
"""How far one looks back for what stirred the water, and in what steps [s]."""
AT_THE_LINE = 0.15
"""How far off the water's level a model's corners may lie to tell how wide it is there [m]."""


def goes(thing: Thing) -> bool:
    """Whether a thing may go anywhere, as the document says it."""
    return bool(thing.held) or any(isinstance(getattr(thing, name), Curve) for name in ("east", "north", "up"))


def stirrers_of(setting: Setting, shot: Shot, place: Place, t: float, loop: float | None) -> tuple[Stirrer, ...]:
    """What has moved in the last seconds in a place with water."""
    if not (place.sea.present or place.waters):
        return ()
    ago = np.arange(0.0, LOOKS_BACK, LOOKS_EVERY)
    times = (t - ago) % loop if loop else t - ago
    out = []
    for thing in setting.place.things:
        if not goes(thing):
            continue
        where, _ = setting.whereabouts(shot, thing.id, times)
        if np.ptp(where, axis=0).max() < 1e-4:
            continue
        scale = next(float(now.scale) for now in place.things if now.id == thing.id)
        low, high = (np.asarray(v, float) * scale for v in model_of(setting.read, thing).bounds)
        radius = float(min(high[0] - low[0], high[1] - low[1])) / 2
        foot = where + [0.0, 0.0, float(low[2])]
        if not _wetted(setting, place, foot):
            continue
        out.append(Stirrer(thing.name, ago, foot, max(radius, 0.01), float(high[2] - low[2])))
    return tuple(out)


def _wetted(setting: Setting, place: Place, foot: Floats) -> bool:
    """Whether a thing's foot (n, 3) comes down to any water, as it lies without waves."""
    k = int(np.argmin(foot[:, 2]))
    x, y, z = (float(v) for v in foot[k])
    if place.sea.present and z < place.sea.surface and float(setting.ground.height(x, y)) < place.sea.surface:
        return True
    beds = setting.beds() if place.waters else ()
    return any(z < level + float(place.waters[number - 1].level) for number, level, _ in level_at(beds, x, y))


def posts_of(setting: Setting, stood: dict[str, Floats], bed: Bed) -> tuple[tuple[float, float, float], ...]:
    """What of a place's models stands in a stream: where [m], and how wide it is at the water [m]."""
    run = bed.reach
    if run is None:
        return ()
    out = []
    for thing in setting.place.things:
        if thing.floats or goes(thing):
            continue
        mesh = model_of(setting.read, thing)
        points = np.concatenate([part.vertices for part in mesh.parts]).astype(float)
        for m in stood.get(thing.id, ()):
            off = np.hypot(run.x - m[0, 3], run.y - m[1, 3])
            k = int(np.argmin(off))
            if off[k] > run.width / 2 + 2.0:
                continue
            placed = points @ m[:, :3].T + m[:, 3]
            level = float(run.surface[k])
            if not placed[:, 2].min() < level < placed[:, 2].max():
                continue
            near = placed[np.abs(placed[:, 2] - level) < AT_THE_LINE]
            near = near if len(near) >= 3 else placed
            low, high = near[:, :2].min(0), near[:, :2].max(0)
            x, y = (low + high) / 2
            out.append((round(float(x), 3), round(float(y), 3), round(float((high - low).mean() / 2), 3)))
    return tuple(out)


def level_at(beds: tuple[Bed, ...], x: float, y: float) -> list[tuple[int, float, float]]:
    """The inland waters at a spot: number (from 1), level [m], depth [m]."""
    out = []
    for number, bed in enumerate(beds, 1):
        if bed.reach is not None:
            off = np.hypot(bed.reach.x - x, bed.reach.y - y)
            k = int(np.argmin(off))
            if off[k] < bed.reach.width / 2:
                out.append((number, float(bed.reach.surface[k]), float(bed.reach.depth[k])))
        elif bed.shore is not None and shapely.contains_xy(bed.shore, x, y):
            out.append((number, bed.level, 0.5))
    return out
