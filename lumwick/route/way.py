"""The camera's way: where it is, where it looks and how it is set, at any clip time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from lumwick.errors import RouteError
from lumwick.motion.channel import Curve, evaluate
from lumwick.motion.terms import wander
from lumwick.motion.turns import smooth, turn_of
from lumwick.place.document import Route, Station
from lumwick.route import pacing
from lumwick.route.line import Line, at_height, circling, spot, straight, through
from lumwick.route.track import Track, pose_angles

Floats = NDArray[np.float64]
OWN = ("focus", "f_number", "ev100", "kelvin", "roll")
"""What a station may set for itself, or leave to the shot."""
USED_STATIONS = {"orbit": 2, "push": 1, "follow": 1, "fixed": 1}
"""How many stations a way goes by, where it is not all of them."""
STEP = 0.72
"""Metres of a walker's step (broad practice, no source)."""
HEAD_TURN = 1.0
"""Seconds in which somebody who stops turns the head to what is worth seeing, and back."""
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
class Poses:
    """Cameras at n times.

    Attributes
    ----------
    position, forward : ndarray, shape (n, 3)
    roll : ndarray, shape (n,) [degrees]
        By an unsteady hand or a walker's gait, besides what stations and shot say.
    focal : ndarray, shape (n,) [mm]
    own : dict of ndarray, shape (n,)
        What stations set for themselves; what is missing is left to the shot.
    """

    position: Floats
    forward: Floats
    roll: Floats
    focal: Floats
    own: dict[str, Floats] = field(default_factory=dict)

    @property
    def bearing(self) -> Floats:
        """Degrees from north through east, going on past 360."""
        return np.degrees(np.unwrap(np.arctan2(self.forward[:, 0], self.forward[:, 1])))

    @property
    def pitch(self) -> Floats:
        return np.degrees(np.arcsin(np.clip(self.forward[:, 2], -1, 1)))

    def table(self) -> Floats:
        """Everything in rows, to tell whether two are the same."""
        return np.column_stack(
            [self.position, self.forward, self.roll, self.focal, *(self.own[name] for name in sorted(self.own))]
        )


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


@dataclass(frozen=True)
class Way:
    """A route made ready to be asked where the camera is.

    Attributes
    ----------
    length : float [m]
        Along the curve.
    arrive, leave : ndarray, shape (n,) [s]
        Clip times at which stations are met and left; not a number for stations that the way does not use.
    changes : tuple of float [s]
        Clip times of hard changes.
    """

    route: Route
    seconds: float
    length: float
    arrive: Floats
    leave: Floats
    changes: tuple[float, ...]
    usual_speed: float
    around: Around
    legs: tuple[Leg, ...]
    _paced: Callable[[Floats], Floats]

    def along(self, times: ArrayLike) -> Floats:
        """Way covered [m] at clip times (n,) [s]."""
        return self._paced(np.atleast_1d(np.asarray(times, float)))

    def at(self, times: ArrayLike) -> Poses:
        """The camera at clip times (n,) [s]."""
        t = np.atleast_1d(np.asarray(times, float))
        r = self.route
        if r.way == "brought":
            return self._brought(t)
        covered = self.along(t)
        position, ahead, stationed, station_focal, own = self._on_legs(t, covered)
        if r.way == "follow":
            position = self._followed(t)
        elif r.way == "walk" and r.gait > 0:
            position = position + self._gait(t, covered, ahead)
        forward = self._looking(t, position, ahead, stationed)
        focal = self._countered(station_focal, position)
        if r.focus_on == "subject":
            own["focus"] = np.maximum(((self.subject(t) - position) * forward).sum(1), 0.1)
        roll = np.zeros(len(t))
        if r.handheld > 0:
            position, forward, roll = self._unsteady(t, position, forward)
        return Poses(position, forward, roll, focal, own)

    def _on_legs(self, t: Floats, covered: Floats) -> tuple[Floats, Floats, Floats, Floats, dict[str, Floats]]:
        """Where the lines lead and what stations say: place, way ahead, aim (n, 3), focal length (n,), what is set."""
        n = len(t)
        leg = np.searchsorted(np.array(self.changes, float), t + 1e-9, side="right")
        position, ahead, stationed, focal = np.zeros((n, 3)), np.zeros((n, 3)), np.zeros((n, 3)), np.zeros(n)
        own = {name: np.full(n, np.nan) for name in OWN if any(name in q.own for q in self.legs)}
        lead = max(self.route.lead * self.usual_speed, 0.25)
        for k, q in enumerate(self.legs):
            on = leg == k
            if not on.any():
                continue
            within = np.clip(covered[on] - q.start, 0.0, q.span)
            if q.line.length > 0:
                u = q.line.parameter(within)
                position[on] = q.line.at(within)
                ahead[on] = q.line.at(within + lead) - position[on]
            else:
                u = within / q.span if q.span > 0 else np.zeros(len(within))
                position[on] = q.line.position(u)
            stationed[on] = q.aiming(u).apply([0.0, 1.0, 0.0])
            focal[on] = q.focal(u)
            for name, made in q.own.items():
                own[name][on] = made(u)
        return position, ahead, stationed, focal, own

    # -- where it looks ------------------------------------------------------------------------------

    def subject(self, t: Floats) -> Floats:
        """Where what is circled, followed or looked at is, (n, 3)."""
        r = self.route
        if r.subject and self.around.subject is not None:
            return self.around.subject(r.subject, t)[0] + [0.0, 0.0, r.subject_up]
        point = r.spot if r.spot is not None else r.stations[0].aim
        return np.broadcast_to(np.array(point) + [0.0, 0.0, r.subject_up], (len(t), 3)).copy()

    def _looking(self, t: Floats, position: Floats, ahead: Floats, stationed: Floats) -> Floats:
        r = self.route

        def by(mode: str) -> Floats:
            if mode == "subject" or (mode == "stations" and r.way in ("orbit", "follow")):
                away = self.subject(t) - position
                return np.where(np.linalg.norm(away, axis=1, keepdims=True) < 1e-6, stationed, away)
            if mode == "by keys":
                b, p = np.radians(self._keyed("bearing", t)), np.radians(self._keyed("pitch", t))
                return np.stack([np.sin(b) * np.cos(p), np.cos(b) * np.cos(p), np.sin(p)], -1)
            if mode == "ahead":
                d = ahead.copy()
                if r.way == "walk":
                    d[:, 2] = 0.0  # somebody walking looks level, up hill and down
                return self._stops_to_look(
                    t, unit(np.where(np.linalg.norm(d, axis=1, keepdims=True) < 1e-6, stationed, d)), stationed
                )
            return stationed

        first = unit(by(r.aim))
        share = np.clip(self._keyed("aim_share", t), 0.0, 1.0)
        if r.aim_second == r.aim or not share.any():
            return first
        return turned(first, unit(by(r.aim_second)), share)

    def _stops_to_look(self, t: Floats, ahead: Floats, stationed: Floats) -> Floats:
        """Where it goes; but at a station that it stays at, what that station aims at."""
        share = np.zeros(len(t))
        for a, b, station in zip(self.arrive, self.leave, self.route.stations, strict=False):
            if station.stay > 0 and np.isfinite(a):
                turn = min(HEAD_TURN, (b - a) / 2)
                share = np.maximum(
                    share, np.minimum(eased((t - a + 0.3 * turn) / turn), eased((b - t + 0.3 * turn) / turn))
                )
        return turned(ahead, unit(stationed), share) if share.any() else ahead

    def _keyed(self, name: str, t: Floats) -> Floats:
        value = getattr(self.route, name)
        if self.around.keyed is not None:
            return self.around.keyed(name, t)
        return evaluate(value, t) if isinstance(value, Curve) else np.full(len(t), float(value))

    # -- how it moves --------------------------------------------------------------------------------

    def _followed(self, t: Floats) -> Floats:
        r, s = self.route, self.route.stations[0]
        if not r.subject or self.around.subject is None:
            raise RouteError("This shot follows something, and it is not said what: choose a subject.")
        home, turn0 = self.around.subject(r.subject, np.zeros(1))
        there, turn = self.around.subject(r.subject, t - r.lag)
        a = np.radians(turn - turn0[0])
        e, n, h = np.array([s.east, s.north, s.up]) - home[0]
        return np.asarray(
            there + np.stack([e * np.cos(a) + n * np.sin(a), n * np.cos(a) - e * np.sin(a), np.full(len(t), h)], -1)
        )

    def _brought(self, t: Floats) -> Poses:
        assert self.around.track is not None
        position, turn, focal = self.around.track.at(t + self.route.starts_before)
        _, _, roll = pose_angles(turn)
        return Poses(position, turn.apply([0.0, 1.0, 0.0]).reshape(-1, 3), np.zeros(len(t)), focal, {"roll": roll})

    def _gait(self, t: Floats, covered: Floats, ahead: Floats) -> Floats:
        h = 0.02
        speed = (self.along(t + h) - self.along(t - h)) / (2 * h)
        size = self.route.gait * eased(speed / 0.9)
        side = np.stack([ahead[:, 1], -ahead[:, 0], np.zeros(len(t))], -1)
        side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-9)
        sway = 0.011 * size * np.sin(np.pi * covered / STEP)
        return np.asarray(
            side * sway[:, None]
            + np.stack(
                [np.zeros(len(t)), np.zeros(len(t)), -0.009 * size * (1 - np.cos(2 * np.pi * covered / STEP))], -1
            )
        )

    def _unsteady(self, t: Floats, position: Floats, forward: Floats) -> tuple[Floats, Floats, Floats]:
        """A hand's slow drift and small tremor, in closed form; some millimetres and a tenth of a degree (broad
        practice, no source)."""
        r, loop = self.route, self.around.loop

        def drift(k: int, rate: float) -> Floats:
            return wander(t, rate, 0.25, r.seed * 16 + k, loop)

        moved = position + 0.006 * r.handheld * np.stack([drift(k, 0.45) for k in range(3)], -1)
        bearing, pitch = np.arctan2(forward[:, 0], forward[:, 1]), np.arcsin(np.clip(forward[:, 2], -1, 1))
        bearing, pitch = (
            bearing + np.radians(0.16 * r.handheld) * drift(3, 0.5) / np.maximum(np.cos(pitch), 0.2),
            pitch + np.radians(0.13 * r.handheld) * drift(4, 0.6),
        )
        return (
            moved,
            np.stack([np.sin(bearing) * np.cos(pitch), np.cos(bearing) * np.cos(pitch), np.sin(pitch)], -1),
            0.12 * r.handheld * drift(5, 0.35),
        )

    def _countered(self, focal: Floats, position: Floats) -> Floats:
        r = self.route
        if r.way != "push" or not r.counter:
            return focal
        s = r.stations[0]
        aim, home = np.array(s.aim), np.array([s.east, s.north, s.up])
        return np.asarray(
            np.clip(focal * np.linalg.norm(position - aim, axis=1) / np.linalg.norm(home - aim), 4.0, 1200.0)
        )


def eased(x: ArrayLike) -> Floats:
    """0 to 1 by 3 x^2 - 2 x^3."""
    s: Floats = np.clip(np.asarray(x, float), 0.0, 1.0)
    return s * s * (3 - 2 * s)


def unit(d: Floats) -> Floats:
    """Directions of length 1, (n, 3)."""
    return np.asarray(d / np.maximum(np.linalg.norm(d, axis=-1, keepdims=True), 1e-12), float)


def turned(a: Floats, b: Floats, share: Floats) -> Floats:
    """Directions (n, 3) a share of the way from one to another, along the great circle (Shoemake 1985)."""
    angle = np.arccos(np.clip((a * b).sum(-1), -1.0, 1.0))
    sine = np.sin(angle)
    near = sine < 1e-6
    safe = np.where(near, 1.0, sine)
    k, m = (
        np.where(near, 1 - share, np.sin((1 - share) * angle) / safe),
        np.where(near, share, np.sin(share * angle) / safe),
    )
    mixed = a * k[..., None] + b * m[..., None]
    over = np.linalg.norm(mixed, axis=-1) < 1e-6  # straight against one another: over the top of neither
    return unit(np.where(over[..., None], a, mixed))


def goes(route: Route) -> bool:
    """Whether a route has what a camera needs: a station, or a path that was brought in."""
    return bool(route.stations) or (route.way == "brought" and route.track is not None)


def way(route: Route, seconds: float, around: Around | None = None) -> Way:
    """Make a route ready.

    Fly: a natural cubic spline through the stations over the square root of their distances. Walk: the same seen
    from above, its height the floor's plus the eye's. The aim turns on the sphere, by the shorter way; focal
    lengths blend by ratios.

    Parameters
    ----------
    seconds : float
        Length of the clip.

    Raises
    ------
    RouteError
        There is no station, or what was asked cannot be done.
    """
    around = around or Around()
    seconds = max(seconds, 1e-6)
    if route.way == "brought":
        return _brought_way(route, seconds, around)
    if not route.stations:
        raise RouteError("This route has no station: turn the look to a view and press Enter to set one.")
    stations = route.stations[: USED_STATIONS.get(route.way)]
    legs, lengths, cuts, real = _legs(route, stations, around)
    paced, begins, duration, resting = _pacing(route, stations, lengths, seconds)
    forth, back = _clock(route, around, begins, duration)

    def covered(t: Floats) -> Floats:
        return paced.at(forth(t - begins))

    arrive, leave = (np.asarray(back(v), float) + begins for v in (paced.arrive, paced.leave))
    changes = tuple(float(arrive[c]) for c in cuts)
    arrive, leave = arrive[: len(stations)], leave[: len(stations)]  # a circle or push has an end of its own
    idle = np.full(len(route.stations) - len(arrive), np.nan)
    return Way(
        route,
        seconds,
        real,
        np.concatenate([arrive, idle]),
        np.concatenate([leave, idle]),
        changes,
        real / max(duration - resting, 1e-6),
        around,
        legs,
        covered,
    )


def _clock(
    route: Route, around: Around, begins: float, duration: float
) -> tuple[Callable[[Floats], Floats], Callable[[Floats], Floats]]:
    pace: Any = route.pace
    if not isinstance(pace, Curve):
        return (lambda x: x), (lambda x: x)
    keyed = around.keyed
    return pacing.warped(
        (lambda t: evaluate(pace, t)) if keyed is None else (lambda t: keyed("pace", t)), begins, duration
    )


def _brought_way(route: Route, seconds: float, around: Around) -> Way:
    """A way that runs a path that was brought in."""
    track = around.track
    if track is None:
        raise RouteError(
            "This route runs a path that was brought in, and there is none: bring one in, or choose another way."
        )
    unmet = np.full(len(route.stations), np.nan)
    usual = track.length / max(float(np.ptp(track.t)), 1e-6)
    return Way(route, seconds, track.length, unmet, unmet, (), usual, around, (), lambda t: t * 0)


def _pacing(
    route: Route, stations: Sequence[Station], lengths: Floats, seconds: float
) -> tuple[pacing.Pacing, float, float, float]:
    """How the way is paced, the clip time at which the move begins, how long it lasts and how much of that it rests
    [s]."""
    begins, duration = -route.starts_before, seconds + route.starts_before + route.ends_after
    n = len(lengths)
    stays, takes, eased_moves = np.zeros(n), np.zeros(n), np.zeros(n, bool)
    if n == len(stations):  # or it is a circle or a push, whose end is no station
        stays = np.array([s.stay for s in stations])
        takes = np.array([s.takes for s in stations])
        eased_moves[:-1] = [join == "eased" for join in _joins(route, stations)]
        if route.timing == "by stations" and n > 1:
            # times at stations are clip times: the clock of this move is the clip's own
            rests = (route.eased_start > 0, route.eased_end > 0)
            paced = pacing.by_stations(lengths, [s.time for s in stations], stays, eased_moves, seconds, rests)
            return paced, 0.0, seconds, float(stays.sum())
    ramps = (route.eased_start * duration, route.eased_end * duration)
    one_move = route.timing == "one smooth move"
    paced = pacing.even(lengths, stays, eased_moves, takes, duration, ramps, one_move)
    return paced, begins, duration, float(stays.sum())


def _joins(route: Route, stations: Sequence[Station]) -> list[str]:
    """How each station but the last goes on to the next."""
    return ["onward" if route.way == "orbit" else s.join for s in stations[:-1]]


def _legs(
    route: Route, stations: Sequence[Station], around: Around
) -> tuple[tuple[Leg, ...], Floats, list[int], float]:
    """The legs; way covered at each station (or at the ends of a way with one); the stations that begin a leg; length
    [m]."""
    points = np.array([[s.east, s.north, s.up] for s in stations])
    starts = [0, *(i + 1 for i, join in enumerate(_joins(route, stations)) if join == "cut")]
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


def station_from(
    station_id: str, position: ArrayLike, bearing: float, pitch: float, focal: float, reach: float = 20.0
) -> Station:
    """A station that stores a view."""
    p = np.asarray(position, float)
    b, e = np.radians(bearing), np.radians(pitch)
    d = np.array([np.sin(b) * np.cos(e), np.cos(b) * np.cos(e), np.sin(e)])
    aim = tuple(float(c) for c in np.round(p + d * reach, 3))
    return Station(
        id=station_id,
        east=round(float(p[0]), 3),
        north=round(float(p[1]), 3),
        up=round(float(p[2]), 3),
        aim=aim,
        focal=focal,
    )  # type: ignore[arg-type]
