"""Pictures as files."""

from __future__ import annotations

import os
import zlib
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from lumwick.atomic import part_of
from lumwick.errors import RenderError


def frame_name(shot: str, frame: int) -> str:
    """File name of a numbered frame."""
    return f"{shot}.{frame:05d}.png"


def write_png(path: str | Path, pixels: NDArray[np.uint8], **metadata: str) -> None:
    """Write an sRGB PNG, with straight alpha if there is a fourth channel, whole or not at all.

    Raises
    ------
    RenderError
        The disk is full, or the folder cannot be written.
    """
    path = Path(path)
    part = part_of(path, ".png")
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], "uint8")
    if pixels.shape[2] == 4:
        spec.alpha_channel = 3
        spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("oiio:ColorSpace", "sRGB")
    spec.attribute("png:compressionLevel", 4)
    for key, value in metadata.items():
        spec.attribute(key, value)
    write_whole(path, part, spec, np.ascontiguousarray(pixels))


def write_whole(path: Path, part: Path, spec: oiio.ImageSpec, pixels: NDArray[Any]) -> None:
    """Write an image beside its place, then move it there: whole or not at all.

    Raises
    ------
    RenderError
        The disk is full, or the folder cannot be written.
    """
    out = oiio.ImageOutput.create(str(part))
    try:
        if not out or not out.open(str(part), spec) or not out.write_image(pixels) or not out.close():
            raise RenderError(
                f"{path.name} could not be written: "
                f"{(out.geterror() if out else oiio.geterror()).strip() or 'is the disk full?'}"
            )
        os.replace(part, path)
    except OSError as error:
        raise RenderError(f"{path.name} could not be written: {error.strerror}.") from error
    finally:
        part.unlink(missing_ok=True)


def read_png(path: str | Path) -> NDArray[np.uint8]:
    """Pixels of a PNG, shape (height, width, 3).

    Raises
    ------
    RenderError
        It is not there, or damaged.
    """
    image = oiio.ImageInput.open(str(path)) if Path(path).is_file() else None
    pixels = image.read_image("uint8") if image else None
    if image:
        image.close()
    if pixels is None or np.asarray(pixels).ndim != 3:
        oiio.geterror()
        raise RenderError(f"{Path(path).name} cannot be read: it is missing, cut short or damaged.")
    return np.asarray(pixels)[..., :3]


def png_is_whole(path: Path) -> bool:
    """Whether a file is a PNG whose chunks are all there, each with its own check sum (ISO/IEC 15948, 5.3)."""
    data = memoryview(path.read_bytes())
    at, kind = 8, b""
    if bytes(data[:8]) != b"\x89PNG\r\n\x1a\n":
        return False
    while at + 12 <= len(data) and kind != b"IEND":
        length, kind = int.from_bytes(data[at : at + 4], "big"), bytes(data[at + 4 : at + 8])
        end = at + 8 + length
        if zlib.crc32(data[at + 4 : end]) != int.from_bytes(data[end : end + 4], "big"):
            return False
        at = end + 4
    return kind == b"IEND"
