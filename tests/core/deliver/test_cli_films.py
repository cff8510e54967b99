"""The command line on places that differ: stills, films, the seam in pictures, two states compared."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from PIL import Image
from typer.testing import CliRunner

from lumwick import cli
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.picture import frame_picture
from lumwick.place.document import Cut, Piece, Place
from lumwick.place.files import asset_of, pack
from lumwick.snapshot.evaluate import Setting, camera_at
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
from tests.conftest import small_place


def run(*args: object) -> Any:
    return CliRunner().invoke(cli.app, [str(a) for a in args])


def written(path: Path, place: Place, ground: Ground) -> Path:
    data = write_elevation(ground)
    asset = asset_of("g.tif", data)
    whole = place.model_copy(update={"land": place.land.model_copy(update={"elevation": asset})})
    path.write_bytes(pack(whole, {asset.sha256: data}))
    return path


@pytest.fixture
def place_file(tmp_path: Path, marsh: Ground) -> Path:
    return written(tmp_path / "a.zip", small_place(), marsh)


def test_a_still_is_the_frame_and_a_panorama_is_twice_as_wide_as_high(
    place_file: Path, tmp_path: Path, marsh: Ground
) -> None:
    out = tmp_path / "still.png"
    made = run("still", place_file, "--shot", "a", "--frame", 3, "--size", "64x36", "--quality", "sketch", "--out", out)
    assert made.exit_code == 0, made.output
    setting = Setting(small_place(), marsh)
    frame = frame_picture(Stage(setting), setting.place.shots[0], 3, (64, 36), QUALITIES["sketch"])
    assert frame is not None and np.array_equal(np.asarray(Image.open(out)), frame.pixels)
    common = ("--shot", "a", "--size", "128x72", "--quality", "sketch", "--panorama", "--out")
    assert json.loads(run("still", place_file, *common, out).stdout)["height"] == 64
    one = np.asarray(Image.open(out))
    assert json.loads(run("still", place_file, *common, out, "--eyes", 0.065).stdout)["height"] == 128
    two = np.asarray(Image.open(out))
    assert one.shape == (64, 128, 3) and two.shape == (128, 128, 3) and not np.array_equal(two[:64], two[64:])
    wrong = run("still", place_file, "--shot", "a", "--frame", 99, "--out", out)
    assert wrong.exit_code == 1 and "a frame lies from 1 to" in str(wrong.exception)


def test_a_film_has_the_frames_of_its_cut(tmp_path: Path, marsh: Ground) -> None:
    place = small_place()
    pieces = [Piece(id="p1", shot="a", first=1, last=3), Piece(id="p2", shot="a", first=5, last=6)]
    file = written(tmp_path / "cut.zip", place.model_copy(update={"cut": Cut(pieces=pieces)}), marsh)
    out = tmp_path / "films" / "cut.mp4"
    made = run("film", file, "--size", "64x36", "--quality", "sketch", "--out", out)
    assert made.exit_code == 0, made.output
    assert json.loads(made.stdout) == {"film": str(out), "frames": 5, "of": 5}
    with av.open(str(out)) as film:
        frames = [f.to_ndarray(format="rgb24") for f in film.decode(video=0)]
    assert len(frames) == 5 and frames[0].shape == (36, 64, 3)
    some = run("film", file, "--size", "64x36", "--quality", "sketch", "--frames", "2-3", "--out", out)
    assert json.loads(some.stdout)["frames"] == 2
    past = run("film", file, "--frames", "4-9", "--out", out)
    assert past.exit_code == 1 and "the film ends at 5" in str(past.exception)


def test_the_seam_in_pictures_tells_a_clip_that_jumps_from_one_that_does_not(tmp_path: Path, marsh: Ground) -> None:
    steps = {}
    for name, last in (("jumps", 11.0), ("still", 14.0)):
        keys = (Key(t=0, v=14.0, join="straight"), Key(t=0.96, v=last, join="straight"))
        shot = small_place().shots[0]
        lit = shot.model_copy(
            update={"exposure": shot.exposure.model_copy(update={"ev100": Channel(keys=keys)}), "frames": 24}
        )
        file = written(tmp_path / f"{name}.zip", small_place(shots=[lit]), marsh)
        made = run("seam", file, "--shot", "a", "--pictures")
        assert made.exit_code in (0, 1), made.output
        steps[name] = json.loads(made.stdout)["pictures"]
    assert steps["jumps"]["seam"] > 4 * steps["jumps"]["usual"] and "the loop jumps" in steps["jumps"]["text"]
    assert steps["still"]["seam"] < 0.5 * steps["jumps"]["seam"]


def test_two_places_are_compared_line_by_line(place_file: Path, tmp_path: Path, marsh: Ground) -> None:
    assert run("compare", place_file, place_file).stdout == ""
    other = small_place(name="Another")
    changed = other.model_copy(update={"air": other.air.model_copy(update={"fog_visibility": 1234.0})})
    lines = run("compare", place_file, written(tmp_path / "b.zip", changed, marsh)).stdout.splitlines()
    assert len(lines) == 2
    assert any("Another" in line for line in lines) and any("1234 m" in line for line in lines)


def test_frames_come_with_their_cameras_and_a_manifest(place_file: Path, tmp_path: Path, marsh: Ground) -> None:
    out = tmp_path / "frames"
    small = ("--size", "48x27", "--quality", "sketch")
    made = run("render", place_file, "--shot", "a", "--frames", "5-6", *small, "--exr", "--out", out)
    assert made.exit_code == 0, made.output
    told = json.loads((out / "manifest.json").read_text())
    assert told["shot"]["id"] == "a" and told["size"] == [48, 27] and told["frames_a_second"]["numerator"] == 24
    assert [f["number"] for f in told["frames"]] == [5, 6] and told["frames"][1]["timecode"] == "00:00:00:05"
    every = {p.name for p in out.iterdir()}
    assert every == {*told["cameras"], "manifest.json", *(f["name"] for one in told["frames"] for f in one["files"])}
    # the camera that the manifest tells is the one that the cameras' file holds, and the place has
    setting, shot = Setting(small_place(), marsh), small_place().shots[0]
    for one in told["frames"]:
        camera = camera_at(setting, shot, one["seconds"])
        assert one["camera"]["position"] == pytest.approx(camera.position, abs=2e-3)
        wide = 2 * np.degrees(np.arctan(18 / camera.focal_mm))
        assert one["camera"]["angle_of_view"] == pytest.approx(wide, abs=1e-4)
    with (out / "cameras.csv").open() as table:
        rows = list(csv.reader(line for line in table if not line.startswith("#")))
    fifth = [float(v) for v in rows[5][1:4]]
    assert fifth == pytest.approx(told["frames"][0]["camera"]["position"], abs=1e-4)
