"""Models that stand on the ground keep it clear of plants; what flies, floats, goes or only overhangs it does not."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import shapely

from lumwick.growth.plants import Plants
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea
from lumwick.place.objects import Copies, Shape, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.kept_clear import MARGIN, kept_clear
from lumwick.snapshot.planted import planted
from tests.conftest import small_place

GROUND = Ground(np.full((65, 65), 1.0, np.float32), 1.0, -32.0, -32.0)
TURF = Stand(id="turf", name="Turf", kind="grass", per_hectare=60_000, height=0.3, seed=1)


def setting(*things: Thing) -> Setting:
    return Setting(small_place(things=list(things), growth=[TURF], sea=Sea(present=False)), GROUND)


def box(name: str = "box", **more: Any) -> Thing:
    shape = more.pop("shape", Shape(kind="box", width=4, depth=2, height=1))
    return Thing(id=name, name=name.title(), shape=shape, **{"up": 1.0, **more})


def grown(of: Setting) -> Plants:
    (one,) = planted(of)
    return one.plants(of.ground.slope())


def test_nothing_grows_within_a_models_own_plan_and_a_margin() -> None:
    placed = setting(box(east=5.0, north=-3.0, turn=30.0))
    (shape,) = kept_clear(placed)
    a, b = 4 + 2 * MARGIN, 2 + 2 * MARGIN
    assert shape.area == pytest.approx(a * b, rel=0.04)  # corners are round
    assert shape.centroid.x == pytest.approx(5.0, abs=0.03) and shape.centroid.y == pytest.approx(-3.0, abs=0.03)
    inside = shapely.contains_xy(shape, *grown(placed).position[:, :2].T)
    bare = shapely.contains_xy(shape, *grown(setting()).position[:, :2].T)
    assert not inside.any() and bare.sum() > 20


def test_a_rooms_floor_is_bare_and_a_large_court_is_not() -> None:
    room = setting(box(shape=Shape(kind="room", width=5, depth=4, height=2.6)))
    (shape,) = kept_clear(room)
    # its walls of 20 cm stand outside it
    assert shape.contains(shapely.Point(0, 0)) and shape.area == pytest.approx(5.7 * 4.7, rel=0.05)
    walls = [
        box(f"w{k}", shape=Shape(kind="wall", width=16, height=2), east=8.0 * x, north=8.0 * y, turn=turn)
        for k, (x, y, turn) in enumerate(((0, 1, 0.0), (0, -1, 0.0), (1, 0, 90.0), (-1, 0, 90.0)))
    ]
    court = setting(*walls)
    assert len(kept_clear(court)) == 4
    assert shapely.contains_xy(shapely.box(-6, -6, 6, 6), *grown(court).position[:, :2].T).sum() > 200


@pytest.mark.parametrize(
    "more",
    [
        {"up": 2.5},  # hangs over it
        {"floats": True},
        {"rolls": True, "shape": Shape(kind="ball", width=1, depth=1, height=1)},
        {"east": Channel(keys=[Key(t=0, v=0.0), Key(t=1, v=4.0)])},
    ],
)
def test_what_does_not_stand_there_keeps_nothing_clear(more: dict[str, Any]) -> None:
    assert kept_clear(setting(box(**more))) == []


def test_what_moves_keeps_nothing_clear_at_any_instant_and_what_stands_is_found_once() -> None:
    ball = box("ball", east=Channel(keys=[Key(t=0, v=0.0), Key(t=1, v=4.0)]))
    turning = box("turning", north=9.0, turn=Channel(keys=[Key(t=0, v=0.0), Key(t=1, v=90.0)]))
    copies = box("copies", copies=Copies(laid="faces", on="ball", count=3))
    moving = setting(ball, turning, copies)
    both = setting(ball, box(east=-9.0))
    shot = moving.place.shots[0]
    for t in (0.0, 0.3, 0.9):
        assert kept_clear(moving.still(shot, t)) == []
        assert kept_clear(both.still(shot, t)) is kept_clear(both) and len(kept_clear(both)) == 1


def test_copies_each_keep_their_own_ground() -> None:
    row = setting(box(east=-20.0, copies=Copies(laid="row", count=4, step=10.0)))
    shapes = kept_clear(row)
    assert len(shapes) == 4 and len({round(one.centroid.x) + 100 * round(one.centroid.y) for one in shapes}) == 4
    assert kept_clear(row) is kept_clear(setting(box(east=-20.0, copies=Copies(laid="row", count=4, step=10.0))))
