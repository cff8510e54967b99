"""Passes for the next department: one multi-layer OpenEXR file for a frame.

Light is linear Rec.709 at the camera's exposure, so that a metered 18 % grey card is 0.18; the attribute
``whiteLuminance`` says how many cd/m2 a 1 is. The main layer is cleaned; the layers ``sun``, ``sky``, ``air``
(haze, fog and the water's own glow) and ``background`` are as they were traced, and add up to ``traced``.

References
----------
OpenEXR, Technical Introduction: layers are named by a prefix and a dot; depth is ``Z``; the standard
attributes ``chromaticities``, ``whiteLuminance``, ``framesPerSecond``, ``worldToCamera``.
"""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from lumwick.deliver.stills import write_whole
from lumwick.errors import RenderError
from lumwick.lens.camera import SENSOR_WIDTH_MM, Camera, exposure_scale
from lumwick.trace.render import Film

LIGHTS = ("sun", "sky", "air", "background")


def layers(film: Film, light: NDArray[np.float32], camera: Camera) -> list[tuple[str, NDArray[Any]]]:
    """Channel names and values, in the order they are written.

    Parameters
    ----------
    film : Film
        With passes.
    light : ndarray, shape (height, width, 3) [cd/m2]
        The cleaned picture.

    Raises
    ------
    RenderError
        The film has no passes.
    """
    if not len(film.passes):
        raise RenderError("This film was exposed without passes.")
    n = max(film.samples, 1)
    k = exposure_scale(camera.ev100)
    sums, passes = film.sums / n, film.passes / n
    coverage = passes[..., 15]
    seen = np.maximum(coverage, 1e-6)[..., None]
    position = passes[..., 12:15] / seen
    depth = (position - np.asarray(camera.position, np.float32)) @ np.asarray(camera.forward, np.float32)
    far = coverage < 1e-6
    position[far], depth[far] = 0.0, np.float32(np.inf)

    def rgb(layer: str, values: NDArray[Any]) -> list[tuple[str, NDArray[Any]]]:
        return [(f"{layer}{c}", values[..., i]) for i, c in enumerate("RGB")]

    normal = sums[..., 6:9]
    normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-6)
    out: list[tuple[str, NDArray[Any]]] = [*rgb("", light * k), ("A", coverage), ("Z", depth), *rgb("traced.", sums[..., :3] * k)]
    for i, name in enumerate(LIGHTS):
        out += rgb(f"{name}.", passes[..., 3 * i : 3 * i + 3] * k)
    out += rgb("albedo.", sums[..., 3:6])
    out += [(f"N.{c}", np.where(far, 0, normal[..., i]).astype(np.float32)) for i, c in enumerate("XYZ")]
    out += [(f"P.{c}", position[..., i]) for i, c in enumerate("XYZ")]
    return out


def world_to_camera(camera: Camera) -> tuple[float, ...]:
    """Row-vector matrix (16 numbers) from the place to a camera that looks along -z with y up."""
    right, up = camera.axes()
    turn = np.stack([right, up, -np.asarray(camera.forward)], axis=1)
    m = np.eye(4)
    m[:3, :3] = turn
    m[3, :3] = -np.asarray(camera.position) @ turn
    return tuple(float(v) for v in m.ravel())


def write_passes(path: str | Path, film: Film, light: NDArray[np.float32], camera: Camera, fps: Fraction, frame: int) -> None:
    """Write a frame's layers, half float for light and 32 bit for depth and position; whole or not at all.

    Raises
    ------
    RenderError
        The film has no passes, or the file cannot be written.
    """
    path = Path(path)
    named = layers(film, light, camera)
    height, width = named[0][1].shape
    spec = oiio.ImageSpec(width, height, len(named), "float")
    spec.channelnames = tuple(name for name, _ in named)
    spec.channelformats = tuple(oiio.TypeDesc("float" if name == "Z" or name.startswith("P.") else "half") for name, _ in named)
    spec.alpha_channel, spec.z_channel = 3, 4
    spec.attribute("compression", "zip")
    spec.attribute("chromaticities", oiio.TypeDesc("float[8]"), (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290))
    spec.attribute("whiteLuminance", 1.0 / exposure_scale(camera.ev100))
    spec.attribute("FramesPerSecond", oiio.TypeDesc("rational"), (fps.numerator, fps.denominator))
    spec.attribute("worldtocamera", oiio.TypeDesc("matrix"), world_to_camera(camera))
    spec.attribute("lumwick:frame", frame)
    spec.attribute("Exif:FocalLength", camera.focal_mm)
    spec.attribute("Exif:FNumber", camera.f_number)
    spec.attribute("lumwick:sensorWidthMm", SENSOR_WIDTH_MM)
    spec.attribute("Software", "Lumwick")
    part = path.with_name(f".{path.stem}.{os.getpid()}.part.exr")
    pixels = np.ascontiguousarray(np.stack([np.asarray(v, np.float32) for _, v in named], -1))
    half = np.array([fmt.basetype == oiio.HALF for fmt in spec.channelformats])
    pixels[..., half] = np.clip(pixels[..., half], -65504, 65504)  # the sun's disc is brighter than half floats reach
    write_whole(path, part, spec, pixels)
