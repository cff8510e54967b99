"""North turned in the model; a film's fades frame by frame; heights, subjects and brought paths where they are said to
be; what a loop must do to close."""

from dataclasses import replace

import numpy as np
import pytest

from lumwick.air.sun import twilights
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Cut, Piece, Place, Shot
from lumwick.place.film import film_frames, parts_at
from lumwick.place.filming import Clock, Route, Station
from lumwick.place.nature import Air, Sea, Site, Wind
from lumwick.place.objects import Lamp, Thing
from lumwick.route.track import Track
from lumwick.snapshot.evaluate import Setting, camera_at, evaluate
from lumwick.snapshot.lay import as_track
from lumwick.snapshot.riding.sampled import ride
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.sections.daylight import SUN_STEP
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.snapshot.test_ride import FLAT, setting_of, shot_with, station

TURN = 40.0
SLOPE = Ground(np.broadcast_to(np.arange(129) * 0.5, (129, 129)).astype(np.float32).copy(), 2.0, -128.0, -128.0)
"""Rises by a quarter to the east."""


def placed(turn: float, **more: object) -> Setting:
    lamp = Lamp(id="l", name="L", kind="spot", bearing=70.0, pitch=-10.0, east=5, north=5, up=4)
    place = small_place(
        growth=[],
        site=Site(latitude=54.6, longitude=-3.5, utc_offset=1.0, north_turn=turn),
        wind=Wind(speed=6, from_bearing=250.0),
        sea=Sea(wind_from=200.0),
        lamps=[lamp],
        **more,
    )
    return Setting(place, FLAT)


def bearing(v: np.ndarray) -> float:
    return float(np.degrees(np.arctan2(v[0], v[1])) % 360)


def test_all_that_is_told_by_the_compass_turns_with_north() -> None:
    plain, turned = (placed(t) for t in (0.0, TURN))
    before, after = (evaluate(s, s.place.shots[0], 0.0) for s in (plain, turned))
    # bearings of the model are true ones and the turn: true north lies 40 degrees east of the model's
    assert bearing(after.sun_direction) == pytest.approx((bearing(before.sun_direction) + TURN) % 360, abs=1e-6)
    assert after.sun_direction[2] == pytest.approx(before.sun_direction[2])
    assert float(after.sun.azimuth) == pytest.approx(float(before.sun.azimuth))  # told from true north
    assert bearing(after.wind.toward) == pytest.approx((250 + 180 + TURN) % 360)
    for k, wave in enumerate(before.wind.wave):
        assert bearing(after.wind.wave[k]) == pytest.approx((bearing(wave) + TURN) % 360, abs=1e-6)
    assert before.sea is not None and after.sea is not None
    assert before.sea.toward == pytest.approx(20.0) and after.sea.toward == pytest.approx(20.0 + TURN)
    assert bearing(before.lamps[0].direction) == pytest.approx(70.0) and bearing(
        after.lamps[0].direction
    ) == pytest.approx(110.0)
    # a camera is the model's own
    assert np.array_equal(before.camera.forward, after.camera.forward)


def test_the_sky_on_the_stage_turns_with_the_sun() -> None:
    for turn in (0.0, TURN):
        setting = placed(turn)
        stage = Stage(setting)
        snapshot = evaluate(setting, setting.place.shots[0], 0.0)
        stage.set(snapshot)
        sun = stage.world.lights.sun[0]
        step = SUN_STEP  # the sky follows the sun in steps
        assert np.degrees(sun["azimuth"]) % 360 == pytest.approx((float(snapshot.sun.azimuth) + turn) % 360, abs=step)
        assert sun["direction"] == pytest.approx(snapshot.sun_direction, abs=np.radians(step))


@pytest.mark.parametrize("name", ["civil", "nautical", "astronomical"])
def test_twilights_end_at_their_depths(name: str) -> None:
    # -6, -12 and -18 degrees: the astronomical almanac's definitions; pvlib's SPA says where the sun is
    import datetime as dt

    import pandas as pd
    import pvlib

    depth = {"civil": -6.0, "nautical": -12.0, "astronomical": -18.0}[name]
    begins, ends = twilights(dt.date(2026, 3, 20), 40.0, 10.0, 1.0)[name]
    for when in (begins, ends):
        assert when is not None
        at = pd.DatetimeIndex([when - dt.timedelta(hours=1)], tz="UTC")
        assert pvlib.solarposition.spa_python(at, 40.0, 10.0).elevation.iloc[0] == pytest.approx(depth, abs=0.03)


def film_of(**cut: object) -> Place:
    still = Route(stations=[Station(id="s", east=0, north=0, up=5, aim=(0, 10, 5))])
    shots = [Shot(id=k, name=k, frames=12, route=still) for k in ("a", "b")]
    return small_place(shots=shots, cut=Cut(fps="24", **cut))


def light_of(place: Place) -> list[float]:
    return [sum(part.share for part in parts_at(place, n)) for n in range(1, film_frames(place) + 1)]


def test_a_film_fades_in_and_out_frame_by_frame() -> None:
    # fade in over 3: quarters, and whole from the fourth frame on; out over 2: thirds
    light = light_of(film_of(fade_in=3, fade_out=2))
    assert light[:5] == pytest.approx([1 / 4, 2 / 4, 3 / 4, 1, 1])
    assert light[-4:] == pytest.approx([1, 1, 2 / 3, 1 / 3])
    assert len(light) == 24 and light[4:-3] == pytest.approx([1.0] * 17)


def test_a_fade_between_pieces_goes_to_black_and_back() -> None:
    light = light_of(film_of(pieces=[Piece(id="p", shot="a", join="fade", over=4), Piece(id="q", shot="b")]))
    assert light[8:16] == pytest.approx([1, 1, 2 / 3, 1 / 3, 1 / 3, 2 / 3, 1, 1])


def test_a_dissolve_mixes_by_even_steps_and_keeps_the_light() -> None:
    place = film_of(pieces=[Piece(id="p", shot="a", join="dissolve", over=3), Piece(id="q", shot="b")])
    assert film_frames(place) == 21 and light_of(place) == pytest.approx([1.0] * 21)
    mixed = [{p.shot: (p.frame, p.share) for p in parts_at(place, n)} for n in (9, 10, 11, 12, 13)]
    assert mixed[0] == {"a": (9, 1.0)} and mixed[4] == {"b": (4, 1.0)}
    assert [m["b"][1] for m in mixed[1:4]] == pytest.approx([1 / 4, 2 / 4, 3 / 4])
    assert [(m["a"][0], m["b"][0]) for m in mixed[1:4]] == [(10, 1), (11, 2), (12, 3)]


def test_a_flight_at_a_height_over_ground_rises_with_it() -> None:
    stations = [station("a", -40, 0, float(SLOPE.height(np.array([-40.0]), np.zeros(1))[0]) + 5)]
    stations.append(station("b", 40, 0, float(SLOPE.height(np.array([40.0]), np.zeros(1))[0]) + 5))
    over, plain = (shot_with(*stations, way="fly", over_ground=on) for on in (True, False))
    bump = np.where(np.abs(np.arange(129) - 64) < 10, 6.0, 0.0).astype(np.float32)
    bumpy = Ground(SLOPE.heights + bump, 2.0, -128.0, -128.0)
    for shot, kept in ((over, True), (plain, False)):
        r = ride(setting_of(shot, bumpy), shot)
        height = r.position[:, 2] - bumpy.height(r.position[:, 0], r.position[:, 1])
        middle = height[100:140].mean()
        assert bool(abs(middle - 5.0) < 0.4) is kept, middle


@pytest.mark.parametrize("up", [0.0, 3.0])
def test_a_subject_is_aimed_at_over_its_foot(up: float) -> None:
    shot = shot_with(station("a", 0, -30, 14), aim="subject", spot=(0.0, 10.0, 11.0), subject_up=up, way="fixed")
    camera = camera_at(setting_of(shot), shot, 0.0)
    way = np.array([0.0, 10.0, 11.0 + up]) - camera.position
    assert camera.forward == pytest.approx(way / np.linalg.norm(way))


@pytest.mark.parametrize("before", [0.0, 1.5])
def test_a_brought_path_starts_so_long_before_the_clip(before: float) -> None:
    t = np.linspace(0, 10, 11)
    flat = np.zeros(11)
    track = Track(t, np.column_stack([2 * t, flat, flat + 12]), flat, flat, flat, flat + 35.0)
    base = as_track(shot_with(station("a", 0, 0)), small_place().land.elevation, track)
    shot = base.model_copy(update={"route": base.route.model_copy(update={"starts_before": before})})
    setting = replace(setting_of(shot), read=lambda _: track.csv())
    assert camera_at(setting, shot, 2.0).position[0] == pytest.approx(2 * (2.0 + before))


def test_a_ramp_gathers_speed_without_a_jump_in_its_acceleration() -> None:
    # 3 x^2 - 2 x^3 of the speed: its slope, the acceleration, is greatest in the ramp's middle, 1.5 v / s, and 0 at
    # its ends
    shot = shot_with(station("a", 0, -20), station("b", 0, 20), frames=240, eased_start=0.4)
    t = np.linspace(0, 10, 4001)
    along = setting_of(shot).camera_path(shot).along(t)
    speed = np.gradient(along, t)
    accel = np.gradient(speed, t)
    top, ramp = speed[-100:].mean(), 0.4 * 10
    assert top == pytest.approx(40 / (10 - ramp / 2), rel=1e-3)
    assert speed[int(ramp / 10 * 4000) // 2] == pytest.approx(top / 2, rel=0.01)
    assert accel.max() == pytest.approx(1.5 * top / ramp, rel=0.01)
    assert t[accel.argmax()] == pytest.approx(ramp / 2, abs=0.05)
    assert abs(accel[5]) < 0.02 * accel.max() and abs(accel[int(ramp / 10 * 4000)]) < 0.02 * accel.max()


# -- what a loop must do -----------------------------------------------------------------------------------


def gaps(place: Place, shot: Shot) -> dict[str, bool]:
    return {g.title or g.path: g.closes for g in seam_gaps(Setting(place, FLAT), shot)}


def looped(**more: object) -> Shot:
    still = Route(stations=[Station(id="s", east=0, north=0, up=15, aim=(0, 10, 15))], way="fixed")
    clock = Clock(start="2026-06-05T10:00", speed=0)
    base: dict = {"id": "a", "name": "A", "frames": 48, "clock": clock, "route": still}
    return Shot(**{**base, **more})


def bare(shot: Shot, **more: object) -> Place:
    return small_place(**{"growth": [], "sea": Sea(present=False), "shots": [shot], **more})


def test_a_still_place_closes() -> None:
    shot = looped()
    assert all(gaps(bare(shot), shot).values())


@pytest.mark.parametrize("declared", [True, False])
def test_sea_and_plants_close_in_a_declared_loop_alone(declared: bool) -> None:
    shot = looped(loop=declared)
    place = bare(shot, sea=Sea(), growth=small_place().growth)
    told = gaps(place, shot)
    assert told["The sea's waves"] is declared and told["Wind and plants"] is declared
    calm = bare(shot, growth=small_place().growth, wind=Wind(speed=0))
    assert "Wind and plants" not in gaps(calm, shot)


@pytest.mark.parametrize(("speed", "closes"), [(0.0, True), (600.0, False)])
def test_the_day_must_stand_still(speed: float, closes: bool) -> None:
    shot = looped(clock=Clock(start="2026-06-05T10:00", speed=speed))
    assert all(gaps(bare(shot), shot).values()) is closes


@pytest.mark.parametrize(
    ("keys", "closes"),
    [
        ([(0, 0.1), (1, 0.3), (2, 0.1)], True),  # comes back, at rest at both ends
        ([(0, 0.1), (2, 0.3)], False),  # jumps
    ],
)
def test_a_keyed_value_must_come_back(keys: list[tuple[float, float]], closes: bool) -> None:
    haze = Channel(keys=[Key(t=t, v=v, join="sine_both") for t, v in keys])
    shot = looped()
    assert all(gaps(bare(shot, air=Air(haze=haze)), shot).values()) is closes


def test_a_value_that_comes_back_at_another_speed_does_not_close() -> None:
    haze = Channel(keys=[Key(t=0, v=0.1, join="straight"), Key(t=0.4, v=0.3, join="straight"), Key(t=2, v=0.1)])
    shot = looped()
    found = next(g for g in seam_gaps(Setting(bare(shot, air=Air(haze=haze)), FLAT), shot) if g.path == "/air/haze")
    assert not found.closes and "speed changes" in found.text and "jumps" not in found.text


def test_a_full_turn_closes_though_its_number_does_not() -> None:
    turn = Channel(keys=[Key(t=0, v=0, join="straight"), Key(t=2, v=360, join="straight")], after="straight_on")
    lamp = Lamp(id="l", name="L", kind="spot", bearing=turn, east=5, north=5, up=4)
    shot = looped()
    assert all(gaps(bare(shot, lamps=[lamp]), shot).values())
    half = turn.model_copy(update={"keys": [Key(t=0, v=0, join="straight"), Key(t=2, v=180, join="straight")]})
    assert not all(gaps(bare(shot, lamps=[lamp.model_copy(update={"bearing": half})]), shot).values())


def test_the_camera_must_come_back_too() -> None:
    shot = looped(route=Route(stations=[station("a", 0, 0), station("b", 0, 20)]))
    assert not all(gaps(bare(shot), shot).values())
    orbit = Route(way="orbit", spot=(0.0, 20.0, 10.0), turns=1.0, stations=[station("a", 0, 0)])
    assert all(gaps(bare(looped(route=orbit)), looped(route=orbit)).values())


def test_things_stand_as_they_are_turned_by_the_compass() -> None:
    from lumwick.built.floors import placement

    asset = small_place().land.elevation
    thing = Thing(id="t", name="T", mesh=asset, east=3, north=4, up=5, turn=20.0)
    m = placement(thing, TURN)
    assert np.asarray(m)[:3, 3] == pytest.approx([3, 4, 5])
    north_of_it = np.asarray(m)[:3, :3] @ [0.0, 1.0, 0.0]
    assert bearing(north_of_it) == pytest.approx(20.0 + TURN)
