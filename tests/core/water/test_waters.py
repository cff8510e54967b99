"""All waters in pictures: what is seen, that it closes on a loop, and that it depends on the instant alone."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from numpy.typing import NDArray
from typer.testing import CliRunner

from lumwick import cli
from lumwick.air.bands import LUMA
from lumwick.deliver.whole import Range, gather
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of, look_at
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Place, Shot
from lumwick.place.edits import apply, command
from lumwick.place.files import pack
from lumwick.place.filming import Clock, Route, Station
from lumwick.place.nature import Air, DrawnBeach, Sea, Water, Wind
from lumwick.place.objects import Shape, Thing
from lumwick.snapshot.beaches import beach_of, drawn_frames, reach_and_back
from lumwick.snapshot.disturbances import level_at
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.footprint import footprints
from lumwick.snapshot.shores import water_over
from lumwick.snapshot.water_report import overlaps
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from lumwick.water.drawn import draw
from tests.conftest import small_place

Floats = NDArray[np.float64]
NOON = Clock(start=dt.datetime(2026, 6, 21, 13, 0), speed=0)


def land(level: float = 2.0, fall: float = 0.02) -> Ground:
    """Ground that falls gently to the north."""
    y = np.arange(81) * 1.0 - 40
    return Ground(np.repeat((level - fall * y)[:, None], 81, 1).astype(np.float32), 1.0, -40.0, -40.0)


def wet_place(**more: Any) -> Place:
    """A brook, a pond and puddles on land without a sea, in a shot that loops."""
    waters = [
        Water(id="brook", name="Brook", kind="stream", line=[(-15, -35), (-15, 35)], width=3, depth=0.3),
        Water(id="pond", name="Pond", kind="pond", line=[(0, -8), (20, -8), (20, 8), (0, 8)], depth=1.2, sheltered=0),
        Water(id="wet", name="Puddles", kind="puddles", line=[(0, 15), (20, 15), (20, 35), (0, 35)], filled=0.6),
    ]
    shot = Shot(id="a", name="A", frames=48, loop=True, clock=NOON)
    told = {"growth": [], "sea": Sea(present=False), "waters": waters, "shots": [shot], "wind": Wind(speed=4.0), **more}
    return small_place(**told)


def seen(
    setting: Setting, camera: Camera, t: float = 0.0, samples: int = 8, stage: Stage | None = None
) -> NDArray[np.float32]:
    """Light [cd/m2] of a small picture."""
    stage = stage or Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], t, camera))
    film = blank(48, 32)
    expose(stage, film, samples)
    return film.radiance


def above(x: float, y: float, height: float = 6.0) -> Camera:
    at = np.array([x, y - 0.5, 2.0 + height])
    return Camera(at, look_at(at, np.array([x, y, 2.0])), 35.0)


@pytest.mark.parametrize("spot", [(-15.0, 0.0), (10.0, 0.0), (10.0, 25.0)])
def test_each_water_is_seen_where_it_lies_and_not_after_it_is_taken_away(spot: tuple[float, float]) -> None:
    with_water = Setting(wet_place(), land())
    without = Setting(wet_place(waters=[]), land())
    a, b = seen(with_water, above(*spot)), seen(without, above(*spot))
    assert np.abs(a - b).mean() > 0.1 * b.mean()
    stage = Stage(with_water)
    stage.set(evaluate(with_water, with_water.place.shots[0], 0.0, above(*spot)))
    assert sum(name.startswith("water ") for name in stage.parts()) == 3


def test_every_water_closes_on_a_loop_and_moves_within_it() -> None:
    ball = Thing(
        id="ball",
        name="Ball",
        shape=Shape(kind="ball", width=0.5, depth=0.5, height=0.5),
        east=Channel(keys=[Key(t=0, v=4.0, join="straight"), Key(t=1, v=9.0, join="straight"), Key(t=2, v=4.0)]),
        north=0.0,
        up=1.6,
    )
    setting = Setting(wet_place(air=Air(rain=10), things=[ball]), land())
    stage = Stage(setting)
    for spot in ((-15.0, 0.0), (8.0, 1.5)):
        first = seen(setting, above(*spot, height=3.0), 0.0, 4, stage)
        middle = seen(setting, above(*spot, height=3.0), 0.7, 4, stage)
        last = seen(setting, above(*spot, height=3.0), 2.0, 4, stage)
        assert np.abs(middle - first).mean() > 20 * np.abs(last - first).mean() + 1e-6
        # an instant is the same whatever was made before it
        again = seen(setting, above(*spot, height=3.0), 0.7, 4, Stage(setting))
        assert np.array_equal(again, middle)


def test_the_window_seen_from_under_water_is_as_wide_as_snells() -> None:
    # 2 asin(1 / 1.333) = 97.2 degrees; a flat pond, looked up at from under it (Snell's law)
    deep = Water(id="p", name="Pool", kind="pond", line=[(-30, -30), (30, -30), (30, 30), (-30, 30)], depth=4.0)
    place = wet_place(waters=[deep.model_copy(update={"sheltered": 1.0, "water": "clear ocean"})])
    setting = Setting(place, land(fall=0.0))
    bed = setting.beds()[0].level
    up = Camera(np.array([0.0, 0.0, bed - 1.5]), direction_of(0.0, 90.0), 12.0)
    stage = Stage(setting)
    stage.set(evaluate(setting, place.shots[0], 0.0, up))
    film = blank(180, 120)
    expose(stage, film, 8)
    light = film.radiance @ LUMA
    row = light[60]
    dark = np.median(row[:10])
    bright = row > dark + 0.1 * (np.median(row[80:100]) - dark)  # near its rim light is mirrored, not let in
    half = np.tan(np.radians(97.2 / 2)) / (18.0 / 12.0) * 90  # pixels, by the lens of 12 mm on 36
    wide = bright.sum() / 2
    assert wide == pytest.approx(half, rel=0.04)
    assert row[5] < 0.3 * row[90]  # beyond it the dark water is mirrored


def test_the_waterline_lies_across_a_lens_at_the_surface() -> None:
    pool = Water(id="p", name="Pool", kind="pond", line=[(-30, -30), (30, -30), (30, 30), (-30, 30)], depth=3.0)
    setting = Setting(wet_place(waters=[pool.model_copy(update={"water": "green"})]), land(fall=0.0))
    bed = setting.beds()[0].level
    level = Camera(np.array([0.0, -20.0, bed + 0.02]), direction_of(0.0, 0.0), 20.0)
    light = seen(setting, level, samples=16)
    sky, water = light[:8].mean((0, 1)), light[-6:].mean((0, 1))
    assert sky @ LUMA > 2 * (water @ LUMA)
    assert water[1] > 1.3 * water[2]  # green


def test_things_are_wet_up_to_the_waters_line_and_dry_above() -> None:
    pole = Thing(
        id="pole", name="Pole", shape=Shape(kind="box", width=1.0, depth=1.0, height=3.0), east=10.0, north=0.0, up=0.6
    )
    setting = Setting(wet_place(things=[pole]), land(fall=0.0))
    level = setting.beds()[1].level
    stage = Stage(setting)

    def face(height: float, wetted: bool) -> float:
        """Light of a small patch of the pole's south face at a height over the water."""
        at = np.array([10.0, -6.0, level + height])
        stage.set(evaluate(setting, setting.place.shots[0], 0.0, Camera(at, direction_of(0.0, 0.0), 8000.0, 1e6)))
        if not wetted:
            stage.world.waters.tiles["wet_top"] = -1e9
        film = blank(24, 16)
        expose(stage, film, 64)
        return float((film.radiance @ LUMA).mean())

    assert face(0.01, True) < 0.75 * face(0.01, False)
    assert face(0.4, True) == pytest.approx(face(0.4, False), rel=1e-6)


def test_a_water_that_rises_is_met_where_it_stands_then() -> None:
    place = wet_place()
    place.waters[1].level = 0.3
    setting = Setting(place, land())
    low = Setting(wet_place(), land())
    ((number, at, _),) = level_at(setting.beds(), place.waters, 10.0, 0.0)
    ((_, before, _),) = level_at(low.beds(), low.place.waters, 10.0, 0.0)
    assert number == 2 and at == pytest.approx(before + 0.3)
    spot = np.array([[10.0, 0.0, 5.0]])
    risen = [float(water_over(s, s.place.shots[0], spot, np.zeros(1))[0]) for s in (low, setting)]
    assert risen[1] - risen[0] == pytest.approx(0.3)


def test_the_tide_is_told_exactly_over_a_sheet_that_is_laid_for_about_it() -> None:
    sea = Sea(wind_speed=0.0, tide_range=4.0, tide_high=12.0)
    shot = Shot(id="a", name="A", frames=240, clock=Clock(start=dt.datetime(2026, 6, 5, 14, 0), speed=60))
    place = small_place(growth=[], sea=sea, shots=[shot])
    stage = Stage(Setting(place, Ground(np.full((33, 33), -6.0, np.float32), 4.0, -64.0, -64.0)))
    for t in (0.0, 0.4, 3.1, 7.7):
        snap = evaluate(stage.setting, shot, t, above(0, 0))
        stage.set(snap)
        water = stage.sheet.near
        assert water is not None
        height = float(water.vertices[: len(water.rest), 2].mean())
        assert height == pytest.approx(snap.place.sea.surface, abs=2e-3)
        assert stage.world.waters.body[0]["level"] == snap.place.sea.surface


def test_a_footprint_knows_what_went_through_the_water_before() -> None:
    def setting(v: float) -> Setting:
        keys = [Key(t=0, v=v, join="straight"), Key(t=1, v=8.0, join="straight"), Key(t=2, v=9.0)]
        ball = Thing(
            id="ball",
            name="Ball",
            shape=Shape(kind="ball", width=0.5, depth=0.5, height=0.5),
            east=Channel(keys=keys),
            up=1.6,
        )
        shot = Shot(id="a", name="A", frames=48, clock=NOON)
        return Setting(wet_place(things=[ball], shots=[shot]), land())

    near, far = setting(6.0), setting(4.0)
    frame = [40]  # both balls go the same way from the first second on; the wakes of before are others
    assert footprints(near, near.place.shots[0], frame, 1) != footprints(far, far.place.shots[0], frame, 1)


def test_what_floats_by_its_weight_sinks_is_moored_or_drifts() -> None:
    sea = Sea(present=True, wind_speed=0.0)
    deep = Ground(np.full((33, 33), -6.0, np.float32), 4.0, -64.0, -64.0)
    box = Thing(id="b", name="B", shape=Shape(kind="box", width=1, depth=1, height=1), floats=True)

    def stands(t: float, loop: bool = False, **more: Any) -> Floats:
        shot = Shot(id="a", name="A", frames=240, loop=loop, clock=NOON)
        place = small_place(growth=[], sea=sea, things=[box.model_copy(update=more)], shots=[shot], wind=Wind(speed=5))
        return evaluate(Setting(place, deep), shot, t, above(0, 0)).stood["b"][0]

    assert stands(0.0, density=512.5)[2, 3] == pytest.approx(-0.5, abs=0.01)  # half under (Archimedes)
    assert stands(0.0, density=2600)[2, 3] == pytest.approx(-6.0, abs=0.01)  # on the bed
    drift = stands(8.0, density=400, mooring="adrift") - stands(0.0, density=400, mooring="adrift")
    assert np.hypot(drift[0, 3], drift[1, 3]) == pytest.approx(0.03 * 5 * 8, rel=0.02)
    moored = [stands(t, density=400, mooring="moored", slack=2.0)[:2, 3] for t in np.linspace(0, 10, 8)]
    assert max(np.hypot(*p) for p in moored) <= 2.0 and np.ptp(moored, axis=0).max() > 0.1
    assert stands(0.0, True, mooring="moored") == pytest.approx(stands(10.0, True, mooring="moored"), abs=1e-6)


def test_bad_waters_are_said_in_sentences() -> None:
    place = wet_place()
    more = place.waters[1].model_copy(update={"id": "other", "name": "Other"})
    told = overlaps(Setting(place.model_copy(update={"waters": [*place.waters, more]}), land()))
    assert told == ["Pond and Other overlap by 320 m²: the higher water is seen"]
    with pytest.raises(PlaceError, match=r"Tide|less than or equal|16"):
        apply(place, command({"op": "set", "path": "/sea/tide_range", "value": 17}))
    with pytest.raises(PlaceError):
        apply(place, command({"op": "add", "to": "waters", "item": {"id": "x", "name": "X", "kind": "lake"}}))
    up = place.waters[0].model_copy(update={"line": [(-15, 35), (-15, -35)]})
    steep = Setting(place.model_copy(update={"waters": [up]}), land(fall=0.1))
    assert "uphill" in steep.beds()[0].trouble
    seen(steep, above(-15, 0), samples=1)  # and the place can still be filmed


def test_waters_are_handed_on_with_the_place() -> None:
    view = Route(stations=[Station(id="s", east=-15, north=-10, up=5.0, aim=(-15, 5, 2))])
    shot = Shot(id="a", name="A", frames=4, clock=NOON, route=view)
    setting = Setting(wet_place(shots=[shot]), land())
    forms = {form.name: form for form in gather(setting, shot, Range(1, 1)).forms}
    assert {"water brook", "water pond"} <= set(forms) and forms["water brook"].kind == "water"


# -- command line ------------------------------------------------------------------------------------------------


def run(*args: Any) -> Any:
    return CliRunner().invoke(cli.app, [str(a) for a in args])


@pytest.fixture
def file(tmp_path: Path) -> Path:
    """A place file with waters and a drawn beach."""
    from lumwick.land.elevation import write_elevation
    from lumwick.place.files import asset_of

    data = write_elevation(land())
    beach = DrawnBeach(id="wash", name="Wash")
    keyed = reach_and_back(beach, 2.0)["value"]
    place = wet_place(beaches=[DrawnBeach.model_validate({**beach.model_dump(), "reach": keyed})])
    place.land.elevation = asset_of("g.tif", data)
    out = tmp_path / "wet.place.zip"
    out.write_bytes(pack(place, {place.land.elevation.sha256: data}))
    return out


def test_waters_are_told_on_the_command_line(file: Path) -> None:
    told = run("waters", file).output
    assert "Brook: 70 m, falling 1.4 m" in told and "l/s" in told and "Pond: 320 m²" in told


def test_a_drawn_beach_is_filmed_with_alpha_and_closes(file: Path, tmp_path: Path) -> None:
    assert run("beach", file, "--out", tmp_path / "a.mov", "--size", "96x54").exit_code == 0
    with av.open(str(tmp_path / "a.mov")) as film:
        frames = [frame.to_ndarray(format="rgba") for frame in film.decode(video=0)]
    assert len(frames) == 48 and frames[0].shape == (54, 96, 4)
    assert frames[0][2, 40, 3] < 8 and frames[0][-3, 40, 3] > 247
    assert run("beach", file, "--out", tmp_path / "frames", "--size", "96x54").exit_code == 0
    assert len(list((tmp_path / "frames").glob("*.png"))) == 48
    for wrong in (("--size", "9x9"), ("--size", "x"), ("--name", "none"), ("--shot", "none")):
        assert isinstance(run("beach", file, "--out", tmp_path / "b.mov", *wrong).exception, PlaceError)
    assert not (tmp_path / "b.mov").exists()
    assert isinstance(run("beach", file, "--out", tmp_path / "b.gif").exception, PlaceError)


def test_a_drawn_beach_runs_up_holds_and_leaves_wet_sand() -> None:
    beach = DrawnBeach(id="wash", name="Wash", uneven=0.0, lasts=1.5)
    keyed = reach_and_back(beach, 4.0)["value"]
    shot = Shot(id="a", name="A", frames=96, loop=True, clock=NOON)
    place = wet_place(
        shots=[shot],
        beaches=[
            DrawnBeach.model_validate({**beach.model_dump(), "reach": keyed}),
            beach.model_copy(update={"id": "still", "reach": 0.3}),
        ],
    )
    setting = Setting(place, land())

    def cover(t: float, name: str = "wash") -> float:
        return float((draw(beach_of(setting, shot, name, t), 64, 100)[..., 3] > 127).mean())

    assert cover(0.0, "still") == pytest.approx(0.3, abs=0.02)
    assert cover(1.5) == pytest.approx(0.7, abs=0.02)
    water = draw(beach_of(setting, shot, "wash", 2.9), 64, 100)
    blue = (np.abs(water[..., :3].astype(int) - (0x5C, 0x9E, 0xA8)).sum(-1) < 12).mean()
    assert cover(2.9) > blue + 0.1  # wet sand lies bare before it
    first, last = (draw(beach_of(setting, shot, "wash", t), 64, 100) for t in (0.0, 4.0))
    assert np.array_equal(first, last)
    assert len(list(drawn_frames(setting, shot, "wash", (16, 16)))) == 96
