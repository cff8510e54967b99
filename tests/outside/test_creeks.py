"""The tide's current in creeks against continuity: what fills further in has passed through each section (the tidal
prism, any coastal engineering handbook), and an equation of its own solved by hand for a straight channel."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pytest
from numpy.typing import NDArray

from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.motion.channel import Channel, Key
from lumwick.motion.tide import tide_height, tide_rises
from lumwick.place.document import Place, Shot
from lumwick.place.filming import Clock, Route, Station
from lumwick.place.nature import Sea, Wind
from lumwick.snapshot.creeks import current_of
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.water_report import sea_in_words
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from lumwick.water.cells import EAST
from lumwick.water.current import filling
from tests.conftest import small_place

Floats = NDArray[np.float64]


def channel(deep: Floats, wide: int = 3) -> tuple[Floats, NDArray[np.bool_]]:
    """A straight channel that runs east from the open sea in its first column, as deep as is said along it."""
    depth = np.full((wide + 2, len(deep) + 1), -1.0)
    depth[1:-1, :-1] = deep
    sea = np.zeros(depth.shape, bool)
    sea[:, 0] = True
    return depth, sea


@pytest.mark.parametrize("deep", [np.full(101, 2.0), np.linspace(3.0, 0.5, 101)])
def test_a_straight_channel_runs_as_what_lies_further_in_must_fill(deep: Floats) -> None:
    depth, sea = channel(deep)
    velocity = filling(depth, sea, 4.0)
    further_in = (100 - np.arange(1, 101) + 0.5) * 4.0  # from the middle of each cell to the head
    assert velocity[2, 1:101, 0] == pytest.approx(further_in / deep[1:], rel=1e-9)
    assert np.abs(velocity[..., 1]).max() < 1e-9
    assert not velocity[depth <= 0].any()


def test_through_any_section_goes_the_area_beyond_it() -> None:
    # two arms and a broad flat at the end of one: through each arm goes its own area
    depth = np.full((60, 80), -1.0)
    depth[28:32, :40] = 2.0
    depth[10:50, 38:42] = 1.5
    depth[10:14, 42:76] = 1.0
    depth[40:58, 42:78] = 0.3
    sea = np.zeros(depth.shape, bool)
    sea[:, 0] = True
    velocity = filling(depth, sea, 2.0)

    def through(column: int, rows: slice) -> float:
        return float((velocity[rows, column, 0] * depth[rows, column]).sum() * 2.0)

    wet = depth > 0
    for column, rows in ((20, slice(28, 32)), (60, slice(10, 14)), (50, slice(40, 58))):
        beyond = wet[rows, column + 1 :].sum() if column > 40 else wet[:, column + 1 :].sum()
        half = wet[rows, column].sum() / 2  # of the section's own cells
        assert through(column, rows) == pytest.approx((beyond + half) * 4.0, rel=1e-9)


def test_water_that_no_sea_reaches_stands_still() -> None:
    depth, sea = channel(np.full(50, 1.0))
    depth[:, 20] = -1.0
    velocity = filling(depth, sea, 1.0)
    assert velocity[2, 10, 0] > 1 and not velocity[:, 21:].any()
    assert not filling(depth, np.zeros_like(sea), 1.0).any()


def test_the_tide_rises_as_its_height_changes() -> None:
    for hours in (3.0, 9.5, 14.4):
        step = 1e-4
        slope = (tide_height(hours + step, 12.0, 3.0) - tide_height(hours - step, 12.0, 3.0)) / (2 * step * 3600)
        assert tide_rises(hours, 12.0, 3.0) == pytest.approx(slope, rel=1e-6)
    assert tide_rises(12.0, 12.0, 3.0) == pytest.approx(0.0, abs=1e-12)


def creek() -> Ground:
    """A creek 12 m wide that runs in from the west, and a flat that it fills."""
    heights = np.full((141, 281), 3.0)
    heights[64:77, :] = -2.0
    heights[20:121, 160:270] = -0.6
    heights[64:77, 160:220] = -2.0
    heights[:, 270:] = 3.0
    return Ground(heights.astype(np.float32), 2.0, -280.0, -140.0)


def place(hour: float, **sea: object) -> Place:
    route = Route(stations=[Station(id="s", east=0.0, north=0.0, up=9.0)])
    clock = Clock(start=dt.datetime(2026, 6, 21) + dt.timedelta(hours=hour), speed=0)
    told = {"level": 0.0, "tide_range": 3.0, "tide_high": 12.0, "wind_speed": 0.0, "fetch_km": 1.0, **sea}
    shot = Shot(id="a", name="A", frames=48, clock=clock, route=route)
    return small_place(sea=Sea(**told), growth=[], shots=[shot], wind=Wind(speed=0))


def at_the_mouth(hour: float, **sea: object) -> float:
    """Speed eastwards, up the creek, near its mouth [m/s]."""
    setting = Setting(place(hour, **sea), creek())
    current = current_of(setting.ground, evaluate(setting, setting.place.shots[0], 0.0).place.sea)
    if current is None:
        return 0.0
    i, j = round((0.0 - current.south) / 2.0), round((-200.0 - current.west) / 2.0)
    return float(current.velocity[i, j, 0])


def test_a_creek_runs_in_on_the_flood_and_out_on_the_ebb_and_stands_at_slack_water() -> None:
    flood, ebb = at_the_mouth(9.0), at_the_mouth(15.0)
    assert flood == pytest.approx(-ebb, rel=0.02) and flood > 0.15
    assert at_the_mouth(12.0) == 0.0
    # by hand: the area further in by how quickly it fills, through 13 cells of 2 m
    level, rises = tide_height(9.0, 12.0, 3.0), tide_rises(9.0, 12.0, 3.0)
    area = 4.0 * (13 * 120.5 + 101 * 110)  # from the section's middle: 120 and a half columns of creek, then the flat
    assert flood == pytest.approx(area * rises / (13 * 2.0 * (level + 2.0)), rel=0.03)
    assert at_the_mouth(9.0, tide_flow=2.0) == pytest.approx(2 * flood, rel=1e-3)
    assert at_the_mouth(9.0, tide_range=0.0) == 0.0


def test_a_tide_is_keyed_and_told() -> None:
    rising = Channel(keys=[Key(t=0, v=0.0, join="straight"), Key(t=2, v=4.0)])
    setting = Setting(place(9.0, tide_range=rising), creek())
    shot = setting.place.shots[0]
    levels = [evaluate(setting, shot, t).place.sea.surface for t in (0.0, 1.0, 2.0)]
    assert levels == pytest.approx([0.0, tide_height(9.0, 12.0, 2.0), tide_height(9.0, 12.0, 4.0)], abs=1e-3)
    (told,) = [line for line in sea_in_words(setting, shot, 1.0) if "creeks" in line]
    assert "rising, up to" in told
    later = Channel(keys=[Key(t=0, v=12.0, join="straight"), Key(t=2, v=6.0)])
    setting = Setting(place(9.0, tide_high=later), creek())
    assert any("falling" in line for line in sea_in_words(setting, shot, 2.0))


def test_what_lies_on_a_creek_goes_with_it() -> None:
    setting = Setting(place(9.0, tide_flow=3.0, water="green"), creek())
    shot, stage = setting.place.shots[0], Stage(setting)
    level = evaluate(setting, shot, 0.0).place.sea.surface
    down = Camera(np.array([-100.0, 0.0, level + 9.0]), direction_of(0.0, -89.9), 36.0)  # 9 m wide, north up

    def looked(t: float) -> Floats:
        stage.set(evaluate(setting, shot, t, down))
        film = blank(96, 64)
        expose(stage, film, 8)
        return np.asarray(film.radiance[..., 1], float)

    # within one of the sets of ripples
    first, second = looked(0.5), looked(0.7)
    waters = stage.world.waters
    body = waters.body[0]
    k = int((0.0 - body["south"]) / 2) * int(body["columns"]) + int((-100.0 - body["west"]) / 2)
    speed = float(waters.flow[int(body["first"]) + k, EAST])
    assert 0.5 < speed < 3.0
    a, b = (v - v.mean() for v in (first, second))
    shifts = np.arange(-40, 41)
    like = [float((a[:, 40 - s : 56 - s] * b[:, 40:56]).mean()) for s in shifts]
    moved = shifts[int(np.argmax(like))] * 9.0 / 96
    assert moved == pytest.approx(0.2 * speed, abs=0.15)
