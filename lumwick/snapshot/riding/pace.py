"""How fast the camera goes, and how it starts, stops and jolts.

Thresholds are common practice of the trade (c).
"""

from __future__ import annotations

import numpy as np

from lumwick.snapshot.riding.sampled import Findings, Floats, inner, only, slower, speed_in_words, stretches

WALKING = 1.4
"""Metres a second: the usual pace of somebody walking (c)."""
FASTEST_WALK = 2.2 * WALKING
"""More than this is no walk (c)."""
HEIGHTS_A_SECOND = 5.0
"""Times its own height over what is below that a camera may go in a second before the near ground is a blur (c)."""
JERK, JERK_ON_FOOT = 4.0, 2.6
"""Metres a second, per second, that feel like a jolt: in the air, on foot (c)."""
STANDING_START = 0.3
"""Metres a second from which a start or stop within a quarter of a second is seen as abrupt (c)."""
GROWN_EYES = (1.35, 1.85)
"""Metres over the floor between which grown people's eyes are."""


def pace(f: Findings) -> None:
    """Speed, jolts, abrupt ends, and the height of a walker's eyes."""
    walks = f.shot.route.way == "walk"
    _too_fast(f, walks)
    _jolts(f, JERK_ON_FOOT if walks else JERK)
    _abrupt_ends(f)
    low, high = GROWN_EYES
    eye = f.shot.route.eye_height
    if walks and not low <= eye <= high:
        whose = "a child" if eye < low else "a giant"
        text = f"an eye {eye:g} m over the floor is {whose}'s: grown people's are 1.5 to 1.7"
        f.say("eye height", np.ones(len(f.ride.t), bool), text, ("eye",))


def _too_fast(f: Findings, walks: bool) -> None:
    r = f.ride
    rate = r.speed / np.maximum(r.clearance, max(f.shot.route.keep_clear, 0.5))
    bad, least = (r.speed > FASTEST_WALK, 0.0) if walks else (rate > HEIGHTS_A_SECOND, 0.4)
    for s in stretches(r, bad, least):
        top = float(r.speed[s].max())
        text = (
            f"{top:.1f} m/s is too fast for walking ({speed_in_words(top)})"
            if walks
            else f"{top:.1f} m/s is too fast so near to what is below: it "
            f"crosses {rate[s].max():.0f} times its own height in a second"
        )
        f.say("fast", only(r, s), text, slower(r, s), size=r.speed)


def _jolts(f: Findings, most: float) -> None:
    r = f.ride
    velocity = np.gradient(r.position, r.dt, axis=0)
    jolt: Floats = np.linalg.norm(np.gradient(velocity, r.dt, axis=0), axis=1)
    jolt[~inner(r, 3)] = 0.0
    f.say(
        "jolt",
        jolt > most,
        lambda s: f"the camera jolts: its speed changes by {jolt[s].max():.1f} m/s in a second (more than {most:g})",
        ("smooth", "slow", "longer"),
        join=0.4,
        size=jolt,
    )


def _abrupt_ends(f: Findings) -> None:
    r = f.ride
    top, last_sample = max(float(r.speed.max()), 1e-9), len(r.t) - 1
    moving = np.flatnonzero(r.speed >= max(0.02 * top, 1e-4))
    if top <= 0.2 or not len(moving):
        return
    first, last = int(moving[0]), int(moving[-1])
    soon = int(np.ceil(0.25 / r.dt)) // 3 + 2

    def at_speed(k: int) -> bool:
        return bool(r.speed[k] > max(0.75 * top, STANDING_START))

    if first > 1 and at_speed(min(first + soon, last_sample)):
        start = only(r, slice(first - 1, min(first + 3, len(r.t))))
        f.say("abrupt", start, f"the camera starts abruptly at {r.t[first]:.1f} s", ("ease",))
    if last < last_sample - 1 and at_speed(max(last - soon, 0)):
        stop = only(r, slice(max(last - 2, 0), last + 2))
        f.say("abrupt", stop, f"the camera stops abruptly at {r.t[last]:.1f} s", ("ease",))
