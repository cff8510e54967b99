"""Edits of a shot's length, rate, clock and seam."""

from __future__ import annotations

import datetime as dt
from typing import Any, Literal

from pydantic import Field

from lumwick.errors import PlaceError
from lumwick.motion import keys as key_edits
from lumwick.motion.channel import Channel, Curve, MomentChannel
from lumwick.motion.timebase import RATES, rate
from lumwick.place.document import Id, Place, Shot
from lumwick.place.edits.base import Command, checked, shot_of
from lumwick.place.edits.keys import channel_at, settled
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
        return _repair(draft, self)


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


def _repair(draft: Place, edit: RepairSeam) -> str:
    shot = shot_of(draft, edit.shot)
    owner, name, info, curve = channel_at(draft, edit.path)
    new = checked(
        lambda: closed(curve, shot.seconds, edit.how, described(info).get("quantity") == "turn"), str(info.title)
    )
    setattr(owner, name, new)
    return (
        f"{info.title.lower()}: "
        + {
            "match": "ends as it starts",
            "add": "a key more where the loop comes round",
            "cycle_offset": "comes round and goes on",
            "round": "a whole number of rounds in the loop",
            "mirror": "there and back",
        }[edit.how]
    )


def closed(curve: Curve, seconds: float, how: str, turn: bool) -> Curve:
    """A channel that closes over a clip's length, by one of several repairs.

    Parameters
    ----------
    how : str
        ``match``: the last key takes the first's value. ``add``: one more key, like the first, where the loop comes
        round. ``cycle_offset``: goes on from where it ended. ``round``: its rounds are fitted into the loop, or its
        turn into whole turns. ``mirror``: half the time there, half back.
    """
    keys = curve.keys
    if how == "cycle_offset":
        return key_edits.remade(curve, keys, before="cycle_offset", after="cycle_offset")
    if how == "mirror":
        half = seconds / 2
        span = max(keys[-1].t - keys[0].t, 1e-9)
        there = key_edits.retimed(curve, lambda t: (t - keys[0].t) * half / span)
        back = key_edits.mirrored(there, [k.t for k in there.keys], half)[0]
        return key_edits.remade(curve, [*there.keys[:-1], *back.keys], before="cycle", after="cycle")
    if how == "round":
        span = keys[-1].t - keys[0].t
        if span <= 0:
            raise PlaceError("One key has no rounds to be fitted: it closes as it is.")
        if turn and isinstance(curve, Channel) and curve.after in ("cycle_offset", "straight_on"):
            whole = round((keys[-1].v - keys[0].v) / span * seconds / 360) or 1
            grown = (keys[-1].v - keys[0].v) or 1.0
            per = whole * 360 / seconds * span / grown
            return key_edits.remade(
                curve, [k.model_copy(update={"v": round(keys[0].v + (k.v - keys[0].v) * per, 9)}) for k in keys]
            )
        per = seconds / max(1, round(seconds / span)) / span
        fitted = key_edits.retimed(curve, lambda t: keys[0].t + (t - keys[0].t) * per)
        return key_edits.remade(fitted, fitted.keys, before="cycle", after="cycle")
    first = [k for k in keys if 0 <= k.t < seconds - key_edits.NEAR] or list(keys[:1])
    start = first[0]
    value = start.v if start.t <= key_edits.NEAR else None
    if value is None:
        now = settled(curve, 0.0)
        value = now if not isinstance(curve, MomentChannel) else dt.datetime.fromisoformat(now)
    if how == "match":
        last = max((k for k in keys if k.t <= seconds + key_edits.NEAR), key=lambda k: k.t, default=keys[-1])
        if last is start:
            raise PlaceError("There is only one key in the clip: it closes as it is.")
        made = [
            k.model_copy(update={"v": _whole(value, k.v, turn), "t": min(k.t, seconds)}) if k is last else k
            for k in keys
        ]
        span = [k for k in made if k.t <= seconds + key_edits.NEAR]
        if abs(span[-1].t - seconds) > key_edits.NEAR:
            span[-1] = span[-1].model_copy(update={"t": round(seconds, 9)})
        if span[0].t > key_edits.NEAR:
            span = [span[0].model_copy(update={"t": 0.0, "v": value}), *span]
        return key_edits.remade(curve, span, before="cycle", after="cycle")
    inside = [k for k in keys if key_edits.NEAR < k.t < seconds - key_edits.NEAR]
    begin = start.model_copy(update={"t": 0.0, "v": value})
    near = inside[-1].v if inside else value
    end = start.model_copy(update={"t": round(seconds, 9), "v": _whole(value, near, turn)})
    return key_edits.remade(curve, [begin, *inside, end], before="cycle", after="cycle")


def _whole(value: Any, near: Any, turn: bool) -> Any:
    """A value to close with: itself, or for an angle the whole turn nearest to where it has come."""
    return value + 360.0 * round((near - value) / 360.0) if turn and isinstance(value, float) else value


COMMANDS = (
    Retime,
    SetClock,
    SetSeam,
    RepairSeam,
)
