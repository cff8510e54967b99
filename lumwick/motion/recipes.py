"""Small motions by recipe: what somebody would otherwise key by hand, as ordinary keys or as a term that can be
edited."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Key, at
from lumwick.motion.keys import remade
from lumwick.motion.terms import AnyTerm, Finite


class Turning(BaseModel):
    """A constant turn: whole turns (or parts of one) in a clip, going on before and after it."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["turning"]
    turns: Finite = Field(1.0, title="Turns", description="In the clip; below 0 the other way.")


class Sway(BaseModel):
    """An irregular sway: a few uneven keys, closed into a loop."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["sway"]
    amount: Finite = Field(1.0, title="Amount", description="About how far to either side.")
    period: float = Field(
        4.0,
        title="Comes round in",
        gt=0,
        le=1e5,
        description="Seconds until it starts again; in a loop rounded so that a whole number fits.",
    )
    keys: int = Field(6, title="Keys", ge=3, le=60, description="In one round.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Growth(BaseModel):
    """Growth from nothing to the value: slow, then quick, then slow, by a growth curve; a few ordinary keys."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["growth"]
    starts: float = Field(0.0, title="Starts at", ge=-1e6, le=1e6, description="Seconds of the clip.")
    lasts: float = Field(8.0, title="Lasts", gt=0, le=1e6, description="Seconds from a hundredth of it to all but one.")
    early: float = Field(
        1.0, title="Early or late", ge=0.05, le=4, description="1 is even; below 1 it is quickest early, above 1 late."
    )


def richards(share: NDArray[np.float64], early: float = 1.0) -> NDArray[np.float64]:
    """How far something has grown, 0 to 1, at shares (n,) of its time of growing.

    Richards' curve y = (1 + v exp(-k t))^(-1/v), between the hundredth and all but a hundredth; v = 1 is the logistic
    curve.

    References
    ----------
    F. J. Richards, A flexible growth function for empirical use, Journal of Experimental Botany 10 (1959).
    """
    first, last = (-np.log((p**-early - 1) / early) for p in (BEGUN, 1 - BEGUN))
    t = first + np.clip(share, 0, 1) * (last - first)
    y = (1 + early * np.exp(-t)) ** (-1 / early)
    return np.asarray((y - BEGUN) / (1 - 2 * BEGUN), float)


BEGUN = 0.01
"""Share at which growing is said to begin, and that is left when it ends."""
GROWTH_KEYS = 9


class LaidOver(BaseModel):
    """A term, laid over what is keyed."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["term"]
    term: AnyTerm


Recipe = Annotated[Turning | Sway | Growth | LaidOver, Field(discriminator="kind")]
_ADAPTER: TypeAdapter[Any] = TypeAdapter(Recipe)


def recipe(data: Any) -> Any:
    """A recipe from plain data.

    Raises
    ------
    pydantic.ValidationError
    """
    return _ADAPTER.validate_python(data)


def cook(value: Any, made: Any, seconds: float, loop: float | None, turn: bool) -> Channel:
    """A channel from a constant or channel and a recipe.

    Parameters
    ----------
    value : float or Channel
        What there was.
    seconds : float [s]
        Length of the clip.
    loop : float or None [s]
        Length of the loop, if the clip is one.
    turn : bool
        Whether the value is an angle.

    Raises
    ------
    PlaceError
        The recipe does not fit the value.
    """
    start = (
        at(value, 0.0)
        if not isinstance(value, Channel) or not value.terms
        else at(value.model_copy(update={"terms": ()}), 0.0)
    )
    if isinstance(made, LaidOver):
        base = value if isinstance(value, Channel) else Channel(keys=(Key(t=0, v=start, join="straight"),))
        return remade(base, base.keys, terms=(*base.terms, made.term))
    terms = value.terms if isinstance(value, Channel) else ()
    if isinstance(made, Turning):
        if not turn:
            raise PlaceError("Only an angle can turn round and round: choose another motion.")
        keys = (
            Key(t=0, v=start, join="straight"),
            Key(t=round(seconds, 9), v=start + 360.0 * made.turns, join="straight"),
        )
        return Channel(keys=keys, before="cycle_offset", after="cycle_offset", terms=terms)
    if isinstance(made, Growth):
        share = np.linspace(0, 1, GROWTH_KEYS)
        told = zip(made.starts + share * made.lasts, richards(share, made.early) * start, strict=True)
        return Channel(keys=tuple(Key(t=round(float(t), 6), v=round(float(v), 9), join="spline") for t, v in told),
                       terms=terms)  # fmt: skip
    period = made.period if not loop else loop / max(1, round(loop / made.period))
    rng = np.random.Generator(np.random.Philox(key=[made.seed, 53]))
    gaps = rng.uniform(0.6, 1.4, made.keys)
    t = np.concatenate([[0], np.cumsum(gaps)[:-1] / gaps.sum()]) * period
    # it swings from side to side, each time another distance
    side = np.where(np.arange(made.keys) % 2 == 0, 1.0, -1.0) * (1 if rng.random() < 0.5 else -1)
    v = side * rng.uniform(0.45, 1.0, made.keys) * made.amount
    v -= v.mean()
    stops = [Key(t=round(float(a), 6), v=round(start + float(b), 9), join="spline") for a, b in zip(t, v, strict=True)]
    stops.append(Key(t=round(period, 9), v=stops[0].v, join="spline"))
    return Channel(keys=tuple(stops), before="cycle", after="cycle", terms=terms)
