"""How a stand's plants look: its kind's colours, its season's, and its own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import LEAF, PLUME, Form
from lumwick.growth.kinds.seasons import Look
from lumwick.place.growing import Stand
from lumwick.trace.records import PLANT_LOOK
from lumwick.trace.textures import CODE_TO_LINEAR


def linear(colour: str) -> NDArray[np.float64]:
    """A colour written as #rrggbb, linear Rec.709."""
    return np.array([float(CODE_TO_LINEAR[int(colour[k : k + 2], 16)]) for k in (1, 3, 5)])


def look_of(stand: Stand, season: Look, form: Form) -> NDArray[np.void]:
    """The kernel's record of a form of a stand, in a season.

    What leaves let through goes with what they reflect.
    """
    kind, look = KINDS[stand.kind], np.zeros((), PLANT_LOOK)
    leaf = linear(stand.leaf_colour) if stand.leaf_colour else np.array(season.leaf)
    plume = linear(stand.flower_colour) if stand.flower_colour else np.array(kind.plume)
    through = np.array(kind.through) * np.clip(leaf / np.maximum(np.array(kind.leaf), 0.004), 0.1, 6.0)
    look["reflected"] = kind.bark, leaf, kind.stalk, plume
    look["transmitted"][1:] = kind.through, kind.through, plume
    look["transmitted"][LEAF] = np.minimum(through, 0.9 - leaf)
    look["transmitted"][PLUME] = np.minimum(plume, 0.9 - plume)
    look["height"], look["root"], look["varied"] = stand.height, kind.root, stand.varied * season.varied
    look["tip"] = np.clip(linear(stand.tip_colour) / np.maximum(leaf, 0.004), 0.0, 12.0) if stand.tip_colour else 1.0
    look["strip"], look["sheen"] = form.strip, kind.sheen**2
    return look
