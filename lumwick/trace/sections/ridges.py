"""Far ridges ready for rays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lumwick.land.covers import HEATH, LUSH, MEADOW, ROCK, SCREE
from lumwick.land.ridges import ridge_mesh, spurs
from lumwick.place.nature import Ridge
from lumwick.trace import embree
from lumwick.trace.part import Part, matt_material
from lumwick.trace.sections.land import LandMade
from lumwick.trace.world import FAR

COVERS = {"woods": tuple(0.62 * c for c in LUSH), "grass": MEADOW, "heath": HEATH, "rock": SCREE}
"""Albedo of what lies on their slopes; woods are darker than their leaves by their own shadows (practice)."""
UNDER_WATER = 2.0
"""Metres under the sea's level at which the plain before a ridge lies where there is a sea."""
GULLY = 0.16
"""Width of the largest gully that is not in the mesh, against a spur (practice)."""


@dataclass(frozen=True)
class RidgesInputs:
    """The ridges, the land they stand behind, and the turn [degrees] from the model's north to true north."""

    ridges: tuple[Ridge, ...]
    land: LandMade
    north: float


def make_ridges(inputs: RidgesInputs) -> dict[str, Part]:
    """A part for each ridge."""
    ground, level = inputs.land.ground, inputs.land.level
    west, south, east, north = ground.bounds
    h = ground.heights
    foot = float(np.quantile(np.concatenate([h[0], h[-1], h[:, 0], h[:, -1]]), 0.05))
    foot = foot if level is None else min(foot, level - UNDER_WATER)
    out = {}
    for ridge in inputs.ridges:
        vertices, quads = ridge_mesh(ridge, ((west + east) / 2, (south + north) / 2), foot, inputs.north)
        material = matt_material(COVERS[ridge.cover])
        material["second"], material["forms"] = ROCK, max(30.0, GULLY * spurs(ridge))
        material["snow_from"] = ridge.snow_line if ridge.snow_line < 9000 else 1e9
        scene = embree.still_scene(vertices.astype(np.float32), quads)
        out[f"ridge {ridge.id}"] = Part(FAR, scene, material=material, thing=ridge.name, surfaces=("far ridge",) * 4)
    return out
