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
from lumwick.motion.terms import Follow
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Cut, Shot
from lumwick.place.fields import most
from lumwick.place.filming import Clock, Develop, Route
from lumwick.place.instant import Mover, place_clock, plain
from lumwick.route.camera_path import goes
from lumwick.snapshot.disturbances import goes as may_go
from lumwick.snapshot.evaluate import Setting, clip_time

WIDE = 2**256
NO_MOTION: dict[str, Any] = {"keep_clear": True, "stations": {"__all__": {"id", "name"}}}
"""What of a route nothing that it carries goes by."""


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


def _things_leave(setting: Setting, shot: Shot) -> bool:
    """Whether where a model is, or what it did to plants and water, goes by where it was before."""
    place = setting.place
    going = [thing for thing in place.things if may_go(thing)]
    if place.growth and (shot.route.brushes or any(thing.touches for thing in going)):
        return True  # plants that were trodden down are still rising
    if going and (place.sea.present or place.waters):
        return True  # wakes
    return any(x.rolls or (x.copies is not None and x.copies.out_of_step) for x in place.things)


THINGS_GO_BY = ("/things/", "/lamps/", "/sea/", "/waters/", "/wind/")
"""Parts of a place whose channels move models, or what carries them."""


def _past(setting: Setting, shot: Shot, movers: Sequence[Mover]) -> str:
    """What a shot's pictures go by of other times than their own, or of the clip's length: a digest of the channels
    that say so, as the document has them.

    Where something stood before follows from those channels and the frame's time, which its name holds too: nothing
    need be worked out. What does not move counts among `_still`.
    """
    place = setting.place
    prefixes: list[str] = []
    if _weather_leaves(setting, shot):
        prefixes += [f"{base}/{name}" for base in (f"/shots/{shot.id}/air", "/air") for name in ("rain", "snowing")]
    if _things_leave(setting, shot):
        prefixes += [*THINGS_GO_BY, f"/shots/{shot.id}/wind/"]
        if shot.route.brushes or any(thing.held for thing in place.things):
            prefixes.append(f"/shots/{shot.id}/route/")
    if any(thing.floats for thing in place.things):
        prefixes += ["/wind/", f"/shots/{shot.id}/wind/"]  # what is adrift goes by the least wind of all
    if place.sea.present and most(place.sea.tide_range) > 0:
        prefixes.append("/sea/")  # the tide goes by the day on which the shot begins
    turning = any(lamp.turns for lamp in place.lamps)
    if not prefixes and not turning:
        return ""
    said = [repr((shot.seconds, shot.loop, shot.closes_over, shot.clock.speed, turning))]
    said.append(_curve(shot.clock.start))
    if f"/shots/{shot.id}/route/" in prefixes:
        said.append(shot.route.model_dump_json(exclude=NO_MOTION))
    said += [f"{path}={_curve(curve)}" for path, curve in sorted(_followed(movers, tuple(prefixes)).items())]
    return hashlib.sha256("\n".join(said).encode()).hexdigest()


def _curve(value: Any) -> str:
    return value.model_dump_json() if isinstance(value, BaseModel) else str(value)


def _followed(movers: Sequence[Mover], prefixes: tuple[str, ...]) -> dict[str, Curve]:
    """The channels under some paths, and those that they follow, by their paths."""
    by_path = {mover.path: mover.curve for mover in movers}
    found: dict[str, Curve] = {}
    wanted = [path for path in by_path if path.startswith(prefixes)]
    while wanted:
        path = wanted.pop()
        if path in found or path not in by_path:
            continue
        found[path] = curve = by_path[path]
        wanted += [term.path for term in getattr(curve, "terms", ()) if isinstance(term, Follow)]
    return found


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
    name, fixed = f"/shots/{shot.id}/exposure/shutter", shot.exposure.shutter
    open_for = (
        motions.value(name, [clip_time(shot, float(v)) for v in t])
        if isinstance(fixed, Curve)
        else np.full(len(t), float(fixed))
    )
    shutter = open_for / 360.0 / rate
    way = setting.camera_path(shot) if goes(shot.route) else None
    past = _past(setting, shot, motions.movers).encode()
    told = [hashlib.blake2b(past, digest_size=32) for _ in t]
    for share in [0.0, *((k + 0.5) / moments for k in range(moments)), *(k / moments for k in range(moments + 1))]:
        at = np.array([clip_time(shot, float(v)) for v in t + shutter * share])
        totals = _moving(movers, motions.over(at) if movers else np.zeros((0, len(at))))
        camera = np.zeros((len(at), 0)) if way is None else way.at(at).table()
        rows = np.column_stack([at, _clock(shot, at), camera])
        for k, row in enumerate(rows):
            told[k].update(((still + totals[k]) % WIDE).to_bytes(32, "big") + row.tobytes())
    return [one.hexdigest() for one in told]


def _clock(shot: Shot, at: NDArray[np.float64]) -> NDArray[np.float64]:
    """The place's clock at clip times (n,) [s since `EPOCH`], to the microsecond."""
    if isinstance(shot.clock.start, Curve):
        return np.array([(place_clock(shot, float(v)) - EPOCH).total_seconds() for v in at])
    begins = (place_clock(shot, 0.0) - EPOCH).total_seconds()
    return np.round(begins + shot.clock.speed * at, 6)
