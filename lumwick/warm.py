"""Compile every kernel once, into the cache that all processes share."""

from __future__ import annotations

import time
from collections.abc import Callable


def warm(say: Callable[[str], None]) -> None:
    """Render one small picture of a small place, so that every kernel is compiled; tells progress by ``say``."""
    import numpy as np

    start = time.perf_counter()

    def step(text: str) -> None:
        say(f"  kernels: {text} ({time.perf_counter() - start:.0f} s)")

    step("sky")
    from lumwick.air.atmosphere import clear_sky

    clear_sky(180.0, 30.0)
    step("sea, plants and sway")
    from lumwick.land.starters import saltmarsh
    from lumwick.lens.camera import Camera, direction_of
    from lumwick.place.document import Asset, Built, Land, Place, Shot, Stand
    from lumwick.snapshot.evaluate import Setting, evaluate
    from lumwick.trace.render import blank, clean, expose
    from lumwick.trace.stage import Stage

    land = Land(elevation=Asset(sha256="0" * 64, name="none.tif", bytes=0))
    stands = [Stand(id=k, name=k, kind=k, area=[(-20, 0), (20, 0), (20, 40), (-20, 40)], per_hectare=200, height=h) for k, h in (("pine", 6), ("reed", 1.5))]
    place = Place(name="warm", land=land, growth=stands, shots=[Shot(id="a", name="a")], built=[Built(id="b", name="b", kind="jetty", line=[(0, 0), (4, 4)])])
    ground = saltmarsh(129, 9.0)
    setting = Setting(place, ground)
    stage = Stage(setting)
    stage.set(evaluate(setting, place.shots[0], 0.0, Camera(np.array([0.0, -20.0, 6.0]), direction_of(0, -5))))
    step("integrator, the longest")
    film = blank(32, 32)
    expose(stage, film, 1)
    step("denoiser and view")
    light = clean(film, 14.0, "fast")
    from lumwick.develop.view import develop

    develop(light, stage.snapshot.camera)
    step("ready")
