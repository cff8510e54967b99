"""What grows in a place, as the document says it: stands, how their plants are formed, move, and come to be."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING, Literal

from pydantic import Field, field_validator, model_validator

from lumwick.growth.kinds import KINDS
from lumwick.motion.channel import Animatable
from lumwick.place.fields import Asset, Id, Model, Point2, keyed, number

PLANTS_AT_MOST = 2_000_000

if TYPE_CHECKING:
    PlantKind = str
else:
    PlantKind = Literal[tuple(KINDS)]
Outline = Literal["oval", "egg", "lance", "heart", "spoon", "lobed", "toothed", "needle", "own"]


class WoodForm(Model):
    """How the trees or shrubs of a stand grow, where that is not as their kind does."""

    crown: Literal["of its kind", "round", "broad", "egg", "column", "cone", "vase", "flat-topped"] = Field(
        "of its kind", title="Crown"
    )
    spread: float = number(0.8, "Crown width", "x", 0.04, 2, "Across, against its height.")
    bare: float = number(0.2, "Bare stem", "x", 0, 0.8, "Share of its height below the crown.")
    leader: float = number(0.5, "Leader", "x", 0.05, 1, "How far up the stem goes on as one.")
    stems: int = Field(1, title="Stems", ge=1, le=12)
    thick: float = number(1.0, "Thickness", "x", 0.3, 4, "Of its wood, against its kind's.")
    flare: float = number(1.5, "Foot's spread", "x", 1, 4, "How much thicker its foot is.")
    branches: int = Field(2400, title="Branching", ge=10, le=8000, description="Spots of free room that it grows into.")
    reach: float = number(14.0, "Reach to light", "x", 4, 40, "Steps of growth over which a bud feels free room.")
    rises: float = number(0.1, "Turns up", "x", -1, 2, "How much growth turns up; below 0 down.")
    crooked: float = number(0.12, "Crooked", "x", 0, 0.8, "How much its limbs wander.")
    hangs: float = number(
        0.0, "Hanging twigs", "x", 0, 0.6, "Length of twigs that hang from its ends, against its height."
    )
    outline: Outline = Field("oval", title="Leaf outline")
    leaf: float = number(0.08, "Leaf length", "m", 0.004, 1.5, "Of a grown leaf.")
    broad: float = number(0.7, "Leaf width", "x", 0.02, 2, "Against its length.")
    cover: float = number(2.5, "Leaf area", "x", 0, 14, "Of all its leaves, over the ground under its crown.")
    own_outline: str = Field(
        "0 0, 0.3 0.45, 0.7 0.4, 1 0",
        title="Own outline",
        description="For the outline “own”: how far along a leaf, and half how broad it is there, point by point.",
        max_length=200,
    )

    @property
    def half(self) -> tuple[tuple[float, float], ...]:
        """Half a leaf's own outline: shares of its length and of its breadth."""
        return tuple((float(a), float(w)) for a, w in (point.split() for point in self.own_outline.split(",")))

    @field_validator("own_outline")
    @classmethod
    def _goes_along(cls, value: str) -> str:
        try:
            half = [tuple(float(v) for v in point.split()) for point in value.split(",")]
        except ValueError:
            half = []
        if not 3 <= len(half) <= 12 or any(len(point) != 2 for point in half):
            raise ValueError(
                "a leaf's own outline is written like 0 0, 0.3 0.45, 1 0: three points at least, twelve at most"
            )
        if any(a[0] >= b[0] for a, b in itertools.pairwise(half)):
            raise ValueError("each point of a leaf's own outline lies further along it than the last")
        if any(not (-0.3 <= along <= 1.2 and 0 <= wide <= 0.8) for along, wide in half):
            raise ValueError("a leaf's own outline lies between 0 and 1 of its length, and 0 and 0.8 of its breadth")
        return value


class BladeForm(Model):
    """How the blades of a stand's grass grow, where that is not as their kind does."""

    clumps: float = number(0.4, "Clumps", "x", 0, 1, "0 is an even sward, 1 tussocks with bare ground between.")
    shortest: float = number(0.4, "Shortest", "x", 0.02, 1, "Blade, against the height.")
    longest: float = number(1.1, "Longest", "x", 0.1, 2, "Blade, against the height.")
    lean: float = number(0.0, "Leaning", "x", 0, 2, "All to one side, as a slope.")
    curl: float = number(0.5, "Curl", "x", 0, 1.5, "How far blades bend over.")
    width: float = number(0.0055, "Blade width", "m", 0.0005, 0.1, "Of its broadest part.")
    taper: float = number(1.6, "Taper", "x", 0.2, 6, "Large keeps a blade broad to near its tip.")
    headed: float = number(0.0, "Bears heads", "x", 0, 1, "Share of the blades that stand up and bear a head.")


class OwnPlant(Model):
    """A model brought in that a stand's plants are: it stands in place of a form that grows, and moves as its kind
    does."""

    mesh: Asset = Field(title="Model")
    upright: Literal["by the file", "y up", "z up"] = Field(
        "by the file", title="Upright", description="Which of the file's axes points up."
    )
    leaves: list[str] = Field(
        [],
        title="Leaves",
        max_length=200,
        description="Which of its surfaces or parts are leaves or flowers, by name; the rest is wood.",
    )
    through: float = number(0.35, "Light through leaves", "x", 0, 0.9, "Share of its light that a leaf lets pass.")


class Among(Model):
    """Another kind of plant among those of a stand."""

    id: Id
    kind: PlantKind = Field(title="Kind")
    share: float = number(0.2, "Share", "x", 0.01, 1, "Of the stand's plants.")
    tall: float = number(1.0, "Height", "x", 0.05, 5, "Against the stand's.")


class Front(Model):
    """From where growing spreads."""

    of: Literal["spots", "line", "water"] = Field("spots", title="Spreads from")
    points: list[Point2] = Field([], title="Points", description="East and north.", max_length=200)
    reach: Animatable = keyed(0.0, "Has come", "m", -1000, 100_000, "How far the front is from where it started.")
    soft: float = number(6.0, "Soft edge", "m", 0.01, 5000, "Over which plants grow from nothing to full size.")
    lag: float = number(
        0.3, "Lag by chance", "x", 0, 3, "How far plants keep back by themselves, against the soft edge."
    )

    @model_validator(mode="after")
    def _starts(self) -> Front:
        if self.of == "spots" and not self.points:
            raise ValueError("a front of growth needs a spot to spread from")
        if self.of == "line" and len(self.points) < 2:
            raise ValueError("a front of growth along a line needs two points or more")
        return self


class Spot(Model):
    """One plant that was set by hand."""

    id: Id
    east: float = number(0.0, "East", "m", -1e6, 1e6, "From the place's origin.")
    north: float = number(0.0, "North", "m", -1e6, 1e6, "From the place's origin.")
    turn: float = number(0.0, "Turn", "°", -360, 360, "Clockwise, seen from above.")
    size: float = number(1.0, "Size", "x", 0.05, 5, "Against the stand's height.")


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
    groves: float = number(
        0.0,
        "Groves",
        "m",
        0,
        3000,
        "Width of the groves that it grows in, shared by stands of the same width; 0 is all over.",
    )
    groves_cover: float = number(
        0.3, "Groves cover", "x", 0.01, 1, "Share of its ground that groves take up; they lie in hollows first."
    )
    spaced: float = number(0.0, "Keep apart", "m", 0, 200, "Least distance between two plants; 0 is by chance.")
    margin: float = number(0.0, "Margin", "m", 0, 50, "Kept free about ways, walls, floors, models and water.")
    near_water: float = number(0.0, "Near water", "m", 0, 5000, "Grows this near to water only; 0 is anywhere.")
    faces: float = number(0.0, "Slope faces", "°", 0, 360, "Bearing that the slopes face on which it grows.")
    faces_within: float = number(180.0, "Within", "°", 1, 180, "Of that bearing; 180 is on slopes of any.")
    on: str = Field("", title="Grows on", description="A model on whose faces it grows; the ground if empty.")
    upright: float | None = Field(
        None,
        title="Upright",
        description="1 stands upright, 0 out from the ground or face it grows on.",
        ge=0,
        le=1,
        json_schema_extra={"unit": "x", "low": 0, "high": 1, "optional": True},
    )
    singles: list[Spot] = Field([], title="Single plants", max_length=2000)
    only_singles: bool = Field(False, title="Only those", description="None but the plants that were set by hand.")
    dry: Animatable = keyed(0.07, "Dry", "x", 0, 1, "Share of dry blades or leaves in grass and reeds.")
    lean: Animatable = keyed(0.0, "Lean", "°", 0, 40, "Lean away from the wind that shaped them.")
    stiffness: Animatable = keyed(
        1.0, "Stiffness", "x", 0.1, 20, "Its stiffness against its kind's: less is limper and slower.", log=True
    )
    wild: Animatable = keyed(1.0, "Calm to wild", "x", 0, 5, "How far it moves against what this wind would do.")
    rises: float = number(14.0, "Rises in", "s", 0.2, 40, "Time in which what was trodden down rises most of the way.")
    grown: Animatable = keyed(1.0, "Grown", "x", 0, 1, "How far it has grown: stem, branches, leaves, flowers.")
    front: Front | None = Field(None, title="Front")
    leaves: Literal["in summer", "by the date", "by the dial"] = Field(
        "in summer", title="Season", description="By the date follows the shot's clock."
    )
    month: Animatable = keyed(7.0, "Month", "x", 1, 13, "The season's dial: 1 is the first of January, 6.5 mid June.")
    leaf_colour: str = Field("", title="Leaf colour", description="Its own, as #rrggbb; its kind's if empty.")
    flower_colour: str = Field("", title="Flower colour", description="Its own, as #rrggbb; its kind's if empty.")
    tip_colour: str = Field("", title="Tip colour", description="What its tips are tinted with, as #rrggbb.")
    side_colour: str = Field("", title="Side colour", description="What one side of it is tinted with, as #rrggbb.")
    side_faces: float = number(180.0, "Side faces", "°", 0, 360, "Bearing of that side: 180 is where the noon sun is.")
    varied: float = number(1.0, "Colour varied", "x", 0, 4, "How much leaf differs from leaf and plant from plant.")
    among: list[Among] = Field([], title="Among them", max_length=8, description="Other kinds, by their shares.")
    own: OwnPlant | None = Field(None, title="Own model", description="In place of its kind's form.")
    wood: WoodForm | None = Field(None, title="Own form")
    blades: BladeForm | None = Field(None, title="Own blades")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)

    @property
    def single(self) -> bool:
        """Whether its plants are drawn one by one, not by patches."""
        return self.own is not None or KINDS[self.kind].woody

    @model_validator(mode="after")
    def _shares(self) -> Stand:
        shares = sum(one.share for one in self.among)
        if shares > 1.0 + 1e-9:
            raise ValueError(f"the shares of what grows among {self.name} add up to {shares:.2f}: at most 1")
        if len({self.kind, *(one.kind for one in self.among)}) <= len(self.among):
            raise ValueError(f"a kind grows among {self.name} twice: give it one share")
        return self

    @model_validator(mode="after")
    def _colours(self) -> Stand:
        for value in (self.leaf_colour, self.flower_colour, self.tip_colour, self.side_colour):
            if value and not (
                len(value) == 7 and value[0] == "#" and all(c in "0123456789abcdefABCDEF" for c in value[1:])
            ):
                raise ValueError(f"{value!r} is no colour: write it as #rrggbb, or leave it empty")
        return self
