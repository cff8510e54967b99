"""Pictures with alpha in a row: as a film that keeps it, or as numbered PNG."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lumwick.deliver.film import Encoder, encode
from lumwick.deliver.stills import write_png
from lumwick.errors import RenderError

PRORES = Encoder("mov", "prores_ks", {"profile": "4444", "alpha_bits": "16"}, "rgba", "yuva444p10le")


def write_alpha_film(path: str | Path, frames: Iterable[NDArray[np.uint8]], fps: Fraction) -> int:
    """Encode frames (height, width, 4) with straight alpha as ProRes 4444 in a QuickTime file, whole or not at all.

    Returns
    -------
    int
        Number of frames written.

    Raises
    ------
    RenderError
        No frames, or the file cannot be written.
    """
    return encode(path, frames, fps, PRORES)


def write_alpha_frames(folder: str | Path, frames: Iterable[NDArray[np.uint8]]) -> int:
    """Write frames (height, width, 4) as numbered PNG into a folder; how many."""
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        count = 0
        for count, pixels in enumerate(frames, 1):
            write_png(folder / f"{count:04d}.png", pixels)
    except OSError as error:
        raise RenderError(f"{folder} could not be written: {error}.") from error
    return count
