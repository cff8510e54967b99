"""Routes laid in a place: along a line, from a path that was brought in, or to good views that the lie of the land
suggests."""

from __future__ import annotations

import heapq

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import RouteError
from lumwick.lens.lens import Lens
from lumwick.motion.timebase import RATES
from lumwick.motion.turns import aim_of
from lumwick.place.document import Asset, Shot, Station
from lumwick.route.track import Track
from lumwick.route.way import station_from
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.ride import with_route
from lumwick.snapshot.surroundings import surroundings

Floats = NDArray[np.float64]
STATIONS_AT_MOST = 60
REACH = 12.0
"""Metres ahead that a station on a line aims at."""
EYE = 1.6


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


def along_line(
    setting: Setting,
    shot: Shot,
    points: Floats,
    way: str,
    height: float,
    times: Floats | None = None,
    heights: bool = False,
    aims: Floats | None = None,
) -> Shot:
    """A shot whose route runs along a line.

    Parameters
    ----------
    points : ndarray, shape (n, 3) [m]
    way : str
        fly or walk.
    height : float [m]
        Over floor or water, where ``heights`` is false.
    heights : bool
        Whether the points' own heights hold.
    times : ndarray, shape (n,) [s]
        When the points are met.

    Raises
    ------
    RouteError
        The line has no length.
    """
    if len(points) < 2 or np.linalg.norm(np.ptp(points, axis=0)) < 1e-6:
        raise RouteError("This line has no length: draw it from one spot to another.")
    if np.linalg.norm(points[0] - points[-1]) < 1e-9 and len(points) == 2:
        raise RouteError("This line ends where it starts.")
    line = points if heights and way != "walk" else points * [1, 1, 0]
    kept = thinned(line)
    p = points[kept].astype(float)
    still = setting.still(shot)
    if way == "walk" or not heights:
        floor = still.floor(p[:, 0], p[:, 1])
        if still.place.sea.present and way != "walk":
            floor = np.maximum(floor, still.place.sea.level)
        p[:, 2] = floor + height
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    stations = []
    for i, k in enumerate(kept):
        if aims is not None:
            aim = aims[k]
        else:
            ahead = np.searchsorted(run, run[k] + REACH)
            target = points[min(int(ahead), len(points) - 1)]
            d = target - points[k]
            if np.hypot(d[0], d[1]) < 0.5:
                d = points[-1] - points[max(0, int(np.searchsorted(run, run[-1] - REACH)) - 1)]
            d = d / max(float(np.hypot(d[0], d[1])), 1e-9)
            aim = p[i] + [d[0] * REACH, d[1] * REACH, 0.0]
        if np.abs(aim - p[i]).max() < 1e-5:
            aim = p[i] + [0.0, REACH, 0.0]
        stations.append(
            Station(
                id=f"s{i + 1}",
                east=round(float(p[i, 0]), 3),
                north=round(float(p[i, 1]), 3),
                up=round(float(p[i, 2]), 3),
                aim=tuple(round(float(v), 3) for v in aim),
                focal=shot.route.stations[0].focal if shot.route.stations else 28.0,  # type: ignore[arg-type]
                time=None if times is None else round(float(times[k]), 4),
            )
        )
    changes = {
        "stations": stations,
        "way": way,
        "timing": "even" if times is None else "by stations",
        "track": None,
        "aim": "ahead" if way == "walk" and aims is None else "stations",
        "pace": 1.0,
    }
    if way == "walk":
        changes["eye_height"] = height
    return with_route(shot, **changes)


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


def suggest(setting: Setting, shot: Shot, count: int = 6) -> list[Station]:
    """Good views of a place: somewhere to stand, dry and clear, from where something is near, something in the middle
    and something far, with water or a skyline in it.

    What makes a view good is common practice of the trade: depth in three grounds, a horizon not in the middle,
    something to lead the eye (c).
    """
    still = setting.still(shot)
    place, near = still.place, surroundings(still)
    w, s, e, n = setting.ground.bounds
    rng = np.random.Generator(np.random.Philox(key=[place.land.seed, 606]))
    # where things are to be seen: about what is built, grown or already filmed
    seeds = (
        [(*np.mean(np.array(b.line), axis=0), 60.0) for b in place.built]
        + [(*np.mean(np.array(g.area), axis=0), 120.0) for g in place.growth if len(g.area) > 2]
        + [(q.east, q.north, 50.0) for one in place.shots for q in one.route.stations]
    )
    seeds.append(((w + e) / 2, (s + n) / 2, min(e - w, n - s) / 3))
    at = np.array([seeds[k % len(seeds)] for k in range(240)])
    xy = at[:, :2] + rng.normal(size=(240, 2)) * at[:, 2:]
    xy = xy[(xy[:, 0] > w + 5) & (xy[:, 0] < e - 5) & (xy[:, 1] > s + 5) & (xy[:, 1] < n - 5)]
    floor = still.floor(xy[:, 0], xy[:, 1])
    sea = place.sea.level if place.sea.present else -np.inf
    p = np.column_stack([xy, floor + EYE])[floor > sea + 0.3]
    if not len(p):
        raise RouteError("There is no dry ground to stand on in this place.")
    free = np.minimum(near.leaves(p, 1.2).distance, near.solids(p, 1.0).distance) > 0.9
    p = (p[free] if free.sum() >= count else p)[:80]
    bearings = np.arange(0, 360, 30.0)
    side = np.array([-18.0, 0.0, 18.0])
    pitches = np.array([-12.0, -5.0, -1.0])
    b = np.radians(bearings[:, None, None] + side[None, :, None] + 0 * pitches)
    v = np.radians(pitches)[None, None, :] + 0 * b
    rays = np.stack([np.sin(b) * np.cos(v), np.cos(b) * np.cos(v), np.sin(v)], -1)
    shape = rays.shape[:3]
    flat = rays.reshape(-1, 3)
    seen = near.seen(np.repeat(p, len(flat), axis=0), np.tile(flat, (len(p), 1))).reshape(len(p), *shape)
    spots = p[:, None, None, None, :] + rays[None] * np.minimum(seen, 3000.0)[..., None]
    wet = (spots[..., 2] < sea + 0.2) & np.isfinite(seen)
    grounds = [
        ((seen >= low) & (seen < high)).mean((2, 3)) for low, high in ((2.0, 15.0), (15.0, 150.0), (150.0, 3000.0))
    ]
    sky = ~np.isfinite(seen)
    score = (
        sum(np.minimum(g, 0.34) for g in grounds)
        + 0.8 * np.minimum(wet.mean((2, 3)), 0.3)
        - 1.5 * (seen < 2.0).mean((2, 3))
        + 0.3 * (sky[..., -1].mean(2) * (1 - sky[..., -1].mean(2)) * 4)
    )
    out: list[Station] = []
    taken: list[Floats] = []
    for k in np.argsort(-score, axis=None):
        i, j = np.unravel_index(int(k), score.shape)
        if any(
            np.linalg.norm(p[i] - q[:3]) < 0.06 * min(e - w, n - s) + 8
            or (
                np.linalg.norm(p[i] - q[:3]) < 0.2 * min(e - w, n - s)
                and abs((bearings[j] - q[3] + 180) % 360 - 180) < 45
            )
            for q in taken
        ):
            continue
        taken.append(np.array([*p[i], bearings[j]]))
        away = seen[i, j]
        focus = float(np.median(away[np.isfinite(away)])) if np.isfinite(away).any() else 100.0
        out.append(
            station_from(f"s{len(out) + 1}", p[i], float(bearings[j]), -3.0, 28.0).model_copy(
                update={
                    "name": _told(float(bearings[j]), wet[i, j].mean() > 0.15, float(grounds[0][i, j])),
                    "focus": round(min(focus, 2000.0), 1),
                }
            )
        )
        if len(out) == count:
            break
    return out


def _told(bearing: float, wet: bool, close: float) -> str:
    names = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")
    way = names[round(bearing / 45) % 8].capitalize()
    return way + (", over water" if wet else "") + (", past what is near" if close > 0.25 else "")
