"""Throws: flights, bounces and rolls as ordinary keys."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.motion.throwing import GRAVITY, Throw, flights, thrown
from lumwick.place.edits import apply, command
from lumwick.place.files import load
from lumwick.place.objects import Shape, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.thrown import throw_edit
from tests.conftest import small_place
from tests.core.deliver.test_cli_films import written


def level(x, y, z):
    return np.full(len(x), 2.0)


def values(channel, times):
    return channel.table.at(np.asarray(times, float))[0]


def test_flight_is_the_parabola_at_every_instant() -> None:
    # range and time over level ground: v^2 sin 2a / g and 2 v sin a / g (any mechanics textbook)
    throw = Throw(speed=12, bearing=90, rise=40, bounce=0)
    first = flights(throw, np.array([0.0, 0.0, 2.0]), 1.0, level, 0.0)[0]
    a = np.radians(40)
    assert first.seconds == pytest.approx(2 * 12 * np.sin(a) / GRAVITY, rel=1e-6)
    assert first.end[0] == pytest.approx(144 * np.sin(2 * a) / GRAVITY, rel=1e-6)
    assert first.end[1:] == pytest.approx([0, 2], abs=1e-6)
    keyed = thrown(throw, np.array([0.0, 0.0, 2.0]), 1.0, level, 0.0)
    s = np.linspace(0, first.seconds, 40)
    assert values(keyed["up"], 1 + s) == pytest.approx(2 + 12 * np.sin(a) * s - GRAVITY / 2 * s * s, abs=1e-5)
    assert values(keyed["east"], 1 + s) == pytest.approx(12 * np.cos(a) * s, abs=1e-5)


def test_each_bounce_is_as_high_as_its_share_squared() -> None:
    made = flights(Throw(speed=0, bounce=0.6), np.array([0.0, 0.0, 5.0]), 0.0, level, 0.0)
    # let fall from 3 m: each height is e^2 of the one before, each bounce lasts e times the one before
    heights = [one.velocity[2] ** 2 / (2 * GRAVITY) for one in made[1:]]
    assert made[0].seconds == pytest.approx(np.sqrt(2 * 3 / GRAVITY), rel=1e-6)
    assert heights[0] == pytest.approx(3 * 0.36, rel=1e-6)
    assert np.divide(heights[1:], heights[:-1]) == pytest.approx(0.36, rel=1e-5)


def test_roll_comes_to_rest_by_its_drag() -> None:
    throw = Throw(speed=5, bearing=0, rise=0, bounce=0.5, drag=0.05)
    made = flights(throw, np.array([0.0, 0.0, 3.0]), 0.0, level, 0.0)
    roll = made[-1]
    v = 5 * 5 / 7
    assert roll.rolls and roll.velocity[1] == pytest.approx(v, rel=1e-9)
    assert np.linalg.norm(roll.end - roll.start) == pytest.approx(v * v / (2 * 0.05 * GRAVITY), rel=1e-9)
    keyed = thrown(throw, np.array([0.0, 0.0, 3.0]), 0.0, level, 0.0)
    s = np.linspace(0, roll.seconds, 20)
    gone = values(keyed["north"], roll.t + s) - roll.start[1]
    assert gone == pytest.approx(v * s - 0.05 * GRAVITY / 2 * s * s, abs=1e-4)


def test_slope_turns_a_bounce_by_its_normal() -> None:
    def slope(x, y, z):
        return -np.asarray(x)  # 45 degrees down to the east

    made = flights(Throw(speed=0, bounce=0.8), np.array([0.0, 0.0, 2.0]), 0.0, slope, 0.0)
    v = np.sqrt(2 * 2 * GRAVITY)
    # met upright: half of its speed goes along the slope and half off it
    along, off = v / np.sqrt(2) * 5 / 7, 0.8 * v / np.sqrt(2)
    assert made[1].velocity[[0, 2]] == pytest.approx([(along + off) / np.sqrt(2), (off - along) / np.sqrt(2)], rel=1e-4)


@pytest.mark.parametrize(
    ("throw", "start", "words"),
    [
        (Throw(speed=0), [0, 0, 2.0], "lies where it is"),
        (Throw(), [0, 0, 0.5], "under the ground"),
    ],
)
def test_what_cannot_be_thrown_says_so(throw, start, words) -> None:
    with pytest.raises(PlaceError, match=words):
        flights(throw, np.array(start, float), 0.0, level, 0.0)


def test_nothing_to_land_on_says_so() -> None:
    with pytest.raises(PlaceError, match="never comes down"):
        flights(Throw(), np.zeros(3), 0.0, lambda x, y, z: np.full(len(x), -np.inf), 0.0)


@pytest.fixture
def ground() -> Setting:
    flat = Ground(np.full((65, 65), 10.0, np.float32), 2.0, -64.0, -64.0)
    place = small_place().model_copy(
        update={
            "things": [
                Thing(id="ball", name="Ball", shape=Shape(kind="ball", width=0.6, depth=0.6, height=0.6), up=12.0),
                Thing(id="table", name="Table", shape=Shape(kind="box", width=3, depth=3, height=1), up=10, north=4),
            ],
            "built": [],
            "growth": [],
        }
    )
    return Setting(place, flat)


def test_thrown_ball_bounces_on_a_table_turns_as_it_goes_and_lies_on_the_ground(ground: Setting) -> None:
    shot = ground.place.shots[0].model_copy(update={"frames": 480})
    throw = Throw(speed=6, bearing=0, rise=10, bounce=0.5, drag=0.03)
    edit = throw_edit(ground, shot, "ball", throw, 0.5)
    place, label = apply(ground.place, command(edit))
    assert label == "threw Ball" and place.things[0].rolls
    after = Setting(place, ground.ground)

    def centre(t: float) -> np.ndarray:
        m = after.standing(shot, t).frames(after.standing(shot, t).place.things[0], np.array([t]))[0]
        return m[:3, :3] @ [0, 0, 0.3] + m[:3, 3], m[:3, :3]

    assert centre(0.0)[0] == pytest.approx([0, 0, 12.3], abs=1e-4)
    times = np.linspace(0.5, 15, 600)
    way = np.array([centre(t)[0] for t in times])
    over_table = np.abs(way[:, 1] - 4) < 1.4
    assert way[over_table, 2].min() == pytest.approx(11.3, abs=0.01)  # it lay its radius over the table's top
    assert way[-1, 2] == pytest.approx(10.3, abs=1e-3) and way[-1, 1] > 6  # and then on the ground behind it
    # it does not turn before it meets the table, and then by as much as it goes: distance over radius
    first = place.things[0].up.keys[1].t
    assert centre(first - 0.02)[1] == pytest.approx(np.eye(3), abs=1e-6)
    a, b = first + 0.05, first + 0.25
    turned = centre(b)[1] @ centre(a)[1].T
    angle = np.arccos((np.trace(turned) - 1) / 2)
    assert angle == pytest.approx((centre(b)[0][1] - centre(a)[0][1]) / 0.3, rel=2e-3)


def test_second_throw_keeps_what_went_before(ground: Setting) -> None:
    shot = ground.place.shots[0]
    place, _ = apply(ground.place, command(throw_edit(ground, shot, "ball", Throw(speed=1, bounce=0), 0.0)))
    again = throw_edit(Setting(place, ground.ground), shot, "ball", Throw(speed=2, bearing=90, bounce=0), 4.0)
    place2, _ = apply(place, command(again))
    early = np.linspace(0, 1.0, 9)
    assert values(place2.things[0].up, early) == pytest.approx(values(place.things[0].up, early), abs=1e-6)
    assert values(place2.things[0].east, [9.0])[0] > 0.5


def test_carried_or_gone_cannot_be_thrown(ground: Setting) -> None:
    shot = ground.place.shots[0]
    with pytest.raises(PlaceError, match="not there any more"):
        throw_edit(ground, shot, "nothing", Throw(), 0.0)
    ground.place.things[0].held = "table"
    with pytest.raises(PlaceError, match="carried"):
        throw_edit(ground, shot, "ball", Throw(), 0.0)


def test_command_throws_a_thing_of_a_file(tmp_path: Path, marsh: Ground, ground: Setting) -> None:
    path, out = written(tmp_path / "a.zip", ground.place, marsh), tmp_path / "b.zip"
    args = ["throw", str(path), "Ball", "--out", str(out), "--speed"]
    done = CliRunner().invoke(app, [*args, "5"])
    assert done.exit_code == 0 and "threw Ball" in done.stdout
    assert load(out)[0].things[0].rolls
    assert "cannot be thrown so" in str(CliRunner().invoke(app, [*args, "-5"]).exception)
