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
    litter: float = number(0.7, "Litter", "x", 0, 1, "Leaves and needles on the ground under woods.")
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


class LowClouds(Model):
    """Heaps or a sheet of cloud, with a body that one can fly round."""

    oktas: Animatable = keyed(0.0, "Cover", "/8", 0, 8, "Eighths of the sky: 0 is clear, 8 closed.")
    base: Animatable = keyed(1100.0, "Base", "m", 20, 6000, "Height of their foot over the datum.")
    thick: Animatable = keyed(900.0, "Thickness", "m", 30, 6000, "From their foot to the highest top.")
    density: Animatable = keyed(
        0.02, "Density", "1/m", 0.0005, 0.3, "What they take of light: heaps 0.02, a thick sheet 0.04.", log=True
    )
    soft: Animatable = keyed(0.25, "Softness", "x", 0, 1, "0 is hard-edged as towers are, 1 all veil.")
    size: float = number(1500.0, "Size", "m", 200, 8000, "Usual width of one of them.")
    closed: Animatable = keyed(0.0, "Heaps to sheet", "x", 0, 1, "0 stand apart with open sky between, 1 is one sheet.")
    ahead_east: Animatable = keyed(0.0, "Moved east", "m", -1e6, 1e6, "Besides how far the wind takes them.")
    ahead_north: Animatable = keyed(0.0, "Moved north", "m", -1e6, 1e6, "Besides how far the wind takes them.")
    drift: float = number(1.0, "Drift", "x", 0, 500, "Against the wind at their height; more in a time-lapse.")
    life: float = number(900.0, "Life", "s", 5, 1e6, "In which one of them has turned into another.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class HighClouds(Model):
    """A thin sheet of ice cloud."""

    amount: Animatable = keyed(0.0, "Amount", "/8", 0, 8, "Eighths of the sky.")
    depth: Animatable = keyed(0.5, "Thickness", "x", 0.02, 5, "Optical depth where it is thickest: 0.1 is hardly seen.")
    height: Animatable = keyed(9000.0, "Height", "m", 2000, 15000, "Over the datum.")
    bearing: Animatable = keyed(250.0, "Fibres lie", "°", 0, 360, "Bearing that they are drawn out along.")
    fibrous: Animatable = keyed(0.7, "Fibrous", "x", 0, 1, "0 is an even veil, 1 drawn out into hair.")
    drift: float = number(1.0, "Drift", "x", 0, 500, "Against the wind at their height; more in a time-lapse.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Heavens(Model):
    """Sun, moon and stars: by the date, or set by hand."""

    sun_by: Literal["date", "hand"] = Field("date", title="Sun by", description="The shot's hour, or set here.")
    sun_bearing: Animatable = keyed(180.0, "Sun's bearing", "°", -720, 720, "From true north.", quantity="turn")
    sun_height: Animatable = keyed(25.0, "Sun's height", "°", -90, 90, "Over a level horizon.")
    moon_by: Literal["date", "hand", "none"] = Field(
        "date", title="Moon by", description="The shot's hour, or set here, or none at all."
    )
    moon_bearing: Animatable = keyed(140.0, "Moon's bearing", "°", -720, 720, "From true north.", quantity="turn")
    moon_height: Animatable = keyed(30.0, "Moon's height", "°", -90, 90, "Over a level horizon.")
    moon_phase: Animatable = keyed(
        0.5, "Moon's phase", "x", 0, 1, "0 and 1 are new, 0.25 the first quarter, 0.5 full, 0.75 the last quarter."
    )
    moon_size: Animatable = keyed(1.0, "Moon's width", "x", 0.2, 20, "Against the real one; its light is the same.")
    stars: Animatable = keyed(1.0, "Stars", "x", 0, 50, "Their light against the real one; 0 is none.")
    galaxy: Animatable = keyed(1.0, "Milky Way", "x", 0, 50, "Its light against the real one; 0 is none.")
    night_glow: Animatable = keyed(
        1.0, "Night glow", "x", 0, 200, "Light of the sky without a moon: 1 far from towns, 20 in suburbs.", log=True
    )
    town: Animatable = keyed(
        0.0, "Town's glow", "cd/m²", 0, 20, "At the horizon: a far town 0.005, a city at hand 0.2."
    )
    town_bearing: Animatable = keyed(90.0, "Town's bearing", "°", -720, 720, "From true north.", quantity="turn")
    town_width: Animatable = keyed(50.0, "Town's width", "°", 5, 360, "Of its glow along the horizon.")
    town_height: Animatable = keyed(9.0, "Glow's height", "°", 1, 90, "At which it has fallen to a third.")


class FogBank(Model):
    """A bank of fog over a drawn area."""

    id: Id
    name: str = Field("Bank of fog", title="Name", min_length=1, max_length=80)
    area: list[Point2] = Field(title="Area", min_length=3, max_length=400, description="East and north.")
    visibility: Animatable = keyed(
        120.0, "Visibility", "m", 5, 20000, "How far one sees in it, at its foot.", quantity="length", log=True
    )
    thick: Animatable = keyed(6.0, "Thickness", "m", 0.2, 1500, "From its foot to its top.")
    pools: float = number(0.6, "Pools", "x", 0, 1, "0 follows the land, 1 has a level top and fills low ground.")
    lifted: Animatable = keyed(0.0, "Lifted", "m", -50, 1500, "Of its foot off the ground, as when fog rises.")
    edge: float = number(25.0, "Edge", "m", 0.5, 2000, "Over which it thins out at its sides.")
    soft: Animatable = keyed(0.6, "Lumps", "x", 0, 1, "0 is even as milk, 1 all wisps.")
    size: float = number(18.0, "Lump size", "m", 1, 500, "Usual width of its lumps.")
    amount: Animatable = keyed(1.0, "Amount", "x", 0, 1, "0 is gone, 1 all there.")
    drift: float = number(0.3, "Drift", "x", 0, 500, "Of its lumps, against the wind at 10 m; more in a time-lapse.")
    life: float = number(40.0, "Life", "s", 1, 1e6, "In which its lumps have turned into others.")
    moved_east: Animatable = keyed(0.0, "Moved east", "m", -1e5, 1e5, "Of all of it.")
    moved_north: Animatable = keyed(0.0, "Moved north", "m", -1e5, 1e5, "Of all of it.")
    only: str = Field("", title="In shot", max_length=64, description="Id of the one shot that it is there in, or all.")

    def seen_in(self, shot: str) -> bool:
        """Whether it is there in a shot."""
        return self.only in ("", shot)

    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Air(Model):
    """What lies between the eye and things: haze, fog and clouds, and what shines through them."""

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
    rain: Animatable = keyed(0.0, "Rain", "mm/h", 0, 150, "Drizzle is 0.5, steady rain 4, a downpour 50.")
    snowing: Animatable = keyed(0.0, "Snowfall", "mm/h", 0, 20, "As water: light 0.5, steady 1.5, thick 4.")
    lying: Animatable = keyed(0.0, "Snow lying", "cm", 0, 100, "Fresh snow on what faces up, besides what falls.")
    streaks: float = number(1.0, "Streaks", "x", 0, 100, "How plain drops are: 1 as they are, 20 as films like rain.")
    dries: float = number(30.0, "Dries in", "min", 1, 2000, "In which open ground has dried after rain.")
    wetted: Literal["by rain", "wet", "dry"] = Field(
        "by rain", title="Ground", description="Wet by the rain that fell in the shot, or wet or dry whatever falls."
    )
    drifting: Literal["nothing", "seeds", "leaves", "petals", "dust", "midges"] = Field(
        "nothing", title="In the air", description="What is carried by the wind."
    )
    drifting_many: Animatable = keyed(0.4, "How many", "x", 0, 20, "Of it in a cubic metre.")
    shafts: bool = Field(
        True,
        title="Shafts of sun",
        description="Shadows of things and clouds on fog that is thick enough.",
    )
    low: LowClouds = Field(default_factory=LowClouds, title="Low clouds")
    high: HighClouds = Field(default_factory=HighClouds, title="High clouds")
    heavens: Heavens = Field(default_factory=Heavens, title="Sun, moon and stars")
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
    away: float = number(0.0, "Distance", "m", 0, 1e6, "How far off what it shows stands; 0 is endlessly far.")
    east: float = number(0.0, "Taken at, east", "m", -1e5, 1e5, "The spot that distance is told from.")
    north: float = number(0.0, "Taken at, north", "m", -1e5, 1e5, "The spot that distance is told from.")
    up: float = number(1.6, "Taken at, height", "m", -500, 9000, "Over the datum.")


class Ridge(Model):
    """A far ridge of hills or mountains behind the place."""

    id: Id
    name: str = Field("Ridge", title="Name", min_length=1, max_length=80)
    away: float = number(9000.0, "Distance", "m", 300, 120000, "Of its crest from the middle of the survey.")
    height: float = number(500.0, "Height", "m", 5, 8000, "Of its highest summit over its foot.")
    bearing: float = number(0.0, "Bearing", "°", -720, 720, "Of its middle, from true north.")
    width: float = number(120.0, "Width", "°", 3, 360, "From its one end to the other; 360 goes all round.")
    peaked: float = number(0.5, "Peaked", "x", 0, 1, "0 is a long back, 1 all peaks and saddles.")
    forms: float = number(0.0, "Spurs", "m", 0, 20000, "Usual width of one spur; 0 goes by its height.")
    cover: Literal["woods", "grass", "heath", "rock"] = Field("woods", title="Cover", description="On its slopes.")
    snow_line: float = number(9000, "Snow line", "m", -500, 9000, "Snow lies above about this height; 9000 is none.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Wind(Model):
    """The wind that moves plants."""

    speed: Animatable = keyed(4.0, "Wind", "m/s", 0, 35, "Mean speed 10 m above the ground.", quantity="speed")
    from_bearing: Animatable = keyed(240.0, "Wind from", "°", 0, 360, "Bearing the wind blows from.", quantity="turn")
    gustiness: Animatable = keyed(0.22, "Gustiness", "x", 0, 0.6, "Standard deviation of the speed over its mean.")
    roughness: Animatable = keyed(
        0.03, "Roughness length", "m", 0.0001, 2, "Davenport: open sea 0.0002, open land 0.03, forest 1."
    )
    seed: int = Field(3, title="Seed", ge=0, le=2**31)
