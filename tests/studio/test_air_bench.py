"""The Air bench's answers: the air by its height, and what its slips offer."""

from typing import Any

import pytest
from django.test import Client

from lumwick.place.nature import Air, HighClouds, LowClouds
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.sounding import Sounding, sounding
from studio.places.days import air_by_height, words_of
from studio.places.models import Place
from studio.places.slips import groups_of
from tests.conftest import small_place

CLOUDY = Air(low=LowClouds(oktas=4, base=900, thick=600), high=HighClouds(amount=3), fog_visibility=3000)


def test_the_air_by_its_height_is_that_of_the_instant(setting: Setting) -> None:
    cloudy = Setting(setting.place.model_copy(update={"air": CLOUDY}), setting.ground)
    shot = cloudy.place.shots[0]
    told = air_by_height(cloudy, shot, 0.4, None)
    seen = evaluate(cloudy, shot, 0.4)
    assert told["path"] == "/air" and told["eye"] == pytest.approx(float(seen.camera.position[2]), abs=0.01)
    assert told["low"] == {"oktas": 4, "base": 900, "thick": 600} and told["high"]["amount"] == 3
    assert told["fog"]["sight"] == pytest.approx(3000, abs=2)
    assert told["wind"] == sounding(cloudy, seen).wind
    clear = air_by_height(setting, shot, 0.4, None)
    assert clear["low"] is None and clear["high"] is None
    own = shot.model_copy(update={"air": CLOUDY})
    alone = Setting(setting.place.model_copy(update={"shots": [own]}), setting.ground)
    assert air_by_height(alone, own, 0.0, None)["path"] == f"/shots/{own.id}/air"


def test_readings_have_the_digits_that_tell_something() -> None:
    bright = words_of(Sounding([], 21_040.0, 4211.0, 12_873.0, 14_020.0, 61_913.0, 3.0))
    assert bright == [
        "sight 21.0 km",
        "sky 4 210 cd/m² up, 12 900 ahead",
        "ground 75 900 lx, sun 61 900",
    ]
    night = words_of(Sounding([], 340.0, 0.00042, 0.0031, 0.0011, 0.18, 3.0), "moon")
    assert night[0] == "sight 340 m" and "0.00042" in night[1] and night[2].endswith("moon 0.18")
    closed = words_of(Sounding([], 3200.0, 310.0, 1210.0, 1070.0, 1.8e-183, 3.0))
    assert closed[2] == "ground 1 070 lx, sun 0"


@pytest.mark.django_db
def test_the_page_is_told_the_air_and_faults_in_a_sentence(account: Any, place: Place) -> None:
    client = Client()
    client.force_login(account)
    shot = place.head.parsed().shots[0].id  # type: ignore[union-attr]
    told = client.get(f"/places/{place.pk}/aloft/", {"shot": shot, "t": "0.5"}).json()
    assert len(told["words"]) == 3 and told["wind"][0][0] == 2
    bad = client.get(f"/places/{place.pk}/aloft/", {"shot": shot, "t": "soon"})
    assert bad.status_code == 422 and bad.json()["error"]


def offered(place: Any, bench: str, selected: str = "", tab: str = "") -> dict[str, Any]:
    return {c["title"]: c for c in groups_of(place, place.shots[0], bench, selected, 0.0, tab)}


def test_ridges_to_begin_with_stand_where_the_shot_looks() -> None:
    place = small_place()
    adds = offered(place, "land")["Far off"]["adds"]
    assert [one["text"] for one in adds][:2] == ["Wooded hills", "Bare downs"]
    # the first station looks from (-20, -20) at (0, 60)
    assert {one["add"]["item"]["bearing"] for one in adds} == {14.0}
    with_one = small_place(ridges=[{k: v for k, v in adds[2]["add"]["item"].items()}])
    again = offered(with_one, "land")["Far off"]
    assert again["listed"] == [{"id": "ridge1", "name": "Mountains"}]
    assert again["adds"][0]["add"]["item"]["id"] == "ridge2" and again["adds"][0]["add"]["item"]["seed"] == 2
    one = offered(with_one, "land", "ridge1")
    assert list(one) == ["Mountains", "Where", "Its form", "On it"] and one["Mountains"]["remove"]["of"] == "ridges"


def test_a_bank_says_in_which_shot_it_is_and_a_near_picture_where_it_was_taken() -> None:
    bank = {"id": "b", "area": [(0, 0), (50, 0), (50, 50)]}
    place = small_place(banks=[bank])
    [select] = offered(place, "air", "b")["Bank of fog"]["selects"]
    assert select["path"] == "/banks/b/only" and select["options"][0] == ("", "every shot")
    assert ("a", "A") in select["options"]
    picture = {"sha256": "1" * 64, "name": "e.hdr", "bytes": 3}
    for away, named in ((0.0, {"picture", "turn", "lux", "away"}), (40.0, {"away", "east", "north", "up"})):
        told = small_place(surround={"picture": picture, "away": away})
        fields = {view.path.rsplit("/", 1)[1] for view in offered(told, "air")["Light from a picture"]["fields"]}
        assert named <= fields and ("east" in fields) is (away > 0)
