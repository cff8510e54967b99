"""What the integrator reads: the arrays of one instant, in one tuple."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

GROUND, FAR, WATER, TIMBER, PLANT, TARGET = 0, 1, 2, 3, 4, 5
"""Kinds of geometry."""

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]


class World(NamedTuple):
    """Everything a ray can meet.

    ``kind``, ``offset``, ``cut`` and ``look`` have one row for each part: its kind, where its tones start, at
    which quads its surfaces change, and its colours (reflected, then transmitted, for each of four surfaces;
    then its height, whether its foot is dark, and how many quads make one leaf of each surface). ``owner``, ``transform`` and ``shade`` have one row for each placement of a part.
    """

    scene: int
    kind: NDArray[np.int32]
    offset: NDArray[np.int64]
    cut: NDArray[np.int64]
    look: F64
    owner: NDArray[np.int32]
    transform: F32
    shade: F32
    tone: F32
    # ground
    normals: F32
    albedo: F32  # rgb, wetness, share of sward
    heights: F32
    open_water: F32  # shares of long waves, of short waves, and of a sea shore
    grid: F64  # west, south, spacing, sea level (or -1e9), share of bump
    # water
    slope0: F32
    slope1: F32
    slope2: F32
    slope3: F32
    fold: F32
    tile: F64  # lengths (4), variance of slopes per tile (4), whole slope variance
    water: F64  # absorption rgb [1/m], colour of the body rgb, drift of the foam's lace (2)
    # light
    sky: F32
    lit_sky: F32
    sky_pick: F32  # alias table: share kept, and the other cell
    sky_share: F32
    sun: F64  # direction (3), illuminance rgb (3), tangent of radius, azimuth, two tangents (6)
    air: F64  # extinction rgb (3) [1/m]
    fog: F64  # extinction, height, base, sun's light in it rgb (3), other light rgb (3), asymmetry


class View(NamedTuple):
    """A camera for the kernel: where it is when the shutter opens, and by how much that changes until it closes."""

    origin: F64
    right: F64
    up: F64
    forward: F64
    moving: bool
    origin_moves: F64
    right_moves: F64
    up_moves: F64
    forward_moves: F64
    tan_x: float
    tan_y: float
    lens_radius: float
    focus: float
