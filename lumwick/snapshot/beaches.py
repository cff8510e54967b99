"""The drawn beaches of a shot at an instant."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import PlaceError
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Shot
from lumwick.place.nature import DrawnBeach
from lumwick.snapshot.evaluate import Setting, clip_time
from lumwick.water.drawn import Drawn, ages, draw


def _colour(code: str) -> tuple[float, float, float, float]:
    """A colour of the document, with its opacity."""
    digits = code.removeprefix("#")
    r, g, b = (int(digits[k : k + 2], 16) / 255 for k in (0, 2, 4))
    return r, g, b, 1.0


def beach_of(setting: Setting, shot: Shot, name: str, t: float) -> Drawn:
    """A drawn beach of a place at a clip time [s]; in a loop its past is the loop's.

    Raises
    ------
    PlaceError
        There is none of this id.
    """
    t = clip_time(shot, t)
    motions = setting.motions(shot)
    now = next((one for one in motions.at(t)[0].beaches if one.id == name), None)
    if now is None:
        have = ", ".join(one.id for one in setting.place.beaches) or "none yet"
        raise PlaceError(f"There is no drawn beach {name!r} in this place: it has {have}.")
    loop = shot.closes_over
    times = t - ages()
    if loop:
        times = times % loop
    own = next(one for one in setting.place.beaches if one.id == name)
    reach = (
        motions.value(f"/beaches/{name}/reach", times)
        if not isinstance(own.reach, int | float)
        else np.full(len(times), float(own.reach))
    )
    return Drawn(
        reach,
        times,
        shot.seconds,
        _colour(now.water),
        _colour(now.wet),
        _colour(now.foam),
        float(now.band),
        float(now.uneven),
        now.lobes,
        now.lasts,
        now.side,
        now.seed,
    )


def drawn_frames(setting: Setting, shot: Shot, name: str, size: tuple[int, int]) -> Iterator[NDArray[np.uint8]]:
    """All frames of a shot's drawn beach with straight alpha, (height, width, 4) each."""
    for frame in range(1, shot.frames + 1):
        yield draw(beach_of(setting, shot, name, frame_time(frame, RATES[shot.fps])), *size)


def reach_and_back(beach: DrawnBeach, seconds: float) -> dict[str, object]:
    """The edit that keys a beach's reach over a clip [s]: it runs up quickly, holds, and is pulled back slowly."""
    low, high = 0.25, 0.7
    keys = [
        {"t": 0.0, "v": low, "join": "quad_out"},
        {"t": round(0.32 * seconds, 4), "v": high, "join": "straight"},
        {"t": round(0.42 * seconds, 4), "v": high, "join": "sine_both"},
        {"t": round(seconds, 4), "v": low, "join": "straight"},
    ]
    value = {"keys": keys, "before": "cycle", "after": "cycle"}
    return {"op": "set", "path": f"/beaches/{beach.id}/reach", "value": value}
