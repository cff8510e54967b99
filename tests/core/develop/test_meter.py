"""The light meter: what it asks for, how its keys follow, and what it refuses."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.develop.meter import DARKEST, GREY, METERS, as_keys, clipped, exposure_edit, followed, metered, tones
from lumwick.develop.view import develop
from lumwick.errors import RenderError
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, exposure_scale
from lumwick.metering import Reading, at_hour, metered_edit, read_along, through_the_day, whole_day
from lumwick.motion.channel import Channel
from lumwick.place.edits import apply, command
from lumwick.place.files import asset_of, load, pack
from lumwick.place.filming import Clock
from lumwick.place.instant import place_clock
from lumwick.place.nature import Land, Sea
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.stage import Stage
from tests.conftest import small_place

BARE = {"growth": [], "sea": Sea(present=False)}


def even(level: float) -> np.ndarray:
    return np.full((18, 32, 3), level)


@pytest.mark.parametrize("meter", [name for name in METERS if name != "highlights"])
def test_an_even_picture_comes_out_middle_grey(meter: str) -> None:
    for level in (0.02, 30.0, 9000.0):
        ev = metered(even(level), meter)
        assert level * exposure_scale(ev) == pytest.approx(GREY, rel=1e-6)
        camera = Camera(np.zeros(3), np.array([0.0, 1.0, 0.0]), ev100=ev)
        pixels = develop(even(level).astype(np.float32), camera)
        assert 90 < pixels.mean() < 130  # middle grey as it is shown


def test_each_meter_looks_where_it_says() -> None:
    light = even(10.0)
    light[6:12, 12:20] = 1000.0
    assert metered(light, "centre") > metered(light, "average") + 1
    assert metered(light, "spot", (0.5, 0.5)) == pytest.approx(metered(even(1000.0)), abs=0.01)
    assert metered(light, "spot", (0.02, 0.02)) == pytest.approx(metered(even(10.0)), abs=0.01)
    highest = metered(light, "highlights")
    assert 1000.0 * exposure_scale(highest) == pytest.approx(GREY * 2**2.4, rel=0.01)


def test_without_light_there_is_nothing_to_meter() -> None:
    with pytest.raises(RenderError, match="no light at all"):
        metered(even(0.0))
    with pytest.raises(RenderError, match="choose one of average, centre, highlights, spot"):
        metered(even(1.0), "eyeball")


def test_what_stays_of_a_sunset_is_said() -> None:
    t = np.linspace(0, 10, 41)
    read = 13.0 - 9.0 / (1 + np.exp(-(t - 5)))
    assert followed(t, read, 0.0, 0.0) == pytest.approx(read)
    half = followed(t, read, 0.3, 0.0)
    dark = half - read  # stops by which the picture is darker than as metered
    assert dark[0] == pytest.approx(0, abs=0.05)
    assert (np.diff(dark) > 0).all()
    assert dark[-1] == pytest.approx(DARKEST * (1 - np.exp(-0.3 * (read[0] - read[-1]) / DARKEST)), rel=0.01)
    assert (followed(t, read, 1.0, 0.0) - read).max() < DARKEST  # it never ends black


def test_a_clip_that_closes_has_an_exposure_that_closes() -> None:
    t = np.linspace(0, 8, 33)
    read = 10 + 4 * np.cos(2 * np.pi * t / 8)
    told = followed(t, read, 0.2, 0.6, 8.0)
    assert told[0] == pytest.approx(told[-1])
    step = np.diff(told)
    assert abs(step[0] - step[-1]) < 0.35  # nor does its slope jump


def test_a_few_keys_say_what_was_read() -> None:
    t = np.linspace(0, 10, 101)
    read = 12 - 6 / (1 + np.exp(-2 * (t - 6)))
    keys = as_keys(t, read)
    assert 3 < len(keys) < 20
    assert np.interp(t, *np.array(keys).T) == pytest.approx(read, abs=0.061)
    assert len(as_keys(t, np.full(101, 9.0))) == 1


def test_keys_are_set_on_the_shot() -> None:
    place = small_place(**BARE)
    reading = Reading(np.array([0.0, 0.5, 1.0]), np.array([14.0, 12.0, 8.0]))
    after, _ = apply(place, command(metered_edit(place.shots[0], reading, 0.0, 0.0)))
    told = after.shots[0].exposure.ev100
    assert isinstance(told, Channel)
    assert [key.v for key in told.keys] == [14.0, 12.0, 8.0]
    still, _ = apply(place, command(exposure_edit("a", "A", [(0.0, 11.25)])))
    assert still.shots[0].exposure.ev100 == 11.25


def test_a_shot_across_sunset_is_followed_down(marsh: Ground) -> None:
    place = small_place(**BARE)
    shot = place.shots[0].model_copy(update={"clock": Clock(start="2026-06-05T20:30", speed=7200.0)})
    stage = Stage(Setting(place.model_copy(update={"shots": [shot]}), marsh))
    read = read_along(stage, stage.setting.place.shots[0], count=4)
    assert read.times.tolist() == pytest.approx([0, 1 / 3, 2 / 3, 1])
    assert (np.diff(read.ev) < -1).all()
    with pytest.raises(RenderError, match="2 to 400 moments"):
        read_along(stage, shot, count=1)


def test_looks_through_the_day_are_none_of_them_black(marsh: Ground) -> None:
    place = small_place(**BARE)
    stage = Stage(Setting(place, marsh))
    told = list(through_the_day(stage, place.shots[0], 0.0, np.array([1.0, 12.0, 21.0]), (32, 18)))
    assert [hour for hour, _, _ in told] == [1.0, 12.0, 21.0]
    ev = [ev for _, _, ev in told]
    assert ev[1] > ev[2] + 2 > ev[0] + 3
    assert all(40 < picture.mean() < 190 for _, picture, _ in told)
    assert place_clock(at_hour(place.shots[0], 21.0), 0.5).hour == 21


def test_a_day_and_a_night_in_ten_seconds_come_round(marsh: Ground) -> None:
    place = small_place(**BARE)
    after, text = apply(place, command(whole_day(place.shots[0], 10.0)))
    shot = after.shots[0]
    assert "a day and a night" in text
    assert (shot.frames, shot.loop, shot.clock.speed) == (240, True, 8640.0)
    assert place_clock(shot, 0.0).hour == 12
    gaps = {gap.title: gap for gap in seam_gaps(Setting(after, marsh), shot)}
    assert gaps["The sun"].closes if "The sun" in gaps else True


def test_tones_and_what_is_cut_off() -> None:
    picture = np.full((10, 10, 3), 120, np.uint8)
    picture[0], picture[1, :5] = 255, 0
    told = tones(picture)
    assert told.white == pytest.approx(0.1)
    assert told.black == pytest.approx(0.05)
    assert told.shares.sum(1) == pytest.approx(np.ones(4))
    white, black = clipped(picture)
    assert white.sum() == 10
    assert black.sum() == 5


def test_the_command_line_meters_a_shot(tmp_path: Path, marsh: Ground) -> None:
    data, file, out = write_elevation(marsh), tmp_path / "small.lumwick", tmp_path / "keyed.lumwick"
    asset = asset_of("ground.tif", data)
    place = small_place(**BARE, land=Land(elevation=asset))
    file.write_bytes(pack(place, {asset.sha256: data}))
    asked = ["meter", str(file), "--shot", "a", "--readings", "3", "--stays", "0.2", "--out", str(out)]
    said = CliRunner().invoke(app, asked)
    assert said.exit_code == 0, said.output
    told = json.loads(said.stdout)
    assert len(told["read"]) == 3
    assert told["keys"]
    assert load(out)[0].shots[0].exposure.ev100 != place.shots[0].exposure.ev100
    bad = CliRunner().invoke(app, ["meter", str(file), "--shot", "a", "--at", "left"])
    assert "written like 0.5,0.4" in str(bad.exception or bad.output)


@pytest.mark.parametrize("meter", ["centre", "spot"])
def test_what_a_meter_sees_is_round_in_the_picture(meter: str) -> None:
    """A light so many pixels beside the middle counts as much as one as many above it, and where its weight ends."""
    beside, above = even(10.0), even(10.0)
    beside[8:10, 20:22] = above[13:15, 15:17] = 4000.0  # 5 pixels from the middle of 32 x 18
    assert metered(beside, meter) == pytest.approx(metered(above, meter), abs=0.02)


def test_a_spot_is_as_wide_as_it_says_both_ways() -> None:
    """Its radius is 0.035 of the picture's width: 11.2 of 320 pixels."""
    for away, seen in ((8, True), (16, False)):
        for row, column in ((90, 160 + away), (90 + away, 160)):
            lit = np.full((180, 320, 3), 10.0)
            lit[row, column] = 1e6
            assert (metered(lit, "spot") > metered(even(10.0), "spot") + 1) is seen, (row, column)
