"""How far plants have grown: over time, behind a front, and what of their leaves and flowers is there in a season.

A plant's stage goes from 0 (nothing) to 1 (grown). Its stem grows from the foot, then branches in the order in which
they leave it, then leaves, then flowers; each part thickens and unfolds from where it is fixed.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.growth.compiled import unfolded
from lumwick.growth.kinds.form import Form
from lumwick.growth.plants import Plants
from lumwick.place.growing import Front, Stand

Floats = NDArray[np.float64]
STEPS = 24
"""Stages that are told apart while a plant grows; one that is grown is drawn by its form as it is."""
UNFOLDS = 0.15
"""Share of its growing over which a part unfolds."""
SEEDLING = 0.22
"""Size of a plant that has only begun, against a grown one."""


class Bears(NamedTuple):
    """What a plant bears: its stage, and the shares of its leaves and of its flowers that are there."""

    stage: float = 1.0
    leaves: float = 1.0
    flowers: float = 1.0


WHOLE = Bears()


def grown(form: Form, bears: Bears, out: NDArray[np.float32]) -> None:
    """A form's vertices (n, 3) [m] at a stage and in a season, into ``out``."""
    if bears == WHOLE:
        out[:] = form.vertices
        return
    told = np.array(bears, float)
    unfolded(form.vertices, (form.origin, form.birth, form.lag, form.foot), told, UNFOLDS, SEEDLING, out)


def away(front: Front, at: Floats, water: list[shapely.Geometry]) -> Floats:
    """How far points (n, 2) lie from where a front started [m], shape (n,); infinite if it starts nowhere."""
    if front.of == "spots":
        start: shapely.Geometry = shapely.MultiPoint([tuple(p) for p in front.points])
    elif front.of == "line":
        start = shapely.LineString(front.points)
    else:
        start = shapely.unary_union(water) if water else shapely.Point()
    if start.is_empty:
        return np.full(len(at), np.inf)
    shapely.prepare(start)
    return np.asarray(shapely.distance(start, shapely.points(at)), float)


def growth_steps(stand: Stand, plants: Plants, distance: Floats | None) -> NDArray[np.int64]:
    """How far each plant of a stand has grown, shape (n,), in steps from 0 up to `STEPS`.

    Parameters
    ----------
    distance : ndarray, shape (n,) [m]
        Of each from where the stand's front started (`away`), if it has one.
    """
    whole = float(np.clip(stand.grown, 0, 1))
    if stand.front is None or distance is None:
        return np.full(len(plants.turn), round(whole * STEPS))
    front = stand.front
    back = distance + front.lag * front.soft * np.mod(plants.shade * 331.0, 1.0)
    share = np.clip((float(front.reach) - back) / front.soft + 1, 0, 1) * whole
    return np.asarray(np.round(share * STEPS), np.int64)
