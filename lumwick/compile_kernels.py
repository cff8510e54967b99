"""Compile every kernel once, into the cache that all processes share.

The integrator takes longer than all the others together, so a process of its own compiles it meanwhile, but for one of
its parts, which it finds done.
"""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable
from typing import Any


def nothing() -> tuple[Any, ...]:
    """What the integrator is called with to render no rows of nothing."""
    import numpy as np

    from lumwick.trace.integrator.film import CHANNELS, IDS, PASSES
    from lumwick.trace.integrator.path import Exposure, new_scratch
    from lumwick.trace.render import NO_LOG
    from lumwick.trace.world import NO_CLOUD_LATTICE, Limits, View, empty_world

    v = np.zeros(3)
    view = View(v, v, v, v, False, v, v, v, v, 1.0, 1.0, 0.0, 1.0, 0, 0.0, 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0, 0.0, 0.0)
    exposure = Exposure(
        np.zeros((1, 1, CHANNELS), np.float32),
        np.zeros((0, 0, PASSES), np.float32),
        np.zeros((0, 0, 2, IDS, 2), np.int32),
        np.zeros((1, 1), np.int32),
        1,
        0,
        NO_CLOUD_LATTICE,
    )
    limits, rows = Limits(1, 1, 1, 1.0, False, 1.0, False), np.zeros(0, np.int64)
    return empty_world(), view, limits, exposure, rows, new_scratch(), np.zeros((1, 2), np.int64), NO_LOG


def _compile(function: Any, *given: Any) -> None:
    import numba

    nb: Any = numba  # it is not annotated
    function.compile(tuple(nb.typeof(one) for one in given))


def models() -> None:
    """Compile the part of the integrator that describes models' surfaces."""
    from lumwick.trace.integrator.surfaces.model import model

    w, _, _, _, _, scratch, _, _ = nothing()
    _compile(model, w.geometry, w.materials, w.materials.surface[0], scratch.path[0], scratch.hit[0], scratch.lobes[0])


def integrator() -> None:
    """Compile the integrator: its largest parts first, while another process compiles `models`."""
    from lumwick.trace.integrator.lights import direct
    from lumwick.trace.integrator.path import context_of, render_rows
    from lumwick.trace.integrator.surfaces.meeting import evaluate_surface
    from lumwick.trace.world import NO_CLOUD_LATTICE

    given = w, view, limits, _, _, scratch, counts, log = nothing()
    ctx = context_of.py_func(scratch, NO_CLOUD_LATTICE, counts[0], log[0])
    _compile(direct, w, limits, ctx)
    _compile(evaluate_surface, w, view, limits, ctx)
    render_rows(*given)


def compile_kernels(say: Callable[[str], None]) -> None:
    """Render one small picture of a small place, so that every kernel is compiled; tells progress by ``say``."""
    import numpy as np

    start = time.perf_counter()

    def step(text: str) -> None:
        say(f"  kernels: {text} ({time.perf_counter() - start:.0f} s)")

    other = subprocess.Popen([sys.executable, "-c", "from lumwick.compile_kernels import integrator; integrator()"])
    step("surfaces; meanwhile the integrator, the longest")
    models()
    step("sky")
    from lumwick.air.atmosphere import clear_sky

    clear_sky(180.0, 30.0)
    step("sea, plants and sway")
    from lumwick.land.starters import saltmarsh
    from lumwick.lens.camera import Camera, direction_of
    from lumwick.picture import motion_vectors_of
    from lumwick.place.document import Place, Shot
    from lumwick.place.fields import Asset
    from lumwick.place.growing import Stand
    from lumwick.place.nature import Land
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
        name="compile_kernels",
        land=land,
        growth=stands,
        shots=[Shot(id="a", name="a")],
        built=[Built(id="b", name="b", kind="jetty", line=[(0, 0), (4, 4)])],
    )
    ground = saltmarsh(129, 9.0)
    setting = Setting(place, ground)
    stage = Stage(setting)
    camera = Camera(np.array([0.0, -20.0, 6.0]), direction_of(0, -5))
    motion_vectors_of(stage, place.shots[0], 0.0, (32, 32), camera)
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
