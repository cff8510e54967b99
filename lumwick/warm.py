"""Compile every kernel once, into the cache that all processes share.

The integrator takes as long as all the others together, so it is compiled by a process of its own meanwhile.
"""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable


def integrator() -> None:
    """Compile the integrator, by rendering no rows of nothing."""
    import numpy as np

    from lumwick.trace.integrator.film import CHANNELS, IDS, PASSES
    from lumwick.trace.integrator.path import Exposure, new_room, render_rows
    from lumwick.trace.render import NO_LOG
    from lumwick.trace.world import Limits, View, hollow

    v = np.zeros(3)
    view = View(v, v, v, v, False, v, v, v, v, 1.0, 1.0, 0.0, 1.0, 0, 0.0, 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0, 0.0)
    exposure = Exposure(
        np.zeros((1, 1, CHANNELS), np.float32),
        np.zeros((0, 0, PASSES), np.float32),
        np.zeros((0, 0, 2, IDS, 2), np.int32),
        np.zeros((1, 1), np.int32),
        1,
    )
    limits, rows = Limits(1, 1, 1, 1.0, False, 1.0), np.zeros(0, np.int64)
    render_rows(hollow(), view, limits, exposure, rows, new_room(), np.zeros((0, 2), np.int64), NO_LOG)


def warm(say: Callable[[str], None]) -> None:
    """Render one small picture of a small place, so that every kernel is compiled; tells progress by ``say``."""
    import numpy as np

    start = time.perf_counter()

    def step(text: str) -> None:
        say(f"  kernels: {text} ({time.perf_counter() - start:.0f} s)")

    other = subprocess.Popen([sys.executable, "-c", "from lumwick.warm import integrator; integrator()"])
    step("sky; meanwhile the integrator, the longest")
    from lumwick.air.atmosphere import clear_sky

    clear_sky(180.0, 30.0)
    step("sea, plants and sway")
    from lumwick.land.starters import saltmarsh
    from lumwick.lens.camera import Camera, direction_of
    from lumwick.picture import drift_of
    from lumwick.place.document import Place, Shot
    from lumwick.place.fields import Asset
    from lumwick.place.nature import Land, Stand
    from lumwick.place.objects import Built
    from lumwick.snapshot.evaluate import Setting, evaluate
    from lumwick.trace.cleaning import clean
    from lumwick.trace.film import blank
    from lumwick.trace.render import expose
    from lumwick.trace.stage import Stage

    land = Land(elevation=Asset(sha256="0" * 64, name="none.tif", bytes=0))
    stands = [
        Stand(id=k, name=k, kind=k, area=[(-20, 0), (20, 0), (20, 40), (-20, 40)], per_hectare=200, height=h)
        for k, h in (("pine", 6), ("reed", 1.5))
    ]
    place = Place(
        name="warm",
        land=land,
        growth=stands,
        shots=[Shot(id="a", name="a")],
        built=[Built(id="b", name="b", kind="jetty", line=[(0, 0), (4, 4)])],
    )
    ground = saltmarsh(129, 9.0)
    setting = Setting(place, ground)
    stage = Stage(setting)
    camera = Camera(np.array([0.0, -20.0, 6.0]), direction_of(0, -5))
    drift_of(stage, place.shots[0], 0.0, (32, 32), camera)
    stage.set(evaluate(setting, place.shots[0], 0.0, camera))
    step("waiting for the integrator")
    if other.wait() != 0:
        raise RuntimeError("the integrator could not be compiled")
    step("denoiser and view")
    film = blank(32, 32)
    expose(stage, film, 1)
    light = clean(film, 14.0, "fast")
    from lumwick.develop.view import develop

    develop(light, stage.snapshot.camera)
    step("ready")
