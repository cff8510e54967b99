"""Sun and moon over a place: which of them casts shadows, how they are set by hand, and how flat the sun is seen."""

import datetime as dt
from pathlib import Path

import numpy as np
import pytest

from lumwick.air.starry import galaxy, star_list
from lumwick.air.sun import SunPosition, flattened
from lumwick.errors import PlaceError
from lumwick.lens.camera import Camera, direction_of
from lumwick.place.describe import moment
from lumwick.place.edits import apply, command
from lumwick.place.filming import Clock
from lumwick.place.nature import Air, Heavens, Site
from lumwick.snapshot.evaluate import evaluate
from lumwick.snapshot.sun_moon import MOON_WHOLE, SUN_LAST, key_light, moon_at, sun_at, utc_of
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.air.test_weather import setting, shown


def sun(height: float) -> SunPosition:
    return SunPosition(np.array(250.0), np.array(height), np.array(height), np.array(1.0))


def by_hand(**told: object) -> Heavens:
    return Heavens(moon_by="hand", **told)  # type: ignore[arg-type]


NIGHT = dt.datetime(2026, 10, 25, 23, 0)


def test_the_moon_takes_over_without_a_step() -> None:
    moon = moon_at(small_place(air=Air(heavens=by_hand(moon_height=30.0))), NIGHT)
    assert moon is not None
    heights = np.linspace(2.0, -12.0, 141)
    keys = [key_light(sun(float(h)), moon) for h in heights]
    by_moon = np.array([key.by_moon for key in keys])
    assert not by_moon[heights > SUN_LAST].any() and by_moon[heights < SUN_LAST - 0.2].all()
    shares = np.array([key.share for key, by in zip(keys, by_moon, strict=True) if by])
    assert (np.diff(shares) >= 0).all() and np.diff(shares).max() < 0.06
    assert shares[0] < 0.01 and keys[-1].share == 1.0 and key_light(sun(MOON_WHOLE), moon).share == 1.0
    assert keys[-1].azimuth == moon.azimuth and keys[0].azimuth == 250.0
    assert not key_light(sun(-10.0), None).by_moon
    low = moon_at(small_place(air=Air(heavens=by_hand(moon_height=-3.0))), NIGHT)
    assert not key_light(sun(-10.0), low).by_moon  # one that is down lights nothing


def test_sun_and_moon_by_hand_stand_where_they_are_put_at_any_hour() -> None:
    told = Heavens(sun_by="hand", sun_bearing=-90.0, sun_height=33.0, moon_by="hand", moon_bearing=400.0)
    place = small_place(air=Air(heavens=told))
    for clock in (NIGHT, dt.datetime(2026, 6, 5, 12, 0)):
        one, moon = sun_at(place, clock), moon_at(place, clock)
        assert (float(one.azimuth), float(one.elevation)) == (270.0, 33.0)
        assert moon is not None and moon.azimuth == pytest.approx(40.0)
    assert moon_at(small_place(air=Air(heavens=Heavens(moon_by="none"))), NIGHT) is None


@pytest.mark.parametrize(("phase", "lit", "limb"), [(0.0, 0.0, 90), (0.25, 0.5, 90), (0.5, 1.0, 90), (0.75, 0.5, -90)])
def test_a_moon_by_hand_grows_from_its_right_and_wanes_to_its_left(phase: float, lit: float, limb: float) -> None:
    moon = moon_at(small_place(air=Air(heavens=by_hand(moon_phase=phase))), NIGHT)
    assert moon is not None and moon.lit == pytest.approx(lit, abs=1e-9) and moon.limb == limb


def test_the_places_clock_is_ahead_of_universal_time() -> None:
    assert utc_of(small_place(site=Site(utc_offset=5.5)), NIGHT) == NIGHT - dt.timedelta(hours=5.5)


@pytest.mark.parametrize("text", ["2026-06-05T10:00Z", "2026-06-05T10:00+02:00"])
def test_an_hour_that_brings_a_time_zone_is_refused_in_a_sentence(text: str) -> None:
    place = small_place()
    with pytest.raises(PlaceError, match="place's own clock"):
        apply(place, command({"op": "set", "path": "/shots/a/clock/start", "value": text}))
    with pytest.raises(PlaceError, match="leave the time zone out"):
        moment(text, NIGHT)
    assert moment("2026-06-05 10:00", NIGHT) == "2026-06-05T10:00:00" and moment("17:20", NIGHT)[11:16] == "17:20"


def test_stars_that_are_missing_are_told(tmp_path: Path) -> None:
    for read in (star_list, galaxy):
        with pytest.raises(PlaceError, match=r"cannot be read: set Lumwick up again, or turn"):
            read(tmp_path)
    (tmp_path / "stars.csv").write_text("hip,ra,dec,magnitude,colour\n1,east,2,3,4\n")
    with pytest.raises(PlaceError, match="list of stars"):
        star_list(tmp_path)


@pytest.mark.parametrize("height", [0.35, 3.0, 40.0])
def test_the_sun_is_seen_as_flat_as_air_makes_it(height: float) -> None:
    heavens = Heavens(sun_by="hand", sun_bearing=90.0, sun_height=height, moon_by="none")
    told = setting({"haze": 0.02, "heavens": heavens})
    stage, shot = Stage(told), told.place.shots[0]
    camera = Camera(np.array([0.0, 0.0, 60.0]), direction_of(90.0, height), 2000.0, 16.0, focus=1e5)
    light = shown(stage, camera, size=(96, 96), samples=24).sum(-1)
    disc = light > 0.2 * light.max()
    wide, high = disc.any(0).sum(), disc.any(1).sum()
    assert float(evaluate(told, shot, 0.0).sun.elevation) == height
    assert high / wide == pytest.approx(flattened(height), abs=0.035)
    # and as wide as it was told: 0.53 degree
    across = 2 * np.degrees(np.arctan(camera.lens.tangent)) / 96 * wide
    assert across == pytest.approx(0.53, abs=0.03)


def test_the_sun_gives_the_same_light_however_flat_it_is() -> None:
    clock = [Clock(start=dt.datetime(2026, 6, 5, hour)) for hour in (5, 12)]
    for one in clock:
        shots = [small_place().shots[0].model_copy(update={"clock": one})]
        told = setting({"haze": 0.05}, shots=shots)
        stage = Stage(told)
        stage.set(evaluate(told, told.place.shots[0], 0.0))
        sun_ = stage.world.lights.sun[0]
        assert 0.4 <= sun_["flat"] <= 1.0
        assert sun_["illuminance"] == pytest.approx(stage.clear.sun_lux)
