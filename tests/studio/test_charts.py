"""What the chart, the drawings and the slip are told."""

import datetime as dt
import json
from typing import Any

import pytest
from django.core.management import call_command
from django.test import Client

from lumwick.place.filming import Clock
from lumwick.place.nature import Sea
from lumwick.snapshot.evaluate import Setting
from studio.places import charts, days, waterlines
from studio.places.models import Place, command_schema
from tests.conftest import small_place
from tests.studio.conftest import kept_place, words


def with_clock(marsh: Any, **clock: Any) -> Setting:
    place = small_place()
    shot = place.shots[0].model_copy(update={"clock": Clock(**clock)})
    return Setting(place.model_copy(update={"shots": [shot]}), marsh)


def test_chart_is_in_metres_with_north_up(setting: Setting) -> None:
    drawn = charts.chart(setting)
    w, s, e, n = drawn["bounds"]
    assert (w, e) == (-576, 576) and (s, n) == (-576, 576)
    assert drawn["water"].startswith("M") and drawn["water"].endswith("Z") and len(drawn["lines"]) > 5
    assert {q["id"] for q in drawn["stands"]} == {"pines", "reeds"}
    pines = next(q for q in drawn["stands"] if q["id"] == "pines")
    assert all(30 <= x <= 120 and 100 <= y <= 200 for x, y, _ in pines["dots"])
    dry = Setting(setting.place.model_copy(update={"sea": Sea(present=False)}), setting.ground)
    assert charts.chart(dry)["water"] == ""
    assert waterlines.sea_drawing(dry, dry.place.shots[0], 0.0)["spectrum"] == []
    assert "Beaufort 4" in waterlines.sea_drawing(setting, setting.place.shots[0], 0.0)["words"]


def test_route_drawing_agrees_with_its_stations(setting: Setting) -> None:
    shot = setting.place.shots[0]
    drawn = charts.route_drawing(setting, shot)
    assert next(s["t"] for s in drawn["stations"]) == 0 and drawn["stations"][-1]["t"] == pytest.approx(1.0)
    first = drawn["samples"][0]
    assert first[1:4] == pytest.approx([-20, -20, 6], abs=0.01)
    assert "m in 1.0 s" in drawn["summary"]
    bare = shot.model_copy(update={"route": shot.route.model_copy(update={"stations": []})})
    assert charts.route_drawing(setting, bare)["samples"] == []


def test_the_day_band_marks_the_sunset(marsh: Any) -> None:
    setting = with_clock(marsh, start=dt.datetime(2026, 6, 5, 18, 0), speed=4 * 3600)  # four hours in the clip's second
    band = days.day_band(setting, setting.place.shots[0])
    assert [m["text"].split()[0] for m in band["marks"]] == ["sunset"] and 0 < band["marks"][0]["t"] < 1
    assert band["moments"][0]["elevation"] > 10 > -2 > band["moments"][-1]["elevation"]
    assert band["moments"][0]["colour"] != band["moments"][-1]["colour"]
    still = with_clock(marsh, start=dt.datetime(2026, 6, 5, 18, 0), speed=0)
    assert days.day_band(still, still.place.shots[0])["marks"] == []


def test_polar_day_is_said(marsh: Any) -> None:
    setting = with_clock(marsh, start=dt.datetime(2026, 6, 21, 12, 0))
    north = Setting(
        setting.place.model_copy(update={"site": setting.place.site.model_copy(update={"latitude": 78.0})}), marsh
    )
    assert days.day_band(north, north.place.shots[0])["words"] == "the sun is up all day"


@pytest.mark.django_db
def test_slip_shows_units_and_ride_check(client: Client, account: Any) -> None:
    place = kept_place(account)
    client.force_login(account)
    air = words(client.get(f"/places/{place.pk}/slip/?bench=air&shot=a"))
    assert "Fog visibility" in air and 'data-path="/air/fog_visibility"' in air and "Give this shot its own air" in air
    place.edit(1, {"op": "own_air", "shot": "a", "own": True})
    own = words(client.get(f"/places/{place.pk}/slip/?bench=air&shot=a"))
    assert 'data-path="/shots/a/air/fog_visibility"' in own and "Fog of this shot" in own
    place.edit(2, {"op": "move_station", "shot": "a", "station": "s1", "east": -20, "north": -20, "up": -30})
    route = words(client.get(f"/places/{place.pk}/slip/?bench=route&shot=a&selected=s1"))
    assert "Station 1" in route
    said = client.get(f"/places/{place.pk}/ride/?shot=a").json()
    under = next(f for f in said["found"] if f["kind"] == "under")
    assert (
        "under the ground" in under["text"]
        and {"how": "lift", "text": "Lift over it"} in under["repairs"]
        and not said["clean"]
    )


@pytest.mark.django_db
def test_demo_is_seeded_once() -> None:
    call_command("seed_demo")
    call_command("seed_demo")
    assert [p.name for p in Place.objects.all()] == ["Saltmere Reach", "Saltmere Yard", "Harrow Down"]
    assert "discriminator" in command_schema()


@pytest.mark.django_db
def test_an_edit_that_says_nothing_is_refused(client: Client, account: Any) -> None:
    place = kept_place(account)
    client.force_login(account)
    for body in (
        "",
        "{}",
        '{"rev": "x"}',
        '{"rev": 1}',
        '{"rev": 1, "command": 5}',
        '{"rev": 1, "typed": {"path": "/air/haze"}}',
    ):
        assert client.post(f"/places/{place.pk}/edit/", body, content_type="application/json").status_code == 400, body
    assert (
        client.post(
            f"/places/{place.pk}/edit/", '{"rev": 1, "move": "undo"}', content_type="application/json"
        ).status_code
        == 422
    )
    assert (
        client.post(
            f"/places/{place.pk}/edit/", '{"rev": 1, "restore": 9}', content_type="application/json"
        ).status_code
        == 422
    )
    assert Place.objects.get(pk=place.pk).head.number == 1


def test_every_animated_value_of_a_shot_has_a_lane() -> None:
    from lumwick.motion.channel import Channel, Key
    from lumwick.place.filming import Develop
    from lumwick.place.instant import Motions
    from lumwick.place.nature import Air, Sea
    from tests.conftest import small_place

    ramp = Channel(keys=[Key(t=0, v=0.2), Key(t=1, v=0.4)])
    base = small_place()
    shot = base.shots[0].model_copy(update={"develop": Develop(saturation=ramp), "air": Air(haze=ramp)})
    place = base.model_copy(
        update={"shots": [shot], "sea": Sea(wind_speed=Channel(keys=[Key(t=0, v=3)])), "air": Air(haze=ramp)}
    )
    assert [(mover.path, mover.title) for mover in Motions(place, shot).movers] == [
        ("/shots/a/develop/saturation", "Saturation"),
        ("/shots/a/air/haze", "Haze"),
        ("/sea/wind_speed", "Sea wind"),
    ]  # not the place's own air: this shot has another


@pytest.mark.django_db
def test_spectrum_tells_swell_tide_and_what_was_lowered(client: Client, place: Any) -> None:
    client.force_login(place.owner)

    def set_(field: str, value: object) -> None:
        place.refresh_from_db()
        sent = {"rev": place.head.number, "command": {"op": "set", "path": f"/sea/{field}", "value": value}}
        done = client.post(f"/places/{place.pk}/edit/", json.dumps(sent), content_type="application/json")
        assert done.status_code == 200

    plain = client.get(f"/places/{place.pk}/waves/?shot=a&t=0").json()
    for field, value in (("swell_height", 2.0), ("swell_period", 14.0), ("tide_range", 2.0), ("tide_high", 10.0)):
        set_(field, value)
    told = client.get(f"/places/{place.pk}/waves/?shot=a&t=0").json()
    assert "swell of 2.00 m every 14.0 s" in told["words"] and "water at +1.00 m" in told["words"]
    peak = max(told["spectrum"], key=lambda row: row[1])
    assert 1 / peak[0] == pytest.approx(14.0, rel=0.08) and max(s for _, s in plain["spectrum"]) < peak[1]
    set_("depth", 2.0)
    assert "swell lowered to 0.84 m" in client.get(f"/places/{place.pk}/waves/?shot=a&t=0").json()["words"]
    asked = {"bench": "water", "shot": "a"}
    slip, swell = (
        client.get(f"/places/{place.pk}/slip/", {**asked, "tab": tab}).content.decode() for tab in ("sea", "swell")
    )
    assert "gale, Beaufort 8" in slip and "Swell spread" in swell and "High water at" in swell
