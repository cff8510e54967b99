"""Trace a stage into film, and clean the film."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cache, lru_cache

import numpy as np
import pyoidn
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.air.atmosphere import LUMA
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, exposure_scale
from lumwick.trace.integrator.film import (
    ALBEDO,
    ASIDE,
    CHANNELS,
    COUNTED,
    DISTANCE,
    IDS,
    LONG_BLOCK,
    NORMAL,
    OPEN,
    PASSES,
    SHORT_BLOCK,
    SQUARED,
)
from lumwick.trace.integrator.path import Exposure, Room, new_room, render_rows
from lumwick.trace.integrator.rays import REPLAY
from lumwick.trace.lock import ENGINE
from lumwick.trace.stage import Stage, Window
from lumwick.trace.world import Limits, View, World


@dataclass(frozen=True)
class Limit:
    """How far a path is followed.

    Attributes
    ----------
    bounces, reflections, transmissions : int
        Off matt surfaces, off glossy ones and water, and through clear things.
    flat : bool
        Only which things are where, for mattes.
    """

    bounces: int = 1
    reflections: int = 4
    transmissions: int = 8
    flat: bool = False


@dataclass(frozen=True)
class Sight:
    """From where film is exposed.

    Attributes
    ----------
    opens, closes : Camera or None
        Where the camera is when the shutter opens and closes; at rest in the snapshot's place if not given.
    window : Window or None
        Which part of a larger picture the film shows.
    """

    opens: Camera | None = None
    closes: Camera | None = None
    window: Window | None = None


@dataclass(frozen=True)
class Stop:
    """Whether to leave off, asked between strips.

    Attributes
    ----------
    every : int
        Samples between two questions; fewer answer sooner and spread the work a little less evenly.
    """

    asked: Callable[[], bool]
    every: int = 300_000


@dataclass(frozen=True)
class Quality:
    """How a picture is traced.

    Attributes
    ----------
    samples : int
        A pixel, in the mean.
    bounces, reflections, transmissions : int
        Off matt surfaces, off glossy ones and water, and through clear things.
    denoise : str
        fast, balanced, high, or none.
    moments : int
        At how many moments of the open shutter things stand (the camera moves through all of it).
    noise : float
        Where a pixel's relative error is under this it gets no more samples; 0 gives every pixel the same.
    most : int
        Samples that no pixel exceeds, whatever its noise.
    vary : bool
        Whether each frame has noise of its own; else all frames share it, so that it does not crawl.
    flat : bool
        Only which things are where, for mattes.
    """

    samples: int
    bounces: int
    denoise: str
    moments: int = 1
    reflections: int = 4
    transmissions: int = 8
    noise: float = 0.0
    most: int = 0
    vary: bool = False
    flat: bool = False

    @property
    def limit(self) -> Limit:
        return Limit(self.bounces, self.reflections, self.transmissions, self.flat)


QUALITIES = {
    "sketch": Quality(4, 1, "balanced"),
    "study": Quality(16, 1, "high", 4, noise=0.02, most=48),
    "fine": Quality(64, 2, "high", 8, noise=0.01, most=192),
    "matte": Quality(32, 0, "none", 4, flat=True),
}


@dataclass
class Film:
    """Linear buffers, as sums over samples.

    Attributes
    ----------
    sums : ndarray of float32, shape (height, width, CHANNELS)
        Radiance [cd/m2, Rec.709], albedo, normal, distance [m], and what else `lumwick.trace.integrator.film` says.
    passes : ndarray of float32, shape (height, width, PASSES), or (0, 0, PASSES) if they were not asked for
        Radiance by its source, position [m], coverage: see `lumwick.trace.integrator.film`.
    mattes : ndarray of int32, shape (height, width, 2, IDS, 2), or (0, 0, 2, IDS, 2)
        Numbers of things, and of surfaces, each with its samples; number k is the k-th name of ``names``.
    names : tuple of list of str
        Of things and of surfaces.
    """

    sums: NDArray[np.float32]
    passes: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 0, PASSES), np.float32))
    mattes: NDArray[np.int32] = field(default_factory=lambda: np.zeros((0, 0, 2, IDS, 2), np.int32))
    names: tuple[list[str], list[str]] = ([], [])
    rays: int = 0
    shadow_rays: int = 0
    note: str = ""

    @property
    def counted(self) -> NDArray[np.float32]:
        """Samples of each pixel, at least 1; shape (height, width, 1)."""
        return np.maximum(self.sums[..., COUNTED : COUNTED + 1], 1)

    @property
    def samples(self) -> float:
        """Samples a pixel, in the mean."""
        return float(self.sums[..., COUNTED].mean())

    @property
    def radiance(self) -> NDArray[np.float32]:
        """Shape (height, width, 3) [cd/m2].

        What single samples brought above the limit lies spread over their neighbourhood, so that the picture's
        light is what was traced, without sparks.
        """
        light = self.sums[..., :3] / self.counted
        aside = self.sums[..., ASIDE : ASIDE + 3]
        if aside.any():
            width = max(2.0, self.sums.shape[1] / 60)
            light = light + ndimage.gaussian_filter(aside / self.counted, (width, width, 0), mode="reflect")
        return light

    @property
    def distance(self) -> NDArray[np.float32]:
        return self.sums[..., DISTANCE] / self.counted[..., 0]

    def error(self) -> NDArray[np.float32]:
        """Standard error of each pixel's brightness, as a share of the brightness (and of a floor for the dark),
        shape (height, width)."""
        n, light = self.counted[..., 0], self.sums[..., :3].sum(-1)
        long = np.floor(n / LONG_BLOCK)
        blocks = np.where(long < 2, np.minimum(np.floor(n / SHORT_BLOCK), 2), long)
        within = np.where(long < 2, blocks * SHORT_BLOCK, long * LONG_BLOCK)  # samples of whole blocks
        whole = light - self.sums[..., OPEN]
        # how far blocks are apart says how far the mean of all samples is from the truth
        apart = np.maximum(self.sums[..., SQUARED] - whole * whole / np.maximum(within, 1), 0)
        variance = apart / np.maximum(blocks - 1, 1) / n
        mean = light / n
        # a pixel's own estimate is rough: its neighbours' help
        smooth = ndimage.uniform_filter(variance, 5, mode="reflect")
        bright = ndimage.uniform_filter(mean, 5, mode="reflect")
        told = np.sqrt(smooth) / (bright + 0.05 * max(float(np.median(mean)), 1e-9))
        return np.asarray(np.where(blocks < 2, 1.0, told), np.float32)  # one block tells nothing of its error


def blank(width: int, height: int, passes: bool = False) -> Film:
    """Unexposed film, with room for passes and mattes if they are wanted.

    Raises
    ------
    RenderError
        The size cannot be rendered.
    """
    if not (16 <= width <= 8192 and 16 <= height <= 8192):
        raise RenderError(f"A picture of {width}x{height} cannot be made: each side must be from 16 to 8192.")
    film = Film(np.zeros((height, width, CHANNELS), np.float32))
    if passes:
        film.passes = np.zeros((height, width, PASSES), np.float32)
        film.mattes = np.zeros((height, width, 2, IDS, 2), np.int32)
    return film


def expose(
    stage: Stage,
    film: Film,
    samples: int | NDArray[np.int32],
    limit: Limit = Limit(),
    seed: int = 1,
    sight: Sight = Sight(),
    stop: Stop | None = None,
    log: NDArray[np.float32] | None = None,
) -> bool:
    """Add samples to a film. The n-th sample of a pixel is the same whenever it is added.

    Parameters
    ----------
    samples : int, or ndarray of int32 of shape (height, width)
        To add to every pixel, or to each.
    stop : Stop
        When it says so the film is left as it was before this call.
    log : ndarray of float32, shape (height, m, REPLAY)
        Takes the first rays of each row.

    Returns
    -------
    bool
        Whether it was finished.
    """
    height, width = film.sums.shape[:2]
    view = stage.view(width, height, sight.opens, sight.closes, sight.window)
    wanted = np.ascontiguousarray(np.broadcast_to(samples, (height, width)), np.int32)
    card, lux = _open_light(stage)
    limits = Limits(limit.bounces, limit.reflections, limit.transmissions, BRIGHTEST * max(card, 1e-3), limit.flat, lux)
    order = np.concatenate([np.arange(0, height, 2), np.arange(1, height, 2)])
    counts = np.zeros((height, 2), np.int64)
    sums, by_source, mattes = film.sums, film.passes, film.mattes
    if stop:
        sums, by_source, mattes = sums.copy(), by_source.copy(), mattes.copy()
    strips = np.array_split(order, max(1, min(height // 4, int(wanted.sum()) // stop.every)) if stop else 1)
    for chosen in strips:
        if stop and stop.asked():
            return False
        with ENGINE:
            exposure = Exposure(sums, by_source, mattes, wanted, seed)
            _on_threads(stage.world, view, limits, exposure, chosen, counts, NO_LOG if log is None else log)
    film.sums, film.passes, film.mattes, film.names = sums, by_source, mattes, (stage.things, stage.surfaces)
    film.rays += int(counts[:, 0].sum())
    film.shadow_rays += int(counts[:, 1].sum())
    return True


BRIGHTEST = 12.0
"""Indirect light of one sample may be at most this many times what a white card in the open sends back (practice)."""


def _open_light(stage: Stage) -> tuple[float, float]:
    """What a white card in the open sends back [cd/m2]: by day, or by lamps two metres from the strongest; and what
    daylight alone puts on it [lx]."""
    up = max(float(stage.snapshot.sun_direction[2]), 0.0)
    lux = float(LUMA @ (stage.light.sky_lux + stage.clear.sun_lux * up))
    card = lux / np.pi
    lamps = stage.world.lights.lamp
    if len(lamps):
        card = max(card, float(lamps["power"].max()) / (4 * np.pi))
    return card, max(lux, 1e-3)


ROWS_AT_ONCE = 2
"""Rows that a thread takes on at once: few, since some cost ten times as much as others."""


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 1, "trace")


def _on_threads(
    world: World,
    view: View,
    limits: Limits,
    exposure: Exposure,
    rows: NDArray[np.int64],
    counts: NDArray[np.int64],
    log: NDArray[np.float32],
) -> None:
    """Deal rows out to the machine's cores: whoever is done takes the next few."""
    todo = iter(np.array_split(rows, max(1, len(rows) // ROWS_AT_ONCE)))

    def work(room: Room) -> None:
        for some in todo:
            render_rows(world, view, limits, exposure, some, room, counts, log)

    pool = _threads()
    for task in [pool.submit(work, new_room()) for _ in range(os.cpu_count() or 1)]:
        task.result()


NO_LOG = np.zeros((1, 0, REPLAY), np.float32)


def more_samples(film: Film, budget: float, noise: float, most: int) -> NDArray[np.int32]:
    """Where the next samples go: to pixels whose error is above ``noise``, by the samples they still need.

    Parameters
    ----------
    budget : float
        Samples a pixel to spend, in the mean.
    noise : float
        Relative error to reach.
    most : int
        Samples that no pixel exceeds.

    Returns
    -------
    ndarray of int32, shape (height, width)
    """
    error, n = film.error(), film.counted[..., 0]
    # the error falls with the root of the number
    need = np.clip(n * ((error / noise) ** 2 - 1), 0, np.maximum(most - n, 0))
    total = float(need.sum())
    if total <= 0:
        return np.zeros(n.shape, np.int32)
    share = min(1.0, budget * n.size / total)
    wanted = need * share
    # the remainders are dealt out by an ordered pattern, so that no sample of the budget is lost
    pattern = np.tile(
        np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]]) / 16.0 + 1 / 32,
        (n.shape[0] // 4 + 1, n.shape[1] // 4 + 1),
    )[: n.shape[0], : n.shape[1]]
    return np.asarray(np.floor(wanted + pattern), np.int32)


def unreached(film: Film, noise: float) -> str:
    """A word about where a noise threshold was not reached; empty if it was, but for a hundredth of the picture."""
    above = float((film.error() > noise).mean())
    return (
        f"Noise is still above {100 * noise:g} % in {100 * above:.0f} % of the "
        "picture: more samples, or a higher threshold, would meet it."
        if above > 0.01
        else ""
    )


@lru_cache(1)
def _denoiser() -> pyoidn.Device:
    device = pyoidn.Device(pyoidn.OIDN_DEVICE_TYPE_CPU)
    device.commit()
    return device


_GRADES = {"fast": pyoidn.OIDN_QUALITY_FAST, "balanced": pyoidn.OIDN_QUALITY_BALANCED, "high": pyoidn.OIDN_QUALITY_HIGH}


def _filtered(images: dict[str, NDArray[np.float32]], grade: str, **switches: bool) -> NDArray[np.float32]:
    """One pass of the denoiser; the first image is the one to clean."""
    first = next(iter(images.values()))
    out = np.empty_like(first)
    f = pyoidn.Filter(_denoiser(), "RT")
    for name, image in (*images.items(), ("output", out)):
        f.set_image(name, image, pyoidn.OIDN_FORMAT_FLOAT3, first.shape[1], first.shape[0])
    for name, value in switches.items():
        f.set_bool(name, value)
    f.set_quality(_GRADES[grade])
    f.commit()
    f.execute()
    error = _denoiser().get_error()
    f.release()
    if error:
        raise RenderError(f"The denoiser failed: {error}")
    return out


FINE_KEPT, CLEAR_KEPT, CLEAR_ERROR = 0.3, 0.9, 0.05
"""How much of the traced picture is kept where surfaces change from pixel to pixel; and how much, at most, where its
own
error is small, which falls to nothing at this error (docs/decisions/0008)."""


def _detail(normal: NDArray[np.float32]) -> NDArray[np.float32]:
    """Where surfaces turn from pixel to pixel, 0 to 1: the spread of the cleaned normals over 3 by 3 pixels."""
    mean = ndimage.uniform_filter(normal, (3, 3, 0), mode="reflect")
    spread = ndimage.uniform_filter(normal * normal, (3, 3, 0), mode="reflect") - mean * mean
    return np.asarray(np.clip(np.sqrt(np.maximum(spread.sum(-1), 0)) / 0.4, 0, 1), np.float32)


def clean(film: Film, ev: float, grade: str = "high") -> NDArray[np.float32]:
    """Denoised radiance, shape (height, width, 3) [cd/m2].

    The denoiser sees the picture at its exposure, with albedo and normals as guides; at the high grade these are
    cleaned first, so that their own noise leaves no trace. Some of the traced picture is kept where surfaces change
    from pixel to pixel, as in grass, and most of it where it is clean already, as in the sky.
    """
    k = exposure_scale(ev)
    light = film.radiance
    if grade == "none":
        return light
    n = film.counted
    colour = np.ascontiguousarray(np.maximum(light * k, 0), np.float32)
    albedo = np.ascontiguousarray(np.clip(film.sums[..., ALBEDO : ALBEDO + 3] / n, 0, 1), np.float32)
    normal = np.ascontiguousarray(film.sums[..., NORMAL : NORMAL + 3] / n, np.float32)
    with ENGINE:
        if grade == "high":
            guides = {"albedo": _filtered({"albedo": albedo}, grade), "normal": _filtered({"normal": normal}, grade)}
            out = _filtered({"color": colour, **guides}, grade, hdr=True, cleanAux=True)
            kept = np.maximum(
                FINE_KEPT * _detail(guides["normal"]), CLEAR_KEPT * np.clip(1 - film.error() / CLEAR_ERROR, 0, 1)
            )[..., None]
            out = np.asarray(out + kept * (colour - out), np.float32)
        else:
            out = _filtered({"color": colour, "albedo": albedo, "normal": normal}, grade, hdr=True)
    return out / k
