"""Keyframe channels: values that change over a clip.

One mechanism serves every value of a place that can move: numbers, colours and the place's own date. A channel
is evaluated in closed form at any clip time, so nothing depends on the frame before. Channels never change;
whoever edits one makes another.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag, field_validator, model_validator

from lumwick.motion.colour import from_hex, from_oklab, to_hex, to_oklab
from lumwick.motion.table import Table, lay_out
from lumwick.motion.terms import AnyTerm, Finite, Follow, laid_over

Join = Literal[
    "step",
    "steps",
    "straight",
    "quad_in",
    "quad_out",
    "quad_both",
    "cubic_in",
    "cubic_out",
    "cubic_both",
    "sine_in",
    "sine_out",
    "sine_both",
    "smooth",
    "spline",
    "bezier",
    "free",
]
Beyond = Literal["hold", "straight_on", "cycle", "cycle_offset", "mirror"]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
SAME_TIME = 1e-6
"""Keys nearer than this [s] stand at one time."""
EPOCH = dt.datetime(2000, 1, 1)


class Stop(BaseModel):
    """One keyframe without its value: its clip time, and how the curve leaves it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    t: Finite = Field(title="Time", json_schema_extra={"unit": "s"})
    join: Join = Field("cubic_both", title="Way to the next key")
    bezier: tuple[Finite, Finite, Finite, Finite] = Field(
        (0.42, 0.0, 0.58, 1.0),
        title="Easing",
        description="Cubic Bezier x1 y1 x2 y2 in shares of the interval, as in CSS easing.",
    )
    handles: tuple[Finite, Finite, Finite, Finite] = Field(
        (0.33, 0.0, 0.67, 0.0),
        title="Handles",
        description=(
            "Where the free handles stand: share of the interval's time and "
            "offset from this key's value, then the same for the next key's."
        ),
    )
    steps: int = Field(4, title="Steps", ge=1, le=1000)
    jump: Literal["end", "start", "none", "both"] = Field(
        "end",
        title="Steps at",
        description="Whether a step is taken at the interval's start, its end, both or neither.",
    )

    @field_validator("bezier", "handles")
    @classmethod
    def _handles_do_not_fold_back(cls, value: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        x1, y1, x2, y2 = value
        return (min(max(x1, 0.0), 1.0), y1, min(max(x2, 0.0), 1.0), y2)

    @model_validator(mode="after")
    def _has_a_step(self) -> Stop:
        if self.join == "steps" and self.jump == "none" and self.steps < 2:
            raise ValueError("steps at neither end need at least two")
        return self


class Key(Stop):
    """A keyframe of a number."""

    v: Finite = Field(title="Value")


class ColourKey(Stop):
    """A keyframe of a colour."""

    v: Colour = Field(title="Colour")


class MomentKey(Stop):
    """A keyframe of a date and hour."""

    v: dt.datetime = Field(title="Date and hour")

    @field_validator("v")
    @classmethod
    def _in_range(cls, value: dt.datetime) -> dt.datetime:
        return trusted(value)


ZONE = "an hour is told by the place's own clock, which says itself how far it is ahead of UTC: leave the time zone out"
"""What is said to a date and hour that brings a time zone."""


def trusted(value: dt.datetime) -> dt.datetime:
    """A date and hour by the place's clock, if it lies in the years for which the sun's position is trusted.

    Raises
    ------
    ValueError
        It does not, or brings a time zone.
    """
    if value.tzinfo is not None:
        raise ValueError(ZONE)
    if not 1900 <= value.year <= 2100:
        raise ValueError(f"the year {value.year} is outside 1900 to 2100, where the sun's position is trusted")
    return value


StopT = TypeVar("StopT", bound=Stop)


class Curve(BaseModel):
    """Keyframes in time order, what holds before the first and after the last, and small motions laid over."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    keys: tuple[Any, ...]
    before: Beyond = Field("hold", title="Before the first key")
    after: Beyond = Field("hold", title="After the last key")
    blend: Literal["even", "ratio"] = Field(
        "even", title="Blends", description="By even steps, or by even ratios, as sizes and distances look even."
    )

    @field_validator("keys", check_fields=False)
    @classmethod
    def _in_time_order(cls, keys: tuple[StopT, ...]) -> tuple[StopT, ...]:
        ordered = tuple(sorted(keys, key=lambda key: key.t))
        for a, b in zip(ordered, ordered[1:], strict=False):
            if b.t - a.t < SAME_TIME:
                raise ValueError(f"two keys stand at the same time, {a.t:g} s: move or remove one")
        return ordered

    @property
    def times(self) -> NDArray[np.float64]:
        """Clip times of the keys [s]."""
        return np.array([key.t for key in self.keys])

    def numbers(self) -> NDArray[np.float64]:
        """The keys' values in the space in which they blend, shape (components, keys)."""
        raise NotImplementedError

    def rows(self) -> list[tuple[Curve, NDArray[np.float64]]]:
        """What a table is laid out from, one row for each component."""
        return [(self, row) for row in self.numbers()]

    @property
    def table(self) -> Table:
        """This curve laid out alone; kept with it."""
        kept = self.__dict__.get("_table")
        rules = (self.before, self.after, self.blend)
        if kept is None or kept[0] is not self.keys or kept[1] != rules:  # a copy carries its original's
            kept = (self.keys, rules, lay_out(self.rows()))
            self.__dict__["_table"] = kept
        return kept[2]


class Channel(Curve):
    """A keyed number."""

    keys: tuple[Key, ...] = Field(min_length=1, max_length=20_000)
    terms: tuple[AnyTerm, ...] = Field((), title="Small motions", max_length=20)

    @model_validator(mode="after")
    def _has_ratios(self) -> Channel:
        if self.blend == "ratio" and min(key.v for key in self.keys) <= 0:
            raise ValueError(
                "a value that blends by ratios is never 0 or less: let it blend evenly, or key it a little above 0"
            )
        return self

    def numbers(self) -> NDArray[np.float64]:
        v = np.array([[key.v for key in self.keys]])
        return np.log(v) if self.blend == "ratio" else v


class ColourChannel(Curve):
    """A keyed colour, blended in Oklab, where even steps look even."""

    keys: tuple[ColourKey, ...] = Field(min_length=1, max_length=20_000)
    blend: Literal["even"] = "even"

    def numbers(self) -> NDArray[np.float64]:
        return to_oklab(np.array([from_hex(key.v) for key in self.keys])).T


class MomentChannel(Curve):
    """A keyed date and hour: the place's clock by hand."""

    keys: tuple[MomentKey, ...] = Field(min_length=1, max_length=20_000)
    blend: Literal["even"] = "even"

    def numbers(self) -> NDArray[np.float64]:
        return np.array([[(key.v - EPOCH).total_seconds() for key in self.keys]])


def colour_of(lab: ArrayLike) -> str:
    """A blended colour, written like #8a7b5c."""
    return to_hex(from_oklab(lab))


def moment_of(seconds: float) -> dt.datetime:
    """A blended date and hour."""
    return EPOCH + dt.timedelta(seconds=float(np.clip(seconds, -3.155e9, 3.187e9)))


def _kind(value: Any) -> str:
    return "channel" if isinstance(value, dict | Curve) else "constant"


def _either(constant: Any, channel: Any) -> Any:
    """A constant or a channel; what is wrong is told of the one that was meant."""
    return Annotated[Annotated[constant, Tag("constant")] | Annotated[channel, Tag("channel")], Discriminator(_kind)]


if TYPE_CHECKING:  # whoever evaluates a place sees numbers: channels are gone by then (lumwick.place.instant)
    Animatable = float
    AnimatableColour = str
    AnimatableMoment = dt.datetime
else:
    Animatable = _either(Finite, Channel)
    AnimatableColour = _either(Colour, ColourChannel)
    AnimatableMoment = _either(dt.datetime, MomentChannel)


def evaluate(value: Any, t: ArrayLike, loop: float | None = None) -> NDArray[np.float64]:
    """Value of a constant number or of a channel at clip times.

    Parameters
    ----------
    value : float or Channel
    t : array_like, shape (n,) or scalar [s]
    loop : float or None [s]
        Length that the small motions close over.

    Returns
    -------
    ndarray, same shape as ``t`` [the channel's unit]

    Raises
    ------
    ValueError
        The channel follows another value: only `lumwick.place.instant` knows that one.
    """
    times = np.atleast_1d(np.asarray(t, float))
    out = (
        np.full(times.shape, float(value))
        if not isinstance(value, Channel)
        else with_terms(value.table.at(times)[0], value.terms, times, loop)
    )
    return out.reshape(np.shape(t))


def with_terms(
    value: NDArray[np.float64], terms: Sequence[Any], t: NDArray[np.float64], loop: float | None
) -> NDArray[np.float64]:
    """A keyed value (n,) with all its small motions at clip times (n,)."""
    for term in terms:
        if isinstance(term, Follow):
            raise ValueError("what follows another value is evaluated with its place")
        value = laid_over(value, term, t, loop)
    return value


def at(value: Any, t: float, loop: float | None = None) -> float:
    """The value at one clip time ``t`` [s], as a plain float."""
    return float(value) if not isinstance(value, Channel) else float(evaluate(value, t, loop))
