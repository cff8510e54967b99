"""How a shot is filmed: stations and routes, clock, exposure and develop, as the document says them."""

from __future__ import annotations

import datetime as dt
from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from lumwick.motion.channel import Animatable, AnimatableMoment, Curve, trusted
from lumwick.place.fields import Asset, Id, Model, Point3, keyed, number, wish


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
    brushes: bool = Field(
        False, title="Pushes plants", description="Whoever carries the camera treads down what grows on the way."
    )
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
        0.0, "Colour fringe", "‰", 0, 10, "How much larger red is drawn than green in the corners."
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
