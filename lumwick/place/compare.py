"""What is different between two states of a place, in plain words."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from pydantic import BaseModel

from lumwick.motion.channel import Curve
from lumwick.place.document import Place
from lumwick.place.edits import LISTED
from lumwick.place.edits.keys import BEYOND_WORDS
from lumwick.place.fields import Asset
from lumwick.place.paths import unit_of
from lumwick.place.quantities import show

CALLED = {
    **{name: what for name, (what, _) in LISTED.items()},
    "built": "built thing",
    "shots": "shot",
    "stations": "station",
}
"""What the members of each list are called."""


def _curve_said(value: Curve) -> str:
    keys, motions = len(value.keys), len(getattr(value, "terms", ()))
    small = f" and {motions} small motion{'s' if motions != 1 else ''}" if motions else ""
    return f"{keys} key{'s' if keys != 1 else ''}{small}"


def _several_said(value: Sequence[Any]) -> str:
    if value and not isinstance(value[0], int | float):
        return f"{len(value)} points"
    return ", ".join(f"{v:g}" for v in value)


_WORDS: tuple[tuple[Any, Callable[[Any], str]], ...] = (
    (type(None), lambda value: "none"),
    (bool, lambda value: "yes" if value else "no"),
    (dt.datetime, lambda value: f"{value:%Y-%m-%d %H:%M}"),
    (Asset, lambda value: str(value.name)),
    (Curve, _curve_said),
    ((list, tuple), _several_said),
    (str, lambda value: str(value) if value.startswith("#") else f"“{value}”"),
)
"""How values of each type are said; numbers have units, and are not among them."""


def _said(value: Any, unit: str) -> str:
    for types, words in _WORDS:
        if isinstance(value, types):
            return words(value)
    return show(float(value), unit) if isinstance(value, int | float) else str(value)


def _keys(before: Curve, after: Curve, unit: str) -> Iterator[str]:
    """What is different between two channels of one value."""
    old, new = {round(k.t, 6): k for k in before.keys}, {round(k.t, 6): k for k in after.keys}
    gone, come = sorted(old.keys() - new.keys()), sorted(new.keys() - old.keys())
    if len(gone) + len(come) > 4:
        yield f"{len(gone)} keys gone, {len(come)} new"
    else:
        yield from (f"no key at {t:.2f} s any more" for t in gone)
        yield from (f"new key {_said(new[t].v, unit)} at {t:.2f} s" for t in come)
    other = [t for t in sorted(old.keys() & new.keys()) if old[t].v != new[t].v]
    if len(other) > 4:
        yield f"{len(other)} keys have other values"
    else:
        yield from (f"at {t:.2f} s {_said(old[t].v, unit)} → {_said(new[t].v, unit)}" for t in other)
    ways = sum(
        old[t].model_copy(update={"v": 0}) != new[t].model_copy(update={"v": 0}) for t in old.keys() & new.keys()
    )
    if ways:
        yield f"{ways} key{'s go' if ways != 1 else ' goes'} on another way"
    if before.before != after.before:
        yield f"before the first key {BEYOND_WORDS[after.before]}"
    if before.after != after.after:
        yield f"after the last key {BEYOND_WORDS[after.after]}"
    if getattr(before, "terms", ()) != getattr(after, "terms", ()):
        yield "other small motions"


def _differ(before: BaseModel, after: BaseModel, whose: str) -> Iterator[str]:
    for name, info in type(after).model_fields.items():
        old, new = getattr(before, name), getattr(after, name)
        if old == new or name in ("format", "version"):
            continue
        if _plain_model(old) and _plain_model(new):
            yield from _differ(old, new, whose or (info.title or name).lower())
        elif isinstance(new, list) and any(hasattr(item, "id") for item in [*old, *new]):
            yield from _members(old, new, CALLED.get(name, name), whose)
        else:
            title = (info.title or name.replace("_", " ")).lower()
            yield from (f"{whose}: {text}" if whose else text for text in _changed(old, new, title, unit_of(info)))


def _plain_model(value: Any) -> bool:
    """Whether a value has fields of its own that are compared one by one."""
    return isinstance(value, BaseModel) and not isinstance(value, Asset | Curve)


def _changed(old: Any, new: Any, title: str, unit: str) -> Iterator[str]:
    """How one value changed."""
    if isinstance(old, Curve) and type(old) is type(new):
        yield from (f"{title}: {text}" for text in _keys(old, new, unit))
    elif isinstance(new, Curve):
        yield f"{title} {_said(old, unit)} → keyed, {_said(new, unit)}"
    elif isinstance(old, Curve):
        yield f"{title}, animation removed: {_said(new, unit)}"
    elif _plain_model(old if new is None else new):
        yield f"{title}: {'taken away' if new is None else 'given'}"
    else:
        yield f"{title} {_said(old, unit)} → {_said(new, unit)}"


def _members(before: list[Any], after: list[Any], called: str, whose: str) -> Iterator[str]:
    old, new = {item.id: item for item in before}, {item.id: item for item in after}
    prefix = f"{whose}: " if whose else ""

    def name(item: Any) -> str:
        return getattr(item, "name", "") or item.id

    yield from (f"{prefix}removed {called} {name(old[i])}" for i in old if i not in new)
    yield from (f"{prefix}added {called} {name(new[i])}" for i in new if i not in old)
    kept = [i for i in new if i in old]
    for i in kept:
        yield from _differ(old[i], new[i], f"{whose}, {name(new[i])}" if whose else name(new[i]))
    if [i for i in old if i in new] != kept:
        yield f"{prefix}the {called}s stand in another order"


def changes(before: Place, after: Place) -> list[str]:
    """Every difference from one state of a place to another, a short sentence each."""
    return list(_differ(before, after, ""))
