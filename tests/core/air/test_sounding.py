"""The air by its height as it is told: against the pictures that are made in it, and against the laws it goes by."""

import json
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.lens.camera import Camera, direction_of
from lumwick.place.nature import LowClouds, Wind
from lumwick.snapshot.evaluate import evaluate
from lumwick.sounding import sounding, wind_at
from lumwick.trace.stage import Stage
from tests.core.air.test_weather import ahead, setting, shown
from tests.outside.test_rendered import quad

LUMA = np.array([0.2126, 0.7152, 0.0722])


@pytest.mark.parametrize("air", [{}, {"low": LowClouds(oktas=8, closed=1, density=0.04)}, {"fog_visibility": 900}])
def test_the_sky_is_as_bright_as_a_picture_of_it(air: dict[str, object]) -> None:
    told = setting(air)
    stage, shot = Stage(told), told.place.shots[0]
    low = Camera(np.array([0.0, 0.0, 2.7]), direction_of(60.0, 3.0), 400.0, focus=1000.0)
    read = sounding(told, evaluate(told, shot, 0.0, low))
    overhead = Camera(np.array([0.0, 0.0, 2.7]), direction_of(0.0, 89.5), 12.0 if "low" in air else 60.0, focus=1000.0)
    assert read.ahead == pytest.approx(float(np.median(shown(stage, low, samples=16) @ LUMA)), rel=0.12)
    assert read.overhead == pytest.approx(float((shown(stage, overhead, samples=16) @ LUMA).mean()), rel=0.2)


def test_the_light_of_level_ground_is_what_a_white_card_sends_back() -> None:
    told = setting({})
    stage = Stage(told)
    white = np.array([[-9, -9, 3.0], [9, -9, 3.0], [9, 9, 3.0], [-9, 9, 3.0]], np.float32)
    stage.add_target("card", white, np.array([[0, 1, 2, 3]], np.uint32), (0.9, 0.9, 0.9))
    down = Camera(np.array([0.0, 0.0, 5.0]), direction_of(0.0, -89.9), 50.0, focus=1000.0)
    read = sounding(told, evaluate(told, told.place.shots[0], 0.0, down))
    card = float((shown(stage, down, samples=64)[12:20, 18:30] @ LUMA).mean())
    assert (read.by_sky + read.by_sun) * 0.9 / np.pi == pytest.approx(card, rel=0.05)


def test_sight_is_what_fog_and_rain_leave() -> None:
    def sight(**air: float) -> float:
        told = setting(air)
        return sounding(told, evaluate(told, told.place.shots[0], 0.0, ahead(2.0))).sight

    clear = sight()
    assert sight(fog_visibility=400.0, fog_base=2.0) == pytest.approx(1 / (1 / clear + 1 / 400), rel=0.02)
    assert sight(rain=10.0) == pytest.approx(1 / (1 / clear + 1 / 2720), rel=0.03)  # Atlas (1953)
    # the camera 20 m over the fog's foot, which thins to 1/e over its height
    for height in (5.0, 20.0, 60.0):
        left = (
            np.exp(-20.0 / height) / 400 - np.exp(-2.0 / 60.0) / 200_000
        )  # in place of the clear day's own trace of it
        assert sight(fog_visibility=400.0, fog_base=-18.0, fog_height=height) == pytest.approx(
            1 / (1 / clear + left), rel=0.02
        )


def test_wind_grows_with_height_as_the_log_law_says_and_goes_on_to_the_clouds() -> None:
    told = setting({}, wind=Wind(speed=6.0, roughness=0.03))
    seen = evaluate(told, told.place.shots[0], 0.0)
    assert wind_at(seen, 10.0) == pytest.approx(6.0)
    assert wind_at(seen, 2.0) == pytest.approx(6 * np.log(2 / 0.03) / np.log(10 / 0.03))
    speeds = [speed for _, speed in sounding(told, seen).wind]
    assert speeds == sorted(speeds) and speeds[-1] < 40
    assert wind_at(seen, 99.9) == pytest.approx(wind_at(seen, 100.1), rel=0.01)


def test_the_command_tells_it(tmp_path: Path) -> None:
    runner = CliRunner()
    place = tmp_path / "p.lumwick"
    assert runner.invoke(app, ["demo", "--out", str(place)]).exit_code == 0
    told = json.loads(runner.invoke(app, ["sounding", str(place), "--shot", "dawn"]).stdout)
    assert told["sight"] > 100 and told["overhead"] > 1 and len(told["wind"]) == 10


@pytest.mark.parametrize("height", [8.0, 25.0])
def test_a_picture_through_fog_keeps_what_its_height_leaves(height: float) -> None:
    """A black card far off over level ground, seen along a level way: what shows of its contrast to the sky beside it
    is exp(-k d exp(-z / H)), with fog of 300 m at its foot (Koschmieder)."""
    eye, away = 14.0, 120.0
    left = []
    for fog in (200_000.0, 300.0):
        told = setting({"haze": 0.02, "fog_visibility": fog, "fog_base": 1.0, "fog_height": height})
        stage = Stage(told)
        stage.add_target("black", *quad(-40, away, -10, 0, away, 60), (0.0, 0.0, 0.0))
        camera = Camera(np.array([0.0, 0.0, eye]), direction_of(0.0, 0.0), 100.0, focus=1000.0)
        picture = shown(stage, camera, samples=64) @ LUMA
        dark, bright = picture[14:18, 14:20].mean(), picture[14:18, 28:34].mean()
        left.append((bright - dark) / bright)
    expected = np.exp(-2.996 / 300 * away * np.exp(-(eye - 1.0) / height))
    assert left[1] / left[0] == pytest.approx(expected, rel=0.08)
