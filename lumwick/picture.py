"""From a document to a picture in one call, for whoever needs one: the command line, a worker, the look."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.develop.view import develop
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting, Snapshot, camera_at, evaluate
from lumwick.trace.render import ENGINE, QUALITIES, Film, Quality, blank, clean, expose
from lumwick.trace.stage import Stage


@dataclass(frozen=True)
class Picture:
    """A finished picture, uint8 sRGB (height, width, 3); the film, its cleaned light and the instant it came from; what each step took [s]."""

    pixels: NDArray[np.uint8]
    film: Film
    light: NDArray[np.float32]
    snapshot: Snapshot
    seconds: dict[str, float]


def quality(name: str) -> Quality:
    """A picture quality by name: sketch, study or fine."""
    if name not in QUALITIES:
        raise RenderError(f"There is no quality {name!r}: choose sketch, study or fine.")
    return QUALITIES[name]


def frame_picture(stage: Stage, shot: Shot, frame: int, size: tuple[int, int], grade: Quality, stop: Callable[[], bool] | None = None, passes: bool = False) -> Picture | None:
    """One frame of a shot, exposed while its shutter is open; None if ``stop`` asked for it."""
    rate = RATES[shot.fps]
    return picture_at(stage, shot, frame_time(frame, rate), size, grade, stop=stop, passes=passes, shutter=shot.exposure.shutter / 360.0 / float(rate))


def picture_at(stage: Stage, shot: Shot, t: float, size: tuple[int, int], grade: Quality, camera: Camera | None = None,
               stop: Callable[[], bool] | None = None, passes: bool = False, shutter: float = 0.0) -> Picture | None:
    """The place at clip time ``t`` [s], by the shot's camera or another.

    Parameters
    ----------
    shutter : float [s]
        How long the shutter stays open from ``t`` on. The camera moves all the while; everything else stands at
        ``grade.moments`` moments evenly spread over it.
    """
    took = {"set": 0.0, "trace": 0.0}
    film = blank(*size, passes=passes)
    shown = evaluate(stage.setting, shot, t, camera)
    moments = min(grade.moments, grade.samples) if shutter > 0 else 1
    for k in range(moments):
        t0 = time.perf_counter()
        snapshot, opens, closes = shown, None, None
        if shutter > 0:
            snapshot = evaluate(stage.setting, shot, t + shutter * (k + 0.5) / moments, camera)
            if camera is None:
                opens, closes = (camera_at(stage.setting, shot, t + shutter * (k + side) / moments) for side in (0, 1))
        with ENGINE:
            stage.set(snapshot)
        t1 = time.perf_counter()
        share = grade.samples * (k + 1) // moments - grade.samples * k // moments
        if not expose(stage, film, share, grade.bounces, stop=stop, opens=opens, closes=closes):
            return None
        took["set"] += t1 - t0
        took["trace"] += time.perf_counter() - t1
    t2 = time.perf_counter()
    light = clean(film, shown.camera.ev100, grade.denoise)
    t3 = time.perf_counter()
    pixels = develop(light, shown.camera, shown.grade, shown.frame)
    t4 = time.perf_counter()
    return Picture(pixels, film, light, shown, {**took, "clean": t3 - t2, "develop": t4 - t3})


def load_setting(place_assets: tuple) -> Setting:  # type: ignore[type-arg]
    """A place with its ground, from what `lumwick.place.files.load` returns."""
    from lumwick.land.elevation import read_ground

    place, assets = place_assets
    return Setting(place, read_ground(assets[place.land.elevation.sha256]))
