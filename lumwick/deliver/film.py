"""Films: pictures in a row, as H.264 in MP4 that browsers play."""

from __future__ import annotations

import os
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from lumwick.errors import RenderError


def write_film(path: str | Path, frames: Iterable[NDArray[np.uint8]], fps: Fraction, crf: int = 17) -> int:
    """Encode frames as H.264, 4:2:0, Rec.709, with the index in front; whole or not at all.

    Parameters
    ----------
    frames : iterable of ndarray of uint8, shape (height, width, 3)
        All of one size; odd sides lose their last row or column.
    fps : Fraction [1/s]
    crf : int
        Constant rate factor; less is better and larger.

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
    part = path.with_name(f".{path.stem}.{os.getpid()}.part.mp4")
    count = 0
    try:
        with av.open(str(part), "w", format="mp4", options={"movflags": "+faststart"}) as out:
            stream = None
            for pixels in frames:
                pixels = np.ascontiguousarray(pixels[: pixels.shape[0] // 2 * 2, : pixels.shape[1] // 2 * 2])
                if stream is None:
                    stream = out.add_stream("libx264", rate=fps, options={"crf": str(crf), "preset": "medium"})
                    stream.width, stream.height, stream.pix_fmt = pixels.shape[1], pixels.shape[0], "yuv420p"
                    stream.codec_context.time_base = 1 / fps
                    stream.codec_context.color_primaries = stream.codec_context.color_trc = (
                        stream.codec_context.colorspace
                    ) = 1
                    stream.codec_context.color_range = 1
                frame = av.VideoFrame.from_ndarray(pixels, format="rgb24").reformat(
                    format="yuv420p", dst_colorspace="ITU709", dst_color_range="MPEG"
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
