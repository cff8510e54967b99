"""Water: what the sea of an instant costs over its bare transforms, and what water costs in a picture."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy import fft

from bench.engine import figure
from bench.price import old_commit
from lumwick.demo import saltmere
from lumwick.demo_yard import yard
from lumwick.picture import load_setting, picture_at
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
from lumwick.water.surface import surface, swells

BEFORE = "895ea61"
"""The last commit without a kilometre of sea, foam that stays, light under water, and other waters."""
SIZE = (320, 180)
TRIES = 7


def best(act: Callable[[], Any], tries: int = TRIES) -> float:
    """The least time of some tries [s]."""
    out = np.inf
    for _ in range(tries):
        start = time.perf_counter()
        act()
        out = min(out, time.perf_counter() - start)
    return float(out)


def sea() -> list[dict[str, Any]]:
    """Heights, slopes and folds of all scales, over the inverse transforms that they need; and the whole surface."""
    setting = load_setting(saltmere())
    shot = setting.place.shot("sunset")
    snap = evaluate(setting, shot, 1.0)
    assert snap.sea is not None
    waves = swells(snap.sea, setting.place.sea.seed, snap.loop)
    rng = np.random.default_rng(1)
    spectra = [rng.standard_normal((4 if k == 0 else 1, *w.up.shape)).astype(np.complex64) for k, w in enumerate(waves)]

    def bare() -> None:
        for one in spectra:
            fft.ifft2(one, workers=2, norm="forward")

    surface(waves, 0.0)
    ratio = best(lambda: surface(waves, 0.3)) / best(bare)
    stage = Stage(setting)
    times = iter(np.linspace(0.1, 2.0, 40))
    stage.set(snap)

    def raised() -> None:
        stage.set(evaluate(setting, shot, float(next(times)), snap.camera))

    return [
        figure("water: fields of the sea over bare transforms", ratio, "x", 2.0, "lower"),
        figure("water: all of an instant, sea to the horizon", best(raised), "s", 0.3, "lower"),
    ]


OLD_WAY = """
import json, sys, time; sys.path.insert(0, sys.argv[1])
from lumwick.demo import saltmere
from lumwick.picture import load_setting, picture_at
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
setting = load_setting(saltmere()); shot = setting.place.shot("sunset"); stage, best = Stage(setting), 1e9
for k in range(3):
    start = time.perf_counter()
    picture_at(stage, shot, shot.seconds / 2 + 0.1 * k, tuple(json.loads(sys.argv[2])), QUALITIES["study"], None)
    best = min(best, time.perf_counter() - start)
print(best)
"""


def sunset() -> list[dict[str, Any]]:
    """A study frame of the demo's sunset over the same frame before."""
    folder = old_commit(BEFORE)
    done = subprocess.run(
        [sys.executable, "-c", OLD_WAY, str(folder), json.dumps(SIZE)],
        cwd=folder,
        env={**os.environ, "NUMBA_CACHE_DIR": f"{folder}/kernels"},
        capture_output=True,
        text=True,
        check=True,
    )
    setting = load_setting(saltmere())
    shot = setting.place.shot("sunset")
    stage = Stage(setting)

    moments = iter(shot.seconds / 2 + 0.1 * np.arange(3))

    def now() -> None:
        picture_at(stage, shot, float(next(moments)), SIZE, QUALITIES["study"], None)

    return [
        figure(
            "water: study sunset over the one before", best(now, 3) / float(done.stdout.split()[-1]), "x", 1.25, "lower"
        )
    ]


def _study(setting: Setting, name: str) -> float:
    stage = Stage(setting)
    shot = setting.place.shot(name)
    moments = iter(1.0 + 0.1 * np.arange(TRIES))
    return best(lambda: picture_at(stage, shot, float(next(moments)), SIZE, QUALITIES["study"], None), TRIES)


def wet() -> list[dict[str, Any]]:
    """A beach over the same view of dry sand, and a stream over the land without it."""
    setting = load_setting(yard())
    place = setting.place
    assert setting.survey is not None
    beach = _study(setting, "beach")
    # the same sand without a sea before it
    far = place.model_copy(update={"sea": place.sea.model_copy(update={"present": False})})
    dry = _study(Setting(far, setting.survey, setting.read), "beach")
    out = [figure("water: a beach over dry sand", beach / dry, "x", 1.5, "lower")]
    if place.waters:
        with_stream = _study(setting, "brook")
        without = place.model_copy(update={"waters": []})
        out.append(
            figure(
                "water: a stream over its land dry",
                with_stream / _study(Setting(without, setting.survey, setting.read), "brook"),
                "x",
                1.5,
                "lower",
            )
        )
    return out


def water() -> list[dict[str, Any]]:
    return [*sea(), *wet(), *sunset()]
