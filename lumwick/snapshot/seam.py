"""The seam check: whether, and where, a clip that is played again and again jumps when it comes round."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.motion.channel import Channel, MomentChannel
from lumwick.motion.timebase import RATES
from lumwick.motion.turns import turn_of
from lumwick.place.document import Shot
from lumwick.place.fields import most
from lumwick.place.instant import Motions, Mover, place_clock
from lumwick.place.paths import value_name
from lumwick.place.quantities import show
from lumwick.route.camera_path import goes
from lumwick.snapshot.evaluate import Setting, camera_at
from lumwick.snapshot.sun_moon import MOON_DOWN, SUN_LAST, moon_at, sun_at

JUST_BEFORE = 1e-7
"""Seconds before the clip's end at which its last values are taken."""
VALUE_PART, SPEED_PART = 1e-3, 0.03
"""Shares of a value's own range, and of its greatest speed, that nobody sees as a jump or a jolt (of our own)."""

SEEN, GOES_ON = 0.05, 0.35
"""Degrees by which the sun may be elsewhere, a tenth of its disc; and of how far it goes in one frame of a clip of a
whole day, which is not seen either (practice)."""
HALF_A_DAY = 43200.0


@dataclass(frozen=True)
class Gap:
    """How one value or motion comes round.

    Attributes
    ----------
    path : str
        Of a value that moves; empty for motions of the place and the camera.
    value, speed : float
        From the clip's end to its start: difference, and difference in change per second, in ``unit``.
    closes : bool
    text : str
        In words.
    repairs : tuple of str
        What would mend it: see `lumwick.place.edits.clip.RepairSeam` and `SetSeam`; ``loop`` declares the clip a loop,
        ``still`` stops the day.
    """

    path: str
    title: str
    unit: str
    value: float
    speed: float
    closes: bool
    text: str
    repairs: tuple[str, ...] = ()


WHOLE = ("cross-fade", "there and back")


def seam_gaps(setting: Setting, shot: Shot) -> list[Gap]:
    """All that moves in a shot, and how it comes round at the clip's end; what does not close comes first."""
    if shot.seam == "mirror":
        return [Gap("", "The whole clip", "", 0.0, 0.0, True, "runs there and back, and so closes")]
    motions = setting.motions(shot)
    found = [
        *_motions_of_place(setting, shot),
        *(
            _of_value(setting, motions, mover, shot)
            for mover in motions.movers
            if not isinstance(mover.curve, MomentChannel)
        ),
    ]
    if shot.seam == "cross-fade":
        found = [
            Gap(
                g.path,
                g.title,
                g.unit,
                g.value,
                g.speed,
                True,
                g.text + f", and fades over {min(shot.seam_frames, shot.frames - 1)} frames",
            )
            if not g.closes
            else g
            for g in found
        ]
    return sorted(found, key=lambda g: g.closes)


def _of_value(setting: Setting, motions: Motions, mover: Mover, shot: Shot) -> Gap:
    seconds, title = shot.seconds, value_name(setting.place, mover.path)
    h = min(1e-4, seconds / 1000)
    grid = np.linspace(0, seconds - JUST_BEFORE, 241)
    edges = np.array([0.0, h, seconds - JUST_BEFORE - h, seconds - JUST_BEFORE])

    def values(t: NDArray[np.float64]) -> NDArray[np.float64]:
        if isinstance(mover.curve, Channel):
            return motions.value(mover.path, t)[None]
        return mover.curve.table.at(t)

    v, e = values(grid), values(edges)
    gap = e[:, 0] - e[:, 3]
    if mover.turn:
        gap = (gap + 180.0) % 360.0 - 180.0
    jolt = (e[:, 1] - e[:, 0] - (e[:, 3] - e[:, 2])) / h
    room = float(np.linalg.norm(np.ptp(v, axis=1))) or 1.0
    fastest = float(np.abs(np.diff(v, axis=1)).max() / (grid[1] - grid[0]))
    value, speed = float(np.linalg.norm(gap)), float(np.linalg.norm(jolt))
    meets, smooth = value <= max(VALUE_PART * room, 1e-9), speed <= max(SPEED_PART * fastest, 1e-9)
    unit = mover.unit if isinstance(mover.curve, Channel) else ""
    if meets and smooth:
        return Gap(mover.path, title, unit, value, speed, True, "closes")
    words = f"jumps by {show(value, unit)}" if not meets else "meets"
    if not smooth:
        words += f"{' and' if not meets else ', but'} its speed changes by {show(speed, unit)} a second"
    return Gap(mover.path, title, unit, value, speed, False, words, _repairs(mover, shot))


def _repairs(mover: Mover, shot: Shot) -> tuple[str, ...]:
    """What may make a value close."""
    curve = mover.curve
    if getattr(curve, "terms", ()) and not shot.loop:  # small motions close in a loop, and only there
        return ("loop", *WHOLE)
    if len(curve.keys) < 2:
        return WHOLE
    rounds = curve.after in ("cycle", "cycle_offset") or (mover.turn and curve.after == "straight_on")
    fitted = ("round",) if rounds else ("cycle_offset",) if mover.turn else ()
    return ("match", "add", *fitted, "mirror", *WHOLE)


def _motions_of_place(setting: Setting, shot: Shot) -> Iterator[Gap]:
    place, seconds = setting.place, shot.seconds
    windy = shot.wind or place.wind
    air = shot.air or place.air
    whole = "close: every frequency is a whole number of turns"
    living = [
        ("The sea's waves", place.sea.present, whole),
        ("Wind and plants", bool(place.growth) and windy.speed != 0, whole),
        (
            "Clouds",
            max(most(air.low.oktas), most(air.high.amount)) > 0,
            "close: as they drift away, others give way to those of the start",
        ),
    ]
    for title, there, words in living:
        if there:
            yield Gap(
                "",
                title,
                "",
                0.0,
                0.0,
                shot.loop,
                words if shot.loop else "do not close: the clip is not declared a loop",
                () if shot.loop else ("loop", *WHOLE),
            )
    ends = ((*setting.motions(shot).at(t), place_clock(shot, t)) for t in (0.0, seconds - JUST_BEFORE))
    start, end = (sun_at(place, clock, now.air) for place, now, clock in ends)
    moved = float(
        np.degrees(
            (turn_of(start.azimuth, start.elevation)[0].inv() * turn_of(end.azimuth, end.elevation)[0]).magnitude()
        )
    )
    per_frame = moved / max(shot.frames - 1, 1)
    if abs(shot.clock.speed) * seconds > HALF_A_DAY:  # it has gone round: by how much it goes on in one frame
        per_frame = abs(shot.clock.speed) * 360.0 / 86400.0 / float(RATES[shot.fps])
    by_hand = isinstance(shot.clock.start, MomentChannel)  # a keyed clock has no speed that could be taken away
    if moved > (max(SEEN, GOES_ON * per_frame) if per_frame > moved else SEEN):
        yield Gap(
            "",
            "The sun",
            "°",
            moved,
            per_frame,
            False,
            f"is {moved:.1f}° away from where it started",
            WHOLE if by_hand else ("still", *WHOLE),
        )
    yield from _of_moon(setting, shot)
    if goes(shot.route):
        yield _of_camera(setting, shot)


def _of_moon(setting: Setting, shot: Shot) -> Iterator[Gap]:
    """The moon where the clip comes round, if it is up while the sun is down: by day nobody misses it."""
    ends = []
    for t in (0.0, shot.seconds - JUST_BEFORE):
        (place, now), clock = setting.motions(shot).at(t), place_clock(shot, t)
        moon = moon_at(place, clock, now.air)
        if moon is None or moon.elevation < MOON_DOWN or float(sun_at(place, clock, now.air).elevation) > SUN_LAST:
            return
        ends.append(turn_of(np.array(moon.azimuth), np.array(moon.elevation))[0])
    moved = float(np.degrees((ends[0].inv() * ends[1]).magnitude()))
    if moved > SEEN:
        words = f"is {moved:.1f}° away from where it started"
        yield Gap("", "The moon", "°", moved, moved / max(shot.frames - 1, 1), False, words, WHOLE)


def _of_camera(setting: Setting, shot: Shot) -> Gap:
    h = min(0.1 / float(RATES[shot.fps]), shot.seconds / 50)
    end = shot.seconds - JUST_BEFORE
    a, a2, b2, b = (camera_at(setting, shot, t) for t in (0.0, h, end - h, end))
    away = float(np.linalg.norm(np.asarray(a.position) - b.position))
    turned = float(np.degrees(np.arccos(np.clip(a.forward @ b.forward, -1, 1))))
    jolt = float(np.linalg.norm((np.asarray(a2.position) - a.position - (np.asarray(b.position) - b2.position)) / h))
    pace = (
        max(
            float(np.linalg.norm(np.asarray(a2.position) - a.position)),
            float(np.linalg.norm(np.asarray(b.position) - b2.position)),
        )
        / h
    )
    if away < 1e-3 and turned < 0.01 and jolt <= max(SPEED_PART * pace, 1e-6):
        return Gap("", "The camera", "m", away, jolt, True, "closes")
    return Gap(
        "",
        "The camera",
        "m",
        away,
        jolt,
        False,
        f"ends {show(away, 'm')} and {turned:.1f}° from where it starts"
        if away >= 1e-3 or turned >= 0.01
        else f"meets, but its speed changes by {jolt:.2f} m/s",
        WHOLE,
    )
