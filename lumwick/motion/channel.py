"""Numbers that may change over time: a constant, or keyframes joined by curves.

One mechanism serves every animatable number of a place. A channel is evaluated in closed form at any
clip time, so nothing depends on the frame before.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

Joining = Literal["step", "straight", "ease_in", "ease_out", "ease_both", "bezier"]
Beyond = Literal["hold", "straight_on", "cycle"]
Finite = Annotated[float, Field(allow_inf_nan=False)]


class Key(BaseModel):
    """One keyframe: a value at a clip time, and how the curve leaves it."""

    model_config = ConfigDict(extra="forbid")

    t: Finite = Field(title="Time", json_schema_extra={"unit": "s"})
    v: Finite = Field(title="Value")
    join: Joining = Field("ease_both", title="Way to the next key")
    bezier: tuple[Finite, Finite, Finite, Finite] = Field(
        (0.42, 0.0, 0.58, 1.0), title="Handles", description="Cubic Bezier x1 y1 x2 y2, as in CSS easing."
    )

    @field_validator("bezier")
    @classmethod
    def _handles_do_not_fold_back(cls, value: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        x1, y1, x2, y2 = value
        return (min(max(x1, 0.0), 1.0), y1, min(max(x2, 0.0), 1.0), y2)


class Channel(BaseModel):
    """Keyframes in time order, and what holds before the first and after the last."""

    model_config = ConfigDict(extra="forbid")

    keys: list[Key] = Field(min_length=1)
    before: Beyond = "hold"
    after: Beyond = "hold"

    @field_validator("keys")
    @classmethod
    def _in_time_order(cls, keys: list[Key]) -> list[Key]:
        ordered = sorted(keys, key=lambda key: key.t)
        for a, b in zip(ordered, ordered[1:], strict=False):
            if b.t - a.t < 1e-9:
                raise ValueError(f"two keys stand at the same time, {a.t:g} s: move or remove one")
        return ordered


Animatable = Finite | Channel


def cubic_bezier(x: ArrayLike, x1: float, y1: float, x2: float, y2: float) -> NDArray[np.float64]:
    """Value of a CSS-style cubic Bezier easing.

    Parameters
    ----------
    x : array_like, shape (n,) [1]
        Share of the interval's time, 0 to 1.
    x1, y1, x2, y2 : float [1]
        The two inner control points; ``x1`` and ``x2`` within 0 to 1.

    Returns
    -------
    ndarray, shape (n,) [1]
        Share of the interval's change of value.

    References
    ----------
    W3C, CSS Easing Functions Level 2, section 2.2 "Cubic Bezier easing functions".
    """
    share: NDArray[np.float64] = np.clip(np.asarray(x, float), 0.0, 1.0)
    lo, hi = np.zeros_like(share), np.ones_like(share)
    for _ in range(50):  # time is monotone in the parameter, so bisection is exact and safe
        mid = 0.5 * (lo + hi)
        below = 3 * (1 - mid) ** 2 * mid * x1 + 3 * (1 - mid) * mid**2 * x2 + mid**3 < share
        lo, hi = np.where(below, mid, lo), np.where(below, hi, mid)
    s = 0.5 * (lo + hi)
    return 3 * (1 - s) ** 2 * s * y1 + 3 * (1 - s) * s**2 * y2 + s**3


def _share(join: Joining, handles: tuple[float, float, float, float], x: NDArray[np.float64]) -> NDArray[np.float64]:
    if join == "step":
        return np.zeros_like(x)
    if join == "straight":
        return x
    if join == "ease_in":
        return x**3
    if join == "ease_out":
        return 1 - (1 - x) ** 3
    if join == "ease_both":
        return np.where(x < 0.5, 4 * x**3, 1 - 4 * (1 - x) ** 3)
    return cubic_bezier(x, *handles)


def evaluate(value: Animatable, t: ArrayLike) -> NDArray[np.float64]:
    """Value of a constant or channel at clip times.

    Parameters
    ----------
    value : float or Channel
    t : array_like, shape (n,) or scalar [s]

    Returns
    -------
    ndarray, same shape as ``t`` [the channel's unit]
    """
    times = np.atleast_1d(np.asarray(t, float)).astype(float)
    if not isinstance(value, Channel):
        return np.full(np.shape(t), float(value)) if np.ndim(t) else np.asarray(float(value))
    kt = np.array([key.t for key in value.keys])
    kv = np.array([key.v for key in value.keys])
    span = kt[-1] - kt[0]
    inside = times.copy()
    if span > 0:
        for side, rule in ((times < kt[0], value.before), (times > kt[-1], value.after)):
            if rule == "cycle":
                inside[side] = kt[0] + np.mod(times[side] - kt[0], span)
    index = np.clip(np.searchsorted(kt, inside, side="right") - 1, 0, max(len(kt) - 2, 0))
    out = np.empty_like(inside)
    if len(kt) == 1:
        out[:] = kv[0]
    else:
        share = np.clip((inside - kt[index]) / (kt[index + 1] - kt[index]), 0.0, 1.0)
        for i in np.unique(index):
            chosen = index == i
            key = value.keys[i]
            out[chosen] = kv[i] + (kv[i + 1] - kv[i]) * _share(key.join, key.bezier, share[chosen])
        out[inside >= kt[-1]] = kv[-1]
        eps = 1e-4 * span
        if value.before == "straight_on":
            side = times < kt[0]
            out[side] = kv[0] + (times[side] - kt[0]) * (_inner(value, kt[0] + eps) - kv[0]) / eps
        if value.after == "straight_on":
            side = times > kt[-1]
            out[side] = kv[-1] + (times[side] - kt[-1]) * (kv[-1] - _inner(value, kt[-1] - eps)) / eps
    return out.reshape(np.shape(t)) if np.ndim(t) else np.asarray(out[0])


def _inner(channel: Channel, t: float) -> float:
    held = channel.model_copy(update={"before": "hold", "after": "hold"})
    return float(evaluate(held, t))


def at(value: Animatable, t: float) -> float:
    """The value at one clip time ``t`` [s], as a plain float."""
    return float(value) if not isinstance(value, Channel) else float(evaluate(value, t))
