"""Repairs of a camera's move: for each fault of the ride check the least change that is tried first."""

from __future__ import annotations

from collections import Counter

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import RouteError
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.repairs import WAYS
from lumwick.snapshot.ride import faults
from lumwick.snapshot.riding.sampled import SAYS, Fault, Ride

Floats = NDArray[np.float64]


def mend(setting: Setting, shot: Shot, how: str, begins: float, ends: float, kind: str = "") -> tuple[Shot, str]:
    """The shot after a repair of what is wrong between two clip times [s], and the repair's name in plain words.

    A repair is taken as far as it must go for the fault to be gone and no further; if it cannot get so far, the best
    that it reached is given, as long as it is better than before.

    Parameters
    ----------
    how : str
        One of `lumwick.snapshot.riding.sampled.SAYS`.
    kind : str
        The fault's kind; every kind that this repair is for, if not said.

    Raises
    ------
    RouteError
        There is no such repair, or it makes nothing better.
    """
    if how not in WAYS:
        raise RouteError(f"There is no repair {how!r}: choose {', '.join(WAYS)}.")
    before, found = faults(setting, shot)
    span = slice(max(0.0, begins - 0.3), ends + 0.3)

    def ill(r: Ride, all_found: list[Fault]) -> tuple[int, float]:
        mine = [
            f
            for f in all_found
            if (f.kind == kind or (not kind and how in f.repairs)) and f.ends >= span.start and f.begins <= span.stop
        ]
        return len(mine), sum(f.ends - f.begins + 0.05 for f in mine) + 0.01 * sum(f.size for f in mine)

    worst = ill(before, found)
    if not worst[0]:
        raise RouteError("Nothing of this kind is wrong there any more.")
    best: tuple[tuple[int, float], Shot] = (worst, shot)
    for tried in WAYS[how](setting, shot, before, begins, ends):
        try:
            r, now = faults(setting, tried)
        except RouteError:
            continue
        score = ill(r, now)
        if score[1] < best[0][1]:
            best = (score, tried)
        if not score[0]:
            break
    if best[1] is shot:
        raise RouteError(
            f"{SAYS[how]}: this does not help here. Try another repair, or move the stations about {begins:.1f} s."
        )
    return best[1], SAYS[how].lower() + ("" if not best[0][0] else ", as far as it helps")


FIRST = (
    "same spot",
    "no floor",
    "under",
    "under water",
    "wall",
    "near",
    "water",
    "leaf",
    "jolt",
    "abrupt",
    "turning",
    "aim jolt",
    "fast",
    "looking away",
    "strobing",
    "out of frame",
    "focus",
    "level",
    "eye height",
    "exposure jump",
)
"""In which order faults are mended: where the camera goes, then how, then where it looks."""


AGAIN = 3
"""How often one repair of one kind of fault is made, so that two that work against each other come to an end."""


def mend_all(setting: Setting, shot: Shot, most: int = 16) -> tuple[Shot, list[str]]:
    """The shot after repairs, one after another, of all that can be mended; and what was done."""
    done: list[str] = []
    tried: set[tuple[str, str, int]] = set()
    often: Counter[tuple[str, str]] = Counter()
    for _ in range(most):
        try:
            _, found = faults(setting, shot)
        except RouteError:
            break
        for fault in sorted(found, key=lambda f: FIRST.index(f.kind) if f.kind in FIRST else len(FIRST)):
            for how in fault.repairs:
                name = (fault.kind, how, round(fault.begins))
                if name in tried or often[name[:2]] >= AGAIN:
                    continue
                tried.add(name)
                try:
                    shot, label = mend(setting, shot, how, fault.begins, fault.ends, fault.kind)
                except RouteError:
                    continue
                done.append(f"{fault.kind}: {label}")
                often[name[:2]] += 1
                tried = {name}  # on another way what did not help before may help
                break
            else:
                continue
            break
        else:
            break
    return shot, done
