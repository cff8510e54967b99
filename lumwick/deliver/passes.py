"""Passes for the next department: one multi-layer OpenEXR file for a frame.

Light is linear Rec.709 at the camera's exposure, so that a metered 18 % grey card is 0.18; the attribute
``whiteLuminance`` says how many cd/m2 a 1 is. The main layer is cleaned; the layers ``sun``, ``sky``, ``lamps``,
``reflection`` (what the first surface mirrors, of whatever source), ``emission``, ``air`` (haze, fog and the
water's own glow) and ``background``, and the ``clouds`` before it, are as they were traced, and add up to ``traced``.
``shadow`` is the light of the sun (or moon) that things, clouds and banks of fog keep off the first surface:
``traced`` and ``shadow`` together are the picture with its shadows lifted.
Things and surfaces have mattes with anti-aliased coverage, three layers of two ranks each.

References
----------
OpenEXR, Technical Introduction: layers are named by a prefix and a dot; depth is ``Z``; the standard
attributes ``chromaticities``, ``whiteLuminance``, ``framesPerSecond``, ``worldToCamera``.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import mmh3
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from lumwick.atomic import part_of
from lumwick.deliver.stills import write_whole
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, exposure_scale
from lumwick.lens.lens import FULL_FRAME_MM
from lumwick.trace.film import Film
from lumwick.trace.integrator.film import COVERAGE, POSITION, SHADOW

LIGHTS = ("sun", "sky", "lamps", "reflection", "emission", "air", "background", "clouds")
"""In the kernel's order."""
MATTES = (("CryptoObject", 0), ("CryptoSurface", 1))
RANKS = 6


def matte_id(name: str) -> float:
    """The number by which mattes know a name: MurmurHash3 (x86, 32 bits, seed 0) of its UTF-8, as a float.

    An exponent of all ones or all zeros would be no number, so its lowest bit is flipped.

    References
    ----------
    Friedman and Jones, Fully automatic ID mattes with support for motion blur and transparency, SIGGRAPH 2015;
    its specification, version 1.2, sections on hashing.
    """
    h = mmh3.hash(name.encode(), 0, signed=False)
    if (h >> 23) & 255 in (0, 255):
        h ^= 1 << 23
    return float(np.array(h, np.uint32).view(np.float32))


def _matte_key(layer: str) -> str:
    """Seven characters that name a matte layer's metadata."""
    return f"{mmh3.hash(layer.encode(), 0, signed=False):08x}"[:7]


def ranked(film: Film, which: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Ids and coverages of a film's things (0) or surfaces (1), the largest first.

    Returns
    -------
    tuple of ndarray of float32, each of shape (height, width, RANKS)
    """
    names = film.names[which]
    table = np.zeros(len(names) + 1, np.float32)
    table[1:] = [matte_id(name) for name in names]
    numbers, counts = film.mattes[:, :, which, :, 0], film.mattes[:, :, which, :, 1]
    order = np.argsort(-counts, axis=-1, kind="stable")
    numbers, counts = (np.take_along_axis(a, order, -1)[..., :RANKS] for a in (numbers, counts))
    return table[numbers], np.asarray(counts / film.counted, np.float32)


def coverage_of(film: Film, names: Sequence[str]) -> NDArray[np.float32]:
    """How much of each pixel the named things or surfaces cover, shape (height, width).

    Raises
    ------
    RenderError
        The film has no mattes, or there is no such thing in the place.
    """
    if not len(film.mattes):
        raise RenderError("This film was exposed without mattes.")
    total = np.zeros(film.mattes.shape[:2], np.float32)
    for name in names:
        which = next((k for k in (0, 1) if name in film.names[k]), None)
        if which is None:
            raise RenderError(
                f"There is nothing called {name!r} to make a matte of: choose from "
                f"{', '.join(dict.fromkeys([*film.names[0], *film.names[1]]))}."
            )
        chosen = film.mattes[:, :, which, :, 0] == film.names[which].index(name) + 1
        total += (film.mattes[:, :, which, :, 1] * chosen).sum(-1) / film.counted[..., 0]
    return np.minimum(total, 1.0)


def layers(
    film: Film, light: NDArray[np.float32], camera: Camera, motion: NDArray[np.float32] | None = None
) -> list[tuple[str, NDArray[Any]]]:
    """Channel names and values, in the order they are written.

    Parameters
    ----------
    film : Film
        With passes.
    light : ndarray, shape (height, width, 3) [cd/m2]
        The cleaned picture.
    motion : ndarray, shape (height, width, 2) [pixels]
        Where each pixel's first surface goes until the next frame, right and down.

    Raises
    ------
    RenderError
        The film has no passes.
    """
    if not len(film.passes):
        raise RenderError("This film was exposed without passes.")
    n = film.counted
    k = exposure_scale(camera.ev100)
    sums, passes = film.sums / n, film.passes / n
    coverage = passes[..., COVERAGE]
    seen = np.maximum(coverage, 1e-6)[..., None]
    position = passes[..., POSITION : POSITION + 3] / seen
    depth = (position - np.asarray(camera.position, np.float32)) @ np.asarray(camera.forward, np.float32)
    far = coverage < 1e-6
    position[far], depth[far] = 0.0, np.float32(np.inf)

    def rgb(layer: str, values: NDArray[Any]) -> list[tuple[str, NDArray[Any]]]:
        return [(f"{layer}{c}", values[..., i]) for i, c in enumerate("RGB")]

    normal = sums[..., 6:9]
    normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-6)
    out: list[tuple[str, NDArray[Any]]] = [
        *rgb("", light * k),
        ("A", coverage),
        ("Z", depth),
        *rgb("traced.", sums[..., :3] * k),
    ]
    for i, name in enumerate(LIGHTS):
        out += rgb(f"{name}.", passes[..., 3 * i : 3 * i + 3] * k)
    out += rgb("shadow.", passes[..., SHADOW : SHADOW + 3] * k)
    out += rgb("albedo.", sums[..., 3:6])
    out += [(f"N.{c}", np.where(far, 0, normal[..., i]).astype(np.float32)) for i, c in enumerate("XYZ")]
    out += [(f"P.{c}", position[..., i]) for i, c in enumerate("XYZ")]
    if motion is not None:
        out += [("motion.X", motion[..., 0]), ("motion.Y", motion[..., 1])]
    for layer, which in MATTES:
        ids, shares = ranked(film, which)
        for rank in range(0, RANKS, 2):
            name = f"{layer}{rank // 2:02d}"
            out += [
                (f"{name}.R", ids[..., rank]),
                (f"{name}.G", shares[..., rank]),
                (f"{name}.B", ids[..., rank + 1]),
                (f"{name}.A", shares[..., rank + 1]),
            ]
    return out


def world_to_camera(camera: Camera) -> tuple[float, ...]:
    """Row-vector matrix (16 numbers) from the place to a camera that looks along -z with y up."""
    right, up = camera.axes()
    turn = np.stack([right, up, -np.asarray(camera.forward)], axis=1)
    m = np.eye(4)
    m[:3, :3] = turn
    m[3, :3] = -np.asarray(camera.position) @ turn
    return tuple(float(v) for v in m.ravel())


def write_passes(
    path: str | Path,
    film: Film,
    light: NDArray[np.float32],
    camera: Camera,
    fps: Fraction,
    frame: int,
    motion: NDArray[np.float32] | None = None,
) -> None:
    """Write a frame's layers, half float for light and 32 bit for depth and position; whole or not at all.

    Raises
    ------
    RenderError
        The film has no passes, or the file cannot be written.
    """
    path = Path(path)
    named = layers(film, light, camera, motion)
    height, width = named[0][1].shape
    spec = oiio.ImageSpec(width, height, len(named), "float")
    spec.channelnames = tuple(name for name, _ in named)
    spec.channelformats = tuple(
        oiio.TypeDesc("float" if name == "Z" or name.startswith(("P.", "motion.", "Crypto")) else "half")
        for name, _ in named
    )
    spec.alpha_channel, spec.z_channel = 3, 4
    spec.attribute("compression", "zip")
    spec.attribute("chromaticities", oiio.TypeDesc("float[8]"), (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290))
    spec.attribute("whiteLuminance", 1.0 / exposure_scale(camera.ev100))
    spec.attribute("FramesPerSecond", oiio.TypeDesc("rational"), (fps.numerator, fps.denominator))
    spec.attribute("worldtocamera", oiio.TypeDesc("matrix"), world_to_camera(camera))
    spec.attribute("lumwick:frame", frame)
    spec.attribute("Exif:FocalLength", camera.focal_mm)
    spec.attribute("Exif:FNumber", camera.f_number)
    spec.attribute("lumwick:sensorWidthMm", FULL_FRAME_MM)
    spec.attribute("Software", "Lumwick")
    for layer, which in MATTES:
        key = f"cryptomatte/{_matte_key(layer)}"
        spec.attribute(f"{key}/name", layer)
        spec.attribute(f"{key}/hash", "MurmurHash3_32")
        spec.attribute(f"{key}/conversion", "uint32_to_float32")
        spec.attribute(
            f"{key}/manifest",
            json.dumps({name: f"{int(np.float32(matte_id(name)).view(np.uint32)):08x}" for name in film.names[which]}),
        )
    part = part_of(path, ".exr")
    pixels = np.ascontiguousarray(np.stack([np.asarray(v, np.float32) for _, v in named], -1))
    half = np.array([fmt.basetype == oiio.HALF for fmt in spec.channelformats])
    pixels[..., half] = np.clip(pixels[..., half], -65504, 65504)  # the sun's disc is brighter than half floats reach
    write_whole(path, part, spec, pixels)
