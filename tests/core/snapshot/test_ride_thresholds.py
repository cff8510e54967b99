"""Each threshold of the ride check: just under it nothing is said, just over it is; at 24 and at 48 a second."""

import numpy as np
import pytest

from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Shot
from lumwick.place.filming import Exposure, Station
from lumwick.place.growing import Stand
from lumwick.place.objects import Shape, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.mend import mend
from lumwick.snapshot.ride import check
from tests.core.snapshot.test_ride import FLAT, kinds, setting_of, shot_with, station

RATES = ("24", "48")
JUST = pytest.mark.parametrize(("share", "found"), [(0.985, False), (1.015, True)])
AT_BOTH_RATES = pytest.mark.parametrize("fps", RATES)


def clip(*stations: Station, seconds: float, fps: str, exposure: Exposure | None = None, **route: object) -> Shot:
    """A shot of some seconds on level open ground, its camera 4 m over it."""
    shot = shot_with(*stations, frames=round(seconds * int(fps)), exposure=exposure, **route)
    return shot.model_copy(update={"fps": fps})


def panned(rate: float, seconds: float, fps: str, **more: object) -> Shot:
    """A camera that stands and turns evenly by so many degrees a second."""
    bearing = Channel(keys=[Key(t=0, v=0, join="straight"), Key(t=seconds, v=rate * seconds)])
    return clip(station("a", 0, 0), seconds=seconds, fps=fps, way="fixed", aim="by keys", bearing=bearing, **more)


def dolly(speed: float, seconds: float, fps: str, **more: object) -> Shot:
    """A camera that runs straight north at an even speed."""
    half = speed * seconds / 2
    return clip(station("a", 0, -half), station("b", 0, half), seconds=seconds, fps=fps, **more)


def says(shot: Shot, kind: str) -> bool:
    return kind in kinds(setting_of(shot))


@JUST
@AT_BOTH_RATES
def test_turning_faster_than_50_degrees_a_second(share: float, found: bool, fps: str) -> None:
    assert says(panned(50.0 * share, 3.0, fps), "turning") is found


@JUST
@AT_BOTH_RATES
def test_a_pan_strobes_when_a_detail_crosses_in_less_than_7_s_at_24_a_second(
    share: float, found: bool, fps: str
) -> None:
    # common practice: 7 s at 24 a second with a shutter of 180 degrees; at 48 a second half of it
    across = 2 * np.degrees(np.arctan(36 / 2 / 28))
    rate = across / (7.0 * 24 / int(fps))
    assert says(panned(rate * share, 4.0, fps), "strobing") is found
    # a shutter of 90 degrees halves what may be panned
    assert says(
        panned(rate / 2 * share, 4.0, fps, exposure=Exposure(shutter=90, f_number=16, focus=15)), "strobing"
    ) is (found)


@AT_BOTH_RATES
@pytest.mark.parametrize(("lasts", "found"), [(0.5, False), (0.75, True)])
def test_a_pan_that_is_soon_over_does_not_strobe(lasts: float, found: bool, fps: str) -> None:
    keys = [Key(t=1, v=0, join="straight"), Key(t=1 + lasts, v=20 * lasts, join="straight")]
    shot = clip(station("a", 0, 0), seconds=3, fps=fps, way="fixed", aim="by keys", bearing=Channel(keys=keys))
    assert says(shot, "strobing") is found


@JUST
@AT_BOTH_RATES
@pytest.mark.parametrize(("way", "degrees"), [("walk", 70.0), ("fly", 120.0)])
def test_looking_away_from_where_one_goes(way: str, degrees: float, share: float, found: bool, fps: str) -> None:
    shot = dolly(1.2, 6.0, fps, way=way, aim="by keys", bearing=degrees * share)
    assert says(shot, "looking away") is found


@AT_BOTH_RATES
@pytest.mark.parametrize(("seconds", "found"), [(1.9, False), (2.1, True)])
def test_looking_away_for_less_than_2_s_is_a_glance(seconds: float, found: bool, fps: str) -> None:
    assert says(dolly(1.2, seconds, fps, way="walk", aim="by keys", bearing=90.0), "looking away") is found


@JUST
@AT_BOTH_RATES
def test_walking_faster_than_somebody_can(share: float, found: bool, fps: str) -> None:
    # 2.2 times a walk of 1.4 m/s
    assert says(dolly(2.2 * 1.4 * share, 5.0, fps, way="walk"), "fast") is found


@JUST
@AT_BOTH_RATES
def test_flying_more_than_5_heights_a_second(share: float, found: bool, fps: str) -> None:
    assert says(dolly(5.0 * 4.0 * share, 5.0, fps), "fast") is found


@JUST
@AT_BOTH_RATES
@pytest.mark.parametrize(("way", "most"), [("straight", 4.0), ("walk", 2.6)])
def test_a_jolt_is_a_change_of_speed_of_so_much_in_a_second(
    way: str, most: float, share: float, found: bool, fps: str
) -> None:
    # a move of least jerk over L in T has its greatest acceleration, 10 / sqrt(3) L / T^2 (Flash and Hogan 1985)
    seconds = 8.0
    length = most * share * seconds**2 / (10 / np.sqrt(3))
    shot = dolly(length / seconds, seconds, fps, way=way, timing="one smooth move")
    assert says(shot, "jolt") is found


@JUST
@AT_BOTH_RATES
def test_the_aim_jolts_from_130_degrees_a_second_in_a_second(share: float, found: bool, fps: str) -> None:
    # an even turn of w changes its direction of turning by w^2
    rate = np.degrees(np.sqrt(np.radians(130.0 * share)))
    assert says(panned(float(rate), 4.0, fps), "aim jolt") is found


@AT_BOTH_RATES
@pytest.mark.parametrize(("roll", "found"), [(0.29, False), (0.31, True), (4.95, True), (5.05, False), (-0.31, True)])
def test_a_horizon_that_is_a_little_off_level(roll: float, found: bool, fps: str) -> None:
    shot = dolly(1.0, 3.0, fps, level_within=0.0, exposure=Exposure(roll=roll, f_number=16, focus=15))
    assert says(shot, "level") is found


@AT_BOTH_RATES
@pytest.mark.parametrize(("eye", "found"), [(1.34, True), (1.36, False), (1.84, False), (1.86, True)])
def test_a_walkers_eyes_are_a_grown_persons(eye: float, found: bool, fps: str) -> None:
    assert says(dolly(1.2, 4.0, fps, way="walk", eye_height=eye), "eye height") is found


@JUST
def test_nothing_is_sharp_when_the_circle_of_confusion_is_over_0_06_mm(share: float, found: bool) -> None:
    # straight up into the sky, 4 km off: c = (d - s) / d f^2 / (N (s - f)), the thin lens
    s, f, d = 5.0, 0.050, 4000.0
    n = (d - s) / d * f**2 / (0.06e-3 * share * (s - f))
    up = station("a", 0, 0, 14.0, (0, 1, 60.0), focal=50)
    shot = clip(up, seconds=3, fps="24", way="fixed", exposure=Exposure(f_number=n, focus=s))
    assert says(shot, "focus") is found


@AT_BOTH_RATES
@pytest.mark.parametrize(("height", "found"), [(0.49, True), (0.51, False)])
def test_clearance_is_told_from_what_was_asked_for(height: float, found: bool, fps: str) -> None:
    low = (station("a", 0, -5, 10 + height, (0, 40, 10)), station("b", 0, 5, 10 + height, (0, 50, 10)))
    assert says(clip(*low, seconds=6, fps=fps, keep_clear=0.5), "near") is found


@pytest.mark.parametrize(("apart", "kind"), [(1.0, {"near": 1}), (1.4, {"near": 2})])
def test_touches_within_1_2_s_of_one_another_are_one(apart: float, kind: dict[str, int]) -> None:
    # two bumps of the ground under a flight at 4 m/s, each met for a short while
    heights = np.full((129, 129), 10.0, np.float32)
    x = np.arange(129) * 0.5 - 32
    for middle in (-apart * 2 - 0.5, apart * 2 + 0.5):
        heights[np.abs(x - middle) < 0.6, :] = 11.0
    ground = type(FLAT)(heights, 0.5, -32.0, -32.0)
    shot = clip(
        station("a", 0, -20, 11.2, (0, 40, 11.2)), station("b", 0, 20, 11.2, (0, 60, 11.2)), seconds=10, fps="24"
    )
    found = [f["kind"] for f in check(setting_of(shot, ground), shot)["found"]]
    assert {k: found.count(k) for k in kind} == kind


@pytest.mark.parametrize(("jump", "found"), [(1.95, False), (2.05, True), (-2.05, True)])
def test_a_cut_jumps_from_2_stops_on(jump: float, found: bool) -> None:
    first = dolly(1.0, 2.0, "24", exposure=Exposure(ev100=13.0, f_number=16, focus=15))
    second = dolly(1.0, 2.0, "24", exposure=Exposure(ev100=13.0 + jump, f_number=16, focus=15))
    first, second = (s.model_copy(update={"id": k, "name": k}) for s, k in ((first, "first"), (second, "second")))
    setting = setting_of(second)
    setting = Setting(setting.place.model_copy(update={"shots": [first, second]}), FLAT)
    assert ("exposure jump" in kinds(setting, second)) is found


@AT_BOTH_RATES
@pytest.mark.parametrize(("eased", "found"), [(0.0, True), (0.4, False)])
def test_a_move_that_starts_and_stops_at_once_is_abrupt(eased: float, found: bool, fps: str) -> None:
    shot = dolly(1.5, 8.0, fps, timing="by stations", eased_start=eased, eased_end=eased)
    times = (2.0, 6.0)
    route = shot.route.model_copy(
        update={"stations": [s.model_copy(update={"time": t}) for s, t in zip(shot.route.stations, times, strict=True)]}
    )
    shot = shot.model_copy(update={"route": route})
    assert says(shot, "abrupt") is found


def along_a_wall(speed: float, fps: str) -> Setting:
    """A camera that goes east at an even speed and looks north, at a wall that is 6 m away and fills its picture."""
    wall = Thing(id="wall", name="Wall", shape=Shape(kind="box", width=160, depth=0.2, height=40), up=-6.0, north=6.1)
    half = speed * 1.5 / 2
    route = {"way": "straight", "aim": "by keys", "bearing": 0.0, "pitch": 0.0}
    shot = clip(station("a", -half, 0), station("b", half, 0), seconds=1.5, fps=fps, **route)
    return setting_of(shot, things=[wall])


@JUST
@AT_BOTH_RATES
def test_what_goes_by_is_smeared_from_a_fiftieth_of_the_picture_on(share: float, found: bool, fps: str) -> None:
    # a spot at 6 m that the camera passes square on goes v h / 6 m of the tangent in an exposure of h seconds
    exposed, tangent = 180 / 360 / int(fps), 36 / 2 / 28
    speed = 0.02 * 2 * tangent * 6.0 / exposed
    setting = along_a_wall(speed * share, fps)
    assert ("smear" in kinds(setting)) is found
    if found:
        # a tenth of the picture is as near as that
        told = next(f for f in check(setting, setting.place.shots[0])["found"] if f["kind"] == "smear")
        assert "smears 100% of the picture" in told["text"] and "6.1 m away" in told["text"]
        shot = setting.place.shots[0]
        mended, _ = mend(setting, shot, "longer", told["from_s"], told["to_s"], "smear")
        assert "smear" not in kinds(setting, mended)


@pytest.mark.parametrize(("height", "found"), [(1.4, True), (9.0, False)])
def test_a_flight_among_reeds_is_smeared_and_one_high_over_them_is_not(height: float, found: bool) -> None:
    reeds = Stand(id="reeds", name="Reeds", kind="reed", per_hectare=20_000, height=2.0, seed=3, lowest=-10)
    up = 10 + height
    low = (station("a", 0, -12, up, (0, 60, up)), station("b", 0, 12, up, (0, 90, up)))
    shot = clip(*low, seconds=5, fps="24", keep_clear=0.1)
    assert ("smear" in kinds(setting_of(shot, growth=[reeds]))) is found


def test_a_long_lens_that_turns_smears_too_and_is_told_so() -> None:
    # 20 degrees a second are 0.42 in an exposure of 1/48 s, more than a fiftieth of the 10 degrees that 200 mm show
    turns = Channel(keys=[Key(t=0, v=0, join="straight"), Key(t=3, v=60)])
    first = station("a", 0, 0).model_copy(update={"focal": 200.0})
    shot = clip(first, seconds=3, fps="24", way="fixed", aim="by keys", bearing=turns)
    told = next(f for f in check(setting_of(shot), shot)["found"] if f["kind"] == "smear")
    assert "turns too quickly for so long a lens" in told["text"]
