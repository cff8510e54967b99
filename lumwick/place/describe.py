"""What may be set on a thing of a place: its fields with titles, units, ranges and help, for the slip."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, at
from lumwick.motion.timebase import RATES
from lumwick.place.document import Asset, Place, Shot
from lumwick.place.edit import find, unit_of
from lumwick.place.quantities import read, show


@dataclass(frozen=True)
class FieldView:
    """One field as the slip shows it."""

    path: str
    title: str
    unit: str
    help: str
    kind: str  # number, switch, choice, text, moment, colour, file
    shown: str
    value: Any
    low: float | None = None
    high: float | None = None
    step: float = 0.0
    animatable: bool = False
    keyed: bool = False
    choices: tuple[str, ...] = ()


def fields(model: BaseModel, prefix: str, t: float = 0.0, only: tuple[str, ...] = ()) -> list[FieldView]:
    """The settable fields of a thing, at clip time ``t``, in the order of ``only`` or of the document."""
    names = only or tuple(type(model).model_fields)
    return [view for name in names if (view := _view(model, name, prefix, t)) is not None]


def _view(model: BaseModel, name: str, prefix: str, t: float) -> FieldView | None:
    info = type(model).model_fields[name]
    value = getattr(model, name)
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
    common: dict[str, Any] = {"path": f"{prefix}/{name}", "title": info.title or name, "unit": unit_of(info), "help": info.description or ""}
    if name == "id" or info.title is None:
        return None
    if isinstance(value, Asset) or (value is None and "Asset" in str(info.annotation)):
        return FieldView(**common, kind="file", shown=value.name if value else "", value=value and value.name)
    if value is None:
        return None
    if isinstance(value, bool):
        return FieldView(**common, kind="switch", shown="yes" if value else "no", value=value)
    if isinstance(value, int | float | Channel):
        low, high = extra.get("low"), extra.get("high")
        now = at(value, t) if isinstance(value, Channel) else float(value)
        return FieldView(**common, kind="number", shown=show(now, common["unit"]), value=now, low=None if low is None else float(low), high=None if high is None else float(high),  # type: ignore[arg-type]
                         step=_step(now), animatable=bool(extra.get("animatable")), keyed=isinstance(value, Channel))
    if isinstance(value, dt.datetime):
        return FieldView(**common, kind="moment", shown=f"{value:%Y-%m-%d %H:%M}", value=value)
    if name == "fps":
        return FieldView(**common, kind="choice", shown=value, value=value, choices=tuple(RATES))
    if get_origin(info.annotation) is Literal:
        return FieldView(**common, kind="choice", shown=value, value=value, choices=tuple(get_args(info.annotation)))
    if isinstance(value, str) and len(value) == 7 and value.startswith("#"):
        return FieldView(**common, kind="colour", shown=value, value=value)
    if isinstance(value, str):
        return FieldView(**common, kind="text", shown=value, value=value)
    return None


def _step(value: float) -> float:
    size = abs(value)
    for most, step in ((0.5, 0.01), (5, 0.1), (50, 1), (500, 10), (5000, 100)):
        if size <= most:
            return step
    return 1000.0


def typed(place: Place, path: str, text: str) -> Any:
    """What somebody typed into a field, as the field's own kind of value.

    Raises
    ------
    PlaceError
        It does not fit; the text says what would.
    """
    owner, name, info = find(place, path)
    value = getattr(owner, name)
    title = info.title or "This value"
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
    if isinstance(value, bool):
        return text in ("yes", "true", "on", "1")
    if isinstance(value, int) and not extra:
        number = read(text, "", title)
        if number != int(number):
            raise PlaceError(f"{title} is a whole number, and {text.strip()!r} is none.")
        return int(number)
    if isinstance(value, int | float | Channel):
        number = read(text, unit_of(info), title)
        if "low" in extra and not float(extra["low"]) <= number <= float(extra["high"]):  # type: ignore[arg-type]
            raise PlaceError(f"{title} lies from {show(float(extra['low']), unit_of(info))} to {show(float(extra['high']), unit_of(info))}: {text.strip()!r} is outside.")  # type: ignore[arg-type]
        return number
    if isinstance(value, dt.datetime):
        return moment(text, value)
    return text.strip()


def moment(text: str, before: dt.datetime) -> str:
    """A date and hour, or an hour alone (``17:20``) on the date there was."""
    text = text.strip()
    try:
        if len(text) <= 5 and ":" in text:
            hour, minute = text.split(":")
            return before.replace(hour=int(hour), minute=int(minute), second=0).isoformat()
        return dt.datetime.fromisoformat(text).replace(tzinfo=None).isoformat()
    except ValueError:
        raise PlaceError(f"A date and hour are written like 2026-06-05 17:20, or 17:20 alone, not {text!r}.") from None


def channels(place: Place, shot: Shot) -> list[tuple[str, str, Channel]]:
    """All that is animated in a shot: path, title and channel, the shot's own first, then the place's."""
    found: list[tuple[str, str, Channel]] = []

    def walk(model: BaseModel, prefix: str, skip: tuple[str, ...] = ()) -> None:
        for name, info in type(model).model_fields.items():
            value = getattr(model, name)
            if name in skip:
                continue
            if isinstance(value, Channel):
                found.append((f"{prefix}/{name}", info.title or name, value))
            elif isinstance(value, BaseModel):
                walk(value, f"{prefix}/{name}")
            elif isinstance(value, list):
                for item in value:
                    if isinstance(item, BaseModel) and hasattr(item, "id"):
                        walk(item, f"{prefix}/{name}/{item.id}")

    walk(shot, f"/shots/{shot.id}")
    walk(place, "", ("shots", *(name for name in ("air", "wind") if getattr(shot, name) is not None)))
    return found
