"""Lamps and what glows, put together for one instant."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from lumwick.built.gobos import passed
from lumwick.built.ies import read_ies
from lumwick.built.lamps import LampLight
from lumwick.place.fields import Asset
from lumwick.place.objects import Gobo
from lumwick.trace import embree, lamps
from lumwick.trace.materials import plain_material
from lumwick.trace.part import Part
from lumwick.trace.records import EMITTER, LAMP
from lumwick.trace.textures import read_image
from lumwick.trace.world import MODEL

GOBOS_KEPT = 32
NO_GOBO = np.ones((1, 1, 1, 3), np.float32)
EMITTERS_AT_MOST = 200_000
"""Triangles of a glowing model and its copies that light others as a lamp."""
Thrown = dict[tuple[str, float, float | None], NDArray[np.float32]]
"""What gobos let through, by what they are and when."""


GOBO_SIDE = 1024
"""Pixels of a gobo's picture: it is thrown through 256."""


class LampList:
    """Lamps as they are hung, one after another.

    Attributes
    ----------
    parts : dict of str to Part
        What of them is seen.
    """

    def __init__(self, read: Callable[[Asset], bytes], kept: Thrown) -> None:
        self._read, self._gobos = read, kept
        self.parts: dict[str, Part] = {}
        self._rows: list[NDArray[np.void]] = []
        self._triangles: list[NDArray[np.void]] = []
        self._pictures: list[NDArray[np.float32]] = []

    def add(self, lamp: LampLight) -> None:
        """Add a lamp."""
        number, outline = len(self._rows), lamps.outline(lamp)
        if lamp.kind == "line":
            assert outline is not None
            made = lamps.glowing_mesh(outline[0][outline[1].astype(np.int64)].astype(float), lamp.light())
            assert made is not None
            made[0]["kind"] = lamps.LINE
            self._shining(*made)
        else:
            thrown = self.through(lamp.gobo, lamp.t, lamp.loop) if lamp.gobo is not None else -1
            table = -1
            if lamp.distribution is not None:
                table = len(self._pictures)
                self._pictures.append(read_ies(self._read(lamp.distribution), lamp.distribution.name).table())
            self._rows.append(lamps.row(lamp, thrown, table))
        if outline is not None:
            material = plain_material((0.0, 0.0, 0.0))
            material["emission"], material["lamp"] = lamp.light(), number
            scene = embree.still_scene(*outline)
            self.parts[f"lamp {lamp.id}"] = Part(
                MODEL, scene, material=material, thing=lamp.name, surfaces=("lamp",) * 4
            )

    def glowing(self, part: Part, mean: NDArray[np.float64]) -> None:
        """Let a model light others; one with so many triangles that it is no lamp lights whoever meets it by
        chance."""
        if len(part.mesh()[1]) * len(part.transforms) > EMITTERS_AT_MOST:
            return
        made = lamps.glowing_mesh(part.corners_in_place(), mean)
        if made is not None:
            part.material["lamp"] = len(self._rows)
            self._shining(*made)

    def _shining(self, row: NDArray[np.void], triangles: NDArray[np.void]) -> None:
        row["first"] = sum(map(len, self._triangles))
        self._rows.append(row)
        self._triangles.append(triangles)

    def through(self, gobo: Gobo, t: float, loop: float | None) -> int:
        """Add what light is thrown through; its number."""
        self._pictures.append(self._passed(gobo, t, loop))
        return len(self._pictures) - 1

    def _passed(self, gobo: Gobo, t: float, loop: float | None) -> NDArray[np.float32]:
        """What a gobo lets through, kept while it is the same, wherever it is and however it is turned."""
        held = gobo.model_copy(update={"far": 1.0, "size": 1.0, "turn": 0.0})
        held = Gobo(**{name: getattr(held, name) for name in Gobo.model_fields})
        key, read = (held.model_dump_json(), t, loop), self._read
        if key not in self._gobos:
            if len(self._gobos) >= GOBOS_KEPT:
                del self._gobos[next(iter(self._gobos))]
            self._gobos[key] = passed(
                gobo, t, loop, lambda asset: read_image(read(asset), asset.name, GOBO_SIDE)[0].astype(float), read
            )
        return self._gobos[key]

    def arrays(self) -> tuple[NDArray[np.void], NDArray[np.void], NDArray[np.float32]]:
        """Lamps, triangles of those that glow, and pictures, for the kernel."""
        return (
            np.stack(self._rows) if self._rows else np.zeros(0, LAMP),
            np.concatenate(self._triangles) if self._triangles else np.zeros(1, EMITTER),
            np.stack(self._pictures) if self._pictures else NO_GOBO,
        )
