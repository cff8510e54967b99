"""The material of a stand's plants: its kind's colours, its season's, and its own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import LEAF, PLUME, Form
from lumwick.growth.kinds.seasons import Look
from lumwick.place.growing import Stand
from lumwick.trace.furnish import GrownPiece
from lumwick.trace.records import PLANT_MATERIAL
from lumwick.trace.textures import CODE_TO_LINEAR

STONES_VARY = 0.35
"""How much stones differ from each other and over themselves, against plants (practice)."""


def linear(colour: str) -> NDArray[np.float64]:
    """A colour written as #rrggbb, linear Rec.709."""
    return np.array([float(CODE_TO_LINEAR[int(colour[k : k + 2], 16)]) for k in (1, 3, 5)])


def plant_material(stand: Stand, season: Look, form: Form) -> NDArray[np.void]:
    """The kernel's record of a form of a stand, in a season.

    What leaves let through goes with what they reflect.
    """
    kind, material = KINDS[stand.kind], np.zeros((), PLANT_MATERIAL)
    leaf = linear(stand.leaf_colour) if stand.leaf_colour else np.array(season.leaf)
    plume = linear(stand.flower_colour) if stand.flower_colour else np.array(kind.plume)
    through = np.array(kind.through) * np.clip(leaf / np.maximum(np.array(kind.leaf), 0.004), 0.1, 6.0)
    material["reflected"] = kind.bark, leaf, kind.stalk, plume
    material["transmitted"][1:] = kind.through, kind.through, plume
    material["transmitted"][LEAF] = np.minimum(through, 0.9 - leaf)
    material["transmitted"][PLUME] = np.minimum(plume, 0.9 - plume)
    material["height"], material["root"], material["varied"] = stand.height, kind.root, stand.varied * season.varied
    material["varied"] *= STONES_VARY if kind.still else 1.0
    material["tip"] = (
        np.clip(linear(stand.tip_colour) / np.maximum(leaf, 0.004), 0.0, 12.0) if stand.tip_colour else 1.0
    )
    material["side"] = 1.0
    if stand.side_colour:
        a = np.radians(stand.side_faces)
        material["side"] = np.clip(linear(stand.side_colour) / np.maximum(leaf, 0.004), 0.0, 12.0)
        material["side_direction"] = np.sin(a), np.cos(a)
    material["strip"], material["sheen"] = form.strip, kind.sheen**2
    return material


def own_plant_material(stand: Stand, season: Look, piece: GrownPiece) -> NDArray[np.void]:
    """The kernel's record of a part of a plant that is a model of one's own: its own colours, its leaves' turned as far
    as the season or a colour of the stand's own turns its kind's."""
    material = piece.material.copy()
    material["varied"] = stand.varied * season.varied
    if piece.leafy:
        usual = np.maximum(np.array(KINDS[stand.kind].leaf), 0.004)
        tint = np.array(season.leaf) / usual
        if stand.leaf_colour:
            tint = linear(stand.leaf_colour) / np.maximum(piece.mean, 0.004)
        material["base"] = np.minimum(material["base"] * tint, 4.0)
        material["translucency"] = np.minimum(material["translucency"] * tint, 4.0)
    return material
