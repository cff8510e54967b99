"""Inside of rooms: who is in one, and that no day falls on its air."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

import numpy as np
import pytest

from lumwick.air.bands import LUMA
from lumwick.demo_yard import yard
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, look_at
from lumwick.picture import load_setting
from lumwick.place.files import pack, unpack
from lumwick.place.filming import Clock
from lumwick.place.objects import Built, Lamp, Shape, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.ride import check
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.film import blank
from lumwick.trace.quality import Limit
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place

FLAT = Ground(np.full((65, 65), 10.0, np.float32), 2.0, -64.0, -64.0)
ROOM = Thing(id="room", name="Room", shape=Shape(kind="room", width=6, depth=4, height=3), up=10.1, turn=30)
LAMP = Lamp(id="lamp", name="Lamp", up=12.5, amount=400)


def seen(things: list, lamps: list, hour: int, built: tuple = (), eye: tuple = (0.0, -1.0, 11.5)) -> tuple:
    shot = small_place().shots[0]
    shot = shot.model_copy(update={"clock": Clock(start=dt.datetime(2026, 6, 5, hour, 0))})
    place = small_place(things=things, lamps=lamps, growth=[], built=list(built), shots=[shot])
    camera = Camera(np.array(eye), look_at(np.array(eye), np.array([0.0, 1.6, 11.4])), 28, 8, 5, 8)
    setting = Setting(place, FLAT)
    return setting, evaluate(setting, shot, 0.0, camera)


@pytest.mark.parametrize(
    ("thing", "eye", "inside"),
    [
        (ROOM, (0, 0, 11.5), True),
        (ROOM, (2.9, 0.8, 11.5), False),  # in it, were it not turned
        (ROOM, (2.4, -1.6, 11.5), True),
        (ROOM, (0, 0, 14.0), False),
        (ROOM.model_copy(update={"shape": ROOM.shape.model_copy(update={"roofed": False})}), (0, 0, 11.5), False),
    ],
)
def test_who_is_in_a_room(thing: Thing, eye: tuple, inside: bool) -> None:
    assert seen([thing], [], 12, eye=eye)[1].indoors() is inside


def test_who_is_in_a_hide() -> None:
    hide = Built(id="hide", name="Hide", kind="hide", line=[(5.0, 5.0)], width=4, deck=10.0, turn=90)
    assert seen([], [], 12, (hide,), (5.0, 6.5, 11.5))[1].indoors()
    assert not seen([], [], 12, (hide,), (7.0, 5.0, 11.5))[1].indoors()


def light(things: list, lamps: list, hour: int) -> float:
    setting, snap = seen(things, lamps, hour)
    stage, film = Stage(setting), blank(32, 18)
    stage.set(replace(snap, weather=replace(snap.weather, haze=0.4, fog_extinction=0.002)))
    expose(stage, film, 64, Limit(2))
    return float((film.radiance @ LUMA).mean())


def test_no_day_falls_on_the_air_of_a_closed_room() -> None:
    assert light([ROOM], [], 12) == 0.0
    assert light([], [], 12) > 100
    # and a lamp lights it by day as it does by night
    assert light([ROOM], [LAMP], 12) == pytest.approx(light([ROOM], [LAMP], 0), rel=0.03)


def test_yard_survives_its_file_rides_well_and_closes_its_loops() -> None:
    place, assets = yard()
    again, more = unpack(pack(place, assets))
    assert again == place and more == assets
    setting = load_setting((place, assets))
    for shot in place.shots:
        wrong = {f["kind"] for f in check(setting, shot)["found"]}
        # the shots stand alone, they are no film; one is meant to be under water, where the check sees no focus
        meant = {"under water", "focus"} if shot.id == "under" else set()
        assert wrong <= {"exposure jump"} | meant, shot.name
        if shot.loop:
            assert all(g.closes for g in seam_gaps(setting, shot)), shot.name
