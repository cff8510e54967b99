"""Pictures with alpha in a row: as a film that keeps it, or as numbered PNG."""

from __future__ import annotations

import os
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from lumwick.deliver.stills import write_png
from lumwick.errors import RenderError


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
    path = Path(path)
    part = path.with_name(f".{path.stem}.{os.getpid()}.part.mov")
    count = 0
    try:
        with av.open(str(part), "w", format="mov") as out:
            stream = None
            for pixels in frames:
                pixels = np.ascontiguousarray(pixels[: pixels.shape[0] // 2 * 2, : pixels.shape[1] // 2 * 2])
                if stream is None:
                    stream = out.add_stream("prores_ks", rate=fps, options={"profile": "4444", "alpha_bits": "16"})
                    stream.width, stream.height, stream.pix_fmt = pixels.shape[1], pixels.shape[0], "yuva444p10le"
                    stream.codec_context.time_base = 1 / fps
                frame = av.VideoFrame.from_ndarray(pixels, format="rgba").reformat(
                    format="yuva444p10le", dst_colorspace="ITU709"
                )
                frame.pts, frame.time_base = count, 1 / fps
                out.mux(stream.encode(frame))
                count += 1
            if stream is None:
                raise RenderError("There are no frames to make a film of.")
            out.mux(stream.encode(None))
        os.replace(part, path)
    except (av.error.FFmpegError, OSError) as error:
        raise RenderError(f"{path.name} could not be written: {error}.") from error
    finally:
        part.unlink(missing_ok=True)
    return count


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
