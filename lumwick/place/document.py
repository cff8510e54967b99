"""The place document: everything a place is, typed, with units, ranges and a version.

Titles, units, ranges and sentences of help stand beside each field, and are what the slip in the browser,
the command line and the published JSON Schema say about it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from pydantic import BaseModel, Field, field_validator, model_validator

from lumwick.errors import NoSuchShot
from lumwick.motion.channel import Channel
from lumwick.motion.timebase import RATES
from lumwick.place.carrying import check_carried, check_stood_on
from lumwick.place.fields import TURNS_AT_MOST, Id, Model
from lumwick.place.filming import Clock, Develop, Exposure, Route
from lumwick.place.growing import Stand
from lumwick.place.nature import Air, DrawnBeach, FogBank, GroundWay, Land, Ridge, Sea, Site, Surround, Water, Wind
from lumwick.place.objects import Built, Lamp, LampGroup, SunGobo, Surface, Thing

VERSION = 4
FORMAT = "lumwick-place"


def known_rate(value: str) -> str:
    """A frame rate in use.

    Raises
    ------
    ValueError
        It is none.
    """
    if value not in RATES:
        raise ValueError(f"{value!r} is not a frame rate in use: choose one of {', '.join(RATES)}")
    return value


class Shot(Model):
    """A length of film: its frames, clock, camera route and exposure."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    frames: int = Field(96, title="Frames", ge=1, le=20000)
    fps: str = Field("24", title="Rate", json_schema_extra={"enum": [*RATES]})
    loop: bool = Field(False, title="Loop", description="Wind and waves close exactly after the last frame.")
    seam: Literal["cut", "cross-fade", "mirror"] = Field(
        "cut",
        title="Seam",
        description=(
            "How a clip that loops comes round: as it is, by fading the last "
            "frames into what came before the first, or there and back."
        ),
    )
    seam_frames: int = Field(12, title="Fades over", ge=2, le=2000, description="Frames of the cross-fade.")
    clock: Clock = Field(default_factory=Clock)
    route: Route = Field(default_factory=Route)
    exposure: Exposure = Field(default_factory=Exposure)
    develop: Develop = Field(default_factory=Develop)
    as_film: bool = Field(
        False, title="Develops as the film", description="By the settings of the whole film instead of the shot's own."
    )
    air: Air | None = Field(None, title="Own air", description="Haze and fog of this shot; else the place's.")
    wind: Wind | None = Field(None, title="Own wind", description="Wind of this shot; else the place's.")

    @field_validator("fps")
    @classmethod
    def _known_rate(cls, value: str) -> str:
        return known_rate(value)

    @property
    def seconds(self) -> float:
        """Length of the clip [s]."""
        return float(self.frames / RATES[self.fps])

    @property
    def closes_over(self) -> float | None:
        """Length [s] that its wind, its waves and its small motions close over, if they do."""
        return self.seconds if self.loop and self.seam != "mirror" else None

    def at_rate(self, fps: str) -> Shot:
        """The same shot at another frame rate: it keeps its length, to the nearest frame.

        Raises
        ------
        ValueError
            The rate is not one in use.
        """
        if not fps or fps == self.fps:
            return self
        known = known_rate(fps)
        return self.model_copy(
            update={"fps": known, "frames": max(1, round(self.frames * RATES[known] / RATES[self.fps]))}
        )


class Piece(Model):
    """A shot, or a part of one, in its turn in the film."""

    id: Id
    shot: Id = Field(title="Shot")
    first: int = Field(1, title="From frame", ge=1, le=20000)
    last: int = Field(0, title="To frame", ge=0, le=20000, description="0 is the shot's last.")
    join: Literal["cut", "dissolve", "fade"] = Field(
        "cut",
        title="To the next",
        description="A hard cut; a dissolve, in which both are seen; or a fade, out to black and in again.",
    )
    over: int = Field(12, title="Over", ge=2, le=480, description="Frames of the dissolve or the fade.")


class Cut(Model):
    """The film: shots in their order, and what joins them."""

    fps: str = Field("24", title="Rate", json_schema_extra={"enum": [*RATES]})
    pieces: list[Piece] = Field(
        default_factory=list, max_length=400, description="None: all shots in their order, by hard cuts."
    )
    fade_in: int = Field(0, title="Fades in over", ge=0, le=480, description="Frames from black.")
    fade_out: int = Field(0, title="Fades out over", ge=0, le=480, description="Frames to black.")
    develop: Develop = Field(default_factory=Develop)

    @field_validator("fps")
    @classmethod
    def _known_rate(cls, value: str) -> str:
        return known_rate(value)


class Place(Model):
    """A place: a pure function of time."""

    format: Literal["lumwick-place"] = "lumwick-place"
    version: Literal[4] = 4
    name: str = Field(title="Name", min_length=1, max_length=120)
    site: Site = Field(default_factory=Site)
    land: Land
    sea: Sea = Field(default_factory=Sea)
    waters: list[Water] = Field(default_factory=list, max_length=60)
    banks: list[FogBank] = Field(default_factory=list, max_length=40)
    ridges: list[Ridge] = Field(default_factory=list, max_length=12)
    beaches: list[DrawnBeach] = Field(default_factory=list, max_length=20)
    ways: list[GroundWay] = Field(default_factory=list, max_length=200)
    air: Air = Field(default_factory=Air)
    wind: Wind = Field(default_factory=Wind)
    growth: list[Stand] = Field(default_factory=list, max_length=200)
    built: list[Built] = Field(default_factory=list, max_length=500)
    surround: Surround = Field(default_factory=Surround)
    surfaces: list[Surface] = Field(default_factory=list, max_length=300)
    things: list[Thing] = Field(default_factory=list, max_length=500)
    lamps: list[Lamp] = Field(default_factory=list, max_length=500)
    lamp_groups: list[LampGroup] = Field(default_factory=list, max_length=100)
    sun_gobo: SunGobo | None = Field(
        None, title="The sun's thrown shadow", description="What the sun's light is thrown through."
    )
    shots: list[Shot] = Field(min_length=1, max_length=200)
    cut: Cut = Field(default_factory=Cut)

    @model_validator(mode="after")
    def _whole(self) -> Place:
        for name in LISTS:
            _check_ids(getattr(self, name), f"two {LISTS[name]} share one id")
        for shot in self.shots:
            _check_ids(shot.route.stations, f"two stations of shot {shot.name} share one id")
        _check_ids(self.cut.pieces, "two pieces of the film share one id")
        shots = {shot.id for shot in self.shots}
        for i, piece in enumerate(self.cut.pieces, 1):
            if piece.shot not in shots:
                raise ValueError(f"piece {i} of the film is of the shot {piece.shot!r}, which this place does not have")
        for bank in self.banks:
            if bank.only and bank.only not in shots:
                raise ValueError(f"{bank.name} is in the shot {bank.only!r} alone, which this place does not have")
        self._check_surfaces()
        groups = {group.id for group in self.lamp_groups}
        for lamp in self.lamps:
            if lamp.group and lamp.group not in groups:
                raise ValueError(f"{lamp.name} is in the group {lamp.group!r}, which this place does not have")
        check_carried(self.things, self.lamps, [(shot.name, shot.route.subject) for shot in self.shots])
        check_stood_on(self.things)
        _check_ranges(self, "")
        return self

    def _check_surfaces(self) -> None:
        """Refuse surfaces that are worn and not there."""
        known = sorted(surface.id for surface in self.surfaces)
        furnished: list[Built | Thing] = [*self.built, *self.things]
        worn = [(thing, one.surface) for thing in self.things for one in thing.dressed]
        for item, surface in [*((item, item.surface) for item in furnished), *worn]:
            if surface and surface not in known:
                raise ValueError(
                    f"{item.name} has the surface {surface!r}, which this place does not have: "
                    f"choose one of {', '.join(known) or 'none, there are none yet'}"
                )

    def shot(self, name: str) -> Shot:
        """The shot with this id or name.

        Raises
        ------
        NoSuchShot
            There is none; the text lists those there are.
        """
        for shot in self.shots:
            if name in (shot.id, shot.name):
                return shot
        raise NoSuchShot(f"There is no shot {name!r}: this place has {', '.join(s.id for s in self.shots)}.")


LISTS = {
    "waters": "waters",
    "banks": "banks of fog",
    "ridges": "far ridges",
    "beaches": "drawn beaches",
    "ways": "ways",
    "growth": "stands",
    "built": "built things",
    "surfaces": "surfaces",
    "things": "models",
    "lamps": "lamps",
    "lamp_groups": "groups of lamps",
    "shots": "shots",
}
"""What the members of a place's lists are called together."""


def _check_ids(items: Sequence[Any], words: str) -> None:
    """Refuse two members of one id; ``words`` say so, and the id follows."""
    ids = [item.id for item in items]
    twice = sorted({i for i in ids if ids.count(i) > 1})
    if twice:
        raise ValueError(f"{words}: {', '.join(twice)}")


def _check_ranges(model: BaseModel, where: str) -> None:
    """Check the values of keyed numbers against the range beside the field."""
    for name, field in type(model).model_fields.items():
        value = getattr(model, name)
        extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
        if extra.get("animatable"):
            if "low" not in extra:
                continue
            low, high = float(extra["low"]), float(extra["high"])  # type: ignore[arg-type]
            if isinstance(value, Channel) and extra.get("quantity") == "turn":
                low, high = min(low, -TURNS_AT_MOST), max(high, TURNS_AT_MOST)  # a turn goes on past 360
            for v in [key.v for key in value.keys] if isinstance(value, Channel) else [value]:
                if not low <= v <= high:
                    raise ValueError(f"{field.title} is {v:g} {extra['unit']}: it must lie from {low:g} to {high:g}")
        elif isinstance(value, BaseModel):
            _check_ranges(value, f"{where}/{name}")
        elif isinstance(value, list):
            for item in value:
                if isinstance(item, BaseModel):
                    _check_ranges(item, f"{where}/{name}")
