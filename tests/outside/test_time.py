"""Curves, turns, colours, timecode, planner and the sun's day against published values and reference libraries."""

import datetime as dt
from fractions import Fraction

import colour
import numpy as np
import pandas as pd
import pvlib
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline, PchipInterpolator
from scipy.spatial.transform import Rotation, RotationSpline, Slerp

from lumwick.air.sun import sun_at_bearing, sun_day, sun_over_skyline, twilights
from lumwick.errors import LumwickError
from lumwick.motion.channel import Channel, ColourChannel, ColourKey, Key, colour_of, evaluate
from lumwick.motion.colour import from_hex, to_oklab
from lumwick.motion.timebase import RATES, clip_frames, frame_of_timecode, plan_lapse, timecode
from lumwick.motion.turns import aim_of, between, smooth, turn_of


def eased(x: np.ndarray, **way: object) -> np.ndarray:
    """A change from 0 to 1 in a second."""
    return evaluate(Channel(keys=(Key(t=0, v=0, **way), Key(t=1, v=1))), x)


@pytest.mark.parametrize(
    "control",
    [
        (0.25, 0.1, 0.25, 1.0),
        (0.42, 0.0, 1.0, 1.0),
        (0.0, 0.0, 0.58, 1.0),
        (0.42, 0.0, 0.58, 1.0),
        (0.0, 1.7, 1.0, -0.6),
        (1.0, 0.0, 0.0, 1.0),
    ],
)
def test_cubic_bezier_lies_on_its_published_curve(control: tuple[float, float, float, float]) -> None:
    # W3C CSS Easing Functions Level 2, 2.2: the curve of P0 (0, 0), P1, P2, P3 (1, 1); the first four are its
    # keywords ease, ease-in, ease-out, ease-in-out
    x1, y1, x2, y2 = control
    s = np.linspace(0, 1, 41)
    x, y = (3 * (1 - s) ** 2 * s * a + 3 * (1 - s) * s**2 * b + s**3 for a, b in ((x1, x2), (y1, y2)))
    assert eased(x, join="bezier", bezier=control) == pytest.approx(y, abs=1e-6)


def test_steps_at_their_published_points() -> None:
    # W3C CSS Easing Functions Level 2, 2.3: the four figures of steps(3, jump-*) at the thirds and between
    x = np.array([0.0, 0.2, 1 / 3, 0.5, 2 / 3, 0.9])
    for jump, expected in {"start": [1, 1, 2, 2, 3, 3], "end": [0, 0, 1, 1, 2, 2]}.items():
        assert eased(x[1:], join="steps", steps=3, jump=jump) == pytest.approx(np.array(expected[1:]) / 3), jump
    assert eased(x[1:], join="steps", steps=3, jump="none") == pytest.approx(np.array([0, 1, 1, 2, 2]) / 2)
    assert eased(x[1:], join="steps", steps=3, jump="both") == pytest.approx(np.array([1, 2, 2, 3, 3]) / 4)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 400), st.floats(-50, 50)), min_size=3, max_size=12, unique_by=lambda k: k[0]))
def test_splines_are_scipys(points: list[tuple[int, float]]) -> None:
    points = sorted(points)
    t, v = np.array([p[0] / 10 for p in points]), np.array([p[1] for p in points])
    x = np.linspace(t[0], t[-1], 157)

    def made(join: str, **rules: object) -> Channel:
        return Channel(keys=tuple(Key(t=a, v=b, join=join) for a, b in zip(t, v, strict=True)), **rules)

    size = 1 + np.abs(v).max()
    assert evaluate(made("smooth"), x) == pytest.approx(PchipInterpolator(t, v)(x), abs=1e-8 * size)
    assert evaluate(made("spline"), x) == pytest.approx(CubicSpline(t, v, bc_type="natural")(x), abs=1e-7 * size)
    # a cycle that comes back to where it began is scipy's periodic spline, and goes on as one
    v[-1] = v[0]
    round_ = made("spline", before="cycle", after="cycle")
    beyond = np.linspace(t[0] - 3, t[-1] + 7, 211)
    reference = CubicSpline(t, v, bc_type="periodic")
    assert evaluate(round_, beyond) == pytest.approx(
        reference(t[0] + np.mod(beyond - t[0], t[-1] - t[0])), abs=1e-6 * size
    )


def test_natural_easings_by_their_formulas() -> None:
    # the families' textbook forms: x^2, x^3, 1 - cos(x pi / 2), backwards, and each over half the time
    x = np.linspace(0, 1, 33)
    for family, f in {
        "quad": lambda u: u**2,
        "cubic": lambda u: u**3,
        "sine": lambda u: 1 - np.cos(u * np.pi / 2),
    }.items():
        assert eased(x, join=f"{family}_in") == pytest.approx(f(x))
        assert eased(x, join=f"{family}_out") == pytest.approx(1 - f(1 - x))
        assert eased(x, join=f"{family}_both") == pytest.approx(np.where(x < 0.5, f(2 * x) / 2, 1 - f(2 - 2 * x) / 2))


def test_colours_blend_in_oklab() -> None:
    # reference: colour-science's Oklab (Ottosson 2020) of the same linear Rec.709
    for code in ("#8a7b5c", "#000000", "#ffffff", "#ff0000", "#0033cc"):
        linear = from_hex(code)
        assert to_oklab(linear) == pytest.approx(colour.XYZ_to_Oklab(colour.RGB_to_XYZ(linear, "sRGB")), abs=2e-4)
    sunset = ColourChannel(keys=(ColourKey(t=0, v="#ff0000", join="straight"), ColourKey(t=1, v="#0000ff")))
    lab = sunset.table.at([0.0, 0.5, 1.0])
    assert (
        lab[:, 1] == pytest.approx((lab[:, 0] + lab[:, 2]) / 2)
        and colour_of(lab[:, 0]) == "#ff0000"
        and colour_of(lab[:, 2]) == "#0000ff"
    )
    assert to_oklab(from_hex(colour_of(lab[:, 1])))[0] > 0.45  # not through the mud that sRGB codes would give


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.floats(-720, 720), st.floats(-89, 89)), min_size=2, max_size=6), st.floats(0, 1))
def test_turns_are_scipys(aims: list[tuple[float, float]], share: float) -> None:
    turns = turn_of([a for a, _ in aims], [p for _, p in aims])
    one = between(turns[0:1], turns[1:2], np.array([share]))
    reference = Slerp([0, 1], turns[:2])(share)
    angle = (turns[0].inv() * turns[1]).magnitude()
    if angle < np.pi - 1e-6:  # of two opposite turns either way is the shorter
        assert (one[0].inv() * reference).magnitude() == pytest.approx(0, abs=1e-6)
        # Shoemake 1985: sin((1 - u) w) / sin w and sin(u w) / sin w of the two quaternions
        q0, q1 = turns[0].as_quat(), turns[1].as_quat()
        dot = q0 @ q1
        q1, half = q1 * np.sign(dot or 1), np.arccos(min(1.0, abs(dot)))
        if half > 1e-4:
            q = (np.sin((1 - share) * half) * q0 + np.sin(share * half) * q1) / np.sin(half)
            assert abs(q @ one[0].as_quat()) == pytest.approx(1, abs=1e-9)
    knots = np.arange(len(aims), dtype=float)
    curve = smooth(knots, turns)
    assert (curve(knots).inv() * turns).magnitude() == pytest.approx(0, abs=1e-6)


def test_a_smooth_turn_changes_its_speed_without_a_jump_as_scipys_spline_does() -> None:
    aims = turn_of([0, 40, 95, 130, 200], [0, 10, -20, 5, 0])
    knots = np.array([0, 1.0, 2.5, 3.1, 4.4])
    curve, reference = smooth(knots, aims), RotationSpline(knots, aims)
    h = 1e-4
    for k in knots[1:-1]:
        a, b, c = (curve(np.array([k + d])) for d in (-h, 0.0, h))
        before, after = (a.inv() * b).as_rotvec()[0] / h, (b.inv() * c).as_rotvec()[0] / h
        assert before == pytest.approx(after, abs=0.01)
    u = np.linspace(0, 4.4, 300)
    assert np.degrees((curve(u).inv() * reference(u)).magnitude()).max() < 12  # the same way, without its swinging past
    bearing, pitch = aim_of(turn_of([10.0, 350.0, 370.0], [20.0, -5.0, 0.0]))
    assert bearing == pytest.approx([10, -10, 10]) and pitch == pytest.approx([20, -5, 0])
    assert Rotation.from_euler("ZX", [[-30, 12]], degrees=True).apply([0, 1, 0])[0] == pytest.approx(
        turn_of(30, 12).apply([0, 1, 0])[0]
    )


# SMPTE ST 12-1: the label after so many frames (from 0) at each rate; drop-frame where ; stands
TABLE = [
    ("24", 0, "00:00:00:00"),
    ("24", 24 * 60, "00:01:00:00"),
    ("23.976", 24 * 3600, "01:00:00:00"),
    ("25", 25 * 3600 + 12, "01:00:00:12"),
    ("30", 1800, "00:01:00:00"),
    ("48", 48 * 61, "00:01:01:00"),
    ("50", 50 * 3600, "01:00:00:00"),
    ("60", 60 * 600, "00:10:00:00"),
    ("29.97", 1800, "00:01:00:00"),
    ("29.97", 1799, "00:00:59;29"),
    ("29.97", 1800, "00:01:00;02"),
    ("29.97", 17982, "00:10:00;00"),
    ("29.97", 107892, "01:00:00;00"),
    ("59.94", 3600, "00:01:00;04"),
    ("59.94", 35964, "00:10:00;00"),
    ("29.97", 2589407, "23:59:59;29"),
]


@pytest.mark.parametrize(("name", "count", "label"), TABLE)
def test_timecode_table(name: str, count: int, label: str) -> None:
    assert timecode(count + 1, RATES[name], drop=";" in label) == label
    assert frame_of_timecode(label, RATES[name]) == count + 1


@settings(max_examples=300, deadline=None)
@given(st.sampled_from(sorted(RATES)), st.integers(0, 24 * 3600 * 60 - 1), st.booleans())
def test_timecode_round_trip_over_a_day(name: str, count: int, drop: bool) -> None:
    fps = RATES[name]
    drop = drop and name in ("29.97", "59.94")
    count %= int(Fraction(24 * 3600) * fps) if drop else 24 * 3600 * round(fps)
    assert frame_of_timecode(timecode(count + 1, fps, drop), fps) == count + 1


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("00:01:00;01", "skips the first 2 frames"),
        ("00:00:70:00", "minutes and seconds end at 59"),
        ("1:2", "written like"),
        ("00:00:00:30", "frames at 29"),
        ("25:00:00:00", "hours at 23"),
    ],
)
def test_labels_that_do_not_exist(text: str, says: str) -> None:
    with pytest.raises(LumwickError, match=says):
        frame_of_timecode(text, RATES["29.97"])


@pytest.mark.parametrize(
    ("text", "frames"),
    [("240", 240), ("10 s", 240), ("1.5 min", 2160), ("00:00:10:12", 252), ("48 frames", 48), ("2,5 s", 60)],
)
def test_lengths_as_people_type_them(text: str, frames: int) -> None:
    assert clip_frames(text, RATES["24"]) == frames


@pytest.mark.parametrize("text", ["", "0", "0 s", "long", "-3", "10 m", "00:00:00:00"])
def test_lengths_that_are_none(text: str) -> None:
    with pytest.raises(LumwickError):
        clip_frames(text, RATES["24"])


@settings(deadline=None)
@given(st.floats(60, 1e6), st.floats(1, 600), st.sampled_from([24.0, 25.0, 30.0]))
def test_the_planner_agrees_with_itself_whatever_is_left_out(event: float, clip: float, fps: float) -> None:
    whole = plan_lapse(event=event, clip=clip, fps=fps)
    for missing in ("event", "clip", "fps"):
        sizes = {"event": event, "clip": clip, "fps": fps, "interval": whole.interval, missing: None}
        again = plan_lapse(**sizes)
        assert (again.event, again.clip, again.fps) == pytest.approx((event, clip, fps), rel=1e-9)


def test_the_planners_counts() -> None:
    plan = plan_lapse(
        event=3 * 3600, clip=10, fps=24
    )  # common practice of the trade: 3 h into 10 s is one frame each 45 s, 240 frames
    assert (plan.interval, plan.frames, plan.speed) == (45.0, 240, 1080.0)
    for wrong in (
        {"event": 1.0},
        {"event": 1.0, "clip": 0.0, "fps": 24.0},
        {"event": 1.0, "clip": 1.0, "fps": 24.0, "interval": 1.0},
    ):
        with pytest.raises(LumwickError):
            plan_lapse(**wrong)


def elevations(date: dt.date, lat: float, lon: float, offset: float) -> tuple[pd.DatetimeIndex, np.ndarray]:
    """Reference: pvlib's SPA, true elevation over a date of the place's clock, every two minutes."""
    start = dt.datetime.combine(date, dt.time()) - dt.timedelta(hours=offset)
    times = pd.date_range(start, periods=721, freq="2min", tz="UTC")
    return times, pvlib.solarposition.spa_python(times, lat, lon).elevation.to_numpy()


def test_sunrise_and_sunset_of_100_places_and_dates_to_a_minute_with_days_without_any() -> None:
    rng = np.random.default_rng(11)
    none = 0
    for _ in range(100):
        lat, lon = rng.uniform(-85, 85), rng.uniform(-175, 175)
        date, offset = dt.date(2026, 1, 1) + dt.timedelta(days=int(rng.integers(0, 365))), float(round(lon / 15))
        day = sun_day(date, lat, lon, offset)
        times, el = elevations(date, lat, lon, offset)
        up = el > -0.8333
        for ours, there in ((day.sunrise, ~up[:-1] & up[1:]), (day.sunset, up[:-1] & ~up[1:])):
            if ours is None:
                assert not there.any() or np.abs(el[1:][there] + 0.8333).min() < 0.02  # a sun that only just grazes
                none += 1
                continue
            at = np.flatnonzero(there)
            whole = [times[i] + (times[i + 1] - times[i]) * float((-0.8333 - el[i]) / (el[i + 1] - el[i])) for i in at]
            said = pd.Timestamp(ours - dt.timedelta(hours=offset), tz="UTC")
            assert min(abs((said - w).total_seconds()) for w in whole) < 60
        if day.always:
            assert up.all() if day.always == "up" else not up.any()
    assert none > 8  # the draw has polar days and nights in it


DEPTHS = {"civil": -6.0, "nautical": -12.0, "astronomical": -18.0}
"""Elevations at which twilights end: the almanac's definitions."""


def test_twilights_and_bearings_against_pvlib() -> None:
    date, lat, lon, offset = dt.date(2026, 6, 5), 54.6, -3.5, 1.0
    for name, (begins, ends) in twilights(date, lat, lon, offset).items():
        for when in (begins, ends):
            if when is not None:
                times = pd.DatetimeIndex([when - dt.timedelta(hours=offset)], tz="UTC")
                assert pvlib.solarposition.spa_python(times, lat, lon).elevation.iloc[0] == pytest.approx(
                    DEPTHS[name], abs=0.03
                )
    assert twilights(date, lat, lon, offset)["astronomical"] == (None, None)  # it does not get dark in a northern June
    for bearing in (75.0, 180.0, 290.5):
        (found,) = sun_at_bearing(date, lat, lon, offset, bearing)
        reference = pvlib.solarposition.spa_python(
            pd.DatetimeIndex([found.when - dt.timedelta(hours=offset)], tz="UTC"), lat, lon
        ).iloc[0]
        assert reference.azimuth == pytest.approx(bearing, abs=0.05) and reference.apparent_elevation == pytest.approx(
            found.elevation, abs=0.05
        )
    assert sun_at_bearing(date, lat, lon, offset, 0.0) == []  # the sun is under the horizon in the north
    # a level skyline 4 degrees up from west to north: the sun goes down behind it once, where pvlib has it at 4 degrees
    (goes,) = sun_over_skyline(date, lat, lon, offset, np.linspace(250, 340, 91), np.full(91, 4.0))
    reference = pvlib.solarposition.spa_python(
        pd.DatetimeIndex([goes.when - dt.timedelta(hours=offset)], tz="UTC"), lat, lon
    ).iloc[0]
    assert (
        not goes.rising
        and reference.apparent_elevation == pytest.approx(4.0, abs=0.05)
        and reference.azimuth == pytest.approx(goes.azimuth, abs=0.1)
    )
