"""``make stills``: sheets of the demos through a day and through weather, of skies, waters and growth, into
docs/screenshots/ (ONLY=name for one; one to four minutes each)."""

from __future__ import annotations

import datetime as dt
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from lumwick.deliver.stills import write_png
from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from lumwick.develop.meter import metered
from lumwick.lens.camera import Camera, look_at
from lumwick.metering import small_light
from lumwick.picture import Options, load_setting, picture_at
from lumwick.place.document import Shot
from lumwick.place.filming import Clock
from lumwick.place.nature import Air, FogBank, HighClouds, LowClouds
from lumwick.snapshot.evaluate import evaluate
from lumwick.snapshot.memory import Memory
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
SIZE = (640, 360)
# sheets of several pictures: demo, shot and clip time [s]
SHEETS = {
    "waters": (
        ("reach", "shore", 1.0),
        ("reach", "shore", 2.4),
        ("reach", "shore", 3.6),
        ("reach", "shore", 4.8),
        ("yard", "brook", 1.0),
        ("yard", "pond", 1.0),
        ("yard", "under", 1.0),
        ("yard", "boats", 1.0),
    ),
    "growing": (
        ("down", "gust", 2.0),
        ("down", "gale", 2.0),
        ("down", "wheel", 3.0),
        ("down", "wheel", 12.5),
        ("down", "stump", 1.5),
        ("down", "stump", 9.5),
        ("down", "green", 2.5),
        ("down", "green", 11.0),
        ("down", "year", 1.8),
        ("down", "year", 4.0),
        ("down", "year", 8.2),
        ("down", "year", 11.5),
    ),
}
HERE = (-22.0, -16.0, 3.0)
OVER = ((-52, 18, 2.2), 28)
PINES = (120.0, 150.0, 5.5)
LOW = [(-140.0, -60.0), (80.0, -60.0), (80.0, 110.0), (-140.0, 110.0)]
# a sheet of airs over the reach: date and hour, eye, aim, focal length [mm], stops over a meter, air, banks of fog
AIRS: tuple[tuple[Any, ...], ...] = (
    ("2026-06-05T05:10", HERE, (40, 20, 10), 24, -0.3, {"low": {"oktas": 2.5, "seed": 9}, "high": {"amount": 4}}, ()),
    ("2026-06-05T12:30", HERE, *OVER, 0.2, {"low": {"oktas": 5, "base": 900, "closed": 0.2}}, ()),
    ("2026-06-05T20:40", HERE, (60, 40, 14), 24, 0.3, {"low": {"oktas": 2, "base": 1200}, "high": {"amount": 3}}, ()),
    ("2026-06-05T22:35", HERE, (-80, 40, 12), 24, -0.6, {"low": {"oktas": 3, "base": 1200, "seed": 7}}, ()),
    ("2026-10-25T21:30", HERE, *OVER, -1.2, {"low": {"oktas": 2.5, "base": 1200, "seed": 7}}, ()),
    ("2026-06-05T06:25", PINES, (180, 175, 9), 28, 0.8, {"fog_visibility": 420, "fog_height": 45}, ({"area": LOW},)),
    ("2026-06-05T15:00", (-46, 10, 3.0), (-53, 16, 2.2), 28, 0.2,
     {"rain": 14, "streaks": 20, "low": {"oktas": 8, "closed": 1, "density": 0.04}}, ()),
    ("2026-01-15T13:00", HERE, *OVER, 0.9, {"snowing": 1.5, "lying": 8, "low": {"oktas": 8, "closed": 1}}, ()),
    ("2026-06-05T05:40", HERE, (-40, 30, 3.2), 28, 0.4, {"fog_visibility": 20_000},
     ({"area": [(-120, -60), (60, -60), (60, 90), (-120, 90)], "visibility": 60, "thick": 5},)),
    ("2026-10-05T23:00", (-46, 10, 3.0), (-53, 16, 2.2), 28, -1.3,
     {"rain": 12, "streaks": 9, "low": {"oktas": 8, "closed": 1}}, ()),
)  # fmt: skip
STRIP = 16
# a sheet of skies over the reach: hour, eye, aim, focal length [mm], exposure [EV], low and high clouds
SKIES: tuple[tuple[Any, ...], ...] = (
    ("12:30", HERE, (-60, 40, 6), 24, 14.6, {"oktas": 3, "base": 1000}, {"amount": 2, "depth": 0.2}),
    ("16:00", HERE, (60, 40, 14), 22, 14.0, {"oktas": 5.5, "base": 900, "thick": 1400, "seed": 5}, {}),
    ("11:00", HERE, (-52, 18, 6), 26, 12.6, {"oktas": 8, "closed": 1, "density": 0.04, "thick": 600}, {}),
    ("20:50", HERE, (-80, 40, 12), 24, 12.2, {"oktas": 4, "base": 1200, "seed": 7}, {"amount": 3, "depth": 0.2}),
    ("05:20", HERE, (40, 20, 10), 24, 11.6, {"oktas": 2.5, "base": 900, "seed": 9}, {"amount": 4, "depth": 0.2}),
    ("14:00", (0, -1500, 1700), (0, 2500, 900), 24, 14.8, {"oktas": 4, "base": 900, "thick": 700, "seed": 2}, {}),
    ("10:00", HERE, (0, 60, 30), 20, 14.4, {}, {"amount": 5, "depth": 0.35}),
    ("22:20", HERE, (-80, 40, 10), 24, 5.5, {"oktas": 4, "base": 1200, "seed": 7}, {}),
)
TILE = (480, 270)
DEMOS = {"reach": saltmere, "yard": yard, "down": down}


def tiled(wanted: tuple[tuple[str, str, float], ...]) -> np.ndarray:
    """Instants of the demos' shots at study quality, two beside one another."""
    stages: dict[str, Stage] = {}
    tiles = []
    for demo, name, t in wanted:
        stage = stages.get(demo)
        if stage is None:
            stage = stages[demo] = Stage(load_setting(DEMOS[demo]()))
        picture = picture_at(stage, stage.setting.place.shot(name), t, TILE, QUALITIES["study"], None)
        assert picture is not None
        print(f"{name} at {t} s: {sum(picture.seconds.values()):.0f} s", flush=True)
        tiles.append(picture.pixels)
    return np.concatenate([np.concatenate(tiles[k : k + 2], 1) for k in range(0, len(tiles), 2)])


def airs() -> np.ndarray:
    """The reach through a day and through weather, two beside one another, and under them a strip of a whole day."""
    setting = load_setting(saltmere())
    stage, tiles = Stage(setting), []
    boardwalk = setting.place.shot("boardwalk")

    def seen(shot: Shot, banks: tuple[Any, ...], camera: Camera, more: float, size: tuple[int, int], name: str) -> Any:
        placed = [FogBank(id=f"bank{k}", **bank) for k, bank in enumerate(banks)]
        told = setting.place.model_copy(update={"shots": [shot], "banks": placed})
        stage.change(replace(setting, place=told, told=None, memory=Memory()))
        ev = metered(small_light(stage, evaluate(stage.setting, shot, 2.0, camera))) - more
        exposed = replace(camera, ev100=ev)
        options = Options(shutter=1 / 48)
        picture = picture_at(stage, shot, 2.0, size, QUALITIES[name], exposed, options)
        assert picture is not None
        print(f"{shot.clock.start}: {sum(picture.seconds.values()):.0f} s", flush=True)
        return picture.pixels

    for when, eye, aim, focal, more, air, banks in AIRS:
        clear = {"fog_visibility": 25_000, "fog_height": 80}
        clock = Clock(start=dt.datetime.fromisoformat(when))
        shot = boardwalk.model_copy(update={"clock": clock, "air": Air(**{**clear, **air})})
        position = np.array(eye, float)
        camera = Camera(position, look_at(position, np.array(aim, float)), focal, 8.0, 300.0, 12.0, kelvin=5600)
        tiles.append(seen(shot, banks, camera, more, TILE, "fine"))
    rows = [np.concatenate(tiles[k : k + 2], 1) for k in range(0, len(tiles), 2)]
    return np.concatenate([*rows, strip_of_a_day(seen, boardwalk, rows[0].shape[1])])


def strip_of_a_day(seen: Any, shot: Shot, wide: int) -> np.ndarray:
    """A day and a night in ten seconds, from noon to noon, in small pictures."""
    position = np.array(HERE)
    camera = Camera(position, look_at(position, np.array(OVER[0], float)), 24, 8.0, 300.0, 12.0, kelvin=5600)
    air = Air(fog_visibility=25_000, low=LowClouds(oktas=3, base=1200, seed=7))
    small = wide // STRIP
    cells = []
    for k in range(STRIP):
        clock = Clock(start=dt.datetime(2026, 10, 24, 12) + dt.timedelta(hours=24 * k / STRIP))
        one = shot.model_copy(update={"clock": clock, "air": air})
        cells.append(seen(one, (), camera, -0.2, (small, small * 3 // 4), "sketch"))
    row = np.concatenate(cells, 1)
    return np.pad(row, ((6, 0), (0, wide - row.shape[1]), (0, 0)), constant_values=20)


def skies() -> np.ndarray:
    """Skies at study quality, two beside one another."""
    setting = load_setting(saltmere())
    stage, tiles = Stage(setting), []
    for hour, eye, aim, focal, ev, low, high in SKIES:
        clock = Clock(start=dt.datetime.fromisoformat(f"2026-06-05T{hour}"))
        air = Air(fog_visibility=25_000, fog_height=80, low=LowClouds(**low), high=HighClouds(**high))
        shot = setting.place.shot("boardwalk").model_copy(update={"clock": clock, "air": air})
        changed = replace(setting, place=setting.place.model_copy(update={"shots": [shot]}), told=None, memory=Memory())
        stage.change(changed)
        position = np.array(eye, float)
        camera = Camera(position, look_at(position, np.array(aim, float)), focal, 8.0, 50.0, ev, kelvin=5600)
        picture = picture_at(stage, shot, 2.0, TILE, QUALITIES["study"], camera)
        assert picture is not None
        print(f"sky at {hour}: {sum(picture.seconds.values()):.0f} s", flush=True)
        tiles.append(picture.pixels)
    return np.concatenate([np.concatenate(tiles[k : k + 2], 1) for k in range(0, len(tiles), 2)])


def main() -> None:
    asked = sys.argv[1:] or [*SHEETS, "skies", "air-sheet"]
    if "skies" in asked:
        write_png(OUT / "skies.png", skies())
    if "air-sheet" in asked:
        write_png(OUT / "air-sheet.png", airs())
    for name, wanted in SHEETS.items():
        if name in asked:
            write_png(OUT / f"{name}.png", tiled(wanted))


if __name__ == "__main__":
    main()
