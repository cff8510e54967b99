"""The ride check: what is wrong with a camera's move, when, and in words.

What is looked at is in `lumwick.snapshot.riding`, a module for each subject; one more is its line in `CHECKS`.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any

import numpy as np

from lumwick.errors import LumwickError
from lumwick.place.document import Shot
from lumwick.route.camera_path import goes
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.riding.air import air
from lumwick.snapshot.riding.clearances import clearances
from lumwick.snapshot.riding.light import light
from lumwick.snapshot.riding.looks import looks
from lumwick.snapshot.riding.pace import pace
from lumwick.snapshot.riding.sampled import Fault, Findings, Floats, Ride, ride, speed_in_words
from lumwick.snapshot.riding.smear import smear
from lumwick.snapshot.riding.turns import turns
from lumwick.snapshot.shores import highest_water
from lumwick.snapshot.surroundings import Surroundings, surroundings
from lumwick.wanted import look_up


def _stations(f: Findings) -> None:
    """Stations on one spot, and a camera that stands still."""
    route = f.shot.route
    for i, (a, b) in enumerate(itertools.pairwise(route.stations), 1):
        if np.linalg.norm([a.east - b.east, a.north - b.north, a.up - b.up]) < 1e-3:
            spare = route.way in ("fly", "walk", "straight") and len(route.stations) > 2
            f.say_of_all("same spot", f"stations {i} and {i + 1} stand on the same spot", ("apart",) if spare else ())
    if f.ride.along[-1] < 1e-3 and route.way in ("fly", "walk", "straight", "brought"):
        alone = "the route has one station: " if len(route.stations) == 1 else ""
        f.say_of_all("still", f"{alone}the camera stands still")


CHECKS: tuple[Callable[[Findings], None], ...] = (clearances, pace, turns, looks, smear, light, air, _stations)


def faults(setting: Setting, shot: Shot, near: Surroundings | None = None) -> tuple[Ride, list[Fault]]:
    """Sample a ride and look at it for all that may be wrong.

    Raises
    ------
    RouteError, PlaceError
        The route cannot be run at all.
    """
    r = ride(setting, shot, int(np.clip(round(shot.seconds * 24) + 1, 97, 1441)))
    findings = Findings(setting, shot, r, near or surroundings(setting.still(shot)))
    for look_at in CHECKS:
        look_up()
        look_at(findings)
    return r, sorted(findings.found, key=lambda f: (f.begins, f.kind))


def check(setting: Setting, shot: Shot) -> dict[str, Any]:
    """What is wrong with a shot's camera move, in figures and words.

    Returns
    -------
    dict
        ``length_m``, ``seconds``, ``speed`` and ``clearance`` (least, mean, most), ``water`` (the highest crest of the
        clip under the way, and how far the camera keeps over it) or None, ``found`` (list of
        {kind, from_s, to_s, text, repairs}) and ``clean``.
    """
    if not goes(shot.route):
        return _report(shot, None, [Fault("no station", 0.0, shot.seconds, "the route has no station")])
    try:
        r, found = faults(setting, shot)
    except LumwickError as error:
        return _report(shot, None, [Fault("cannot run", 0.0, shot.seconds, str(error))])
    return _report(shot, r, found, highest_water(setting, shot, r.position))


def _report(shot: Shot, r: Ride | None, found: list[Fault], crest: float | None = None) -> dict[str, Any]:
    def range_of(values: Floats, mean: float) -> dict[str, Any]:
        return {"least": round(float(values.min()), 3), "mean": round(mean, 3), "most": round(float(values.max()), 3)}

    told = {
        "shot": shot.id,
        "seconds": round(shot.seconds, 4),
        "frames": shot.frames,
        "found": [f.as_dict() for f in found],
        "clean": not [f for f in found if f.kind != "still"],
    }
    if r is None:
        return {
            **told,
            "length_m": 0.0,
            "speed": {"least": 0.0, "mean": 0.0, "most": 0.0, "words": "still"},
            "clearance": None,
            "water": None,
        }
    mean = float(r.along[-1] / shot.seconds)
    return {
        **told,
        "length_m": round(float(r.along[-1]), 3),
        "speed": {**range_of(r.speed, mean), "words": speed_in_words(mean)},
        "clearance": range_of(r.clearance, float(r.clearance.mean())),
        "water": None
        if crest is None
        else {"highest": round(crest, 3), "over": round(float(r.position[:, 2].min()) - crest, 3)},
    }


def with_route(shot: Shot, **changes: Any) -> Shot:
    """The shot with some of its route changed."""
    return shot.model_copy(update={"route": shot.route.model_copy(update=changes)})
