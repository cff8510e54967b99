"""The engine's figures, as ratios to bare Embree in the same run."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from bench.bare import primary_and_sun
from lumwick.demo import saltmere
from lumwick.develop.flicker import STEADY, flicker
from lumwick.develop.view import develop
from lumwick.picture import Options, load_setting, picture_at
from lumwick.place.files import pack
from lumwick.snapshot.evaluate import camera_at, evaluate
from lumwick.trace.cleaning import clean
from lumwick.trace.embree import NO_HIT, rtcIntersect1, rtcOccluded1
from lumwick.trace.film import blank
from lumwick.trace.integrator.rays import REPLAY
from lumwick.trace.quality import QUALITIES, Limit
from lumwick.trace.render import expose
from lumwick.trace.sampling import FAST
from lumwick.trace.stage import Stage

ROOT = Path(__file__).resolve().parent.parent
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
        sun = stage.world.lights.sun[0]["direction"].copy()
        primary_and_sun(stage.world.geometry.scene, view, sun, *SIZE, 1, hits)  # warm
        expose(stage, blank(*SIZE), 1)
        best = [1e9, 1e9]
        for _ in range(3):
            hits[:] = 0
            start = time.perf_counter()
            primary_and_sun(stage.world.geometry.scene, view, sun, *SIZE, SAMPLES, hits)
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
        out.append(
            figure(
                f"rays against bare Embree, {shot_id}", (n_ours / best[1]) / (n_bare / best[0]), "ratio", 0.5, "higher"
            )
        )
    return [
        figure(
            "rays against bare Embree, all shots", (ours[0] / ours[1]) / (bare[0] / bare[1]), "ratio", 0.5, "higher"
        ),
        *out,
    ]


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
    exposed = time.perf_counter()
    clean(film, 12.0)
    cleaned = time.perf_counter()
    study = QUALITIES["study"]
    before = (placed - start) * study.moments  # the place is set at each moment of the open shutter
    # four times the pixels; and the samples of study for the four here, where it is cleaned once
    whole = before + (exposed - placed) * 4 * study.samples / 4 + (cleaned - exposed) * 4
    return [figure("before the first ray, of a study frame at 1280x720", before / whole, "share", 0.2, "lower")]


@nb.njit(parallel=True, fastmath=FAST, nogil=True)
def _replay(scene: int, log: Any, kept: Any) -> None:
    """Trace recorded rays again, row by row, with nothing between them."""
    for i in nb.prange(len(log)):
        room = np.zeros(48, np.uint32)
        start = (64 - (room.ctypes.data % 64)) % 64 // 4
        buf = room[start : start + 32]
        f = buf.view(np.float32)
        for k in range(kept[i]):
            r = log[i, k]
            f[0], f[1], f[2], f[3], f[4], f[5], f[6], f[7], f[8] = r[0], r[1], r[2], 0.0, r[3], r[4], r[5], 0.0, r[6]
            buf[9], buf[10], buf[11] = np.uint32(r[7]), 0, 0
            buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT
            if r[8] > 0:
                rtcOccluded1(scene, buf.ctypes.data, 0)
            else:
                rtcIntersect1(scene, buf.ctypes.data, 0)


def _against_replay(stage: Stage, name: str, size: tuple[int, int] = (320, 180), samples: int = 2) -> dict[str, Any]:
    log = np.zeros((size[1], size[0] * samples * 16, REPLAY), np.float32)
    expose(stage, blank(*size), samples, log=log)
    kept = (log[..., 3:6] != 0).any(-1).sum(1)
    _replay(stage.world.geometry.scene, log[:2], np.ones(2, np.int64))  # compile
    order = np.concatenate([np.arange(0, size[1], 2), np.arange(1, size[1], 2)])
    log, kept = np.ascontiguousarray(log[order]), np.ascontiguousarray(kept[order])
    best = [1e9, 1e9]
    for _ in range(3):
        start = time.perf_counter()
        _replay(stage.world.geometry.scene, log, kept)
        best[0] = min(best[0], time.perf_counter() - start)
        start = time.perf_counter()
        expose(stage, blank(*size), samples)
        best[1] = min(best[1], time.perf_counter() - start)
    return figure(f"integrator's time over bare replay of its rays, {name}", best[1] / best[0], "ratio", 1.5, "lower")


def replay() -> list[dict[str, Any]]:
    """The integrator's time for a frame over what bare Embree needs for the same frame's recorded rays."""
    setting = load_setting(saltmere())
    stage = Stage(setting)
    out = []
    for shot_id in SHOTS:
        shot = setting.place.shot(shot_id)
        stage.set(evaluate(setting, shot, shot.seconds / 2))
        out.append(_against_replay(stage, shot_id))
    return out


def stressed() -> list[dict[str, Any]]:
    """The stress place: what it holds, its memory, and the integrator against bare replay there."""
    code = "\n".join(
        [
            "import resource",
            "from bench.engine import _against_replay",
            "from bench.stress import stress",
            "from lumwick.trace.film import blank",
            "from lumwick.trace.render import expose",
            "import json",
            "_, _, stage, held = stress()",
            "expose(stage, blank(1280, 720), 1)",
            "memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6",
            "print(json.dumps([held, memory, _against_replay(stage, 'stress place')]))",
        ]
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True)
    held, memory, ratio = json.loads(done.stdout.strip().splitlines()[-1])
    return [
        figure("stress place: trees and shrubs", held["trees"], "", 20000, "higher"),
        figure("stress place: blades in sight", held["blades"], "", 1e6, "higher"),
        figure("stress place: memory at 1280x720, peak", memory, "GB", 4.0, "lower"),
        ratio,
    ]


def likeness() -> list[dict[str, Any]]:
    """Mean difference (FLIP, Andersson et al. 2020, by its authors' package) of study and fine from a reference of 2
    048 samples."""
    import flip_evaluator

    setting = load_setting(saltmere())
    stage = Stage(setting)
    size = (96, 54)
    scores: dict[str, list[float]] = {"study": [], "fine": []}
    for shot_id, share in (("dawn", 0.5), ("boardwalk", 0.33), ("pine", 0.2), ("boardwalk", 0.995)):
        shot = setting.place.shot(shot_id)
        t, camera = shot.seconds * share, None
        if share > 0.9:  # inside the hide, exposed for the room
            camera = replace(camera_at(setting, shot, t), ev100=10.0)
        snap = evaluate(setting, shot, t, camera)
        stage.set(snap)
        reference = blank(*size)
        expose(stage, reference, 2048, Limit(2), seed=99)
        shown = develop(reference.radiance, snap.camera, snap.grade, snap.frame)
        for name, all_scores in scores.items():
            made = picture_at(stage, shot, t, size, QUALITIES[name], camera)
            assert made
            all_scores.append(
                float(
                    flip_evaluator.evaluate(
                        shown.astype(np.float32) / 255, made.pixels.astype(np.float32) / 255, "LDR"
                    )[1]
                )
            )
    print("  by view:", {name: [round(v, 3) for v in s] for name, s in scores.items()})
    return [
        figure(f"{name} against 2 048 samples, mean FLIP of four views", float(np.mean(s)), "", bar, "lower")
        for (name, s), bar in zip(scores.items(), (0.08, 0.04), strict=True)
    ]


def steadiness() -> list[dict[str, Any]]:
    """Flicker between cleaned study frames of a still scene whose noise differs: the worst of three views."""
    setting = load_setting(saltmere())
    stage = Stage(setting)
    worst = 0.0
    for shot_id in ("dawn", "boardwalk", "pine"):
        shot = setting.place.shot(shot_id)
        made = [
            picture_at(stage, shot, shot.seconds / 3, (320, 180), QUALITIES["study"], options=Options(seed=seed))
            for seed in (5, 6)
        ]
        assert made[0] and made[1]
        worst = max(worst, flicker(made[0].pixels, made[1].pixels))
    return [figure("flicker of a still scene at study, noise varied", worst, "share", STEADY, "lower")]


def first_look() -> list[dict[str, Any]]:
    """From the start of a process to the first coarse look at a place in a file, with warm caches; the best of
    three."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.place.zip"
        path.write_bytes(pack(*saltmere()))
        code = "\n".join(
            [
                "import time; start = time.perf_counter()",
                "from pathlib import Path",
                "from lumwick.picture import load_setting",
                "from lumwick.place.files import load",
                "from lumwick.snapshot.evaluate import evaluate",
                "from lumwick.trace.stage import Stage",
                "from lumwick.trace.cleaning import clean",
                "from lumwick.trace.film import blank",
                "from lumwick.trace.render import expose",
                "from lumwick.develop.view import develop",
                f"setting = load_setting(load(Path({str(path)!r})))",
                "stage = Stage(setting)",
                "shot = setting.place.shots[0]",
                "snap = evaluate(setting, shot, 1.0)",
                "stage.set(snap)",
                "film = blank(160, 90)",
                "expose(stage, film, 1)",
                "develop(clean(film, 12.0, 'fast'), snap.camera)",
                "print(time.perf_counter() - start)",
            ]
        )
        took = [
            float(
                subprocess.run(
                    [sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True
                ).stdout
            )
            for _ in range(4)
        ][1:]
    return [figure("first look in a fresh process, warm caches", min(took), "s", 3.0, "lower")]


def cold_compile() -> list[dict[str, Any]]:
    """Set-up's compiling of all kernels, with no cache."""
    with tempfile.TemporaryDirectory() as folder:
        start = time.perf_counter()
        subprocess.run(
            [sys.executable, "-m", "lumwick.cli", "compile"],
            cwd=ROOT,
            env={**os.environ, "NUMBA_CACHE_DIR": f"{folder}/kernels"},
            capture_output=True,
            check=True,
        )
        return [figure("all kernels compiled, no cache", time.perf_counter() - start, "s", 90.0, "lower")]


FIRST_SLICE = "7a3d397"
RACE = """
import sys, time; sys.path.insert(0, sys.argv[1])
from lumwick.demo import saltmere
from lumwick.picture import load_setting
from lumwick.snapshot.evaluate import camera_at, evaluate
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
try:
    from lumwick.trace.film import blank
except ImportError:  # as it was called before
    from lumwick.trace.render import blank
setting = load_setting(saltmere()); stage = Stage(setting)
for name in sys.argv[2:]:
    shot = setting.place.shot(name)
    stage.set(evaluate(setting, shot, shot.seconds / 2))
    expose(stage, blank(320, 180), 1)
    best = 1e9
    for _ in range(4):
        film, start = blank(320, 180), time.perf_counter()
        expose(stage, film, 4)
        best = min(best, time.perf_counter() - start)
    print((film.rays + film.shadow_rays) / best)
"""


def race(code: str, root: str | Path, **more: str) -> NDArray[np.float64]:
    """What a piece of code prints of each shot when it is run on the sources in a folder."""
    done = subprocess.run(
        [sys.executable, "-c", code, str(root), *SHOTS],
        cwd=root,
        env={**os.environ, **more},
        capture_output=True,
        text=True,
        check=True,
    )
    return np.array(done.stdout.split(), float)


def against_first_slice() -> list[dict[str, Any]]:
    """Rays a second on the demo over those of the first slice's commit on the demo as it was then, shot by shot."""
    with tempfile.TemporaryDirectory() as folder:
        packed = subprocess.run(
            ["git", "archive", FIRST_SLICE, "lumwick"], cwd=ROOT, capture_output=True, check=True
        ).stdout
        subprocess.run(["tar", "-x", "-C", folder], input=packed, check=True)

        old, new = [], []
        for _ in range(2):  # in turn, as the machine's neighbours come and go
            old.append(race(RACE, folder, NUMBA_CACHE_DIR=f"{folder}/kernels"))
            new.append(race(RACE, ROOT))
    ratios = np.max(new, 0) / np.max(old, 0)
    return [
        figure("rays a second over the first slice's, mean of shots", float(ratios.mean()), "ratio", 2.0, "higher"),
        *(
            figure(f"rays a second over the first slice's, {name}", r, "ratio", 2.0, "higher")
            for name, r in zip(SHOTS, ratios, strict=True)
        ),
    ]


def second_worker() -> list[dict[str, Any]]:
    """Frames an hour of two processes with a core each over one with one."""
    code = "\n".join(
        [
            "import time, sys",
            "from lumwick.demo import saltmere",
            "from lumwick.picture import frame_picture, load_setting",
            "from lumwick.trace.quality import Quality",
            "from lumwick.trace.stage import Stage",
            "setting = load_setting(saltmere())",
            "stage = Stage(setting)",
            "shot = setting.place.shot('boardwalk')",
            "frame_picture(stage, shot, 1, (320, 180), Quality(4, 1, 'high'))",
            "print('ready', flush=True)",
            "sys.stdin.readline()",
            "start = time.perf_counter()",
            "for n in range(2, 8): frame_picture(stage, shot, n, (320, 180), Quality(16, 1, 'high', 2))",
            "print(6 / (time.perf_counter() - start), flush=True)",
        ]
    )

    def run(cores: list[int]) -> float:
        env = {**os.environ, "NUMBA_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
        started = [
            subprocess.Popen(
                ["taskset", "-c", str(core), sys.executable, "-c", code],
                cwd=ROOT,
                env=env,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
            for core in cores
        ]
        for p in started:
            assert p.stdout and p.stdout.readline().strip() == "ready"
        for p in started:
            assert p.stdin
            p.stdin.write("go\n")
            p.stdin.flush()
        return sum(float(p.stdout.readline()) for p in started if p.stdout)

    # the machine's neighbours come and go: the best of each
    alone, both = max(run([core]) for core in (0, 1, 0)), max(run([0, 1]) for _ in range(3))
    return [figure("two workers with a core each over one", both / alone, "ratio", 1.7, "higher")]
