"""How the camera turns, pans and rolls.

Thresholds are common practice of the trade (c).
"""

from __future__ import annotations

import numpy as np

from lumwick.lens.lens import Lens
from lumwick.motion.timebase import RATES
from lumwick.snapshot.riding.sampled import Findings, Floats, inner

AIM_JERK = 130.0
"""Degrees a second, per second, that feel like a jolt of the aim (c)."""
TURNING = 50.0
"""Degrees a second that are faster than comfortable (c)."""
CROSSING = 7.0
"""Seconds that a detail should take to cross the picture at 24 frames a second with a shutter of 180 degrees, or it
strobes (c)."""
STROBES_FOR = 0.6
LEVEL, ON_PURPOSE = 0.3, 5.0
"""Degrees of roll that are seen, and from which they look meant (c)."""


def turns(f: Findings) -> None:
    """Turning, jolts of the aim, pans that strobe, and a horizon that is not level."""
    r = f.ride
    f.say(
        "turning",
        (r.turning > TURNING) & r.joined,
        lambda s: f"the view turns {r.turning[s].max():.0f} degrees a second (more than {TURNING:g} is uncomfortable)",
        ("smooth aim", "slow", "longer"),
        size=r.turning,
    )
    rate = np.gradient(r.poses.forward, r.dt, axis=0)
    jolt: Floats = np.degrees(np.linalg.norm(np.gradient(rate, r.dt, axis=0), axis=1))
    jolt[~inner(r, 3)] = 0.0
    f.say(
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
    _strobing(f)
    _level(f)


def _strobing(f: Findings) -> None:
    """A pan: what stands still in space crosses the picture; one that follows something near does not strobe on it."""
    r, shot = f.ride, f.shot
    exposure = f.setting.motions(shot).at(0.0)[1].exposure
    wide = Lens(r.poses.focal, exposure.sensor).angle
    fps, open_share = float(RATES[shot.fps]), max(exposure.shutter / 180.0, 0.25)
    most = wide / CROSSING * fps / 24.0 * open_share
    pan = np.abs(np.degrees(np.gradient(np.radians(r.poses.bearing), r.dt))) * np.cos(np.radians(r.poses.pitch))
    pan[~r.joined] = 0.0
    f.say(
        "strobing",
        (pan > most) & (r.turning <= TURNING),
        lambda s: (
            f"the pan strobes: {pan[s].max():.0f}° a second crosses the picture in "
            f"{float((wide[s] / np.maximum(pan[s], 1e-9)).min()):.1f} s; at {shot.fps} frames a second and a shutter "
            f"of {exposure.shutter:g}° it should take {CROSSING * 24 / fps / open_share:.0f}"
        ),
        ("smooth aim", "slow", "longer"),
        least=STROBES_FOR,
        size=pan,
    )


def _level(f: Findings) -> None:
    r, shot = f.ride, f.shot
    roll = r.poses.own.get("roll", np.zeros(len(r.t)))
    if "roll" not in r.poses.own and shot.exposure.roll != 0:
        motions = f.setting.motions(shot)
        roll = np.array([motions.at(float(t))[1].exposure.roll for t in r.t])
    size = np.abs((np.where(np.isfinite(roll), roll, 0.0) + 180) % 360 - 180)
    f.say(
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
