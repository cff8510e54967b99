"""Edits: small typed commands that turn one revision of a place into the next, each named in plain words.

A path names one field of the document, like ``/shots/dawn/route/stations/s1/focal``; things in lists are
named by their ids.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, Union

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Curve
from lumwick.motion.terms import Follow
from lumwick.place import routing, timing
from lumwick.place.document import Air, Id, Lamp, Place, Shot, Stand, Station, Surface, Thing
from lumwick.place.files import explain, parse
from lumwick.place.instant import Motions
from lumwick.place.paths import find
from lumwick.place.routing import station_of
from lumwick.place.timing import Command, SetKey, named, shot_of


class SetValue(Command):
    """Set one field, or lay a constant over a channel."""

    op: Literal["set"]
    path: str
    value: Any


class MoveStation(Command):
    """Move a station; what it aims at moves along unless an aim is given."""

    op: Literal["move_station"]
    shot: Id
    station: Id
    east: float
    north: float
    up: float | None = None
    aim: tuple[float, float, float] | None = None


class AddStation(Command):
    op: Literal["add_station"]
    shot: Id
    station: Station
    index: int | None = None


class RemoveStation(Command):
    op: Literal["remove_station"]
    shot: Id
    station: Id


class Add(Command):
    """Add a stand, lamp, surface or model to its list."""

    op: Literal["add"]
    item: dict[str, Any]
    to: Literal["growth", "lamps", "surfaces", "things"]


class Remove(Command):
    """Take something out of its list; what used a surface goes back to its own."""

    op: Literal["remove"]
    id: Id
    of: Literal["growth", "lamps", "surfaces", "things"]


class AddShot(Command):
    op: Literal["add_shot"]
    shot: Shot


class Move(Command):
    """Set a model or a lamp down elsewhere."""

    op: Literal["move"]
    of: Literal["lamps", "things"]
    id: Id
    east: float
    north: float
    t: float = 0.0


class SetWhite(Command):
    """White balance by something grey: kelvin and tint at once."""

    op: Literal["white"]
    shot: Id
    kelvin: float
    tint: float


class OwnAir(Command):
    """Give a shot its own air, starting from the place's, or take it away."""

    op: Literal["own_air"]
    shot: Id
    own: bool


AnyCommand: Any = Annotated[
    Union[
        (
            *timing.COMMANDS,
            *routing.COMMANDS,
            SetValue,
            MoveStation,
            AddStation,
            RemoveStation,
            Add,
            Remove,
            AddShot,
            OwnAir,
            SetWhite,
            Move,
        )
    ],
    Field(discriminator="op"),
]
LISTED: dict[str, tuple[str, type[BaseModel]]] = {
    "growth": ("stand", Stand),
    "lamps": ("lamp", Lamp),
    "surfaces": ("surface", Surface),
    "things": ("model", Thing),
}
"""The lists that one adds to and takes from: what their members are called, and are."""
_ADAPTER: TypeAdapter[Any] = TypeAdapter(AnyCommand)


def command(data: Any) -> Any:
    """A command from plain JSON data.

    Raises
    ------
    PlaceError
        It is none.
    """
    try:
        return _ADAPTER.validate_python(data)
    except ValidationError as error:
        raise PlaceError(f"This edit cannot be made: {explain(error)}") from None


def apply(place: Place, edit: Any) -> tuple[Place, str]:
    """The place after an edit, checked whole, and the edit's name in plain words.

    Raises
    ------
    PlaceError
        The edit does not fit the place, or the place would not be sound after it; nothing is half-made.
    """
    draft = place.model_copy(deep=True)
    label = _change(draft, edit)
    return parse(draft.model_dump(mode="json", warnings=False)), label


def _change(draft: Place, edit: Any) -> str:
    for kind in (timing, routing):
        label = kind.change(draft, edit)
        if label is not None:
            return label
    match edit:
        case SetValue():
            owner, name, info = find(draft, edit.path)
            if name in ("id", "format", "version"):
                raise PlaceError("An id cannot be changed.")
            setattr(owner, name, edit.value)
            return named(edit.value, info)
        case MoveStation():
            shot = shot_of(draft, edit.shot)
            i, old_station = station_of(shot, edit.station)
            up = old_station.up if edit.up is None else edit.up
            shift = (edit.east - old_station.east, edit.north - old_station.north, up - old_station.up)
            aim = edit.aim or tuple(a + d for a, d in zip(old_station.aim, shift, strict=True))
            moved = edit.aim is None or any(abs(d) > 1e-6 for d in shift)
            shot.route.stations[i] = old_station.model_copy(
                update={"east": edit.east, "north": edit.north, "up": up, "aim": aim}
            )
            return f"{'moved' if moved else 'aimed'} station {i + 1}"
        case AddStation():
            shot = shot_of(draft, edit.shot)
            index = (
                len(shot.route.stations) if edit.index is None else max(0, min(edit.index, len(shot.route.stations)))
            )
            shot.route.stations.insert(index, edit.station)
            return f"set station {index + 1}"
        case RemoveStation():
            shot = shot_of(draft, edit.shot)
            i, _ = station_of(shot, edit.station)
            del shot.route.stations[i]
            return f"removed station {i + 1}"
        case Add():
            what, model = LISTED[edit.to]
            try:
                item = model.model_validate(edit.item)
            except ValidationError as error:
                raise PlaceError(f"This {what} cannot be added: {explain(error)}") from None
            getattr(draft, edit.to).append(item)
            return f"added {what} {item.name}"
        case Remove():
            kept = getattr(draft, edit.of)
            gone = next((item for item in kept if item.id == edit.id), None)
            if gone is None:
                raise PlaceError(f"That {LISTED[edit.of][0]} is not there any more.")
            kept.remove(gone)
            if edit.of == "surfaces":
                for item in [*draft.built, *draft.things]:
                    if item.surface == edit.id:
                        item.surface = ""
            _let_go(draft, f"/{edit.of}/{edit.id}/")
            return f"removed {LISTED[edit.of][0]} {gone.name}"
        case AddShot():
            draft.shots.append(edit.shot)
            return f"added shot {edit.shot.name}"
        case Move():
            moved = next((item for item in getattr(draft, edit.of) if item.id == edit.id), None)
            if moved is None:
                raise PlaceError(f"That {LISTED[edit.of][0]} is not there any more.")
            for name, value in (("east", round(edit.east, 3)), ("north", round(edit.north, 3))):
                if isinstance(getattr(moved, name), Curve):  # what is keyed gets a key where the playhead stands
                    timing.change(draft, SetKey(op="key", path=f"/{edit.of}/{edit.id}/{name}", t=edit.t, value=value))
                else:
                    setattr(moved, name, value)
            return f"moved {LISTED[edit.of][0]} {moved.name}"
        case SetWhite():
            shot = shot_of(draft, edit.shot)
            shot.exposure.kelvin, shot.develop.tint = round(edit.kelvin), round(edit.tint, 1)
            return f"white from a grey: {edit.kelvin:.0f} K, tint {edit.tint:.1f}"
        case OwnAir():
            shot = shot_of(draft, edit.shot)
            shot.air = Air.model_validate(draft.air.model_dump()) if edit.own else None
            return f"{shot.name}: {'air of its own' if edit.own else 'air of the place'}"
    raise PlaceError("This edit is not known.")


def _let_go(draft: Place, gone: str) -> None:
    """What followed a value that is gone follows nothing."""
    for shot in draft.shots:
        for mover in Motions(draft, shot).movers:
            curve = mover.curve
            if isinstance(curve, Channel) and any(
                isinstance(term, Follow) and term.path.startswith(gone) for term in curve.terms
            ):
                owner, name, _ = find(draft, mover.path)
                setattr(
                    owner,
                    name,
                    curve.model_copy(
                        update={
                            "terms": tuple(
                                term
                                for term in curve.terms
                                if not (isinstance(term, Follow) and term.path.startswith(gone))
                            )
                        }
                    ),
                )
