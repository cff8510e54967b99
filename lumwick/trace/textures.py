"""Textures: read, reduced to pyramids, and sampled by the size of a ray's footprint.

A pyramid's levels lie one behind the other in one flat array of bytes that all textures share; each level is half
as large as the one before. Colours are kept in the sRGB curve, other values as they are; both are averaged in
linear light. Of a normal map's averages the length is kept: what it lost is how much the normals below it differ,
which the surface's roughness takes up (Toksvig 2005), so that a far surface neither sparkles nor turns dull.
"""

from __future__ import annotations

import os
import tempfile
from dataclasses import dataclass
from typing import Any

import numba as nb
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from lumwick.errors import PlaceError, RenderError
from lumwick.motion.colour import to_code, to_linear
from lumwick.once import sized
from lumwick.strangers import pixels
from lumwick.trace.sampling import INNER

SIDE_AT_MOST = 4096
LEVELS_AT_MOST = 13
COLOUR, DATA, NORMAL = 1, 0, 2
"""What a texture holds: colours, plain values, or normals."""
PANORAMA_AT_MOST = (8192, 4096)
CHANNELS_AT_MOST = 16

oiio.attribute("try_all_readers", 0)  # a file is what its first bytes say, and nothing else is tried on it

CODE_TO_LINEAR = to_linear(np.arange(256) / 255.0).astype(np.float32)


@dataclass(frozen=True)
class Pyramid:
    """One texture's levels, each (height, width, 4) of uint8, the largest first; and what it holds."""

    levels: tuple[NDArray[np.uint8], ...]
    holds: int
    note: str = ""


def read_image(data: bytes, name: str, side: int = SIDE_AT_MOST) -> tuple[NDArray[np.float32], str]:
    """An image file's pixels as RGBA codes from 0 to 1, and a word on what was changed to use it.

    Grey, palette, CMYK and 16-bit files are brought to RGBA; sides over ``side`` are reduced.

    Raises
    ------
    RenderError
        It is not an image, or too large to open.
    """
    notes: list[str] = []
    try:
        found = pixels(data, name, side, notes)
    except PlaceError as error:
        raise RenderError(f"The texture {error}") from error
    codes = found if found.dtype == np.float32 else found.astype(np.float32) / np.float32(255.0)
    return np.asarray(codes, np.float32), "; ".join(notes)


def _halved(values: NDArray[Any]) -> NDArray[Any]:
    h, w = values.shape[:2]
    if h > 1:
        values = 0.5 * (values[0 : h // 2 * 2 : 2] + values[1 : h // 2 * 2 : 2])
    if w > 1:
        values = 0.5 * (values[:, 0 : w // 2 * 2 : 2] + values[:, 1 : w // 2 * 2 : 2])
    return values


def pyramid(codes: NDArray[np.floating[Any]] | NDArray[np.uint8], holds: int, note: str = "") -> Pyramid:
    """The levels of a texture.

    Parameters
    ----------
    codes : ndarray, shape (height, width, 4)
        From 0 to 1, or from 0 to 255 as bytes; straight alpha.
    """
    linear: NDArray[Any]
    levels: list[NDArray[np.uint8]] = []
    if codes.dtype == np.uint8:  # the first level is there already, and light by code is a table
        levels.append(np.ascontiguousarray(codes, np.uint8))
        linear = (np.arange(256, dtype=np.float32) / 255)[codes]
        if holds == COLOUR:
            linear[..., :3] = CODE_TO_LINEAR[codes[..., :3]] * linear[..., 3:]
        if max(linear.shape[:2]) == 1:
            return Pyramid(tuple(levels), holds, note)
        linear = _halved(linear)
    else:
        linear = np.array(codes, np.float32)
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


@sized(400_000_000)
def read_texture(data: bytes, name: str, holds: int) -> Pyramid:
    """A texture from an image file (see `read_image`)."""
    codes, note = read_image(data, name)
    return pyramid(codes, holds, note)


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


PANORAMAS = {b"#?RADIANCE": ".hdr", b"#?RGBE": ".hdr", b"\x76\x2f\x31\x01": ".exr"}
"""How the kinds of environment pictures begin."""


@sized(600_000_000)
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
    suffix = next((kind for start, kind in PANORAMAS.items() if data.startswith(start)), None)
    if suffix is None:
        if os.path.splitext(name)[1].lower() in (".hdr", ".exr", ".pic"):
            raise RenderError(f"The environment picture {name} cannot be read: it is damaged, or of another kind.")
        raise RenderError(f"{name} is not an environment picture: bring an .hdr or .exr file.")
    with tempfile.NamedTemporaryFile(suffix=suffix) as file:
        file.write(data)
        file.flush()
        image = oiio.ImageInput.open(file.name)
        if not image:
            oiio.geterror()
            raise RenderError(f"The environment picture {name} cannot be read: it is damaged, or of another kind.")
        spec = image.spec()
        wide, high = PANORAMA_AT_MOST
        if spec.width * spec.height > wide * high or not 3 <= spec.nchannels <= CHANNELS_AT_MOST or spec.depth > 1:
            image.close()
            raise RenderError(
                f"The environment picture {name} is {spec.width}x{spec.height} with "
                f"{spec.nchannels} channels: at most {wide}x{high} in colour can be used."
            )
        found = image.read_image(0, 0, 0, 3, "float")
        image.close()
        oiio.geterror()
    if found is None:
        raise RenderError(f"The environment picture {name} is cut short.")
    if not 1.8 <= spec.width / spec.height <= 2.2:
        raise RenderError(
            f"{name} is {spec.width}x{spec.height}: an environment "
            "picture of the whole sphere is twice as wide as high."
        )
    light = np.asarray(found, np.float32)[..., :3]
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
