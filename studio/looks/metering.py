"""Small pictures of a place for the Air bench: through the hours of a day, and for a light meter along a shot."""

from __future__ import annotations

from typing import Any

import numpy as np

from lumwick.lens.camera import Camera
from lumwick.metering import reading_at, through_the_day
from lumwick.snapshot.evaluate import Setting
from lumwick.trace.stage import Stage
from studio.looks.engine import ENGINE_OF_LOOKS, jpeg

HOUR_SIZE = (160, 90)


def at_an_hour(
    place_id: int, revision_id: int, shot_id: str, t: float, hour: float, camera: Camera | None
) -> tuple[bytes, float]:
    """A small JPEG of a view at an hour of the shot's day, and the exposure [EV] that it was metered at."""

    def act(stage: Stage, setting: Setting) -> tuple[bytes, float]:
        _, pixels, ev = next(
            through_the_day(stage, setting.place.shot(shot_id), t, np.array([hour]), HOUR_SIZE, camera, light_only=True)
        )
        return jpeg(pixels), ev

    made: Any = ENGINE_OF_LOOKS.with_stage(place_id, revision_id, act)
    return made[0], made[1]


def metered_at(place_id: int, revision_id: int, shot_id: str, t: float, meter: str, spot: tuple[float, float]) -> float:
    """Exposure [EV] that a meter asks for at a clip time of a shot, by its own camera."""

    def act(stage: Stage, setting: Setting) -> float:
        shot = setting.place.shot(shot_id)
        return reading_at(stage, shot, t, meter, spot, ENGINE_OF_LOOKS.camera(setting, shot, t, None))

    return ENGINE_OF_LOOKS.with_stage(place_id, revision_id, act)
