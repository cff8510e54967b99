"""The place document: everything a place is, typed, with units, ranges and a version.

Titles, units, ranges and sentences of help stand beside each field, and are what the slip in the browser,
the command line and the published JSON Schema say about it.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from lumwick.growth.kinds import KINDS
from lumwick.motion.channel import Animatable, AnimatableColour, AnimatableMoment, Channel, Curve, trusted
from lumwick.motion.terms import Finite
from lumwick.motion.timebase import RATES

if TYPE_CHECKING:
    PlantKind = str
else:
    PlantKind = Literal[tuple(KINDS)]
VERSION = 3
FORMAT = "lumwick-place"
PLANTS_AT_MOST = 2_000_000
TURNS_AT_MOST = 360_000.0
"""Degrees that a keyed turn may reach."""

Id = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
Point2 = tuple[Finite, Finite]
Point3 = tuple[Finite, Finite, Finite]


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid", validate_assignment=False, allow_inf_nan=False)


def number(default: float, title: str, unit: str, low: float, high: float, text: str, **extra: Any) -> Any:
    """A constant number with its unit, range and help."""
    return Field(
        default,
        title=title,
        description=text,
        ge=low,
        le=high,
        json_schema_extra={"unit": unit, "low": low, "high": high, **extra},
    )


def keyed(default: float, title: str, unit: str, low: float, high: float, text: str, **extra: Any) -> Any:
    """A number that may be keyed; its range is checked on every key by the place."""
    return Field(
        default,
        title=title,
        description=text,
        json_schema_extra={"unit": unit, "low": low, "high": high, "animatable": True, **extra},
    )


def wish(title: str, unit: str, low: float, high: float, text: str, **extra: Any) -> Any:
    """A constant number that may be left out: then the shot's own holds."""
    return Field(
        None,
        title=title,
        description=text,
        ge=low,
        le=high,
        json_schema_extra={"unit": unit, "low": low, "high": high, "optional": True, **extra},
    )


def coloured(default: str, title: str, text: str = "") -> Any:
    """A colour that may be keyed."""
    return Field(default, title=title, description=text, json_schema_extra={"animatable": True})


def least(value: Any) -> float:
    """The constant, or the smallest keyed value."""
    return min(key.v for key in value.keys) if isinstance(value, Channel) else float(value)


def most(value: Any) -> float:
    """The constant, or the largest keyed value."""
    return max(key.v for key in value.keys) if isinstance(value, Channel) else float(value)


class Asset(Model):
    """A file that the place needs, known by its contents."""

    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    name: str = Field(min_length=1, max_length=200, pattern=r"^[^/\\]+$")
    bytes: int = Field(ge=0)


class Site(Model):
    """Where on the earth the place's origin lies."""

    latitude: Animatable = keyed(52.0, "Latitude", "°", -90, 90, "North is positive; it sets the sun's height.")
    longitude: Animatable = keyed(1.0, "Longitude", "°", -180, 180, "East is positive; it sets the sun's hour.")
    utc_offset: Animatable = keyed(0.0, "Clock", "h", -12, 14, "Hours that the place's clock is ahead of UTC.")
    north_turn: Animatable = keyed(
        0.0, "North turned", "°", -180, 180, "Turn of true north from the model's y axis, clockwise.", quantity="turn"
    )
    altitude: Animatable = keyed(0.0, "Altitude", "m", -430, 8850, "Height of the datum above the sea, for the air.")


class Land(Model):
    """The ground: a grid of heights, and what covers it."""

    elevation: Asset = Field(title="Elevation", description="GeoTIFF of heights in metres on a metric grid.")
    cover: Literal["saltmarsh", "upland"] = Field(
        "saltmarsh", title="Cover", description="How slope and height choose sand, mud, turf and rock."
    )
    beach_top: Animatable = keyed(
        2.2, "Beach top", "m", -20, 200, "Bare sand reaches up to about this height over the sea."
    )
    seed: int = Field(7, title="Seed", ge=0, le=2**31)


class Sea(Model):
    """Standing and rolling water at one level."""

    present: bool = Field(True, title="Sea", description="Whether there is water at the sea level.")
    level: Animatable = keyed(0.0, "Level", "m", -500, 6000, "Height of still water over the datum.")
    wind_speed: Animatable = keyed(
        7.0, "Sea wind", "m/s", 0, 40, "Wind that raised the sea, 10 m above it.", quantity="speed"
    )
    wind_from: Animatable = keyed(
        70.0, "Sea wind from", "°", 0, 360, "Bearing the sea's wind blows from.", quantity="turn"
    )
    fetch_km: Animatable = keyed(60.0, "Fetch", "km", 1, 2000, "Open water that the wind has crossed.")
    depth: Animatable = keyed(
        14.0, "Depth offshore", "m", 0.5, 5000, "Depth of the open sea, for the speed of the waves."
    )
    choppiness: Animatable = keyed(
        1.0, "Choppiness", "x", 0, 1.5, "Horizontal displacement that sharpens crests; 1 is physical."
    )
    clarity: Animatable = keyed(3.0, "Clarity", "m", 0.2, 60, "Depth at which a white disc is lost to sight.")
    seed: int = Field(11, title="Seed", ge=0, le=2**31)


class Air(Model):
    """What lies between the eye and things: haze and fog."""

    haze: Animatable = keyed(
        0.12, "Haze", "x", 0.02, 1.5, "Aerosol optical depth at 550 nm: 0.05 is crystal, 0.3 hazy."
    )
    ozone_du: Animatable = keyed(320, "Ozone", "DU", 0, 600, "It keeps the twilight sky blue.")
    fog_visibility: Animatable = keyed(
        20000.0,
        "Fog visibility",
        "m",
        20,
        200000,
        "Meteorological optical range at the fog's foot.",
        quantity="length",
        log=True,
    )
    fog_height: Animatable = keyed(60.0, "Fog height", "m", 1, 3000, "Height over which fog thins to about a third.")
    fog_base: Animatable = keyed(0.0, "Fog base", "m", -500, 6000, "Height at which the visibility holds.")
    sun_width: Animatable = keyed(
        0.53, "Sun's width", "°", 0.05, 15, "Across the sun's disc: wider makes softer shadows, with the same light."
    )


class Surround(Model):
    """A picture of the whole sphere that lights the place instead of sun and sky."""

    picture: Asset | None = Field(
        None, title="Picture", description="An .hdr or .exr of the whole sphere, twice as wide as high."
    )
    turn: Animatable = keyed(0.0, "Turn", "°", -360, 360, "Bearing of the picture's middle.", quantity="turn")
    lux: Animatable = keyed(10000.0, "Light", "lx", 0.001, 200000, "What it gives level open ground.", log=True)


class Wind(Model):
    """The wind that moves plants."""

    speed: Animatable = keyed(4.0, "Wind", "m/s", 0, 35, "Mean speed 10 m above the ground.", quantity="speed")
    from_bearing: Animatable = keyed(240.0, "Wind from", "°", 0, 360, "Bearing the wind blows from.", quantity="turn")
    gustiness: Animatable = keyed(0.22, "Gustiness", "x", 0, 0.6, "Standard deviation of the speed over its mean.")
    roughness: Animatable = keyed(
        0.03, "Roughness length", "m", 0.0001, 2, "Davenport: open sea 0.0002, open land 0.03, forest 1."
    )
    seed: int = Field(3, title="Seed", ge=0, le=2**31)


class Stand(Model):
    """Plants of one kind over an area."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    kind: PlantKind = Field(title="Kind")
    area: list[Point2] = Field(
        default_factory=list,
        title="Area",
        description="Corners, east and north; empty is the whole place.",
        max_length=400,
    )
    per_hectare: Animatable = keyed(
        120, "Density", "/ha", 0, 4_000_000, "Plants, or tufts, on a hectare (100 m by 100 m)."
    )
    height: Animatable = keyed(9.0, "Height", "m", 0.05, 60, "Usual height of a grown plant.")
    variation: Animatable = keyed(0.25, "Variation", "x", 0, 0.8, "Spread of the heights.")
    slope_most: Animatable = keyed(35, "Steepest slope", "°", 0, 90, "None grow on steeper ground.")
    lowest: Animatable = keyed(-1000, "Lowest", "m", -1000, 9000, "None grow lower.")
    highest: Animatable = keyed(9000, "Highest", "m", -1000, 9000, "None grow higher.")
    dry: Animatable = keyed(0.07, "Dry", "x", 0, 1, "Share of dry blades or leaves in grass and reeds.")
    lean: Animatable = keyed(0.0, "Lean", "°", 0, 40, "Lean away from the wind that shaped them.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Built(Model):
    """A built thing set in the place."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    kind: Literal["boardwalk", "jetty", "hide", "boat"] = Field(title="Kind")
    line: list[Point2] = Field(
        title="Line", min_length=1, max_length=200, description="A walk's or jetty's centre line; else where it stands."
    )
    width: Animatable = keyed(1.5, "Width", "m", 0.3, 30, "Across the deck, or of the thing's front.")
    deck: Animatable = keyed(1.9, "Deck height", "m", -100, 6000, "Height of the deck or floor over the datum.")
    turn: Animatable = keyed(0.0, "Turn", "°", -360, 360, "Bearing that its front faces.", quantity="turn")
    surface: str = Field(
        "",
        title="Surface",
        max_length=40,
        description="Id of a surface of this place, or nothing for weathered timber.",
    )


class Surface(Model):
    """How something looks close by, and what it does with light; used by name on models and built things."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    pattern: Literal["plain", "bark", "rock", "soil", "sand", "moss", "planks", "plaster", "brick", "gravel"] = Field(
        "plain", title="Pattern", description="What it is made of, drawn without a texture."
    )
    colour: AnimatableColour = coloured("#a09a90", "Colour")
    second: AnimatableColour = coloured("#6f6a60", "Second colour", "Of joints, lichen, the pebbles' other kind.")
    roughness: Animatable = keyed(0.7, "Roughness", "x", 0, 1, "0 mirrors, 1 is matt.")
    metalness: Animatable = keyed(0.0, "Metalness", "x", 0, 1, "1 reflects in its own colour, as bare metal does.")
    coat: Animatable = keyed(0.0, "Clear coat", "x", 0, 1, "A layer of varnish.")
    coat_roughness: Animatable = keyed(0.1, "Coat's roughness", "x", 0, 1, "0 is a mirror.")
    clear: Animatable = keyed(0.0, "Transmission", "x", 0, 1, "Share of light that passes, as through glass.")
    pane: bool = Field(True, title="Thin pane", description="A thin sheet that bends nothing; else a solid body.")
    refraction: Animatable = keyed(1.5, "Refractive index", "x", 1, 3, "Water 1.333, glass 1.5.")
    depth_tint: Animatable = keyed(
        0.0, "Absorption", "x", 0, 200, "Optical depth of a metre of a clear solid, for what its colour lacks."
    )
    through: Animatable = keyed(
        0.0, "Translucency", "x", 0, 0.9, "Share of light that comes out scattered on the other side."
    )
    glow: Animatable = keyed(0.0, "Glow", "cd/m²", 0, 1e8, "Light of its own.")
    glow_colour: AnimatableColour = coloured("#ffffff", "Glow's colour")
    cut: Animatable = keyed(
        0.0, "Alpha cutoff", "x", 0, 1, "Where the texture's opacity is less there is a hole; 0 cuts nothing."
    )
    wet: Animatable = keyed(0.0, "Wetness", "x", 0, 1, "Darker, and with a film of water on it.")
    scale: Animatable = keyed(1.0, "Scale", "x", 0.001, 1000, "Of pattern and textures: larger is coarser.", log=True)
    turn: Animatable = keyed(0.0, "Rotation", "°", -360, 360, "Of pattern and textures.", quantity="turn")
    shift_u: Animatable = keyed(0.0, "Offset across", "x", -1000, 1000, "Of pattern and textures.")
    shift_v: Animatable = keyed(0.0, "Offset up", "x", -1000, 1000, "Of pattern and textures.")
    relief: Animatable = keyed(1.0, "Relief", "x", 0, 4, "Depth of the pattern's, or the normal map's, bumps.")
    boxed: bool = Field(
        False,
        title="Box projection",
        description="Lay textures from the sides of a box, in metres, even where the model says how they lie.",
    )
    colour_map: Asset | None = Field(None, title="Colour texture", description="With opacity, if it has any.")
    normal_map: Asset | None = Field(None, title="Normal texture")
    rough_map: Asset | None = Field(None, title="Roughness texture", description="Grey.")
    metal_map: Asset | None = Field(None, title="Metal texture", description="Grey.")
    opacity_map: Asset | None = Field(
        None, title="Opacity texture", description="Grey; holes where it is darker than the alpha cutoff."
    )
    glow_map: Asset | None = Field(None, title="Glow texture")


class Thing(Model):
    """A model brought in and set down."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    mesh: Asset = Field(title="Model", description="A glTF (.glb), OBJ, PLY or STL file.")
    east: Animatable = keyed(0.0, "East", "m", -1e6, 1e6, "From the place's origin.")
    north: Animatable = keyed(0.0, "North", "m", -1e6, 1e6, "From the place's origin.")
    up: Animatable = keyed(0.0, "Height", "m", -1000, 20000, "Of the model's own zero, over the datum.")
    turn: Animatable = keyed(0.0, "Turn", "°", -360, 360, "Clockwise, seen from above.", quantity="turn")
    scale: Animatable = keyed(1.0, "Scale", "x", 1e-4, 1e4, "Metres for one unit of the file.", log=True)
    upright: Literal["by the file", "y up", "z up"] = Field(
        "by the file", title="Upright", description="Which of the file's axes points up."
    )
    surface: str = Field(
        "", title="Surface", max_length=40, description="Id of a surface of this place, or nothing for the model's own."
    )


class Lamp(Model):
    """A source of light that is not the sky."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    kind: Literal["point", "spot", "rectangle", "disc"] = Field("point", title="Kind")
    lit: bool = Field(True, title="Lit")
    east: Animatable = keyed(0.0, "East", "m", -1e6, 1e6, "From the place's origin.")
    north: Animatable = keyed(0.0, "North", "m", -1e6, 1e6, "From the place's origin.")
    up: Animatable = keyed(2.5, "Height", "m", -1000, 20000, "Over the datum.")
    bearing: Animatable = keyed(
        0.0, "Shines to", "°", -360000, 360000, "Bearing of a spot's or flat lamp's light.", quantity="turn"
    )
    pitch: Animatable = keyed(-90.0, "Pitch", "°", -90, 90, "-90 shines straight down.")
    amount: Animatable = keyed(
        800.0, "Light", "x", 0, 1e8, "In lumens or candelas: a house lamp sends out about 800 lm.", log=True
    )
    unit: Literal["lm", "cd"] = Field(
        "lm", title="Unit", description="lm: all of its light. cd: its intensity straight ahead."
    )
    kelvin: Animatable = keyed(2700.0, "Colour", "K", 1667, 25000, "Candle 1850, filament 2700, daylight 6500.")
    inner: Animatable = keyed(20.0, "Inner cone", "°", 0, 89, "Half angle of a spot at full strength.")
    outer: Animatable = keyed(30.0, "Outer cone", "°", 0.5, 90, "Half angle of a spot outside which it is dark.")
    width: Animatable = keyed(0.3, "Width", "m", 0, 100, "Of a rectangle, or a disc's diameter.")
    height: Animatable = keyed(0.3, "Length", "m", 0, 100, "Of a rectangle.")

    @model_validator(mode="after")
    def _has_an_area(self) -> Lamp:
        width, height = least(self.width), least(self.height)
        if (self.kind == "rectangle" and width * height < 1e-8) or (self.kind == "disc" and width < 1e-4):
            raise ValueError(
                f"the lamp {self.name} has no area: give it a "
                f"width{' and a length' if self.kind == 'rectangle' else ''}, or "
                "make it a point"
            )
        return self


class Station(Model):
    """A stored view: where the camera stands, what it aims at, and how it is set there."""

    id: Id
    name: str = Field("", title="Name", max_length=80)
    east: float = number(0.0, "East", "m", -1e6, 1e6, "From the place's origin.")
    north: float = number(0.0, "North", "m", -1e6, 1e6, "From the place's origin.")
    up: float = number(2.0, "Height", "m", -1000, 20000, "Over the datum.")
    aim: Point3 = Field((0.0, 10.0, 2.0), title="Aim", description="The point looked at: east, north, up.")
    focal: float = number(
        28.0,
        "Focal length",
        "mm",
        4,
        1200,
        "For the sensor's width; an angle of view may be typed, like 60°.",
        quantity="focal",
    )
    focus: float | None = wish("Focus", "m", 0.1, 100000, "Distance that is sharp here.", quantity="length")
    f_number: float | None = wish("Aperture", "f/", 0.9, 64, "Of the lens here.", quantity="f_number")
    ev100: float | None = wish("Exposure", "EV", -8, 22, "EV at ISO 100 here.")
    kelvin: float | None = wish("White balance", "K", 2000, 20000, "Here, in place of the shot's.")
    roll: float | None = wish(
        "Roll", "°", -180, 180, "Turn of the camera about its aim here, clockwise.", quantity="turn"
    )
    time: float | None = wish(
        "Met at",
        "s",
        -3600,
        36000,
        "Clip time at which the camera arrives, where stations' times say the "
        "pace; before 0 it is already under way when the clip starts.",
    )
    stay: float = number(
        0.0,
        "Stays",
        "s",
        0,
        3600,
        "How long the camera stops here; one that looks where it goes looks at this station's aim meanwhile.",
    )
    join: Literal["onward", "cut", "eased"] = Field(
        "onward",
        title="To the next",
        description="On along the curve; by a hard change; or by a move of its own, from rest to rest.",
    )
    takes: float = number(2.0, "Move lasts", "s", 0.05, 3600, "Of a move from rest to rest.")

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Station:
        d = (self.aim[0] - self.east, self.aim[1] - self.north, self.aim[2] - self.up)
        if max(abs(c) for c in d) < 1e-6:
            raise ValueError(f"station {self.name or self.id} aims at the spot it stands on: move the aim")
        return self


AIMS = ("stations", "ahead", "subject", "by keys")


class Route(Model):
    """The camera's way: how it moves, how its time is dealt out, and where it looks."""

    way: Literal["fly", "walk", "straight", "orbit", "push", "follow", "fixed", "brought"] = Field(
        "fly",
        title="Way",
        description=(
            "Fly through the stations; walk at eye height on ground and decks; run "
            "straight from one to the next, as on rails or a crane; circle the subject; "
            "push in to it; follow it; stand; or run a path that was brought in."
        ),
    )
    stations: list[Station] = Field(default_factory=list, max_length=500)
    tension: float = number(
        0.0, "Tension", "x", 0, 1, "0 flows through the stations, 1 goes straight from each to the next."
    )
    no_overshoot: bool = Field(
        False,
        title="No overshoot",
        description="East, north and height stay between those of neighbouring stations.",
    )
    over_ground: bool = Field(
        False,
        title="Height over ground",
        description="Rises and sinks with the ground: stations keep their heights over it.",
    )
    eye_height: float = number(1.6, "Eye height", "m", 0.2, 10, "Of somebody walking.")
    gait: float = number(0.0, "Gait", "x", 0, 2, "The rise and sway of steps; 1 is a plain walk, 0 glides.")
    handheld: float = number(0.0, "Hand-held", "x", 0, 5, "Unsteadiness of a hand; 1 is a steady one.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)
    subject: str = Field(
        "",
        title="Subject",
        max_length=40,
        description=(
            "Id of the model, lamp, built thing or stand that the camera circles, follows or looks at; else the spot."
        ),
    )
    spot: Point3 | None = Field(
        None, title="Spot", description="East, north and up of what is circled or looked at where there is no subject."
    )
    subject_up: float = number(0.0, "Aim height over it", "m", -200, 200, "Over the subject's own foot.")
    turns: float = number(
        1.0, "Turns", "x", -100, 100, "Round the subject, clockwise seen from above; 1 is a full turn."
    )
    travel: float = number(
        3.0, "Pushes by", "m", -10000, 10000, "Towards what the first station aims at; below 0 it pulls out."
    )
    counter: bool = Field(
        False, title="Counter-zoom", description="The lens changes so that what is aimed at keeps its size."
    )
    lag: float = number(0.0, "Lag", "s", -60, 60, "How much later than what it follows.")
    timing: Literal["even", "by stations", "one smooth move"] = Field(
        "even",
        title="Pace",
        description=(
            "Even speed along the curve; by the times at the stations; or one move from rest to rest of least jerk."
        ),
    )
    eased_start: float = number(0.0, "Eased start", "x", 0, 0.5, "Share of the move over which it gathers speed.")
    eased_end: float = number(0.0, "Eased end", "x", 0, 0.5, "Share of the move over which it comes to rest.")
    starts_before: float = number(
        0.0, "Starts before", "s", 0, 3600, "How long before the clip the move begins, so that it is already under way."
    )
    ends_after: float = number(0.0, "Ends after", "s", 0, 3600, "How long after the clip the move ends.")
    pace: Animatable = keyed(
        1.0,
        "Pacing",
        "x",
        0,
        20,
        "Speed against the usual: 0.5 lingers, 2 hurries. The whole move still takes its time.",
    )
    aim: Literal["stations", "ahead", "subject", "by keys"] = Field(
        "stations",
        title="Looks",
        description=(
            "At the stations' aims, turning smoothly; ahead along its way; "
            "at the subject; or by the keys of bearing and pitch."
        ),
    )
    lead: float = number(
        0.8, "Looks ahead by", "s", 0, 30, "Of its way at its usual speed: a walker looks about a second ahead."
    )
    aim_second: Literal["stations", "ahead", "subject", "by keys"] = Field(
        "stations", title="Blends to", description="What it looks at as the share grows."
    )
    aim_share: Animatable = keyed(0.0, "Blend", "x", 0, 1, "0 looks as the first says, 1 as the second.")
    bearing: Animatable = keyed(0.0, "Bearing", "°", -360, 360, "Where it looks by keys.", quantity="turn")
    pitch: Animatable = keyed(0.0, "Pitch", "°", -89, 89, "Where it looks by keys.")
    level_within: float = number(1.5, "Level within", "°", 0, 45, "A station's roll of less than this counts as level.")
    focus_on: Literal["distance", "subject"] = Field(
        "distance",
        title="Focus",
        description="At a distance (its keys are the marks of a pull), or on the subject wherever it is.",
    )
    keep_clear: float = number(0.3, "Clearance", "m", 0, 50, "The ride check speaks of what comes nearer.")
    track: Asset | None = Field(None, title="Path brought in", description="Position, aim and lens by time.")


class Clock(Model):
    """At what hour of the place the shot starts, and how fast its day runs."""

    start: AnimatableMoment = Field(
        dt.datetime(2026, 6, 5, 10, 0),
        title="Starts",
        description="Date and hour on the place's clock; when it is keyed the keys alone say the hour.",
        json_schema_extra={"animatable": True},
    )
    speed: float = number(1.0, "Day runs", "x", -100000, 100000, "Seconds of the place in one second of the clip.")

    @field_validator("start")
    @classmethod
    def _naive_and_in_range(cls, value: Any) -> Any:
        return value if isinstance(value, Curve) else trusted(value)


class Exposure(Model):
    """How a real camera would be set."""

    ev100: Animatable = keyed(14.0, "Exposure", "EV", -8, 22, "EV at ISO 100: full sun is about 15, sunset 11, dusk 5.")
    kelvin: Animatable = keyed(6500.0, "White balance", "K", 2000, 20000, "Light of this colour comes out white.")
    f_number: Animatable = keyed(
        8.0, "Aperture", "f/", 0.9, 64, "Smaller numbers blur what is out of focus.", quantity="f_number"
    )
    metered_at: float = number(
        0.0,
        "Metered at",
        "f/",
        0,
        64,
        "Opening at which the exposure holds: another lets more or less "
        "light in. 0: the exposure is kept whatever the opening.",
    )
    eyes: float = number(
        0.0,
        "Eye distance",
        "m",
        0,
        10,
        "Between the two eyes of a stereo pair, side by side in one picture; 0 is a plain picture, 0.064 is people's.",
    )
    zero_plane: float = number(
        6.0,
        "Zero plane",
        "m",
        0.1,
        10000,
        "Distance that lies on the screen of a stereo pair; what is nearer stands before it.",
    )
    sensor: float = number(
        36.0, "Sensor's width", "mm", 3, 100, "36 is full frame; a smaller one sees less through the same lens."
    )
    focus: Animatable = keyed(30.0, "Focus", "m", 0.1, 100000, "Distance that is sharp.", quantity="length", log=True)
    shutter: Animatable = keyed(180, "Shutter", "°", 0, 360, "Angle of the frame's time that is exposed.")
    blades: int = Field(
        0, title="Blades", ge=0, le=9, description="5 to 9 blades make the opening a polygon; 0 is round."
    )
    roll: Animatable = keyed(
        0.0,
        "Roll",
        "°",
        -180,
        180,
        "Turn of the camera about its aim, clockwise; 0 keeps the horizon level.",
        quantity="turn",
    )
    distortion: Animatable = keyed(
        0.0,
        "Distortion",
        "%",
        -20,
        20,
        "How far the corners are drawn in (below 0, a barrel) or out (above 0, a cushion).",
    )
    dispersion: Animatable = keyed(
        0.0, "Dispersion", "‰", 0, 10, "How much larger red is drawn than green in the corners."
    )

    @field_validator("blades")
    @classmethod
    def _a_polygon(cls, value: int) -> int:
        if 0 < value < 5:
            raise ValueError("an opening has 5 to 9 blades, or 0 for a round one")
        return value


class Develop(Model):
    """How the picture is developed, in the order of a lens, a film and a print."""

    view: Literal["filmic", "plain"] = Field(
        "filmic",
        title="View",
        description="Filmic rolls highlights off (the ACES output transform); plain is the screen's curve alone.",
    )
    screen: Literal["sRGB", "Rec.1886", "Display P3"] = Field(
        "sRGB", title="Screen", description="What it is made to be seen on."
    )
    contrast: Animatable = keyed(1.0, "Contrast", "x", 0.3, 3, "About middle grey; 1 is neutral.")
    saturation: Animatable = keyed(1.0, "Saturation", "x", 0, 2, "Strength of colour; 0 is black and white.")
    lift: Animatable = keyed(0.0, "Lift", "x", -0.3, 0.3, "Raises the shadows.")
    gamma: Animatable = keyed(1.0, "Gamma", "x", 0.5, 2, "Brightens the middle tones.")
    gain: Animatable = keyed(1.0, "Gain", "x", 0.5, 1.5, "Raises the highlights.")
    curve_deep: Animatable = keyed(
        0.0, "Curve, deep", "EV", -4, 4, "Lifts or lowers what is 6 stops under middle grey."
    )
    curve_dark: Animatable = keyed(0.0, "Curve, dark", "EV", -3, 3, "What is 3 stops under.")
    curve_middle: Animatable = keyed(0.0, "Curve, middle", "EV", -2, 2, "Middle grey.")
    curve_light: Animatable = keyed(0.0, "Curve, light", "EV", -3, 3, "What is 3 stops over.")
    curve_bright: Animatable = keyed(0.0, "Curve, bright", "EV", -4, 4, "What is 6 stops over.")
    lut: Asset | None = Field(None, title="Look-up table", description="A .cube file, laid over the finished picture.")
    lut_strength: Animatable = keyed(1.0, "Table's strength", "x", 0, 1, "0 leaves it out.")
    tint: Animatable = keyed(
        0.0, "Tint", "x", -30, 30, "Takes green out of the white (or, below 0, magenta), in thousandths of u v."
    )
    bloom: Animatable = keyed(
        0.0, "Bloom", "x", 0, 0.5, "Share of the light that the lens scatters; 0.02 is a good lens."
    )
    vignette: Animatable = keyed(0.0, "Vignette", "EV", 0, 4, "Light lost in the corners.")
    grain: Animatable = keyed(0.0, "Grain", "x", 0, 1, "Film grain, strongest in the middle tones.")
    sharpen: Animatable = keyed(0.0, "Sharpen", "x", 0, 2, "Steepens edges.")


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
    version: Literal[3] = 3
    name: str = Field(title="Name", min_length=1, max_length=120)
    site: Site = Field(default_factory=Site)
    land: Land
    sea: Sea = Field(default_factory=Sea)
    air: Air = Field(default_factory=Air)
    wind: Wind = Field(default_factory=Wind)
    growth: list[Stand] = Field(default_factory=list, max_length=200)
    built: list[Built] = Field(default_factory=list, max_length=500)
    surround: Surround = Field(default_factory=Surround)
    surfaces: list[Surface] = Field(default_factory=list, max_length=300)
    things: list[Thing] = Field(default_factory=list, max_length=500)
    lamps: list[Lamp] = Field(default_factory=list, max_length=500)
    shots: list[Shot] = Field(min_length=1, max_length=200)
    cut: Cut = Field(default_factory=Cut)

    @model_validator(mode="after")
    def _whole(self) -> Place:
        for name in ("growth", "built", "surfaces", "things", "lamps", "shots"):
            _check_ids(getattr(self, name), f"two {LISTS[name]} share one id")
        for shot in self.shots:
            _check_ids(shot.route.stations, f"two stations of shot {shot.name} share one id")
        _check_ids(self.cut.pieces, "two pieces of the film share one id")
        shots = {shot.id for shot in self.shots}
        for i, piece in enumerate(self.cut.pieces, 1):
            if piece.shot not in shots:
                raise ValueError(f"piece {i} of the film is of the shot {piece.shot!r}, which this place does not have")
        known = sorted(surface.id for surface in self.surfaces)
        furnished: list[Built | Thing] = [*self.built, *self.things]
        for item in furnished:
            if item.surface and item.surface not in known:
                raise ValueError(
                    f"{item.name} has the surface {item.surface!r}, which this place does not have: "
                    f"choose one of {', '.join(known) or 'none, there are none yet'}"
                )
        _check_ranges(self, "")
        return self

    def shot(self, name: str) -> Shot:
        """The shot with this id or name.

        Raises
        ------
        LookupError
            There is none; the text lists those there are.
        """
        for shot in self.shots:
            if name in (shot.id, shot.name):
                return shot
        raise LookupError(f"There is no shot {name!r}: this place has {', '.join(s.id for s in self.shots)}.")


LISTS = {
    "growth": "stands",
    "built": "built things",
    "surfaces": "surfaces",
    "things": "models",
    "lamps": "lamps",
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
