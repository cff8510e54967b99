"""The camera's way: where it is, where it looks and how it is set, at any clip time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumwick.errors import RouteError
from lumwick.motion.channel import Curve, evaluate
from lumwick.motion.terms import wander
from lumwick.place.filming import Route, Station
from lumwick.route import pacing
from lumwick.route.legs import OWN, Around, Leg, joins_of, legs_of, unit
from lumwick.route.track import pose_angles

Floats = NDArray[np.float64]
USED_STATIONS = {"orbit": 2, "push": 1, "follow": 1, "fixed": 1}
"""How many stations a way goes by, where it is not all of them."""
STEP = 0.72
"""Metres of a walker's step (broad practice, no source)."""
HEAD_TURN = 1.0
"""Seconds in which somebody who stops turns the head to what is worth seeing, and back."""


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
class CameraPath:
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


def camera_path_of(route: Route, seconds: float, around: Around | None = None) -> CameraPath:
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
    legs, lengths, cuts, real = legs_of(route, stations, around)
    paced, begins, duration, resting = _pacing(route, stations, lengths, seconds)
    forth, back = _clock(route, around, begins, duration)

    def covered(t: Floats) -> Floats:
        return paced.at(forth(t - begins))

    arrive, leave = (np.asarray(back(v), float) + begins for v in (paced.arrive, paced.leave))
    changes = tuple(float(arrive[c]) for c in cuts)
    arrive, leave = arrive[: len(stations)], leave[: len(stations)]  # a circle or push has an end of its own
    idle = np.full(len(route.stations) - len(arrive), np.nan)
    return CameraPath(
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


def _brought_way(route: Route, seconds: float, around: Around) -> CameraPath:
    """A way that runs a path that was brought in."""
    track = around.track
    if track is None:
        raise RouteError(
            "This route runs a path that was brought in, and there is none: bring one in, or choose another way."
        )
    unmet = np.full(len(route.stations), np.nan)
    usual = track.length / max(float(np.ptp(track.t)), 1e-6)
    return CameraPath(route, seconds, track.length, unmet, unmet, (), usual, around, (), lambda t: t * 0)


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
        eased_moves[:-1] = [join == "eased" for join in joins_of(route, stations)]
        if route.timing == "by stations" and n > 1:
            # times at stations are clip times: the clock of this move is the clip's own
            rests = (route.eased_start > 0, route.eased_end > 0)
            paced = pacing.by_stations(lengths, [s.time for s in stations], stays, eased_moves, seconds, rests)
            return paced, 0.0, seconds, float(stays.sum())
    ramps = (route.eased_start * duration, route.eased_end * duration)
    one_move = route.timing == "one smooth move"
    paced = pacing.even(lengths, stays, eased_moves, takes, duration, ramps, one_move)
    return paced, begins, duration, float(stays.sum())


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
    )
