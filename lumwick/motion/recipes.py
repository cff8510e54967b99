"""Small motions by recipe: what somebody would otherwise key by hand, as ordinary keys or as a term that can be
edited."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
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


class LaidOver(BaseModel):
    """A term, laid over what is keyed."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["term"]
    term: AnyTerm


Recipe = Annotated[Turning | Sway | LaidOver, Field(discriminator="kind")]
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
