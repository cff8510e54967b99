"""Textures: read, reduced to pyramids, and sampled by the size of a ray's footprint.

A pyramid's levels lie one behind the other in one flat array of bytes that all textures share; each level is half
as large as the one before. Colours are kept in the sRGB curve, other values as they are; both are averaged in
linear light. Of a normal map's averages the length is kept: what it lost is how much the normals below it differ,
which the surface's roughness takes up (Toksvig 2005), so that a far surface neither sparkles nor turns dull.
"""

from __future__ import annotations

import io
import os
import tempfile
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numba as nb
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from lumwick.errors import RenderError
from lumwick.motion.colour import to_code, to_linear
from lumwick.trace.sampling import INNER

SIDE_AT_MOST = 4096
LEVELS_AT_MOST = 13
COLOUR, DATA, NORMAL = 1, 0, 2
"""What a texture holds: colours, plain values, or normals."""
BYTES_READ_AT_MOST = 300_000_000


CODE_TO_LINEAR = to_linear(np.arange(256) / 255.0).astype(np.float32)


@dataclass(frozen=True)
class Pyramid:
    """One texture's levels, each (height, width, 4) of uint8, the largest first; and what it holds."""

    levels: tuple[NDArray[np.uint8], ...]
    holds: int
    note: str = ""


def read_image(data: bytes, name: str) -> tuple[NDArray[np.float64], str]:
    """An image file's pixels as RGBA codes from 0 to 1, and a word on what was changed to use it.

    Grey, palette, CMYK and 16-bit files are brought to RGBA; sides over 4096 are reduced.

    Raises
    ------
    RenderError
        It is not an image, or too large to open.
    """
    notes = []
    try:
        with Image.open(io.BytesIO(data)) as image:
            if image.width * image.height * 4 > BYTES_READ_AT_MOST:
                raise RenderError(
                    f"The texture {name} is {image.width}x{image.height}: at most "
                    f"{int((BYTES_READ_AT_MOST / 4) ** 0.5):,} square can be opened. Reduce it "
                    "first."
                )
            if max(image.size) > SIDE_AT_MOST:
                notes.append(f"{name} was reduced from {image.width}x{image.height}")
                image.draft(None, (SIDE_AT_MOST, SIDE_AT_MOST))
            if image.mode.startswith(("I", "F")):
                grey = np.asarray(image, float)
                grey = grey / (65535.0 if image.mode.startswith("I") else 1.0)
                pixels = np.stack([grey, grey, grey, np.ones_like(grey)], -1)
                if max(grey.shape) > SIDE_AT_MOST:
                    step = -(-max(grey.shape) // SIDE_AT_MOST)
                    pixels = pixels[::step, ::step]
            else:
                if image.mode == "CMYK":
                    notes.append(f"{name} was turned from CMYK to RGB without its profile")
                rgba = image.convert("RGBA")
                if max(rgba.size) > SIDE_AT_MOST:
                    rgba.thumbnail((SIDE_AT_MOST, SIDE_AT_MOST))
                pixels = np.asarray(rgba, float) / 255.0
    except RenderError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise RenderError(f"The texture {name} cannot be read: it is no image, or it is damaged.") from error
    return np.clip(np.nan_to_num(pixels), 0, 1), "; ".join(notes)


def _halved(values: NDArray[Any]) -> NDArray[Any]:
    h, w = values.shape[:2]
    if h > 1:
        values = 0.5 * (values[0 : h // 2 * 2 : 2] + values[1 : h // 2 * 2 : 2])
    if w > 1:
        values = 0.5 * (values[:, 0 : w // 2 * 2 : 2] + values[:, 1 : w // 2 * 2 : 2])
    return values


def pyramid(pixels: NDArray[np.float64] | NDArray[np.uint8], holds: int, note: str = "") -> Pyramid:
    """The levels of a texture.

    Parameters
    ----------
    pixels : ndarray, shape (height, width, 4)
        Codes from 0 to 1, or from 0 to 255 as bytes; straight alpha.
    """
    linear: NDArray[Any]
    levels: list[NDArray[np.uint8]] = []
    if pixels.dtype == np.uint8:  # the first level is there already, and light by code is a table
        levels.append(np.ascontiguousarray(pixels, np.uint8))
        linear = (np.arange(256, dtype=np.float32) / 255)[pixels]
        if holds == COLOUR:
            linear[..., :3] = CODE_TO_LINEAR[pixels[..., :3]] * linear[..., 3:]
        if max(linear.shape[:2]) == 1:
            return Pyramid(tuple(levels), holds, note)
        linear = _halved(linear)
    else:
        linear = np.array(pixels, float)
        if holds == COLOUR:
            linear[..., :3] = to_linear(linear[..., :3]) * linear[..., 3:]
    while True:
        out = linear
        if holds == COLOUR:
            out = np.concatenate([to_code(linear[..., :3] / np.maximum(linear[..., 3:], 1e-6)), linear[..., 3:]], -1)
        levels.append(np.ascontiguousarray(np.clip(np.round(out * 255), 0, 255).astype(np.uint8)))
        if max(linear.shape[:2]) == 1 or len(levels) == LEVELS_AT_MOST:
            return Pyramid(tuple(levels), holds, note)
        linear = _halved(linear)


@lru_cache(64)
def read_texture(data: bytes, name: str, holds: int) -> Pyramid:
    """A texture from an image file (see `read_image`)."""
    pixels, note = read_image(data, name)
    return pyramid(pixels, holds, note)


def packed(textures: list[Pyramid]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """All textures' bytes, and where each lies: width, height, number of levels, what it holds, then the levels'
    starts."""
    at = np.zeros((max(1, len(textures)), 4 + LEVELS_AT_MOST), np.int64)
    flat, start = [np.zeros(4, np.uint8)], 4
    for k, texture in enumerate(textures):
        h, w = texture.levels[0].shape[:2]
        at[k, :4] = w, h, len(texture.levels), texture.holds
        for i, level in enumerate(texture.levels):
            at[k, 4 + i] = start
            flat.append(level.ravel())
            start += level.size
    return np.concatenate(flat), at


@lru_cache(8)
def read_panorama(data: bytes, name: str) -> tuple[NDArray[np.float32], str]:
    """An environment picture: linear light of the whole sphere, equirectangular, and a word on what was mended.

    Returns
    -------
    ndarray of float32, shape (height, width, 3)

    Raises
    ------
    RenderError
        It is not an .hdr or .exr picture, or not twice as wide as high, or black.
    """
    suffix = os.path.splitext(name)[1].lower()
    if suffix not in (".hdr", ".exr", ".pic"):
        raise RenderError(f"{name} is not an environment picture: bring an .hdr or .exr file.")
    with tempfile.NamedTemporaryFile(suffix=suffix) as file:
        file.write(data)
        file.flush()
        image = oiio.ImageInput.open(file.name)
        if not image:
            oiio.geterror()
            raise RenderError(f"The environment picture {name} cannot be read: it is damaged, or of another kind.")
        spec = image.spec()
        if spec.width * spec.height > 16384 * 8192 or spec.nchannels < 3:
            image.close()
            raise RenderError(
                f"The environment picture {name} is {spec.width}x{spec.height} with "
                f"{spec.nchannels} channels: at most 16384x8192 in colour can be used."
            )
        pixels = image.read_image("float")
        image.close()
    if pixels is None:
        raise RenderError(f"The environment picture {name} is cut short.")
    if not 1.8 <= spec.width / spec.height <= 2.2:
        raise RenderError(
            f"{name} is {spec.width}x{spec.height}: an environment "
            "picture of the whole sphere is twice as wide as high."
        )
    light = np.asarray(pixels, np.float32)[..., :3]
    bad = ~np.isfinite(light)
    negative = np.nan_to_num(light) < 0
    note = ""
    if bad.any() or negative.any():
        light = np.where(bad | negative, 0, light)
        note = (
            f"{int((bad | negative).any(-1).sum())} pixels of {name} were negative or no number and are taken as black"
        )
    if not light.any():
        raise RenderError(f"The environment picture {name} is black.")
    return np.ascontiguousarray(light, np.float32), note


@nb.njit(**INNER)
def texture_at(data, where, curve, number, u, v, texels, c):
    """A texture's value (4) at ``u``, ``v`` (repeating; v up), over a footprint of ``texels`` of its first level.

    Colours come weighed by their opacity, so that what is open lends no colour to a cut-out's edge.
    """
    width, height, count, holds = where[number, 0], where[number, 1], where[number, 2], where[number, 3]
    level = min(max(0.0, np.log2(max(texels, 1e-6))), count - 1.0)
    first = int(level)
    part = level - first
    u -= np.floor(u)
    v = 1 - v
    v -= np.floor(v)
    for k in range(4):
        c[k] = 0.0
    for i in range(2):
        share = 1 - part if i == 0 else part
        lv = min(first + i, count - 1)
        if share <= 0:
            continue
        w, h = max(1, width >> lv), max(1, height >> lv)
        fx, fy = u * w - 0.5, v * h - 0.5
        gx, gy = np.floor(fx), np.floor(fy)
        a, b = fx - gx, fy - gy
        start = where[number, 4 + lv]
        for k in range(4):
            right, down = k & 1, k >> 1
            at = start + 4 * (((int(gy) + down) % h) * w + (int(gx) + right) % w)
            weight = share * (a if right else 1 - a) * (b if down else 1 - b)
            covers = weight * data[at + 3] * 0.00392156862745098
            for j in range(3):
                code = data[at + j]
                c[j] += covers * curve[code] if holds == COLOUR else weight * code * 0.00392156862745098
            c[3] += covers
