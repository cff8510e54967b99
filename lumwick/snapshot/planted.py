"""Where a place's plants stand: set out once, whether they are filmed or ridden past."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from weakref import WeakValueDictionary

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.built.floors import model_of
from lumwick.built.timber import footprint
from lumwick.disk_cache import digest
from lumwick.errors import PlaceError
from lumwick.growth.form_cache import set_out
from lumwick.growth.plants import Plants
from lumwick.growth.scatter import Bounds
from lumwick.place.growing import Stand
from lumwick.place.nature import Water
from lumwick.snapshot.disturbances import goes
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.kept_clear import kept_clear

MOVES = {
    *("lean", "stiffness", "wild", "rises", "grown", "front", "leaves", "month"),
    *("leaf_colour", "flower_colour", "tip_colour", "side_colour", "side_faces", "varied"),
}
"""What of a stand may be another at every instant without its plants being set out or formed anew."""
_HELD: WeakValueDictionary[str, Plants] = WeakValueDictionary()
_SETTING_OUT = threading.Lock()


@dataclass(frozen=True)
class Planted:
    """A stand of a place, and all that says where its plants stand."""

    key: str
    stand: Stand
    bounds: Bounds
    setting: Setting
    whole: Stand
    """The stand that was asked for: `stand` may be one kind of what grows in it."""
    part: tuple[float, float] = (0.0, 1.0)
    """Which of the whole's plants these are, by each plant's own chance."""

    @property
    def clear(self) -> list[shapely.Geometry]:
        """Where whole patches of it cannot lie."""
        return [*self.bounds.clear, *(shape for shape, _ in self.bounds.cut)]

    @property
    def water(self) -> list[shapely.Geometry]:
        """What a front of growth may start from as water."""
        level, ground = self.bounds.water_level, self.setting.ground
        shapes = list(self.bounds.water)
        if level is not None and (ground.heights < level).any():
            row, col = np.nonzero(ndimage.binary_dilation(ground.heights < level) & (ground.heights >= level))
            x, y = ground.west + col * ground.spacing, ground.south + row * ground.spacing
            shapes.append(shapely.MultiPoint(np.stack([x, y], 1)))
        return shapes

    def plants(self, slope: NDArray[np.float64]) -> Plants:
        """Its plants; whoever else in this process asks for them meanwhile is given the same ones.

        Parameters
        ----------
        slope : ndarray, shape (ny, nx) [degrees]
            Of the setting's ground.
        """
        with _SETTING_OUT:
            found = _HELD.get(self.key)
            if found is None:
                found = set_out(self.whole, self.setting.ground, slope, self.bounds, self.key)
                if self.part != (0.0, 1.0):
                    own = np.mod(found.shade * CHANCES, 1.0)
                    found = found.of((own >= self.part[0]) & (own < self.part[1]))
                _HELD[self.key] = found
            return found


CHANCES = 613.0
"""By which a plant's own number tells what kind it is of."""


def kinds_of(stand: Stand) -> list[tuple[Stand, tuple[float, float]]]:
    """A stand as one for each kind that grows in it, and which of its plants those are."""
    if not stand.among:
        return [(stand, (0.0, 1.0))]
    out, at = [], 0.0
    for one in stand.among:
        usual: dict[str, Any] = {"kind": one.kind, "wood": None, "blades": None, "own": None, "among": []}
        usual |= dict.fromkeys(("leaf_colour", "flower_colour", "tip_colour", "side_colour"), "")
        less = {
            "id": f"{stand.id}.{one.kind}",
            "height": stand.height * one.tall,
            "per_hectare": stand.per_hectare * one.share,
        }
        out.append((stand.model_copy(update={**usual, **less}), (at, at + one.share)))
        at += one.share
    rest = {"among": [], "per_hectare": stand.per_hectare * max(1 - at, 0.0)}
    return [(stand.model_copy(update=rest), (at, 1.0)), *out] if at < 1 - 1e-9 else out


def waters_of(setting: Setting) -> list[shapely.Geometry]:
    """The shapes of a place's inland waters."""
    return [shape for water, shape in _shapes(setting) if water.kind != "puddles"]


def films_of(setting: Setting) -> list[shapely.Geometry]:
    """The shapes in which a place's puddles lie."""
    return [shape for water, shape in _shapes(setting) if water.kind == "puddles"]


def _shapes(setting: Setting) -> list[tuple[Water, shapely.Geometry]]:
    laid = zip(setting.place.waters, setting.beds(), strict=True) if setting.place.waters else ()
    return [(water, shape) for water, bed in laid if (shape := bed.shape) is not None]


def area_shapes(setting: Setting) -> list[shapely.Geometry]:
    """Ground kept clear of plants by built things, by models that stand on it, and by water."""
    stood = kept_clear(setting)
    return [
        *(footprint(thing) for thing in setting.place.built),
        *waters_of(setting),
        *([shapely.unary_union(stood)] if stood else ()),
    ]


def faces_of(setting: Setting, stand: Stand) -> NDArray[np.float64] | None:
    """The faces (m, 3, 3) [m] that a stand grows on: those of a model and its copies, as they stand when the place's
    first shot starts; None if it grows on the ground.

    Raises
    ------
    PlaceError
        There is no such model, or it moves.
    """
    if not stand.on:
        return None
    thing = next((one for one in setting.place.things if one.id == stand.on), None)
    if thing is None:
        raise PlaceError(f"{stand.name} grows on {stand.on!r}, which is not in this place: choose another model.")
    if goes(thing):
        raise PlaceError(f"{stand.name} cannot grow on {thing.name}, which moves: choose a model that stands still.")
    model = model_of(setting.read, thing)
    corners = [part.vertices[part.triangles].astype(float) for part in model.parts if len(part.triangles)]
    if not corners:
        return np.zeros((0, 3, 3))
    own = np.concatenate(corners)
    placed = setting.standing(setting.place.shots[0], 0.0).all([thing])[thing.id]
    return np.concatenate([own @ one[:, :3].T + one[:, 3] for one in placed])


def planted(setting: Setting) -> Iterator[Planted]:
    """The stands of a place that holds still, in the document's order."""
    sea = setting.place.sea
    level = sea.level if sea.present else None
    if not setting.place.growth:
        return
    clear, water = area_shapes(setting), waters_of(setting)
    cut = [(way.shape, way.left) for way in setting.place.ways]
    common = digest(
        setting.ground.fingerprint,
        level,
        [shapely.to_wkt(c) for c in [*clear, *water, *(shape for shape, _ in cut)]],
        cut,
    )
    for stand in setting.place.growth:
        faces = faces_of(setting, stand)
        bounds = Bounds(clear, cut, water, level, faces)
        for one, part in kinds_of(stand):
            key = digest(stand.model_dump_json(exclude=MOVES), common, faces, *((one.id, *part) if stand.among else ()))
            yield Planted(key, one, bounds, setting, stand, part)
