"""At how many moments of an open shutter things are drawn: at two, or where that would be seen at many.

Drawn at two moments, what moves has two outlines, half of its way apart. Under about a pixel nobody can tell that from
a blur, and most of what grows, swims and burns moves less while a shutter is open. So a coarse picture's spots are
found at the first of the two and again at the second; motion that is seen in a mirror, or of a shadow alone, is not
looked for (docs/decisions/0026).
"""

from __future__ import annotations

import numpy as np

from lumwick.lens.camera import Camera
from lumwick.trace.framing import Window
from lumwick.trace.lock import ENGINE
from lumwick.trace.motion_vectors import first_hits, on_picture, spots
from lumwick.trace.stage import Stage

FEW = 2
"""Moments that do where things are slow."""
PROBE = (96, 54)
"""Film by which motion is looked for."""
GAP = 1.0
"""Pixels that outlines of two moments may lie apart (practice: a sample's tent is two wide)."""
OF_ALL = 0.99
"""Of all that is seen so much moves no further; what is left are a few tips of blades."""


def shares(count: int) -> list[float]:
    """When things are drawn, as shares of the open shutter: the middles of equal parts."""
    return [(k + 0.5) / count for k in range(count)]


class Probe:
    """What a camera sees of a stage as it stands, to be found again when the stage has moved on."""

    def __init__(self, stage: Stage, camera: Camera) -> None:
        self.camera, self.window = camera, Window(*PROBE)
        with ENGINE:
            self.hits = first_hits(stage, stage.view(*PROBE, camera), PROBE)
            self.before = spots(stage, self.hits)

    def moved(self, stage: Stage) -> float:
        """How far things have moved in the picture since, as a share of its width; whatever the camera did."""
        with ENGINE:
            after = spots(stage, self.hits)
        was, now = (on_picture(self.camera, where, self.window) for where in (self.before, after))
        moved = np.linalg.norm(now - was, axis=-1)[self.hits.part >= 0]
        moved = moved[np.isfinite(moved)]
        return float(np.quantile(moved, OF_ALL)) / PROBE[0] if len(moved) else 0.0
