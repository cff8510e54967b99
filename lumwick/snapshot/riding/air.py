"""Whether anything can be seen at all: fog, banks of it and clouds about the camera."""

from __future__ import annotations

import numpy as np
import shapely

from lumwick.place.nature import Air, FogBank
from lumwick.snapshot.evaluate import RANGE_TO_EXTINCTION
from lumwick.snapshot.riding.sampled import Findings, Floats

WHITE = 25.0
"""Metres that one sees under which a picture is white and nothing else (c)."""
MOMENTS = 49
"""At which the air is looked at."""
CLOSED = 6.0
"""Oktas from which a camera among the heights of low clouds is taken to be in one (practice)."""


def air(f: Findings) -> None:
    """A camera in fog or cloud so thick that it films nothing but white."""
    picked = np.unique(np.linspace(0, len(f.ride.t) - 1, MOMENTS).astype(int))
    seen = np.array([_sight(f, float(f.ride.t[k]), f.ride.position[k]) for k in picked])
    sight = np.interp(f.ride.t, f.ride.t[picked], seen)
    f.say(
        "white-out",
        sight < WHITE,
        lambda s: f"fog or cloud leaves {sight[s].min():.0f} m to be seen (less than {WHITE:.0f})",
        (),
        size=1.0 / sight,
    )


def _sight(f: Findings, t: float, eye: Floats) -> float:
    """How far one sees from a camera at a clip time [m]."""
    place, now = f.setting.motions(f.shot).at(t)
    told = now.air or place.air
    lost = RANGE_TO_EXTINCTION / float(told.fog_visibility)
    lost *= np.exp(min(20.0, -(float(eye[2]) - float(told.fog_base)) / float(told.fog_height)))
    ground = float(f.setting.ground.height(eye[:1], eye[1:2])[0])
    lost += sum(_in_bank(bank, eye, ground) for bank in place.banks if bank.seen_in(f.shot.id))
    return float(RANGE_TO_EXTINCTION / max(lost + _in_cloud(told, float(eye[2])), 1e-9))


def _in_bank(bank: FogBank, eye: Floats, ground: float) -> float:
    """What a bank takes of light about a camera [1/m]; its level top over a hollow is left out."""
    moved = np.asarray(bank.area) + [float(bank.moved_east), float(bank.moved_north)]
    foot = ground + float(bank.lifted)
    inside = foot - 0.5 < eye[2] < foot + float(bank.thick) * 0.9
    if not inside or not shapely.Polygon(moved).buffer(0).contains(shapely.Point(eye[0], eye[1])):
        return 0.0
    return RANGE_TO_EXTINCTION / float(bank.visibility) * float(bank.amount)


def _in_cloud(told: Air, height: float) -> float:
    """What low clouds take of light about a camera [1/m], where they are all but closed."""
    low = told.low
    among = low.base + 0.1 * low.thick < height < low.base + 0.7 * low.thick
    return float(low.density) if among and low.oktas >= CLOSED else 0.0
