"""Moving pictures that light is thrown through: a film, or a zip of numbered frames."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.errors import PlaceError
from lumwick.once import sized
from lumwick.strangers import FORMATS, PICTURE_DAMAGE, PIXELS_AT_MOST, picture, unzipped

CELLS = 256
FRAMES_AT_MOST = 2400
BYTES_AT_MOST = 1_500_000_000
PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")
FPS_OF_FRAMES = 24.0
"""Rate of frames that tell none."""


@dataclass(frozen=True)
class GoboFilm:
    """Frames that are fitted into a square, what lies beside them dark.

    Attributes
    ----------
    frames : ndarray of uint8, shape (n, 256, 256, 1 or 3)
        As they are shown; what is clear in them is dark if they tell it.
    fps : float [1/s]
    """

    frames: NDArray[np.uint8]
    fps: float

    @property
    def seconds(self) -> float:
        return len(self.frames) / self.fps

    def light(self, t: float) -> NDArray[np.float64]:
        """The frame at a time within it [s], as linear light, shape (256, 256, 3)."""
        k = min(max(int(np.floor(t * self.fps + 1e-6)), 0), len(self.frames) - 1)
        code = self.frames[k].astype(float) / 255
        linear = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
        return np.broadcast_to(linear, (CELLS, CELLS, 3)).copy()


def _fitted(image: Image.Image) -> NDArray[np.uint8]:
    """A picture in the square, with colour only if it has any."""
    if "A" in image.getbands() or "transparency" in image.info:
        rgba = image.convert("RGBA")
        image = Image.alpha_composite(Image.new("RGBA", rgba.size, (0, 0, 0, 255)), rgba)
    image = image.convert("RGB")
    k = CELLS / max(image.size)
    wide, high = (max(1, round(s * k)) for s in image.size)
    small = np.asarray(image.resize((wide, high), Image.Resampling.BOX))
    out = np.zeros((CELLS, CELLS, 3), np.uint8)
    top, left = (CELLS - high) // 2, (CELLS - wide) // 2
    out[top : top + high, left : left + wide] = small
    return out


def _number(name: str) -> tuple[int, str]:
    found = re.findall(r"\d+", name.rsplit("/", 1)[-1])
    return (int(found[-1]) if found else -1, name)


def _of_zip(data: bytes, name: str) -> Iterator[Image.Image]:
    def wanted(path: str) -> bool:
        return path.lower().endswith(PICTURES)

    held = list(unzipped(data, name, files_at_most=2 * FRAMES_AT_MOST, bytes_at_most=BYTES_AT_MOST, wanted=wanted))
    for path, one in sorted(held, key=lambda item: _number(item[0])):
        image = picture(one, f"{path} in {name}")
        try:
            image.load()
        except PICTURE_DAMAGE as error:
            raise PlaceError(f"{path} in {name} cannot be read as a picture.") from error
        yield image


def _checked(images: Iterator[Image.Image], name: str) -> NDArray[np.uint8]:
    frames: list[NDArray[np.uint8]] = []
    size = None
    for image in images:
        if size is not None and image.size != size:
            w, h = image.size
            raise PlaceError(
                f"{name} has frames of two sizes, {size[0]} x {size[1]} and {w} x {h}: they must be of one."
            )
        size = image.size
        if len(frames) == FRAMES_AT_MOST:
            raise PlaceError(f"{name} has more than {FRAMES_AT_MOST:,} frames: take a shorter piece of it.")
        frames.append(_fitted(image))
    if not frames:
        raise PlaceError(f"{name} holds no frames.")
    every = np.stack(frames)
    grey = bool((every[..., 0] == every[..., 1]).all() and (every[..., 1] == every[..., 2]).all())
    return every[..., :1].copy() if grey else every


def _container(data: bytes) -> str | None:
    """Which kind of film a file's first bytes say it is, as the reader calls it; None if of none that is read.

    Lists of other films, and descriptions of streams, are none: they have the reader open what they name.
    """
    if data[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip"):
        return "mov"
    return "matroska" if data[:4] == b"\x1a\x45\xdf\xa3" else None


ALONE = {"protocol_whitelist": "", "format_whitelist": "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm", "enable_drefs": "0"}
"""Options by which a film is read from its own bytes alone."""


@sized(600_000_000)
def read_gobo_film(data: bytes, name: str) -> GoboFilm:
    """A film's frames from its bytes.

    Raises
    ------
    PlaceError
        It is none, is damaged, has frames of two sizes, or too many.
    """
    if data[:2] == b"PK":
        return GoboFilm(_checked(_of_zip(data, name), name), FPS_OF_FRAMES)
    import av  # takes a third of a second to load

    kind = _container(data)
    none = PlaceError(
        f"{name} cannot be read as a film: bring an MP4, MOV, MKV or WebM, or a zip of numbered pictures."
    )
    if kind is None:
        raise none
    options = {k: v for k, v in ALONE.items() if kind == "mov" or k != "enable_drefs"}
    try:
        with av.open(io.BytesIO(data), "r", format=kind, options=options) as film:
            stream = film.streams.video[0]
            if stream.width * stream.height > PIXELS_AT_MOST:
                raise PlaceError(f"{name} is {stream.width}x{stream.height}: bring a smaller film.")
            fps = float(stream.average_rate or FPS_OF_FRAMES)
            frames = _checked((Image.fromarray(_small(frame)) for frame in film.decode(stream)), name)
    except (av.error.FFmpegError, IndexError, ValueError, OSError, MemoryError) as error:
        raise none from error
    return GoboFilm(frames, fps)


def _small(frame: Any) -> NDArray[np.uint8]:
    """A frame's pixels, no more of them than a gobo can use."""
    k = min(1.0, 2 * CELLS / max(frame.width, frame.height))
    wide, high = max(1, round(frame.width * k)), max(1, round(frame.height * k))
    return np.asarray(frame.reformat(wide, high, "rgb24").to_ndarray())


def zipped(pictures: Iterator[tuple[str, Path]]) -> bytes:
    """A zip of frames for a gobo from pictures as they are, made small."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as z:
        for name, path in pictures:
            image = Image.open(path, formats=FORMATS).convert("RGB")
            image.thumbnail((2 * CELLS, 2 * CELLS), Image.Resampling.BOX)
            held = io.BytesIO()
            image.save(held, "PNG")
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), held.getvalue())
    return out.getvalue()


def silhouettes(pictures: Iterator[tuple[str, bytes]]) -> bytes:
    """A zip of frames for a gobo from pictures with alpha: black where something is, white where the sky was cut out.

    Parameters
    ----------
    pictures : iterator of (str, bytes)
        Each frame's name and PNG.
    """
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as z:
        for name, data in pictures:
            alpha = Image.open(io.BytesIO(data), formats=FORMATS).convert("RGBA").getchannel("A")
            alpha.thumbnail((2 * CELLS, 2 * CELLS), Image.Resampling.BOX)
            held = io.BytesIO()
            Image.eval(alpha, lambda v: 255 - v).save(held, "PNG")
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), held.getvalue())
    return out.getvalue()
