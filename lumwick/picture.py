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
from lumwick.snapshot.evaluate import Setting, Snapshot, evaluate
from lumwick.trace.render import QUALITIES, Film, Quality, blank, clean, expose
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
    """One frame of a shot; None if ``stop`` asked for it."""
    return picture_at(stage, shot, frame_time(frame, RATES[shot.fps]), size, grade, stop=stop, passes=passes)


def picture_at(stage: Stage, shot: Shot, t: float, size: tuple[int, int], grade: Quality, camera: Camera | None = None,
               stop: Callable[[], bool] | None = None, passes: bool = False) -> Picture | None:
    """The place at clip time ``t`` [s], by the shot's camera or another."""
    from lumwick.trace.render import ENGINE

    t0 = time.perf_counter()
    with ENGINE:
        stage.set(evaluate(stage.setting, shot, t, camera))
    t1 = time.perf_counter()
    film = blank(*size, passes=passes)
    if not expose(stage, film, grade.samples, grade.bounces, stop=stop):
        return None
    t2 = time.perf_counter()
    light = clean(film, stage.snapshot.camera.ev100, grade.denoise)
    t3 = time.perf_counter()
    pixels = develop(light, stage.snapshot.camera, stage.snapshot.grade, stage.snapshot.frame)
    t4 = time.perf_counter()
    return Picture(pixels, film, light, stage.snapshot, {"set": t1 - t0, "trace": t2 - t1, "clean": t3 - t2, "develop": t4 - t3})


def load_setting(place_assets: tuple) -> Setting:  # type: ignore[type-arg]
    """A place with its ground, from what `lumwick.place.files.load` returns."""
    from lumwick.land.elevation import read_ground

    place, assets = place_assets
    return Setting(place, read_ground(assets[place.land.elevation.sha256]))
