"""One plant of a stand by itself: the sheet, its silhouette, the command line; and stands that grow in a place."""

from __future__ import annotations

import datetime as dt
import io
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from PIL import Image
from typer.testing import CliRunner

from lumwick import cli
from lumwick.demo_meadow import down
from lumwick.disk_cache import digest
from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS, USUAL
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.picture import load_setting, picture_at
from lumwick.place.edits import apply, command
from lumwick.place.files import pack
from lumwick.place.growing import Front, Stand
from lumwick.place.nature import Sea, Wind
from lumwick.plant_sheet import Sheet, sheet, silhouettes, span_of, stand_at
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.memory import Memory
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage
from tests.conftest import small_place

FLAT = Ground(np.zeros((33, 33), np.float32), 4.0, -64.0, -64.0)
QUICK = Quality(2, 1, "fast")


def stand(kind: str = "birch", **more: Any) -> Stand:
    return Stand.model_validate({"id": "s", "name": "S", "kind": kind, "height": USUAL[kind][0], "seed": 2, **more})


def pictured(one: Stand, asked: Sheet) -> np.ndarray:
    setting, shot = sheet(one, asked)
    made = picture_at(Stage(setting), shot, 0.5, (80, 60), QUICK)
    assert made is not None
    return made.pixels.astype(float)


def test_a_sheet_shows_its_plant_its_season_and_somebody_for_scale() -> None:
    summer, winter, seedling, alone = (
        pictured(stand("oak"), Sheet(month=month, grown=grown, figure=figure))
        for month, grown, figure in ((7.0, 1.0, True), (1.3, 1.0, True), (7.0, 0.05, True), (7.0, 1.0, False))
    )
    green = [float((p[..., 1] - (p[..., 0] + p[..., 2]) / 2).mean()) for p in (summer, winter, seedling, alone)]
    # the paper is a little violet under the sky; leaves are green, bare twigs and a seedling are not
    assert green[0] > 1.5 and green[1] < 0 and green[2] < 0 and green[3] > 1.0
    assert all(40 < p.mean() < 220 and p.std() > 4 for p in (summer, winter, alone))


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_is_whole_in_its_sheet(kind: str) -> None:
    setting, shot = sheet(stand(kind), Sheet(turn=70.0))
    camera = evaluate(setting, shot, 0.0).camera
    high, wide = span_of(stand(kind))
    across, up = camera.axes()
    tan = camera.lens.tangent
    for top in (np.array([0, 0, 0.0]), np.array([0, 0, high]), across * wide / 2, -across * wide / 2):
        way = top - camera.position
        far = way @ camera.forward
        assert abs(way @ across) < far * tan and abs(way @ up) < far * tan * 3 / 4 + 0.02


def test_a_silhouette_is_black_on_white_and_closes() -> None:
    frames = list(silhouettes(stand("birch"), Sheet(wind=9.0, seconds=0.5), (64, 64)))
    assert len(frames) == 12 and all(f.shape == (64, 64) for f in frames)
    black = np.array([(f < 128).mean() for f in frames])
    assert (black > 0.03).all() and all((f == 255).mean() > 0.3 for f in frames)
    steps = [np.abs(a.astype(float) - b).mean() for a, b in zip(frames, [*frames[1:], frames[0]], strict=True)]
    assert min(steps) > 0 and steps[-1] < 2.5 * max(steps[:-1])  # the last goes on to the first
    with pytest.raises(PlaceError, match="no stand 'elm': this place has"):
        stand_at(small_place(), small_place().shots[0], "elm", 0.0)


def test_a_plant_on_the_command_line(tmp_path: Path) -> None:
    place, files = down()
    whole = tmp_path / "down.zip"
    whole.write_bytes(pack(place, files))

    def run(*args: object) -> Any:
        return CliRunner().invoke(cli.app, ["plant", str(whole), *(str(a) for a in args)])

    done = run("oak", "--out", tmp_path / "oak.png", "--month", 10.7, "--size", "64x48")
    assert done.exit_code == 0, done.output
    assert Image.open(tmp_path / "oak.png").size == (64, 48)
    small = ("--silhouette", "--seconds", 0.25, "--size", "48x48", "--out")
    assert run("oak", *small, tmp_path / "oak.zip").exit_code == 0
    with zipfile.ZipFile(tmp_path / "oak.zip") as z:
        assert len(z.namelist()) == 6 and Image.open(io.BytesIO(z.read("0001.png"))).mode == "L"
    assert run("oak", *small, tmp_path / "oak.mp4").exit_code == 0
    with av.open(str(tmp_path / "oak.mp4")) as film:
        assert film.streams.video[0].frames == 6
    for wrong in (
        ("elm", "--out", "x.png"),
        ("oak", "--out", "x.png", "--month", 20),
        ("oak", "--out", "x.png", "--size", "9"),
    ):
        assert isinstance(run(*wrong).exception, PlaceError)


def drawn_steps(stage: Stage) -> set[int]:
    return {step for s in stage.stands.stand_states for batch in s.batches for _, _, step, _ in batch.lods}


def test_a_stand_that_grows_is_set_out_once_and_the_same_alone_or_in_a_row() -> None:
    grown = Channel(keys=[Key(t=0, v=0.0), Key(t=1, v=1.0)])
    one = stand("birch", grown=grown, per_hectare=300, area=[(-20, 10), (20, 10), (20, 40), (-20, 40)])
    setting = Setting(small_place(growth=[one], sea=Sea(present=False), wind=Wind(speed=2.0)), FLAT)
    shot, stage = setting.place.shots[0], Stage(setting)
    seen = {}
    for t in (0.0, 0.5, 0.98):
        stage.set(evaluate(setting, shot, t))
        seen[t] = drawn_steps(stage)
    stand_state = stage.stands.stand_states[0]
    assert seen[0.0] == set() and seen[0.5] == {12} and seen[0.98] == {24}
    stage.set(evaluate(setting, shot, 0.5))
    assert stage.stands.stand_states[0] is stand_state  # no plant was set out anew
    alone = Stage(setting)
    alone.set(evaluate(setting, shot, 0.5))
    for a, b in zip(stand_state.batches, alone.stands.stand_states[0].batches, strict=True):
        for key, shape in b.shapes.items():
            assert np.array_equal(shape.vertices, a.shapes[key].vertices)


def drawn(stage: Stage) -> str:
    """A digest of all that is drawn of plants."""
    parts = {name: part for name, part in stage.parts().items() if name.startswith("stand ")}
    bent = [
        shape.vertices for one in stage.stands.stand_states for batch in one.batches for shape in batch.shapes.values()
    ]
    return digest(sorted(parts), [p.transforms for p in parts.values()], [p.material for p in parts.values()], bent)


def test_a_front_a_season_and_a_colour_change_what_is_drawn() -> None:
    reach = Channel(keys=[Key(t=0, v=0.0), Key(t=1, v=60.0)])
    front = Front(of="spots", points=[(0.0, 10.0)], reach=reach, soft=10.0)
    area = [(-30, 10), (30, 10), (30, 50), (-30, 50)]
    one = stand("birch", front=front, per_hectare=300, area=area, leaves="by the date", leaf_colour="")
    setting = Setting(small_place(growth=[one], sea=Sea(present=False)), FLAT)
    shot, stage = setting.place.shots[0], Stage(setting)
    counts = []
    for t in (0.0, 0.3, 0.9):
        stage.set(evaluate(setting, shot, t))
        counts.append(sum(len(which) for *_, which in stage.stands.stand_states[0].batches[0].lods))
    assert counts[0] < counts[1] < counts[2]
    leaf = {}
    for month in (6, 10):
        when = shot.model_copy(
            update={"clock": shot.clock.model_copy(update={"start": dt.datetime(2026, month, 20, 12)})}
        )
        dated = Setting(
            small_place(growth=[one], sea=Sea(present=False), shots=[type(shot).model_validate(when.model_dump())]),
            FLAT,
        )
        stage = Stage(dated)
        stage.set(evaluate(dated, dated.place.shots[0], 0.9))
        leaf[month] = (
            next(iter(stage.stands.stand_states[0].batches[0].shapes.values())).material["reflected"][1].copy()
        )
    assert leaf[10][0] > 1.5 * leaf[6][0]
    # an edit is seen at the instant that is shown: nothing but the stand has changed
    still = dated.place.shots[0]
    for path, value in (("leaf_colour", "#2040c0"), ("wild", 3.0), ("stiffness", 5.0), ("lean", 20.0), ("grown", 0.4)):
        before = drawn(stage)
        edited, _ = apply(stage.setting.place, command({"op": "set", "path": f"/growth/s/{path}", "value": value}))
        stage.change(replace(dated, place=edited, told=None, memory=Memory()))
        stage.set(evaluate(stage.setting, still, 0.9))
        assert drawn(stage) != before, path
    material = next(iter(stage.stands.stand_states[0].batches[0].shapes.values())).material
    assert material["reflected"][1][2] > 3 * material["reflected"][1][0]
    with pytest.raises(PlaceError, match="no colour"):
        apply(setting.place, command({"op": "set", "path": "/growth/s/leaf_colour", "value": "#12"}))


def test_the_third_demo_place_sets_out_all_its_stands() -> None:
    setting = load_setting(down())
    stage = Stage(setting)
    for shot in setting.place.shots:
        stage.set(evaluate(setting, shot, shot.seconds / 2))
    drawn = {s.stand.id: sum(len(batch.plants.turn) for batch in s.batches) for s in stage.stands.stand_states}
    assert all(drawn.values()), drawn


def test_one_side_of_a_crown_is_tinted_as_one_says() -> None:
    reds = []
    for bearing in (90.0, 270.0):
        p = pictured(stand("oak", side_colour="#c03010", side_faces=bearing), Sheet(figure=False))
        redness = p[..., 0] - p[..., 1]
        reds.append((float(redness[:, :40].mean()), float(redness[:, 40:].mean())))
    plain = pictured(stand("oak"), Sheet(figure=False))
    left, right = (float((plain[..., 0] - plain[..., 1])[:, some].mean()) for some in (slice(0, 40), slice(40, 80)))
    # seen from the south: east is to the right
    assert reds[0][1] > right + 4 and abs(reds[0][0] - left) < 0.5 * (reds[0][1] - right)
    assert reds[1][0] > left + 4 and abs(reds[1][1] - right) < 0.5 * (reds[1][0] - left)
    with pytest.raises(ValueError, match="is no colour"):
        stand("oak", side_colour="red")
