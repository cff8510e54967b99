"""Ponds, streams and puddles: their surfaces for rays, and what the kernel is told of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.ground import Ground, grid_quads
from lumwick.place.nature import Water
from lumwick.snapshot.creeks import Current
from lumwick.snapshot.waters import Bed
from lumwick.trace import embree, records
from lumwick.trace.part import IDENTITY, Part, matt_material
from lumwick.trace.sections.section import key_of
from lumwick.trace.world import WATER
from lumwick.water.cells import CHANNELS, DEPTH, EAST, FOAM, HEIGHT, NO_WATER, NORTH, ROUGH
from lumwick.water.flow import Flow, Post, flow_of

Floats = NDArray[np.float64]
POND_CELL = 0.5
PUDDLE_CELL = 0.12
PUDDLE_CELLS = 1_000_000
"""Metres between points of a pond's surface, and of puddles'; and how many of the latter there are at most."""
HOLLOWS = (1.6, 0.45)
"""Sizes [m] of the hollows that puddles fill (practice)."""
DEEPEST_PUDDLE = 0.05
PUDDLE_RISES = 0.006
"""Metres that puddles lie over the survey, which has no hollows of their size."""
SLIPS_OFF = 6.0
"""Slope [degrees] on which no puddle stays."""
BOILS, FLECKS = 0.06, 0.3
"""Slopes of the ripples, and share of the foam, of a tidal creek that runs quickly (practice)."""
BOILS_FROM, QUICK = 0.04, 0.8
"""Speed [m/s] from which there are any, and by how much more it runs quickly."""
RIPPLES_LAST = 1.6
"""Seconds that ripples are carried by a stream before others take over (practice)."""


@dataclass(frozen=True)
class InlandInputs:
    """The ground, each water with where it lies, and what stands in it."""

    ground: Ground
    waters: tuple[Water, ...]
    beds: tuple[Bed, ...]
    posts: tuple[tuple[tuple[float, float, float], ...], ...] = ()


@dataclass(frozen=True)
class Inland:
    """Waters ready for rays: their parts, a `lumwick.trace.records.BODY` for each (without light), and their cells."""

    fingerprint: str
    parts: dict[str, Part]
    body: NDArray[np.void]
    flow: NDArray[np.float32]


def make_inland(inputs: InlandInputs) -> Inland:
    """All waters but the sea."""
    parts: dict[str, Part] = {}
    body = np.zeros(len(inputs.waters), records.BODY)
    body["level"] = NO_WATER
    cells: list[NDArray[np.float32]] = []
    first = 0
    posts = inputs.posts or ((),) * len(inputs.waters)
    for k, (water, bed, standing) in enumerate(zip(inputs.waters, inputs.beds, posts, strict=True)):
        flow = _flow(inputs.ground, water, bed, [Post(*post) for post in standing])
        if flow is None:
            continue
        quads = grid_quads(flow.wet.shape[0], flow.wet.shape[1], _cells(flow.wet))
        if not len(quads):
            continue
        row = body[k]
        row["level"] = bed.level + water.level
        row["first"], row["rows"], row["columns"] = first, *flow.wet.shape
        row["west"], row["south"], row["spacing"] = flow.west, flow.south, flow.spacing
        row["filmed"] = water.kind == "puddles"
        cells.append(flow.cells.reshape(-1, CHANNELS))
        first += flow.wet.size
        scene = _surface(flow, quads)
        material = matt_material()
        material["water"] = k + 1
        names = (water.name,) * 4
        parts[f"water {water.id}"] = Part(
            WATER, scene, IDENTITY[None], material=material, mask=embree.MASK_WATER, thing=water.name, surfaces=names
        )
    none = np.zeros((1, CHANNELS), np.float32)
    return Inland(key_of(inputs), parts, body, np.concatenate(cells) if cells else none)


def _cells(wet: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return np.asarray(wet[:-1, :-1] & wet[1:, 1:] & wet[1:, :-1] & wet[:-1, 1:])


def _surface(flow: Flow, quads: NDArray[np.uint32]) -> embree.Scene:
    rows, columns = flow.wet.shape
    x, y = np.meshgrid(flow.west + np.arange(columns) * flow.spacing, flow.south + np.arange(rows) * flow.spacing)
    used, faces = np.unique(quads, return_inverse=True)
    points = np.stack([x, y, flow.cells[..., HEIGHT]], -1).reshape(-1, 3)[used].astype(np.float32)
    return embree.still_scene(points, faces.reshape(-1, 4).astype(np.uint32), embree.MASK_WATER)


def _flow(ground: Ground, water: Water, bed: Bed, posts: list[Post]) -> Flow | None:
    if bed.reach is not None:
        run = replace(bed.reach, surface=bed.reach.surface + water.level)
        return flow_of(run, posts)
    if bed.shore is None:
        return None
    return _pond(ground, bed.shore, bed.level + water.level) if water.kind == "pond" else _puddles(ground, bed, water)


def _grid(shore: shapely.Polygon, cell: float, beyond: float) -> tuple[Floats, Floats, float, float]:
    west, south = (v - beyond - cell for v in shore.bounds[:2])
    x = np.arange(west, shore.bounds[2] + beyond + cell, cell)
    y = np.arange(south, shore.bounds[3] + beyond + cell, cell)
    return (*np.meshgrid(x, y), float(west), float(south))


def _inside(shape: Any, x: Floats, y: Floats) -> NDArray[np.bool_]:
    return np.asarray(shapely.contains_xy(shape, x.ravel(), y.ravel()).reshape(x.shape))


def _pond(ground: Ground, shore: shapely.Polygon, level: float) -> Flow:
    """Level water to its shore, and as far under its banks as they hide it."""
    beyond = max(0.4, ground.spacing)
    cell = max(POND_CELL, float(np.sqrt(shore.envelope.area / PUDDLE_CELLS)))
    x, y, west, south = _grid(shore, cell, beyond)
    wet = _inside(shore.buffer(beyond), x, y) & (_inside(shore, x, y) | (ground.height(x, y) > level))
    cells = np.zeros((*x.shape, CHANNELS), np.float32)
    cells[..., HEIGHT] = np.where(wet, level, NO_WATER)
    return Flow(cells, west, south, cell, wet)


def _puddles(ground: Ground, bed: Bed, water: Water) -> Flow:
    """Films in the hollows of flat ground, as many as are filled."""
    assert bed.shore is not None
    cell = max(PUDDLE_CELL, float(np.sqrt(bed.shore.envelope.area / PUDDLE_CELLS)))
    x, y, west, south = _grid(bed.shore, cell, 0.0)
    rng = np.random.default_rng(water.seed)
    hollow = np.zeros(x.shape)
    for size, share in zip(HOLLOWS, (1.0, 0.35), strict=True):
        noise = ndimage.gaussian_filter(rng.standard_normal(x.shape), size / cell / 2, mode="reflect")
        hollow += share * noise / max(float(noise.std()), 1e-9)
    height = ground.height(x, y)
    # what lies lower than what is about it fills first
    smooth = ndimage.gaussian_filter(height, 2.0 / cell, mode="nearest")
    hollow += np.clip((height - smooth) / 0.02, -2, 2)
    inside = _inside(bed.shore, x, y)
    dx, dy = np.gradient(ndimage.gaussian_filter(height, 0.5 / cell, mode="nearest"), cell)
    flat = inside & (np.degrees(np.arctan(np.hypot(dx, dy))) < SLIPS_OFF)
    full = float(np.quantile(hollow[flat], water.filled)) if flat.any() and water.filled > 0 else -np.inf
    depth = np.clip((full - hollow) * DEEPEST_PUDDLE / 2, 0, DEEPEST_PUDDLE)
    wet = flat & (depth > 0)
    wet = ndimage.binary_dilation(wet, iterations=1) & flat
    cells = np.zeros((*x.shape, CHANNELS), np.float32)
    cells[..., HEIGHT] = np.where(wet, height + PUDDLE_RISES + water.level, NO_WATER)
    cells[..., DEPTH] = np.where(wet, depth, 0.0)
    return Flow(cells, west, south, cell, wet)


def running(sea: NDArray[np.void], current: Current, first: int) -> tuple[NDArray[np.void], NDArray[np.float32]]:
    """The sea's record with a current, whose cells are the ones from ``first`` on, and these cells."""
    row, (rows, columns) = sea.copy(), current.velocity.shape[:2]
    row["first"], row["rows"], row["columns"] = first, rows, columns
    row["west"], row["south"], row["spacing"] = current.west, current.south, current.spacing
    cells = np.zeros((rows, columns, CHANNELS), np.float32)
    cells[..., EAST], cells[..., NORTH] = current.velocity[..., 0], current.velocity[..., 1]
    speed = np.hypot(current.velocity[..., 0], current.velocity[..., 1])
    cells[..., ROUGH] = BOILS * np.clip((speed - BOILS_FROM) / QUICK, 0, 1)
    cells[..., FOAM] = FLECKS * np.clip((speed - BOILS_FROM) / QUICK, 0, 1)
    cells[..., HEIGHT] = NO_WATER
    return row, cells.reshape(-1, CHANNELS)


def carried(t: float, loop: float | None) -> tuple[tuple[float, float], float]:
    """For how long each of two sets of ripples has gone with the stream [s], and the share of the first; in a loop
    they begin again with it."""
    period = loop / max(1, round(loop / RIPPLES_LAST)) if loop else RIPPLES_LAST
    a = (t / period) % 1.0
    b = (a + 0.5) % 1.0
    return (a * period, b * period), 1 - abs(2 * a - 1)
