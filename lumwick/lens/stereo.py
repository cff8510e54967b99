"""Two eyes, and the whole sphere: cameras for side-by-side stereo and for panoramas.

The eyes look in parallel, and each picture is shifted so that what stands at the zero plane falls on the same
spot of both (an off-axis pair has no keystones). A stereo panorama gives each eye's rays a start beside the
turning point, at right angles to where they go (omni-directional stereo; Ishiguro, Yamamoto and Tsuji,
Omni-directional stereo, IEEE PAMI 14, 1992).
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lumwick.errors import RouteError
from lumwick.lens.camera import Camera
from lumwick.lens.lens import FULL_FRAME_MM

PEOPLES_EYES = 0.064
"""Metres between a grown person's eyes, in the mean (from memory: anthropometric surveys give 62 to 64 mm)."""


def eye_of(camera: Camera, side: int, eyes: float, zero_plane: float) -> Camera:
    """One eye of a pair.

    Parameters
    ----------
    side : int
        -1 the left one, 1 the right one.
    eyes : float [m]
        Between them.
    zero_plane : float [m]
        Distance along the axis at which both pictures agree: nearer things stand before the screen.

    Raises
    ------
    RouteError
        The zero plane is not ahead of the eyes.
    """
    if zero_plane <= 0.05:
        raise RouteError("The zero plane of a stereo pair lies ahead of the eyes: more than 0.05 m.")
    right, _ = camera.axes()
    return replace(
        camera, position=np.asarray(camera.position) + right * side * eyes / 2, shift=-side * eyes / 2 / zero_plane
    )


def parallax_px(eyes: float, zero_plane: float, distance: float, focal_mm: float, width: int) -> float:
    """How far to the right a spot stands in the right eye's picture of what it does in the left one's [pixels]: f e
    (1 / Z0 - 1 / Z)."""
    return eyes * (1 / zero_plane - 1 / distance) * focal_mm / FULL_FRAME_MM * width


def around(camera: Camera, side: int = 0, eyes: float = PEOPLES_EYES) -> Camera:
    """The whole sphere about a camera, equirectangular, its bearing in the middle and level; one eye's if ``side`` is
    -1 or 1."""
    return replace(camera, around=True, eye=side * eyes / 2, roll=0.0)
