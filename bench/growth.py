"""Growth: what a tree costs to grow, and a coarse survey to begin with."""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.engine import figure
from bench.water import best
from lumwick.growth.kinds import oak
from lumwick.growth.kinds.grown import make
from lumwick.growth.kinds.skeleton import skeleton
from lumwick.land.elevation import Survey
from lumwick.land.ground import Ground
from lumwick.newplace import place_from_survey


def growth() -> list[dict[str, Any]]:
    seeds = iter(range(1, 100))

    def grown() -> None:
        skeleton.cache_clear()
        make(oak.HABIT, 10.0, next(seeds))

    rng = np.random.default_rng(1)
    heights = np.cumsum(np.cumsum(rng.standard_normal((344, 403)), 0), 1).astype(np.float32)
    survey = Survey(Ground(heights * (400 / np.ptp(heights)), 28.0, -5600.0, -4800.0), 36.5, -84.4)
    return [
        figure("growth: an oak of 10 m and 26 000 leaves, grown", best(grown), "s", 0.5, "lower"),
        figure(
            "growth: a place from a coarse survey", best(lambda: place_from_survey(survey, "A"), 3), "s", 5.0, "lower"
        ),
    ]
