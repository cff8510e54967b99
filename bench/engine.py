"""The engine's figures, as ratios to bare Embree in the same run."""

from __future__ import annotations

import time
from typing import Any

import numpy as np

from bench.bare import primary_and_sun
from lumwick.demo import saltmere
from lumwick.picture import load_setting
from lumwick.snapshot.evaluate import evaluate
from lumwick.trace.render import QUALITIES, blank, clean, expose
from lumwick.trace.stage import Stage

SHOTS, SIZE, SAMPLES = ("dawn", "boardwalk", "sunset", "pine"), (480, 270), 4


def figure(name: str, value: float, unit: str, bar: float, better: str) -> dict[str, Any]:
    return {"name": name, "value": round(float(value), 4), "unit": unit, "bar": bar, "better": better}


def rays() -> list[dict[str, Any]]:
    """Rays a second of the integrator over those of bare Embree on primary and sun-shadow rays of the same views."""
    setting = load_setting(saltmere())
    stage = Stage(setting)
    out, bare, ours = [], [0.0, 0.0], [0.0, 0.0]
    for shot_id in SHOTS:
        shot = setting.place.shot(shot_id)
        stage.set(evaluate(setting, shot, shot.seconds / 2))
        view = stage.view(*SIZE)
        hits = np.zeros(SIZE[1], np.int64)
        primary_and_sun(stage.world.scene, view, stage.world.sun, *SIZE, 1, hits)  # warm
        expose(stage, blank(*SIZE), 1)
        best = [1e9, 1e9]
        for _ in range(3):
            hits[:] = 0
            start = time.perf_counter()
            primary_and_sun(stage.world.scene, view, stage.world.sun, *SIZE, SAMPLES, hits)
            best[0] = min(best[0], time.perf_counter() - start)
            film = blank(*SIZE)
            start = time.perf_counter()
            expose(stage, film, SAMPLES)
            best[1] = min(best[1], time.perf_counter() - start)
        n_bare, n_ours = SIZE[0] * SIZE[1] * SAMPLES + int(hits.sum()), film.rays + film.shadow_rays
        bare[0] += n_bare
        bare[1] += best[0]
        ours[0] += n_ours
        ours[1] += best[1]
        out.append(figure(f"rays against bare Embree, {shot_id}", (n_ours / best[1]) / (n_bare / best[0]), "ratio", 0.5, "higher"))
    return [figure("rays against bare Embree, all shots", (ours[0] / ours[1]) / (bare[0] / bare[1]), "ratio", 0.5, "higher"), *out]


def first_rays() -> list[dict[str, Any]]:
    """Share of a study frame that passes before its first ray (a figure to watch; its bar is of a later issue)."""
    setting = load_setting(saltmere())
    stage = Stage(setting)
    shot = setting.place.shot("dawn")
    stage.set(evaluate(setting, shot, 0.0))
    start = time.perf_counter()
    stage.set(evaluate(setting, shot, 1.0))
    placed = time.perf_counter()
    film = blank(640, 360)
    expose(stage, film, 4)
    clean(film, 12.0)
    end = time.perf_counter()
    study = QUALITIES["study"]
    before = (placed - start) * study.moments  # the place is set at each moment of the open shutter
    whole = before + (end - placed) * 4 * study.samples / 4  # four times the pixels, and the samples of study for the four here
    return [figure("before the first ray, of a study frame at 1280x720", before / whole, "share", 0.2, "lower")]
