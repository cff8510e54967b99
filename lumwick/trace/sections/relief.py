"""Relief of the ground near the eye, where a survey is a smooth sheet: a pure function of where the eye is."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.ground import grid_quads
from lumwick.trace import embree
from lumwick.trace.integrator.surfaces.relief import REACH, raise_ground
from lumwick.trace.part import IDENTITY, Part
from lumwick.trace.sections.land import LandMade
from lumwick.trace.world import GROUND

STEP = 0.075
"""Between its vertices [m]."""
SNAPPED = 0.5
"""The eye is taken for as near as this, so that what lies still is not made anew for every frame [m]."""
ROUGH = np.full(3, -1, np.int64)
"""The cut of a part by which the kernel knows relief."""
SIDE = 2 * round(REACH / STEP) + 1


@dataclass(frozen=True)
class ReliefInputs:
    """The ground with its covers, from where it is seen, and what must stay level: where things and waters lie."""

    land: LandMade
    litter: str
    eye: tuple[float, float, float] | None
    """None where it is too far away to be seen."""
    clear_key: str
    clear: tuple[shapely.Geometry, ...] = field(compare=False)
    cover: NDArray[np.float32] = field(compare=False)


def near(land: LandMade, eye: NDArray[np.float64]) -> tuple[float, float, float] | None:
    """From where relief is seen, as near as it is told apart; None where it is too far off."""
    g = land.ground
    x, y, z = (round(float(v) / SNAPPED) * SNAPPED for v in eye)
    west, south, east, north = g.bounds
    if not (west < x < east and south < y < north):
        return None
    over = z - float(g.height(np.array([x]), np.array([y]))[0])
    return (x, y, z) if abs(over) < REACH else None


class Relief:
    """Makes the relief near the eye, in one mesh that it keeps."""

    def __init__(self) -> None:
        self._vertices = embree.padded(np.zeros((SIDE * SIDE, 3), np.float32))
        self._mesh: embree.Geometry | None = None
        self._scene: embree.Scene | None = None
        self._free: tuple[str, NDArray[np.float32]] = ("", np.zeros((0, 0), np.float32))

    def make(self, inputs: ReliefInputs) -> tuple[dict[str, Part], list[embree.Scene]]:
        """The part of the stage that it is, if any, and the scenes that must be committed."""
        if inputs.eye is None:
            return {}, []
        land, g = inputs.land, inputs.land.ground
        key = land.fingerprint + inputs.clear_key
        if self._free[0] != key:
            self._free = key, free_of(land, inputs.clear)
        grid = (float(g.west), float(g.south), float(g.spacing))
        out = self._vertices.reshape(SIDE, SIDE, 3)
        raise_ground(land.heights, inputs.cover, self._free[1], grid, np.array(inputs.eye), STEP, out)
        if self._scene is None or self._mesh is None:
            self._mesh = embree.mesh(self._vertices, grid_quads(SIDE, SIDE), quality=embree.REFIT)
            self._scene = embree.Scene(dynamic=True, quality=embree.LOW)
            self._scene.attach(0, self._mesh)
        self._mesh.moved()
        placed = IDENTITY[None].copy()
        placed[0, 9:] = inputs.eye
        return {"near ground": Part(GROUND, self._scene, placed, cut=ROUGH)}, [self._scene]


def free_of(land: LandMade, clear: tuple[shapely.Geometry, ...]) -> NDArray[np.float32]:
    """Where the ground may stand up, shape (ny, nx): 0 under and about what must lie on level ground, and under the
    sea."""
    g = land.ground
    ny, nx = g.heights.shape
    free = np.ones((ny, nx), bool)
    x, y = g.west + np.arange(nx) * g.spacing, g.south + np.arange(ny) * g.spacing
    for shape in clear:
        west, south, east, north = shape.buffer(1.5 * g.spacing).bounds
        j, i = np.flatnonzero((x > west) & (x < east)), np.flatnonzero((y > south) & (y < north))
        if len(i) and len(j):
            at = np.meshgrid(x[j], y[i])
            # a little around it too, since a grid's point stands for what lies about it
            shapely.prepare(shape)
            inside = shapely.dwithin(shape, shapely.points(*at), 1.2 * g.spacing)
            free[np.ix_(i, j)] &= ~inside
    if land.level is not None:
        free &= g.heights > land.level + 0.3
    return np.ascontiguousarray(ndimage.minimum_filter(free, 2), np.float32)
