"""``make stills``: pictures of the demo at fine quality, and its waters on one sheet in study quality, into
docs/screenshots/ (ONLY=name for one; one to four minutes each)."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from lumwick.deliver.stills import write_png
from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from lumwick.lens.camera import Camera, look_at
from lumwick.picture import load_setting, picture_at
from lumwick.place.filming import Clock
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
SIZE = (640, 360)
# name: hour, eye, aim, focal length [mm], exposure [EV], white [K], own air
STILLS = {
    "golden": ("19:40", (-22, -16, 3.0), (-52, 18, 2.2), 32, 13.2, 5600, None),
    "blue": ("22:35", (-34, 22, 3.4), (-58, 6, 2.2), 30, 2.6, 5600, None),
}
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
TILE = (480, 270)
DEMOS = {"reach": saltmere, "yard": yard, "down": down}


def still(stage: Stage, name: str, quality: str = "fine", size: tuple[int, int] = SIZE) -> np.ndarray:
    hour, eye, aim, focal, ev, kelvin, air = STILLS[name]
    start = dt.datetime.fromisoformat(f"2026-06-05T{hour}")
    shot = stage.setting.place.shot("boardwalk").model_copy(update={"clock": Clock(start=start), "air": air})
    position = np.array(eye, float)
    camera = Camera(position, look_at(position, np.array(aim, float)), focal, 8.0, 25.0, ev, kelvin=kelvin)
    picture = picture_at(stage, shot, 2.0, size, QUALITIES[quality], camera)
    assert picture is not None
    print(f"{name}: {sum(picture.seconds.values()):.0f} s {picture.film.note}", flush=True)
    return picture.pixels


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


def main() -> None:
    asked = sys.argv[1:] or [*STILLS, *SHEETS]
    for name, wanted in SHEETS.items():
        if name in asked:
            write_png(OUT / f"{name}.png", tiled(wanted))
    if not set(asked) & set(STILLS):
        return
    stage = Stage(load_setting(saltmere()))
    for name in asked:
        if name in STILLS:
            write_png(OUT / f"fine-{name}.png", still(stage, name))


if __name__ == "__main__":
    main()
