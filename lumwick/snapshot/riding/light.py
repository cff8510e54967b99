"""How bright a shot is, beside the one before it."""

from __future__ import annotations

import numpy as np

from lumwick.errors import PlaceError
from lumwick.motion.timebase import RATES
from lumwick.place.document import Shot
from lumwick.place.film import laid_out
from lumwick.place.instant import place_clock
from lumwick.route.camera_path import goes
from lumwick.snapshot.evaluate import Setting, camera_at, clip_time
from lumwick.snapshot.riding.sampled import Findings
from lumwick.snapshot.sun_moon import sun_at
from lumwick.snapshot.surroundings import surroundings

JUMP = 2.0
"""EV between two shots that a cut joins, from which the eye is dazzled or sees nothing (c)."""


def light(f: Findings) -> None:
    """A cut into the shot that dazzles, or leaves it in the dark."""
    jump = exposure_jump(f.setting, f.shot)
    if jump is not None and abs(jump[1]) > JUMP:
        text = (
            f"cut from {jump[0]} it is {abs(jump[1]):.1f} EV {'brighter' if jump[1] > 0 else 'darker'} at once, "
            f"by the daylight on what they show (more than {JUMP:g})"
        )
        f.say_of_all("exposure jump", text, ("match",), min(0.5, f.shot.seconds))


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
        still, camera, air = setting.still(one), camera_at(setting, one, t), setting.motions(one).at(t)[1].air
        height = float(sun_at(still.place, place_clock(one, t), air).elevation)
        lux = daylight_lux(height) * surroundings(still).openness(camera)
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
