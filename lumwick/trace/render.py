"""Trace a stage into film, and clean the film."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import pyoidn
from numpy.typing import NDArray

from lumwick.air.atmosphere import LUMA
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, exposure_scale
from lumwick.trace.kernel import CHANNELS, PASSES, render_rows
from lumwick.trace.stage import Stage

ENGINE = threading.Lock()
"""Numba's threads, Embree's commits and the denoiser are entered by one thread of a process at a time."""


@dataclass(frozen=True)
class Quality:
    """How a picture is traced: samples a pixel, diffuse bounces, how well it is cleaned, and at how many moments
    of the open shutter things stand (the camera moves through all of it)."""

    samples: int
    bounces: int
    denoise: str  # "fast", "balanced" or "high"
    moments: int = 1


QUALITIES = {"sketch": Quality(4, 1, "balanced"), "study": Quality(16, 1, "high", 4), "fine": Quality(64, 2, "high", 8)}


@dataclass
class Film:
    """Linear buffers, as sums over samples.

    Attributes
    ----------
    sums : ndarray of float32, shape (height, width, 10)
        Radiance [cd/m2, Rec.709], albedo, normal, distance [m].
    passes : ndarray of float32, shape (height, width, 16), or (0, 0, 16) if they were not asked for
        Radiance by its source (sun, sky, air and water, background), position [m], coverage.
    """

    sums: NDArray[np.float32]
    passes: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 0, PASSES), np.float32))
    samples: int = 0
    rays: int = 0
    shadow_rays: int = 0
    seconds: dict[str, float] = field(default_factory=dict)

    @property
    def radiance(self) -> NDArray[np.float32]:
        """Shape (height, width, 3) [cd/m2]."""
        return self.sums[..., :3] / max(self.samples, 1)

    @property
    def distance(self) -> NDArray[np.float32]:
        return self.sums[..., 9] / max(self.samples, 1)


def blank(width: int, height: int, passes: bool = False) -> Film:
    """Unexposed film, with room for passes if they are wanted.

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
    return film


def expose(stage: Stage, film: Film, samples: int, bounces: int = 1, seed: int = 1, stop: Callable[[], bool] | None = None,
           strip: int = 300_000, opens: Camera | None = None, closes: Camera | None = None) -> bool:
    """Add samples to a film. The n-th sample of a pixel is the same whenever it is added.

    Parameters
    ----------
    stop : callable
        Asked between strips; when it says so the film is left as it was before this call.
    strip : int
        Samples between two questions; fewer answer sooner and spread the work a little less evenly.
    opens, closes : Camera
        Where the camera is when the shutter opens and closes; at rest in the snapshot's place if not given.

    Returns
    -------
    bool
        Whether it was finished.
    """
    height, width = film.sums.shape[:2]
    view = stage.view(width, height, opens, closes)
    # indirect light of one sample may be at most this many times what a white card in the open would send back
    open_light = float(LUMA @ (stage._light.sky_lux + stage.clear.sun_lux * max(float(stage.snapshot.sun_direction[2]), 0.0))) / np.pi
    clamp = 12.0 * max(open_light, 1e-3)
    order = np.concatenate([np.arange(0, height, 2), np.arange(1, height, 2)])
    counts = np.zeros((height, 2), np.int64)
    sums, by_source = (film.sums.copy(), film.passes.copy()) if stop else (film.sums, film.passes)
    strips = np.array_split(order, 1 if not stop else max(1, min(height // 4, height * width * samples // strip)))
    for chosen in strips:
        if stop and stop():
            return False
        rows = np.concatenate([chosen[0::2], chosen[1::2]])
        part = np.zeros((len(rows), 2), np.int64)
        with ENGINE:
            render_rows(stage.world, view, sums, by_source, film.samples, samples, bounces, clamp, seed, rows, part)
        counts[rows] = part
    film.sums, film.passes = sums, by_source
    film.samples += samples
    film.rays += int(counts[:, 0].sum())
    film.shadow_rays += int(counts[:, 1].sum())
    return True


@lru_cache(1)
def _denoiser() -> pyoidn.Device:
    device = pyoidn.Device(pyoidn.OIDN_DEVICE_TYPE_CPU)
    device.commit()
    return device


_GRADES = {"fast": pyoidn.OIDN_QUALITY_FAST, "balanced": pyoidn.OIDN_QUALITY_BALANCED, "high": pyoidn.OIDN_QUALITY_HIGH}


def clean(film: Film, ev: float, grade: str = "high") -> NDArray[np.float32]:
    """Denoised radiance, shape (height, width, 3) [cd/m2].

    The denoiser sees the picture at its exposure, with albedo and normals as guides.
    """
    k = exposure_scale(ev)
    n = max(film.samples, 1)
    colour = np.ascontiguousarray(np.maximum(film.sums[..., :3] / n * k, 0), np.float32)
    albedo = np.ascontiguousarray(np.clip(film.sums[..., 3:6] / n, 0, 1), np.float32)
    normal = np.ascontiguousarray(film.sums[..., 6:9] / n, np.float32)
    out = np.empty_like(colour)
    with ENGINE:
        f = pyoidn.Filter(_denoiser(), "RT")
        for name, image in (("color", colour), ("albedo", albedo), ("normal", normal), ("output", out)):
            f.set_image(name, image, pyoidn.OIDN_FORMAT_FLOAT3, colour.shape[1], colour.shape[0])
        f.set_bool("hdr", True)
        f.set_quality(_GRADES[grade])
        f.commit()
        f.execute()
        error = _denoiser().get_error()
        f.release()
    if error:
        raise RenderError(f"The denoiser failed: {error}")
    return out / k
