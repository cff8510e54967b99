"""Edits of single fields, and of the lists of stands, lamps, surfaces and models."""

from __future__ import annotations

from typing import Any, Literal

import shapely
from pydantic import BaseModel, Field, ValidationError

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Curve
from lumwick.motion.terms import Follow
from lumwick.place.document import Place
from lumwick.place.edits.base import Command, named
from lumwick.place.edits.keys import SetKey
from lumwick.place.fields import Id, Point2
from lumwick.place.files import explain
from lumwick.place.growing import Spot, Stand
from lumwick.place.instant import Motions
from lumwick.place.nature import DrawnBeach, FogBank, GroundWay, Ridge, Water
from lumwick.place.objects import Built, Dressed, Lamp, LampGroup, Surface, Thing
from lumwick.place.paths import find

AREA_AT_MOST = 400
"""Corners of a stand's area."""

ListName = Literal[
    "waters", "banks", "ridges", "beaches", "ways", "growth", "lamps", "surfaces", "things", "lamp_groups"
]
LISTED: dict[str, tuple[str, type[BaseModel]]] = {
    "waters": ("water", Water),
    "banks": ("bank of fog", FogBank),
    "ridges": ("far ridge", Ridge),
    "beaches": ("drawn beach", DrawnBeach),
    "ways": ("way", GroundWay),
    "growth": ("stand", Stand),
    "lamps": ("lamp", Lamp),
    "surfaces": ("surface", Surface),
    "things": ("model", Thing),
    "lamp_groups": ("group", LampGroup),
}
"""The lists that one adds to and takes from: what their members are called, and are."""


class SetValue(Command):
    """Set one field, or lay a constant over a channel."""

    op: Literal["set"]
    path: str
    value: Any

    def apply(self, draft: Place) -> str:
        owner, name, info = find(draft, self.path)
        if name in ("id", "format", "version"):
            raise PlaceError("An id cannot be changed.")
        setattr(owner, name, self.value)
        return named(self.value, info)


class Add(Command):
    """Add a stand, lamp, surface or model to its list."""

    op: Literal["add"]
    item: dict[str, Any]
    to: ListName

    def apply(self, draft: Place) -> str:
        what, model = LISTED[self.to]
        try:
            item: Any = model.model_validate(self.item)
        except ValidationError as error:
            raise PlaceError(f"This {what} cannot be added: {explain(error)}") from None
        getattr(draft, self.to).append(item)
        return f"added {what} {item.name}"


class Remove(Command):
    """Take something out of its list; what used a surface goes back to its own."""

    op: Literal["remove"]
    id: Id
    of: ListName

    def apply(self, draft: Place) -> str:
        kept = getattr(draft, self.of)
        gone = next((item for item in kept if item.id == self.id), None)
        if gone is None:
            raise PlaceError(f"That {LISTED[self.of][0]} is not there any more.")
        kept.remove(gone)
        if self.of == "surfaces":
            furnished: list[Built | Thing] = [*draft.built, *draft.things]
            for item in furnished:
                if item.surface == self.id:
                    item.surface = ""
            for thing in draft.things:
                thing.dressed = [
                    one.model_copy(update={"surface": ""}) if one.surface == self.id else one
                    for one in thing.dressed
                    if one.surface != self.id or one.hidden
                ]
        if self.of == "lamp_groups":
            for lamp in draft.lamps:
                lamp.group = "" if lamp.group == self.id else lamp.group
        for stand in draft.growth:
            stand.on = "" if stand.on == self.id and self.of == "things" else stand.on
        carried: list[Thing | Lamp] = [*draft.things, *draft.lamps]
        for one in carried:  # what it carried is told from the place again, and falls where it may
            if one.held == self.id:
                one.held = ""
        _let_go(draft, f"/{self.of}/{self.id}/")
        return f"removed {LISTED[self.of][0]} {gone.name}"


class SetPlant(Command):
    """Set one plant of a stand by hand; it is kept whatever becomes of the others."""

    op: Literal["set_plant"]
    stand: Id
    east: float
    north: float
    turn: float = Field(0.0, ge=-360, le=360)
    size: float = Field(1.0, ge=0.05, le=5)

    def apply(self, draft: Place) -> str:
        stand = next((item for item in draft.growth if item.id == self.stand), None)
        if stand is None:
            raise PlaceError("That stand is not there any more.")
        taken, k = {spot.id for spot in stand.singles}, 1
        while f"p{k}" in taken:
            k += 1
        spot = Spot(id=f"p{k}", east=round(self.east, 3), north=round(self.north, 3), turn=self.turn, size=self.size)
        stand.singles = [*stand.singles, spot]
        return f"{stand.name}: a plant set at {self.east:.1f}, {self.north:.1f}"


class BrushStand(Command):
    """Widen a stand's area by a stroke of a brush, or take it away there."""

    op: Literal["brush_stand"]
    stand: Id
    line: list[Point2] = Field(min_length=1, max_length=2000)
    width: float = Field(gt=0, le=5000)
    takes: bool = False

    def apply(self, draft: Place) -> str:
        stand = next((item for item in draft.growth if item.id == self.stand), None)
        if stand is None:
            raise PlaceError("That stand is not there any more.")
        if not stand.area:
            raise PlaceError(f"{stand.name} covers the whole place: draw a stand with an area, then brush it.")
        way = shapely.LineString(self.line) if len(self.line) > 1 else shapely.Point(self.line[0])
        stroke, area = way.buffer(self.width / 2, quad_segs=6), shapely.Polygon(stand.area).buffer(0)
        made = area.difference(stroke) if self.takes else area.union(stroke)
        if made.is_empty:
            raise PlaceError(f"Nothing would be left of {stand.name}: remove it instead.")
        if made.geom_type != "Polygon":
            raise PlaceError("A stand is one area: brush over its edge, so that it stays in one piece.")
        if made.interiors:
            raise PlaceError("A stand has no holes: begin the stroke outside it.")
        for coarse in (0.04, 0.1, 0.25, 0.6, 1.5):
            outline = made.simplify(coarse * self.width).exterior.coords[:-1]
            if len(outline) <= AREA_AT_MOST:
                break
        stand.area = [(round(float(x), 1), round(float(y), 1)) for x, y in outline[:AREA_AT_MOST]]
        return f"{stand.name}: {'less' if self.takes else 'more'} of it, {made.area / 1e4:.2f} ha"


class RemovePlant(Command):
    """Take one of a stand's plants that were set by hand away."""

    op: Literal["take_plant"]
    stand: Id
    id: Id

    def apply(self, draft: Place) -> str:
        stand = next((item for item in draft.growth if item.id == self.stand), None)
        if stand is None or all(spot.id != self.id for spot in stand.singles):
            raise PlaceError("That plant is not there any more.")
        stand.singles = [spot for spot in stand.singles if spot.id != self.id]
        return f"{stand.name}: a plant taken away"


class Dress(Command):
    """Show one of a model's own surfaces or parts otherwise: by a surface of the place, hidden, or as it is."""

    op: Literal["dress"]
    id: Id
    part: str
    of: Literal["surface", "part"] = "surface"
    surface: str = ""
    hidden: bool = False

    def apply(self, draft: Place) -> str:
        thing = next((item for item in draft.things if item.id == self.id), None)
        if thing is None:
            raise PlaceError("That model is not there any more.")
        given = next((item for item in draft.surfaces if item.id == self.surface), None)
        if self.surface and given is None:
            raise PlaceError("That surface is not there any more.")
        thing.dressed = [one for one in thing.dressed if (one.part, one.of) != (self.part, self.of)]
        if self.hidden or given is not None:
            thing.dressed.append(Dressed(part=self.part, of=self.of, surface=self.surface, hidden=self.hidden))
        how = "hidden" if self.hidden else (f"given {given.name}" if given else "as it is")
        return f"{thing.name}: {self.part} {how}"


class Move(Command):
    """Set a model or a lamp down elsewhere."""

    op: Literal["move"]
    of: Literal["lamps", "things"]
    id: Id
    east: float
    north: float
    t: float = 0.0

    def apply(self, draft: Place) -> str:
        moved = next((item for item in getattr(draft, self.of) if item.id == self.id), None)
        if moved is None:
            raise PlaceError(f"That {LISTED[self.of][0]} is not there any more.")
        for name, value in (("east", round(self.east, 3)), ("north", round(self.north, 3))):
            if isinstance(getattr(moved, name), Curve):  # what is keyed gets a key where the playhead stands
                SetKey(op="key", path=f"/{self.of}/{self.id}/{name}", t=self.t, value=value).apply(draft)
            else:
                setattr(moved, name, value)
        return f"moved {LISTED[self.of][0]} {moved.name}"


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


COMMANDS = (
    SetValue,
    Add,
    Remove,
    SetPlant,
    RemovePlant,
    BrushStand,
    Dress,
    Move,
)
