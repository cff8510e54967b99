"""Routes laid in a place: along a line, from a path that was brought in, or to good views that the lie of the land
suggests."""

from __future__ import annotations

import heapq
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import RouteError
from lumwick.lens.lens import Lens
from lumwick.motion.timebase import RATES
from lumwick.motion.turns import aim_of
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Station
from lumwick.route.camera_path import station_from
from lumwick.route.drawn import Drawn
from lumwick.route.track import Track
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.ride import with_route
from lumwick.snapshot.surroundings import surroundings

Floats = NDArray[np.float64]
STATIONS_AT_MOST = 60
REACH = 12.0
"""Metres ahead that a station on a line aims at."""
EYE = 1.6
TRIED = 240
"""Spots that are tried for a good view, and the bearings [degrees] from each."""
BEARINGS = np.arange(0, 360, 30.0)
GROUNDS = ((2.0, 15.0), (15.0, 150.0), (150.0, 3000.0))
"""Where foreground, middle ground and background lie [m]."""


def thinned(points: Floats, most: int = STATIONS_AT_MOST, tolerance: float = 0.02) -> NDArray[np.int64]:
    """Indices of the points of a line, in any number of dimensions, that keep its form, its ends among them, at most
    ``most``.

    References
    ----------
    Douglas and Peucker, Algorithms for the reduction of the number of points required to represent a digitized line
    or its caricature, Cartographica 10 (1973): the point that is farthest off is kept first.
    """
    kept = [0, len(points) - 1]
    worst: list[tuple[float, int, int, int]] = []

    def look(a: int, b: int) -> None:
        if b - a < 2:
            return
        way = points[b] - points[a]
        away = points[a + 1 : b] - points[a]
        share = np.clip(away @ way / max(float(way @ way), 1e-18), 0.0, 1.0)
        off = np.linalg.norm(away - share[:, None] * way, axis=1)
        k = int(np.argmax(off))
        heapq.heappush(worst, (-float(off[k]), a, a + 1 + k, b))

    look(0, len(points) - 1)
    while worst and len(kept) < most and -worst[0][0] > tolerance:
        _, a, k, b = heapq.heappop(worst)
        kept.append(k)
        look(a, k)
        look(k, b)
    return np.array(sorted(set(kept)))


class AskClock(RouteError):
    """A walk's times are not the shot's: say whose count."""

    option = "--clock"


CLOCKS = ("as long as the track", "as quick as the shot is long", "at a walking pace")
"""Whose time counts where a line has times of its own."""
APART, WALK = 0.1, 1.4
"""Share of a shot's length by which a track's may differ unasked; and a walk's speed [m/s] (practice)."""
FRAMES_AT_MOST = 20_000


def with_clock(shot: Shot, drawn: Drawn, clock: str) -> tuple[Shot, Drawn]:
    """A shot and a line with times, brought to one time.

    Parameters
    ----------
    clock : str
        One of `CLOCKS`, or how many times quicker (30x); empty if nothing was said.

    Raises
    ------
    AskClock
        Nothing was said, and they are not of one length.
    RouteError
        What was said cannot be.
    """
    if drawn.times is None or len(drawn.times) < 2:
        return shot, drawn
    span, rate = float(drawn.times[-1] - drawn.times[0]), float(RATES[shot.fps])
    if not clock and abs(span - shot.seconds) <= APART * shot.seconds:
        return shot, drawn
    if not clock:
        raise AskClock(
            f"This track lasts {_lasts(span)}, the shot {_lasts(shot.seconds)}: say whether the shot is to be as long "
            "as the track, so many times quicker, or the line is walked at a pace."
        )
    if clock == CLOCKS[2]:
        length = float(np.linalg.norm(np.diff(drawn.points, axis=0), axis=1).sum())
        return _as_long(shot, length / WALK, rate), replace(drawn, times=None)
    start = drawn.times - drawn.times[0]
    if clock == CLOCKS[1]:
        return shot, replace(drawn, times=start * (shot.seconds / max(span, 1e-9)))
    quicker = 1.0
    if clock != CLOCKS[0]:
        try:
            quicker = float(clock.rstrip("x×"))
        except ValueError:
            quicker = 0.0
        if not 0 < quicker < 1e5:
            raise RouteError(f"{clock!r} says no time: say {', '.join(CLOCKS)}, or how many times quicker, as 30x.")
    return _as_long(shot, span / quicker, rate), replace(drawn, times=start / quicker)


def _as_long(shot: Shot, seconds: float, rate: float) -> Shot:
    frames = round(seconds * rate) + 1
    if frames > FRAMES_AT_MOST:
        times = seconds * rate / FRAMES_AT_MOST
        raise RouteError(
            f"The shot would have {frames:,} frames: at most {FRAMES_AT_MOST:,}. Run it {times:.0f} times quicker."
        )
    return shot.model_copy(update={"frames": max(2, frames)})


def _lasts(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"


def along_line(setting: Setting, shot: Shot, drawn: Drawn, way: str, height: float, clock: str = "") -> Shot:
    """A shot whose route runs along a line.

    Parameters
    ----------
    way : str
        fly or walk.
    height : float [m]
        Over floor or water, where the line's own heights do not hold.
    clock : str
        Whose time counts (`with_clock`).

    Raises
    ------
    RouteError
        The line has no length.
    AskClock
    """
    shot, drawn = with_clock(shot, drawn, clock)
    points, times = drawn.points, drawn.times
    _check_length(points)
    walks = way == "walk"
    kept = thinned(points if drawn.heights and not walks else points * [1, 1, 0])
    places = points[kept].astype(float)
    if walks or not drawn.heights:
        places[:, 2] = height + _below(setting.still(shot), places, walks)
    aims = places + _ahead(points, kept) if drawn.aims is None else drawn.aims[kept].astype(float)
    aims[np.abs(aims - places).max(1) < 1e-5] += [0.0, REACH, 0.0]
    lens = shot.route.stations[0].focal if shot.route.stations else 28.0
    stations = [
        Station(
            id=f"s{i + 1}",
            east=round(float(place[0]), 3),
            north=round(float(place[1]), 3),
            up=round(float(place[2]), 3),
            aim=(round(float(aim[0]), 3), round(float(aim[1]), 3), round(float(aim[2]), 3)),
            focal=lens,
            time=None if times is None else round(float(times[k]), 4),
        )
        for i, (k, place, aim) in enumerate(zip(kept, places, aims, strict=True))
    ]
    changes = {
        "stations": stations,
        "way": way,
        "timing": "even" if times is None else "by stations",
        "track": None,
        "aim": "ahead" if walks and drawn.aims is None else "stations",
        "pace": 1.0,
    }
    return with_route(shot, **changes, **({"eye_height": height} if walks else {}))


def as_track(shot: Shot, asset: Asset, track: Track) -> Shot:
    """A shot that runs a track exactly, and is as long as it is."""
    rate = RATES[shot.fps]
    seconds = float(track.t[-1] - max(track.t[0], 0.0))
    frames = max(1, min(20000, round(seconds * float(rate)) + (1 if seconds > 0 else 0)))
    return with_route(shot, way="brought", track=asset, timing="even").model_copy(update={"frames": frames})


def as_stations(shot: Shot, track: Track, tolerance: float = 0.02) -> Shot:
    """A shot with stations and their times in place of a track: few that keep its form in space, time and turning."""
    _, turn, focal = track.at(track.t)
    lens = Lens(focal).on(shot.exposure.sensor).focal_mm
    bearing, pitch = aim_of(turn)
    unwrapped = np.unwrap(np.radians(bearing))
    size = max(float(np.linalg.norm(np.ptp(track.position, axis=0))), 1.0)
    span = max(float(np.ptp(track.t)), 1e-6)
    # a metre, a turn of 11 degrees and the share of the time that the path takes for a metre count alike
    kept = (
        thinned(
            np.column_stack([track.position, 5 * unwrapped, 5 * np.radians(pitch), track.t / span * size]),
            STATIONS_AT_MOST,
            tolerance,
        )
        if len(track.t) > 2
        else np.arange(len(track.t))
    )
    stations = [
        station_from(
            f"s{i + 1}",
            track.position[k],
            float(bearing[k]),
            float(pitch[k]),
            round(float(np.clip(lens[k], 4, 1200)), 2),
        ).model_copy(update={"time": round(float(track.t[k]), 4), "roll": round(float(track.roll[k]), 3) or None})
        for i, k in enumerate(kept)
    ]
    return with_route(
        shot,
        stations=stations,
        way="fly",
        track=None,
        timing="by stations" if len(stations) > 1 else "even",
        aim="stations",
        pace=1.0,
    )


def _check_length(points: Floats) -> None:
    if len(points) < 2 or np.linalg.norm(np.ptp(points, axis=0)) < 1e-6:
        raise RouteError("This line has no length: draw it from one spot to another.")
    if len(points) == 2 and np.linalg.norm(points[0] - points[-1]) < 1e-9:
        raise RouteError("This line ends where it starts.")


def _below(still: Setting, places: Floats, walks: bool) -> Floats:
    """What places (n, 3) are over, (n,) [m]: the floor, and for a flight the water."""
    floor = still.floor(places[:, 0], places[:, 1])
    sea = still.place.sea
    return np.maximum(floor, sea.surface) if sea.present and not walks else floor


def _ahead(points: Floats, kept: NDArray[np.int64]) -> Floats:
    """Level from each kept point of a line to what lies REACH ahead on it, shape (m, 3) [m]."""
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    target = np.minimum(np.searchsorted(run, run[kept] + REACH), len(points) - 1)
    d = points[target] - points[kept]
    # at its end: as it came there
    last = points[-1] - points[max(0, int(np.searchsorted(run, run[-1] - REACH)) - 1)]
    d[np.hypot(d[:, 0], d[:, 1]) < 0.5] = last
    level = d * [1, 1, 0]
    return np.asarray(REACH * level / np.maximum(np.linalg.norm(level, axis=1, keepdims=True), 1e-9), float)


def suggest(setting: Setting, shot: Shot, count: int = 6) -> list[Station]:
    """Good views of a place: somewhere to stand, dry and clear, from where something is near, something in the middle
    and something far, with water or a skyline in it.

    What makes a view good is common practice of the trade: depth in three grounds, a horizon not in the middle,
    something to lead the eye (c).
    """
    still = setting.still(shot)
    spots = _standpoints(still, setting.ground.bounds, count)
    views = _views(still, spots)
    w, s, e, n = setting.ground.bounds
    size = min(e - w, n - s)
    out: list[Station] = []
    taken: list[tuple[Floats, float]] = []
    for k in np.argsort(-views.score, axis=None):
        i, j = (int(v) for v in np.unravel_index(int(k), views.score.shape))
        spot, bearing = spots[i], float(BEARINGS[j])
        if any(_alike(spot, bearing, *other, size) for other in taken):
            continue
        taken.append((spot, bearing))
        focus = {
            "name": _view_name(bearing, views.wet[i, j] > 0.15, float(views.near[i, j])),
            "focus": round(min(views.focus(i, j), 2000.0), 1),
        }
        out.append(station_from(f"s{len(out) + 1}", spot, bearing, -3.0, 28.0).model_copy(update=focus))
        if len(out) == count:
            break
    return out


def _alike(a: Floats, bearing: float, b: Floats, other: float, size: float) -> bool:
    """Whether two views (where, bearing) are too much the same in a place ``size`` [m] across."""
    apart = float(np.linalg.norm(a - b))
    turned = abs((bearing - other + 180) % 360 - 180)
    return apart < 0.06 * size + 8 or (apart < 0.2 * size and turned < 45)


def _standpoints(still: Setting, bounds: tuple[float, float, float, float], count: int) -> Floats:
    """Eyes (n, 3) on dry ground, clear of leaves and walls, about what is built, grown or already filmed."""
    place = still.place
    w, s, e, n = bounds
    rng = np.random.Generator(np.random.Philox(key=[place.land.seed, 606]))
    seeds = (
        [(*np.mean(np.array(b.line), axis=0), 60.0) for b in place.built]
        + [(*np.mean(np.array(g.area), axis=0), 120.0) for g in place.growth if len(g.area) > 2]
        + [(q.east, q.north, 50.0) for one in place.shots for q in one.route.stations]
    )
    seeds.append(((w + e) / 2, (s + n) / 2, min(e - w, n - s) / 3))
    at = np.array([seeds[k % len(seeds)] for k in range(TRIED)])
    xy = at[:, :2] + rng.normal(size=(TRIED, 2)) * at[:, 2:]
    xy = xy[(xy[:, 0] > w + 5) & (xy[:, 0] < e - 5) & (xy[:, 1] > s + 5) & (xy[:, 1] < n - 5)]
    floor = still.floor(xy[:, 0], xy[:, 1])
    p = np.column_stack([xy, floor + EYE])[floor > _sea_level(place) + 0.3]
    if not len(p):
        raise RouteError("There is no dry ground to stand on in this place.")
    near = surroundings(still)
    free = np.minimum(near.leaves(p, 1.2).distance, near.solids(p, 1.0).distance) > 0.9
    return (p[free] if free.sum() >= count else p)[:80]


def _sea_level(place: Place) -> float:
    return float(place.sea.surface) if place.sea.present else -np.inf


@dataclass(frozen=True)
class _Views:
    """What is seen from spots (n) along bearings (m).

    Attributes
    ----------
    away : ndarray, shape (n, m, 3, 3) [m]
        Distances by side and pitch; infinite in the sky.
    score, wet, near : ndarray, shape (n, m)
        How good a view it is, and the shares of water and of what stands close.
    """

    away: Floats
    score: Floats
    wet: Floats
    near: Floats

    def focus(self, i: int, j: int) -> float:
        away = self.away[i, j]
        return float(np.median(away[np.isfinite(away)])) if np.isfinite(away).any() else 100.0


def _views(still: Setting, p: Floats) -> _Views:
    b = np.radians(BEARINGS[:, None, None] + np.array([-18.0, 0.0, 18.0])[None, :, None] + np.zeros(3))
    v = np.radians(np.array([-12.0, -5.0, -1.0]))[None, None, :] + 0 * b
    rays = np.stack([np.sin(b) * np.cos(v), np.cos(b) * np.cos(v), np.sin(v)], -1)
    flat = rays.reshape(-1, 3)
    seen = surroundings(still).seen(np.repeat(p, len(flat), axis=0), np.tile(flat, (len(p), 1)))
    seen = seen.reshape(len(p), *rays.shape[:3])
    spots = p[:, None, None, None, :] + rays[None] * np.minimum(seen, 3000.0)[..., None]
    wet = ((spots[..., 2] < _sea_level(still.place) + 0.2) & np.isfinite(seen)).mean((2, 3))
    grounds = [((seen >= low) & (seen < high)).mean((2, 3)) for low, high in GROUNDS]
    sky = (~np.isfinite(seen))[..., -1].mean(2)
    score = (
        sum(np.minimum(g, 0.34) for g in grounds)
        + 0.8 * np.minimum(wet, 0.3)
        - 1.5 * (seen < GROUNDS[0][0]).mean((2, 3))
        + 0.3 * (sky * (1 - sky) * 4)
    )
    return _Views(seen, np.asarray(score, float), wet, grounds[0])


def _view_name(bearing: float, wet: bool, close: float) -> str:
    names = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")
    way = names[round(bearing / 45) % 8].capitalize()
    return way + (", over water" if wet else "") + (", past what is near" if close > 0.25 else "")
