"""Curves laid out as arrays, so that thousands are evaluated in one call.

Each curve is a row of segments in time order. A segment is a polynomial of the third degree in its share of
time, or one of the few forms that is none. Curves that blend by ratios lie here as logarithms.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

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
BEYOND = {"hold": 0, "straight_on": 1, "cycle": 2, "cycle_offset": 3, "mirror": 4}
FORM_NUMBERS = 6
T_FIRST, T_LAST, V_FIRST, V_LAST, SLOPE_BEFORE, SLOPE_AFTER = range(6)
_HALVES = {"quad": ((0, 0, 0.5, 0), (0.5, 1, -0.5, 0)), "cubic": ((0, 0, 0, 0.5), (0.5, 1.5, -1.5, 0.5))}
"""Both halves of an eased change, each over its own half of the time."""


@dataclass(frozen=True)
class Table:
    """Curves as arrays.

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

    def __len__(self) -> int:
        return len(self.start)

    def at(self, times: ArrayLike) -> NDArray[np.float64]:
        """Values of all curves at times (k,) [s], shape (n, k)."""
        t = np.ascontiguousarray(np.atleast_1d(times), float)
        out = np.empty((len(self.start), len(t)))
        _values(self.start, self.end, self.time, self.inverse, self.kind, self.form, self.ends, self.rule, t, out)
        return out


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
        step = np.floor(x * f[2] + 1e-9)
        jumps = f[2]
        if f[3] == 1 or f[3] == 3:
            step += 1
        if f[3] == 3:
            jumps += 1
        elif f[3] == 2:
            jumps -= 1
        return f[0] + f[1] * min(max(step, 0.0), jumps) / max(jumps, 1.0)
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
def _values(start, end, time, inverse, kind, form, ends, rule, times, out):
    for i in range(len(start)):
        a, b = start[i], end[i]
        t0, t1 = ends[i, T_FIRST], ends[i, T_LAST]
        span = t1 - t0
        near = a
        for j in range(len(times)):
            t, more = times[j], 0.0
            straight = False
            if t < t0 or t > t1:
                how = rule[i, 0] if t < t0 else rule[i, 1]
                if how == 1:
                    straight = True
                    v = (
                        ends[i, V_FIRST] + (t - t0) * ends[i, SLOPE_BEFORE]
                        if t < t0
                        else ends[i, V_LAST] + (t - t1) * ends[i, SLOPE_AFTER]
                    )
                elif how == 0 or span <= 0:
                    t = t0 if t < t0 else t1
                else:
                    turn = np.floor((t - t0) / span)
                    t -= turn * span
                    if how == 3:
                        more = turn * (ends[i, V_LAST] - ends[i, V_FIRST])
                    elif how == 4 and turn % 2 != 0:
                        t = t0 + t1 - t
            if not straight:
                if a == b or t <= t0 or t >= t1:
                    v = ends[i, V_FIRST] if t <= t0 else ends[i, V_LAST]
                else:
                    if not (time[near] <= t and (near + 1 == b or t < time[near + 1])):
                        lo, hi = a, b
                        while hi - lo > 1:
                            mid = (lo + hi) // 2
                            if time[mid] <= t:
                                lo = mid
                            else:
                                hi = mid
                        near = lo
                    v = _segment(kind[near], form[near], min(max((t - time[near]) * inverse[near], 0.0), 1.0))
            v += more
            out[i, j] = np.exp(v) if rule[i, 2] else v


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


def _segments(keys: Sequence[Any], v: NDArray[np.float64], closed: bool) -> list[_Row]:
    """The segments between a curve's keys."""
    t = np.array([key.t for key in keys])
    rows: list[_Row] = []
    i, last = 0, len(keys) - 1
    while i < last:
        key, join = keys[i], keys[i].join
        v0, dv, t0, dt = float(v[i]), float(v[i + 1] - v[i]), float(t[i]), float(t[i + 1] - t[i])
        if join in ("smooth", "spline"):
            j = i
            while j < last and keys[j].join == join:
                j += 1
            c = _spline(t[i : j + 1], v[i : j + 1], join == "smooth", closed and i == 0 and j == last and last > 1)
            rows += [_Row(CUBIC, float(t[i + k]), float(t[i + k + 1] - t[i + k]), tuple(c[k])) for k in range(j - i)]
            i = j
            continue
        family, _, side = join.partition("_")
        if join == "step":
            rows.append(_Row(HOLD, t0, dt, (v0,)))
        elif join == "steps":
            rows.append(
                _Row(STEPS, t0, dt, (v0, dv, float(key.steps), float(("end", "start", "none", "both").index(key.jump))))
            )
        elif join == "straight":
            rows.append(_Row(CUBIC, t0, dt, (v0, dv)))
        elif join == "bezier":
            x1, y1, x2, y2 = key.bezier
            rows.append(_Row(BEZIER, t0, dt, (x1, x2, v0, v0 + y1 * dv, v0 + y2 * dv, v0 + dv)))
        elif join == "free":
            x1, d1, x2, d2 = key.handles
            rows.append(_Row(BEZIER, t0, dt, (x1, x2, v0, v0 + d1, v0 + dv + d2, v0 + dv)))
        elif family == "sine":
            rows.append(_Row({"in": SINE_IN, "out": SINE_OUT, "both": SINE_BOTH}[side], t0, dt, (v0, dv)))
        elif side == "both":
            rows += [
                _Row(CUBIC, t0 + k * dt / 2, dt / 2, tuple(v0 * (p == 0) + dv * c for p, c in enumerate(half)))
                for k, half in enumerate(_HALVES[family])
            ]
        elif family == "quad":
            rows.append(_Row(CUBIC, t0, dt, (v0, 0, dv) if side == "in" else (v0, 2 * dv, -dv)))
        else:
            rows.append(_Row(CUBIC, t0, dt, (v0, 0, 0, dv) if side == "in" else (v0, 3 * dv, -3 * dv, dv)))
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
        np.array(start, np.int64),
        np.array(end, np.int64),
        np.array([r.time for r in rows]),
        np.array([1 / r.span for r in rows]),
        np.array([r.kind for r in rows], np.int64),
        form,
        np.array(ends, float).reshape(-1, 6),
        np.array(rule, np.int64).reshape(-1, 3),
    )
