"""Small motions laid over a value's keys, each in closed form: nothing depends on the frame before.

In a loop every frequency is a whole multiple of one over the loop's length, so that each closes exactly.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

Finite = Annotated[float, Field(allow_inf_nan=False)]
Times = NDArray[np.float64]


def _field(default: float, title: str, unit: str, low: float, high: float, text: str) -> Any:
    return Field(
        default,
        title=title,
        description=text,
        ge=low,
        le=high,
        json_schema_extra={"unit": unit, "low": low, "high": high},
    )


class Term(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Swing(Term):
    """To and fro about the keyed value."""

    kind: Literal["swing"] = "swing"
    amount: Finite = Field(1.0, title="Amount", description="To either side, in the value's unit.")
    period: float = _field(2.0, "Period", "s", 1e-3, 1e5, "There and back; in a loop rounded to whole turns.")
    phase: float = _field(0.0, "Starts at", "x", -1, 1, "Share of the period.")
    form: Literal["round", "straight", "held"] = Field(
        "round", title="Form", description="Round as a pendulum, straight as a shuttle, or held at both ends."
    )


class Wander(Term):
    """An irregular, smooth wandering about the keyed value."""

    kind: Literal["wander"] = "wander"
    amount: Finite = Field(1.0, title="Amount", description="About how far to either side, in the value's unit.")
    per_second: float = _field(0.2, "Rate", "Hz", 1e-4, 50, "How often it turns back.")
    rough: float = _field(0.0, "Rough", "x", 0, 1, "0 drifts smoothly, 1 trembles as well.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Flicker(Term):
    """Light that does not burn evenly: it multiplies the keyed value."""

    kind: Literal["flicker"] = "flicker"
    source: Literal["tube", "candle", "lightning"] = Field(
        "candle", title="As", description="A failing tube, a candle in still air, or lightning (dark between strokes)."
    )
    depth: float = _field(0.4, "Depth", "x", 0, 1, "Share of the light that comes and goes.")
    seed: int = Field(1, title="Seed", ge=0, le=2**31)


class Pulse(Term):
    """A bump that comes again and again."""

    kind: Literal["pulse"] = "pulse"
    amount: Finite = Field(1.0, title="Amount", description="Height of the bump, in the value's unit.")
    period: float = _field(
        2.0, "Every", "s", 1e-3, 1e5, "From one to the next; in a loop rounded so that a whole number fits."
    )
    start: float = _field(0.0, "First at", "s", -1e5, 1e5, "Clip time.")
    rise: float = _field(0.1, "Rises in", "s", 0, 1e4, "Eased.")
    hold: float = _field(0.2, "Holds", "s", 0, 1e4, "At its height.")
    fall: float = _field(0.4, "Falls in", "s", 0, 1e4, "Eased.")


class Follow(Term):
    """What another value does, later and larger or smaller; it is added to the keyed value."""

    kind: Literal["follow"] = "follow"
    path: str = Field(title="Follows", description="The value that leads.", max_length=200)
    lag: float = _field(0.0, "Lag", "s", -1e4, 1e4, "How much later.")
    gain: Finite = Field(1.0, title="Gain", description="Its own units for one of the leader's.")
    level: Finite = Field(0.0, title="Counted from", description="The leader's value that adds nothing.")


AnyTerm = Annotated[Swing | Wander | Flicker | Pulse | Follow, Field(discriminator="kind")]


def whole_period(period: float, loop: float | None) -> float:
    """A period [s], shortened or stretched so that a loop holds a whole number of them."""
    return period if not loop else loop / max(1, round(loop / period))


def _smooth(x: Times) -> Times:
    s: Times = np.clip(x, 0.0, 1.0)
    return s * s * (3 - 2 * s)


def chance(seed: int, index: NDArray[np.int64], salt: int) -> Times:
    """A number from 0 to 1 for each index, the same whenever it is asked for.

    References
    ----------
    Steele, Lea and Flood, Fast splittable pseudorandom number generators (2014): the mixing of SplitMix64.
    """
    with np.errstate(over="ignore"):
        z = np.asarray(index, np.int64).astype(np.uint64) + np.uint64(
            (seed * 0x9E3779B97F4A7C15 + salt * 0xD1B54A32D192ED03 + 1) % 2**64
        )
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z ^= z >> np.uint64(31)
    return (z >> np.uint64(11)).astype(float) / 2.0**53


def _swing(term: Swing, t: Times, loop: float | None) -> Times:
    x = np.mod(t / whole_period(term.period, loop) + term.phase, 1.0)
    if term.form == "round":
        return term.amount * np.sin(2 * np.pi * x)
    to = np.abs(np.mod(x + 0.25, 1.0) * 4 - 2) - 1  # 1 at a quarter turn, -1 at three
    return -term.amount * (to if term.form == "straight" else 2 * _smooth(np.clip(to, -0.5, 0.5) + 0.5) - 1)


def wander(t: Times, per_second: float, rough: float, seed: int, loop: float | None) -> Times:
    """A sum of harmonics round a rate that stays within about -1 to 1 (its standard deviation is 0.45)."""
    rng = np.random.Generator(np.random.Philox(key=[seed, 191]))
    octaves = 1 + round(4 * rough)
    f, a = [], []
    for octave in range(octaves):
        f.append(per_second * 2.0**octave * rng.uniform(0.55, 1.45, 5))
        a.append(np.full(5, (0.35 + 0.5 * rough) ** octave))
    n, amplitude = np.concatenate(f), np.concatenate(a)
    if loop:
        n = np.maximum(np.round(n * loop), 1) / loop
    phase = 2 * np.pi * rng.random(len(n))
    amplitude *= 0.45 * np.sqrt(2 / np.sum(amplitude**2))
    return np.asarray(np.sin(2 * np.pi * n * np.asarray(t, float)[..., None] + phase) @ amplitude)


def _slots(t: Times, length: float, loop: float | None) -> tuple[Times, NDArray[np.int64], int]:
    """Time within its slot as a share, the slot's number, and how many there are in a loop (0 for none)."""
    count = max(2, round(loop / length)) if loop else 0
    x = t / (loop / count if loop else length)
    k = np.floor(x).astype(np.int64)
    return x - k, (np.mod(k, count) if count else k), count


def _tube(t: Times, seed: int, loop: float | None) -> Times:
    """Light of a failing tube, 0 to 1: bright spells, and spells of catching and dropping nine times a second (broad
    practice, no source)."""

    def level(k: NDArray[np.int64]) -> Times:
        return np.where(chance(seed, k, 1) > 0.35, 1.0, 0.3 * chance(seed, k, 2))

    x, k, count = _slots(t, 1 / 9, loop)
    before = level(np.mod(k - 1, count) if count else k - 1)
    catching = before + (level(k) - before) * _smooth(x / 0.15)
    y, spell, spells = _slots(t, 1.3, loop)
    calm = (chance(seed, spell, 3) < 0.55).astype(float)
    calm_before = (chance(seed, np.mod(spell - 1, spells) if spells else spell - 1, 3) < 0.55).astype(float)
    calm = calm_before + (calm - calm_before) * _smooth(y / 0.04)
    return np.asarray(calm + (1 - calm) * catching)


def _lightning(t: Times, seed: int, loop: float | None) -> Times:
    """Strokes of lightning, 0 between them: flashes of two to four strokes some 0.1 s apart, each gone in a tenth of
    a second (broad practice, no source)."""
    slot = 2.5
    count = max(1, round(loop / slot)) if loop else 0
    length = loop / count if loop else slot
    first = np.floor(t / length).astype(np.int64)
    out = np.zeros_like(t)
    for back in (0, 1):  # a flash may last into the next slot
        k = first - back
        name = np.mod(k, count) if count else k
        begins = k * length + 0.7 * length * chance(seed, name, 4)
        there = chance(seed, name, 5) < 0.6
        strokes = 2 + np.floor(3 * chance(seed, name, 6))
        for stroke in range(4):
            since = t - begins - stroke * (0.07 + 0.08 * chance(seed, name, 7 + stroke))
            bright = (0.5 + 0.5 * chance(seed, name, 12 + stroke)) * (stroke < strokes) * there
            out = np.maximum(out, np.where(since >= 0, bright * np.exp(-np.maximum(since, 0) / 0.045), 0.0))
    return out


def _candle(t: Times, seed: int, loop: float | None) -> Times:
    """Light of a candle, 0 to 1: a slow leaning and a trembling of some ten times a second (broad practice, no
    source)."""
    return np.clip(0.62 + 0.32 * wander(t, 1.1, 0.4, seed, loop) + 0.18 * wander(t, 9.0, 0.0, seed + 1, loop), 0.0, 1.0)


_SOURCES = {"tube": _tube, "candle": _candle, "lightning": _lightning}


def _pulse(term: Pulse, t: Times, loop: float | None) -> Times:
    period = whole_period(term.period, loop)
    x = np.mod(t - term.start, period)
    out = np.zeros_like(t)
    for back in (0.0, period):  # one that is still falling when the next begins
        since = x + back
        up = _smooth(since / term.rise) if term.rise > 0 else np.ones_like(t)
        gone = since - term.rise - term.hold
        down = 1 - _smooth(gone / term.fall) if term.fall > 0 else (gone < 0).astype(float)
        out = np.maximum(out, np.where(gone < 0, up, down))
    return term.amount * out


def laid_over(value: Times, term: Swing | Wander | Flicker | Pulse, t: Times, loop: float | None) -> Times:
    """A value with a term laid over it, at clip times ``t`` [s] of a loop of length ``loop`` [s] (or none); all
    (n,)."""
    if isinstance(term, Swing):
        return value + _swing(term, t, loop)
    if isinstance(term, Wander):
        return value + term.amount * wander(t, term.per_second, term.rough, term.seed, loop)
    if isinstance(term, Pulse):
        return value + _pulse(term, t, loop)
    return value * (1 - term.depth + term.depth * _SOURCES[term.source](t, term.seed, loop))
