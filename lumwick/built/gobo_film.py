"""Moving pictures that light is thrown through: a film, or a zip of numbered frames."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.errors import PlaceError

CELLS = 256
FRAMES_AT_MOST = 2400
BYTES_AT_MOST = 1_500_000_000
FILM_ENDINGS = (".mp4", ".mov", ".webm", ".mkv", ".zip")
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
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            inside = [i for i in z.infolist() if i.filename.lower().endswith(PICTURES)]
            if sum(i.file_size for i in inside) > BYTES_AT_MOST:
                raise PlaceError(f"{name} unpacks to more than 1.5 GB: bring smaller frames.")
            for info in sorted(inside, key=lambda i: _number(i.filename)):
                try:
                    image = Image.open(io.BytesIO(z.read(info)))
                    image.load()
                except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
                    raise PlaceError(f"{info.filename} in {name} cannot be read as a picture.") from error
                yield image
    except (zipfile.BadZipFile, EOFError, OSError) as error:
        raise PlaceError(f"{name} is damaged, or is no zip of pictures.") from error


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


@lru_cache(6)
def read_gobo_film(data: bytes, name: str) -> GoboFilm:
    """A film's frames from its bytes.

    Raises
    ------
    PlaceError
        It is none, is damaged, has frames of two sizes, or too many.
    """
    if name.lower().endswith(".zip"):
        return GoboFilm(_checked(_of_zip(data, name), name), FPS_OF_FRAMES)
    import av  # takes a third of a second to load

    try:
        with av.open(io.BytesIO(data), "r") as film:
            stream = film.streams.video[0]
            fps = float(stream.average_rate or FPS_OF_FRAMES)
            frames = _checked(
                (Image.fromarray(frame.to_ndarray(format="rgb24")) for frame in film.decode(stream)), name
            )
    except (av.error.FFmpegError, IndexError, ValueError, OSError) as error:
        raise PlaceError(f"{name} cannot be read as a film: bring a film, or a zip of numbered pictures.") from error
    return GoboFilm(frames, fps)


def zipped(pictures: Iterator[tuple[str, Path]]) -> bytes:
    """A zip of frames for a gobo from pictures as they are, made small."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as z:
        for name, path in pictures:
            image = Image.open(path).convert("RGB")
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
            alpha = Image.open(io.BytesIO(data)).convert("RGBA").getchannel("A")
            alpha.thumbnail((2 * CELLS, 2 * CELLS), Image.Resampling.BOX)
            held = io.BytesIO()
            Image.eval(alpha, lambda v: 255 - v).save(held, "PNG")
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), held.getvalue())
    return out.getvalue()
