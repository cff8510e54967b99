"""What reads a stranger's file believes nothing in it: sizes are known before anything is made, formats are named, and
paths stay inside.

Every reader of files that others made goes through this module for what all have in common: JSON, zips, pictures, and
what text may hold.
"""

from __future__ import annotations

import io
import json
import math
import re
import zipfile
from collections.abc import Callable, Iterator
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from lumwick.errors import LumwickError, PlaceError

Image.MAX_IMAGE_PIXELS = None  # sizes are asked for here, with a sentence

# -- text and numbers -----------------------------------------------------------------------------------------------

TEXT_AT_MOST, DIGITS_AT_MOST = 20_000, 300
NUMBER_AT_MOST, DEEPEST = 1e15, 100
CONTROLS = re.compile("[\x00-\x1f\x7f\ud800-\udfff]")


def wild_text(text: str, most: int = TEXT_AT_MOST, lines: bool = False) -> str:
    """What is wrong with a text, in words; empty if nothing is.

    Parameters
    ----------
    lines : bool
        Whether it may have several lines.
    """
    if len(text) > most:
        return f"has {len(text):,} letters, and at most {most:,} are taken"
    if CONTROLS.search(re.sub(r"[\n\r\t]", "", text) if lines else text):
        return "holds a sign that is no letter, or a line break"
    return ""


def wild_number(number: float) -> str:
    """What is wrong with a number, in words; empty if nothing is."""
    if isinstance(number, float) and not math.isfinite(number):
        return "is no number, or endless"
    return "" if abs(number) <= NUMBER_AT_MOST else "is too large to be meant"


def refuse_wild(data: Any, what: str) -> None:
    """Refuse plain JSON data that hold control signs, texts without an end, or numbers that are none.

    Raises
    ------
    PlaceError
    """
    todo: list[tuple[str, Any, int]] = [("", data, 0)]
    while todo:
        where, one, depth = todo.pop()
        said = "what it holds lies too deep in itself" if depth > DEEPEST else ""
        if isinstance(one, dict):
            todo += [(f"{where}.{name}"[-120:].lstrip("."), value, depth + 1) for name, value in one.items()]
            said = said or next((f"a name in it {w}" for w in map(wild_text, map(str, one)) if w), "")
        elif isinstance(one, list | tuple):
            todo += [(where, value, depth + 1) for value in one]
        elif isinstance(one, str):
            said = wild_text(one)
            said = said and f"{where or 'a text'}, {shown(one)}, {said}"
        elif isinstance(one, int | float) and not isinstance(one, bool):
            said = wild_number(one)
            said = said and f"{where or 'a number'} {said}"
        if said:
            raise PlaceError(f"{what} cannot be used: {said}.")


def shown(text: str, most: int = 40) -> str:
    """The beginning of a text as it may stand in a sentence."""
    return ascii(text if len(text) <= most else f"{text[:most]}…")


def json_of(data: bytes | str, what: str, bytes_at_most: int = 60_000_000) -> Any:
    """JSON data of a stranger's.

    Raises
    ------
    PlaceError
        It is none, too large or too deep, or holds what no document of ours may.
    """
    if len(data) > bytes_at_most:
        raise PlaceError(f"{what} has {len(data) / 1e6:,.0f} MB: at most {bytes_at_most / 1e6:,.0f} MB are read.")
    try:
        raw = json.loads(data)
    except RecursionError:
        raise PlaceError(f"{what} cannot be read: what it holds lies too deep in itself.") from None
    except (ValueError, UnicodeDecodeError):
        raise PlaceError(f"{what} cannot be read: it holds no JSON document.") from None
    refuse_wild(raw, what)
    return raw


# -- zips -----------------------------------------------------------------------------------------------------------

PATH_AT_MOST, PART_AT_MOST = 400, 200
PACKED = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
"""The ways of packing that are taken: others pack a gigabyte into a thousand bytes."""


def inside(name: str) -> str:
    """A path of a file among others, cleaned.

    Raises
    ------
    PlaceError
        It leads out of them, or is too long.
    """
    path = PurePosixPath(name.replace("\\", "/"))
    if path.is_absolute() or ".." in path.parts or not path.parts or ":" in path.parts[0]:
        raise PlaceError(f"{shown(name)} leads out of what is brought in, so nothing of it was taken.")
    if wild_text(name, PATH_AT_MOST) or any(len(part.encode()) > PART_AT_MOST for part in path.parts):
        raise PlaceError(f"The file name {shown(name)} is too long, or holds what no name may: give it another.")
    return str(path)


def unzipped(
    data: bytes,
    name: str,
    *,
    files_at_most: int = 2000,
    bytes_at_most: int = 1_000_000_000,
    wanted: Callable[[str], bool] = lambda _: True,
) -> Iterator[tuple[str, bytes]]:
    """The files of a zip, one after another, by their paths.

    Parameters
    ----------
    bytes_at_most : int
        All of them together, as they are unpacked: no more is read of a file than its heading says.
    wanted : callable
        Whether a file is unpacked, by its path.

    Raises
    ------
    PlaceError
        It is damaged, leads out of itself, holds too much, or is packed in a way that is not taken.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            entries = [entry for entry in z.infolist() if not entry.is_dir()]
            if len(entries) > files_at_most:
                raise PlaceError(f"{name} holds {len(entries):,} files: at most {files_at_most:,} can be brought in.")
            told = sum(entry.file_size for entry in entries if wanted(entry.filename))
            if told > bytes_at_most:
                raise PlaceError(f"{name} unpacks to more than {bytes_at_most / 1e6:,.0f} MB: bring in less.")
            for entry in entries:
                path = inside(entry.filename)
                if not wanted(path):
                    continue
                if entry.compress_type not in PACKED:
                    raise PlaceError(f"{name} is packed in a way that is not read: pack it again as a plain zip.")
                if entry.flag_bits & 1:
                    raise PlaceError(f"{name} cannot be unpacked: it is locked with a password.")
                with z.open(entry) as packed:
                    held = packed.read(entry.file_size + 1)
                if len(held) != entry.file_size:
                    raise PlaceError(f"{name} cannot be unpacked: it holds more than it says, or less.")
                yield path, held
    except LumwickError:
        raise
    except GeneratorExit:
        raise
    except Exception as error:  # the reader has many ways to fail on a damaged file
        raise PlaceError(f"{name} cannot be unpacked: it is cut short or damaged.") from error


# -- pictures -------------------------------------------------------------------------------------------------------

FORMATS = ("PNG", "JPEG", "TIFF", "WEBP", "BMP", "TGA", "MPO")
"""Kinds of pictures that are read, by what their bytes say; others run interpreters, or read other files."""
PIXELS_AT_MOST = 8192 * 8192
PICTURE_DAMAGE = (
    UnidentifiedImageError,
    OSError,
    ValueError,
    SyntaxError,
    TypeError,
    KeyError,
    IndexError,
    OverflowError,
    MemoryError,
    EOFError,
    RuntimeError,
    Image.DecompressionBombError,
)


def picture(data: bytes, name: str) -> Image.Image:
    """A picture, opened and not yet unpacked: its size is known, and small enough.

    Raises
    ------
    PlaceError
        It is of no kind that is read, damaged, or too large.
    """
    try:
        image = Image.open(io.BytesIO(data), formats=FORMATS)
    except PICTURE_DAMAGE as error:
        raise PlaceError(f"{name} cannot be read as a picture: it is of no kind that is read, or damaged.") from error
    if image.width * image.height > PIXELS_AT_MOST:
        raise PlaceError(
            f"{name} is {image.width}x{image.height}: at most {math.isqrt(PIXELS_AT_MOST):,} square can be opened. "
            "Reduce it first."
        )
    return image


def pixels(data: bytes, name: str, side: int, notes: list[str]) -> NDArray[np.uint8] | NDArray[np.float32]:
    """A picture's RGBA, shape (height, width, 4), its longer side at most ``side``: bytes, or from 0 to 1 where it has
    more than 8 bits.

    Parameters
    ----------
    notes : list of str
        What was changed to use it is added, in words.

    Raises
    ------
    PlaceError
        It cannot be read.
    """
    image = picture(data, name)
    try:
        if max(image.size) > side:
            notes.append(f"{name} was reduced from {image.width}x{image.height}")
            image.draft(None, (side, side))
        if image.mode == "CMYK":
            notes.append(f"{name} was turned from CMYK to RGB without its profile")
        if image.mode.startswith(("I", "F")):
            return _grey(image, side)
        times = max(image.size) // side
        if times > 1 and image.mode not in ("P", "PA"):  # reduced as it is: RGBA is up to four times as much
            image = image.reduce(times)
        rgba = image.convert("RGBA")
        if max(rgba.size) > side:
            rgba.thumbnail((side, side))
        return np.asarray(rgba)
    except PICTURE_DAMAGE as error:
        raise PlaceError(f"{name} cannot be read: it is damaged, or cut short.") from error


def _grey(image: Image.Image, side: int) -> NDArray[np.float32]:
    """A picture of 16 or 32 bits, averaged down where it is large."""
    held = np.asarray(image)
    step = -(-max(held.shape) // side)
    if step > 1:
        high, wide = (max(1, n // step) * step for n in held.shape)
        held = held[:high, :wide]
        rows = np.add.reduceat(held, np.arange(0, held.shape[0], step), 0, dtype=np.float32)
        held = np.add.reduceat(rows, np.arange(0, held.shape[1], step), 1, dtype=np.float32)
        held /= step * step
    share = held.astype(np.float32)
    share /= 65535.0 if image.mode.startswith("I") else 1.0
    out = np.ones((*share.shape, 4), np.float32)
    out[..., :3] = np.clip(np.nan_to_num(share), 0, 1)[..., None]
    return out
