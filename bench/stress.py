"""The stress place: 20 000 plants of 12 variants, a million and more blades in sight, a sea to the horizon, a house."""

from __future__ import annotations

import datetime as dt

import numpy as np

from lumwick.demo import saltmere
from lumwick.growth.kinds import KINDS
from lumwick.lens.camera import Camera, look_at
from lumwick.picture import load_setting
from lumwick.place.filming import Clock
from lumwick.place.growing import Stand
from lumwick.place.objects import Built
from lumwick.snapshot.evaluate import Setting, Snapshot, evaluate
from lumwick.trace.stage import Stage

EYE, AIM = np.array([-60.0, -40.0, 16.0]), np.array([120.0, 90.0, 2.0])


def stress() -> tuple[Setting, Snapshot, Stage, dict[str, int]]:
    """Its setting, a snapshot, the stage set to it, and what it holds."""
    setting = load_setting(saltmere())
    place = setting.place
    whole = [(-100.0, -480.0), (500.0, -480.0), (500.0, 500.0), (-100.0, 500.0)]
    woods = [
        Stand(
            id=f"wood-{kind}",
            name=f"Wood of {kind}",
            kind=kind,
            area=whole,
            per_hectare=175,
            height=h,
            lowest=0.9,
            slope_most=60,
            seed=k + 40,
        )
        for k, (kind, h) in enumerate((("pine", 10.0), ("alder", 8.0), ("scrub", 1.4)))
    ]
    house = Built(id="house", name="House", kind="hide", line=[(10.0, 10.0)], width=8.0, deck=2.2, turn=225)
    shot = place.shots[0].model_copy(update={"clock": Clock(start=dt.datetime(2026, 6, 5, 16, 0)), "air": None})
    big = place.model_copy(
        update={
            "growth": [
                *woods,
                *(
                    s.model_copy(update={"area": whole, "per_hectare": 14000})
                    for s in place.growth
                    if s.id in ("saltgrass", "marram")
                ),
            ],
            "built": [house],
            "shots": [shot],
        }
    )
    made = Setting(big, setting.ground, setting.read)
    stage = Stage(made)
    snap = evaluate(made, shot, 0.5, Camera(EYE, look_at(EYE, AIM), 24.0, ev100=14.0))
    stage.set(snap)
    trees = sum(len(b.plants.turn) for s in stage.stands.stand_states if s.kind.woody for b in s.batches)
    blades = 0
    for part in stage.parts().values():
        if part.thing in ("Saltgrass", "Dune grass") and part.mask & 4:
            blades += len(part.transforms) * (len(part.mesh()[1]) // max(1, int(part.material["strip"][1])))
    return made, snap, stage, {"trees": trees, "blades": blades, "variants": 12, "kinds": len(KINDS)}
