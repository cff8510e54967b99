"""What the integrator reads: the arrays of one instant, in one tuple."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

GROUND, FAR, WATER, TIMBER, PLANT, MODEL = 0, 1, 2, 3, 4, 5
"""Kinds of geometry."""

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]


class World(NamedTuple):
    """Everything a ray can meet.

    ``kind``, ``offset``, ``cut`` and ``look`` have one row for each part: its kind, where its tones start, at
    which quads its surfaces change, and how it looks. The look of a plant is its colours (reflected, then
    transmitted, for each of four surfaces), its height, whether its foot is dark, and how many quads make one
    leaf of each surface; that of a model is laid out in `lumwick.trace.material`. ``owner``, ``transform`` and
    ``shade`` have one row for each placement of a part.
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
    thing: NDArray[np.int32]  # for each part and each of its four surfaces: its number as a thing, then as a surface
    # models
    corner: F32
    texture: NDArray[np.uint8]
    texture_where: NDArray[np.int64]
    curve: F32  # from 8-bit sRGB codes to linear
    gloss: F32  # directional albedo of a glossy lobe
    pierced: F32  # boxes round what is cut out or clear, where shadow rays must look closer: least xyz, greatest xyz
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
    panorama: F32  # an environment picture in place of the sky; one row if there is none
    sky_pick: F32  # alias table: share kept, and the other cell
    sky_share: F32
    sun: F64  # direction (3), illuminance rgb (3), tangent of radius, azimuth, two tangents (6)
    lamp: F64
    lamp_triangle: F64
    air: F64  # extinction rgb (3) [1/m]
    fog: F64  # extinction, height, base, sun's light in it rgb (3), other light rgb (3), asymmetry


class View(NamedTuple):
    """A camera for the kernel: where it is when the shutter opens, and by how much that changes until it closes.

    ``tan_x`` and ``tan_y`` are half the picture's sides at unit distance; the film may show only a part of the
    picture of ``width`` by ``height``, which starts at column ``left`` and row ``top``.
    """

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
    blades: int
    blade_turn: float
    # radial distortion: a ray at the share r of the corner's distance goes as one at r (1 + bend r^2) / (1 + bend)
    bend: float
    fringe: float  # red is this much larger than green in the corners, blue as much smaller
    width: float
    height: float
    left: float
    top: float
    around: int  # 1 for the whole sphere, equirectangular
    eye: float  # how far rays of such a picture start to the right of where they go


class Limits(NamedTuple):
    """How far paths are followed: bounces of each kind, the most light [cd/m2] that one sample may bring by a bounce
    off a matt surface, whether paths end at the first surface (for mattes), and about the light [lx] of the open."""

    bounces: int
    reflections: int
    transmissions: int
    clamp: float
    flat: bool
    open_lux: float


def hollow() -> World:
    """A world of nothing, of the types that a stage's worlds have: for compiling the integrator before there is a
    stage."""
    f64 = np.float64

    def none(dimensions: int, kind: type = np.float32) -> NDArray:
        return np.zeros((1,) * dimensions, kind)

    return World(
        0,
        none(1, np.int32),
        none(1, np.int64),
        none(2, np.int64),
        none(2, f64),
        none(1, np.int32),
        none(2),
        none(1),
        none(1),
        none(2, np.int32),
        none(2),
        none(1, np.uint8),
        none(2, np.int64),
        none(1),
        none(3),
        none(2),
        none(3),
        none(3),
        none(2),
        none(3),
        none(1, f64),
        none(3),
        none(3),
        none(3),
        none(3),
        none(3),
        none(1, f64),
        none(1, f64),
        none(3),
        none(3),
        none(3),
        none(2),
        none(2),
        none(1, f64),
        none(2, f64),
        none(2, f64),
        none(1, f64),
        none(1, f64),
    )
