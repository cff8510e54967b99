"""Where along its way something is at a time: even speed with eased ends and stops, times at stations, moves of least
jerk."""

from __future__ import annotations

import itertools
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


@dataclass(frozen=True)
class Run:
    """A stretch between two stations that is covered without a halt.

    Attributes
    ----------
    first, last : int
        Its stations.
    length : float [m]
    gather, lose : float [s]
        Over which speed is gathered and lost.
    """

    first: int
    last: int
    length: float
    gather: float
    lose: float

    def seconds(self, speed: float) -> float:
        """How long it takes at a speed [m/s]; too short a run for its ramps never reaches it."""
        cruise, lost = self.length / speed, (self.gather + self.lose) / 2
        return cruise + lost if cruise >= lost else 2 * cruise


def _times_of(runs: Sequence[Run], free: float, least_jerk: bool) -> list[float]:
    """How long each run takes, so that together they take ``free`` [s] at one speed."""
    way = sum(run.length for run in runs)
    if way <= 0:
        return [free / max(len(runs), 1)] * len(runs)
    if least_jerk:
        return [free * run.length / way for run in runs]

    def over(speed: float) -> float:
        return sum(run.seconds(speed) for run in runs) - free

    slow = fast = way / free
    while over(fast) > 0:
        fast *= 2
    speed = fast if fast == slow else float(brentq(over, slow, fast, xtol=1e-14 * fast, rtol=1e-14))
    took = [run.seconds(speed) for run in runs]
    return [seconds * free / sum(took) for seconds in took]


def _gathered(begins: float, seconds: float, start: float, end: float, run: Run) -> Piece:
    """A run at even speed; ramps that do not fit into its time are shortened alike."""
    scale = min(1.0, seconds / max(run.gather + run.lose, 1e-12))
    share = partial(ramped, whole=max(seconds, 1e-9), start=run.gather * scale, end=run.lose * scale)
    return Piece(begins, begins + seconds, start, end, share)


def even(
    lengths: Floats,
    stays: Floats,
    eased: NDArray[np.bool_],
    takes: Floats,
    duration: float,
    ramps: tuple[float, float],
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
    ramps : tuple of float [s]
        Over which speed is gathered at the beginning and lost at the end.
    least_jerk : bool
        Each stretch between stops is one move from rest to rest instead.

    Raises
    ------
    RouteError
        The stops and moves take longer than there is time.
    """
    own = np.append(eased[: len(lengths) - 1], False)
    runs = _runs(lengths, stays, own, ramps)
    fixed = float(stays.sum() + takes[own].sum())
    free = duration - fixed
    if free < -1e-9 or (free <= 1e-6 * duration and any(run.length > 0 for run in runs)):
        raise RouteError(
            f"The stops and moves of this route take {fixed:.1f} s, and the move "
            f"has {duration:.1f} s: make the shot longer, or stay for less."
        )
    took = _times_of(runs, free, least_jerk)
    upcoming = {run.first: (run, seconds) for run, seconds in zip(runs, took, strict=True)}
    pieces: list[Piece] = []
    clock = 0.0
    i = 0
    while True:
        if stays[i] > 0:
            pieces.append(_rest(clock, clock + stays[i], lengths[i]))
            clock += stays[i]
        if i == len(lengths) - 1:
            return _paced(pieces or [_rest(0.0, duration, lengths[0])], lengths, stays)
        run, seconds = (None, float(takes[i])) if own[i] else upcoming[i]
        j = i + 1 if run is None else run.last
        if run is None or least_jerk:
            pieces.append(_move(clock, clock + seconds, lengths[i], lengths[j]))
        else:
            pieces.append(_gathered(clock, seconds, lengths[i], lengths[j], run))
        clock += seconds
        i = j


def _runs(lengths: Floats, stays: Floats, own: NDArray[np.bool_], ramps: tuple[float, float]) -> list[Run]:
    """The stretches between halts, but for moves of their own."""
    last = len(lengths) - 1
    halts = {i for i in range(last + 1) if stays[i] > 0 or own[i] or (i > 0 and own[i - 1])}
    return [
        Run(
            a,
            b,
            float(lengths[b] - lengths[a]),
            ramps[0] if a == 0 and 0 not in halts else STOPPING,
            ramps[1] if b == last and b not in halts else STOPPING,
        )
        for a, b in itertools.pairwise(sorted({0, last, *halts}))
        if not own[a]
    ]


def _share_of(curve: CubicHermiteSpline, begin: float, first: float, rise: float, x: ArrayLike) -> Floats:
    """Share of a piece's way at times from its beginning, by the curve of way over time."""
    at = np.asarray(x, float)
    return np.asarray((curve(at + begin) - first) / rise) if rise > 0 else np.zeros(at.shape)


def _paced(pieces: list[Piece], lengths: Floats, stays: Floats) -> Pacing:
    """The pieces with the times at which stations are met: where one is stayed at, the beginning of its rest."""
    rests = [p for p in pieces if p.end == p.start]
    arrive = np.zeros(len(lengths))
    for i, length in enumerate(lengths):
        since = arrive[i - 1] if i else -np.inf
        own = (p.begins for p in rests if abs(p.start - length) < 1e-9 and p.begins >= since - 1e-9)
        rest = next(own, None) if stays[i] > 0 else None
        if rest is None:
            rest = max(_when(pieces, float(length)), since + stays[i - 1] if i else -np.inf)
        arrive[i] = rest
    return Pacing(tuple(pieces), arrive, arrive + stays)


def _met(lengths: Floats, times: Sequence[float | None], stays: Floats, duration: float) -> Floats:
    """When every station is met [s]: those without a time share the length between their neighbours'."""
    met = list(times)
    given = [t for t in times if t is not None]
    if met[0] is None:
        met[0] = min(0.0, *given, 0.0)
    if met[-1] is None:
        met[-1] = max(duration, *given, duration)
    known = [(i, t) for i, t in enumerate(met) if t is not None]
    arrive = np.zeros(len(lengths))
    for (a, first), (b, then) in itertools.pairwise(known):
        way = lengths[b] - lengths[a]
        resting = float(stays[a:b].sum())
        gap = then - first - resting
        if gap < (1e-6 if way > 0 else -1e-9):
            raise RouteError(
                f"Station {b + 1} is met at {then:g} s, before station {a + 1} "
                f"is left at {first + resting:g} s: give it a later time."
            )
        share = (lengths[a:b] - lengths[a]) / way if way > 0 else np.arange(b - a) / (b - a)
        rested = np.concatenate([[0.0], np.cumsum(stays[a : b - 1])])
        arrive[a:b] = first + share * gap + rested
    arrive[known[-1][0]] = known[-1][1]
    return arrive


def _through(knots: Sequence[tuple[float, float]], from_rest: bool, to_rest: bool) -> Piece | None:
    """A piece whose way goes through knots of time [s] and way [m] and never back; None if it takes no time."""
    t, s = np.array(knots, float).reshape(-1, 2).T
    keep = np.concatenate([[True], np.diff(t) > 1e-9])
    t, s = t[keep], s[keep]
    if len(t) < 2:
        return None
    slopes = PchipInterpolator(t, s)(t, 1)
    if from_rest:
        slopes[0] = 0.0
    if to_rest:
        slopes[-1] = 0.0
    begin, first, rise = float(t[0]), float(s[0]), float(s[-1] - s[0])
    share = partial(_share_of, CubicHermiteSpline(t, s, slopes), begin, first, rise)
    return Piece(begin, float(t[-1]), first, float(s[-1]), share)


def by_stations(
    lengths: Floats,
    times: Sequence[float | None],
    stays: Floats,
    eased: NDArray[np.bool_],
    duration: float,
    rests: tuple[bool, bool],
) -> Pacing:
    """The way by the times at which stations are met; it never goes back between them.

    Parameters
    ----------
    times : sequence of float or None [s]
        When stations are met; those without share the length between their neighbours', the ends are met at 0 and
        ``duration``.
    rests : tuple of bool
        Whether it starts, and ends, at rest.

    Raises
    ------
    RouteError
        Times that do not follow one another.
    """
    last = len(lengths) - 1
    arrive = _met(lengths, times, stays, duration)
    leave = arrive + stays
    pieces: list[Piece] = []
    begin = 0
    for i in [k for k in range(last) if eased[k]] + [last]:
        knots = [
            knot
            for k in range(begin, i + 1)
            for knot in ((arrive[k], lengths[k]), (leave[k], lengths[k]))[: 2 if stays[k] > 0 else 1]
        ]
        piece = _through(knots, begin > 0 or rests[0], i < last or rests[1])
        if piece is not None:
            pieces.append(piece)
        if i < last:
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
