"""From a document to a picture in one call, for whoever needs one: the command line, a worker, the look."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from lumwick.air.clouds import unmoved
from lumwick.develop.flicker import flicker
from lumwick.develop.view import develop
from lumwick.errors import RenderError
from lumwick.land.elevation import read_ground
from lumwick.lens.camera import Camera
from lumwick.lens.stereo import around, eye_of
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Shot
from lumwick.place.film import Part, parts_at
from lumwick.snapshot.evaluate import Setting, Snapshot, camera_at, evaluate
from lumwick.trace import moments
from lumwick.trace.cleaning import clean
from lumwick.trace.film import Film, blank
from lumwick.trace.framing import Framing, Window
from lumwick.trace.motion_vectors import motion_vectors
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.render import MANY, Sight, Stop, expose, more_samples, unreached
from lumwick.trace.stage import Stage


@dataclass(frozen=True)
class Picture:
    """A finished picture, uint8 sRGB (height, width, 3); the film, its cleaned light and the instant it came from;
    what each step took [s]."""

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
class Options:
    """What else is wanted of a picture.

    Attributes
    ----------
    passes : bool
        Whether it is needed with its light by source, its mattes and what else goes out beside it.
    shutter : float [s]
        How long the shutter stays open. The camera moves all the while; everything else stands at
        as many moments evenly spread over it as what moves needs, ``Quality.moments`` at most.
    """

    passes: bool = False
    shutter: float = 0.0
    framing: Framing = field(default_factory=Framing)
    seed: int = 1


def frame_picture(
    stage: Stage,
    shot: Shot,
    frame: int,
    size: tuple[int, int],
    grade: Quality,
    stop: Callable[[], bool] | None = None,
    passes: bool = False,
    framing: Framing | None = None,
) -> Picture | None:
    """One frame of a shot, exposed while its shutter is open; None if ``stop`` asked for it.

    The last frames of a clip that fades where it comes round are mixed, as pictures, with what came before the
    first; their passes and light are those of the frame itself.
    """
    rate = RATES[shot.fps]
    t = frame_time(frame, rate)

    def made(at: float) -> Picture | None:
        shutter, seed = open_for(stage.setting, shot, at), 1 + frame if grade.vary else 1
        options = Options(passes, shutter, framing or Framing(), seed)
        if shot.exposure.eyes > 0:
            return pair_at(stage, shot, at, size, grade, options, stop)
        return picture_at(stage, shot, at, size, grade, options=options, stop=stop)

    share = fade(shot, frame)
    before = made(t - shot.seconds) if share > 0 else None
    own = made(t)
    if own is None or (share > 0 and before is None):
        return None
    if before is None:
        return own
    return replace(
        own,
        pixels=mixed(((own.pixels, 1 - share), (before.pixels, share))),
        seconds={name: took + before.seconds[name] for name, took in own.seconds.items()},
    )


def pair_at(
    stage: Stage,
    shot: Shot,
    t: float,
    size: tuple[int, int],
    grade: Quality,
    options: Options = Options(),
    stop: Callable[[], bool] | None = None,
) -> Picture | None:
    """Both eyes at clip time ``t`` [s], side by side: the left one's picture on the left, each half as wide as the
    whole.

    Raises
    ------
    RenderError
        Passes were asked for, or a width that cannot be halved.
    """
    if options.passes or options.framing != Framing():
        raise RenderError("Passes, cut-outs and crops are made one eye at a time: set the eye distance to 0.")
    if size[0] % 2:
        raise RenderError("A stereo pair needs an even width: each eye has half of it.")
    e = shot.exposure
    half = (size[0] // 2, size[1])
    left, right = (
        picture_at(
            stage, shot, t, half, grade, partial(eye_of, side=side, eyes=e.eyes, zero_plane=e.zero_plane), options, stop
        )
        for side in (-1, 1)
    )
    if left is None or right is None:
        return None
    return replace(
        left,
        pixels=np.concatenate([left.pixels, right.pixels], axis=1),
        seconds={name: took + right.seconds[name] for name, took in left.seconds.items()},
    )


def panorama(stage: Stage, shot: Shot, t: float, width: int, grade: Quality, eyes: float = 0.0) -> NDArray[np.uint8]:
    """The whole sphere about the shot's camera at clip time ``t`` [s], equirectangular, uint8 sRGB.

    Parameters
    ----------
    eyes : float [m]
        Eye distance; the left eye's picture then stands over the right eye's. 0 is one picture.

    Returns
    -------
    ndarray of uint8, shape (width / 2, width, 3), or (width, width, 3) for two eyes

    Raises
    ------
    RenderError
        A width that cannot be.
    """
    if width % 2 or not 64 <= width <= 16384:
        raise RenderError("A panorama is 64 to 16384 pixels wide, an even number: it is half as high.")
    pictures = []
    for side in (-1, 1) if eyes > 0 else (0,):
        made = picture_at(stage, shot, t, (width, width // 2), grade, partial(around, side=side, eyes=eyes))
        assert made is not None
        pictures.append(made.pixels)
    return np.concatenate(pictures)


def mixed(pictures: Sequence[tuple[NDArray[np.uint8], float]]) -> NDArray[np.uint8]:
    """Pictures laid over one another by their shares; what is missing to 1 is black."""
    if len(pictures) == 1 and pictures[0][1] >= 1:
        return pictures[0][0]
    return np.round(sum(pixels.astype(np.float32) * share for pixels, share in pictures)).astype(np.uint8)


def film_picture(
    stage: Stage,
    n: int,
    size: tuple[int, int],
    grade: Quality,
    stop: Callable[[], bool] | None = None,
    made: Callable[[Part], NDArray[np.uint8] | None] | None = None,
) -> NDArray[np.uint8] | None:
    """Frame ``n`` of the place's film, uint8 sRGB (height, width, 3); None if ``stop`` asked for it.

    Parameters
    ----------
    made : callable
        Gives a shot's frame, in place of rendering it here.
    """
    place = stage.setting.place

    def rendered(part: Part) -> NDArray[np.uint8] | None:
        picture = frame_picture(stage, place.shot(part.shot).at_rate(place.cut.fps), part.frame, size, grade, stop=stop)
        return None if picture is None else picture.pixels

    pictures = []
    for part in parts_at(place, n):
        pixels = (made or rendered)(part)
        if pixels is None:
            return None
        pictures.append((pixels, part.share))
    return mixed(pictures)


def fade(shot: Shot, frame: int) -> float:
    """Share of what came before the clip's first frame in a frame of a clip that fades where it comes round."""
    over = min(shot.seam_frames, shot.frames - 1)
    into = frame - (shot.frames - over)
    return into / (over + 1) if shot.seam == "cross-fade" and into > 0 else 0.0


def open_for(setting: Setting, shot: Shot, t: float) -> float:
    """How long the shutter stays open at a clip time [s]."""
    return setting.motions(shot).at(t)[1].exposure.shutter / 360.0 / float(RATES[shot.fps])


ASKED_EVERY = 100_000
"""Samples between two looks up from a frame: a quarter of a second on two cores."""
Seen = Camera | Callable[[Camera], Camera] | None
"""By which camera a shot is seen: its own, another, or one made of its own (one eye of a pair, the whole sphere)."""


@dataclass
class FrameRender:
    """A picture while it is taken."""

    stage: Stage
    shot: Shot
    t: float
    grade: Quality
    seen: Seen
    options: Options
    window: Window
    film: Film
    stop: Stop | None
    took: dict[str, float]
    shown: Snapshot | None = None
    """As the shutter opens: by its camera plants choose their forms and clouds are seen, all through the open
    shutter."""
    order: list[float] = field(default_factory=list)
    """When things are drawn, as shares of the open shutter, beginning with where the stage stands."""
    planned: int = 0
    """Samples that each pixel is going to get evenly."""

    @property
    def moments(self) -> int:
        return max(1, len(self.order))

    @property
    def many(self) -> bool:
        return self.grade.samples >= MANY

    @property
    def held(self) -> Camera | None:
        return None if self.shown is None else self.shown.camera

    def camera(self, t: float) -> Camera | None:
        """What it is seen by at a clip time; None for the shot's own camera."""
        if isinstance(self.seen, Camera) or self.seen is None:
            return self.seen
        return self.seen(camera_at(self.stage.setting, self.shot, t))

    def snapshot(self, t: float) -> Snapshot:
        made = evaluate(self.stage.setting, self.shot, t, self.camera(t))
        if self.options.shutter > 0:
            made = replace(made, open_for=self.options.shutter / self.moments)
        if self.shown is not None and unmoved((self.shown.deck, self.shown.veil), (made.deck, made.veil)):
            made = replace(made, deck=self.shown.deck, veil=self.shown.veil)
        return made

    def place(self, share: float) -> None:
        """Set the stage to a share of the open shutter."""
        start = time.perf_counter()
        eye = None if self.held is None else np.asarray(self.held.position, float)
        self.stage.set(self.snapshot(self.t + self.options.shutter * share), eye)
        self.took["set"] += time.perf_counter() - start

    def choose_moments(self) -> None:
        """Choose when things are drawn: at as many moments as what moves needs."""
        most = max(1, min(self.grade.moments, self.grade.samples)) if self.options.shutter > 0 else 1
        self.order = moments.shares(min(most, moments.FEW))[::-1]
        if most > moments.FEW and self.held is not None:
            last, first = self.order
            probe = None
            if not self.held.around:
                self.place(first)
                probe = moments.Probe(self.stage, self.held)
                self.place(last)
            # between the two lies half of the way
            if probe is None or probe.moved(self.stage) * self.window.width > moments.GAP:
                self.order = moments.shares(most)[::-1]

    def sight(self, share: float) -> Sight:
        """From where a moment of the shutter is exposed: a camera of the shot moves on through it."""
        if self.options.shutter <= 0 or isinstance(self.seen, Camera):
            return Sight(window=self.window, held=self.held, many=self.many, planned=self.planned)
        half = 0.5 / self.moments
        opens, closes = (self.t + self.options.shutter * (share + side) for side in (-half, half))
        ends = [self.camera(t) or camera_at(self.stage.setting, self.shot, t) for t in (opens, closes)]
        return Sight(ends[0], ends[1], self.window, self.held, self.many, self.planned)

    def expose(self, samples: int | NDArray[np.int32]) -> bool:
        """Add samples, dealt out over the moments of the open shutter; False if it was stopped.

        The moments come in turn and then backwards, since the stage stands at the last one already.
        """
        if not self.order:
            self.choose_moments()
        self.planned = samples if isinstance(samples, int) else 0
        n = self.moments
        for k, share in enumerate(self.order):
            self.place(share)
            start = time.perf_counter()
            few = samples * (k + 1) // n - samples * k // n
            done = expose(
                self.stage, self.film, few, self.grade.limit, self.options.seed, self.sight(share), stop=self.stop
            )
            self.took["trace"] += time.perf_counter() - start
            if not done:
                return False
        self.order.reverse()
        return True


def picture_at(
    stage: Stage,
    shot: Shot,
    t: float,
    size: tuple[int, int],
    grade: Quality,
    seen: Seen = None,
    options: Options = Options(),
    stop: Callable[[], bool] | None = None,
) -> Picture | None:
    """The place at clip time ``t`` [s], by the shot's camera or another; None if ``stop`` asked for it."""
    film_size, window = options.framing.film(size)
    film = blank(*film_size, passes=options.passes or grade.flat)
    took = {"set": 0.0, "trace": 0.0}
    taking = FrameRender(
        stage, shot, t, grade, seen, options, window, film, Stop(stop, ASKED_EVERY) if stop else None, took
    )
    taking.shown = shown = taking.snapshot(t)
    even = int(grade.samples * grade.even) if grade.noise > 0 and grade.samples >= 8 else grade.samples
    if not taking.expose(even):
        return None
    if even < grade.samples:
        wanted = more_samples(film, grade.samples - even, grade.noise, grade.most)
        if wanted.any() and not taking.expose(wanted):
            return None
    if grade.noise > 0 and grade.samples >= 8:
        film.note = unreached(film, grade.noise)
    start = time.perf_counter()
    light = clean(film, shown.camera.ev100, grade.denoise)
    cleaned = time.perf_counter()
    pixels = develop(light, shown.camera, shown.grade, shown.frame)
    took |= {"clean": cleaned - start, "develop": time.perf_counter() - cleaned}
    return Picture(pixels, film, light, shown, took)


def motion_vectors_of(
    stage: Stage,
    shot: Shot,
    t: float,
    size: tuple[int, int],
    camera: Camera | None = None,
    framing: Framing | None = None,
) -> NDArray[np.float32]:
    """Motion of what each pixel shows until the next frame, shape (height, width, 2) [pixels, right and down]."""
    film_size, window = (framing or Framing()).film(size)
    step = 1 / float(RATES[shot.fps])
    now = evaluate(stage.setting, shot, t, camera)
    return motion_vectors(
        stage,
        now,
        lambda seen: evaluate(stage.setting, shot, t + step, seen),
        camera or camera_at(stage.setting, shot, t + step),
        film_size,
        window,
    ).whole


@dataclass(frozen=True)
class Step:
    """How much a clip's picture changes from frame to frame, and where it comes round; shares of white
    (`lumwick.develop.flicker`).

    Attributes
    ----------
    usual, greatest : float
        Median and greatest of the steps looked at.
    seam : float
        From the last frame to the first.
    """

    usual: float
    greatest: float
    seam: float

    @property
    def text(self) -> str:
        """In words."""
        times = self.seam / max(self.usual, 1e-6)
        if self.seam <= max(1.25 * self.greatest, 0.002):
            return f"The step from the last frame to the first is {times:.1f} times the usual one: nobody will see it."
        return f"The step from the last frame to the first is {times:.1f} times the usual one: the loop jumps."


def seam_step(stage: Stage, shot: Shot, size: tuple[int, int] = (192, 108), pairs: int = 4) -> Step:
    """Compare the step from the last frame to the first with the clip's usual steps, on small pictures of one noise."""
    grade = QUALITIES["sketch"]

    def shown(frame: int) -> NDArray[np.uint8]:
        picture = frame_picture(stage, shot, frame, size, grade)
        assert picture is not None
        return picture.pixels

    starts = (
        sorted(
            {max(1, min(shot.frames - 1, round(1 + (shot.frames - 2) * k / max(pairs - 1, 1)))) for k in range(pairs)}
        )
        if shot.frames > 1
        else [1]
    )
    frames = {n: shown(n) for n in sorted({1, shot.frames, *starts, *(n + 1 for n in starts if n < shot.frames)})}
    steps = [flicker(frames[n], frames[n + 1]) for n in starts if n < shot.frames] or [0.0]
    return Step(float(np.median(steps)), float(max(steps)), flicker(frames[shot.frames], frames[1]))


def load_setting(place_assets: tuple) -> Setting:  # type: ignore[type-arg]
    """A place with its ground, from what `lumwick.place.files.load` returns."""
    place, assets = place_assets
    return Setting(place, read_ground(assets[place.land.elevation.sha256]), lambda asset: assets[asset.sha256])
