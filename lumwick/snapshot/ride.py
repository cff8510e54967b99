"""The ride check: what is wrong with a camera's move, when, and in words.

Thresholds are common practice of the trade where nothing else is said (c).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import LumwickError, PlaceError
from lumwick.lens.camera import circle_of_confusion
from lumwick.lens.lens import FULL_FRAME_MM, Lens
from lumwick.motion.timebase import RATES
from lumwick.place.document import Shot
from lumwick.place.film import laid_out
from lumwick.route.way import Poses, Way, goes
from lumwick.snapshot.evaluate import Setting, camera_at, clip_time, place_clock, sun_at
from lumwick.snapshot.surroundings import FAR, Near, Surroundings, surroundings

Floats = NDArray[np.float64]
WALKING = 1.4
"""Metres a second: the usual pace of somebody walking (c)."""
FASTEST_WALK = 2.2 * WALKING
"""More than this is no walk (c)."""
HEIGHTS_A_SECOND = 5.0
"""Times its own height over what is below that a camera may go in a second before the near ground is a blur (c)."""
JERK, JERK_ON_FOOT = 4.0, 2.6
"""Metres a second, per second, that feel like a jolt: in the air, on foot (c)."""
AIM_JERK = 130.0
"""Degrees a second, per second, that feel like a jolt of the aim (c)."""
TURNING = 50.0
"""Degrees a second that are faster than comfortable (c)."""
CROSSING = 7.0
"""Seconds that a detail should take to cross the picture at 24 frames a second with a shutter of 180 degrees, or it
strobes (c)."""
STROBES_FOR = 0.6
TOGETHER = 1.2
"""Seconds between two touches that are spoken of as one."""
AWAY, AWAY_IN_THE_AIR, AWAY_FOR = 70.0, 120.0, 2.0
"""Degrees from where they go, and seconds, for which a walker or a flyer may look elsewhere (c)."""
LEVEL, ON_PURPOSE = 0.3, 5.0
"""Degrees of roll that are seen, and from which they look meant (c)."""
SHARP_MM = 0.06
"""Diameter of the circle of confusion on 36 mm from which nothing counts as sharp: twice the usual 0.03."""
SPEED_WORDS = (
    (0.05, "still"),
    (0.7, "a slow push"),
    (1.1, "a stroll"),
    (1.7, "a walk"),
    (2.6, "a brisk walk"),
    (4.5, "a run"),
    (8, "a cyclist"),
    (16, "a slow drone"),
    (35, "a car"),
)
JUMP = 2.0
"""EV between two shots that a cut joins, from which the eye is dazzled or sees nothing (c)."""
SAYS = {
    "match": "Match the exposure",
    "lift": "Lift over it",
    "aside": "Go round it",
    "smooth": "Smooth the path",
    "smooth aim": "Smooth the aim",
    "slow": "Slow this stretch",
    "longer": "Make the shot longer",
    "ahead": "Look where it goes",
    "level": "Level the horizon",
    "ease": "Ease its ends",
    "eye": "Eyes at 1.6 m",
    "focus": "Focus on what is there",
    "frame": "Aim at the subject",
    "apart": "Leave one of them out",
    "ashore": "Walk on dry ground",
}
"""What each repair is called."""


def speed_in_words(speed: float) -> str:
    """A speed [m/s] as somebody would say it."""
    for most, words in SPEED_WORDS:
        if speed <= most:
            return words
    return "an aeroplane"


@dataclass(frozen=True)
class Ride:
    """A shot's camera sampled over its clip.

    Attributes
    ----------
    t : ndarray, shape (n,) [s]
    poses : Poses
        At those times.
    along : ndarray, shape (n,) [m]
    speed : ndarray, shape (n,) [m/s]
    turning : ndarray, shape (n,) [degrees/s]
    floor, clearance : ndarray, shape (n,) [m]
    joined : ndarray of bool, shape (n,)
        Not within a step of a hard change.
    """

    t: Floats
    poses: Poses
    along: Floats
    speed: Floats
    turning: Floats
    floor: Floats
    clearance: Floats
    joined: NDArray[np.bool_]

    @property
    def position(self) -> Floats:
        """Shape (n, 3) [m]."""
        return self.poses.position

    @property
    def dt(self) -> float:
        return float(self.t[1] - self.t[0])


def ride(setting: Setting, shot: Shot, count: int = 240, way: Way | None = None) -> Ride:
    """Sample a shot's camera at ``count`` even times of its clip."""
    way, setting = way or setting.way(shot), setting.still(shot)
    t = np.linspace(0, shot.seconds, count)
    poses = way.at(np.array([clip_time(shot, float(v)) for v in t]) if shot.seam == "mirror" else t)
    dt = t[1] - t[0]
    joined = np.ones(count, bool)
    for change in way.changes:
        joined &= np.abs(t - change) > 1.5 * dt
    step = np.linalg.norm(np.diff(poses.position, axis=0), axis=1) * (joined[1:] | joined[:-1])
    along = np.concatenate([[0.0], np.cumsum(step)])
    speed = np.gradient(along, dt)
    angle = np.degrees(2 * np.arcsin(np.clip(np.linalg.norm(np.diff(poses.forward, axis=0), axis=1) / 2, 0, 1))) * (
        joined[1:] | joined[:-1]
    )
    turning = np.concatenate([angle, angle[-1:]]) / dt
    floor = setting.floor(poses.position[:, 0], poses.position[:, 1])
    if setting.place.sea.present:
        floor = np.maximum(floor, setting.place.sea.level)
    if shot.route.way == "walk":
        around = setting.around(shot)
        assert around.floor is not None
        floor = np.maximum(floor, around.floor(poses.position[:, 0], poses.position[:, 1], poses.position[:, 2]))
    return Ride(t, poses, along, speed, turning, floor, poses.position[:, 2] - floor, joined)


@dataclass(frozen=True)
class Fault:
    """Something wrong with a ride.

    Attributes
    ----------
    begins, ends : float [s]
    repairs : tuple of str
        Names of `SAYS` that may mend it.
    """

    kind: str
    begins: float
    ends: float
    text: str
    repairs: tuple[str, ...] = ()
    size: float = 0.0
    """How bad it is at its worst, in the unit of its kind; more is worse."""

    def told(self) -> dict[str, Any]:
        """As plain data."""
        return {
            "kind": self.kind,
            "from_s": round(self.begins, 3),
            "to_s": round(self.ends, 3),
            "text": self.text,
            "repairs": [{"how": how, "text": SAYS[how]} for how in self.repairs],
        }


def stretches(r: Ride, bad: NDArray[np.bool_], least: float = 0.0, join: float = 0.25) -> Iterator[slice]:
    """Runs of samples where something is bad, for at least ``least`` [s]; gaps of up to ``join`` [s] are passed
    over."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], bad.astype(int), [0]])))
    runs: list[list[int]] = []
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if runs and r.t[a] - r.t[runs[-1][1] - 1] <= join:
            runs[-1][1] = int(b)
        else:
            runs.append([int(a), int(b)])
    for a, b in runs:
        if r.t[b - 1] - r.t[a] >= least - 1e-9:
            yield slice(a, b)


def faults(setting: Setting, shot: Shot, near: Surroundings | None = None) -> tuple[Ride, list[Fault]]:
    """Sample a ride and look at it for all that may be wrong.

    Raises
    ------
    RouteError, PlaceError
        The route cannot be run at all.
    """
    count = int(np.clip(round(shot.seconds * 24) + 1, 97, 1441))
    r = ride(setting, shot, count)
    near = near or surroundings(setting.still(shot))
    found: list[Fault] = []

    def say(
        kind: str,
        bad: NDArray[np.bool_],
        text: Callable[[slice], str],
        repairs: Sequence[str],
        least: float = 0.0,
        join: float = 0.25,
        size: Floats | None = None,
    ) -> None:
        for s in stretches(r, bad, least, join):
            found.append(
                Fault(
                    kind,
                    float(r.t[s.start]),
                    float(r.t[s.stop - 1]),
                    text(s),
                    tuple(repairs),
                    0.0 if size is None else float(size[s].max()),
                )
            )

    _clearances(setting, shot, r, near, say)
    _pace(shot, r, say)
    _turns(setting, shot, r, say)
    _looks(setting, shot, r, near, say)
    jump = exposure_jump(setting, shot)
    if jump is not None and abs(jump[1]) > JUMP:
        found.append(
            Fault(
                "exposure jump",
                0.0,
                min(0.5, shot.seconds),
                f"cut from {jump[0]} it is {abs(jump[1]):.1f} EV "
                f"{'brighter' if jump[1] > 0 else 'darker'} at once, by the daylight on what they "
                f"show (more than {JUMP:g})",
                ("match",),
            )
        )
    stations = shot.route.stations
    for i, (a, b) in enumerate(zip(stations, stations[1:], strict=False), 1):
        if np.linalg.norm([a.east - b.east, a.north - b.north, a.up - b.up]) < 1e-3:
            found.append(
                Fault(
                    "same spot",
                    0.0,
                    shot.seconds,
                    f"stations {i} and {i + 1} stand on the same spot",
                    ("apart",) if shot.route.way in ("fly", "walk", "straight") and len(stations) > 2 else (),
                )
            )
    if len(r.along) and r.along[-1] < 1e-3 and shot.route.way in ("fly", "walk", "straight", "brought"):
        found.append(
            Fault(
                "still",
                0.0,
                shot.seconds,
                "the route has one station: the camera stands still"
                if len(stations) == 1
                else "the camera stands still",
            )
        )
    return r, sorted(found, key=lambda f: (f.begins, f.kind))


def daylight_lux(elevation: float) -> float:
    """Illuminance [lx] of level open ground on a clear day or night, by the sun's elevation [degrees].

    References
    ----------
    Round values from memory, after the tables of Seidelmann (ed.), Explanatory Supplement to the Astronomical Almanac:
    they serve only to tell how far two shots' brightness is apart.
    """
    return float(
        10
        ** np.interp(
            elevation,
            (-18, -12, -6, -0.8, 5, 10, 20, 40, 60, 90),
            (-3.0, -2.1, 0.53, 2.6, 3.6, 4.05, 4.5, 4.85, 5.0, 5.1),
        )
    )


def exposure_jump(setting: Setting, shot: Shot) -> tuple[str, float] | None:
    """Where a hard cut of the film leads into a shot's start: the shot it comes from, and by how many EV the picture
    is brighter at once; of several cuts the worst."""
    place = setting.place
    worst: tuple[str, float] | None = None
    try:
        spliced = laid_out(place)
    except PlaceError:
        return None

    def brightness(one: Shot, frame: int) -> float:
        t = clip_time(one, (frame - 1) / float(RATES[one.fps]))
        still, camera = setting.still(one), camera_at(setting, one, t)
        lux = daylight_lux(float(sun_at(still.place, place_clock(one, t)).elevation)) * surroundings(still).openness(
            camera
        )
        return float(np.log2(lux)) - camera.ev100

    for a, b in zip(spliced, spliced[1:], strict=False):
        if (
            a.piece.join != "cut"
            or b.shot.id != shot.id
            or place.surround.picture is not None
            or not goes(a.shot.route)
        ):
            continue
        difference = brightness(shot.at_rate(place.cut.fps), b.first) - brightness(a.shot, a.last)
        if worst is None or abs(difference) > abs(worst[1]):
            worst = (a.shot.name, difference)
    return worst


def _clearances(setting: Setting, shot: Shot, r: Ride, near: Surroundings, say: Any) -> None:
    margin, walks = shot.route.keep_clear, shot.route.way == "walk"
    p = r.position
    ground = setting.still(shot).floor(p[:, 0], p[:, 1])
    over = p[:, 2] - ground
    crest = near.crests(shot, p, r.t)
    wet = p[:, 2] - crest
    lift = () if walks else ("lift",)
    for gap, deep, shallow, what, words in (
        (over, "under", "near", "the ground or a deck", "comes within {0:.2f} m of the ground or a deck"),
        (wet, "under water", "water", "the water", "comes within {0:.2f} m of the water's crests"),
    ):
        for s in stretches(r, gap < margin, join=TOGETHER):
            below = gap[s].min() < 0
            text = (
                f"the camera goes {-gap[s].min():.1f} m under {what}"
                if below
                else "the camera " + words.format(gap[s].min())
            )
            say(
                deep if below else shallow,
                _only(r, s),
                lambda q, text=text: text,
                ("ashore",) if walks and gap is wet else lift,
                size=-gap,
            )
    if walks:
        level = setting.still(shot).place.sea
        depth = level.level - r.floor if level.present else np.full(len(p), -np.inf)
        w, so, e, n = setting.ground.bounds
        outside = (p[:, 0] < w) | (p[:, 0] > e) | (p[:, 1] < so) | (p[:, 1] > n)
        stands = p[:, 2] - shot.route.eye_height
        say(
            "no floor",
            ~outside & (depth > -np.inf) & (level.level - stands > 0.3),
            lambda s: (
                f"there is no floor to walk on: it is {(level.level - stands[s]).max():.1f} m under the water's level"
            ),
            ("ashore",),
        )
        say("no floor", outside, lambda s: "there is no floor to walk on: the survey ends before", ())
    for which, kind, word in ((near.solids, "wall", "a wall or a post"), (near.leaves, "leaf", "leaves")):
        hit: Near = which(p, max(margin, 1e-3))

        def close(s: slice, hit: Near = hit, word: str = word, kind: str = kind) -> str:
            k = s.start + int(np.argmin(hit.distance[s]))
            if hit.through[s].any():
                k = s.start + int(np.argmax(hit.through[s]))
                return f"the camera goes through {hit.name[k] or word}"
            return (
                f"{'leaves' if kind == 'leaf' else 'the camera'} "
                f"{'of ' + hit.name[k] + ' come' if kind == 'leaf' else 'comes'} within {hit.distance[k]:.2f} "
                f"m{'' if kind == 'leaf' else ' of ' + (hit.name[k] or word)}"
            )

        bad = (hit.distance < margin) | hit.through
        if kind == "wall":  # what is under it is the floor, and has been spoken of
            bad &= hit.through | (hit.spot[:, 2] > p[:, 2] - 0.9 * np.maximum(hit.distance, 1e-9))
        say(
            kind,
            bad & (over >= 0),
            close,
            ("lift", "aside") if not walks else ("aside",),
            join=TOGETHER,
            size=-np.minimum(hit.distance, margin),
        )


def _pace(shot: Shot, r: Ride, say: Any) -> None:
    walks = shot.route.way == "walk"

    def slower(s: slice) -> tuple[str, ...]:
        return ("slow", "longer") if (s.stop - s.start) < 0.6 * len(r.t) else ("longer",)

    if walks:
        for s in stretches(r, r.speed > FASTEST_WALK):
            say(
                "fast",
                _only(r, s),
                lambda q: (
                    f"{r.speed[q].max():.1f} m/s is too fast for walking ({speed_in_words(float(r.speed[q].max()))})"
                ),
                slower(s),
                size=r.speed,
            )
    else:
        rate = r.speed / np.maximum(r.clearance, max(shot.route.keep_clear, 0.5))
        for s in stretches(r, rate > HEIGHTS_A_SECOND, 0.4):
            say(
                "fast",
                _only(r, s),
                lambda q: (
                    f"{r.speed[q].max():.1f} m/s is too fast so near to what is below: it "
                    f"crosses {rate[q].max():.0f} times its own height in a second"
                ),
                slower(s),
                size=r.speed,
            )
    velocity = np.gradient(r.position, r.dt, axis=0)
    jolt = np.linalg.norm(np.gradient(velocity, r.dt, axis=0), axis=1)
    jolt[~_inner(r, 3)] = 0.0
    bound = JERK_ON_FOOT if walks else JERK
    say(
        "jolt",
        jolt > bound,
        lambda s: f"the camera jolts: its speed changes by {jolt[s].max():.1f} m/s in a second (more than {bound:g})",
        ("smooth", "slow", "longer"),
        join=0.4,
        size=jolt,
    )
    top = max(float(r.speed.max()), 1e-9)
    rest = r.speed < max(0.02 * top, 1e-4)
    if top > 0.2 and not rest.all():
        moving = np.flatnonzero(~rest)
        first, last = int(moving[0]), int(moving[-1])
        gather = int(np.ceil(0.25 / r.dt))
        if (
            first > 1
            and r.speed[min(first + gather // 3 + 2, len(r.t) - 1)] > 0.75 * top
            and r.speed[min(first + gather // 3 + 2, len(r.t) - 1)] > 0.3
        ):
            say(
                "abrupt",
                _only(r, slice(first - 1, min(first + 3, len(r.t)))),
                lambda q: f"the camera starts abruptly at {r.t[first]:.1f} s",
                ("ease",),
            )
        if (
            last < len(r.t) - 2
            and r.speed[max(last - gather // 3 - 2, 0)] > 0.75 * top
            and r.speed[max(last - gather // 3 - 2, 0)] > 0.3
        ):
            say(
                "abrupt",
                _only(r, slice(max(last - 2, 0), last + 2)),
                lambda q: f"the camera stops abruptly at {r.t[last]:.1f} s",
                ("ease",),
            )
    if walks and not 1.35 <= shot.route.eye_height <= 1.85:
        say(
            "eye height",
            np.ones(len(r.t), bool),
            lambda q: (
                f"an eye {shot.route.eye_height:g} m over the floor is "
                f"{'a child' if shot.route.eye_height < 1.35 else 'a giant'}'s: grown people's "
                "are 1.5 to 1.7"
            ),
            ("eye",),
        )


def _only(r: Ride, s: slice) -> NDArray[np.bool_]:
    bad = np.zeros(len(r.t), bool)
    bad[s] = True
    return bad


def _inner(r: Ride, steps: int) -> NDArray[np.bool_]:
    """Samples that are not within some steps of a hard change or the clip's ends."""
    out = r.joined.copy()
    for k in np.flatnonzero(~r.joined):
        out[max(0, k - steps) : k + steps + 1] = False
    out[:2] = out[-2:] = False
    return out


def _turns(setting: Setting, shot: Shot, r: Ride, say: Any) -> None:
    say(
        "turning",
        (r.turning > TURNING) & r.joined,
        lambda s: f"the view turns {r.turning[s].max():.0f} degrees a second (more than {TURNING:g} is uncomfortable)",
        ("smooth aim", "slow", "longer"),
        size=r.turning,
    )
    rate = np.gradient(r.poses.forward, r.dt, axis=0)
    jolt = np.degrees(np.linalg.norm(np.gradient(rate, r.dt, axis=0), axis=1))
    jolt[~_inner(r, 3)] = 0.0
    say(
        "aim jolt",
        jolt > AIM_JERK,
        lambda s: (
            f"the aim jolts: its turning changes by {jolt[s].max():.0f}° "
            f"a second within a second (more than {AIM_JERK:g})"
        ),
        ("smooth aim", "slow"),
        join=0.4,
        size=jolt,
    )
    # a pan: what stands still in space crosses the picture; a picture that follows something near does not strobe on it
    exposure = setting.motions(shot).at(0.0)[1].exposure
    wide = Lens(r.poses.focal, exposure.sensor).angle
    fps, open_share = float(RATES[shot.fps]), exposure.shutter / 180.0
    most = wide / CROSSING * fps / 24.0 * max(open_share, 0.25)
    bearing = np.radians(r.poses.bearing)
    pan = np.abs(np.degrees(np.gradient(bearing, r.dt))) * np.cos(np.radians(r.poses.pitch))
    pan[~r.joined] = 0.0
    strobes = (pan > most) & (r.turning <= TURNING)
    say(
        "strobing",
        strobes,
        lambda s: (
            f"the pan strobes: {pan[s].max():.0f}° a second crosses the picture in "
            f"{float((wide[s] / pan[s]).min()):.1f} s; at {shot.fps} frames a second and a shutter "
            f"of {exposure.shutter:g}° it should take "
            f"{CROSSING * 24 / fps / max(open_share, 0.25):.0f}"
        ),
        ("smooth aim", "slow", "longer"),
        least=STROBES_FOR,
        size=pan,
    )
    roll = (
        r.poses.own["roll"]
        if "roll" in r.poses.own
        else np.array([setting.motions(shot).at(float(t))[1].exposure.roll for t in r.t])
        if shot.exposure.roll != 0
        else np.zeros(len(r.t))
    )
    size = np.abs((np.where(np.isfinite(roll), roll, 0.0) + 180) % 360 - 180)
    say(
        "level",
        (size > LEVEL) & (size < ON_PURPOSE),
        lambda s: (
            f"the horizon is not level: {size[s].max():.1f}° looks like a "
            f"mistake (from {ON_PURPOSE:g}° on it looks meant)"
        ),
        ("level",),
        least=0.2,
        size=size,
    )


def _looks(setting: Setting, shot: Shot, r: Ride, near: Surroundings, say: Any) -> None:
    route = shot.route
    velocity = np.gradient(r.position, r.dt, axis=0)
    flat = np.hypot(velocity[:, 0], velocity[:, 1])
    if route.way in ("walk", "fly"):
        forward = r.poses.forward
        cosine = (velocity[:, 0] * forward[:, 0] + velocity[:, 1] * forward[:, 1]) / np.maximum(
            flat * np.hypot(forward[:, 0], forward[:, 1]), 1e-9
        )
        away = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
        say(
            "looking away",
            (away > (AWAY if route.way == "walk" else AWAY_IN_THE_AIR)) & (flat > 0.3) & r.joined,
            lambda s: (
                f"it looks {away[s].max():.0f}° away from where it goes for {r.t[s.stop - 1] - r.t[s.start]:.1f} s"
            ),
            ("ahead",),
            least=AWAY_FOR,
            size=away,
        )
    subject = bool(route.subject or route.spot is not None)
    if subject and (route.way in ("orbit", "follow") or "subject" in (route.aim, route.focus_on)):
        way = setting.way(shot)
        d = way._subject(r.t) - r.position
        axis = (d * r.poses.forward).sum(1)
        exposure = setting.motions(shot).at(0.0)[1].exposure
        tan_x = Lens(r.poses.focal, exposure.sensor).tangent
        right = np.stack([r.poses.forward[:, 1], -r.poses.forward[:, 0], np.zeros(len(r.t))], -1)
        right /= np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-9)
        up = np.cross(right, r.poses.forward)
        out = (
            (axis <= 0)
            | (np.abs((d * right).sum(1)) > tan_x * axis)
            | (np.abs((d * up).sum(1)) > tan_x * 9 / 16 * axis)
        )
        say(
            "out of frame",
            out,
            lambda s: f"the subject leaves the frame for {r.t[s.stop - 1] - r.t[s.start]:.1f} s",
            ("frame",),
            least=0.2,
        )
        touching = np.linalg.norm(d, axis=1) < max(route.keep_clear, 0.05)
        say("on the subject", touching, lambda s: "the camera stands on what it aims at", ())
    _focus(setting, shot, r, near, say)


def _focus(setting: Setting, shot: Shot, r: Ride, near: Surroundings, say: Any) -> None:
    """Whether something in the middle of the picture is sharp, looked at some times a second."""
    every = max(1, len(r.t) // 60)
    some = np.arange(0, len(r.t), every)
    distances = middle_distances(setting, shot, r, near, some)
    blurred = np.zeros(len(r.t), bool)
    told = np.zeros(len(r.t))
    motions = setting.motions(shot)
    steady = motions.at(0.0)[1].exposure if not motions.movers else None
    for i, d in zip(some, distances, strict=True):
        e = steady or motions.at(float(r.t[i]))[1].exposure
        own = {name: float(v[i]) for name, v in r.poses.own.items() if np.isfinite(v[i])}
        crop = FULL_FRAME_MM / e.sensor
        focal, n, focus = (
            float(r.poses.focal[i]) * crop,
            own.get("f_number", e.f_number) * crop,
            own.get("focus", e.focus),
        )
        sharp = min(circle_of_confusion(focal, n, focus, min(float(v), FAR)) for v in d)
        blurred[i : i + every] = sharp > SHARP_MM
        told[i : i + every] = focus
    say(
        "focus",
        blurred,
        lambda s: f"the focus, at {told[s.start]:.3g} m, is on nothing in the middle of the picture",
        ("focus",),
        least=0.5,
    )


def middle_distances(setting: Setting, shot: Shot, r: Ride, near: Surroundings, some: NDArray[np.int64]) -> Floats:
    """Distances [m] along the axis to what nine spots of the middle of the picture show, at some of a ride's samples;
    shape (n, 9)."""
    forward, position, focal = r.poses.forward[some], r.position[some], r.poses.focal[some]
    right = np.stack([forward[:, 1], -forward[:, 0], np.zeros(len(some))], -1)
    right /= np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-9)
    up = np.cross(right, forward)
    tan = Lens(focal, shot.exposure.sensor).tangent
    rays = np.stack(
        [
            forward + right * (tan * i / 3)[:, None] + up * (tan * j * 9 / 16 / 3)[:, None]
            for i in (-1, 0, 1)
            for j in (-1, 0, 1)
        ],
        1,
    )
    length = np.linalg.norm(rays, axis=2)
    seen = near.seen(np.repeat(position, 9, axis=0), (rays / length[..., None]).reshape(-1, 3)).reshape(len(some), 9)
    return seen / length


def check(setting: Setting, shot: Shot) -> dict[str, Any]:
    """What is wrong with a shot's camera move, in figures and words.

    Returns
    -------
    dict
        ``length_m``, ``seconds``, ``speed`` and ``clearance`` (least, mean, most), ``found`` (list of
        {kind, from_s, to_s, text, repairs}) and ``clean``.
    """
    if not goes(shot.route):
        return _report(shot, None, [Fault("no station", 0.0, shot.seconds, "the route has no station")])
    try:
        r, found = faults(setting, shot)
    except LumwickError as error:
        return _report(shot, None, [Fault("cannot run", 0.0, shot.seconds, str(error))])
    return _report(shot, r, found)


def _report(shot: Shot, r: Ride | None, found: list[Fault]) -> dict[str, Any]:
    def range_of(values: Floats, mean: float) -> dict[str, Any]:
        return {"least": round(float(values.min()), 3), "mean": round(mean, 3), "most": round(float(values.max()), 3)}

    told = {
        "shot": shot.id,
        "seconds": round(shot.seconds, 4),
        "frames": shot.frames,
        "found": [f.told() for f in found],
        "clean": not [f for f in found if f.kind != "still"],
    }
    if r is None:
        return {
            **told,
            "length_m": 0.0,
            "speed": {"least": 0.0, "mean": 0.0, "most": 0.0, "words": "still"},
            "clearance": None,
        }
    mean = float(r.along[-1] / shot.seconds)
    return {
        **told,
        "length_m": round(float(r.along[-1]), 3),
        "speed": {**range_of(r.speed, mean), "words": speed_in_words(mean)},
        "clearance": range_of(r.clearance, float(r.clearance.mean())),
    }


def with_route(shot: Shot, **changes: Any) -> Shot:
    """The shot with some of its route changed."""
    return shot.model_copy(update={"route": shot.route.model_copy(update=changes)})
