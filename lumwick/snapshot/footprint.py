"""What a frame depends on: its footprint, so that an edit makes only the frames anew that it touches.

Every value of a place and a shot has a digest of its own; those of an instant are added up, so that those that
stand still are counted once and it makes no difference whether a value is a constant or keyed to the same.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from lumwick.motion.channel import EPOCH, Curve
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Cut, Shot
from lumwick.place.filming import Clock, Develop, Route
from lumwick.place.instant import Mover, place_clock, plain
from lumwick.route.way import goes
from lumwick.snapshot.evaluate import Setting, clip_time
from lumwick.snapshot.showers import showers_of
from lumwick.snapshot.stirring import goes as may_go
from lumwick.snapshot.stirring import stirrers_of
from lumwick.snapshot.treading import bodies_of

WIDE = 2**256


def footprints(setting: Setting, shot: Shot, frames: Sequence[int], moments: int) -> list[str]:
    """A digest for each frame of all that its picture depends on: names, other shots and other times do not count.

    Parameters
    ----------
    moments : int
        At how many moments of the open shutter the place is looked at.
    """
    rate = float(RATES[shot.fps])
    over = min(shot.seam_frames, shot.frames - 1) if shot.seam == "cross-fade" else 0
    t = np.array([frame_time(int(n), RATES[shot.fps]) for n in frames])
    common = repr((shot.fps, shot.closes_over, moments))
    own = _instants(setting, shot, t, rate, moments)
    before = _instants(setting, shot, t - shot.seconds, rate, moments) if over else own
    out = []
    for k, n in enumerate(frames):
        fading = repr((int(n) - shot.frames, over, before[k])) if over and n > shot.frames - over else ""
        out.append(hashlib.sha256(f"{common}|{own[k]}|{fading}".encode()).hexdigest())
    return out


def _digest(path: str, value: Any) -> int:
    said = f"{value:.12g}" if isinstance(value, int | float) and not isinstance(value, bool) else str(value)
    return int.from_bytes(hashlib.blake2b(f"{path}={said}".encode(), digest_size=32).digest(), "big")


def _leaves(value: Any, path: str, skip: frozenset[str]) -> Iterator[int]:
    """Digests of all values under a path, but for those that move."""
    if path in skip:
        return
    if isinstance(value, BaseModel):
        for name in type(value).model_fields:
            yield from _leaves(getattr(value, name), f"{path}/{name}", skip)
    elif isinstance(value, list):
        yield _digest(path, [getattr(item, "id", None) for item in value])
        for i, item in enumerate(value):
            yield from _leaves(item, f"{path}/{getattr(item, 'id', i)}", skip)
    else:
        yield _digest(path, value)


def _bare(shot: Shot) -> Shot:
    """A shot without what counts only by what it gives at each instant: its clock, its route and the clip's length;
    and without its name."""
    return shot.model_copy(
        update={
            "name": "-",
            "frames": 1,
            "fps": "24",
            "loop": False,
            "clock": Clock(),
            "route": Route(),
            "seam": "cut",
            "seam_frames": 12,
            **({"develop": Develop()} if shot.as_film else {}),
        }
    )


def _still(setting: Setting, shot: Shot, moving: frozenset[str]) -> int:
    """The digests of all values of a place and a shot that do not move, added up."""
    cut = Cut(develop=setting.place.cut.develop) if shot.as_film else Cut()
    banks = [x for x in setting.place.banks if x.seen_in(shot.id)]
    place = setting.place.model_copy(update={"name": "-", "shots": [], "cut": cut, "banks": banks})
    return sum(_leaves(place, "", moving)) + sum(_leaves(_bare(shot), f"/shots/{shot.id}", moving))


def _moving(movers: Sequence[Mover], values: NDArray[np.float64]) -> list[int]:
    """The digests of values that move (all rows by n instants), added up for each instant."""
    totals = [0] * values.shape[1]
    for mover in movers:
        known: dict[bytes, int] = {}
        rows = values[mover.row : mover.row + mover.count]
        for k in range(values.shape[1]):
            key = rows[:, k].tobytes()
            if key not in known:
                known[key] = _digest(mover.path, plain(mover, values[:, k]))
            totals[k] += known[key]
    return totals


def _weather_leaves(setting: Setting, shot: Shot) -> bool:
    """Whether how wet or white a shot is goes by what fell in it before."""
    air = shot.air or setting.place.air
    return isinstance(air.rain, Curve) or isinstance(air.snowing, Curve) or air.snowing > 0


def _goes_by_the_past(setting: Setting, shot: Shot) -> bool:
    """Whether anything stands where it does by other times than the frame's own, or by the clip's length."""
    if setting.place.growth and (shot.route.brushes or any(x.touches and may_go(x) for x in setting.place.things)):
        return True  # plants that were trodden down are still rising
    if _weather_leaves(setting, shot):
        return True  # what rain has wetted is still drying
    wakes = bool(setting.place.sea.present or setting.place.waters) and any(may_go(x) for x in setting.place.things)
    rolling = wakes or any(x.rolls or (x.copies is not None and x.copies.out_of_step) for x in setting.place.things)
    return rolling or any(lamp.turns for lamp in setting.place.lamps)


def _from_before(setting: Setting, shot: Shot, t: float) -> str:
    """What stands where it does by what was before, or by the clip's length: a digest of where it is."""
    standing = setting.standing(shot, t)
    placed = standing.all([x for x in standing.place.things if x.rolls or x.copies is not None])
    told = hashlib.blake2b(digest_size=16)
    for name in sorted(placed):
        told.update(placed[name].tobytes())
    for stirrer in stirrers_of(setting, shot, standing.place, t, shot.closes_over):
        told.update(stirrer.place.tobytes())
    for body in bodies_of(setting, shot, standing.place, t, shot.closes_over):
        told.update(body.where.tobytes())
    if _weather_leaves(setting, shot):
        place, now = setting.motions(shot).at(t)
        air, wind = now.air or place.air, now.wind or place.wind
        fallen = showers_of(air, wind, setting.motions(shot), shot, t, 0.0)
        told.update(repr((round(fallen.wet, 6), round(fallen.white, 6))).encode())
    turning = [lamp.turns / shot.seconds for lamp in standing.place.lamps]
    return f"|{told.hexdigest()}|{turning}"


def _instants(setting: Setting, shot: Shot, t: NDArray[np.float64], rate: float, moments: int) -> list[str]:
    """In short, what the frames at clip times (n,) depend on."""
    motions = setting.motions(shot)
    # the route moves only the camera, whose pose is told as it is; how the film is developed counts for shots that
    # go by it, and a bank of fog for those that it is seen in
    elsewhere = (f"/banks/{x.id}/" for x in setting.place.banks if not x.seen_in(shot.id))
    idle = (f"/shots/{shot.id}/route/", f"/shots/{shot.id}/develop/" if shot.as_film else "/cut/", *elsewhere)
    movers = [m for m in motions.movers if not m.path.startswith(idle)]
    still = _still(setting, shot, frozenset(m.path for m in movers))
    movers = [m for m in movers if not m.path.endswith("/clock/start")]
    shutter = np.array([motions.at(clip_time(shot, float(v)))[1].exposure.shutter for v in t]) / 360.0 / rate
    way = setting.way(shot) if goes(shot.route) else None
    by_past = _goes_by_the_past(setting, shot)
    told: list[list[str]] = [[] for _ in t]
    for share in [0.0, *((k + 0.5) / moments for k in range(moments)), *(k / moments for k in range(moments + 1))]:
        at = np.array([clip_time(shot, float(v)) for v in t + shutter * share])
        totals = _moving(movers, motions.over(at) if movers else np.zeros((0, len(at))))
        camera = np.zeros((len(at), 0)) if way is None else way.at(at).table()
        for k, v in enumerate(at):
            clock = (place_clock(shot, float(v)) - EPOCH).total_seconds()
            past = _from_before(setting, shot, float(v)) if by_past else ""
            told[k].append(f"{(still + totals[k]) % WIDE:x}|{v!r}|{clock}|{camera[k].tobytes().hex()}{past}")
    return ["\n".join(parts) for parts in told]
