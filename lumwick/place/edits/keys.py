"""Edits of keys, and of what lies beyond them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from lumwick.errors import PlaceError
from lumwick.motion import keys as key_edits
from lumwick.motion.channel import Channel, ColourChannel, Curve, Join, MomentChannel, colour_of, moment_of
from lumwick.place.document import Place, Shot
from lumwick.place.edits.base import Command, begun, checked, keyable, named, shot_of
from lumwick.place.instant import Motions
from lumwick.place.paths import find, unit_of, value_name

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
BEYOND_WORDS = {
    "hold": "it holds",
    "straight_on": "it goes straight on",
    "cycle": "it comes round",
    "cycle_offset": "it comes round and goes on",
    "mirror": "it runs back and forth",
}


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

    def apply(self, draft: Place) -> str:
        owner, name, info = find(draft, self.path)
        extra, old, value = keyable(info), getattr(owner, name), self.value
        curve = old if isinstance(old, Curve) else begun(info, old, self.t)
        _check_number(curve, value, str(info.title))
        if isinstance(curve, Channel) and extra.get("quantity") == "turn":
            before = [k for k in curve.keys if k.t < self.t - key_edits.NEAR]
            value = key_edits.nearest_turn(float(value), before[-1].v if before else float(value))
        return _put(draft, self.path, curve, self.t, value, self.join)


class Raise(Command):
    """Move a whole curve up or down, as much as its value at one time changes."""

    op: Literal["raise"]
    path: str
    t: float
    value: float

    def apply(self, draft: Place) -> str:
        owner, name, info, curve = channel_at(draft, self.path)
        if not isinstance(curve, Channel):
            raise PlaceError(f"{info.title} cannot be moved up or down as a whole.")
        now = Motions(draft, _owned_shot(draft, self.path)).value(self.path, [self.t])[0]
        ratio = curve.blend == "ratio"
        by = self.value / max(float(now), 1e-12) if ratio else self.value - float(now)
        raised = [k.model_copy(update={"v": round(k.v * by if ratio else k.v + by, 9)}) for k in curve.keys]
        new = checked(lambda: key_edits.remade(curve, raised), str(info.title))
        setattr(owner, name, new)
        return f"whole curve: {named(self.value, info)} at {self.t:.2f} s"


class Unkey(Command):
    """Make a channel a constant: what it is at one time."""

    op: Literal["unkey"]
    path: str
    t: float = 0.0

    def apply(self, draft: Place) -> str:
        owner, name, info, curve = channel_at(draft, self.path)
        setattr(owner, name, settled(curve, self.t))
        return f"{info.title.lower()} animation removed"


class PlaceKey(Command):
    """Type one key's exact time and value."""

    op: Literal["place_key"]
    path: str
    t: float
    to: float
    value: Any

    def apply(self, draft: Place) -> str:
        _, _, info, old = channel_at(draft, self.path)
        _check_number(old, self.value, str(info.title))
        curve, over = checked(lambda: key_edits.shifted(old, [self.t], self.to - self.t), str(info.title))
        return _put(draft, self.path, curve, self.to, self.value) + _over(over)


class ShiftKeys(Command):
    """Move keys in time, and numbers in value."""

    op: Literal["shift_keys"]
    picked: list[Picked] = Field(min_length=1)
    by: float = 0.0
    rise: float = 0.0

    def apply(self, draft: Place) -> str:
        over = _each(draft, self.picked, lambda curve, times: key_edits.shifted(curve, times, self.by, self.rise))
        return f"moved {_many(self.picked, draft)}" + (f" by {self.by:+.2f} s" if self.by else "") + _over(over)


class StretchKeys(Command):
    """Spread keys about a time (slower) or draw them together (faster)."""

    op: Literal["stretch_keys"]
    picked: list[Picked] = Field(min_length=1)
    about: float
    by: float

    def apply(self, draft: Place) -> str:
        over = _each(draft, self.picked, lambda curve, times: key_edits.stretched(curve, times, self.about, self.by))
        return f"{_many(self.picked, draft)} {self.by:.3g} times as slow" + _over(over)


class MirrorKeys(Command):
    """Turn keys round in time."""

    op: Literal["mirror_keys"]
    picked: list[Picked] = Field(min_length=1)
    about: float | None = None

    def apply(self, draft: Place) -> str:
        over = _each(draft, self.picked, lambda curve, times: key_edits.mirrored(curve, times, self.about))
        return f"reversed {_many(self.picked, draft)} in time" + _over(over)


class RemoveKeys(Command):
    """Take keys away; a value without any is a constant again."""

    op: Literal["remove_keys"]
    picked: list[Picked] = Field(min_length=1)

    def apply(self, draft: Place) -> str:
        words = _many(self.picked, draft)
        _each(draft, self.picked, lambda curve, times: (key_edits.removed(curve, times), 0))
        return f"removed {words}"


class JoinKeys(Command):
    """Choose how keys go on to the next."""

    op: Literal["join_keys"]
    picked: list[Picked] = Field(min_length=1)
    join: Join | None = None
    bezier: tuple[float, float, float, float] | None = None
    handles: tuple[float, float, float, float] | None = None
    steps: int | None = None
    jump: Literal["end", "start", "none", "both"] | None = None

    def apply(self, draft: Place) -> str:
        way = {k: v for k, v in self.model_dump(exclude={"op", "picked"}).items() if v is not None}
        _each(draft, self.picked, lambda curve, times: (key_edits.joined(curve, times, **way), 0))
        folded = [x for name in ("bezier", "handles") for x in (way.get(name) or (0, 0, 0, 0))[0::2] if not 0 <= x <= 1]
        return f"{_many(self.picked, draft)}: {JOIN_WORDS.get(way.get('join', ''), 'another way on')}" + (
            " (a handle folded back in time and was held)" if folded else ""
        )


class CopyKeys(Command):
    """Set copies of keys, the first at a time; into their own channels, or into another value of the same kind."""

    op: Literal["copy_keys"]
    picked: list[Picked] = Field(min_length=1)
    at: float
    onto: str | None = None

    def apply(self, draft: Place) -> str:
        if self.onto is not None and len(self.picked) > 1:
            raise PlaceError("Keys of several values cannot go into one: pick keys of a single value.")
        first = min(min(p.times) for p in self.picked)
        replaced = 0
        for pick in self.picked:
            _, _, source_info, source = channel_at(draft, pick.path)
            onto = self.onto or pick.path
            owner, name, info = find(draft, onto)
            keyable(info)
            if unit_of(info) != unit_of(source_info):
                raise PlaceError(
                    f"{source_info.title} is in {unit_of(source_info) or 'plain numbers'} and {info.title} "
                    f"in {unit_of(info) or 'plain numbers'}: keys go to values of the same kind."
                )
            at = self.at + min(pick.times) - first
            old = getattr(owner, name)
            constant = not isinstance(old, Curve)
            target = begun(info, old, at) if constant else old
            new, over = checked(key_edits.copied, str(info.title), source, pick.times, target, at)
            replaced += 0 if constant else over
            setattr(owner, name, new)
        return (
            f"copied {_many(self.picked, draft)} to {self.at:.2f} s"
            + (f" of {value_name(draft, self.onto).lower()}" if self.onto else "")
            + _over(replaced)
        )


class Beyond(Command):
    """What holds before the first key and after the last, and how values blend."""

    op: Literal["beyond"]
    path: str
    before: Literal["hold", "straight_on", "cycle", "cycle_offset", "mirror"] | None = None
    after: Literal["hold", "straight_on", "cycle", "cycle_offset", "mirror"] | None = None
    blend: Literal["even", "ratio"] | None = None

    def apply(self, draft: Place) -> str:
        owner, name, info, curve = channel_at(draft, self.path)
        rules = {k: v for k, v in self.model_dump(exclude={"op", "path"}).items() if v is not None}
        setattr(owner, name, checked(lambda: key_edits.remade(curve, curve.keys, **rules), str(info.title)))
        return f"{info.title.lower()}: " + ", ".join(
            {
                "before": f"before the first key {BEYOND_WORDS.get(v, v)}",
                "after": f"after the last key {BEYOND_WORDS.get(v, v)}",
            }.get(k, f"blends by {'ratios' if v == 'ratio' else 'even steps'}")
            for k, v in rules.items()
        )


def _owned_shot(place: Place, path: str) -> Shot:
    """The shot in whose time a value is asked for: its own, or the place's first."""
    parts = [p for p in path.split("/") if p]
    return shot_of(place, parts[1]) if len(parts) > 1 and parts[0] == "shots" else place.shots[0]


def channel_at(place: Place, path: str) -> tuple[Any, str, Any, Any]:
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
        owner, name, info, curve = channel_at(draft, pick.path)
        new, count = checked(change, str(info.title), curve, pick.times)
        replaced += count
        setattr(owner, name, settled(curve, pick.times[0]) if new is None else new)
    return replaced


def settled(curve: Curve, t: float) -> Any:
    """A channel's keyed value at a time, as a constant."""
    value = curve.table.at(t)[:, 0]
    if isinstance(curve, ColourChannel):
        return colour_of(value)
    if isinstance(curve, MomentChannel):
        return moment_of(value[0]).isoformat()
    return round(float(value[0]), 9)


def _over(count: int) -> str:
    return f" (replacing {count} that stood there)" if count else ""


def _put(draft: Place, path: str, curve: Curve, t: float, value: Any, join: Join | None = None) -> str:
    """Set a key of a value that is laid out as ``curve``; what was done, in words."""
    owner, name, info = find(draft, path)
    setattr(owner, name, checked(lambda: key_edits.set_key(curve, t, value, join), str(info.title)))
    return f"key: {named(value, info)} at {t:.2f} s"


def _check_number(curve: Curve, value: Any, title: str) -> None:
    if isinstance(curve, Channel) and not isinstance(value, int | float):
        raise PlaceError(f"{title} is keyed by numbers, and {value!r} is none.")


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
)
