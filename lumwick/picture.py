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
from lumwick.trace.drift import motion_vectors
from lumwick.trace.render import ENGINE, QUALITIES, Film, Quality, blank, clean, expose, more_samples, unreached
from lumwick.trace.stage import Stage, Window


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


@dataclass(frozen=True)
class Framing:
    """What of the shot's picture is rendered.

    Attributes
    ----------
    percent : float
        Of the size asked for.
    overscan : float [%]
        Shown beyond the picture's edge, on each side, of its width; the film grows by as much.
    crop : tuple of float or None
        Left, top, right and bottom of the part wanted, as shares of the picture.
    """

    percent: float = 100.0
    overscan: float = 0.0
    crop: tuple[float, float, float, float] | None = None

    def film(self, size: tuple[int, int]) -> tuple[tuple[int, int], Window]:
        """The film's size, and where it lies in the whole picture.

        Raises
        ------
        RenderError
            Nothing would be left, or the shares are out of order.
        """
        if not 1 <= self.percent <= 400 or not 0 <= self.overscan <= 50:
            raise RenderError("A picture's size is 1 to 400 percent, and its overscan 0 to 50.")
        w, h = (max(1, round(side * self.percent / 100)) for side in size)
        edge = round(w * self.overscan / 100)
        whole = (w + 2 * edge, h + 2 * edge)
        left, top, right, bottom = self.crop or (0.0, 0.0, 1.0, 1.0)
        if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1):
            raise RenderError("A crop is left, top, right, bottom in shares of the picture, like 0.25,0.25,0.75,0.75.")
        x0, y0 = round(left * whole[0]), round(top * whole[1])
        film = (max(1, round(right * whole[0]) - x0), max(1, round(bottom * whole[1]) - y0))
        return film, Window(whole[0], whole[1], x0, y0, edge / w)


def frame_picture(stage: Stage, shot: Shot, frame: int, size: tuple[int, int], grade: Quality, stop: Callable[[], bool] | None = None, passes: bool = False, framing: Framing | None = None) -> Picture | None:
    """One frame of a shot, exposed while its shutter is open; None if ``stop`` asked for it."""
    rate = RATES[shot.fps]
    return picture_at(stage, shot, frame_time(frame, rate), size, grade, stop=stop, passes=passes, shutter=shot.exposure.shutter / 360.0 / float(rate), framing=framing,
                      seed=1 + frame if grade.vary else 1)


def picture_at(stage: Stage, shot: Shot, t: float, size: tuple[int, int], grade: Quality, camera: Camera | None = None, stop: Callable[[], bool] | None = None,
               passes: bool = False, shutter: float = 0.0, framing: Framing | None = None, seed: int = 1) -> Picture | None:
    """The place at clip time ``t`` [s], by the shot's camera or another.

    Parameters
    ----------
    shutter : float [s]
        How long the shutter stays open from ``t`` on. The camera moves all the while; everything else stands at
        ``grade.moments`` moments evenly spread over it.
    """
    took = {"set": 0.0, "trace": 0.0}
    film_size, window = (framing or Framing()).film(size)
    film = blank(*film_size, passes=passes or grade.flat)
    shown = evaluate(stage.setting, shot, t, camera)
    moments = max(1, min(grade.moments, grade.samples)) if shutter > 0 else 1

    def round_of(wanted: Callable[[int], int | NDArray[np.int32]]) -> bool:
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
            if not expose(stage, film, wanted(k), grade.bounces, seed=seed, stop=stop, opens=opens, closes=closes, window=window, reflections=grade.reflections,
                          transmissions=grade.transmissions, flat=grade.flat):
                return False
            took["set"] += t1 - t0
            took["trace"] += time.perf_counter() - t1
        return True

    adaptive = grade.noise > 0 and grade.samples >= 8
    even = grade.samples // 2 if adaptive else grade.samples
    if not round_of(lambda k: even * (k + 1) // moments - even * k // moments):
        return None
    if adaptive:
        wanted = more_samples(film, grade.samples - even, grade.noise, grade.most)
        if wanted.any() and not round_of(lambda k: wanted * (k + 1) // moments - wanted * k // moments):
            return None
        film.note = unreached(film, grade.noise)
    t2 = time.perf_counter()
    light = clean(film, shown.camera.ev100, grade.denoise)
    t3 = time.perf_counter()
    pixels = develop(light, shown.camera, shown.grade, shown.frame)
    t4 = time.perf_counter()
    return Picture(pixels, film, light, shown, {**took, "clean": t3 - t2, "develop": t4 - t3})


def drift_of(stage: Stage, shot: Shot, t: float, size: tuple[int, int], camera: Camera | None = None, framing: Framing | None = None) -> NDArray[np.float32]:
    """Motion of what each pixel shows until the next frame, shape (height, width, 2) [pixels, right and down]."""
    film_size, window = (framing or Framing()).film(size)
    step = 1 / float(RATES[shot.fps])
    now = evaluate(stage.setting, shot, t, camera)
    return motion_vectors(stage, now, lambda seen: evaluate(stage.setting, shot, t + step, seen), camera or camera_at(stage.setting, shot, t + step), film_size, window)


def load_setting(place_assets: tuple) -> Setting:  # type: ignore[type-arg]
    """A place with its ground, from what `lumwick.place.files.load` returns."""
    from lumwick.land.elevation import read_ground

    place, assets = place_assets
    return Setting(place, read_ground(assets[place.land.elevation.sha256]), lambda asset: assets[asset.sha256])
