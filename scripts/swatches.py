"""Pictures of the ready-made surfaces, a ball of each on a sweep, into studio/static/surfaces/; and of the kinds of
plants, into studio/static/kinds/."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from PIL import Image

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from lumwick.built.presets import PRESETS, preset
from lumwick.growth.kinds import KINDS, USUAL
from lumwick.land.ground import Ground
from lumwick.picture import picture_at
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.nature import Land, Sea, Site
from lumwick.place.objects import Lamp, Shape, Surface, Thing
from lumwick.plant_sheet import Sheet, sheet
from lumwick.snapshot.evaluate import Setting
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage

OUT = Path(__file__).resolve().parent.parent / "studio" / "static" / "surfaces"
SIDE = 96
GROUND = Ground(np.zeros((17, 17), np.float32), 4.0, -32.0, -32.0)


def studio_of(name: str) -> Setting:
    """A ball of a surface on a paper sweep, lit by a window of a lamp and a line behind."""
    paper = Surface(id="paper", name="Paper", colour="#b9b5aa", roughness=0.95)
    things = [
        Thing(
            id="sweep", name="Sweep", shape=Shape(kind="sweep", width=9, depth=5, height=4), up=0.02, surface="paper"
        ),
        Thing(
            id="ball", name="Ball", shape=Shape(kind="ball", width=1.5, depth=1.5, height=1.5), up=0.02, surface="it"
        ),
    ]
    lamps = [
        Lamp(id="key", name="Key", kind="rectangle", width=1.8, height=1.8, east=-2.6, north=-2.6, up=3.2, bearing=45,
             pitch=-35, amount=16000, kelvin=5600),
        Lamp(id="rim", name="Rim", kind="line", width=0.06, height=1.6, east=2.2, north=0.6, up=2.4, bearing=270,
             pitch=-30, amount=5000, kelvin=6500),
    ]  # fmt: skip
    route = Route(
        way="fixed", stations=[Station(id="s1", east=0.0, north=-4.0, up=1.7, aim=(0.0, 0.0, 0.72), focal=78)]
    )
    shot = Shot(id="s", name="S", clock=Clock(start="2026-12-21T00:05"), exposure=Exposure(ev100=7.2, kelvin=5600),
                route=route)  # fmt: skip
    place = Place(
        name="Swatch",
        site=Site(latitude=54.6, longitude=-3.5, utc_offset=0),
        land=Land(elevation=Asset(sha256="0" * 64, name="flat.tif", bytes=1)),
        sea=Sea(present=False),
        surfaces=[preset(name, "it"), paper],
        things=things,
        lamps=lamps,
        shots=[shot],
    )
    return Setting(place, GROUND)


def kinds() -> None:
    """A picture of each kind of plant by itself."""
    folder = OUT.parent / "kinds"
    folder.mkdir(exist_ok=True)
    for name in KINDS:
        setting, shot = sheet(Stand(id="s", name="S", kind=name, height=USUAL[name][0], seed=2), Sheet(figure=False))
        made = picture_at(Stage(setting), shot, 0.5, (2 * SIDE, 2 * SIDE), Quality(48, 2, "high"))
        assert made is not None
        small = Image.fromarray(made.pixels).resize((SIDE, SIDE), Image.Resampling.LANCZOS)
        small.save(folder / f"{name}.jpg", quality=88)
        print(name)


def main() -> None:
    if sys.argv[1:] == ["kinds"]:
        kinds()
        return
    OUT.mkdir(parents=True, exist_ok=True)
    for name in PRESETS:
        setting = studio_of(name)
        stage = Stage(setting)
        made = picture_at(stage, setting.place.shots[0], 0.0, (2 * SIDE, 2 * SIDE), Quality(64, 2, "high"))
        assert made is not None
        small = Image.fromarray(made.pixels).resize((SIDE, SIDE), Image.Resampling.LANCZOS)
        small.save(OUT / f"{name}.jpg", quality=88)
        print(name)
    kinds()


if __name__ == "__main__":
    main()
