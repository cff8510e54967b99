"""The files of a frame: its picture, with the sky cut out if wanted, a matte, its passes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.deliver.passes import coverage_of
from lumwick.develop.view import develop
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera
from lumwick.lens.grade import Grade
from lumwick.trace.film import Film
from lumwick.trace.integrator.film import BEHIND, CLOUDS, COVERAGE


def cut_out(film: Film, light: NDArray[np.float32], camera: Camera, grade: Grade, frame: int) -> NDArray[np.uint8]:
    """The picture without its sky, shape (height, width, 4): colours as if nothing were behind them, and straight
    alpha.

    Raises
    ------
    RenderError
        The film has no passes.
    """
    if not len(film.passes):
        raise RenderError("A picture without its sky needs passes: expose the film with them.")
    passes = film.passes / film.counted
    coverage = passes[..., COVERAGE : COVERAGE + 1]
    front = np.maximum(
        light - passes[..., 3 * BEHIND : 3 * BEHIND + 3] - passes[..., 3 * CLOUDS : 3 * CLOUDS + 3], 0
    ) / np.maximum(coverage, 0.02)
    pixels = develop(np.asarray(np.where(coverage > 0, front, 0), np.float32), camera, grade, frame)
    alpha = np.clip(np.round(coverage * 255), 0, 255).astype(np.uint8)
    return np.concatenate([np.where(coverage > 0, pixels, 0).astype(np.uint8), alpha], -1)


def matte(film: Film, names: list[str]) -> NDArray[np.uint8]:
    """White where the named things or surfaces are, black elsewhere, with the same as straight alpha; shape (height,
    width, 4).

    Raises
    ------
    RenderError
        There is no such thing.
    """
    shares = np.clip(np.round(coverage_of(film, names) * 255), 0, 255).astype(np.uint8)
    return np.repeat(shares[..., None], 4, -1)


def names_of(text: str) -> list[str]:
    """Names written with commas between them."""
    return [name.strip() for name in text.split(",") if name.strip()]
