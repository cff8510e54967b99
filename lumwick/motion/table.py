"""Curves laid out as arrays, so that thousands are evaluated in one call.

Each curve is a row of segments in time order. A segment is a polynomial of the third degree in its share of
time, or one of the few forms that is none. Curves that blend by ratios lie here as logarithms.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, Protocol

import numba as nb
import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import CubicSpline, PchipInterpolator


class Rules(Protocol):
    """What a table needs to know of a curve (`lumwick.motion.channel.Curve`)."""

    @property
    def keys(self) -> tuple[Any, ...]: ...
    @property
    def before(self) -> str: ...
    @property
    def after(self) -> str: ...
    @property
    def blend(self) -> str: ...


HOLD, CUBIC, SINE_IN, SINE_OUT, SINE_BOTH, BEZIER, STEPS = range(7)
HELD, STRAIGHT_ON, CYCLING, GOING_ON, MIRRORED = range(5)
BEYOND = {
    "hold": HELD,
    "straight_on": STRAIGHT_ON,
    "cycle": CYCLING,
    "cycle_offset": GOING_ON,
    "mirror": MIRRORED,
}
FORM_NUMBERS = 6
T_FIRST, T_LAST, V_FIRST, V_LAST, SLOPE_BEFORE, SLOPE_AFTER = range(6)
_HALVES = {2: ((0, 0, 0.5, 0), (0.5, 1, -0.5, 0)), 3: ((0, 0, 0, 0.5), (0.5, 1.5, -1.5, 0.5))}
"""Both halves of an eased change by its power, each over its own half of the time."""


class Arrays(NamedTuple):
    """Curves as arrays, as compiled code reads them.

    Attributes
    ----------
    start, end : ndarray of int64, shape (n,)
        First segment of each curve, and the one after its last; equal for a curve of one key.
    time, inverse : ndarray, shape (m,) [s], [1/s]
        Where each segment begins, and one over how long it lasts.
    kind : ndarray of int64, shape (m,)
    form : ndarray, shape (m, FORM_NUMBERS)
        A polynomial's four coefficients in the segment's share of time; a sine's first value and change; a
        Bezier's two inner shares of time and four values; steps' first value, change, count and jump.
    ends : ndarray, shape (n, 6)
        Times and values of the first and last key, and the slopes [1/s] that go on beyond them.
    rule : ndarray of int64, shape (n, 3)
        What holds before, what after, and whether values lie as logarithms.
    """

    start: NDArray[np.int64]
    end: NDArray[np.int64]
    time: NDArray[np.float64]
    inverse: NDArray[np.float64]
    kind: NDArray[np.int64]
    form: NDArray[np.float64]
    ends: NDArray[np.float64]
    rule: NDArray[np.int64]


@dataclass(frozen=True)
class Table:
    """Curves laid out: all of them are evaluated at once."""

    arrays: Arrays

    def __len__(self) -> int:
        return len(self.arrays.start)

    def at(self, times: ArrayLike) -> NDArray[np.float64]:
        """Values of all curves at times (k,) [s], shape (n, k)."""
        t = np.ascontiguousarray(np.atleast_1d(times), float)
        out = np.empty((len(self), len(t)))
        _values(self.arrays, t, out)
        return out


@nb.njit(cache=True, nogil=True, fastmath={"contract", "arcp"})
def _stepped(f, x):
    """Value of equal steps at a share of their time."""
    step = np.floor(x * f[2] + 1e-9)
    jumps = f[2]
    if f[3] == 1 or f[3] == 3:
        step += 1
    if f[3] == 3:
        jumps += 1
    elif f[3] == 2:
        jumps -= 1
    return f[0] + f[1] * min(max(step, 0.0), jumps) / max(jumps, 1.0)


@nb.njit(cache=True, nogil=True, fastmath={"contract", "arcp"})
def _bezier(f, x):
    """Value of a Bezier at a share of its time."""
    # Bezier: solve the time, then take the value; time is monotone, so a bracket always holds
    lo, hi, s = 0.0, 1.0, x
    for _ in range(60):
        u = 1 - s
        miss = 3 * u * u * s * f[0] + 3 * u * s * s * f[1] + s * s * s - x
        if abs(miss) < 1e-13:
            break
        if miss > 0:
            hi = s
        else:
            lo = s
        slope = 3 * u * u * f[0] + 6 * u * s * (f[1] - f[0]) + 3 * s * s * (1 - f[1])
        s = s - miss / slope if slope > 1e-9 else -1.0
        if not lo < s < hi:
            s = 0.5 * (lo + hi)
    u = 1 - s
    return u * u * u * f[2] + 3 * u * u * s * f[3] + 3 * u * s * s * f[4] + s * s * s * f[5]


@nb.njit(cache=True, nogil=True, fastmath={"contract", "arcp"})
def _segment(kind, f, x):
    """Value of a segment at a share of its time."""
    if kind == CUBIC:
        return f[0] + x * (f[1] + x * (f[2] + x * f[3]))
    if kind == HOLD:
        return f[0]
    if kind == SINE_IN:
        return f[0] + f[1] * (1 - np.cos(x * np.pi / 2))
    if kind == SINE_OUT:
        return f[0] + f[1] * np.sin(x * np.pi / 2)
    if kind == SINE_BOTH:
        return f[0] + f[1] * (1 - np.cos(x * np.pi)) / 2
    if kind == STEPS:
        return _stepped(f, x)
    return _bezier(f, x)


@nb.njit(cache=True, nogil=True, fastmath={"contract", "arcp"}, inline="always")
def _folded(t, ends, how):
    """Where a curve that holds, repeats or mirrors is read at a time beyond its keys, and what is added to it."""
    t0, t1 = ends[T_FIRST], ends[T_LAST]
    if how == HELD or t1 <= t0:
        return (t0 if t < t0 else t1), 0.0
    turn = np.floor((t - t0) / (t1 - t0))
    t -= turn * (t1 - t0)
    if how == GOING_ON:
        return t, turn * (ends[V_LAST] - ends[V_FIRST])
    if how == MIRRORED and turn % 2 != 0:
        return t0 + t1 - t, 0.0
    return t, 0.0


@nb.njit(cache=True, nogil=True, fastmath={"contract", "arcp"}, inline="always")
def _holding(time, a, b, near, t):
    """The segment of a..b that a time lies in, looked for from the one it was in last."""
    if time[near] <= t and (near + 1 == b or t < time[near + 1]):
        return near
    lo, hi = a, b
    while hi - lo > 1:
        mid = (lo + hi) // 2
        if time[mid] <= t:
            lo = mid
        else:
            hi = mid
    return lo


@nb.njit(cache=True, nogil=True, fastmath={"contract", "arcp"})
def _values(table, times, out):
    """Values of all curves at all times, into ``out``."""
    for i in range(len(table.start)):
        a, b, ends = table.start[i], table.end[i], table.ends[i]
        near = a
        for j in range(len(times)):
            t, more = times[j], 0.0
            if t < ends[T_FIRST] and table.rule[i, 0] == STRAIGHT_ON:
                v = ends[V_FIRST] + (t - ends[T_FIRST]) * ends[SLOPE_BEFORE]
            elif t > ends[T_LAST] and table.rule[i, 1] == STRAIGHT_ON:
                v = ends[V_LAST] + (t - ends[T_LAST]) * ends[SLOPE_AFTER]
            else:
                if t < ends[T_FIRST]:
                    t, more = _folded(t, ends, table.rule[i, 0])
                elif t > ends[T_LAST]:
                    t, more = _folded(t, ends, table.rule[i, 1])
                if t <= ends[T_FIRST]:
                    v = ends[V_FIRST]
                elif a == b or t >= ends[T_LAST]:
                    v = ends[V_LAST]
                else:
                    near = _holding(table.time, a, b, near, t)
                    x = min(max((t - table.time[near]) * table.inverse[near], 0.0), 1.0)
                    v = _segment(table.kind[near], table.form[near], x)
            v += more
            out[i, j] = np.exp(v) if table.rule[i, 2] else v


@dataclass(frozen=True)
class _Row:
    kind: int
    time: float
    span: float
    form: tuple[float, ...]


def _spline(t: NDArray[np.float64], v: NDArray[np.float64], smooth: bool, closed: bool) -> NDArray[np.float64]:
    """Coefficients of a run of keys' spline, lowest power first, in shares of each interval's time, shape (n - 1,
    4)."""
    span = np.diff(t)
    if len(t) == 2 and not closed:
        return np.stack([v[:-1], np.diff(v), np.zeros(1), np.zeros(1)], 1)
    rise = (v[-1] - v[0]) * (t - t[0]) / (t[-1] - t[0])  # a cycle with offset closes once its rise is taken away
    if smooth and closed:
        around_t = np.concatenate([[t[-2] - (t[-1] - t[0])], t, [t[1] + (t[-1] - t[0])]])
        around_v = np.concatenate([[v[-2] - (v[-1] - v[0])], v, [v[1] + (v[-1] - v[0])]])
        c = PchipInterpolator(around_t, around_v).c[:, 1:-1]
    elif smooth:
        c = PchipInterpolator(t, v).c
    elif closed:
        flat = v - rise
        flat[-1] = flat[0]
        c = CubicSpline(t, flat, bc_type="periodic").c.copy()
        c[3] += rise[:-1]
        c[2] += (v[-1] - v[0]) / (t[-1] - t[0])
    else:
        c = CubicSpline(t, v, bc_type="natural").c
    powers = span[:, None] ** np.arange(4)
    return np.asarray(c[::-1].T * powers)


@dataclass(frozen=True)
class _Gap:
    """Between two keys: when it begins and how long it lasts [s], the first value and the change."""

    key: Any
    time: float
    span: float
    value: float
    change: float


def _as_power(power: int) -> Callable[[_Gap, str], list[_Row]]:
    def rows(gap: _Gap, side: str) -> list[_Row]:
        v, dv = gap.value, gap.change
        if side == "both":
            halves = _HALVES[power]
            return [
                _Row(
                    CUBIC,
                    gap.time + k * gap.span / 2,
                    gap.span / 2,
                    tuple(v * (p == 0) + dv * c for p, c in enumerate(half)),
                )
                for k, half in enumerate(halves)
            ]
        # in: x^n; out: 1 - (1 - x)^n
        form = {
            ("in", 2): (v, 0.0, dv),
            ("in", 3): (v, 0.0, 0.0, dv),
            ("out", 2): (v, 2 * dv, -dv),
            ("out", 3): (v, 3 * dv, -3 * dv, dv),
        }[side, power]
        return [_Row(CUBIC, gap.time, gap.span, form)]

    return rows


def _as_sine(gap: _Gap, side: str) -> list[_Row]:
    kind = {"in": SINE_IN, "out": SINE_OUT, "both": SINE_BOTH}[side]
    return [_Row(kind, gap.time, gap.span, (gap.value, gap.change))]


def _as_step(gap: _Gap, side: str) -> list[_Row]:
    return [_Row(HOLD, gap.time, gap.span, (gap.value,))]


def _as_steps(gap: _Gap, side: str) -> list[_Row]:
    jump = float(("end", "start", "none", "both").index(gap.key.jump))
    return [_Row(STEPS, gap.time, gap.span, (gap.value, gap.change, float(gap.key.steps), jump))]


def _as_straight(gap: _Gap, side: str) -> list[_Row]:
    return [_Row(CUBIC, gap.time, gap.span, (gap.value, gap.change))]


def _as_bezier(gap: _Gap, side: str) -> list[_Row]:
    x1, y1, x2, y2 = gap.key.bezier
    v, dv = gap.value, gap.change
    return [_Row(BEZIER, gap.time, gap.span, (x1, x2, v, v + y1 * dv, v + y2 * dv, v + dv))]


def _as_free(gap: _Gap, side: str) -> list[_Row]:
    x1, d1, x2, d2 = gap.key.handles
    v, last = gap.value, gap.value + gap.change
    return [_Row(BEZIER, gap.time, gap.span, (x1, x2, v, v + d1, last + d2, last))]


_JOINS: dict[str, Callable[[_Gap, str], list[_Row]]] = {
    "step": _as_step,
    "steps": _as_steps,
    "straight": _as_straight,
    "bezier": _as_bezier,
    "free": _as_free,
    "sine": _as_sine,
    "quad": _as_power(2),
    "cubic": _as_power(3),
}
"""The segments of each way of going from key to key; splines go through several keys and stand apart."""


def _segments(keys: Sequence[Any], v: NDArray[np.float64], closed: bool) -> list[_Row]:
    """The segments between a curve's keys."""
    t = np.array([key.t for key in keys])
    rows: list[_Row] = []
    i, last = 0, len(keys) - 1
    while i < last:
        join = keys[i].join
        if join in ("smooth", "spline"):
            j = i
            while j < last and keys[j].join == join:
                j += 1
            c = _spline(t[i : j + 1], v[i : j + 1], join == "smooth", closed and i == 0 and j == last and last > 1)
            rows += [_Row(CUBIC, float(t[i + k]), float(t[i + k + 1] - t[i + k]), tuple(c[k])) for k in range(j - i)]
            i = j
            continue
        family, _, side = join.partition("_")
        gap = _Gap(keys[i], float(t[i]), float(t[i + 1] - t[i]), float(v[i]), float(v[i + 1] - v[i]))
        rows += _JOINS[family](gap, side)
        i += 1
    return rows


def _slope(row: _Row, end: bool) -> float:
    """How fast a segment starts or ends [1/s]."""
    f = (*row.form, 0.0, 0.0, 0.0, 0.0)
    if row.kind == CUBIC:
        return (f[1] + 2 * f[2] + 3 * f[3] if end else f[1]) / row.span
    if row.kind in (SINE_IN, SINE_OUT):
        return f[1] * np.pi / 2 / row.span if (row.kind == SINE_IN) == end else 0.0
    if row.kind == BEZIER:
        x1, x2, a, b, c, d = row.form
        x = ((1 - x2, 1 - x1, 1.0), (d - c, d - b, d - a)) if end else ((x1, x2, 1.0), (b - a, c - a, d - a))
        for dx, dv in zip(*x, strict=True):
            if dx > 1e-9:
                return dv / dx / row.span
    return 0.0


def lay_out(curves: Sequence[tuple[Rules, NDArray[np.float64]]]) -> Table:
    """Lay curves out as a table.

    Parameters
    ----------
    curves : sequence of (curve, ndarray of shape (number of its keys,))
        Each with its keys' values as numbers, in the curve's own space (logarithms if it blends by ratios).
    """
    rows: list[_Row] = []
    start, end, ends, rule = [], [], [], []
    for curve, v in curves:
        closed = {curve.before, curve.after} <= {"cycle", "cycle_offset"}
        own = _segments(curve.keys, v, closed)
        start.append(len(rows))
        rows += own
        end.append(len(rows))
        before, after = (_slope(own[0], False), _slope(own[-1], True)) if own else (0.0, 0.0)
        ends.append((curve.keys[0].t, curve.keys[-1].t, v[0], v[-1], before, after))
        rule.append((BEYOND[curve.before], BEYOND[curve.after], int(curve.blend == "ratio")))
    form = np.zeros((len(rows), FORM_NUMBERS))
    for k, row in enumerate(rows):
        form[k, : len(row.form)] = row.form
    return Table(
        Arrays(
            np.array(start, np.int64),
            np.array(end, np.int64),
            np.array([r.time for r in rows]),
            np.array([1 / r.span for r in rows]),
            np.array([r.kind for r in rows], np.int64),
            form,
            np.array(ends, float).reshape(-1, 6),
            np.array(rule, np.int64).reshape(-1, 3),
        )
    )
