"""Growth: what a tree costs to grow and to bend, a meadow to be ready, and touch; a coarse survey to begin with."""

from __future__ import annotations

import datetime as dt
import subprocess
import sys
import time
from dataclasses import replace
from typing import Any

import numpy as np

from bench.engine import figure
from bench.water import best
from lumwick.demo import saltmere
from lumwick.growth.form_cache import wood_form
from lumwick.growth.kinds import oak
from lumwick.growth.kinds.form import LEAF
from lumwick.growth.kinds.grown import make
from lumwick.growth.kinds.skeleton import skeleton
from lumwick.growth.scatter import scatter
from lumwick.land.elevation import Survey
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.newplace import place_from_survey
from lumwick.picture import load_setting, picture_at
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.nature import Land, Sea
from lumwick.place.objects import Shape, Thing
from lumwick.plant_sheet import Sheet, sheet
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.memory import Memory
from lumwick.trace import embree
from lumwick.trace.instance_batches import Sway
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.stage import Stage

FLAT = Ground(np.zeros((65, 65), np.float32), 4.0, -128.0, -128.0)


def growth() -> list[dict[str, Any]]:
    return [*_trees(), *_meadow(), *_sheet(), *_placing()]


def _place(stands: list[Stand], things: list[Thing]) -> Setting:
    """Level ground seen from 2 m up."""
    route = Route(way="fixed", stations=[Station(id="s", east=0, north=-14, up=2, aim=(0, 0, 0.4), focal=28)])
    shot = Shot(
        id="a", name="A", frames=240, route=route, clock=Clock(start=dt.datetime(2026, 6, 10, 9)),
        exposure=Exposure(ev100=13.5, focus=12),
    )  # fmt: skip
    land = Land(elevation=Asset(sha256="0" * 64, name="flat.tif", bytes=1), cover="upland")
    return Setting(Place(name="B", land=land, sea=Sea(present=False), growth=stands, things=things, shots=[shot]), FLAT)


ALONE = """
from pathlib import Path
from bench.growth import MEADOW, _place, _set
from lumwick.trace.stage import Stage
held = lambda: int(Path("/proc/self/statm").read_text().split()[1]) * 4096 / 1e9
small = _place([], [])
_set(Stage(small), small, 0.0)
before = held()
setting = _place([MEADOW], [])
stage = Stage(setting)
_set(stage, setting, 0.0)
print(held() - before)
"""
"""What a meadow takes in memory, told by a process of its own."""
AREA = [(-32.0, -32.0), (32.0, -32.0), (32.0, 32.0), (-32.0, 32.0)]
MEADOW = Stand(id="m", name="M", kind="meadow", area=AREA, per_hectare=26_000, height=0.6)


def _set(stage: Stage, setting: Setting, t: float) -> None:
    stage.set(evaluate(setting, setting.place.shots[0], t))


def _shifted(way: Any, by: float) -> Channel:
    return Channel(keys=[Key(t=key.t, v=key.v + by) for key in way.keys])


def _trees() -> list[dict[str, Any]]:
    """An oak grown; one bent to an instant; what twelve variants of it take of a study frame."""
    seeds = iter(range(1, 100))

    def grown() -> None:
        skeleton.cache_clear()
        make(oak.HABIT, 10.0, next(seeds))

    area = [(-12.0, -6.0), (12.0, -6.0), (12.0, 14.0), (-12.0, 14.0)]
    wood = [
        Stand(id=f"o{k}", name=f"O{k}", kind="oak", area=area, per_hectare=120, height=10, seed=k) for k in range(3)
    ]
    setting = _place(wood, [])
    stage = Stage(setting)
    shot = setting.place.shots[0]
    picture_at(stage, shot, 0.0, (64, 36), Quality(1, 1, "fast"))
    start = time.perf_counter()
    picture_at(stage, shot, 0.5, (640, 360), QUALITIES["study"])
    frame = time.perf_counter() - start
    shapes = [
        (stand_state, shape)
        for stand_state in stage.stands.stand_states
        for batch in stand_state.batches
        for shape in batch.shapes.values()
        if shape.level == 0
    ]
    sway = Sway.of(evaluate(setting, shot, 1.0))
    stand_state, shape = shapes[0]

    def bent() -> None:
        stage.stands._move(shape, stand_state, sway)
        shape.mesh.moved()
        embree.commit_all([shape.scene])

    one = best(bent, 7)
    return [
        figure("growth: an oak of 10 m and 20 000 leaves, grown", best(grown), "s", 0.5, "lower"),
        figure("growth: the same bent to a new instant", one * 1000, "ms", 15.0, "lower"),
        figure("growth: twelve variants bent, of a study frame", 12 * one / frame, "of it", 0.2, "lower"),
    ]


def _meadow() -> list[dict[str, Any]]:
    """A million blades made ready for rays, and what ten bodies that go through a meadow add to setting an instant."""
    setting = _place([MEADOW], [])
    start = time.perf_counter()
    stage = Stage(setting)
    _set(stage, setting, 0.0)
    ready = time.perf_counter() - start
    alone = subprocess.run([sys.executable, "-c", ALONE], check=True, capture_output=True, text=True)
    held = float(alone.stdout)
    blades = sum(
        len(which) * int((shape.form.surface == LEAF).sum()) / shape.form.strip[LEAF]
        for batch in stage.stands.stand_states[0].batches
        for level, variant, step, which in batch.lods
        if (shape := batch.shapes[level, variant, step])
    )

    def crossing(k: int) -> Thing:
        way = [Key(t=0.0, v=-20.0), Key(t=10.0, v=20.0)]
        return Thing(id=f"b{k}", name=f"B{k}", shape=Shape(kind="ball", width=0.5, depth=0.5, height=0.5),
                     east=Channel(keys=way), north=float(2 * k - 10), touches=True)  # fmt: skip

    balls = [crossing(k) for k in range(10)]
    took = {}
    demo = load_setting(saltmere())
    shot = demo.place.shot("boardwalk")
    middle = demo.camera_path(shot).at(np.array([shot.seconds / 2])).position[0]
    foot = float(demo.ground.height(middle[:1], middle[1:2])[0])
    for name, touches in (("with", True), ("without", False)):
        things = [
            ball.model_copy(update={"touches": touches, "east": _shifted(ball.east, middle[0]),
                                    "north": ball.north + float(middle[1]), "up": foot})
            for ball in balls
        ]  # fmt: skip
        moved = replace(
            demo, place=demo.place.model_copy(update={"things": [*demo.place.things, *things]}), memory=Memory()
        )
        of = Stage(moved)
        seen = moved.place.shot("boardwalk")
        of.set(evaluate(moved, seen, 4.9))
        times = iter(np.arange(5.0, 9.0, 0.05))
        took[name] = best(lambda of=of, moved=moved, seen=seen, times=times: of.set(
            evaluate(moved, seen, float(next(times)))), 9)  # fmt: skip
    return [
        figure("growth: blades that are drawn of the meadow", blades / 1e6, "million", 1.0, "higher"),
        figure("growth: they are ready for rays", ready, "s", 1.5, "lower"),
        figure("growth: and take in memory", held, "GB", 1.5, "lower"),
        figure("growth: an instant of the demo with ten bodies over one without", took["with"] / took["without"], "x",
               1.15, "lower"),
    ]  # fmt: skip


def _sheet() -> list[dict[str, Any]]:
    """A change on the plant sheet, to its first picture."""
    stand = Stand(id="s", name="S", kind="oak", height=10.0)
    wood = wood_form(stand)
    assert wood is not None
    setting, shot = sheet(stand, Sheet())
    stage = Stage(setting)
    picture_at(stage, shot, 0.5, (240, 180), Quality(2, 1, "fast"))
    widths = iter(np.linspace(0.5, 1.2, 40))

    def changed() -> None:
        own = wood.model_copy(update={"spread": round(float(next(widths)), 3)})
        now, seen = sheet(stand.model_copy(update={"wood": own}), Sheet())
        stage.change(now)
        picture_at(stage, seen, 0.5, (240, 180), Quality(2, 1, "fast"))

    return [figure("growth: a change on the plant sheet is seen", best(changed), "s", 0.7, "lower")]


def _placing() -> list[dict[str, Any]]:
    """A hundred thousand plants that keep apart; a place from a coarse survey."""
    wide = Ground(np.zeros((257, 257), np.float32), 8.0, -1024.0, -1024.0)
    spaced_out = Stand(id="p", name="P", kind="pine", per_hectare=260, spaced=3.5, slope_most=90)
    slope = wide.slope()
    placed = len(scatter(spaced_out, wide, slope).turn)
    rng = np.random.default_rng(1)
    heights = np.cumsum(np.cumsum(rng.standard_normal((344, 403)), 0), 1).astype(np.float32)
    survey = Survey(Ground(heights * (400 / np.ptp(heights)), 28.0, -5600.0, -4800.0), 36.5, -84.4)
    seconds = best(lambda: scatter(spaced_out, wide, slope), 3) * 1e5 / placed
    return [
        figure("growth: 100 000 plants that keep apart", seconds, "s", 5.0, "lower"),
        figure(
            "growth: a place from a coarse survey", best(lambda: place_from_survey(survey, "A"), 3), "s", 5.0, "lower"
        ),
    ]
