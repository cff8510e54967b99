"""What the integrator reads: the arrays of one instant, in one tuple for each subject."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from lumwick.trace import records

GROUND, FAR, WATER, TIMBER, PLANT, MODEL = 0, 1, 2, 3, 4, 5
"""Kinds of geometry."""

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
Records = NDArray[np.void]


class Geometry(NamedTuple):
    """What rays meet: ``kind`` to ``thing`` have a row for each part, ``owner`` to ``shade`` one for each placement."""

    scene: int
    kind: NDArray[np.int32]
    row: NDArray[np.int32]  # its material's, among those of its kind
    offset: NDArray[np.int64]  # where its tones start
    cut: NDArray[np.int64]  # quads at which its surface changes
    thing: NDArray[np.int32]  # for each of its four surfaces: its number as a thing, then as a surface
    owner: NDArray[np.int32]
    transform: F32
    shade: F32
    tone: F32
    pierced: F32  # boxes round what is cut out or clear, where shadow rays must look closer: least xyz, greatest xyz


class Materials(NamedTuple):
    """Materials of models and plants, and their textures."""

    surface: Records
    plant: Records
    corner: Records
    texture: NDArray[np.uint8]
    texture_where: NDArray[np.int64]
    code_to_linear: F32  # from 8-bit sRGB codes
    gloss_albedo: F32  # directional albedo of a glossy lobe


class Land(NamedTuple):
    """The ground's grid."""

    normals: F32
    albedo: F32  # rgb, wetness, share of sward, share of rock
    heights: F32
    open_water: F32  # shares of long waves, of short waves, and of a sea shore
    grid: Records  # one `records.GRID`


class Waters(NamedTuple):
    """The sea's tiles, and what lies in and on all waters."""

    slope0: F32
    slope1: F32
    slope2: F32
    slope3: F32
    crests: F32  # displacement of the longest tile, and its share of foam
    tiles: Records  # one `records.TILES`
    body: Records  # `records.BODY` of the sea, then of other waters
    chop: F32  # slopes of small ripples, a tile
    rain: F32  # slopes of rings, a tile
    flow: F32  # cells of all bodies' grids, (n, `lumwick.water.cells.CHANNELS`)
    patch: Records
    stirred: F32  # cells of all patches: slopes east and north, foam
    caustic: F32  # light gathered at depths, tiles: (depths, n, n)
    wash: F32  # by how late a wave comes, and height: share of wet colour, of gloss, and of lace left behind


class Air(NamedTuple):
    """Haze, fog, clouds, and what falls."""

    haze: F64  # extinction rgb [1/m]
    fog: Records  # one `records.FOG`
    cloud: Records  # one `records.CLOUD`
    deck: F32  # low clouds on a grid (layers, rows, columns, 4): how dense, depths to the sun, down and in all
    bank: Records  # one `records.BANK`
    mist: F32  # banks of fog on a grid (rows, columns, 4): extinction [1/m], foot and thickness [m], softness
    weather: Records  # one `records.WEATHER`
    roof: F32  # height of what rain falls on [m], (rows, columns)
    drop: F32  # what falls (`integrator.falling`), cell after cell
    drop_first: NDArray[np.int32]  # where each cell's begin


class Lights(NamedTuple):
    """Sky, sun and lamps."""

    sky: F32
    lit_sky: F32  # as surfaces get it, through fog
    panorama: F32  # an environment picture in place of the sky; one row if there is none
    sky_pick: F32  # alias table: share kept, and the other cell
    sky_pmf: F32
    sun: Records  # one `records.SUN`
    lamp: Records
    emitter: Records
    gobo: F32  # how much light passes, by colour: (gobos, rows, columns, 3)
    portal: Records  # openings that the sky is looked for through
    night: Records  # one `records.NIGHT`
    moon_face: F32  # its light, by its own north up [cd/m2]
    star: F32  # direction, and light by colour [lx]; cell after cell
    star_first: NDArray[np.int32]  # where each cell's begin (`integrator.starlight`)
    galaxy: F32  # brightness of its band, 0 to 1, by declination and right ascension


class World(NamedTuple):
    """Everything of one instant."""

    geometry: Geometry
    materials: Materials
    land: Land
    waters: Waters
    air: Air
    lights: Lights


class CloudLattice(NamedTuple):
    """Clouds before the sky as one eye sees them, on a lattice over the picture (`integrator.cloud_lattice`).

    ``seen`` (rows, columns, 4) is their light [cd/m2] and what they leave, below 0 where nobody has asked yet; one spot
    lies every ``step`` pixels from column ``left`` and row ``top`` of a picture of ``width`` by ``height``.
    """

    seen: F32
    origin: F64
    right: F64
    up: F64
    forward: F64
    tan_x: float
    tan_y: float
    width: float
    height: float
    left: float
    top: float
    step: float
    marches: int  # for one spot


NO_CLOUD_LATTICE = CloudLattice(
    np.zeros((0, 0, 4), np.float32), *(np.zeros(3),) * 4, 1.0, 1.0, 1.0, 1.0, 0.0, 0.0, 1.0, 1
)


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
    sphere: int  # 1 for the whole sphere, equirectangular
    eye: float  # how far rays of such a picture start to the right of where they go
    port: float  # how far before the lens water is kept off [m]: there rays start that may do so in it; 0 far from it


class Limits(NamedTuple):
    """How far paths are followed.

    Bounces of each kind; the most light [cd/m2] that one sample may bring by a bounce off a matt surface; whether paths
    end at the first surface (for mattes); about the light [lx] of the open; and whether the eye is in a room.
    """

    bounces: int
    reflections: int
    transmissions: int
    clamp: float
    flat: bool
    open_lux: float
    indoors: bool


def empty_world() -> World:
    """A world of nothing, of the types that a stage's worlds have: for compiling the integrator before there is one."""

    def none(dimensions: int, kind: Any = np.float32) -> NDArray[Any]:
        return np.zeros((1,) * dimensions, kind)

    i32, i64 = np.int32, np.int64
    return World(
        Geometry(
            0,
            none(1, i32),
            none(1, i32),
            none(1, i64),
            none(2, i64),
            none(2, i32),
            none(1, i32),
            none(2),
            none(1),
            none(1),
            none(2),
        ),
        Materials(
            none(1, records.MATERIAL),
            none(1, records.PLANT_MATERIAL),
            none(1, records.CORNER),
            none(1, np.uint8),
            none(2, i64),
            none(1),
            none(3),
        ),
        Land(none(3), none(3), none(2), none(3), none(1, records.GRID)),
        Waters(
            none(3),
            none(3),
            none(3),
            none(3),
            none(3),
            none(1, records.TILES),
            none(1, records.BODY),
            none(3),
            none(3),
            none(2),
            none(1, records.PATCH),
            none(2),
            none(3),
            none(3),
        ),
        Air(
            none(1, np.float64),
            none(1, records.FOG),
            none(1, records.CLOUD),
            none(4),
            none(1, records.BANK),
            none(3),
            none(1, records.WEATHER),
            none(2),
            none(2),
            none(1, i32),
        ),
        Lights(
            none(3),
            none(3),
            none(3),
            none(2),
            none(2),
            none(1, records.SUN),
            none(1, records.LAMP),
            none(1, records.EMITTER),
            none(4),
            none(1, records.PORTAL),
            none(1, records.NIGHT),
            none(3),
            none(2),
            none(1, i32),
            none(2),
        ),
    )
