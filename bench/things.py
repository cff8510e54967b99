"""Things and lamps: a large model brought in, many copies of one, and a shadow thrown by a lamp."""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from PIL import Image

from bench.engine import figure
from bench.price import flip, taken, time_for, views
from lumwick.built.bring.importing import import_model, set_down
from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface
from lumwick.deliver.whole import Range, gather, hand_on, told_size
from lumwick.demo import saltmere
from lumwick.demo_yard import yard
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, look_at
from lumwick.motion.throwing import Throw
from lumwick.picture import load_setting
from lumwick.place.fields import Asset
from lumwick.place.objects import Copies, Gobo, Lamp, Shape, Thing
from lumwick.snapshot import active_lamps
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.thrown import throw_edit
from lumwick.trace.cleaning import clean
from lumwick.trace.film import blank
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage

FLAT = Ground(np.zeros((65, 65), np.float32), 4.0, -128.0, -128.0)


def large_model() -> bytes:
    """A glTF of 176 000 triangles with five textures of 2048 pixels (invented)."""
    ball = trimesh.creation.uv_sphere(0.8, count=[300, 295])
    v, t = np.asarray(ball.vertices, np.float32), np.asarray(ball.faces, np.uint32)
    uv = np.stack([np.arctan2(v[:, 1], v[:, 0]) / (2 * np.pi) + 0.5, v[:, 2] / 1.6 + 0.5], 1).astype(np.float32)
    rng = np.random.default_rng(3)
    pictures = [
        np.asarray(Image.fromarray(rng.integers(0, 256, (128, 128, 4), np.uint8)).resize((2048, 2048)))
        for _ in range(5)
    ]
    first = MeshSurface("one", (1, 1, 1), 0.5, 0.0, (0, 0, 0), 0, 0, pictures[0], None, pictures[1], None)
    other = MeshSurface("two", (1, 1, 1), 0.5, 0.0, (0, 0, 0), 0, 0, pictures[2], pictures[3], pictures[4], None)
    half = len(t) // 2
    parts = tuple(
        MeshPart(surface, v, some, uv[some], v[some] / 0.8) for surface, some in ((first, t[:half]), (other, t[half:]))
    )
    return glb_of(Mesh(parts), "large")


def large() -> list[dict[str, Any]]:
    """From the file's bytes to a cleaned first picture of the demo with the model in it, its stage standing."""
    place, assets = saltmere()
    setting = load_setting((place, assets))
    shot = place.shots[0]
    stage = Stage(setting)
    stage.set(evaluate(setting, shot, 0.0))
    data = large_model()
    start = time.perf_counter()
    taken = import_model({"large.glb": data})
    at = evaluate(setting, shot, 0.0).camera.position
    things = set_down(taken, ["large"], setting.still().stands_on, float(at[0]), float(at[1]) + 6)
    held = {taken[0].asset.sha256: taken[0].data}
    new = place.model_copy(update={"things": [*place.things, *things]})

    def read(asset: Asset) -> bytes:
        return held.get(asset.sha256) or setting.read(asset)

    changed = Setting(new, setting.ground, read)
    stage.change(changed)
    stage.set(evaluate(changed, shot, 0.0))
    film = blank(320, 180)
    expose(stage, film, 1)
    clean(film, 12.0, "fast")
    took = time.perf_counter() - start
    return [figure("a glTF of 176 000 triangles stands in the look", took, "s", 4.0, "lower")]


MANY = """
import json, sys; from bench.things import many_here; print(json.dumps(many_here(int(sys.argv[1]))))
"""


def many_here(count: int) -> list[float]:
    """Seconds that a frame takes of so many copies of a model of 20 480 triangles, and the process's memory [GB]."""
    data = trimesh.Scene([trimesh.creation.icosphere(5, 0.5)]).export(file_type="glb")
    mesh = Asset(sha256="5" * 64, name="ball.glb", bytes=len(data))
    copies = Copies(laid="grid", count=count, columns=100, step=1.2, rows_apart=1.2, any_turn=90)
    one = Thing(id="b", name="Ball", mesh=mesh, east=40.0, north=40.0, scale=90.0)  # fills as much of the picture
    things = [Thing(id="b", name="Ball", mesh=mesh, up=1.0, copies=copies) if count > 1 else one]
    place = saltmere()[0].model_copy(update={"things": things, "growth": [], "built": [], "lamps": []})
    setting = Setting(place, FLAT, lambda asset: data)
    eye = np.array([-10.0, -50.0, 24.0])
    snap = evaluate(setting, place.shots[0], 0.0, Camera(eye, look_at(eye, np.array([40.0, 40.0, 1.0])), 35.0))
    stage = Stage(setting)
    stage.set(snap)
    expose(stage, blank(64, 36), 1)
    best = 1e9
    for _ in range(3):
        start = time.perf_counter()
        expose(stage, blank(640, 360), 4)
        best = min(best, time.perf_counter() - start)
    return [best, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6]


def many() -> list[dict[str, Any]]:
    told = {}
    for count in (1, 10_000):
        done = subprocess.run([sys.executable, "-c", MANY, str(count)], capture_output=True, text=True, check=True)
        told[count] = [float(v) for v in done.stdout.strip().strip("[]").split(",")]
    return [
        figure("a frame of 10 000 copies over one of one", told[10_000][0] / told[1][0], "ratio", 1.3, "lower"),
        figure("memory with 10 000 copies of 20 480 triangles", told[10_000][1], "GB", 2.0, "lower"),
    ]


def thrown() -> list[dict[str, Any]]:
    """A frame of the demo that a spot lights through leaves over the same without them; each set and exposed."""
    place, assets = saltmere()
    before = load_setting((place, assets))
    shot, times = place.shots[0], {}
    at = evaluate(before, shot, 0.0).camera
    for gobo in (None, Gobo(kind="leaves", far=0.6, size=0.6)):
        east, north, up = (float(v) for v in at.position + np.array([0, 0, 1.0]))
        lamp = Lamp(id="spot", name="L", kind="spot", east=east, north=north, up=up, pitch=-20, amount=90000, gobo=gobo)
        setting = Setting(place.model_copy(update={"lamps": [*place.lamps, lamp]}), before.ground, before.read)
        stage = Stage(setting)
        best = 1e9
        for k in range(4):
            start = time.perf_counter()
            stage.set(evaluate(setting, shot, 0.1 * k))
            expose(stage, blank(640, 360), 4)
            best = min(best, time.perf_counter() - start)
        times[gobo is not None] = best
    return [figure("a frame with a thrown shadow over one without", times[True] / times[False], "ratio", 1.05, "lower")]


WINDOW_SIZE, WINDOW_TRUTH, WINDOW_TRIED = (320, 180), 512, (8, 24, 72)


def window() -> list[dict[str, Any]]:
    """The hide's inside by light through its openings: how much longer it takes without, to the same FLIP as study."""
    (seen,) = views("hide")
    stage = Stage(seen.setting)
    seen_by = {True: active_lamps.gaps_of, False: lambda *_: ()}
    study = QUALITIES["study"]

    def took(told: bool, grade: Quality) -> tuple[float, float]:
        active_lamps.gaps_of = seen_by[told]
        try:
            taken(seen, stage, WINDOW_SIZE, grade)
            start = time.perf_counter()
            picture = taken(seen, stage, WINDOW_SIZE, grade)
            return time.perf_counter() - start, flip(reference, picture)[0]
        finally:
            active_lamps.gaps_of = seen_by[True]

    many = Quality(WINDOW_TRUTH, study.bounces, "none", moments=4)
    reference = taken(seen, stage, WINDOW_SIZE, many, seed=99)
    here, error = took(True, study)
    plain = [took(False, replace(study, samples=n, noise=0.0)) for n in WINDOW_TRIED]
    words = ", ".join(f"{t:.1f} s {e:.4f}" for t, e in plain)
    print(f"  with openings {here:.1f} s {error:.4f}; without {words}", file=sys.stderr)
    return [
        figure(
            "the hide's inside without its openings told over with",
            time_for(error, plain) / here,
            "ratio",
            2.0,
            "higher",
        )
    ]


def handed() -> list[dict[str, Any]]:
    """96 frames of the demo's pine shot, all that moves within 60 m, as USD: the time, and its size told before."""
    setting = load_setting(saltmere())
    shot, span = setting.place.shot("pine"), Range(1, 96, 60.0)
    told = told_size(setting, shot, span)
    with tempfile.TemporaryDirectory() as folder:
        start = time.perf_counter()
        size = hand_on(gather(setting, shot, span), Path(folder) / "pine.usd")
        took = time.perf_counter() - start
    return [
        figure("96 frames of the pine shot handed on as USD", took, "s", 60.0, "lower"),
        figure("its size told before, off by", abs(told.bytes / size - 1) * 100, "%", 20.0, "lower"),
    ]


def tossed() -> list[dict[str, Any]]:
    """A box thrown among the yard's models over the same throw with none of them: most are nowhere near."""
    full = load_setting(yard())
    shot = full.place.shots[0]
    box = Thing(id="b", name="B", shape=Shape(kind="box", width=1, depth=1, height=1), east=56.0, north=45.0, up=6.0)
    took = []
    for others in (full.place.things, []):
        place = full.place.model_copy(update={"things": [*others, box]})
        setting = Setting(place, full.survey or full.ground, full.read)
        setting.stood(shot, 0.0)
        begun = time.perf_counter()
        throw_edit(setting, shot, "b", Throw(spin=2.0, bounce=0.4), 0.0)
        took.append(time.perf_counter() - begun)
    return [figure("a box thrown among 53 models over none", took[0] / took[1], "x", 4.0, "lower")]


def things() -> list[dict[str, Any]]:
    """All of them."""
    return large() + many() + thrown() + tossed() + window() + handed()
