"""What may be set on a thing of a place: its fields with titles, units, ranges and help, for the slip."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel

from lumwick.errors import PlaceError
from lumwick.lens.lens import FULL_FRAME_MM, Lens
from lumwick.motion.channel import ZONE, Channel, Curve, MomentChannel
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.instant import Motions
from lumwick.place.paths import described, find, unit_of, value_name
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
    choices: tuple[tuple[str, str], ...] = ()
    """Values that may be chosen, each with what it is called."""
    optional: bool = False
    """Whether it may be left out: then the shot's own holds."""


def whole_at(place: Place, shot: Shot, t: float) -> Place:
    """The place with one shot at clip time ``t`` [s]: constants alone."""
    motions = Motions(place, shot)
    still, now = motions.at(t)
    return still.model_copy(update={"shots": [now if s.id == shot.id else s for s in still.shots]})


def fields(model: BaseModel, prefix: str, now: Place, only: tuple[str, ...] = ()) -> list[FieldView]:
    """The settable fields of a thing, in the order of ``only`` or of the document.

    Parameters
    ----------
    now : Place
        The place at the playhead (`whole_at`): what is keyed shows its value there.
    """
    names = only or tuple(type(model).model_fields)
    return [view for name in names if (view := _view(model, name, prefix, now)) is not None]


def _view(model: BaseModel, name: str, prefix: str, now: Place) -> FieldView | None:
    info = type(model).model_fields[name]
    if name == "id" or info.title is None:
        return None
    value, keyed = getattr(model, name), isinstance(getattr(model, name), Curve)
    if keyed:
        owner, _, _ = find(now, f"{prefix}/{name}")
        value = getattr(owner, name)
    own = _of_value(value, info)
    if own is None:
        return None
    return FieldView(
        path=f"{prefix}/{name}",
        title=info.title,
        unit=unit_of(info),
        help=info.description or "",
        keyed=keyed,
        animatable=bool(described(info).get("animatable")),
        **{"value": value, "shown": str(value), **own},
    )


def _step(value: float) -> float:
    size = abs(value)
    for most, step in ((0.5, 0.01), (5, 0.1), (50, 1), (500, 10), (5000, 100)):
        if size <= most:
            return step
    return 1000.0


def _of_value(value: Any, info: Any) -> dict[str, Any] | None:
    """What a field's view says of its kind of value; None for what the slip does not show."""
    extra = described(info)
    if isinstance(value, Asset) or (value is None and "Asset" in str(info.annotation)):
        return {"kind": "file", "shown": value.name if value else "", "value": value and value.name}
    if value is None:
        return _left_out(extra) if extra.get("optional") else None
    if isinstance(value, bool):
        return {"kind": "switch", "shown": "yes" if value else "no"}
    if isinstance(value, int | float):
        return _number(float(value), extra)
    if isinstance(value, dt.datetime):
        return {"kind": "moment", "shown": f"{value:%Y-%m-%d %H:%M}"}
    choices = get_args(info.annotation) if get_origin(info.annotation) is Literal else extra.get("enum")
    if choices:
        said = extra.get("said", {})
        return {"kind": "choice", "choices": tuple((str(one), said.get(one, str(one))) for one in choices)}
    if isinstance(value, str):
        return {"kind": "colour" if len(value) == 7 and value.startswith("#") else "text"}
    return None


def _left_out(extra: dict[str, Any]) -> dict[str, Any]:
    low, high = float(extra["low"]), float(extra["high"])
    return {
        "kind": "number",
        "shown": "",
        "value": min(max(0.0, low), high),
        "low": low,
        "high": high,
        "step": 1.0,
        "optional": True,
    }


def _number(value: float, extra: dict[str, Any]) -> dict[str, Any]:
    return {
        "kind": "number",
        "shown": show(value, str(extra.get("unit", ""))),
        "value": value,
        **{end: float(extra[end]) for end in ("low", "high") if extra.get(end) is not None},
        "step": _step(value),
        "optional": bool(extra.get("optional")),
    }


def typed(place: Place, path: str, text: str, now: dt.datetime | None = None) -> Any:
    """What somebody typed into a field, as the field's own kind of value.

    Parameters
    ----------
    now : datetime
        What a keyed date says at the playhead, for an hour that is typed alone.

    Raises
    ------
    PlaceError
        It does not fit; the text says what would.
    """
    owner, name, info = find(place, path)
    value, extra = getattr(owner, name), described(info)
    title = info.title or "This value"
    if isinstance(value, bool):
        return text in ("yes", "true", "on", "1")
    if isinstance(value, int) and not extra:
        number = read(text, "", title)
        if number != int(number):
            raise PlaceError(f"{title} is a whole number, and {text.strip()!r} is none.")
        return int(number)
    if extra.get("optional") and text.strip().lower() in ("", "-", "none", "as the shot"):
        return None
    if isinstance(value, int | float | Channel) or extra.get("optional"):
        return _typed_number(place, path, text, info)
    if isinstance(value, MomentChannel):
        return moment(text, now or value.keys[0].v)
    if isinstance(value, dt.datetime):
        return moment(text, value)
    return text.strip()


def _typed_number(place: Place, path: str, text: str, info: Any) -> float:
    """A number within its field's range; a focal length may be typed as an angle of view."""
    extra, unit, title = described(info), unit_of(info), info.title or "This value"
    if extra.get("quantity") == "focal" and text.strip().rstrip(".").lower().endswith(("°", "deg")):
        number = _focal_of_angle(text, _sensor_of(place, path))
    else:
        number = read(text, unit, title)
    if "low" not in extra:
        return number
    owner, name, _ = find(place, path)
    goes_on = extra.get("quantity") == "turn" and isinstance(getattr(owner, name), Channel)  # past 360
    low, high = float(extra["low"]), float(extra["high"])
    if not goes_on and not low <= number <= high:
        raise PlaceError(f"{title} lies from {show(low, unit)} to {show(high, unit)}: {text.strip()!r} is outside.")
    return number


def _sensor_of(place: Place, path: str) -> float:
    """Width [mm] of the sensor behind the lens that a path names: its shot's."""
    parts = path.split("/")
    return place.shot(parts[2]).exposure.sensor if parts[1] == "shots" else FULL_FRAME_MM


def _focal_of_angle(text: str, sensor_mm: float) -> float:
    """Focal length [mm] that gives an angle of view, typed in degrees, across a sensor."""
    angle = read(text, "°", "The angle of view")
    if not 1 <= angle <= 155:
        raise PlaceError(f"An angle of view lies from 1° to 155°: {text.strip()!r} is outside.")
    return float(round(Lens.of_angle(angle, sensor_mm).focal_mm, 3))


def moment(text: str, before: dt.datetime) -> str:
    """A date and hour, or an hour alone (``17:20``) on the date there was."""
    text = text.strip()
    try:
        if len(text) <= 5 and ":" in text:
            hour, minute = text.split(":")
            return before.replace(hour=int(hour), minute=int(minute), second=0).isoformat()
        told = dt.datetime.fromisoformat(text)
    except ValueError:
        raise PlaceError(f"A date and hour are written like 2026-06-05 17:20, or 17:20 alone, not {text!r}.") from None
    if told.tzinfo is not None:
        raise PlaceError(f"{text} brings a time zone: {ZONE}.")
    return told.isoformat()


def numbers(place: Place, shot: Shot) -> list[dict[str, Any]]:
    """Every number of a shot and its place that can move: path, name, unit, value at the clip's start, and whether it
    is an angle, a light, keyed."""
    now = whole_at(place, shot, 0.0)
    hidden = {name for name in ("air", "wind") if getattr(shot, name) is not None}
    found: list[dict[str, Any]] = []

    def walk(model: BaseModel, still: Any, prefix: str) -> None:
        for name, info in type(model).model_fields.items():
            value, path, extra = getattr(model, name), f"{prefix}/{name}", described(info)
            if not prefix and (name == "shots" or name in hidden):
                continue
            if extra.get("animatable") and isinstance(getattr(still, name), int | float):
                found.append(
                    {
                        "path": path,
                        "name": value_name(place, path),
                        "unit": extra.get("unit", ""),
                        "value": float(getattr(still, name)),
                        "turn": extra.get("quantity") == "turn",
                        "light": extra.get("unit") in ("lx", "cd/m²") or name == "amount",
                        "keyed": isinstance(value, Curve),
                    }
                )
            elif isinstance(value, BaseModel) and not isinstance(value, Curve):
                walk(value, getattr(still, name), path)
            elif isinstance(value, list):
                for item, its in zip(value, getattr(still, name), strict=True):
                    if isinstance(item, BaseModel) and hasattr(item, "id"):
                        walk(item, its, f"{path}/{item.id}")

    walk(shot, next(s for s in now.shots if s.id == shot.id), f"/shots/{shot.id}")
    walk(place, now, "")
    return found
