"""Rain, snow and banks of fog on a place: roofs, wet, white, shafts, and bad settings."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.spatial import cKDTree

from lumwick.air.falling import kinds_of
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.motion.channel import Channel, Key
from lumwick.picture import picture_at
from lumwick.place.document import Place
from lumwick.place.edits import apply, command
from lumwick.place.filming import Clock, Route, Station
from lumwick.place.nature import Air, FogBank, Heavens, LowClouds, Sea, Wind
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.footprint import footprints
from lumwick.snapshot.ride import check
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.drops import Seen, in_the_air
from lumwick.trace.film import blank
from lumwick.trace.integrator.film import AIR, BEHIND, CLOUDS, POSITION, SHADOW
from lumwick.trace.integrator.mist import density
from lumwick.trace.quality import Quality
from lumwick.trace.render import expose
from lumwick.trace.sections.banks import BanksInputs, make_banks
from lumwick.trace.sections.weather import SIDE, SPACING
from lumwick.trace.splashes import REACH, SPLASHES_FROM, UP, Struck, landings, splashing
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.outside.test_rendered import quad

FLAT = Ground(np.full((65, 65), 1.0, np.float32), 8.0, -256.0, -256.0)
BARE = {"growth": [], "sea": Sea(present=False), "wind": Wind(speed=3.0)}
SQUARE = [(-160.0, -160.0), (160.0, -160.0), (160.0, 160.0), (-160.0, 160.0)]


def setting(air: dict[str, Any] | None = None, ground: Ground = FLAT, **more: Any) -> Setting:
    clear = {"fog_visibility": 200000, **(air or {})}
    return Setting(small_place(**{**BARE, "air": Air(**clear), **more}), ground)


def shown(
    stage: Stage, camera: Camera, t: float = 0.0, size: tuple[int, int] = (48, 32), samples: int = 16
) -> np.ndarray:
    stage.set(evaluate(stage.setting, stage.setting.place.shots[0], t, camera))
    film = blank(*size)
    expose(stage, film, samples)
    return np.asarray(film.radiance, float)


def down(height: float = 6.0) -> Camera:
    return Camera(np.array([0.0, 0.0, height]), direction_of(0.0, -89.9), 20.0, focus=1000.0)


def ahead(height: float = 2.7, bearing: float = 0.0, pitch: float = 0.0, focal: float = 28.0) -> Camera:
    return Camera(np.array([0.0, 0.0, height]), direction_of(bearing, pitch), focal, focus=1000.0)


def test_rain_wets_the_ground_but_not_under_a_roof() -> None:
    dry, wet = (Stage(setting({"rain": rain, "drifting": "nothing"})) for rain in (0.0, 8.0))
    for stage in (dry, wet):
        stage.add_target("roof", *quad(-3, -3, 4.0, 0, 3, 4.0), (0.4, 0.4, 0.4))
    # from under the roof's height, so that the ground to both sides of its edge is seen
    camera = Camera(np.array([0.0, 0.0, 3.4]), direction_of(0.0, -89.9), 14.0, focus=1000.0)
    before, after = (shown(stage, camera, samples=64) for stage in (dry, wet))
    under, beside = slice(6, 18), slice(32, 46)
    ratio = after.sum(-1) / before.sum(-1)
    assert np.median(ratio[8:24, beside]) < 0.8
    assert np.median(ratio[8:24, under]) == pytest.approx(1.0, abs=0.08)


def test_what_falls_is_kept_off_by_a_roof() -> None:
    open_air, covered = (Stage(setting({"rain": 30.0})) for _ in range(2))
    covered.add_target("roof", *quad(-30, -30, 5.0, 30, 30, 5.0), (0.4, 0.4, 0.4))
    camera = ahead(2.0)
    for stage in (open_air, covered):
        stage.set(evaluate(stage.setting, stage.setting.place.shots[0], 0.3, camera))
    under = [stage.world.air.drop[:, 2] < 4.8 for stage in (open_air, covered)]
    assert under[0].sum() > 500
    assert under[1].sum() <= 1
    inside = covered.world.air.roof[SIDE // 2, SIDE // 2]
    assert inside == pytest.approx(5.0, abs=0.01)
    assert SIDE * SPACING > 60


def test_streaks_are_seen_and_a_frame_alone_has_them_too() -> None:
    air = {"rain": 30.0, "streaks": 12.0, "low": LowClouds(oktas=8, closed=1)}
    stage = Stage(setting(air))
    stage.add_target("wall", *quad(-80, 30.0, -20, 80, 30.0, 90), (0.02, 0.02, 0.02))
    shot = stage.setting.place.shots[0]
    pictures = [picture_at(stage, shot, t, (96, 64), Quality(8, 1, "none"), ahead()) for t in (0.2, 0.24, 0.2)]
    assert all(pictures)
    first, later, again = (np.asarray(one.pixels, float) for one in pictures if one is not None)
    assert (first == again).all()
    assert np.abs(first - later).mean() > 0.2
    bright = first.mean(-1)
    assert (bright > np.median(bright) + 8).mean() > 0.003


def test_drops_splash_where_they_land_and_not_under_a_roof() -> None:
    stage = Stage(setting({"rain": 20.0}))
    stage.add_target("roof", *quad(-3, -30, 5.0, 30, 30, 5.0), (0.4, 0.4, 0.4))
    camera = ahead(6.0, pitch=-30.0, focal=12.0)
    stage.set(evaluate(stage.setting, stage.setting.place.shots[0], 0.3, camera))
    drop = stage.world.air.drop
    falling = np.array([kind.radius for kind in kinds_of(20.0, 0.0)], np.float32)
    fine = ~np.isclose(drop[:, 6, None], falling, rtol=1e-5).any(1)
    fine &= np.abs(drop[:, 0] + 3.0) > 1.0  # on one side of the roof's edge or the other
    assert fine.sum() > 60
    over = drop[fine, 2] - np.where(drop[fine, 0] > -3.0, 5.0, 1.0)
    assert over.min() > -0.04 and over.max() < 0.3


def test_a_splash_flies_as_what_is_thrown_and_is_the_same_alone_in_a_row_and_after_a_loop() -> None:
    kinds = kinds_of(20.0, 0.0)
    struck = Struck((3.0, 4.0), (0.2, 0.1), lambda east, north: 0 * east + 1.5)
    told, radius = splashing(kinds, struck, 1.0, None, 0.02, 3)
    assert (splashing(kinds, struck, 1.0, None, 0.02, 3)[0] == told).all()
    assert np.abs(told[:, :2] - (struck.middle - 1.5 * np.array(struck.slant))).max() < REACH + 0.5
    # a droplet's height and its speed up belong to one throw: v0^2 = v^2 + 2 g h, within the speeds that leave
    leaves = np.sqrt((told[:, 5] / 0.02) ** 2 + 2 * 9.81 * (told[:, 2] - 1.5))
    hardest = np.sqrt(max(kind.radius for kind in kinds) / 1e-3)
    assert leaves.max() <= UP[1] * hardest and leaves.min() >= UP[0] * np.sqrt(SPLASHES_FROM / 1e-3) - 1e-9
    ends = [splashing(kinds, struck, t, 4.0, 0.02, 3)[0] for t in (0.0, 4.0, 2.0)]
    assert ends[0] == pytest.approx(ends[1]) and len(ends[2]) != len(ends[0])
    assert radius.max() < 0.5 * max(kind.radius for kind in kinds)
    one = landings(kinds)
    wanted = sum(kind.number * kind.speed for kind in kinds if kind.radius >= SPLASHES_FROM)
    assert one[1].sum() == pytest.approx(wanted) and 20 < wanted < 2000  # drops on a square metre in a second
    assert landings(kinds_of(0.3, 0.0))[1].sum() < 0.1 * wanted


def test_what_shadows_keep_off_is_what_is_missing_in_them() -> None:
    pictures = []
    camera = Camera(np.array([0.0, -12.0, 6.0]), direction_of(0.0, -30.0), 24.0, focus=1000.0)
    thin = LowClouds(oktas=8, closed=1, density=0.002, thick=300)
    for shaded in (False, True):
        stage = Stage(setting({"low": thin}))
        seen = evaluate(stage.setting, stage.setting.place.shots[0], 0.0, camera)
        if shaded:  # far off on the way to the sun, so that it takes little of the sky
            x, y, z = seen.key_direction / seen.key_direction[2] * 60.0
            stage.add_target("board", *quad(x - 5, y - 7, z, x + 5, y + 3, z), (0.1, 0.1, 0.1))
        stage.set(seen)
        film = blank(48, 32, passes=True)
        expose(stage, film, 64)
        n = film.counted
        pictures.append((film.passes[..., SHADOW : SHADOW + 3] / n, film.passes[..., :3] / n))
    (by_clouds, sun), (kept, left) = pictures
    ground = slice(12, 32)
    assert left[ground].mean() < 0.9 * sun[ground].mean()
    lit = (sun + by_clouds)[ground].mean((0, 1))
    assert (left + kept)[ground].mean((0, 1)) == pytest.approx(lit, rel=0.03)
    assert (kept - by_clouds)[ground].mean() == pytest.approx((sun - left)[ground].mean(), rel=0.05)


def test_snow_lies_on_what_faces_up_and_not_on_walls_or_under_roofs() -> None:
    stage, bare = (Stage(setting({"lying": lying})) for lying in (30.0, 0.0))
    for one in (stage, bare):
        one.add_target("wall", *quad(-3, 6.0, 1.0, 3, 6.0, 4.0), (0.1, 0.1, 0.1))
        one.add_target("slab", *quad(-3, 3.0, 1.2, 3, 5.0, 1.2), (0.1, 0.1, 0.1))
    camera = Camera(np.array([0.0, 0.0, 4.0]), direction_of(0.0, -25.0), 35.0, focus=1000.0)
    white, dark = (shown(one, camera, samples=32) for one in (stage, bare))
    ratio = white.sum(-1) / dark.sum(-1)
    assert ratio[24, 24] > 4  # the slab
    assert ratio[10, 24] < 2.5  # the wall, which is lit by the snow before it


def test_ground_dries_after_rain_and_frames_know_it() -> None:
    rain = Channel(keys=(Key(t=0.0, v=10.0, join="step"), Key(t=0.3, v=0.0)))
    place = small_place(**BARE, air=Air(rain=rain, dries=10.0))
    shot = place.shots[0].model_copy(update={"clock": Clock(start="2026-06-05T10:00", speed=1800.0)})
    told = Setting(place.model_copy(update={"shots": [shot]}), FLAT)
    wet = [evaluate(told, told.place.shots[0], t).showers.wet for t in (0.1, 0.3, 0.6, 1.0)]
    assert wet[0] > 0.95
    assert wet[1] > wet[2] > wet[3]
    assert wet[3] < 0.35
    # an edit of an earlier key touches later frames that it left wet
    harder, _ = apply(told.place, command({"op": "key", "path": "/air/rain", "t": 0.0, "value": 1.0}))
    after = Setting(harder, FLAT)
    before, now = (footprints(one, one.place.shots[0], [20, 24], 1) for one in (told, after))
    assert before[0] != now[0]


def test_a_clip_that_closes_ends_as_wet_and_as_white_as_it_began() -> None:
    rain = Channel(keys=(Key(t=0.0, v=0.0), Key(t=0.4, v=12.0), Key(t=0.8, v=0.0)))
    place = small_place(**BARE, air=Air(rain=rain, snowing=3.0, lying=1.0, dries=5.0))
    clock = Clock(start="2026-06-05T10:00", speed=600.0)
    shots = [place.shots[0].model_copy(update={"clock": clock, "loop": loop}) for loop in (True, False)]
    ends = []
    for shot in shots:
        told = Setting(place.model_copy(update={"shots": [shot]}), FLAT)
        falls = [evaluate(told, told.place.shots[0], t).showers for t in (0.0, 0.4, shot.seconds)]
        ends.append([(one.wet, one.white) for one in falls])
    closed, open_ = ends
    assert closed[0] == pytest.approx(closed[2], abs=1e-3)
    assert closed[1][0] > closed[0][0] > 0.05
    assert open_[2][0] > open_[0][0] + 0.2
    assert open_[2][1] > open_[0][1] + 0.01


def test_a_moon_that_is_up_at_the_seam_is_told() -> None:
    night = Clock(start="2026-10-25T22:00", speed=3600.0)
    shots = [small_place().shots[0].model_copy(update={"clock": night, "loop": True})]
    told = setting({}, shots=shots)
    assert "The moon" in {gap.title for gap in seam_gaps(told, told.place.shots[0])}
    none = setting({"heavens": Heavens(moon_by="none")}, shots=shots)
    assert "The moon" not in {gap.title for gap in seam_gaps(none, none.place.shots[0])}


def test_a_bank_lies_in_its_area_and_pools_in_low_ground() -> None:
    x = np.linspace(-1, 1, 65)
    hollow = Ground((1 + 12 * x[None] ** 2 + 0 * x[:, None]).astype(np.float32), 8.0, -256.0, -256.0)
    bank = FogBank(id="b", area=[(-200, -100), (200, -100), (200, 100), (-200, 100)], thick=4.0, pools=1.0, edge=10.0)
    made = make_banks(BanksInputs(hollow, (bank,)))
    k, foot, high, _ = (made.mist[..., q] for q in range(4))
    column = np.round((np.array([0.0, 190.0]) - made.west) / made.spacing).astype(int)
    row = round(-made.south / made.spacing)
    assert k[row, column[0]] == pytest.approx(2.996 / 120.0, rel=0.05)
    assert high[row, column[0]] > 3.5
    assert k[row, column[1]] == pytest.approx(0.0, abs=1e-4)  # high ground stands out of it
    assert foot[row, column[0]] == pytest.approx(1.0, abs=0.3)
    level = make_banks(BanksInputs(hollow, (bank.model_copy(update={"pools": 0.0}),)))
    assert level.mist[row, column[1], 0] > 0.02


def test_a_bank_is_seen_hides_what_is_in_it_and_lets_the_sun_make_shafts() -> None:
    bank = FogBank(id="b", area=SQUARE, visibility=60.0, thick=12.0, soft=0.0, pools=0.0)
    clear, misty = (Stage(setting(banks=banks)) for banks in ([], [bank]))
    for stage in (clear, misty):
        stage.add_target("card", *quad(-4, 100.0, 0, 4, 100.0, 8), (0.02, 0.02, 0.02))
    bare, veiled = (shown(stage, ahead(focal=60.0), samples=64) for stage in (clear, misty))
    assert veiled[14:18, 22:26].mean() > 3 * bare[14:18, 22:26].mean()
    # towards the sun, but with a roof far over it between
    to_sun = ahead(bearing=float(evaluate(misty.setting, misty.setting.place.shots[0], 0.0, ahead()).key.azimuth))
    lit = shown(misty, to_sun, samples=64)[12:16].mean()
    misty.add_target("high roof", *quad(-900, -900, 300.0, 900, 900, 300.0), (0.0, 0.0, 0.0))
    assert shown(misty, to_sun, samples=64)[12:16].mean() < 0.8 * lit


def test_a_bank_may_be_in_one_shot_alone() -> None:
    thin = Channel(keys=(Key(t=0.0, v=0.2), Key(t=0.9, v=1.0)))
    bank = FogBank(id="b", area=SQUARE, only="b", amount=thin)
    one, other = small_place().shots[0], small_place().shots[0].model_copy(update={"id": "b", "name": "B"})
    told = setting(banks=[bank], shots=[one, other])
    assert [len(evaluate(told, shot, 0.5).banks) for shot in told.place.shots] == [0, 1]
    # an edit of it makes no frame of another shot anew
    thicker, _ = apply(told.place, command({"op": "set", "path": "/banks/b/visibility", "value": 50.0}))
    denser, _ = apply(thicker, command({"op": "key", "path": "/banks/b/amount", "t": 0.0, "value": 0.5}))
    for shot, same in zip(told.place.shots, (True, False), strict=True):
        prints = [footprints(Setting(place, FLAT), shot, [1, 5], 1) for place in (told.place, thicker, denser)]
        assert (prints[0] == prints[1]) is same and (prints[1] == prints[2]) is same
    with pytest.raises(PlaceError, match="alone, which this place does not have"):
        apply(told.place, command({"op": "set", "path": "/banks/b/only", "value": "gone"}))
    left, _ = apply(told.place, command({"op": "remove_shot", "shot": "b"}))
    assert left.banks == []


def test_the_ride_check_tells_of_fog_and_cloud_that_hide_everything() -> None:
    def found(air: dict[str, Any], up: float = 3.0, banks: list[FogBank] | None = None) -> list[str]:
        stations = [Station(id=f"s{k}", east=0, north=20.0 * k, up=up, aim=(0, 60, up)) for k in range(2)]
        shot = small_place().shots[0].model_copy(update={"route": Route(way="fly", stations=stations), "frames": 240})
        told = setting(air, shots=[shot], banks=banks or [])
        return [fault["text"] for fault in check(told, told.place.shots[0])["found"] if fault["kind"] == "white-out"]

    assert found({}) == []
    assert len(found({"fog_visibility": 22.0, "fog_base": 3.0})) == 1
    assert found({"fog_visibility": 22.0, "fog_base": 3.0, "fog_height": 20.0}, up=90.0) == []  # over it
    thick = FogBank(id="b", area=SQUARE, visibility=10.0, thick=8.0)
    assert "leaves 10 m to be seen" in found({}, banks=[thick])[0]
    assert found({}, banks=[thick.model_copy(update={"amount": 0.0})]) == []
    assert found({}, up=60.0, banks=[thick]) == []
    cloudy = {"low": LowClouds(oktas=8, base=100, thick=400, density=0.2)}
    assert found(cloudy, up=260.0) != [] and found(cloudy, up=60.0) == []


def test_shadows_lie_on_fog_that_is_thick_enough() -> None:
    pictures = []
    for shafts in (True, False):
        stage = Stage(setting({"fog_visibility": 300, "fog_height": 60, "shafts": shafts}))
        stage.add_target("high roof", *quad(-900, -900, 300.0, 900, 900, 300.0), (0.0, 0.0, 0.0))
        seen = evaluate(stage.setting, stage.setting.place.shots[0], 0.0, ahead())
        pictures.append(shown(stage, ahead(bearing=float(seen.key.azimuth)), samples=64)[10:16].mean())
        assert stage.world.air.weather["sunned"][0] == float(shafts)
    assert pictures[0] < 0.9 * pictures[1]


def test_clouds_are_a_pass_of_their_own_and_passes_still_add_up() -> None:
    stage = Stage(setting({"low": LowClouds(oktas=6), "fog_visibility": 3000, "fog_height": 100}))
    camera = ahead(pitch=25.0)
    stage.set(evaluate(stage.setting, stage.setting.place.shots[0], 0.0, camera))
    film = blank(32, 24, passes=True)
    expose(stage, film, 8)
    by = film.passes[..., :POSITION].reshape(24, 32, -1, 3)
    assert by[..., CLOUDS, :].mean() > 0.2 * by[..., BEHIND, :].mean() > 0
    assert by[..., AIR, :].mean() > 0
    assert by.sum(2) == pytest.approx(film.sums[..., :3], rel=1e-4, abs=1e-3)


def test_the_moon_lights_the_ground_and_throws_shadows() -> None:
    night = Clock(start="2026-10-05T23:30")
    shots = [small_place().shots[0].model_copy(update={"clock": night})]
    moons = [
        Heavens(moon_by="hand", moon_height=40.0, moon_bearing=180.0),
        Heavens(moon_by="none"),
    ]
    light = []
    for heavens in moons:
        stage = Stage(setting({"heavens": heavens}, shots=shots))
        light.append(shown(stage, down(), samples=32).mean())
        assert stage.world.lights.sun["by_moon"][0] == float(heavens.moon_by == "hand")
    assert light[0] > 20 * light[1] > 0
    stage = Stage(setting({"heavens": moons[0]}, shots=shots))
    stage.add_target("post", *quad(-0.3, -1.0, 1.0, 0.3, -1.0, 5.0), (0.1, 0.1, 0.1))
    picture = shown(stage, down(), samples=32).mean(-1)
    assert picture[10:14, 22:26].min() < 0.5 * np.median(picture)  # north of it, away from the moon


def test_stars_bring_their_light_whatever_the_size_of_a_pixel() -> None:
    night = Clock(start="2026-10-05T23:30")
    shots = [small_place().shots[0].model_copy(update={"clock": night})]
    total = []
    for size in ((120, 80), (240, 160)):
        stage = Stage(setting({"heavens": Heavens(moon_by="none", galaxy=0.0)}, shots=shots))
        with_stars = shown(stage, ahead(pitch=60.0), size=size, samples=16)
        dark = Stage(setting({"heavens": Heavens(moon_by="none", galaxy=0.0, stars=0.0)}, shots=shots))
        without = shown(dark, ahead(pitch=60.0), size=size, samples=16)
        total.append((with_stars - without).mean())
    assert total[0] > 0
    assert total[0] == pytest.approx(total[1], rel=0.12)


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        ("/air/rain", -1.0, "0 to 150"),
        ("/air/low/oktas", 9.0, "0 to 8"),
        ("/air/fog_visibility", 0.0, "20 to 200"),
        ("/air/heavens/moon_height", 120.0, "-90 to 90"),
    ],
)
def test_what_cannot_be_is_refused(path: str, value: float, words: str) -> None:
    place: Place = small_place(**BARE)
    with pytest.raises(PlaceError) as told:
        apply(place, command({"op": "set", "path": path, "value": value}))
    assert words.split()[0] in str(told.value)


def test_a_bank_with_crossing_edges_or_outside_the_place_still_renders() -> None:
    crossing = FogBank(id="x", area=[(-40, 10), (40, 60), (-40, 60), (40, 10)], visibility=30.0)
    outside = FogBank(id="o", area=[(5000, 5000), (5100, 5000), (5100, 5100)])
    offset = FogBank(id="g", area=SQUARE, amount=0.0)
    stage = Stage(setting(banks=[crossing, outside, offset]))
    assert np.isfinite(shown(stage, ahead(), samples=4)).all()


@pytest.mark.parametrize("heavens", [Heavens(sun_by="hand", sun_height=90.0), Heavens(sun_by="hand", sun_height=-90.0)])
def test_a_sun_overhead_and_one_underfoot(heavens: Heavens) -> None:
    stage = Stage(setting({"heavens": heavens, "low": LowClouds(oktas=4), "rain": 3.0}))
    assert np.isfinite(shown(stage, ahead(pitch=20.0), samples=4)).all()


def test_a_camera_in_a_cloud_sees_white() -> None:
    stage = Stage(setting({"low": LowClouds(oktas=8, closed=1, base=20, thick=400, density=0.05)}))
    light = shown(stage, Camera(np.array([0.0, 0.0, 200.0]), direction_of(0.0, 0.0), 28.0, focus=1000.0), samples=8)
    assert light.mean() > 500
    assert light.mean(-1).std() < 0.25 * light.mean()


@pytest.mark.parametrize(("bearing", "way"), [(270.0, (1, 0)), (0.0, (0, -1)), (225.0, (1, 1))])
@pytest.mark.parametrize("falls", ["rain", "snowing", "drifting_many"])
def test_what_falls_goes_downwind(falls: str, bearing: float, way: tuple[int, int]) -> None:
    """Wind from the west takes it to the east: as the slant says, as drops move, and as their streaks lie."""
    air = {falls: 30.0 if falls == "rain" else 4.0, "drifting": "leaves" if falls == "drifting_many" else "nothing"}
    told = setting(air, wind=Wind(speed=5.0, from_bearing=bearing, gustiness=0.0))
    showers = evaluate(told, told.place.shots[0], 0.0, ahead()).showers
    downwind = np.array(way, float) / np.hypot(*way)
    slants = np.array(showers.slants)
    blows = 0.65 * 5.0  # near the ground, against the wind at 10 m (practice)
    expected = [min(blows / kind.speed, 6.0) for kind in showers.kinds]
    assert slants @ downwind == pytest.approx(expected) and np.abs(slants @ [downwind[1], -downwind[0]]).max() < 1e-9
    seen = Seen(np.array([0.0, 0.0, 2.7]), np.array([0.0, 1.0, 0.0]), -1.0)
    kinds = [replace(kind, sways=0.0) for kind in showers.kinds]
    before, later = (
        in_the_air(kinds, seen, showers.slants, t, None, 0.02, 7)[0] for t in (0.0, 0.01 / max(k.speed for k in kinds))
    )
    # of what is in both: drops that left or came are few
    away, pairs = cKDTree(later[:, :3]).query(before[:, :3])
    moved = (later[pairs, :2] - before[:, :2])[away < 0.07]
    assert len(moved) > 0.5 * len(before) and np.median(moved @ downwind) > 0
    assert (before[:, 3:5] @ downwind > 0).all() and (before[:, 5] <= 0).all()


@pytest.mark.parametrize(("bearing", "way"), [(270.0, (1, 0)), (0.0, (0, -1))])
def test_banks_of_fog_drift_downwind(bearing: float, way: tuple[int, int]) -> None:
    """Their lumps have gone as far as the wind and their own share of it say; what is at a spot now was upwind."""
    bank = FogBank(id="b", area=SQUARE, drift=0.5, soft=1.0, life=1e6, pools=0.0, thick=12.0)
    told = setting(banks=[bank], wind=Wind(speed=4.0, from_bearing=bearing, gustiness=0.0))
    shot = told.place.shots[0]
    (now,) = evaluate(told, shot, 0.5, ahead()).banks
    assert now.offset[0] == pytest.approx(tuple(0.5 * 4.0 * 0.5 * k for k in way), abs=1e-9)
    stage = Stage(told)

    def thick(t: float, east: float, north: float) -> float:
        stage.set(evaluate(told, shot, t, ahead()))
        air = stage.world.air
        return float(density(air.bank[0], air.mist, east, north, 4.0)[0])

    spots = np.random.default_rng(3).uniform(-60, 60, (40, 2))
    first = np.array([thick(0.0, x, y) for x, y in spots])
    shift = np.array(now.offset[0])
    later = np.array([thick(0.5, x + shift[0], y + shift[1]) for x, y in spots])
    wrong = np.array([thick(0.5, x - shift[0], y - shift[1]) for x, y in spots])
    assert np.std(first) > 0.1 * first.mean()
    assert later == pytest.approx(first, rel=1e-3) and np.abs(wrong - first).max() > 0.05 * first.max()
