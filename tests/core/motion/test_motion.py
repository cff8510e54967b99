"""Channels and routes: what must hold for any keys and any stations."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline

from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key, at, evaluate
from lumwick.place.document import Shot
from lumwick.place.filming import Route, Station
from lumwick.place.objects import Built
from lumwick.route.camera_path import camera_path_of, station_from
from lumwick.route.line import centripetal
from lumwick.route.pacing import ramped
from lumwick.snapshot.evaluate import Setting, camera_at
from lumwick.snapshot.ride import check
from lumwick.snapshot.riding.sampled import ride
from tests.conftest import small_place

JOINS = (
    "step",
    "steps",
    "straight",
    *(f"{family}_{side}" for family in ("quad", "cubic", "sine") for side in ("in", "out", "both")),
    "smooth",
    "bezier",
)
BEYOND = ("hold", "straight_on", "cycle", "cycle_offset", "mirror")
times = st.lists(st.integers(-40, 400), min_size=2, max_size=8, unique=True)


@st.composite
def channels(draw: st.DrawFn) -> Channel:
    t = sorted(draw(times))
    handle = st.floats(0, 1)
    return Channel(
        keys=[
            Key(
                t=k / 10,
                v=draw(st.floats(-50, 50)),
                join=draw(st.sampled_from(JOINS)),
                bezier=(draw(handle), draw(st.floats(0, 1)), draw(handle), draw(st.floats(0, 1))),
            )
            for k in t
        ],
        before=draw(st.sampled_from(BEYOND)),
        after=draw(st.sampled_from(BEYOND)),
    )


@settings(max_examples=120, deadline=None)
@given(channels())
def test_a_channel_meets_its_keys_and_stays_between_neighbours(channel: Channel) -> None:
    kt = np.array([k.t for k in channel.keys])
    kv = np.array([k.v for k in channel.keys])
    assert evaluate(channel, kt) == pytest.approx(kv, abs=1e-6)
    for i in range(len(kt) - 1):
        inside = evaluate(channel, np.linspace(kt[i], kt[i + 1], 17)[:-1])
        low, high = min(kv[i], kv[i + 1]), max(kv[i], kv[i + 1])
        assert inside.min() >= low - 1e-6 and inside.max() <= high + 1e-6
        if channel.keys[i].join != "bezier":
            assert (np.diff(inside) * (kv[i + 1] - kv[i]) >= -1e-9).all()  # no easing turns back


@settings(max_examples=80, deadline=None)
@given(channels(), st.floats(0.01, 30))
def test_beyond_its_ends_a_channel_does_what_it_was_told(channel: Channel, away: float) -> None:
    first, last = channel.keys[0], channel.keys[-1]
    span = last.t - first.t
    before, after = at(channel, first.t - away), at(channel, last.t + away)
    if channel.before == "hold":
        assert before == pytest.approx(first.v, abs=1e-9)
    if channel.after == "hold":
        assert after == pytest.approx(last.v, abs=1e-9)
    held = (
        channel.model_copy(update={"before": "hold", "after": "hold"})
        if "smooth" not in {k.join for k in channel.keys}
        else channel
    )
    within = np.mod(last.t + away - first.t, span)
    if channel.after == "cycle":
        assert after == pytest.approx(at(held, first.t + within), abs=1e-4)
    if channel.after == "cycle_offset":
        rounds = np.floor((last.t + away - first.t) / span)
        assert after == pytest.approx(at(held, first.t + within) + rounds * (last.v - first.v), abs=1e-4)
    if channel.after == "mirror":
        rounds = int(np.floor((last.t + away - first.t) / span))
        assert after == pytest.approx(at(held, first.t + (within if rounds % 2 == 0 else span - within)), abs=1e-4)
    if channel.after == "straight_on":
        twice = at(channel, last.t + 2 * away)
        assert twice - after == pytest.approx(after - last.v, rel=1e-3, abs=1e-4)  # the same again


@settings(max_examples=60, deadline=None)
@given(channels())
def test_asking_for_one_time_is_asking_for_many(channel: Channel) -> None:
    t = np.linspace(-6, 45, 40)
    assert [at(channel, float(v)) for v in t] == pytest.approx(list(evaluate(channel, t)), abs=1e-9)


def test_handles_that_fold_back_in_time_are_held_in_time() -> None:
    key = Key(t=0, v=0, join="bezier", bezier=(1.8, 0.2, -0.7, 0.9))
    assert key.bezier == (1.0, 0.2, 0.0, 0.9)
    y = evaluate(Channel(keys=(key, Key(t=1, v=1))), np.linspace(0, 1, 101))
    assert (np.diff(y) > -1e-9).all() and y[0] == pytest.approx(0, abs=1e-9) and y[-1] == pytest.approx(1)


def shot_of(points: np.ndarray, **more: object) -> Shot:
    stations = [
        Station(id=f"s{i}", east=float(x), north=float(y), up=float(z), aim=(float(x), float(y) + 50, float(z)))
        for i, (x, y, z) in enumerate(points)
    ]
    return Shot(id="a", name="A", frames=240, route=Route(stations=stations, **more))


@pytest.mark.parametrize(
    ("curve", "length"),
    [
        # a parabola y = x^2 / 40 over 0 to 40: its arc length is (20 / 2) (u sqrt(1 + u^2) + asinh u) at u = 2,
        # twice the focal scale
        (
            lambda u: np.stack([40 * u, (40 * u) ** 2 / 40, np.full_like(u, 30.0)], 1),
            10 * (2 * np.sqrt(5) + np.arcsinh(2)),
        ),
        # one turn of a helix of radius 15 that rises 12: sqrt((2 pi 15)^2 + 12^2)
        (
            lambda u: np.stack([15 * np.cos(2 * np.pi * u), 15 * np.sin(2 * np.pi * u), 30 + 12 * u], 1),
            np.hypot(2 * np.pi * 15, 12),
        ),
    ],
)
def test_arc_length_of_curves_with_a_known_length(curve, length: float) -> None:
    route = shot_of(curve(np.linspace(0, 1, 40))).route
    made = camera_path_of(route, 10.0)
    assert made.length == pytest.approx(length, rel=2e-3)
    step = np.linalg.norm(np.diff(made.at(np.linspace(0, 10, 2001)).position, axis=0), axis=1)
    assert step.max() / step.min() < 1.001  # equal steps along the curve, not along its parameter


def test_the_way_is_scipys_spline_through_its_stations() -> None:
    points = np.array([[0, 0, 10], [20, 5, 12], [35, 30, 11], [20, 55, 14.0]])
    line = camera_path_of(shot_of(points).route, 10.0).legs[0].line
    gaps = np.sqrt(np.linalg.norm(np.diff(points, axis=0), axis=1))
    knots = np.concatenate([[0], np.cumsum(gaps)]) / gaps.sum()
    assert centripetal(points) == pytest.approx(knots)
    u = np.linspace(0, 1, 50)
    assert line.position(u) == pytest.approx(CubicSpline(knots, points, bc_type="natural")(u), abs=1e-9)
    # speed and its change are continuous at the stations
    for k in knots[1:-1]:
        around = line.position(np.array([k - 2e-4, k - 1e-4, k, k + 1e-4, k + 2e-4]))
        first = np.diff(around, axis=0) / 1e-4
        assert first[1] == pytest.approx(first[2], rel=0.02, abs=0.05)


@settings(max_examples=60, deadline=None)
@given(st.floats(0, 0.5), st.floats(0, 1))
def test_eased_ends_cover_the_way_once_and_start_from_rest(ease: float, x: float) -> None:
    s = ramped(np.array([0.0, x, 1.0]), 1.0, ease, ease)
    assert s[0] == 0 and s[2] == pytest.approx(1) and -1e-12 <= s[1] <= 1 + 1e-12
    grid = ramped(np.linspace(0, 1, 2001), 1.0, ease, ease)
    assert (np.diff(grid) >= -1e-12).all()
    if ease > 0.02:
        v = np.diff(grid) * 2000
        assert v[0] < 0.2 * v.max() and v[-1] < 0.2 * v.max()
        inner = v[int(2000 * ease) + 5 : -int(2000 * ease) - 5]
        if len(inner) > 20:
            assert np.ptp(inner) < 1e-6 * 2000  # constant speed between


def test_bearings_take_the_shorter_turn() -> None:
    stations = [
        Station(id="a", east=0, north=0, up=2, aim=(-5, 50, 2)),
        Station(id="b", east=10, north=0, up=2, aim=(15, 50, 2)),
    ]  # 354 and 6 degrees
    bearing = camera_path_of(Route(stations=stations), 4.0).at(np.linspace(0, 4, 21)).bearing
    assert np.ptp(bearing) == pytest.approx(2 * np.degrees(np.arctan(0.1)), abs=0.01)


def test_a_stored_view_looks_where_it_looked() -> None:
    for bearing, pitch in ((0.0, 0.0), (123.0, -20.0), (300.0, 35.0)):
        station = station_from("s1", [3.0, 4.0, 5.0], bearing, pitch, 35.0)
        pose = camera_path_of(Route(stations=[station]), 4.0).at(0.0)
        assert (pose.bearing[0] % 360, pose.pitch[0], pose.focal[0]) == (
            pytest.approx(bearing, abs=0.02),
            pytest.approx(pitch, abs=0.02),
            35.0,
        )


@pytest.fixture
def slope() -> Setting:
    """Ground that rises to the east by one in ten, with a boardwalk across it."""
    x = np.arange(129) * 2.0 - 128
    heights = np.broadcast_to((20 + x / 10).astype(np.float32), (129, 129)).copy()
    place = small_place(
        growth=[], built=[Built(id="b", name="B", kind="boardwalk", line=[(-40, 30), (40, 30)], deck=30.0, width=2.0)]
    )
    return Setting(place, Ground(heights, 2.0, -128.0, -128.0))


def test_a_walk_keeps_its_eye_height_up_a_slope_and_over_a_deck(slope: Setting) -> None:
    points = np.array([[-60, 0, 0], [0, 8, 0], [60, 0, 0.0]])
    shot = shot_of(points, way="walk", eye_height=1.6)
    r = ride(slope, shot)
    inner = slice(5, -5)
    assert r.clearance[inner] == pytest.approx(np.full(len(r.t[inner]), 1.6), abs=0.02)
    over = shot_of(np.array([[-30, 30, 0], [30, 30, 0.0]]), way="walk", eye_height=1.5)
    assert ride(slope, over).position[20:-20, 2] == pytest.approx(np.full(200, 31.5), abs=0.02)


def test_the_ride_check_says_what_is_wrong_and_where(slope: Setting) -> None:
    def found(shot: Shot) -> dict[str, str]:
        return {f["kind"]: f["text"] for f in check(slope, shot)["found"]}

    fine = shot_of(np.array([[-60, 0, 60], [0, 10, 61], [60, 0, 62.0]]))
    assert check(slope, fine)["clean"] and not found(fine)
    under = shot_of(np.array([[-60, 0, 30], [0, 0, 15], [60, 0, 40.0]]))
    assert "under the ground" in found(under)["under"] and not check(slope, under)["clean"]
    near = shot_of(np.array([[-60, 0, 14.15], [0, 0, 20.15], [60, 0, 26.15]]), keep_clear=0.3)
    assert "comes within 0.1" in found(near)["near"]
    fast = shot_of(np.array([[-100, 0, 0], [100, 0, 0.0]]), way="walk")
    assert "too fast for walking" in found(fast)["fast"]
    spin = fast.model_copy(
        update={
            "frames": 24,
            "route": Route(
                stations=[
                    Station(id="a", east=0, north=0, up=40, aim=(0, 50, 40)),
                    Station(id="b", east=1, north=0, up=40, aim=(1, -50, 41)),
                ]
            ),
        }
    )
    assert "degrees a second" in found(spin)["turning"]
    same = shot_of(np.array([[0, 0, 40], [0, 0, 40], [30, 0, 40.0]]))
    assert "stand on the same spot" in found(same)["same spot"]
    still = shot_of(np.array([[0, 0, 40.0]]))
    assert check(slope, still)["clean"] and "stands still" in found(still)["still"]
    report = check(slope, fine)
    assert report["speed"]["least"] == pytest.approx(report["speed"]["mean"], rel=0.02) and report[
        "length_m"
    ] == pytest.approx(report["speed"]["mean"] * 10, rel=0.01)


def test_the_shots_camera_carries_its_keyed_exposure_and_focus(slope: Setting) -> None:
    shot = shot_of(np.array([[-60, 0, 60], [60, 0, 62.0]]))
    shot = shot.model_copy(
        update={
            "exposure": shot.exposure.model_copy(
                update={"ev100": Channel(keys=[Key(t=0, v=10, join="straight"), Key(t=10, v=14)]), "focus": 7.0}
            )
        }
    )
    camera = camera_at(slope, shot, 5.0)
    assert camera.ev100 == pytest.approx(12.0) and camera.focus == 7.0
    assert camera.position == pytest.approx([0, 0, 61], abs=0.05)
    assert np.linalg.norm(camera.forward) == pytest.approx(1)
    right, up = camera.axes()
    assert right[2] == pytest.approx(0) and up @ camera.forward == pytest.approx(0, abs=1e-12)  # a level horizon
