"""The price of a picture: the time the present code needs for a picture as near the truth as an older commit's.

Both are shown the same views of the same place: the older commit's demo, which the present code opens from its file.
How near a picture comes is its mean FLIP (Andersson et al. 2020, by its authors' package) against a reference of many
samples that is not cleaned and that the same code has made, since forms of plants have changed. References are kept in
var/price/ once made; those of the issue's size, 640x360 at 2 048 samples, take half an hour a view on two cores, so the
bench is small unless LUMWICK_PRICE says otherwise (``LUMWICK_PRICE=640x360x2048 make bench ONLY=price``).
LUMWICK_PRICE_OLD names another commit to compare with, LUMWICK_PRICE_VIEW one view, LUMWICK_PRICE_GRADE another quality
than study: ``LUMWICK_PRICE_GRADE=fine make bench ONLY=price``.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from bench.engine import SHOTS, figure, race
from bench.stress import stress
from lumwick.demo import saltmere
from lumwick.lens.camera import Camera, look_at
from lumwick.picture import Options, load_setting, open_for, picture_at
from lumwick.place.document import Shot
from lumwick.place.files import load
from lumwick.snapshot.evaluate import Setting, camera_at, evaluate
from lumwick.trace.film import Film
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.stage import Stage

ROOT = Path(__file__).resolve().parent.parent
KEPT = ROOT / "var" / "price"
OLD = os.environ.get("LUMWICK_PRICE_OLD", "dfb0429")
LADDER = (0.5, 0.75, 1.0, 1.5)
"""Of a quality's samples a pixel, at which the present code is tried."""
STRESS_EYES = ((-60.0, -40.0, 16.0), (60.0, 40.0, 9.0))
STRESS_AIM = (120.0, 90.0, 2.0)


@dataclass(frozen=True)
class Seen:
    """A view: what is shown, and when, as a share of the shot; and by which camera if not the shot's own, from where
    in the stress place."""

    name: str
    setting: Setting
    shot: Shot
    share: float
    camera: Camera | None = None
    eye: tuple[float, float, float] | None = None

    @property
    def t(self) -> float:
        """Clip time [s]; the stress place's share is one already."""
        return self.share * self.shot.seconds if self.eye is None else self.share


def views(chosen: str = "") -> list[Seen]:
    """The older demo's shots at their middles, the hide's inside, the stress place from two eyes; or one of them."""
    demo = load_setting(load(old_demo()))
    out = [Seen(name, demo, demo.place.shot(name), 0.5) for name in SHOTS]
    walk, share = demo.place.shot("boardwalk"), 0.995
    inside = replace(camera_at(demo, walk, walk.seconds * share), ev100=10.0)
    out.append(Seen("hide", demo, walk, share, inside))
    if not chosen or chosen.startswith("stress"):
        big = stress()[0]
        for k, eye in enumerate(STRESS_EYES):
            at = np.array(eye)
            camera = Camera(at, look_at(at, np.array(STRESS_AIM)), 24.0, ev100=14.0)
            out.append(Seen(f"stress {k + 1}", big, big.place.shots[0], 0.5, camera, eye))
    return [seen for seen in out if chosen in ("", seen.name)]


OLD_WAY = """
import json, sys, time; sys.path.insert(0, sys.argv[1])
from dataclasses import replace
import numpy as np
from bench.stress import stress
from lumwick.demo import saltmere
from lumwick.lens.camera import Camera, look_at
from lumwick.picture import load_setting, open_for, picture_at
from lumwick.snapshot.evaluate import camera_at
from lumwick.trace.stage import Stage
try:
    from lumwick.picture import Options
    from lumwick.trace.quality import QUALITIES
    how = lambda shutter, seed: {"options": Options(shutter=shutter, seed=seed)}
except ImportError:
    from lumwick.trace.render import QUALITIES
    how = lambda shutter, seed: {"shutter": shutter, "seed": seed}
name, share, eye, aim, ev100, grade, samples, width, height, out = json.loads(sys.argv[2])
setting = load_setting(saltmere()) if eye is None else stress()[0]
shot = setting.place.shot(name) if eye is None else setting.place.shots[0]
t = shot.seconds * share if eye is None else share
camera = None
if eye is not None:
    camera = Camera(np.array(eye), look_at(np.array(eye), np.array(aim)), 24.0, ev100=ev100)
elif ev100 is not None:
    camera = replace(camera_at(setting, shot, t), ev100=ev100)
stage, best, open_for = Stage(setting), 1e9, open_for(setting, shot, t)
quality = QUALITIES[grade]
if samples:
    quality = replace(quality, samples=samples, denoise="none", moments=16, noise=0.0)
for _ in range(1 if samples else 3):
    start = time.perf_counter()
    made = picture_at(stage, shot, t, (width, height), quality, camera, **how(open_for, 99 if samples else 1))
    best = min(best, time.perf_counter() - start)
np.save(out, made.pixels)
print(best)
"""
"""How the older commit takes a view, in a quality as it is or with as many samples; its first picture warms it."""


def old_commit(name: str = OLD) -> Path:
    """An older commit's files, with room for its kernels."""
    folder = KEPT / name
    if not folder.exists():
        folder.mkdir(parents=True)
        packed = subprocess.run(
            ["git", "archive", name, "lumwick", "bench"], cwd=ROOT, capture_output=True, check=True
        ).stdout
        subprocess.run(["tar", "-x", "-C", str(folder)], input=packed, check=True)
    return folder


PACK = """
import sys; sys.path.insert(0, sys.argv[1])
from lumwick.demo import saltmere
from lumwick.place.files import pack
open(sys.argv[2], "wb").write(pack(*saltmere()))
"""


def old_demo() -> Path:
    """The older commit's demo, as its own code packs it."""
    folder = old_commit()
    out = folder / "demo.lumwick"
    if not out.exists():
        _by_old_code(folder, PACK, str(out))
    return out


def _by_old_code(folder: Path, script: str, *words: str) -> str:
    """What a script says that is run by the older commit's code; its folder is the first word it gets."""
    return subprocess.run(
        [sys.executable, "-c", script, str(folder), *words],
        cwd=folder,
        env={**os.environ, "NUMBA_CACHE_DIR": f"{folder}/kernels", "PYTHONPATH": str(folder)},
        capture_output=True,
        text=True,
        check=True,
    ).stdout


def taken_before(seen: Seen, size: tuple[int, int], grade: str, samples: int = 0) -> tuple[float, NDArray[np.uint8]]:
    """The older commit's picture of a view in a quality, or with so many of its samples, and the time it took [s]."""
    folder = old_commit()
    out = folder / "picture.npy"
    eye = None if seen.eye is None else list(seen.eye)
    ev100 = None if seen.camera is None else seen.camera.ev100
    asked = json.dumps([seen.shot.id, seen.share, eye, list(STRESS_AIM), ev100, grade, samples, *size, str(out)])
    said = _by_old_code(folder, OLD_WAY, asked)
    return float(said.split()[-1]), np.load(out)


def kept(file: Path, make: Callable[[], NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """A reference from its file, made first if it is not there."""
    if not file.exists():
        print(f"  making a reference: {file.name} …", file=sys.stderr, flush=True)
        file.parent.mkdir(parents=True, exist_ok=True)
        np.save(file, make())
    return np.asarray(np.load(file))


def taken(seen: Seen, stage: Stage, size: tuple[int, int], grade: Quality, seed: int = 1) -> NDArray[np.uint8]:
    options = Options(shutter=open_for(seen.setting, seen.shot, seen.t), seed=seed)
    made = picture_at(stage, seen.shot, seen.t, size, grade, seen.camera, options)
    assert made is not None
    return made.pixels


def truth(seen: Seen, stage: Stage, size: tuple[int, int], samples: int, bounces: int) -> NDArray[np.uint8]:
    """What a view looks like with many samples and nothing cleaned."""
    file = KEPT / "references" / f"{drawn_by()} of {OLD} {seen.name} {size[0]}x{size[1]} {samples} {bounces}.npy"
    return kept(file, lambda: taken(seen, stage, size, Quality(samples, bounces, "none", moments=16), seed=99))


def truth_before(seen: Seen, size: tuple[int, int], samples: int, grade: str) -> NDArray[np.uint8]:
    """What it looked like at the older commit."""
    of = "" if grade == "study" else f" {grade}"
    file = KEPT / "references" / f"{OLD} {seen.name} {size[0]}x{size[1]} {samples}{of}.npy"
    return kept(file, lambda: taken_before(seen, size, grade, samples)[1])


def drawn_by() -> str:
    """The tree of the code that draws: another one's references are not this one's."""
    told = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD:lumwick"], cwd=ROOT, capture_output=True, text=True, check=True
    )
    return told.stdout.strip()


def flip(reference: NDArray[np.uint8], shown: NDArray[np.uint8]) -> tuple[float, float]:
    """The mean of the differences, and their 95th percentile."""
    import flip_evaluator

    a, b = (p.astype(np.float32) / 255 for p in (reference, shown))
    each, mean, _ = flip_evaluator.evaluate(a, b, "LDR", applyMagma=False)
    return float(mean), float(np.quantile(each, 0.95))


def time_for(error: float, tried: list[tuple[float, float]]) -> float:
    """The time at which an error is met, between what was tried: pairs of time [s] and error, by powers of both."""
    times, errors = np.log(np.array(tried).T)
    order = np.argsort(errors)
    # beyond what was tried the error goes on falling as it did there; a larger one costs no less than the least tried
    slope = (times[order[0]] - times[order[-1]]) / (errors[order[0]] - errors[order[-1]])
    wanted = np.log(error)
    if wanted < errors[order[0]]:
        return float(np.exp(times[order[0]] + slope * (wanted - errors[order[0]])))
    if wanted > errors[order[-1]]:
        return float(np.exp(times[order[-1]]))
    return float(np.exp(np.interp(wanted, errors[order], times[order])))


def price() -> list[dict[str, Any]]:
    """The older commit's time for a picture of a quality over the present one's for one as near the truth, by view."""
    width, height, samples = (int(n) for n in os.environ.get("LUMWICK_PRICE", "320x180x512").split("x"))
    named = os.environ.get("LUMWICK_PRICE_GRADE", "study")
    size, grade, out, ratios = (width, height), QUALITIES[named], [], []
    for seen in views(os.environ.get("LUMWICK_PRICE_VIEW", "")):
        stage = Stage(seen.setting)
        reference = truth(seen, stage, size, samples, grade.bounces)
        taken(seen, stage, size, replace(grade, samples=8))  # warm
        before, pixels = taken_before(seen, size, named)
        old_error, old_high = flip(truth_before(seen, size, samples, named), pixels)
        tried, said = [], []
        for n in (round(share * grade.samples) for share in LADDER):
            best = 1e9
            for _ in range(2):
                start = time.perf_counter()
                pixels = taken(seen, stage, size, replace(grade, samples=n))
                best = min(best, time.perf_counter() - start)
            error, high = flip(reference, pixels)
            tried.append((best, error))
            said.append(f"{n}: {best:.2f} s {error:.4f} ({high:.3f})")
        before = min(before, taken_before(seen, size, named)[0])  # on both sides, as neighbours come and go
        ratios.append(before / time_for(old_error, tried))
        print(
            f"  {seen.name}: before {before:.2f} s {old_error:.4f} ({old_high:.3f}); now {'; '.join(said)}", flush=True
        )
        out.append(figure(f"price of a {named} picture, {seen.name}", ratios[-1], "ratio", 2.0, "higher"))
    mean = float(np.exp(np.log(ratios).mean()))
    return [figure(f"price of a {named} picture, geometric mean of views", mean, "ratio", 4.0, "higher"), *out]


REHEARSED = """
import os, sys, time; sys.path.insert(0, sys.argv[1])
from lumwick.picture import frame_picture, load_setting
from lumwick.place.files import load
from lumwick.trace.stage import Stage
try:
    from lumwick.trace.quality import QUALITIES, REHEARSAL
    grade = QUALITIES[REHEARSAL]
except ImportError:
    from lumwick.trace.render import QUALITIES
    grade = QUALITIES["sketch"]
setting = load_setting(load(os.environ["LUMWICK_PLACE"])); stage = Stage(setting)
for name in sys.argv[2:]:
    shot, best = setting.place.shot(name), 1e9
    for frame in (99, 100, 101, 102):  # the first warms it
        start = time.perf_counter()
        frame_picture(stage, shot, frame, (384, 216), grade)
        best = min(best, time.perf_counter() - start)
    print(best)
"""
"""A frame of a rehearsal, as either code makes it."""


def rehearsal() -> list[dict[str, Any]]:
    """A rehearsal frame's time over the older commit's, by shot; and how soon a shot of 288 frames can be played."""
    folder, place = old_commit(), str(old_demo())
    old, new = [], []
    for _ in range(2):  # in turn, as the machine's neighbours come and go
        old.append(race(REHEARSED, folder, NUMBA_CACHE_DIR=f"{folder}/kernels", LUMWICK_PLACE=place))
        new.append(race(REHEARSED, ROOT, LUMWICK_PLACE=place))
    before, now = np.min(old, 0), np.min(new, 0)
    return [
        figure("rehearsal frame over before, mean of shots", float((now / before).mean()), "ratio", 0.25, "lower"),
        figure("every fourth of 288 rehearsal frames", 72 * float(now.mean()), "s", 40.0, "lower"),
        figure("all of 288 rehearsal frames", 288 * float(now.mean()), "s", 150.0, "lower"),
    ]


def instant() -> list[dict[str, Any]]:
    """How long the next instant of the demo takes to set, and four moments of a shutter; medians, the worst shot."""
    setting = load_setting(saltmere())
    stage, next_one, four = Stage(setting), [], []
    for shot in (setting.place.shot(name) for name in SHOTS):
        stage.set(evaluate(setting, shot, shot.seconds / 2))
        took: tuple[list[float], list[float]] = ([], [])
        for k in range(1, 8):
            start, t = time.perf_counter(), shot.seconds / 2 + k / 24
            stage.set(evaluate(setting, shot, t))
            placed, eye = time.perf_counter(), stage.snapshot.camera.position
            for moment in range(4):
                stage.set(evaluate(setting, shot, t + (moment + 0.5) / 192), eye)
            took[0].append(placed - start)
            took[1].append(time.perf_counter() - placed)
        next_one.append(float(np.median(took[0])))
        four.append(float(np.median(took[1])))
    return [
        figure("the next instant is set", max(next_one), "s", 0.12, "lower"),
        figure("four moments of a shutter are set", max(four), "s", 0.3, "lower"),
    ]


EXPOSURES, COMPARED, MANY = 64, 16, 1024
"""Pictures of other noise by which means are compared, those of them by which the error is, and samples of the
reference."""


def estimate() -> list[dict[str, Any]]:
    """How far a film's own estimate of its error lies from the spread of exposures with other noise, and their mean
    from a reference's; 160x90, the worst view."""
    study, off, factor = replace(QUALITIES["study"], denoise="none"), [], []
    for seen in views(os.environ.get("LUMWICK_PRICE_VIEW", "")):
        stage, shutter = Stage(seen.setting), open_for(seen.setting, seen.shot, seen.t)

        def film(grade: Quality, seed: int, seen: Seen = seen, stage: Stage = stage, shutter: float = shutter) -> Film:
            options = Options(shutter=shutter, seed=seed)
            made = picture_at(stage, seen.shot, seen.t, (160, 90), grade, seen.camera, options)
            assert made is not None
            return made.film

        films = [film(study, seed) for seed in range(1, EXPOSURES + 1)]
        light = np.array([one.radiance for one in films])
        bright, told = light[:COMPARED].sum(-1), np.array([one.error() for one in films[:COMPARED]])
        # as `Film.error` has it: of a pixel's neighbourhood, as a share of its brightness and of a floor
        mean = bright.mean(0)
        about, spread = (ndimage.uniform_filter(v, 5, mode="reflect") for v in (mean, bright.var(0, ddof=1)))
        true = np.sqrt(spread) / (about + 0.05 * np.median(mean))
        ratio = float(np.median((np.sqrt((told**2).mean(0)) / np.maximum(true, 1e-9))[true > 0.005]))
        reference = film(Quality(MANY, study.bounces, "none", moments=16), 99).radiance.mean((0, 1))
        apart = float(np.abs(light.mean((0, 1, 2)) / reference - 1).max())
        print(f"  {seen.name}: told over true {ratio:.2f}, means {apart:.5f} apart", flush=True)
        factor.append(max(ratio, 1 / ratio))
        off.append(apart)
    return [
        figure("a film's own estimate of its error, factor off", max(factor), "ratio", 1.5, "lower"),
        figure("mean of 64 exposures from the reference", max(off), "share", 0.005, "lower"),
    ]
