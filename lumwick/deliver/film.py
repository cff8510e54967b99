"""Films: pictures in a row, as H.264 in MP4 that browsers play."""

from __future__ import annotations

import os
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import av
import numpy as np
from numpy.typing import NDArray

from lumwick.atomic import part_of
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
    h264 = Encoder("mp4", "libx264", {"crf": str(crf), "preset": "medium"}, "rgb24", "yuv420p", ("faststart",))
    return encode(path, frames, fps, h264)


class Encoder(NamedTuple):
    """How frames become a film: container, codec and its options, what the frames are and what they are kept as, and
    flags of the container."""

    container: str
    codec: str
    options: dict[str, str]
    given: str
    kept: str
    flags: tuple[str, ...] = ()


def encode(path: str | Path, frames: Iterable[NDArray[np.uint8]], fps: Fraction, how: Encoder) -> int:
    """Encode frames in Rec.709, whole or not at all; returns their number.

    Raises
    ------
    RenderError
        No frames, or the file cannot be written.
    """
    path = Path(path)
    part = part_of(path, f".{how.container}")
    count = 0
    try:
        flags = {"movflags": "+".join(("", *how.flags))} if how.flags else {}
        with av.open(str(part), "w", format=how.container, options=flags) as out:
            stream: Any = None
            for pixels in frames:
                pixels = np.ascontiguousarray(pixels[: pixels.shape[0] // 2 * 2, : pixels.shape[1] // 2 * 2])
                if stream is None:
                    stream = out.add_stream(how.codec, rate=fps, options=how.options)
                    stream.width, stream.height, stream.pix_fmt = pixels.shape[1], pixels.shape[0], how.kept
                    stream.codec_context.time_base = 1 / fps
                    stream.codec_context.color_primaries = stream.codec_context.color_trc = (
                        stream.codec_context.colorspace
                    ) = 1
                    stream.codec_context.color_range = 1
                frame = av.VideoFrame.from_ndarray(pixels, format=how.given).reformat(
                    format=how.kept, dst_colorspace="ITU709", dst_color_range="MPEG"
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
