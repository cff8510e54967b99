"""Edits of a shot's length, rate, clock and seam."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field

from lumwick.errors import PlaceError
from lumwick.motion import keys as key_edits
from lumwick.motion.channel import Channel, Curve, MomentChannel
from lumwick.motion.timebase import RATES, rate
from lumwick.place.document import Place, Shot
from lumwick.place.edits.base import Command, checked, shot_of
from lumwick.place.edits.keys import channel_at, settled
from lumwick.place.fields import Id
from lumwick.place.instant import Motions
from lumwick.place.paths import described


class Retime(Command):
    """Another length or rate of a shot; its keys keep their seconds or their frames, or scale along."""

    op: Literal["retime"]
    shot: Id
    frames: int = Field(ge=1, le=20000)
    fps: str
    keep: Literal["seconds", "frames", "scale"]

    def apply(self, draft: Place) -> str:
        return _retime(draft, shot_of(draft, self.shot), self.frames, self.fps, self.keep)


class SetClock(Command):
    """The shot's date, hour and speed of the day, and its length if that changes with them."""

    op: Literal["clock"]
    shot: Id
    start: dt.datetime
    speed: float
    frames: int | None = Field(None, ge=1, le=20000)
    keep: Literal["seconds", "frames", "scale"] = "scale"

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        if self.frames is not None and self.frames != shot.frames:
            _retime(draft, shot, self.frames, shot.fps, self.keep)
        shot.clock.start, shot.clock.speed = self.start.replace(tzinfo=None), self.speed
        return f"{shot.name}: from {self.start:%d %B %H:%M}, the day runs {self.speed:.4g} times as fast"


class SetSeam(Command):
    """How a clip that loops comes round."""

    op: Literal["seam"]
    shot: Id
    seam: Literal["cut", "cross-fade", "mirror"]
    frames: int = Field(12, ge=2, le=2000)

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        shot.seam, shot.seam_frames = self.seam, self.frames
        return (
            f"{shot.name}: "
            + {
                "cut": "comes round as it is",
                "cross-fade": f"fades over {self.frames} frames where it comes round",
                "mirror": "runs there and back",
            }[self.seam]
        )


class RepairSeam(Command):
    """Make one value close where its loop comes round."""

    op: Literal["repair"]
    shot: Id
    path: str
    how: Literal["match", "add", "cycle_offset", "round", "mirror"]

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        owner, name, info, curve = channel_at(draft, self.path)
        turn = described(info).get("quantity") == "turn"
        repair, words = REPAIRS[self.how]
        setattr(owner, name, checked(lambda: repair(curve, shot.seconds, turn), str(info.title)))
        return f"{info.title.lower()}: {words}"


def _retime(draft: Place, shot: Shot, frames: int, fps: str, keep: str) -> str:
    old_rate, new_rate = RATES[shot.fps], rate(fps)
    before, after = shot.frames / old_rate, frames / new_rate
    factor = {"seconds": 1.0, "frames": float(old_rate / new_rate), "scale": float(after / before)}[keep]
    shot.frames, shot.fps = frames, fps
    if factor != 1.0:
        for mover in Motions(draft, shot).movers:
            if mover.path.startswith(f"/shots/{shot.id}/"):
                owner, name, _, curve = channel_at(draft, mover.path)
                setattr(owner, name, key_edits.retimed(curve, lambda t: t * factor))
    kept = {"seconds": "keys keep their seconds", "frames": "keys keep their frames", "scale": "keys scale along"}[keep]
    return f"{shot.name}: {frames} frames at {fps}, {kept}"


def _on_from_its_end(curve: Curve, seconds: float, turn: bool) -> Curve:
    return key_edits.remade(curve, curve.keys, before="cycle_offset", after="cycle_offset")


def _there_and_back(curve: Curve, seconds: float, turn: bool) -> Curve:
    """Half the time there, half back."""
    first, half = curve.keys[0].t, seconds / 2
    span = max(curve.keys[-1].t - first, 1e-9)
    there = key_edits.retimed(curve, lambda t: (t - first) * half / span)
    back = key_edits.mirrored(there, [k.t for k in there.keys], half)[0]
    return key_edits.remade(curve, [*there.keys[:-1], *back.keys], before="cycle", after="cycle")


def _whole_rounds(curve: Curve, seconds: float, turn: bool) -> Curve:
    """Its rounds are fitted into the loop, or its turn into whole turns."""
    first, last = curve.keys[0], curve.keys[-1]
    span = last.t - first.t
    if span <= 0:
        raise PlaceError("One key has no rounds to be fitted: it closes as it is.")
    if turn and isinstance(curve, Channel) and curve.after in ("cycle_offset", "straight_on"):
        grown = last.v - first.v
        whole = round(grown / span * seconds / 360) or 1
        per = whole * 360 / seconds * span / (grown or 1.0)
        turned = [k.model_copy(update={"v": round(first.v + (k.v - first.v) * per, 9)}) for k in curve.keys]
        return key_edits.remade(curve, turned)
    per = seconds / max(1, round(seconds / span)) / span
    fitted = key_edits.retimed(curve, lambda t: first.t + (t - first.t) * per)
    return key_edits.remade(fitted, fitted.keys, before="cycle", after="cycle")


def _beginning(curve: Curve, seconds: float) -> tuple[Any, Any]:
    """The key that a loop begins with, and the value there."""
    start = next((k for k in curve.keys if 0 <= k.t < seconds - key_edits.NEAR), curve.keys[0])
    if abs(start.t) <= key_edits.NEAR:
        return start, start.v
    now = settled(curve, 0.0)
    return start, dt.datetime.fromisoformat(now) if isinstance(curve, MomentChannel) else now


def _ends_as_it_starts(curve: Curve, seconds: float, turn: bool) -> Curve:
    """The last key takes the first's value."""
    start, value = _beginning(curve, seconds)
    within = [k for k in curve.keys if k.t <= seconds + key_edits.NEAR] or [curve.keys[-1]]
    last = max(within, key=lambda k: k.t)
    if last is start:
        raise PlaceError("There is only one key in the clip: it closes as it is.")
    closing = last.model_copy(update={"v": _whole(value, last.v, turn), "t": round(seconds, 9)})
    span = [closing if k is last else k for k in within if k is last or k.t >= -key_edits.NEAR]
    if abs(span[0].t) > key_edits.NEAR:  # what was before the clip is not a part of its round
        span = [start.model_copy(update={"t": 0.0, "v": value}), *span]
    return key_edits.remade(curve, span, before="cycle", after="cycle")


def _one_more_key(curve: Curve, seconds: float, turn: bool) -> Curve:
    """One more key, like the first, where the loop comes round."""
    start, value = _beginning(curve, seconds)
    inside = [k for k in curve.keys if key_edits.NEAR < k.t < seconds - key_edits.NEAR]
    begin = start.model_copy(update={"t": 0.0, "v": value})
    near = inside[-1].v if inside else value
    end = start.model_copy(update={"t": round(seconds, 9), "v": _whole(value, near, turn)})
    return key_edits.remade(curve, [begin, *inside, end], before="cycle", after="cycle")


def _whole(value: Any, near: Any, turn: bool) -> Any:
    """A value to close with: itself, or for an angle the whole turn nearest to where it has come."""
    return value + 360.0 * round((near - value) / 360.0) if turn and isinstance(value, float) else value


REPAIRS: dict[str, tuple[Callable[[Curve, float, bool], Curve], str]] = {
    "match": (_ends_as_it_starts, "ends as it starts"),
    "add": (_one_more_key, "a key more where the loop comes round"),
    "cycle_offset": (_on_from_its_end, "comes round and goes on"),
    "round": (_whole_rounds, "a whole number of rounds in the loop"),
    "mirror": (_there_and_back, "there and back"),
}
"""Ways to make a channel close over a clip of some seconds, whether it is an angle or not; and what is said of it."""


def closed(curve: Curve, seconds: float, how: str, turn: bool) -> Curve:
    """A channel that closes over a clip's length, by one of `REPAIRS`."""
    return REPAIRS[how][0](curve, seconds, turn)


COMMANDS = (
    Retime,
    SetClock,
    SetSeam,
    RepairSeam,
)
