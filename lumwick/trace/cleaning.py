"""Cleaning a film."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pyoidn
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.errors import RenderError
from lumwick.lens.camera import exposure_scale
from lumwick.trace.film import Film
from lumwick.trace.integrator.film import (
    ALBEDO,
    NORMAL,
)
from lumwick.trace.lock import ENGINE


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
    f.set_int("maxMemoryMB", ROOM)
    f.set_quality(_GRADES[grade])
    f.commit()
    f.execute()
    error = _denoiser().get_error()
    f.release()
    if error:
        raise RenderError(f"The denoiser failed: {error}")
    return out


ROOM = 200
"""Megabytes that the denoiser works in: larger pictures go through it in pieces that overlap, and come out the same to
the bit; at 1280x720 it is no slower and takes 100 MB less."""
GUIDES = "balanced"
"""Grade at which guides are cleaned: at high they cost as much as the picture itself, and change nothing
(docs/decisions/0016)."""
FINE_KEPT = {"fast": 0.3, "balanced": 0.0, "high": 0.3}
"""How much of the traced picture is kept where surfaces change from pixel to pixel, by grade: the quick denoiser would
leave a smooth mass of reeds whose sway is not seen, and "balanced" keeps enough by itself (decision 0008, practice)."""
CLEAR_KEPT, CLEAR_ERROR = 0.9, 0.05
"""How much is kept, at most, where the picture's own error is small, which falls to nothing at this error (decision
0008)."""


def _detail(normal: NDArray[np.float32]) -> NDArray[np.float32]:
    """Where surfaces turn from pixel to pixel, 0 to 1: the spread of the normals over 3 by 3 pixels."""
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
    guides, high = {"albedo": albedo, "normal": normal}, grade == "high"
    with ENGINE:
        if high:
            guides = {name: _filtered({name: image}, GUIDES) for name, image in guides.items()}
        out = _filtered({"color": colour, **guides}, grade, hdr=True, cleanAux=high)
        kept = FINE_KEPT[grade] * _detail(guides["normal"])
        if high:
            kept = np.maximum(kept, CLEAR_KEPT * np.clip(1 - film.error() / CLEAR_ERROR, 0, 1))
        out = np.asarray(out + kept[..., None] * (colour - out), np.float32)
    return out / k
