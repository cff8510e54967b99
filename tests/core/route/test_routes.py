"""Ways of moving, pacing, aims and lenses: what must hold for each."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.errors import RouteError
from lumwick.land.ground import Ground
from lumwick.lens.lens import Lens
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Place, Shot
from lumwick.place.files import parse
from lumwick.place.filming import Exposure, Route, Station
from lumwick.place.objects import Lamp
from lumwick.route.camera_path import camera_path_of
from lumwick.route.legs import Around
from lumwick.route.pacing import by_stations, even, warped
from lumwick.route.track import Track, pose_angles, pose_turn, read_track
from lumwick.snapshot.evaluate import Setting, camera_at, camera_with
from lumwick.snapshot.footprint import footprints
from tests.conftest import small_place


def stations(*points: tuple[float, float, float], **more: object) -> list[Station]:
    return [
        Station(id=f"s{i}", east=x, north=y, up=z, aim=(x, y + 50, z), **more) for i, (x, y, z) in enumerate(points)
    ]


BEND = ((0.0, 0.0, 5.0), (10.0, 2.0, 5.0), (18.0, 12.0, 6.0), (20.0, 25.0, 5.0))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(st.floats(-80, 80), st.floats(-80, 80), st.floats(0, 30)),
        min_size=2,
        max_size=7,
        unique_by=lambda p: (round(p[0]), round(p[1])),
    ),
    st.floats(0, 0.95),
    st.booleans(),
)
def test_speed_is_constant_whatever_the_stations(
    points: list[tuple[float, float, float]], tension: float, calm: bool
) -> None:
    made = camera_path_of(Route(stations=stations(*points), tension=tension, no_overshoot=calm), 10.0)
    t = np.linspace(0, 10, 801)
    along = made.legs[0].line.along(made.legs[0].line.parameter(made.along(t)))
    assert along == pytest.approx(made.length * t / 10, abs=1e-4 * made.length)
    if calm and tension < 0.9:
        p = np.array(points)
        q = made.at(t).position
        assert (q.min(0) >= p.min(0) - 1e-6).all() and (q.max(0) <= p.max(0) + 1e-6).all()


def test_tension_draws_the_curve_to_the_straight_lines() -> None:
    t = np.linspace(0, 10, 400)
    lengths = [camera_path_of(Route(stations=stations(*BEND), tension=k), 10.0).length for k in (0.0, 0.4, 0.8, 1.0)]
    corners = np.linalg.norm(np.diff(np.array(BEND), axis=0), axis=1).sum()
    assert lengths == sorted(lengths, reverse=True) and lengths[-1] == pytest.approx(corners)
    assert camera_path_of(Route(way="straight", stations=stations(*BEND)), 10.0).at(t).position == pytest.approx(
        camera_path_of(Route(stations=stations(*BEND), tension=1.0), 10.0).at(t).position
    )


def test_stays_cuts_and_moves_of_their_own() -> None:
    s = stations(*BEND)
    s[1] = s[1].model_copy(update={"stay": 2.0})
    made = camera_path_of(Route(stations=s), 12.0)
    assert made.leave[1] - made.arrive[1] == pytest.approx(2.0)
    held = made.at(np.linspace(made.arrive[1], made.leave[1], 9)).position
    assert np.ptp(held, axis=0) == pytest.approx([0, 0, 0], abs=1e-9)
    v = np.diff(made.along(np.linspace(0, 12, 4801))) * 400
    assert np.abs(np.diff(v)).max() < 0.1  # it comes to rest and leaves again without a jump of speed
    s[1] = s[1].model_copy(update={"stay": 0.0, "join": "cut"})
    cut = camera_path_of(Route(stations=s), 12.0)
    (change,) = cut.changes
    assert cut.at(change - 1e-6).position[0] == pytest.approx(BEND[1], abs=1e-3) and cut.at(change).position[
        0
    ] == pytest.approx(BEND[2], abs=1e-3)
    assert cut.length == pytest.approx(
        np.linalg.norm(np.subtract(BEND[1], BEND[0])) + np.linalg.norm(np.subtract(BEND[3], BEND[2]))
    )
    s[1] = s[1].model_copy(update={"join": "eased", "takes": 3.0})
    moved = camera_path_of(Route(stations=s), 12.0)
    assert moved.arrive[2] - moved.leave[1] == pytest.approx(3.0)
    s[1] = s[1].model_copy(update={"stay": 20.0})
    with pytest.raises(RouteError, match=r"take 23\.0 s, and the move has 12\.0"):
        camera_path_of(Route(stations=s), 12.0)


def test_times_at_stations_are_met_and_wrong_ones_told() -> None:
    s = [q.model_copy(update={"time": t}) for q, t in zip(stations(*BEND), (-1.0, 2.5, None, 9.0), strict=True)]
    made = camera_path_of(Route(stations=s, timing="by stations"), 10.0)
    for k in (0, 1, 3):
        assert made.at(s[k].time).position[0] == pytest.approx(BEND[k], abs=1e-4)
    assert np.linalg.norm(np.diff(made.at([0.0, 0.05]).position, axis=0)) > 0.05  # under way when the clip starts
    assert (np.diff(made.along(np.linspace(-1, 10, 500))) >= -1e-9).all()
    s[1] = s[1].model_copy(update={"time": -2.0})
    with pytest.raises(RouteError, match="before station 1 is left"):
        camera_path_of(Route(stations=s, timing="by stations"), 10.0)


def test_pacing_by_hand_keeps_its_whole_time_and_says_its_speeds() -> None:
    pace = Channel(
        keys=[
            Key(t=0, v=1, join="straight"),
            Key(t=4, v=1, join="straight"),
            Key(t=5, v=0.25, join="straight"),
            Key(t=10, v=0.25),
        ]
    )
    made = camera_path_of(Route(stations=stations(*BEND), pace=pace), 10.0)
    assert made.at(10.0).position[0] == pytest.approx(BEND[3], abs=1e-6)
    speed = np.gradient(made.along(np.linspace(0, 10, 4001)), 10 / 4000)
    assert speed[2800] / speed[800] == pytest.approx(0.25, rel=2e-3)
    assert speed[800] * (4 + 0.625 + 5 * 0.25) == pytest.approx(made.length, rel=1e-3)  # by the area under the curve
    with pytest.raises(RouteError, match="nothing all along"):
        warped(lambda t: np.zeros(len(t)), 0.0, 10.0)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.floats(0.1, 30), min_size=1, max_size=6),
    st.lists(st.floats(0, 2), min_size=7, max_size=7),
    st.lists(st.booleans(), min_size=7, max_size=7),
    st.floats(0, 6),
    st.floats(0, 6),
    st.booleans(),
)
def test_every_pacing_covers_the_way_once_in_its_time(
    gaps: list[float], stays: list[float], eased: list[bool], start: float, end: float, jerk: bool
) -> None:
    n = len(gaps) + 1
    lengths = np.concatenate([[0], np.cumsum(gaps)])
    moves = np.array([*eased[: n - 1], False])
    paced = even(lengths, np.array(stays[:n]), moves, np.full(n, 1.5), 40.0, (start, end), jerk)
    t = np.linspace(0, 40, 2001)
    s = paced.at(t)
    assert (
        s[0] == pytest.approx(0, abs=1e-6)
        and s[-1] == pytest.approx(lengths[-1], rel=1e-6)
        and (np.diff(s) >= -1e-9).all()
    )
    for i in range(n):
        assert paced.at([paced.arrive[i], paced.leave[i]]) == pytest.approx([lengths[i]] * 2, abs=1e-5 * lengths[-1])
    timed = by_stations(lengths, [None] * n, np.array(stays[:n]), moves, 40.0, (start > 3, end > 3))
    assert (np.diff(timed.at(t)) >= -1e-9).all() and timed.at([40.0])[0] == pytest.approx(lengths[-1])


def test_a_move_may_begin_before_the_clip_and_end_after_it() -> None:
    r = Route(
        stations=stations((0, 0, 5), (12, 0, 5)), starts_before=1.0, ends_after=1.0, eased_start=0.2, eased_end=0.2
    )
    made = camera_path_of(r, 10.0)
    assert made.at(-1.0).position[0] == pytest.approx([0, 0, 5]) and made.at(11.0).position[0] == pytest.approx(
        [12, 0, 5]
    )
    assert np.gradient(made.along(np.array([0.0, 0.01])), 0.01)[0] > 0.3


def test_an_orbit_keeps_its_distance_looks_in_and_closes() -> None:
    r = Route(way="orbit", spot=(5, 5, 2), stations=[Station(id="a", east=15, north=5, up=4, aim=(5, 5, 2))], turns=2)
    made = camera_path_of(r, 8.0)
    poses = made.at(np.linspace(0, 8, 81))
    assert np.hypot(*(poses.position - [5, 5, 2])[:, :2].T) == pytest.approx(
        np.full(81, 10.0)
    ) and made.length == pytest.approx(2 * 2 * np.pi * 10)
    assert poses.position[-1] == pytest.approx(poses.position[0]) and poses.position[40] == pytest.approx(
        poses.position[0]
    )
    inward = [5, 5, 2] - poses.position
    assert (poses.forward * inward).sum(1) == pytest.approx(np.linalg.norm(inward, axis=1))
    assert made.at(0.1).position[0, 1] < 5  # from the east, clockwise: southwards
    with pytest.raises(RouteError, match="to be circled"):
        camera_path_of(r.model_copy(update={"spot": (15, 5, 0)}), 8.0)


def test_a_push_against_the_lens_keeps_the_subjects_size() -> None:
    r = Route(
        way="push",
        travel=12,
        counter=True,
        stations=[Station(id="a", east=0, north=0, up=2, aim=(0, 20, 2), focal=60)],
        timing="one smooth move",
    )
    poses = camera_path_of(r, 5.0).at(np.linspace(0, 5, 51))
    distance = 20 - poses.position[:, 1]
    size = poses.focal / distance
    assert size == pytest.approx(np.full(51, 3.0)) and distance[-1] == pytest.approx(8)
    with pytest.raises(RouteError, match="push by less"):
        camera_path_of(r.model_copy(update={"travel": 25}), 5.0)


@pytest.fixture
def moving(marsh: Ground) -> Setting:
    lamp = Lamp(
        id="boat-lamp",
        name="Lamp",
        east=Channel(keys=[Key(t=0, v=0, join="straight"), Key(t=10, v=50)]),
        north=10,
        up=3,
        bearing=Channel(keys=[Key(t=0, v=0, join="straight"), Key(t=10, v=90)]),
    )
    route = Route(
        way="follow",
        subject="boat-lamp",
        aim="subject",
        lag=0.5,
        focus_on="subject",
        stations=[Station(id="a", east=-5, north=4, up=5, aim=(0, 10, 3))],
    )
    return Setting(small_place(lamps=[lamp], shots=[Shot(id="a", name="A", frames=240, route=route)]), marsh)


def test_following_keeps_the_place_beside_what_moves(moving: Setting) -> None:
    shot = moving.place.shots[0]
    poses = moving.camera_path(shot).at(np.array([0.5, 5.5, 10.0]))
    assert poses.position[0] == pytest.approx([-5, 4, 5])
    a = np.radians(45)  # half way it has turned by 45 degrees, clockwise, and stands at 25
    assert poses.position[1] == pytest.approx(
        [25 - 5 * np.cos(a) - 6 * np.sin(a), 10 - 6 * np.cos(a) + 5 * np.sin(a), 5]
    )
    lamp = np.array([27.5, 10, 3])
    away = lamp - poses.position[1]
    assert poses.forward[1] == pytest.approx(away / np.linalg.norm(away)) and poses.own["focus"][1] == pytest.approx(
        np.linalg.norm(away)
    )
    assert camera_at(moving, shot, 5.5).focus == pytest.approx(np.linalg.norm(away))
    wrong = shot.model_copy(update={"route": shot.route.model_copy(update={"subject": "gone"})})
    with pytest.raises(Exception, match="not in this place"):
        moving.camera_path(wrong).at(0.0)


def test_looking_ahead_leads_and_stops_to_look() -> None:
    s = [
        Station(id="a", east=0, north=0, up=2, aim=(0, 9, 2)),
        Station(id="b", east=0, north=10, up=2, aim=(-30, 10, 2), stay=4),
        Station(id="c", east=10, north=10, up=2, aim=(99, 10, 2)),
    ]
    made = camera_path_of(
        Route(way="walk", stations=s, aim="ahead", lead=1.0), 20.0, Around(floor=lambda x, y, z: np.zeros(len(x)))
    )
    early, late = made.at(0.5), made.at(19.5)
    assert early.forward[0, 1] > 0.9 and late.forward[0, 0] > 0.9 and abs(early.forward[0, 2]) < 1e-9
    middle = (made.arrive[1] + made.leave[1]) / 2
    assert made.at(middle).forward[0] == pytest.approx([-1, 0, 0], abs=0.02)
    turning = (
        np.degrees(
            np.arccos(
                np.clip(
                    (made.at(np.arange(0, 20, 0.01)).forward[1:] * made.at(np.arange(0, 20, 0.01)).forward[:-1]).sum(1),
                    -1,
                    1,
                )
            )
        )
        * 100
    )
    assert turning.max() < 260  # a quick turn of the head, and no jump


def test_aims_by_keys_and_blends_between_aims() -> None:
    r = Route(
        stations=stations((0, 0, 2), (0, 20, 2)),
        aim="by keys",
        bearing=Channel(keys=[Key(t=0, v=350, join="straight"), Key(t=10, v=370)]),
        pitch=-10,
        aim_second="stations",
        aim_share=Channel(keys=[Key(t=0, v=0, join="straight"), Key(t=10, v=1)]),
    )
    poses = camera_path_of(r, 10.0).at(np.array([0.0, 5.0, 10.0]))
    assert poses.pitch == pytest.approx([-10, -5, 0], abs=0.01) and np.sin(np.radians(poses.bearing)) == pytest.approx(
        np.sin(np.radians([350, 0, 0])), abs=4e-3
    )


def test_a_stations_own_settings_blend_and_the_rest_is_the_shots(marsh: Ground) -> None:
    s = stations((0, 0, 20), (10, 0, 20), (20, 0, 20))
    s[0] = s[0].model_copy(update={"focus": 2.0, "ev100": 10.0, "roll": 1.0, "focal": 20})
    s[2] = s[2].model_copy(update={"focus": 8.0, "ev100": 14.0, "roll": 8.0, "focal": 80})
    s[1] = s[1].model_copy(update={"focal": 40})
    shot = Shot(id="a", name="A", frames=240, exposure=Exposure(kelvin=4000), route=Route(way="straight", stations=s))
    setting = Setting(small_place(shots=[shot]), marsh)
    first, middle, last = (camera_at(setting, shot, t) for t in (0.0, 5.0, 10.0))
    assert (first.focus, first.ev100, first.roll, first.kelvin) == (2.0, 10.0, 0.0, 4000)  # a degree counts as level
    assert middle.ev100 == pytest.approx(12) and middle.focus == pytest.approx(4)  # focus and lens by ratios
    assert [last.focus, last.ev100, last.roll, last.focal_mm] == pytest.approx([8.0, 14.0, 8.0, 80])
    assert middle.focal_mm == pytest.approx(40)


def test_a_small_sensor_and_an_uncompensated_opening() -> None:
    e = Exposure(sensor=18.0, f_number=4.0, metered_at=8.0, ev100=12)
    camera = camera_with(e, np.zeros(3), np.array([0, 1.0, 0]), 25.0)
    assert camera.lens.angle == pytest.approx(Lens(25.0, 18.0).angle)
    assert camera.focal_mm / camera.f_number == pytest.approx(25 / 4)  # the opening's diameter is the lens's own
    assert camera.ev100 == pytest.approx(10)  # two stops more light than at f/8
    assert camera_with(e.model_copy(update={"metered_at": 0.0}), np.zeros(3), np.array([0, 1.0, 0]), 25.0).ev100 == 12


def test_a_hand_is_unsteady_the_same_every_time_and_closes_in_a_loop() -> None:
    r = Route(way="fixed", handheld=1.0, stations=stations((0, 0, 2)))
    made = camera_path_of(r, 6.0, Around(loop=6.0))
    a, b = made.at(np.array([1.0, 2.0])), made.at(np.array([2.0]))
    assert a.position[1] == pytest.approx(b.position[0], abs=1e-15)
    t = np.linspace(0, 6, 600)
    assert 0.001 < np.ptp(made.at(t).position, axis=0).max() < 0.06 and 0.1 < np.ptp(made.at(t).pitch) < 1.5
    assert made.at(0.0).table() == pytest.approx(made.at(6.0).table(), abs=1e-9)


def test_steps_rise_with_the_walk_and_not_at_rest(marsh: Ground) -> None:
    s = stations((0, 0, 0), (0, 14, 0))
    plain = Route(way="walk", stations=s, eye_height=1.6, eased_start=0.1, eased_end=0.1)
    around = Around(floor=lambda x, y, z: np.zeros(len(x)))
    t = np.linspace(0, 10, 2000)
    walk = (
        camera_path_of(plain.model_copy(update={"gait": 1.0}), 10.0, around).at(t).position
        - camera_path_of(plain, 10.0, around).at(t).position
    )
    assert walk[0] == pytest.approx([0, 0, 0], abs=1e-6) and walk[-1] == pytest.approx([0, 0, 0], abs=0.002)
    assert 0.01 < np.ptp(walk[:, 2]) < 0.04
    steps = np.sum((walk[1:-1, 2] < walk[:-2, 2]) & (walk[1:-1, 2] < walk[2:, 2]))
    assert steps == pytest.approx(14 / 0.72, abs=2)


def test_turns_with_roll_go_there_and_back() -> None:
    rng = np.random.default_rng(5)
    b, p, r = rng.uniform(-180, 180, 200), rng.uniform(-85, 85, 200), rng.uniform(-170, 170, 200)
    back = pose_angles(pose_turn(b, p, r))
    assert (
        np.cos(np.radians(back[0] - b)) == pytest.approx(np.ones(200))
        and back[1] == pytest.approx(p)
        and back[2] == pytest.approx(r)
    )


def test_a_track_is_its_csv_and_bad_ones_are_told() -> None:
    track = Track(
        np.array([0.0, 1, 3]),
        np.array([[0, 0, 1], [1, 0, 1], [1, 2, 1.5]]),
        np.array([350.0, 370, 380]),
        np.zeros(3),
        np.array([0.0, 0, 5]),
        np.full(3, 35.0),
    )
    again = read_track(track.csv())
    assert again.position == pytest.approx(track.position) and again.at([0.5])[0][0] == pytest.approx([0.5, 0, 1])
    assert pose_angles(again.at([0.5])[1])[0][0] == pytest.approx(0, abs=1e-6)
    for data, words in (
        (b"x,y\n1,2\n", "first line"),
        (track.csv().replace(b"\n3,", b"\n1,"), "must grow"),
        (track.csv() + b"4,1\n", "cannot be read"),
        (track.csv().splitlines()[0] + b"\n", "needs rows"),
    ):
        with pytest.raises(RouteError, match=words):
            read_track(data)


def test_a_frame_depends_on_what_the_route_gives_and_not_on_how(setting: Setting) -> None:
    shot = setting.place.shots[0]

    def prints(**changes: object) -> list[str]:
        other = shot.model_copy(update={"route": shot.route.model_copy(update=changes)})
        return footprints(
            Setting(setting.place.model_copy(update={"shots": [other]}), setting.ground), other, [1, 12, 24], 2
        )

    assert prints() == prints(keep_clear=2.0, lag=3.0) == prints(pace=Channel(keys=[Key(t=0, v=1)]))
    assert prints()[1] != prints(pace=Channel(keys=[Key(t=0, v=1), Key(t=1, v=2)]))[1]
    assert prints()[1] != prints(handheld=0.5)[1]


def test_files_of_the_version_before_ease_both_ends() -> None:
    data = small_place().model_dump(mode="json")
    data["version"] = 2
    for name in ("eased_start", "eased_end"):
        del data["shots"][0]["route"][name]
    data["shots"][0]["route"]["ease"] = 0.2
    place = parse(data)
    assert isinstance(place, Place) and (place.shots[0].route.eased_start, place.shots[0].route.eased_end) == (0.2, 0.2)
