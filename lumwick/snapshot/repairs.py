"""Ways to mend a ride, each a row of ever stronger tries."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from lumwick.motion.channel import Channel, Key, evaluate
from lumwick.place.document import Shot
from lumwick.place.edits import fresh_id
from lumwick.place.filming import Station
from lumwick.route.camera_path import station_from
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.ride import with_route
from lumwick.snapshot.riding.light import exposure_jump
from lumwick.snapshot.riding.looks import middle_distances
from lumwick.snapshot.riding.sampled import Ride, ride
from lumwick.snapshot.surroundings import FAR, Near, surroundings

TRIES = 14

Floats = NDArray[np.float64]


def _window(r: Ride, begins: float, ends: float) -> NDArray[np.bool_]:
    return (r.t >= begins - 0.5) & (r.t <= ends + 0.5)


def _moved(shot: Shot, points: Floats, aims: bool = True) -> Shot:
    """Stations at other places; what they aim at moves along if ``aims``, for changes sideways and up."""
    out = []
    for s, p in zip(shot.route.stations, points, strict=True):
        d = p - [s.east, s.north, s.up]
        aim = tuple(float(round(a + v, 4)) for a, v in zip(s.aim, d, strict=True)) if aims else s.aim
        out.append(
            s.model_copy(
                update={
                    "east": round(float(p[0]), 4),
                    "north": round(float(p[1]), 4),
                    "up": round(float(p[2]), 4),
                    "aim": aim,
                }
            )
        )
    return with_route(shot, stations=out)


def _points(shot: Shot) -> Floats:
    return np.array([[s.east, s.north, s.up] for s in shot.route.stations], float)


def _near_stations(setting: Setting, shot: Shot, begins: float, ends: float, beside: int = 1) -> list[int]:
    """Stations that are met within a stretch, and some on either side."""
    way = setting.camera_path(shot)
    arrive = way.arrive
    inside = [i for i, t in enumerate(arrive) if np.isfinite(t) and begins - 0.05 <= t <= ends + 0.05]
    before = [i for i, t in enumerate(arrive) if np.isfinite(t) and t < begins - 0.05][-beside:] if beside else []
    after = [i for i, t in enumerate(arrive) if np.isfinite(t) and t > ends + 0.05][:beside]
    return sorted({*before, *inside, *after})


def with_station(setting: Setting, shot: Shot, t: float) -> tuple[Shot, int]:
    """A station more, on the way where the camera is at a clip time; and its index."""
    way = setting.camera_path(shot)
    pose = way.at(t)
    index = int(np.searchsorted(way.arrive[np.isfinite(way.arrive)], t))
    stations = list(shot.route.stations)
    name = fresh_id([s.id for s in stations], "s")
    near = stations[min(index, len(stations) - 1)]
    reach = max(float(np.linalg.norm(np.array(near.aim) - [near.east, near.north, near.up])), 2.0)
    made = station_from(
        name, pose.position[0], float(pose.bearing[0]), float(pose.pitch[0]), round(float(pose.focal[0]), 2), reach
    )
    if shot.route.timing == "by stations":
        made = made.model_copy(update={"time": round(t, 3)})
    stations.insert(index, made)
    return with_route(shot, stations=stations), index


def _lift(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    """Raise stations by the least squares that clear what lies below; one more station where none is near."""
    around = surroundings(setting.still(shot))
    margin = max(shot.route.keep_clear, 0.05) * 1.1 + 0.02
    now = shot
    for attempt in range(TRIES):
        p, t = (r.position, r.t)
        window = _window(r, begins, ends)
        low = np.maximum(setting.still(shot).floor(p[:, 0], p[:, 1]), around.crests(now, p, t)) + margin
        lack = np.where(window, low - p[:, 2], -1.0)
        for near in (around.solids, around.leaves):
            hit: Near = near(p, margin)
            lack = np.where(
                window & ((hit.distance < margin) | hit.through),
                np.maximum(lack, margin - np.minimum(hit.distance, margin) + 0.05),
                lack,
            )
        if (lack <= 0).all():
            return
        worst = float(r.t[int(np.argmax(lack))])
        if attempt == 0 and not _near_stations(setting, now, max(begins, worst - 0.7), min(ends, worst + 0.7), 0):
            now, _ = with_station(setting, now, worst)
            yield now
        movable = _near_stations(setting, now, begins, ends)
        points = _points(now)
        some = np.flatnonzero(lack > 0)
        some = some[np.linspace(0, len(some) - 1, min(len(some), 40)).astype(int)]
        base = setting.camera_path(now).at(r.t[some]).position[:, 2]
        weight = np.zeros((len(some), len(movable)))
        for k, i in enumerate(movable):
            raised = points.copy()
            raised[i, 2] += 0.1
            weight[:, k] = (setting.camera_path(_moved(now, raised)).at(r.t[some]).position[:, 2] - base) / 0.1
        wanted = lack[some]
        solved = minimize(
            lambda d: float(d @ d),
            np.full(len(movable), wanted.max()),
            jac=lambda d: 2 * d,
            method="SLSQP",
            bounds=[(0, None)] * len(movable),
            constraints={
                "type": "ineq",
                "fun": lambda d, weight=weight, wanted=wanted: weight @ d - wanted,
                "jac": lambda d, weight=weight: weight,
            },
        )
        lift = solved.x if solved.success else np.full(len(movable), wanted.max())
        points[movable, 2] += lift
        now = _moved(now, points, aims=False)
        yield now
        r = ride(setting, now, len(r.t))


def _aside(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    """Push stations away from what is too near, seen from above; both sides are tried."""
    around = surroundings(setting.still(shot))
    margin = max(shot.route.keep_clear, 0.05) * 1.15 + 0.03
    hits = [near(r.position, margin) for near in (around.solids, around.leaves)]
    bad = _window(r, begins, ends) & np.any([(h.distance < margin) | h.through for h in hits], axis=0)
    if not bad.any():
        return
    depth = np.min([np.where(h.through, 0.0, h.distance) for h in hits], axis=0)
    k = int(np.argmin(np.where(bad, depth, np.inf)))
    start = shot
    if not _near_stations(setting, shot, r.t[k] - 0.4, r.t[k] + 0.4, 0):
        start, _ = with_station(setting, shot, float(r.t[k]))
    movable = _near_stations(setting, start, begins, ends, 0) or _near_stations(
        setting, start, float(r.t[k]) - 0.4, float(r.t[k]) + 0.4, 0
    )
    ahead = r.position[min(k + 1, len(r.t) - 1)] - r.position[max(k - 1, 0)]
    side = np.array([ahead[1], -ahead[0], 0.0]) / max(float(np.hypot(ahead[0], ahead[1])), 1e-9)
    spot = min(hits, key=lambda h: h.distance[k]).spot[k]
    first = 1.0 if float((r.position[k] - spot) @ side) >= 0 else -1.0
    for by in np.geomspace(0.15, 8.0, 10):
        for sign in (first, -first):
            points = _points(start)
            points[movable] += side * sign * by
            yield _moved(start, points, aims=False)


def _relaxed(values: Floats, knots: Floats, free: list[int], strength: float) -> Floats:
    """Points moved as little as may be for less bending: least squares of the change and of the second differences."""
    n = len(values)
    bend = np.zeros((max(n - 2, 0), n))
    for i in range(n - 2):
        a, b = knots[i + 1] - knots[i], knots[i + 2] - knots[i + 1]
        bend[i, i : i + 3] = [2 / (a * (a + b)), -2 / (a * b), 2 / (b * (a + b))]
    scale = np.median(np.diff(knots)) ** 2 if n > 1 else 1.0
    held = [i for i in range(n) if i not in free]
    matrix = np.eye(n) + strength * (bend * scale).T @ (bend * scale)
    out = values.copy()
    if free:
        out[free] = np.linalg.solve(
            matrix[np.ix_(free, free)], values[free] - matrix[np.ix_(free, held)] @ values[held]
        )
    return out


def _smooth(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    route = shot.route
    edge = 0.12 * shot.seconds
    if route.timing != "one smooth move" and (
        (begins < edge and route.eased_start > 0) or (ends > shot.seconds - edge and route.eased_end > 0)
    ):
        for more in (1.4, 2.0, 2.8, 4.0, 6.0):  # it gathers speed too quickly: no other path would help
            yield with_route(
                shot, eased_start=min(0.5, route.eased_start * more), eased_end=min(0.5, route.eased_end * more)
            )
    n = len(route.stations)
    if n < 3:
        return
    points = _points(shot)
    knots = np.concatenate(
        [[0.0], np.cumsum(np.sqrt(np.maximum(np.linalg.norm(np.diff(points, axis=0), axis=1), 0.01)))]
    )
    free = [i for i in _near_stations(setting, shot, begins, ends, 2) if 0 < i < n - 1]
    for strength in np.geomspace(0.05, 400, TRIES):
        yield _moved(shot, _relaxed(points, knots, free, float(strength)))


def _smooth_aim(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    route = shot.route
    if "ahead" in (route.aim, route.aim_second) and route.aim != "stations":
        for more in (1.3, 1.7, 2.2, 3, 4, 6):
            yield with_route(shot, lead=min(30.0, round(max(route.lead, 0.3) * more, 3)))
        return
    points = _points(shot)
    away = np.array([s.aim for s in route.stations]) - points
    reach = np.linalg.norm(away, axis=1)
    n = len(points)
    arrive = setting.camera_path(shot).arrive
    if n < 3 or not np.isfinite(arrive).all() or (np.diff(arrive) <= 1e-6).any():
        return
    free = [i for i in _near_stations(setting, shot, begins, ends, 2) if 0 < i < n - 1] or list(range(1, n - 1))
    for strength in np.geomspace(0.05, 400, TRIES):
        d = _relaxed(away / reach[:, None], arrive, free, float(strength))
        d /= np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-9)
        yield with_route(
            shot,
            stations=[
                s.model_copy(update={"aim": tuple(round(float(v), 4) for v in p + q * k)}) if i in free else s
                for i, (s, p, q, k) in enumerate(zip(route.stations, points, d, reach, strict=True))
            ],
        )


def _slow(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    """Keys on the pacing: down to a share over the stretch, eased on both sides."""
    pace = shot.route.pace
    edge = max(0.5, 0.35 * (ends - begins))
    a, b = max(0.0, begins - 0.15), min(shot.seconds, ends + 0.15)
    for share in 0.88 ** np.arange(1, TRIES + 1):
        ts = [a - edge, a, b, b + edge]
        kept = [k for k in pace.keys if k.t < ts[0] - 1e-6 or k.t > ts[-1] + 1e-6] if isinstance(pace, Channel) else []
        usual = np.asarray(evaluate(pace, np.array(ts)), float)
        made = [
            Key(t=round(t, 3), v=round(float(max(0.02, v * k)), 4), join="smooth")
            for t, v, k in zip(ts, usual, (1, share, share, 1), strict=True)
        ]
        made = [k for k in made if -edge <= k.t <= shot.seconds + edge]
        keys = tuple(sorted([*kept, *made], key=lambda k: k.t))
        yield with_route(
            shot, pace=Channel(keys=keys) if not isinstance(pace, Channel) else pace.model_copy(update={"keys": keys})
        )


def _longer(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    for more in 1.12 ** np.arange(1, TRIES + 4):
        frames = int(np.ceil(shot.frames * more))
        if frames > 20000:
            return
        stretched = [
            s.model_copy(update={"time": None if s.time is None else round(s.time * frames / shot.frames, 3)})
            for s in shot.route.stations
        ]
        yield with_route(shot, stations=stretched).model_copy(update={"frames": frames})


def _ease(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    for share in (0.08, 0.12, 0.18, 0.25, 0.35, 0.5):
        yield with_route(
            shot, eased_start=max(shot.route.eased_start, share), eased_end=max(shot.route.eased_end, share)
        )


def _level(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    flat = with_route(shot, stations=[s.model_copy(update={"roll": None}) for s in shot.route.stations])
    yield flat.model_copy(update={"exposure": shot.exposure.model_copy(update={"roll": 0.0})})


def _focus(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    """Stations' marks at what stands in the middle of the picture when they are met."""
    way = setting.camera_path(shot)
    near = surroundings(setting.still(shot))
    met = [(i, float(np.clip(t, 0, shot.seconds))) for i, t in enumerate(way.arrive) if np.isfinite(t)]
    some = np.array([round(t / r.dt) for _, t in met])
    seen = np.sort(middle_distances(shot, r, near, np.clip(some, 0, len(r.t) - 1)), axis=1)
    for pick in (4, 2, 0, 6):
        stations = list(shot.route.stations)
        for (i, _), d in zip(met, seen, strict=True):
            distance = float(min(d[pick], FAR)) if np.isfinite(d[pick]) else float(min(d[0], FAR))
            stations[i] = stations[i].model_copy(update={"focus": round(max(distance, 0.1), 2)})
        yield with_route(shot, stations=stations)


def _match(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    """The whole shot's exposure, as much brighter or darker as the cut jumps."""
    jump = exposure_jump(setting, shot)
    if jump is None:
        return
    by = round(jump[1], 2)
    ev = shot.exposure.ev100
    raised = (
        ev.model_copy(update={"keys": tuple(k.model_copy(update={"v": round(k.v + by, 3)}) for k in ev.keys)})
        if isinstance(ev, Channel)
        else round(ev + by, 2)
    )
    stations = [
        s if s.ev100 is None else s.model_copy(update={"ev100": round(s.ev100 + by, 2)}) for s in shot.route.stations
    ]
    yield with_route(shot, stations=stations).model_copy(
        update={"exposure": shot.exposure.model_copy(update={"ev100": raised})}
    )


def _apart(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    kept: list[Station] = []
    for s in shot.route.stations:
        if not kept or np.linalg.norm([s.east - kept[-1].east, s.north - kept[-1].north, s.up - kept[-1].up]) >= 1e-3:
            kept.append(s)
    yield with_route(shot, stations=kept)


def _ashore(setting: Setting, shot: Shot, r: Ride, begins: float, ends: float) -> Iterator[Shot]:
    """Stations that stand in water go to the nearest dry spot, and to ones further up from it."""
    still = setting.still(shot)
    level = still.place.sea.surface
    for dry in (0.05, 0.2, 0.4):
        points = _points(shot)
        for p in points:
            a, d = np.meshgrid(np.linspace(0, 2 * np.pi, 48, endpoint=False), np.arange(0.0, 80, 0.5))
            x, y = p[0] + d * np.sin(a), p[1] + d * np.cos(a)
            z = still.floor(x.ravel(), y.ravel()).reshape(x.shape)
            good = np.where(z > level + dry, d, np.inf)
            if np.isfinite(good).any():
                k = np.unravel_index(int(np.argmin(good)), good.shape)
                p[0], p[1] = x[k], y[k]
        yield _moved(shot, points)


WAYS: dict[str, Callable[..., Iterator[Shot]]] = {
    "lift": _lift,
    "aside": _aside,
    "smooth": _smooth,
    "smooth aim": _smooth_aim,
    "slow": _slow,
    "longer": _longer,
    "ease": _ease,
    "level": _level,
    "focus": _focus,
    "apart": _apart,
    "match": _match,
    "ashore": _ashore,
    "ahead": lambda setting, shot, r, a, b: iter(
        [with_route(shot, aim="ahead", lead=shot.route.lead or 0.8), with_route(shot, aim="ahead", lead=1.5)]
    ),
    "eye": lambda setting, shot, r, a, b: iter([with_route(shot, eye_height=1.6)]),
    "frame": lambda setting, shot, r, a, b: iter([with_route(shot, aim="subject")]),
}
