"""Reading a light meter along a shot, a strip of small pictures through its day, and a day and a night in a clip."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.develop.meter import as_keys, exposure_edit, followed, metered
from lumwick.develop.view import develop
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera
from lumwick.motion.timebase import RATES, clip_frames
from lumwick.place.document import Shot
from lumwick.place.filming import Clock
from lumwick.place.instant import place_clock
from lumwick.snapshot.evaluate import Snapshot, evaluate
from lumwick.trace.cleaning import clean
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage

Floats = NDArray[np.float64]
SMALL = (96, 54)
SAMPLES = 6
READINGS = 25
"""Moments at which a shot is metered if nothing else is said."""
MOST_READINGS = 400
DAY = 86400.0


@dataclass(frozen=True)
class Reading:
    """What a meter read along a shot: clip times [s] and exposures [EV], each (n,)."""

    times: Floats
    ev: Floats


def small_light(
    stage: Stage, snapshot: Snapshot, size: tuple[int, int] = SMALL, samples: int = SAMPLES, light_only: bool = False
) -> NDArray[np.float32]:
    """Light of a small picture of an instant (height, width, 3) [cd/m2].

    Parameters
    ----------
    light_only : bool
        Whether plants and waves may stay as they were: another hour changes the light alone.
    """
    (stage.set_view_and_light if light_only else stage.set)(snapshot)
    film = blank(*size)
    expose(stage, film, samples)
    return clean(film, snapshot.camera.ev100, "fast")


def moments_of(shot: Shot, count: int) -> Floats:
    """Clip times at which a shot is metered, from its start to its end [s], shape (count,).

    Raises
    ------
    RenderError
        There are too few or too many.
    """
    if not 2 <= count <= MOST_READINGS:
        raise RenderError(f"A shot is metered at 2 to {MOST_READINGS} moments, not at {count}.")
    return np.linspace(0.0, shot.seconds, count)


def reading_at(
    stage: Stage, shot: Shot, t: float, meter: str, spot: tuple[float, float] = (0.5, 0.5), camera: Camera | None = None
) -> float:
    """Exposure [EV] that a meter asks for at a clip time of a shot."""
    return metered(small_light(stage, evaluate(stage.setting, shot, t, camera)), meter, spot)


def read_along(
    stage: Stage,
    shot: Shot,
    meter: str = "average",
    spot: tuple[float, float] = (0.5, 0.5),
    count: int = READINGS,
    say: Callable[[int], None] = lambda done: None,
) -> Reading:
    """Read a meter along a shot, through its own camera."""
    times = moments_of(shot, count)
    ev = np.zeros(count)
    for k, t in enumerate(times):
        closes = shot.loop and k == count - 1
        ev[k] = ev[0] if closes else reading_at(stage, shot, float(t), meter, spot)
        say(k + 1)
    return Reading(times, ev)


def offered(shot: Shot, reading: Reading, stays: float, smooth: float) -> list[tuple[float, float]]:
    """Keys of the exposure [s, EV] that follow a reading; see `lumwick.develop.meter.followed`."""
    return as_keys(
        reading.times, followed(reading.times, reading.ev, stays, smooth, shot.seconds if shot.loop else None)
    )


def metered_edit(shot: Shot, reading: Reading, stays: float, smooth: float) -> dict[str, Any]:
    """The edit that lets a shot's exposure follow a reading."""
    return exposure_edit(shot.id, shot.name, offered(shot, reading, stays, smooth))


def at_hour(shot: Shot, hour: float) -> Shot:
    """The shot with its clock set to an hour of the day on which it begins."""
    midnight = dt.datetime.combine(place_clock(shot, 0.0).date(), dt.time())
    clock = Clock(start=midnight + dt.timedelta(hours=hour), speed=0.0)
    return shot.model_copy(update={"clock": clock})


def through_the_day(
    stage: Stage,
    shot: Shot,
    t: float,
    hours: Floats,
    size: tuple[int, int],
    camera: Camera | None = None,
    light_only: bool = False,
) -> Iterator[tuple[float, NDArray[np.uint8], float]]:
    """Small pictures of a view at hours of the shot's day, each at the exposure that a meter asks for: hour, picture
    (height, width, 3) and exposure [EV]. Plants and waves stand as at the clip time ``t`` [s], or with
    ``light_only`` as they were."""
    for number, hour in enumerate(hours):
        snapshot = evaluate(stage.setting, at_hour(shot, float(hour)), t, camera)
        light = small_light(stage, snapshot, size, 4, light_only=light_only or number > 0)
        ev = metered(light)
        developed = replace(snapshot.camera, ev100=ev)
        yield float(hour), develop(light, developed, snapshot.grade, snapshot.frame), ev


def whole_day(shot: Shot, seconds: float = 10.0) -> dict[str, Any]:
    """The edit that lets a shot run through a day and a night from noon to noon, and come round.

    At noon sun and sky are nearly the same a day later; the moon is another, and stars have gone on by a degree.
    """
    noon = dt.datetime.combine(place_clock(shot, 0.0).date(), dt.time(12))
    frames = clip_frames(f"{seconds:g} s", RATES[shot.fps])
    length = frames / float(RATES[shot.fps])
    return {
        "op": "several",
        "edits": [
            {
                "op": "clock",
                "shot": shot.id,
                "start": noon.isoformat(),
                "speed": round(DAY / length, 6),
                "frames": frames,
                "keep": "scale",
            },
            {"op": "set", "path": f"/shots/{shot.id}/loop", "value": True},
        ],
        "label": f"{shot.name}: a day and a night in {length:.4g} s",
    }
