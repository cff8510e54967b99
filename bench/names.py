"""What the names of frames cost: of each demo shot's rehearsal, of a take of the yard, and of a long shot."""

from __future__ import annotations

import time
from typing import Any

from bench.engine import figure
from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from lumwick.frame_keys import frame_keys
from lumwick.picture import load_setting
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.quality import REHEARSAL

LONG = 3000


def _seconds(setting: Setting, shot: Shot, quality: str) -> float:
    """Seconds for all names of a shot, its route and motions not yet made ready."""
    start = time.perf_counter()
    frame_keys(setting, shot, range(1, shot.frames + 1), (1280, 720), quality)
    return time.perf_counter() - start


def _opened(made: tuple[Any, ...]) -> Setting:
    setting = load_setting(made)
    evaluate(setting, setting.place.shots[0], 0.0)
    return setting


def names() -> list[dict[str, Any]]:
    """Names of rehearsals (worst of the demo's shots), of a study take of the yard, and of 3 000 frames; of places that
    are open, as the look has them."""
    rehearsals, takes = [], []
    for make in (saltmere, yard, down):
        setting = _opened(make())
        for shot in setting.place.shots:
            rehearsals.append(_seconds(setting, shot, REHEARSAL))
            if make is yard:
                takes.append(_seconds(setting, shot.model_copy(), "study"))
    setting = _opened(yard())
    long = setting.place.shots[0].model_copy(update={"frames": LONG})
    return [
        figure("names of a demo shot's rehearsal, worst", max(rehearsals), "s", 0.3, "lower"),
        figure("names of a study take of the yard, worst", max(takes), "s", 0.5, "lower"),
        figure("names of 3 000 frames", _seconds(setting, long, "study"), "s", 2.0, "lower"),
    ]
