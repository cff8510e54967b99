"""Places, edits and keys that tests of time need."""

from __future__ import annotations

from typing import Any

import numpy as np

from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Place
from lumwick.place.edits import apply, command


def ramp(*points: tuple[float, float], join: str = "straight", **rules: Any) -> Channel:
    return Channel(keys=tuple(Key(t=t, v=v, join=join) for t, v in points), **rules)


def edit(place: Place, **data: Any) -> tuple[Place, str]:
    return apply(place, command(data))


def with_shot(place: Place, **changes_: Any) -> Place:
    return place.model_copy(update={"shots": [place.shots[0].model_copy(update=changes_)]})


def flat(height: float = 20.0) -> Ground:
    return Ground(np.full((65, 65), height, np.float32), 8.0, -256.0, -256.0)
