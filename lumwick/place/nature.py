"""The land of a place, its water, air and growth, as the document says them."""

from __future__ import annotations

from typing import Literal

import shapely
from pydantic import Field

from lumwick.motion.channel import Animatable, AnimatableColour
from lumwick.place.fields import Asset, Id, Model, Point2, coloured, keyed, least, number


class Site(Model):
    """Where on the earth the place's origin lies."""

    latitude: Animatable = keyed(52.0, "Latitude", "°", -90, 90, "North is positive; it sets the sun's height.")
    longitude: Animatable = keyed(1.0, "Longitude", "°", -180, 180, "East is positive; it sets the sun's hour.")
    utc_offset: Animatable = keyed(0.0, "Clock", "h", -12, 14, "Hours that the place's clock is ahead of UTC.")
    north_turn: Animatable = keyed(
        0.0, "North turned", "°", -180, 180, "Turn of true north from the model's y axis, clockwise.", quantity="turn"
    )
    altitude: Animatable = keyed(0.0, "Altitude", "m", -430, 8850, "Height of the datum above the sea, for the air.")


class GroundWay(Model):
    """A way on the ground: mown, trodden or worn bare."""

    id: Id
    name: str = Field("Way", title="Name", min_length=1, max_length=80)
    line: list[Point2] = Field(title="Line", min_length=2, max_length=400, description="East and north.")
    width: float = number(1.2, "Width", "m", 0.1, 60, "Of the way.")
    left: float = number(0.15, "Growth left", "x", 0, 1, "Height left to what grows on it; 0 is bare.")
    worn: float = number(0.6, "Worn", "x", 0, 1, "How far its ground is trodden to earth.")

    @property
    def shape(self) -> shapely.Polygon:
        """The ground that it takes up."""
        return shapely.LineString(self.line).buffer(self.width / 2)


class Land(Model):
    """The ground: a grid of heights, and what covers it."""

    elevation: Asset = Field(title="Elevation", description="GeoTIFF of heights in metres on a metric grid.")
    cover: Literal["saltmarsh", "upland"] = Field(
        "saltmarsh", title="Cover", description="How slope and height choose sand, mud, turf and rock."
    )
    beach_top: Animatable = keyed(
        2.2, "Beach top", "m", -20, 200, "Bare sand reaches up to about this height over the sea."
    )
    snow_line: float = number(
        9000, "Snow line", "m", -500, 9000, "Snow lies above about this height on hills; 9000 is none."
    )
    seed: int = Field(7, title="Seed", ge=0, le=2**31)

    @property
    def snow_from(self) -> float | None:
        """Height [m] about which snow begins to lie, or None."""
        return None if self.snow_line >= 9000 or self.cover != "upland" else self.snow_line


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
    by: Literal["wind", "height"] = Field(
        "wind", title="Waves by", description="Raised by wind over fetch and depth, or told by height and period."
    )
    wave_height: Animatable = keyed(1.0, "Wave height", "m", 0.01, 20, "Significant, where it is told.", log=True)
    wave_period: Animatable = keyed(5.0, "Wave period", "s", 0.5, 25, "Of the peak, where it is told.", log=True)
    swell_height: Animatable = keyed(0.0, "Swell", "m", 0, 15, "Significant height of waves that come from far.")
    swell_period: Animatable = keyed(9.0, "Swell period", "s", 3, 30, "Of its peak: long swell 12 s and more.")
    swell_from: Animatable = keyed(270.0, "Swell from", "°", 0, 360, "Bearing it comes from.", quantity="turn")
    swell_spread: Animatable = keyed(12.0, "Swell spread", "°", 3, 60, "Standard deviation of its waves' bearings.")
    rate: float = number(1.0, "Rate of waves", "x", 0, 10, "Seconds of waves in a second of the clip; 1 is as they go.")
    tide_range: Animatable = keyed(0.0, "Tide", "m", 0, 16, "From low to high water.")
    tide_high: Animatable = keyed(12.0, "High water at", "h", 0, 24, "Hour of the day on which a shot begins.")
    tide_flow: Animatable = keyed(
        1.0, "Current in creeks", "x", 0, 50, "Against what their filling and emptying makes; 0 is none."
    )
    choppiness: Animatable = keyed(
        1.0, "Choppiness", "x", 0, 1.5, "Horizontal displacement that sharpens crests; 1 is physical."
    )
    water: Literal["by clarity", "clear ocean", "coastal", "green", "peaty", "silty", "spring"] = Field(
        "by clarity", title="Water", description="What is in it, which gives it its colour and how far one sees in it."
    )
    clarity: Animatable = keyed(3.0, "Clarity", "m", 0.2, 60, "Depth at which a white disc is lost to sight.")
    seed: int = Field(11, title="Seed", ge=0, le=2**31)

    @property
    def surface(self) -> float:
        """Height of still water now [m]: of the mean, but at an instant with the tide."""
        return least(self.level)


class SeaNow(Sea):
    """The sea at an instant, with its tide."""

    tide: float = 0.0
    """Over mean water [m]."""
    rises: float = 0.0
    """How quickly the tide rises [m/s]; less than nought while it falls."""

    @property
    def surface(self) -> float:
        return least(self.level) + self.tide


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
    rain: Animatable = keyed(0.0, "Rain", "mm/h", 0, 150, "It rings on water: drizzle 0.5, steady 4, a downpour 50.")
    sun_width: Animatable = keyed(
        0.53, "Sun's width", "°", 0.05, 15, "Across the sun's disc: wider makes softer shadows, with the same light."
    )


class Water(Model):
    """A stream, a pond or puddles."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    kind: Literal["stream", "pond", "puddles"] = Field(title="Kind")
    line: list[Point2] = Field(
        title="Line",
        min_length=2,
        max_length=400,
        description="East and north: a stream's middle from its head down, or the corners of a shore.",
    )
    width: float = number(2.4, "Width", "m", 0.3, 80, "From bank to bank of a stream.")
    depth: float = number(0.3, "Depth", "m", 0.02, 30, "Mean depth of a stream; of a pond, at its deepest.")
    bed: Literal["smooth earth", "clean and straight", "winding, with pools", "cobbles", "weeds", "boulders"] = Field(
        "cobbles", title="Bed", description="How rough it is, which slows a stream."
    )
    by: Literal["slope", "speed"] = Field(
        "slope", title="Runs by", description="Its own slope, depth and bed, or a speed that is told."
    )
    speed: float = number(0.6, "Speed", "m/s", 0.01, 8, "Mean speed, where it is told.")
    level: Animatable = keyed(0.0, "Level", "m", -10, 10, "Of its water, over or under its usual level.")
    filled: Animatable = keyed(0.5, "Filled", "x", 0, 1, "How much of their ground puddles cover.")
    sheltered: Animatable = keyed(0.5, "Sheltered", "x", 0, 1, "0 open to the wind, 1 no ripple of it.")
    water: Literal["clear ocean", "coastal", "green", "peaty", "silty", "spring"] = Field(
        "spring", title="Water", description="What is in it, which gives it its colour and how far one sees in it."
    )
    seed: int = Field(5, title="Seed", ge=0, le=2**31)


class DrawnBeach(Model):
    """A beach drawn in flat tones, for graphic films: it lies over nothing, with alpha."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    reach: Animatable = keyed(0.4, "Reach", "x", 0, 1, "Share of the picture that the water covers.")
    side: Literal["below", "above", "left", "right"] = Field(
        "below", title="Comes from", description="The side of the picture that the water comes from."
    )
    water: AnimatableColour = coloured("#5c9ea8", "Water")
    wet: AnimatableColour = coloured("#b8996b", "Wet sand", "What the water leaves, until it is dry.")
    foam: AnimatableColour = coloured("#fffffa", "Foam")
    band: Animatable = keyed(0.035, "Foam band", "x", 0, 0.3, "Width of its lip, as a share of the picture's height.")
    uneven: Animatable = keyed(0.05, "Unevenness", "x", 0, 0.4, "How far its tongues reach, of the picture's height.")
    lobes: float = number(3.0, "Tongues", "", 0.2, 40, "Across the picture.")
    lasts: float = number(2.5, "Stays wet", "s", 0, 8, "Until the sand is dry again.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


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
