"""Ground that models take up where they stand: nothing grows there."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.built.floors import model_of
from lumwick.built.meshes import Mesh
from lumwick.built.outline import outline
from lumwick.disk_cache import cached, digest
from lumwick.motion.channel import Curve
from lumwick.place.objects import Thing
from lumwick.snapshot.disturbances import goes
from lumwick.snapshot.evaluate import Setting

STANDS_TO = 0.4
"""Height over the ground up to which what there is of a model takes the ground up [m]: eaves and crowns do not."""
MARGIN = 0.15
"""How far about it nothing grows [m]."""
GARDEN = 40.0
"""Ground within walls that is as large as this grows on [m2]; a smaller one is a floor (practice)."""
COPIES = 400
"""Copies of one model that keep ground clear, at most."""
KEPT = 8

_found: OrderedDict[str, list[shapely.Geometry]] = OrderedDict()
_finding = threading.Lock()


def stands_still(thing: Thing, things: list[Thing]) -> bool:
    """Whether a model stays as it stands, as the document says it and all its ``things``."""
    turned = any(isinstance(getattr(thing, name), Curve) for name in ("turn", "tilt", "lean", "scale"))
    on = None if thing.copies is None else next((one for one in things if one.id == thing.copies.on), None)
    carried = on is not None and not stands_still(on, [one for one in things if one is not thing])
    return not (thing.floats or thing.rolls or turned or goes(thing) or carried)


def kept_clear(setting: Setting) -> list[shapely.Geometry]:
    """What the models that stand in a place as its first shot starts take up of its ground."""
    assert setting.told is not None
    told = setting.told.things  # at an instant what moves looks as if it stood
    things = [thing for thing in told if stands_still(thing, told)]
    if not things:
        return []
    key = digest(setting.ground.fingerprint, setting.place.site.north_turn, told)
    with _finding:
        if key not in _found:
            made = cached("clear", key, lambda: _shapes(setting, things))
            _found[key] = [shapely.from_wkb(made[name].tobytes()) for name in sorted(made)]
            while len(_found) > KEPT:
                _found.popitem(last=False)
        _found.move_to_end(key)
        return _found[key]


def _shapes(setting: Setting, things: list[Thing]) -> dict[str, NDArray[Any]]:
    """What models take up, each shape in its binary form by its number."""
    standing, ids = setting.standing(setting.place.shots[0], 0.0), {thing.id for thing in things}
    stood = standing.all([one for one in standing.fixed() if one.id in ids])
    found = [
        shape
        for thing in things
        for one in stood.get(thing.id, ())[:COPIES]
        if (shape := taken_up(setting, model_of(setting.read, thing), one)) is not None
    ]
    return {f"{k:06d}": np.frombuffer(shapely.to_wkb(shape), np.uint8) for k, shape in enumerate(found)}


def taken_up(setting: Setting, mesh: Mesh, placed: NDArray[np.float64]) -> shapely.Geometry | None:
    """Ground that a model takes up under a placement (3, 4); None where it does not come down to it."""
    parts = []
    for part in mesh.parts:
        at = part.vertices.astype(float) @ placed[:, :3].T + placed[:, 3]
        low = at[:, 2] < setting.ground.height(at[:, 0], at[:, 1]) + STANDS_TO
        down = low[part.triangles.astype(np.int64)].any(1)
        if down.any():
            used, triangles = np.unique(part.triangles[down], return_inverse=True)
            parts.append(
                replace(
                    part,
                    vertices=at[used].astype(np.float32),
                    triangles=triangles.reshape(-1, 3).astype(np.uint32),
                    uv=None,
                    normals=None,
                )
            )
    if not parts:
        return None
    middle = np.concatenate([p.vertices for p in parts]).mean(0)
    near = [replace(p, vertices=p.vertices - middle) for p in parts]  # single precision is kept for its own measures
    shape: shapely.Geometry = shapely.Polygon()
    for ring in sorted((shapely.Polygon(r) for r in outline(Mesh(tuple(near)))), key=lambda p: -p.area):
        shape = shape.symmetric_difference(ring.buffer(0))
    whole = [
        shapely.Polygon(one.exterior, [hole for hole in one.interiors if shapely.Polygon(hole).area >= GARDEN])
        for one in shapely.get_parts(shape)
        if isinstance(one, shapely.Polygon) and not one.is_empty
    ]
    if not whole:
        return None
    moved = shapely.transform(shapely.unary_union(whole), lambda xy: xy + middle[:2])
    return moved.buffer(MARGIN, quad_segs=3)
