"""What is different between two states of a place, in plain words."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel

from lumwick.motion.channel import Curve
from lumwick.place.document import Asset, Place
from lumwick.place.edits import LISTED
from lumwick.place.edits.keys import BEYOND_WORDS
from lumwick.place.paths import unit_of
from lumwick.place.quantities import show

CALLED = {
    **{name: what for name, (what, _) in LISTED.items()},
    "built": "built thing",
    "shots": "shot",
    "stations": "station",
}
"""What the members of each list are called."""


def _said(value: Any, unit: str) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return show(float(value), unit)
    if isinstance(value, dt.datetime):
        return f"{value:%Y-%m-%d %H:%M}"
    if isinstance(value, Asset):
        return value.name
    if isinstance(value, Curve):
        motions = len(getattr(value, "terms", ()))
        return f"{len(value.keys)} key{'s' if len(value.keys) != 1 else ''}" + (
            f" and {motions} small motion{'s' if motions != 1 else ''}" if motions else ""
        )
    if isinstance(value, list | tuple):
        return (
            f"{len(value)} points"
            if value and not isinstance(value[0], int | float)
            else ", ".join(f"{v:g}" for v in value)
        )
    return f"“{value}”" if isinstance(value, str) and not value.startswith("#") else str(value)


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
    prefix = f"{whose}: " if whose else ""
    for name, info in type(after).model_fields.items():
        old, new = getattr(before, name), getattr(after, name)
        title, unit = (info.title or name.replace("_", " ")).lower(), unit_of(info)
        if old == new or name in ("format", "version"):
            continue
        if isinstance(old, Curve) and isinstance(new, Curve) and type(old) is type(new):
            yield from (f"{prefix}{title}: {text}" for text in _keys(old, new, unit))
        elif isinstance(new, Curve):
            yield f"{prefix}{title} {_said(old, unit)} → keyed, {_said(new, unit)}"
        elif isinstance(old, Curve):
            yield f"{prefix}{title}, animation removed: {_said(new, unit)}"
        elif isinstance(old, BaseModel) and isinstance(new, BaseModel) and not isinstance(new, Asset):
            yield from _differ(old, new, whose or (title if info.title else name))
        elif isinstance(new, list) and any(hasattr(item, "id") for item in [*old, *new]):
            yield from _members(old, new, CALLED.get(name, name), whose)
        elif (old is None) != (new is None) and isinstance(old or new, BaseModel) and not isinstance(old or new, Asset):
            yield f"{prefix}{title}: {'taken away' if new is None else 'given'}"
        else:
            yield f"{prefix}{title} {_said(old, unit)} → {_said(new, unit)}"


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
