"""Film: what samples are added to, and what it says."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.errors import RenderError
from lumwick.trace.integrator.film import (
    ASIDE,
    CHANNELS,
    COUNTED,
    DISTANCE,
    IDS,
    LONG_BLOCK,
    OPEN,
    PASSES,
    SHORT_BLOCK,
    SQUARED,
)


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
        told = np.sqrt(np.maximum(smooth, 0)) / (bright + 0.05 * max(float(np.median(mean)), 1e-9))
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
