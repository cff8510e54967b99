"""Where along its way something is at a time: even speed with eased ends and stops, times at stations, moves of least
jerk."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator
from scipy.optimize import brentq

from lumwick.errors import RouteError

Floats = NDArray[np.float64]
STOPPING = 0.8
"""Seconds over which a move comes to rest at a stop within it, and leaves it again."""


def minimum_jerk(x: ArrayLike) -> Floats:
    """Share of a move from rest to rest at a share of its time, by the least jerk.

    References
    ----------
    Flash and Hogan, The coordination of arm movements, Journal of Neuroscience 5 (1985): 10 x^3 - 15 x^4 + 6 x^5.
    """
    s: Floats = np.clip(np.asarray(x, float), 0.0, 1.0)
    return s**3 * (10 - 15 * s + 6 * s * s)


def ramped(t: ArrayLike, whole: float, start: float, end: float) -> Floats:
    """Share of a move at times of it: even speed, gathered over ``start`` and lost over ``end`` [s], whose rate of
    change has no jump.

    The speed follows 3 x^2 - 2 x^3 over each ramp, so half a ramp's time is lost.
    """
    x: Floats = np.clip(np.asarray(t, float), 0.0, whole)
    top = 1.0 / (whole - (start + end) / 2)
    s = top * (x - start / 2)
    if start > 0:
        r = np.minimum(x / start, 1.0)
        s = np.where(x < start, top * start * (r**3 - r**4 / 2), s)
    if end > 0:
        r = np.minimum((whole - x) / end, 1.0)
        s = np.where(x > whole - end, 1 - top * end * (r**3 - r**4 / 2), s)
    return s


@dataclass(frozen=True)
class Piece:
    """A stretch of time in which a stretch of the way is covered."""

    begins: float
    ends: float
    start: float
    end: float
    share: Callable[[Floats], Floats]
    """Share of the stretch at seconds since it began."""


@dataclass(frozen=True)
class Pacing:
    """Way covered by time.

    Attributes
    ----------
    arrive, leave : ndarray, shape (n,) [s]
        When each station is met and left.
    """

    pieces: tuple[Piece, ...]
    arrive: Floats
    leave: Floats

    def at(self, times: ArrayLike) -> Floats:
        """Way covered at times (n,) [s]; before and after it stands at its ends."""
        t = np.atleast_1d(np.asarray(times, float))
        out = np.full(t.shape, self.pieces[0].start)
        for piece in self.pieces:
            on = t >= piece.begins
            if on.any():
                out[on] = piece.start + (piece.end - piece.start) * piece.share(
                    np.minimum(t[on], piece.ends) - piece.begins
                )
        return out


def _when(pieces: Sequence[Piece], s: float) -> float:
    """The first time at which a length is reached."""
    for piece in pieces:
        if piece.end >= s - 1e-12 and piece.end > piece.start:
            wanted = (s - piece.start) / (piece.end - piece.start)
            if wanted <= 0:
                return piece.begins
            if wanted >= 1 - 1e-12:
                return piece.ends
            return piece.begins + _reached(piece, wanted)
    return pieces[-1].ends


def _reached(piece: Piece, share: float) -> float:
    return float(
        brentq(lambda x: float(piece.share(np.array([x]))[0]) - share, 0.0, piece.ends - piece.begins, xtol=1e-12)
    )


def _rest(begins: float, ends: float, at: float) -> Piece:
    return Piece(begins, ends, at, at, lambda x: np.zeros(np.shape(x)))


def _move(begins: float, ends: float, start: float, end: float) -> Piece:
    whole = max(ends - begins, 1e-9)
    return Piece(begins, ends, start, end, lambda x: minimum_jerk(x / whole))


def even(
    lengths: Floats,
    stays: Floats,
    eased: NDArray[np.bool_],
    takes: Floats,
    duration: float,
    start: float,
    end: float,
    least_jerk: bool = False,
) -> Pacing:
    """Even speed along the whole way, but for stops and moves of their own.

    Parameters
    ----------
    lengths : ndarray, shape (n,) [m]
        Of the way up to each station.
    stays, takes : ndarray, shape (n,) [s]
        How long each station is stayed at, and how long a move of its own to the next takes, where ``eased``.
    duration : float [s]
    start, end : float [s]
        Over which speed is gathered and lost at the ends.
    least_jerk : bool
        Each stretch between stops is one move from rest to rest instead.

    Raises
    ------
    RouteError
        The stops and moves take longer than there is time.
    """
    n = len(lengths)
    halts = [i for i in range(n) if stays[i] > 0 or (i < n - 1 and eased[i]) or (i > 0 and eased[i - 1])]
    ends = sorted({0, n - 1, *halts})
    fixed = float(stays.sum() + takes[: n - 1][eased[: n - 1]].sum())
    free = duration - fixed
    runs = [
        (a, b, float(lengths[b] - lengths[a]))
        for a, b in zip(ends, ends[1:], strict=False)
        if not (b == a + 1 and eased[a])
    ]
    way = sum(length for *_, length in runs)
    if (free <= 1e-6 * duration and way > 0) or free < -1e-9:
        raise RouteError(
            f"The stops and moves of this route take {fixed:.1f} s, and the move "
            f"has {duration:.1f} s: make the shot longer, or stay for less."
        )
    ramps = [
        (start if a == 0 and 0 not in halts else STOPPING, end if b == n - 1 and b not in halts else STOPPING)
        for a, b, _ in runs
    ]

    def time_of(speed: float, run: tuple[int, int, float], ramp: tuple[float, float]) -> float:
        lost = sum(ramp)
        return max(run[2] / speed + lost / 2, 0.0) if run[2] / speed >= lost / 2 else 2 * run[2] / speed

    took: list[float] = []
    if way > 0:
        if least_jerk:
            took = [free * length / way for *_, length in runs]
        else:
            slow, fast = way / free, way / free
            while sum(time_of(fast, r, k) for r, k in zip(runs, ramps, strict=True)) > free:
                fast *= 2
            speed = (
                fast
                if fast == slow
                else float(
                    brentq(
                        lambda v: sum(time_of(v, r, k) for r, k in zip(runs, ramps, strict=True)) - free,
                        slow,
                        fast,
                        xtol=1e-14 * fast,
                        rtol=1e-14,
                    )
                )
            )
            took = [time_of(speed, r, k) for r, k in zip(runs, ramps, strict=True)]
            took = [v * free / sum(took) for v in took]
    else:
        took = [free / max(len(runs), 1)] * len(runs)
    pieces: list[Piece] = []
    clock = 0.0
    upcoming = {a: (b, length, seconds, ramp) for (a, b, length), seconds, ramp in zip(runs, took, ramps, strict=True)}
    i = 0
    while True:
        if stays[i] > 0:
            pieces.append(_rest(clock, clock + stays[i], lengths[i]))
            clock += stays[i]
        if i == n - 1:
            break
        if eased[i]:
            pieces.append(_move(clock, clock + takes[i], lengths[i], lengths[i + 1]))
            clock += takes[i]
            i += 1
            continue
        j, _, seconds, (up, down) = upcoming[i]
        if least_jerk:
            pieces.append(_move(clock, clock + seconds, lengths[i], lengths[j]))
        else:
            scale = min(1.0, seconds / max(up + down, 1e-12))
            a, b, whole = up * scale, down * scale, max(seconds, 1e-9)
            pieces.append(
                Piece(
                    clock,
                    clock + seconds,
                    lengths[i],
                    lengths[j],
                    partial(ramped, whole=whole, start=a, end=b),
                )
            )
        clock += seconds
        i = j
    if not pieces:
        pieces.append(_rest(0.0, duration, lengths[0]))
    return _told(pieces, lengths, stays, halts)


def _told(pieces: list[Piece], lengths: Floats, stays: Floats, halts: Sequence[int]) -> Pacing:
    arrive = np.zeros(len(lengths))
    rests = [p for p in pieces if p.end == p.start]
    for i, s in enumerate(lengths):
        rest = next(
            (
                p
                for p in rests
                if stays[i] > 0 and abs(p.start - s) < 1e-9 and p.begins >= (arrive[i - 1] if i else -np.inf) - 1e-9
            ),
            None,
        )
        arrive[i] = (
            rest.begins
            if rest is not None
            else max(_when(pieces, float(s)), arrive[i - 1] + stays[i - 1] if i else -np.inf)
        )
    return Pacing(tuple(pieces), arrive, arrive + stays)


def _share_of(curve: CubicHermiteSpline, begin: float, first: float, rise: float, x: ArrayLike) -> Floats:
    """Share of a piece's way at times from its beginning, by the curve of way over time."""
    at = np.asarray(x, float)
    return np.asarray((curve(at + begin) - first) / rise) if rise > 0 else np.zeros(at.shape)


def by_stations(
    lengths: Floats,
    times: Sequence[float | None],
    stays: Floats,
    eased: NDArray[np.bool_],
    duration: float,
    start: bool,
    end: bool,
) -> Pacing:
    """The way by the times at which stations are met; it never goes back between them.

    Parameters
    ----------
    times : sequence of float or None [s]
        When stations are met; those without share the length between their neighbours', the ends are met at 0 and
        ``duration``.
    start, end : bool
        Whether it starts and ends at rest.

    Raises
    ------
    RouteError
        Times that do not follow one another.
    """
    n = len(lengths)
    met: list[float | None] = list(times)
    if met[0] is None:
        met[0] = min(0.0, *(t for t in met[1:] if t is not None), 0.0)
    if met[-1] is None and n > 1:
        met[-1] = max(duration, *(t for t in met[:-1] if t is not None), duration)
    known = [i for i in range(n) if met[i] is not None]
    arrive = np.zeros(n)
    for a, b in zip(known, known[1:], strict=False):
        left = float(met[a]) + stays[a]  # type: ignore[arg-type]
        inner = float(stays[a + 1 : b].sum())
        gap = float(met[b]) - left - inner  # type: ignore[arg-type]
        if gap < (1e-6 if lengths[b] > lengths[a] else -1e-9):
            raise RouteError(
                f"Station {b + 1} is met at {met[b]:g} s, before station {a + 1} "
                f"is left at {left + inner:g} s: give it a later time."
            )
        part = (
            (lengths[a : b + 1] - lengths[a]) / (lengths[b] - lengths[a])
            if lengths[b] > lengths[a]
            else np.linspace(0, 1, b - a + 1)
        )
        for i in range(a, b):
            arrive[i] = left - stays[a] + part[i - a] * gap + (stays[a:i].sum() if i > a else 0.0)
    arrive[known[-1]] = float(met[known[-1]])  # type: ignore[arg-type]
    leave = arrive + stays
    pieces: list[Piece] = []
    begin = 0
    for i in range(n):
        if i == n - 1 or eased[i]:
            knots: list[tuple[float, float]] = []
            for k in range(begin, i + 1):
                knots.append((arrive[k], lengths[k]))
                if stays[k] > 0:
                    knots.append((leave[k], lengths[k]))
            if len(knots) > 1:
                t, s = np.array([k[0] for k in knots]), np.array([k[1] for k in knots])
                keep = np.concatenate([[True], np.diff(t) > 1e-9])
                t, s = t[keep], s[keep]
                d = PchipInterpolator(t, s)(t, 1) if len(t) > 1 else np.zeros(1)
                if begin > 0 or start:
                    d[0] = 0.0
                if i < n - 1 or end:
                    d[-1] = 0.0
                if len(t) > 1:
                    curve = CubicHermiteSpline(t, s, d)
                    rise = s[-1] - s[0]
                    pieces.append(
                        Piece(
                            float(t[0]),
                            float(t[-1]),
                            float(s[0]),
                            float(s[-1]),
                            partial(_share_of, curve, float(t[0]), float(s[0]), float(rise)),
                        )
                    )
            if i < n - 1:
                pieces.append(_move(float(leave[i]), float(arrive[i + 1]), float(lengths[i]), float(lengths[i + 1])))
            begin = i + 1
    return Pacing(tuple(pieces) or (_rest(0.0, duration, float(lengths[0])),), arrive, leave)


def warped(
    pace: Callable[[Floats], Floats], begins: float, duration: float
) -> tuple[Callable[[Floats], Floats], Callable[[Floats], Floats]]:
    """A clock that runs as a pacing curve says and still takes its whole time; and back.

    Parameters
    ----------
    pace : callable
        Relative speed at clip times (n,) [s].
    begins : float [s]
        Clip time at which the move begins.

    Raises
    ------
    RouteError
        It never moves.
    """
    x = np.linspace(0.0, duration, int(np.clip(duration * 60, 600, 12000)) + 1)
    middle = np.maximum(pace(begins + (x[:-1] + x[1:]) / 2), 0.0)
    done = np.concatenate([[0.0], np.cumsum(middle * np.diff(x))])
    if done[-1] <= 1e-9 * duration:
        raise RouteError("The pacing is nothing all along, so the camera would never arrive: raise it somewhere.")
    done *= duration / done[-1]
    edges = np.maximum(pace(begins + x), 0.0) * duration / max(float((middle * np.diff(x)).sum()), 1e-12)
    secant = np.diff(done) / np.diff(x)
    # slopes as the curve says, held where they would make the clock run back
    most = 3 * np.minimum(np.concatenate([secant[:1], secant]), np.concatenate([secant, secant[-1:]]))
    curve = CubicHermiteSpline(x, done, np.minimum(edges, most))

    def forth(v: Floats) -> Floats:
        return np.asarray(curve(np.clip(v, 0.0, duration)), float)

    def back(v: Floats) -> Floats:
        return np.interp(v, done + np.arange(len(done)) * 1e-13, x)

    return forth, back
