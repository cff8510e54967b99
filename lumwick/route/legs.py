"""The legs of a way: lines through stations, where they look and what is set at them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from lumwick.errors import RouteError
from lumwick.motion.turns import smooth, turn_of
from lumwick.place.filming import Route, Station
from lumwick.route.line import Line, at_height, circling, spot, straight, through
from lumwick.route.track import Track

Floats = NDArray[np.float64]

OWN = ("focus", "f_number", "ev100", "kelvin", "roll")
"""What a station may set for itself, or leave to the shot."""


GROUND_EVENED = 3.0
"""Standard deviation [m] over which a flight at a height over ground evens the ground out."""


def _level(x: Floats, y: Floats) -> Floats:
    return np.zeros(np.shape(x))


@dataclass(frozen=True)
class Around:
    """What a way needs to know of the place: the ground, what one stands on, where things are, and what is keyed.

    Attributes
    ----------
    ground : callable
        Height [m] at points (n,), (n,).
    floor : callable
        Height [m] that one stands on at points, given the height (n,) that one comes from.
    subject : callable
        Place (n, 3) [m] and turn (n,) [degrees] of a thing at clip times (n,) [s].
    keyed : callable
        Values (n,) of one of the route's numbers at clip times (n,) [s].
    track : Track or None
        The path that was brought in.
    loop : float or None [s]
        Length that the clip closes over.
    """

    ground: Callable[[Floats, Floats], Floats] = _level
    floor: Callable[[Floats, Floats, Floats], Floats] | None = None
    subject: Callable[[str, Floats], tuple[Floats, Floats]] | None = None
    keyed: Callable[[str, Floats], Floats] | None = None
    track: Track | None = None
    loop: float | None = None


@dataclass(frozen=True)
class Leg:
    """Stations between two hard changes, the line through them, and what is set at them."""

    line: Line
    first: int
    start: float
    """Way covered before it, in the measure of the pacing."""
    span: float
    """Its own: its length, or what a turn on the spot counts as."""
    aiming: Callable[[Floats], Rotation]
    focal: Callable[[Floats], Floats]
    own: dict[str, Callable[[Floats], Floats]]


def unit(d: Floats) -> Floats:
    """Directions of length 1, (n, 3)."""
    return np.asarray(d / np.maximum(np.linalg.norm(d, axis=-1, keepdims=True), 1e-12), float)


def joins_of(route: Route, stations: Sequence[Station]) -> list[str]:
    """How each station but the last goes on to the next."""
    return ["onward" if route.way == "orbit" else s.join for s in stations[:-1]]


def legs_of(
    route: Route, stations: Sequence[Station], around: Around
) -> tuple[tuple[Leg, ...], Floats, list[int], float]:
    """The legs; way covered at each station (or at the ends of a way with one); the stations that begin a leg; length
    [m]."""
    points = np.array([[s.east, s.north, s.up] for s in stations])
    starts = [0, *(i + 1 for i, join in enumerate(joins_of(route, stations)) if join == "cut")]
    legs: list[Leg] = []
    lengths: list[float] = []
    covered = real = 0.0
    for a, b in zip(starts, [*starts[1:], len(stations)], strict=True):
        line, knots = _line(route, stations[a:b], points[a:b], around)
        span = line.length if line.length > 1e-6 else float(max(len(knots) - 1, 0))
        own = {name: made for name in OWN if (made := _set(stations[a:b], knots, name, route.level_within)) is not None}
        legs.append(
            Leg(
                line,
                a,
                covered,
                span,
                _aiming(stations[a:b], np.asarray(line.position(knots[: b - a]), float), knots[: b - a]),
                _blended(knots[: b - a], [s.focal for s in stations[a:b]], True),
                own,
            )
        )
        lengths += [
            covered + (float(line.along(k)) if line.length > 1e-6 else float(k * span))
            for k in (knots if len(starts) == 1 else knots[: b - a])
        ]
        covered += span
        real += line.length
    return tuple(legs), np.array(lengths), starts[1:], real


def _line(route: Route, stations: Sequence[Station], points: Floats, around: Around) -> tuple[Line, Floats]:
    """A leg's line, and the parameters of its stations (and of its end, where it has no station there)."""
    if route.way == "orbit":
        return _circle(route, stations, points, around), np.array([0.0, 1.0])
    if route.way == "push":
        return _push(route, stations, points), np.array([0.0, 1.0])
    walks = route.way == "walk"
    gaps = np.linalg.norm(np.diff(points[:, :2] if walks else points, axis=0), axis=1)
    if len(points) == 1 or gaps.max() < 1e-6 or route.way in ("follow", "fixed"):
        line = spot(points[0], len(points))
    elif route.way == "straight":
        line = straight(points)
    else:
        line = through(points * [1, 1, 0] if walks else points, route.tension, route.no_overshoot)
    if walks:
        line = _floored(line, points, around, route.eye_height)
    elif route.over_ground and line.length > 0:
        over = points[:, 2] - around.ground(points[:, 0], points[:, 1])
        line = at_height(line, around.ground, _blended(line.knots, list(over), False), even=GROUND_EVENED)
    return line, line.knots


def _circle(route: Route, stations: Sequence[Station], points: Floats, around: Around) -> Line:
    """Round a spot or a subject, from the first station on."""
    centre = np.array(route.spot or stations[0].aim)
    if route.subject and around.subject is not None:
        centre = around.subject(route.subject, np.zeros(1))[0][0]
    if np.hypot(*(points[0] - centre)[:2]) < 1e-3:
        raise RouteError(
            "The first station stands on the spot that is to be circled: move it away, as far as the circle is wide."
        )
    if abs(route.turns) < 1e-9:
        return spot(points[0], 2)
    return circling(points[0], centre, route.turns, points[1] if len(points) > 1 else None)


def _push(route: Route, stations: Sequence[Station], points: Floats) -> Line:
    """Straight towards what the station aims at, or away from it."""
    towards = np.array(stations[0].aim) - points[0]
    if route.counter and route.travel >= np.linalg.norm(towards) - 0.05:
        raise RouteError(
            f"A push of {route.travel:g} m goes through what it aims at, {np.linalg.norm(towards):.2f} m away, "
            "and no lens keeps its size there: push by less."
        )
    if abs(route.travel) < 1e-9:
        return spot(points[0], 2)
    return straight(np.stack([points[0], points[0] + unit(towards) * route.travel]))


def _floored(line: Line, points: Floats, around: Around, eye: float) -> Line:
    """A walk: on the floor, coming from the height that the stations about have."""
    floor, knots = around.floor, line.knots

    def over(u: Floats) -> Floats:
        return np.full(np.shape(u), eye)

    def standing(u: Floats, x: Floats, y: Floats) -> Floats:
        assert floor is not None
        return floor(x, y, np.interp(u, knots, points[:, 2]) if len(knots) > 1 else np.full(np.shape(u), points[0, 2]))

    return at_height(line, around.ground, over, standing if floor is not None else None)


def _aiming(stations: Sequence[Station], points: Floats, knots: Floats) -> Callable[[Floats], Rotation]:
    away = np.array([s.aim for s in stations])[: len(knots)] - points[: len(knots)]
    bearing = np.degrees(np.unwrap(np.arctan2(away[:, 0], away[:, 1])))
    pitch = np.degrees(np.arctan2(away[:, 2], np.hypot(away[:, 0], away[:, 1])))
    turns = turn_of(bearing, pitch)
    if len(knots) < 2:
        return lambda u: Rotation.from_quat(np.repeat(turns.as_quat()[:1], len(u), 0))
    return smooth(knots, turns)


def _blended(knots: Floats, values: Sequence[float], by_ratio: bool) -> Callable[[Floats], Floats]:
    """Smoothly between values, never past them, by equal ratios where sizes do; held beyond the ends."""
    v = np.log(values) if by_ratio else np.asarray(values, float)
    back: Callable[[Floats], Floats] = np.exp if by_ratio else (lambda x: x)
    if len(v) < 2 or np.ptp(knots[: len(v)]) < 1e-12:
        return lambda u: np.full(np.shape(u), float(values[0]))
    curve = PchipInterpolator(knots[: len(v)], v)
    low, high = float(knots[0]), float(knots[len(v) - 1])
    return lambda u: np.asarray(back(curve(np.clip(u, low, high))), float)


def _set(
    stations: Sequence[Station], knots: Floats, name: str, level_within: float
) -> Callable[[Floats], Floats] | None:
    told = [(k, float(v)) for k, s in zip(knots, stations, strict=False) if (v := getattr(s, name)) is not None]
    if not told:
        return None
    values = [0.0 if name == "roll" and abs(v) <= level_within else v for _, v in told]
    return _blended(np.array([k for k, _ in told]), values, name in ("focus", "f_number"))
