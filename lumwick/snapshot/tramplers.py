"""What goes through a place's plants: where it was in the last seconds."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from lumwick.built.floors import model_of
from lumwick.growth.kinds import KINDS
from lumwick.growth.trampling import AGO, Body
from lumwick.place.document import Place, Shot
from lumwick.place.fields import most
from lumwick.snapshot.disturbances import goes

if TYPE_CHECKING:
    from lumwick.snapshot.evaluate import Setting

SELDOM = 10
"""Which of the steps are looked at first."""
CLEAR_OF_IT = 0.5
"""How far over all growth a body is let be [m]."""
STRIDE, WAIST = 0.24, 1.1
"""Radius and height of somebody who walks with the camera [m]."""


def bodies_of(setting: Setting, shot: Shot, place: Place, t: float, loop: float | None) -> tuple[Body, ...]:
    """What has moved through the growth of a place of late."""
    stands = setting.place.growth
    if not stands:
        return ()
    ago = AGO
    times = (t - ago) % loop if loop else t - ago
    tall = max(most(stand.height) * (0.5 if KINDS[stand.kind].woody else 1.6) for stand in stands)
    out = []
    for thing in setting.place.things:
        if not goes(thing) or not thing.touches:
            continue
        scale = next(float(now.scale) for now in place.things if now.id == thing.id)
        low, high = (np.asarray(v, float) * scale for v in model_of(setting.read, thing).bounds)
        few, _ = setting.whereabouts(shot, thing.id, times[::SELDOM])
        over = few[:, 2] + float(low[2]) - setting.ground.height(few[:, 0], few[:, 1])
        if np.ptp(few, axis=0).max() < 1e-4 or over.min() > tall + CLEAR_OF_IT:
            continue  # it stands, or flies over everything
        where, _ = setting.whereabouts(shot, thing.id, times)
        radius = max(float(min(high[0] - low[0], high[1] - low[1])) / 2, 0.02)
        out.append(
            Body(thing.name, ago, _unbroken(where + [0.0, 0.0, float(low[2])], times), radius, float(high[2] - low[2]))
        )
    if shot.route.brushes and shot.route.stations:
        at = setting.camera_path(shot).at(np.clip(times, 0.0, shot.seconds)).position
        foot = np.column_stack([at[:, :2], setting.ground.height(at[:, 0], at[:, 1])])
        if np.ptp(foot, axis=0).max() > 1e-3:
            out.append(Body("the camera", ago, _unbroken(foot, times), STRIDE, WAIST))
    return tuple(out)


def _unbroken(where: np.ndarray, times: np.ndarray) -> np.ndarray:
    """The same way without the leap where a clip that loops comes round to another place: it stays at its start."""
    leaps = np.flatnonzero(np.diff(times) > 0)
    if len(leaps) and np.linalg.norm(where[leaps[0] + 1] - where[leaps[0]]) > 3 * max(
        np.linalg.norm(np.diff(where[: leaps[0] + 1], axis=0), axis=1).max(initial=0.0), 0.05
    ):
        where = where.copy()
        where[leaps[0] + 1 :] = where[leaps[0]]
    return where
