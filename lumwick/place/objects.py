"""What is built, brought in and lit in a place, as the document says it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from lumwick.motion.channel import Animatable, AnimatableColour
from lumwick.place.fields import Asset, Id, Model, Point2, coloured, keyed, least, number


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
        0.0, "Opaque above", "x", 0, 1, "Where the texture's opacity is less there is a hole; 0 cuts nothing."
    )
    wet: Animatable = keyed(0.0, "Wetness", "x", 0, 1, "Darker, and with a film of water on it.")
    scale: Animatable = keyed(1.0, "Scale", "x", 0.001, 1000, "Of pattern and textures: larger is coarser.", log=True)
    turn: Animatable = keyed(0.0, "Rotation", "°", -360, 360, "Of pattern and textures.", quantity="turn")
    shift_u: Animatable = keyed(0.0, "Offset across", "x", -1000, 1000, "Of pattern and textures.")
    shift_v: Animatable = keyed(0.0, "Offset up", "x", -1000, 1000, "Of pattern and textures.")
    relief: Animatable = keyed(1.0, "Relief", "x", 0, 4, "Depth of the pattern's, or the normal map's, bumps.")
    boxed: bool = Field(
        False,
        title="From six sides",
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


COPIES_AT_MOST = 20_000


class Copies(Model):
    """How a model is set out many times over."""

    laid: Literal["row", "grid", "ring", "line", "faces", "points"] = Field(
        "row",
        title="Laid out",
        description="In a row or grid from where it stands, round it, along a drawn line, or on another model: evenly "
        "over its faces, or on its corners.",
    )
    on: str = Field("", title="On", max_length=40, description="Id of the model whose faces or corners they stand on.")
    standing_out: bool = Field(True, title="Standing out", description="From its faces; else upright.")
    count: int = number(5, "Copies", "", 1, COPIES_AT_MOST, "With the first.")
    columns: int = number(5, "Columns", "", 1, 1000, "Of a grid.")
    step: float = number(2.0, "Step", "m", 0.01, 1000, "From one to the next; of a ring, along it.")
    rows_apart: float = number(2.0, "Rows apart", "m", 0.01, 1000, "Of a grid.")
    line: list[Point2] = Field([], title=None, max_length=400, description="East and north of a drawn line's points.")
    facing: bool = Field(True, title="Turned along", description="Along the line, or outwards in a ring.")
    on_ground: bool = Field(True, title="On the ground", description="Each as high as the ground under it asks.")
    any_turn: float = number(0.0, "Turned at random", "°", 0, 180, "To either side, at most.")
    any_size: float = number(0.0, "Sized at random", "x", 0, 0.9, "Larger or smaller by at most this share.")
    any_shift: float = number(0.0, "Moved at random", "m", 0, 1000, "Along and across, at most.")
    later: float = number(0.0, "Later each by", "s", 0, 600, "Each moves as the one before it did so long ago.")
    any_later: float = number(0.0, "Out of step", "s", 0, 600, "Later at random, by at most this.")
    seed: int = number(1, "Seed", "", 0, 999999, "Another number, another chance.")

    @model_validator(mode="after")
    def _has_a_line(self) -> Copies:
        if self.laid == "line" and len(self.line) < 2:
            raise ValueError("copies along a line need a line: draw one on the chart")
        return self

    @property
    def on_model(self) -> bool:
        """Whether they stand on another model."""
        return self.laid in ("faces", "points") and bool(self.on)

    @property
    def out_of_step(self) -> bool:
        """Whether some move later than others."""
        return self.later > 0 or self.any_later > 0


class Playing(Model):
    """How a model's own motion is played."""

    clip: str = Field("", title="Motion", max_length=200, description="Its name in the file; none is the first.")
    how: Literal["once", "looping", "to and fro"] = Field("looping", title="Plays")
    start: float = number(0.0, "Starts at", "s", -600, 6000, "Of the clip.")
    rate: float = number(1.0, "Rate", "x", -20, 20, "1 is as it was made; less than 0 runs backwards.")
    closes: bool = Field(
        True, title="Closes on a loop", description="In a shot that loops its rate is fitted, so that it comes round."
    )


class Dressed(Model):
    """How one of a model's own surfaces, or one of its parts, is shown instead."""

    part: str = Field(max_length=200, description="The surface's or the part's name in the model's file.")
    of: Literal["surface", "part"] = Field("surface", description="A part's outdoes its surfaces'.")
    surface: str = Field("", max_length=40, description="Id of a surface of this place.")
    hidden: bool = False


class Opening(Model):
    """A way through a wall: a door, a window."""

    id: Id
    wall: Literal["south", "east", "north", "west"] = Field(
        "south", title="In the wall", description="Of a room, on the side to which the room's own front is south."
    )
    along: float = number(0.0, "Along", "m", -100, 100, "From the wall's middle, to the right seen from outside.")
    up: float = number(0.9, "Sill", "m", 0, 100, "Over the floor; 0 for a door.")
    width: float = number(1.2, "Width", "m", 0.05, 100, "Of the opening.")
    height: float = number(1.3, "Height", "m", 0.05, 100, "Of the opening.")
    glazed: bool = Field(False, title="Glazed", description="With a clear pane in it.")


class Shape(Model):
    """A plain form of one's own, to block a place out with."""

    kind: Literal["ball", "box", "plate", "cylinder", "cone", "stairs", "wall", "room", "sweep", "stone"] = Field(
        "box", title="Form"
    )
    width: float = number(1.0, "Width", "m", 0.001, 1000, "Of a room, inside.")
    depth: float = number(1.0, "Depth", "m", 0.001, 1000, "From its front to its back; of a room, inside.")
    height: float = number(1.0, "Height", "m", 0.001, 1000, "Of a room, inside.")
    steps: int = number(10, "Steps", "", 1, 400, "Of stairs.")
    thick: float = number(0.2, "Thickness", "m", 0.01, 10, "Of walls, floor and ceiling.")
    curve: float = number(1.5, "Curve", "m", 0.01, 100, "Radius by which a sweep's floor turns up into its wall.")
    number: int = Field(1, title="Which", ge=0, le=9999, description="Of a stone: each number is of another form.")
    roofed: bool = Field(True, title="Ceiling", description="Of a room.")
    openings: list[Opening] = Field(
        [], title="Openings", max_length=60, description="Doors and windows of a wall or a room."
    )


class Thing(Model):
    """A model brought in, or a shape of one's own, and set down."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    mesh: Asset | None = Field(None, title="Model", description="A glTF (.glb), OBJ, PLY or STL file.")
    shape: Shape | None = Field(None, title="Form", description="Its form, if it is no model brought in.")
    east: Animatable = keyed(0.0, "East", "m", -1e6, 1e6, "From the place's origin.")
    north: Animatable = keyed(0.0, "North", "m", -1e6, 1e6, "From the place's origin.")
    up: Animatable = keyed(0.0, "Height", "m", -1000, 20000, "Of the model's own zero, over the datum.")
    turn: Animatable = keyed(0.0, "Turn", "°", -360, 360, "Clockwise, seen from above.", quantity="turn")
    tilt: Animatable = keyed(
        0.0, "Tilt", "°", -360, 360, "About its own line from west to east: its north end up.", quantity="turn"
    )
    lean: Animatable = keyed(
        0.0, "Lean", "°", -360, 360, "About its own line from south to north: its east side down.", quantity="turn"
    )
    scale: Animatable = keyed(1.0, "Scale", "x", 1e-4, 1e4, "Metres for one unit of the file.", log=True)
    held: str = Field(
        "",
        title="Carried by",
        max_length=40,
        description="Id of a model or a lamp that carries it, or camera: then east, north and height are told from "
        "its carrier: to its right, ahead of it and up.",
    )
    rolls: bool = Field(False, title="Rolls", description="Goes on the ground as a ball does, without slipping.")
    floats: bool = Field(
        False,
        title="Floats",
        description="Rides the sea's waves: its own zero is its waterline, its height is told over the water.",
    )
    density: float = number(
        0.0, "Density", "kg/m³", 0, 20000, "Of what floats: it sinks over 1025; 0 floats by its own zero."
    )
    mooring: Literal["fixed", "moored", "adrift"] = Field(
        "fixed", title="Kept by", description="Nothing but its place, a mooring with slack, or nothing at all: adrift."
    )
    slack: float = number(1.0, "Slack", "m", 0, 100, "How far a mooring lets it go.")
    touches: bool = Field(True, title="Pushes plants", description="Where it goes, plants are pushed aside, and rise.")
    plays: Playing | None = Field(
        None, title="Motion", description="How its own motion is played, if its file has any."
    )
    upright: Literal["by the file", "y up", "z up"] = Field(
        "by the file", title="Upright", description="Which of the file's axes points up."
    )
    surface: str = Field(
        "", title="Surface", max_length=40, description="Id of a surface of this place, or nothing for the model's own."
    )
    dressed: list[Dressed] = Field([], max_length=400, description="Which of its own surfaces are shown otherwise.")
    copies: Copies | None = Field(None, title="Copies", description="How it is set out many times over.")

    @model_validator(mode="after")
    def _has_a_form(self) -> Thing:
        if (self.mesh is None) == (self.shape is None):
            raise ValueError(f"{self.name} must have either a model's file or a shape of its own")
        return self

    @property
    def form(self) -> tuple[str, ...]:
        """What its triangles are made from, for keys."""
        if self.mesh is not None:
            return (self.mesh.sha256, self.upright)
        assert self.shape is not None
        return ("shape", self.shape.model_dump_json())


class Gobo(Model):
    """What a spot's light is thrown through, and whose shadow falls on what it lights."""

    kind: Literal["blinds", "window", "leaves", "ripple", "picture", "film"] = Field("blinds", title="Shadow of")
    picture: Asset | None = Field(None, title="Picture", description="White lets light through, colours colour it.")
    film: Asset | None = Field(
        None, title="Film", description="A film, or a zip of numbered frames: white lets light through."
    )
    how: Literal["once", "looping", "to and fro"] = Field("looping", title="Plays")
    start: float = number(0.0, "Starts at", "s", -600, 6000, "Of the clip.")
    far: Animatable = keyed(1.0, "Distance", "m", 0.02, 100, "From the lamp to what throws the shadow.", log=True)
    size: Animatable = keyed(1.0, "Size", "m", 0.01, 100, "Width of what throws the shadow.", log=True)
    turn: Animatable = keyed(0.0, "Turn", "°", -360000, 360000, "About the lamp's way.", quantity="turn")
    contrast: Animatable = keyed(1.0, "Contrast", "x", 0, 1, "1 lets nothing through where it is dark.")
    inverted: bool = Field(False, title="Inverted", description="Light where it was dark.")
    count: int = number(8, "How many", "", 1, 60, "Slats, panes across, twigs, or ripples across.")
    cover: float = number(0.45, "Covers", "x", 0.02, 0.98, "Share that is dark; of ripples how strong they are.")
    rate: float = number(1.0, "Rate", "x", 0, 20, "Of what sways or runs in it, or of a film; 0 stands still.")
    seed: int = number(1, "Seed", "", 0, 999999, "Another number, other leaves and ripples.")


class SunGobo(Gobo):
    """What the sun's light is thrown through: it stands in its way, upright to it, over a spot."""

    east: Animatable = keyed(0.0, "East", "m", -1e6, 1e6, "Of the spot that its middle's shadow falls on.")
    north: Animatable = keyed(0.0, "North", "m", -1e6, 1e6, "Of the spot that its middle's shadow falls on.")
    up: Animatable = keyed(0.0, "Height", "m", -1000, 20000, "Of that spot, over the datum.")


class Lamp(Model):
    """A source of light that is not the sky."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    kind: Literal["point", "spot", "rectangle", "disc", "line", "parallel", "window"] = Field(
        "point",
        title="Kind",
        description="From afar shines as the sun does, with even rays; an opening is one that daylight comes through, "
        "said so that rooms are clean.",
        json_schema_extra={"said": {"window": "opening", "parallel": "from afar"}},
    )
    lit: bool = Field(True, title="Lit")
    group: str = Field("", title="Group", max_length=40, description="Id of a group of lamps with one switch.")
    dusk: bool = Field(False, title="Comes on at dusk", description="By the height of the sun.")
    dusk_below: float = number(-1.0, "Sun under", "°", -18, 30, "Half lit when the sun is so high; over one degree.")
    held: str = Field(
        "", title="Carried by", max_length=40, description="Id of a model that carries it, or camera; as of a model."
    )
    east: Animatable = keyed(0.0, "East", "m", -1e6, 1e6, "From the place's origin.")
    north: Animatable = keyed(0.0, "North", "m", -1e6, 1e6, "From the place's origin.")
    up: Animatable = keyed(2.5, "Height", "m", -1000, 20000, "Over the datum.")
    bearing: Animatable = keyed(
        0.0, "Shines to", "°", -360000, 360000, "Bearing of a spot's or flat lamp's light.", quantity="turn"
    )
    pitch: Animatable = keyed(-90.0, "Pitch", "°", -90, 90, "-90 shines straight down.")
    turns: float = number(0.0, "Turns a clip", "x", -1000, 1000, "Of a beam that goes round: a whole number closes.")
    amount: Animatable = keyed(
        800.0,
        "Light",
        "x",
        0,
        1e8,
        "In lumens or candelas: a house lamp sends out about 800 lm. Of parallel light in lux.",
        log=True,
    )
    unit: Literal["lm", "cd"] = Field(
        "lm", title="Unit", description="lm: all of its light. cd: its intensity straight ahead."
    )
    kelvin: Animatable = keyed(2700.0, "Colour", "K", 1667, 25000, "Candle 1850, filament 2700, daylight 6500.")
    inner: Animatable = keyed(20.0, "Inner cone", "°", 0, 89, "Half angle of a spot at full strength.")
    outer: Animatable = keyed(30.0, "Outer cone", "°", 0.5, 90, "Half angle of a spot outside which it is dark.")
    source: Animatable = keyed(
        0.0, "Source", "m", 0, 5, "Diameter of a spot's shining part: the larger, the softer its shadows."
    )
    width: Animatable = keyed(0.3, "Width", "m", 0, 100, "Of a rectangle, or a disc's or line's diameter.")
    height: Animatable = keyed(0.3, "Length", "m", 0, 100, "Of a rectangle or a line.")
    spread: Animatable = keyed(0.53, "Seen as wide as", "°", 0, 60, "Of parallel light: the sun is half a degree wide.")
    distribution: Asset | None = Field(
        None, title="Light distribution", description="Of a point: an IES file (LM-63) says how much light goes where."
    )

    gobo: Gobo | None = Field(None, title="Thrown shadow", description="What a spot's light is thrown through.")

    @model_validator(mode="after")
    def _has_an_area(self) -> Lamp:
        width, height = least(self.width), least(self.height)
        flat = self.kind in ("rectangle", "line", "window")
        if (flat and width * height < 1e-8) or (self.kind == "disc" and width < 1e-4):
            raise ValueError(
                f"the lamp {self.name} has no area: give it a width{' and a length' if flat else ''}, "
                "or make it a point"
            )
        return self


class LampGroup(Model):
    """Lamps with one switch."""

    id: Id
    name: str = Field(title="Name", min_length=1, max_length=80)
    lit: bool = Field(True, title="Lit")
    dim: Animatable = keyed(1.0, "Dimmed to", "x", 0, 100, "Share of each lamp's own light.", log=True)
