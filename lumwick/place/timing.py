"""Edits of what moves: keys, what lies beyond them, small motions, a shot's length, rate and clock."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lumwick.errors import PlaceError
from lumwick.motion import keys as key_edits
from lumwick.motion.channel import Channel, ColourChannel, Curve, Join, MomentChannel, colour_of, moment_of
from lumwick.motion.recipes import LaidOver, Recipe, Turning, cook
from lumwick.motion.terms import AnyTerm, Follow
from lumwick.motion.timebase import RATES, rate
from lumwick.place.document import Id, Place, Shot
from lumwick.place.instant import Motions
from lumwick.place.paths import described, find, told, unit_of
from lumwick.place.quantities import show


class Command(BaseModel):
    """An edit."""

    model_config = ConfigDict(extra="forbid")


class Picked(BaseModel):
    """Keys of one value, by their clip times."""

    model_config = ConfigDict(extra="forbid")
    path: str
    times: list[float] = Field(min_length=1, max_length=20_000)


class SetKey(Command):
    """Set a key at a clip time; a constant becomes a channel."""

    op: Literal["key"]
    path: str
    t: float
    value: Any
    join: Join | None = None


class Raise(Command):
    """Move a whole curve up or down, as much as its value at one time changes."""

    op: Literal["raise"]
    path: str
    t: float
    value: float


class Unkey(Command):
    """Make a channel a constant: what it is at one time."""

    op: Literal["unkey"]
    path: str
    t: float = 0.0


class PlaceKey(Command):
    """Type one key's exact time and value."""

    op: Literal["place_key"]
    path: str
    t: float
    to: float
    value: Any


class ShiftKeys(Command):
    """Move keys in time, and numbers in value."""

    op: Literal["shift_keys"]
    picked: list[Picked] = Field(min_length=1)
    by: float = 0.0
    rise: float = 0.0


class StretchKeys(Command):
    """Spread keys about a time (slower) or draw them together (faster)."""

    op: Literal["stretch_keys"]
    picked: list[Picked] = Field(min_length=1)
    about: float
    by: float


class MirrorKeys(Command):
    """Turn keys round in time."""

    op: Literal["mirror_keys"]
    picked: list[Picked] = Field(min_length=1)
    about: float | None = None


class RemoveKeys(Command):
    """Take keys away; a value without any is a constant again."""

    op: Literal["remove_keys"]
    picked: list[Picked] = Field(min_length=1)


class JoinKeys(Command):
    """Choose how keys go on to the next."""

    op: Literal["join_keys"]
    picked: list[Picked] = Field(min_length=1)
    join: Join | None = None
    bezier: tuple[float, float, float, float] | None = None
    handles: tuple[float, float, float, float] | None = None
    steps: int | None = None
    jump: Literal["end", "start", "none", "both"] | None = None


class CopyKeys(Command):
    """Set copies of keys, the first at a time; into their own channels, or into another value of the same kind."""

    op: Literal["copy_keys"]
    picked: list[Picked] = Field(min_length=1)
    at: float
    onto: str | None = None


class Beyond(Command):
    """What holds before the first key and after the last, and how values blend."""

    op: Literal["beyond"]
    path: str
    before: Literal["hold", "straight_on", "cycle", "cycle_offset", "mirror"] | None = None
    after: Literal["hold", "straight_on", "cycle", "cycle_offset", "mirror"] | None = None
    blend: Literal["even", "ratio"] | None = None


class UseRecipe(Command):
    """Make a value move by a recipe."""

    op: Literal["recipe"]
    shot: Id
    path: str
    recipe: Recipe


class SetTerm(Command):
    """Change one of a value's small motions."""

    op: Literal["set_term"]
    path: str
    index: int = Field(ge=0)
    term: AnyTerm


class RemoveTerm(Command):
    """Take one of a value's small motions away."""

    op: Literal["remove_term"]
    path: str
    index: int = Field(ge=0)


class Retime(Command):
    """Another length or rate of a shot; its keys keep their seconds or their frames, or scale along."""

    op: Literal["retime"]
    shot: Id
    frames: int = Field(ge=1, le=20000)
    fps: str
    keep: Literal["seconds", "frames", "scale"]


class SetClock(Command):
    """The shot's date, hour and speed of the day, and its length if that changes with them."""

    op: Literal["clock"]
    shot: Id
    start: dt.datetime
    speed: float
    frames: int | None = Field(None, ge=1, le=20000)
    keep: Literal["seconds", "frames", "scale"] = "scale"


class SetSeam(Command):
    """How a clip that loops comes round."""

    op: Literal["seam"]
    shot: Id
    seam: Literal["cut", "cross-fade", "mirror"]
    frames: int = Field(12, ge=2, le=2000)


class RepairSeam(Command):
    """Make one value close where its loop comes round."""

    op: Literal["repair"]
    shot: Id
    path: str
    how: Literal["match", "add", "cycle_offset", "round", "mirror"]


COMMANDS = (
    SetKey,
    Raise,
    Unkey,
    PlaceKey,
    ShiftKeys,
    StretchKeys,
    MirrorKeys,
    RemoveKeys,
    JoinKeys,
    CopyKeys,
    Beyond,
    UseRecipe,
    SetTerm,
    RemoveTerm,
    Retime,
    SetClock,
    SetSeam,
    RepairSeam,
)


def shot_of(place: Place, shot_id: str) -> Shot:
    """A shot by its id.

    Raises
    ------
    PlaceError
        There is none.
    """
    for shot in place.shots:
        if shot.id == shot_id:
            return shot
    raise PlaceError(f"There is no shot {shot_id!r} any more: it may have been removed.")


def _owned_shot(place: Place, path: str) -> Shot:
    """The shot in whose time a value is asked for: its own, or the place's first."""
    parts = [p for p in path.split("/") if p]
    return shot_of(place, parts[1]) if len(parts) > 1 and parts[0] == "shots" else place.shots[0]


def _channel(place: Place, path: str) -> tuple[Any, str, Any, Any]:
    """Owner, field name, field and channel that a path names.

    Raises
    ------
    PlaceError
        It is a constant.
    """
    owner, name, info = find(place, path)
    curve = getattr(owner, name)
    if not isinstance(curve, Curve):
        raise PlaceError(f"{info.title} is not keyed any more.")
    return owner, name, info, curve


def keyable(info: Any) -> dict[str, Any]:
    """What stands beside a field that can be keyed.

    Raises
    ------
    PlaceError
        It cannot.
    """
    extra = described(info)
    if not extra.get("animatable"):
        raise PlaceError(f"{info.title} cannot be keyed.")
    return extra


def begun(info: Any, value: Any, t: float) -> Curve:
    """The channel that a constant becomes when it is first keyed: sizes and distances blend by ratios."""
    extra = keyable(info)
    ratio = extra.get("log") and isinstance(value, int | float) and value > 0 and float(extra["low"]) > 0
    return key_edits.channel_of(value, t, **({"blend": "ratio"} if ratio else {}))


def checked(make: Callable[..., Any], what: str, *arguments: Any) -> Any:
    """What ``make`` gives; what is wrong with a channel is told in one sentence.

    Raises
    ------
    PlaceError
    """
    try:
        return make(*arguments)
    except ValidationError as error:
        raise PlaceError(f"{what}: {error.errors()[0]['msg'].removeprefix('Value error, ')}.") from None


def named(value: Any, info: Any) -> str:
    """A field and its value in plain words."""
    title = (info.title or "value").lower()
    if isinstance(value, bool):
        return f"{title} {'on' if value else 'off'}"
    if isinstance(value, int | float):
        return f"{title} {show(float(value), unit_of(info))}"
    if isinstance(value, dt.datetime):
        return f"{title} {value:%Y-%m-%d %H:%M}"
    if isinstance(value, str) and len(value) < 30:
        return f"{title} {value}"
    return f"changed {title}"


def _many(picked: list[Picked], place: Place) -> str:
    count = sum(len(p.times) for p in picked)
    whose = (
        find(place, picked[0].path)[2].title.lower() if len({p.path for p in picked}) == 1 else f"{len(picked)} values"
    )
    return f"{'a key' if count == 1 else f'{count} keys'} of {whose}"


def _each(draft: Place, picked: list[Picked], change: Callable[[Curve, list[float]], tuple[Curve | None, int]]) -> int:
    """Change the picked keys of each value; how many keys in their way were replaced."""
    replaced = 0
    for pick in picked:
        owner, name, info, curve = _channel(draft, pick.path)
        new, count = checked(change, str(info.title), curve, pick.times)
        replaced += count
        setattr(owner, name, _settled(curve, pick.times[0]) if new is None else new)
    return replaced


def _settled(curve: Curve, t: float) -> Any:
    """A channel's keyed value at a time, as a constant."""
    value = curve.table.at(t)[:, 0]
    if isinstance(curve, ColourChannel):
        return colour_of(value)
    if isinstance(curve, MomentChannel):
        return moment_of(value[0]).isoformat()
    return round(float(value[0]), 9)


def change(draft: Place, edit: Any) -> str | None:
    """Make one of these edits in a draft, and say its name; None if it is none of them.

    Raises
    ------
    PlaceError
        It does not fit the place.
    """
    match edit:
        case SetKey() | PlaceKey():
            return _set_key(draft, edit)
        case Raise():
            owner, name, info, curve = _channel(draft, edit.path)
            if not isinstance(curve, Channel):
                raise PlaceError(f"{info.title} cannot be moved up or down as a whole.")
            now = Motions(draft, _owned_shot(draft, edit.path)).value(edit.path, [edit.t])[0]
            if curve.blend == "ratio":
                factor = edit.value / max(float(now), 1e-12)
                new = checked(
                    lambda: key_edits.remade(
                        curve, [k.model_copy(update={"v": round(k.v * factor, 9)}) for k in curve.keys]
                    ),
                    str(info.title),
                )
            else:
                new = key_edits.remade(
                    curve, [k.model_copy(update={"v": round(k.v + edit.value - float(now), 9)}) for k in curve.keys]
                )
            setattr(owner, name, new)
            return f"whole curve: {named(edit.value, info)} at {edit.t:.2f} s"
        case Unkey():
            owner, name, info, curve = _channel(draft, edit.path)
            setattr(owner, name, _settled(curve, edit.t))
            return f"{info.title.lower()} no longer keyed"
        case ShiftKeys():
            over = _each(draft, edit.picked, lambda curve, times: key_edits.shifted(curve, times, edit.by, edit.rise))
            return f"moved {_many(edit.picked, draft)}" + (f" by {edit.by:+.2f} s" if edit.by else "") + _over(over)
        case StretchKeys():
            over = _each(
                draft, edit.picked, lambda curve, times: key_edits.stretched(curve, times, edit.about, edit.by)
            )
            return f"{_many(edit.picked, draft)} {edit.by:.3g} times as slow" + _over(over)
        case MirrorKeys():
            over = _each(draft, edit.picked, lambda curve, times: key_edits.mirrored(curve, times, edit.about))
            return f"turned {_many(edit.picked, draft)} round in time" + _over(over)
        case RemoveKeys():
            words = _many(edit.picked, draft)
            _each(draft, edit.picked, lambda curve, times: (key_edits.removed(curve, times), 0))
            return f"removed {words}"
        case JoinKeys():
            way = {k: v for k, v in edit.model_dump(exclude={"op", "picked"}).items() if v is not None}
            _each(draft, edit.picked, lambda curve, times: (key_edits.joined(curve, times, **way), 0))
            folded = [
                x for name in ("bezier", "handles") for x in (way.get(name) or (0, 0, 0, 0))[0::2] if not 0 <= x <= 1
            ]
            return f"{_many(edit.picked, draft)}: {JOIN_WORDS.get(way.get('join', ''), 'another way on')}" + (
                " (a handle folded back in time and was held)" if folded else ""
            )
        case CopyKeys():
            return _copy(draft, edit)
        case Beyond():
            owner, name, info, curve = _channel(draft, edit.path)
            rules = {k: v for k, v in edit.model_dump(exclude={"op", "path"}).items() if v is not None}
            setattr(owner, name, checked(lambda: key_edits.remade(curve, curve.keys, **rules), str(info.title)))
            return f"{info.title.lower()}: " + ", ".join(
                {
                    "before": f"before the first key {BEYOND_WORDS.get(v, v)}",
                    "after": f"after the last key {BEYOND_WORDS.get(v, v)}",
                }.get(k, f"blends by {'ratios' if v == 'ratio' else 'even steps'}")
                for k, v in rules.items()
            )
        case UseRecipe():
            return _cook(draft, edit)
        case SetTerm() | RemoveTerm():
            owner, name, info, curve = _channel(draft, edit.path)
            terms = list(getattr(curve, "terms", ()))
            if edit.index >= len(terms):
                raise PlaceError("That small motion is not there any more.")
            terms[edit.index : edit.index + 1] = [edit.term] if isinstance(edit, SetTerm) else []
            # a single key that only carried a motion leaves a constant behind
            bare = not terms and len(curve.keys) == 1
            setattr(owner, name, curve.keys[0].v if bare else key_edits.remade(curve, curve.keys, terms=tuple(terms)))
            return f"{info.title.lower()}: {'changed' if isinstance(edit, SetTerm) else 'removed'} a small motion"
        case Retime():
            return _retime(draft, shot_of(draft, edit.shot), edit.frames, edit.fps, edit.keep)
        case SetClock():
            shot = shot_of(draft, edit.shot)
            if edit.frames is not None and edit.frames != shot.frames:
                _retime(draft, shot, edit.frames, shot.fps, edit.keep)
            shot.clock.start, shot.clock.speed = edit.start.replace(tzinfo=None), edit.speed
            return f"{shot.name}: from {edit.start:%d %B %H:%M}, the day runs {edit.speed:.4g} times as fast"
        case SetSeam():
            shot = shot_of(draft, edit.shot)
            shot.seam, shot.seam_frames = edit.seam, edit.frames
            return (
                f"{shot.name}: "
                + {
                    "cut": "comes round as it is",
                    "cross-fade": f"fades over {edit.frames} frames where it comes round",
                    "mirror": "runs there and back",
                }[edit.seam]
            )
        case RepairSeam():
            return _repair(draft, edit)
    return None


JOIN_WORDS = {
    "step": "holds, then jumps",
    "steps": "in steps",
    "straight": "straight",
    "smooth": "smooth, never past its keys",
    "spline": "a round spline",
    "bezier": "eased by numbers",
    "free": "free handles",
    **{
        f"{family}_{side}": f"{word}, {how}"
        for family, word in (("quad", "eased gently"), ("cubic", "eased"), ("sine", "eased as a sine"))
        for side, how in (("in", "starting slowly"), ("out", "ending slowly"), ("both", "at both ends"))
    },
}
"""Each way from a key to the next, in plain words."""
TERM_WORDS = {
    "swing": "swings to and fro",
    "wander": "wanders",
    "flicker": "flickers",
    "pulse": "pulses",
    "follow": "follows another value",
}
BEYOND_WORDS = {
    "hold": "it holds",
    "straight_on": "it goes straight on",
    "cycle": "it comes round",
    "cycle_offset": "it comes round and goes on",
    "mirror": "it runs back and forth",
}


def _over(count: int) -> str:
    return f" (replacing {count} that stood there)" if count else ""


def _set_key(draft: Place, edit: SetKey | PlaceKey) -> str:
    owner, name, info = find(draft, edit.path)
    extra = keyable(info)
    old = getattr(owner, name)
    value = edit.value
    to = edit.to if isinstance(edit, PlaceKey) else edit.t
    if isinstance(edit, PlaceKey):
        curve = _channel(draft, edit.path)[3]
        curve, over = checked(lambda: key_edits.shifted(curve, [edit.t], edit.to - edit.t), str(info.title))
    else:
        curve, over = old if isinstance(old, Curve) else begun(info, old, edit.t), 0
    if isinstance(curve, Channel):
        if not isinstance(value, int | float):
            raise PlaceError(f"{info.title} is keyed by numbers, and {value!r} is none.")
        if extra.get("quantity") == "turn" and isinstance(edit, SetKey):
            before = [k for k in curve.keys if k.t < to - key_edits.NEAR]
            value = key_edits.nearest_turn(float(value), before[-1].v if before else float(value))
    new = checked(lambda: key_edits.set_key(curve, to, value, getattr(edit, "join", None)), str(info.title))
    setattr(owner, name, new)
    return f"key: {named(value, info)} at {to:.2f} s" + _over(over)


def _copy(draft: Place, edit: CopyKeys) -> str:
    if edit.onto is not None and len(edit.picked) > 1:
        raise PlaceError("Keys of several values cannot go into one: pick keys of a single value.")
    first = min(min(p.times) for p in edit.picked)
    replaced = 0
    for pick in edit.picked:
        _, _, source_info, source = _channel(draft, pick.path)
        onto = edit.onto or pick.path
        owner, name, info = find(draft, onto)
        keyable(info)
        if unit_of(info) != unit_of(source_info):
            raise PlaceError(
                f"{source_info.title} is in {unit_of(source_info) or 'plain numbers'} and {info.title} "
                f"in {unit_of(info) or 'plain numbers'}: keys go to values of the same kind."
            )
        at = edit.at + min(pick.times) - first
        old = getattr(owner, name)
        constant = not isinstance(old, Curve)
        target = begun(info, old, at) if constant else old
        new, over = checked(key_edits.copied, str(info.title), source, pick.times, target, at)
        replaced += 0 if constant else over
        setattr(owner, name, new)
    return (
        f"copied {_many(edit.picked, draft)} to {edit.at:.2f} s"
        + (f" of {told(draft, edit.onto).lower()}" if edit.onto else "")
        + _over(replaced)
    )


def _cook(draft: Place, edit: UseRecipe) -> str:
    owner, name, info = find(draft, edit.path)
    extra = keyable(info)
    old, shot, made = getattr(owner, name), shot_of(draft, edit.shot), edit.recipe
    if not isinstance(old, int | float | Channel) or isinstance(old, bool):
        raise PlaceError(f"{info.title} is no number: small motions are laid over numbers.")
    if isinstance(made, LaidOver) and isinstance(made.term, Follow):
        if made.term.path == edit.path:
            raise PlaceError("A value cannot follow itself: pick another.")
        leader = Motions(draft, shot).value(made.term.path, [0.0])[0]
        made = made.model_copy(update={"term": made.term.model_copy(update={"level": round(float(leader), 9)})})
    setattr(
        owner,
        name,
        checked(
            lambda: cook(old, made, shot.seconds, shot.seconds if shot.loop else None, extra.get("quantity") == "turn"),
            str(info.title),
        ),
    )
    if isinstance(made, Turning):
        words = f"turns {made.turns:g} times a clip"
    elif isinstance(made, LaidOver):
        words = (
            f"follows {told(draft, made.term.path).lower()}"
            if isinstance(made.term, Follow)
            else TERM_WORDS[made.term.kind]
        )
    else:
        words = "sways"
    return f"{info.title.lower()} {words}"


def _retime(draft: Place, shot: Shot, frames: int, fps: str, keep: str) -> str:
    old_rate, new_rate = RATES[shot.fps], rate(fps)
    before, after = shot.frames / old_rate, frames / new_rate
    factor = {"seconds": 1.0, "frames": float(old_rate / new_rate), "scale": float(after / before)}[keep]
    shot.frames, shot.fps = frames, fps
    if factor != 1.0:
        for mover in Motions(draft, shot).movers:
            if mover.path.startswith(f"/shots/{shot.id}/"):
                owner, name, _, curve = _channel(draft, mover.path)
                setattr(owner, name, key_edits.retimed(curve, lambda t: t * factor))
    kept = {"seconds": "keys keep their seconds", "frames": "keys keep their frames", "scale": "keys scale along"}[keep]
    return f"{shot.name}: {frames} frames at {fps}, {kept}"


def _repair(draft: Place, edit: RepairSeam) -> str:
    shot = shot_of(draft, edit.shot)
    owner, name, info, curve = _channel(draft, edit.path)
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
        now = _settled(curve, 0.0)
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
