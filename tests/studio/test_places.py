"""Places, edits, and who may see what."""

import datetime as dt
import json
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from lumwick.air.sun import sun_day
from lumwick.demo import saltmere
from lumwick.errors import PlaceError
from lumwick.frame_keys import frame_keys
from lumwick.motion.channel import Channel, Key
from lumwick.place.files import pack, unpack
from lumwick.place.objects import Lamp
from studio.looks.settings import revision_setting
from studio.places.models import Place, Revision, StaleRevision
from studio.takes.models import Order, Take
from tests.studio.conftest import kept_place, words

pytestmark = pytest.mark.django_db


@pytest.fixture
def visitor(client: Client, account: Any) -> Client:
    client.force_login(account)
    return client


def send(client: Client, place: Any, **body: Any) -> Any:
    return client.post(f"/places/{place.pk}/edit/", json.dumps({"shot": "a", **body}), content_type="application/json")


def fog(place: Any) -> float:
    return Place.objects.get(pk=place.pk).head.parsed().air.fog_visibility


def test_edit_undo_redo_are_named_moves_between_revisions(place: Any) -> None:
    assert place.edit(1, {"op": "set", "path": "/air/fog_visibility", "value": 500}).label == "fog visibility 500 m"
    place.edit(2, {"op": "set", "path": "/air/fog_visibility", "value": 900})
    assert place.undo(3).number == 2 and fog(place) == 500
    assert Place.objects.get(pk=place.pk).redo_label == "fog visibility 900 m"
    assert place.redo(2).number == 3 and fog(place) == 900
    assert place.restore(3, 1).number == 4 and fog(place) == 20000
    assert place.revisions.count() == 4
    with pytest.raises(PlaceError, match="Nothing has been undone"):
        place.redo(4)


def test_a_stale_edit_is_told_and_changes_nothing(visitor: Client, place: Any) -> None:
    assert (
        send(visitor, place, rev=1, command={"op": "set", "path": "/air/fog_visibility", "value": 500}).status_code
        == 200
    )
    reply = send(visitor, place, rev=1, command={"op": "set", "path": "/air/fog_visibility", "value": 700})
    assert (
        reply.status_code == 409 and "changed elsewhere" in reply.json()["error"] and reply.json()["state"]["rev"] == 2
    )
    assert fog(place) == 500
    with pytest.raises(StaleRevision):
        place.undo(1)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"path": "/air/fog_visibility", "text": "thick"}, "must be a number"),
        ({"path": "/air/fog_visibility", "text": "5 m"}, "lies from 20 m"),
        ({"path": "/air/x", "text": "5"}, "no field"),
    ],
)
def test_bad_typing_gets_a_sentence_and_changes_nothing(visitor: Client, place: Any, typed: dict, says: str) -> None:
    reply = send(visitor, place, rev=1, typed=typed)
    assert reply.status_code == 422 and says in reply.json()["error"]
    assert Place.objects.get(pk=place.pk).head.number == 1


def test_a_keyed_value_sets_a_key_only_if_somebody_said_so(visitor: Client, place: Any) -> None:
    path = "/air/fog_visibility"
    send(visitor, place, rev=1, command={"op": "key", "path": path, "t": 0, "value": 500})
    asked = send(visitor, place, rev=2, typed={"path": path, "text": "2 km", "t": 0.5}).json()["ask"]
    assert (
        "nothing was changed" in asked["words"] and asked["raise"] and Place.objects.get(pk=place.pk).head.number == 2
    )
    state = send(visitor, place, rev=2, typed={"path": path, "text": "2 km", "t": 0.5, "how": "key"}).json()
    assert state["undo"] == "key: fog visibility 2000 m at 0.50 s" and [k["v"] for k in state["lanes"][0]["keys"]] == [
        500,
        2000,
    ]
    # a key that stands here takes the value; with changes that set keys, none is asked; and the whole curve can be
    # raised
    state = send(visitor, place, rev=3, typed={"path": path, "text": "3 km", "t": 0.51}).json()
    assert [k["v"] for k in state["lanes"][0]["keys"]] == [500, 3000]
    state = send(visitor, place, rev=4, typed={"path": path, "text": "1 km", "t": 0.25, "auto": True}).json()
    assert [k["v"] for k in state["lanes"][0]["keys"]] == [500, 1000, 3000]
    state = send(visitor, place, rev=5, typed={"path": path, "text": "1 km", "t": 0.0, "how": "raise"}).json()
    state = send(visitor, place, rev=6, typed={"path": path, "text": "2 km", "t": 0.9, "how": "raise"}).json()
    assert "whole curve" in state["undo"] and state["lanes"][0]["keys"][0]["v"] == pytest.approx(1000 * 2000 / 3000)


def test_a_keyed_thing_is_moved_on_the_chart_only_if_somebody_said_so(visitor: Client, account: Any) -> None:
    place = kept_place(account, lamps=[Lamp(id="l", name="Beam", east=Channel(keys=(Key(t=0, v=1), Key(t=0.8, v=9))))])
    move = {"op": "move", "of": "lamps", "id": "l", "east": 5, "north": 2, "t": 0.4}
    assert "nothing was moved" in send(visitor, place, rev=1, command=move).json()["ask"]["words"]
    state = send(visitor, place, rev=1, command=move, auto=True).json()
    assert [k["v"] for k in state["lanes"][0]["keys"]] == [1, 5, 9] and state["undo"] == "moved lamp Beam"


def test_clip_clock_and_planner(visitor: Client, place: Any) -> None:
    base = f"/places/{place.pk}/"

    def post(tail: str, **data: Any) -> Any:
        return visitor.post(base + tail, {"rev": Place.objects.get(pk=place.pk).head.number, "shot": "a", **data})

    assert post("clip/", length="10 s", fps="25", keep="scale").json()["state"]["shot"]["frames"] == 250
    assert (
        "written in frames" in post("clip/", length="long").json()["error"]
        and "not a frame rate" in post("clip/", length="10", fps="1000").json()["error"]
    )
    assert "reload the page" in visitor.post(f"{base}clip/", {"rev": "x", "shot": "a", "length": "9"}).json()["error"]
    plan = post("lapse/", event="3 h", clip="10 s", fps="24").json()
    assert (plan["frames"], plan["interval"]) == (240, 45.0) and "one each 45 s" in plan["text"]
    assert (
        "Give three" in post("lapse/", event="3 h").json()["error"]
        and "must be a number" in post("lapse/", event="some", clip="1", fps="24").json()["error"]
    )
    state = post("lapse/", event="3 h", clip="10 s", fps="24", use="1").json()["state"]
    assert (state["shot"]["frames"], state["shot"]["fps"]) == (240, "24") and "1080 times as fast" in state["undo"]
    # two hours before to one hour after sunset in ten seconds, in one step
    before = Place.objects.get(pk=place.pk).head.number
    state = post("around/", event="sunset", before="2 h", after="1 h", clip="10 s").json()["state"]
    assert state["rev"] == before + 1 and state["shot"]["seconds"] == 10
    clock = Place.objects.get(pk=place.pk).head.parsed().shots[0].clock
    sunset = sun_day(clock.start.date(), 52.0, 1.0, 0.0).sunset
    assert sunset and abs((clock.start - (sunset - dt.timedelta(hours=2))).total_seconds()) < 1 and clock.speed == 1080
    assert [m["text"][:6] for m in state["day"]["marks"]] == ["sunset"] and state["day"]["marks"][0][
        "t"
    ] == pytest.approx(20 / 3, abs=0.05)
    # in the polar day there is none: a sentence
    send(visitor, place, rev=before + 1, command={"op": "set", "path": "/site/latitude", "value": 78})
    assert "the sun is up all day" in post("around/", event="sunset", before="2", after="1", clip="10").json()["error"]
    assert "The sun is up all day" in words(visitor.get(f"{base}clock/?shot=a"))
    met = visitor.get(f"{base}meet/?shot=a&bearing=180").json()["found"]
    assert len(met) == 1 and "bearing 180" in met[0]["text"]
    assert visitor.get(f"{base}meet/?shot=a&bearing=north").status_code == 422


def test_seam_amount_and_skyline_are_told(visitor: Client, place: Any) -> None:
    base = f"/places/{place.pk}/"
    page = words(visitor.get(f"{base}seam/?shot=a"))
    assert "make the clip a loop" in page and "do not close" in page
    said = visitor.post(f"{base}seam/step/", {"shot": "a"}).json()
    assert said["seam"] > 0 and "times the usual one" in said["text"]
    told = visitor.get(f"{base}amount/?shot=a&t=0.2").json()
    assert {"camera", "plants"} <= {a["name"] for a in told["amounts"]} and told["map"].startswith(
        "data:image/png;base64,"
    )
    still = visitor.get(f"{base}amount/?shot=a&t=0.2&cam=0,0,8,0,-5,28").json()
    assert next(a for a in still["amounts"] if a["name"] == "camera")["text"] == "stands still"
    assert visitor.get(f"{base}amount/?shot=a&t=x").status_code == 422
    assert visitor.get(f"{base}meet/?shot=a&t=0&cam=0,0,8,270,2,24").json().keys() == {"none", "found"}


def test_states_are_named_and_compared(visitor: Client, place: Any) -> None:
    base = f"/places/{place.pk}/history/"
    send(visitor, place, rev=1, typed={"path": "/air/haze", "text": "0.3", "t": 0})
    page = words(visitor.post(f"{base}name/", {"number": 2, "called": "  Hazier  one "}))
    assert "Hazier one" in page and Revision.objects.get(place=place, number=2).called == "Hazier one"
    told = words(visitor.get(f"{base}compare/?a=2&b=1"))
    assert "haze 0.12 → 0.3" in told and "Hazier one" in told
    assert visitor.post(f"{base}name/", {"number": "x", "called": "y"}).status_code == 404
    assert (
        visitor.get(f"{base}compare/?a=1&b=9").status_code == 404
        and visitor.get(f"{base}compare/?a=x").status_code == 422
    )


def test_set_station_stores_the_looks_view(visitor: Client, place: Any) -> None:
    view = {"x": 1, "y": 2, "z": 9, "bearing": 90, "pitch": 0, "focal": 35}
    state = send(visitor, place, rev=1, command={"op": "add_station", "shot": "a", "index": 1, "view": view}).json()
    station = state["route"]["stations"][1]
    assert (station["east"], station["north"], station["focal"]) == (1, 2, 35) and station["aim"][0] == pytest.approx(
        21
    )


def test_pages_answer(visitor: Client, place: Any) -> None:
    for path in (
        "/",
        "/help/",
        f"/places/{place.pk}/",
        f"/places/{place.pk}/takes/",
        f"/places/{place.pk}/chart/",
        f"/places/{place.pk}/waves/",
        f"/places/{place.pk}/history/",
        f"/places/{place.pk}/take-form/?shot=a",
        "/healthz",
    ):
        assert visitor.get(path).status_code == 200, path
    for bench in ("land", "water", "growth", "air", "route", "cut"):
        for selected in ("", "reeds", "s1"):
            assert (
                visitor.get(f"/places/{place.pk}/slip/?bench={bench}&shot=a&selected={selected}&t=0.2").status_code
                == 200
            )


def test_a_look_is_a_picture_and_the_same_again(visitor: Client, place: Any) -> None:
    one = visitor.get(f"/places/{place.pk}/look/?shot=a&t=0.5&step=0&wish=1")
    assert one.status_code == 200 and one.content[:2] == b"\xff\xd8"
    again = visitor.get(f"/places/{place.pk}/look/?shot=a&t=0.5&step=0&wish=2")
    assert again.content == one.content
    own = visitor.get(f"/places/{place.pk}/look/?shot=a&t=0.5&step=0&wish=3&cam=0,0,12,45,-10,35")
    assert own.status_code == 200 and own.content != one.content
    assert visitor.get(f"/places/{place.pk}/look/?shot=a&t=0.5&step=1&wish=1").status_code == 204  # an older wish
    assert visitor.get(f"/places/{place.pk}/look/?cam=1,2").status_code == 400


def test_another_accounts_ids_answer_404_everywhere(client: Client, other: Any, place: Any) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 2))
    frame = take.frames.get(number=1)
    frame.path.parent.mkdir(parents=True)
    frame.path.write_bytes(b"x")
    take.frames.update(state="done")
    take.folder.mkdir(parents=True)
    take.film_path.write_bytes(b"x")
    p, t = f"/places/{place.pk}/", f"/takes/{take.pk}/"
    gets = [
        p,
        f"{p}state/",
        f"{p}chart/",
        f"{p}slip/",
        f"{p}look/",
        f"{p}export/",
        f"{p}history/",
        f"{p}print.jpg",
        f"{p}waves/",
        f"{p}takes/",
        f"{p}take-form/",
        t,
        f"{p}ready/?shot=a",
        f"{p}clock/",
        f"{p}meet/?bearing=90",
        f"{p}seam/",
        f"{p}amount/",
        f"{p}history/compare/?a=1&b=1",
        f"{p}shown/{'0' * 64}.jpg",
        f"{t}film.mp4",
        f"{t}frames.zip",
        f"{t}frames/1.png",
    ]
    posts = [
        f"{p}edit/",
        f"{p}clip/",
        f"{p}lapse/",
        f"{p}around/",
        f"{p}seam/step/",
        f"{p}history/name/",
        f"{p}budget/",
        f"{p}take/",
        f"{p}rehearse/",
        f"{p}throw-out/",
        f"{t}cancel/",
        f"{t}resume/",
    ]
    for path in gets + posts:
        call = client.get if path in gets else client.post
        assert call(path).status_code == 302  # signed out: to the sign-in page
    client.force_login(other)
    for path in gets + posts:
        call = client.get if path in gets else client.post
        assert call(path).status_code == 404, path
    client.force_login(place.owner)
    assert client.get(f"{t}frames/1.png").status_code == 200
    part = client.get(f"{t}film.mp4", headers={"Range": "bytes=0-0"})
    assert part.status_code == 206 and part["Content-Range"] == "bytes 0-0/1"


def test_a_place_file_out_and_in_again(visitor: Client, place: Any) -> None:
    data = visitor.get(f"/places/{place.pk}/export/").content
    assert unpack(data)[0].name == "Small"
    reply = visitor.post("/places/bring-in/", {"file": SimpleUploadedFile("small.place.zip", data)})
    assert reply.status_code == 302 and Place.objects.count() == 2


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("a.tif", b"", "empty"),
        ("a.tif", b"nonsense" * 99, "not an elevation file"),
        ("a.zip", b"PK00", "cut short or damaged"),
        ("a.json", b'{"format": "lumwick-place", "version": 7}', "version 7"),
    ],
)
def test_bad_files_get_a_sentence_and_leave_nothing(visitor: Client, name: str, data: bytes, says: str) -> None:
    reply = visitor.post("/places/bring-in/", {"file": SimpleUploadedFile(name, data)}, headers={"HX-Request": "true"})
    assert reply.status_code == 422 and says in reply.content.decode()
    assert Place.objects.count() == 0


def test_accounts(client: Client, account: Any) -> None:
    assert client.post("/join/", {"username": "a@b.example", "password": "long-enough-9"}).status_code == 200
    assert client.post("/join/", {"username": "new@b.example", "password": "short"}).status_code == 200
    assert client.post("/join/", {"username": "new@b.example", "password": "long-enough-9"}).status_code == 302
    assert client.get("/").status_code == 200
    client.post("/sign-out/")
    assert client.get("/")["Location"].startswith("/sign-in/")


def test_a_place_that_is_thrown_out_can_be_brought_back(visitor: Client, place: Any, other: Any) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 2))
    assert visitor.post(f"/places/{place.pk}/throw-out/").status_code == 302
    chest = words(visitor.get("/"))
    assert "There is no place yet" in chest and "bring Small back" in chest
    assert visitor.get(f"/places/{place.pk}/").status_code == 404
    take.refresh_from_db()
    assert take.state == Take.State.CANCELLED
    stranger = Client()
    stranger.force_login(other)
    assert stranger.post(f"/places/{place.pk}/bring-back/").status_code == 404
    visitor.post(f"/places/{place.pk}/bring-back/")
    assert visitor.get(f"/places/{place.pk}/").status_code == 200 and Take.objects.count() == 1


def test_the_chart_is_asked_for_only_when_it_changed(visitor: Client, place: Any) -> None:
    first = visitor.get(f"/places/{place.pk}/state/?shot=a").json()["chart"]
    same = send(visitor, place, rev=1, typed={"path": "/sea/clarity", "text": "4", "t": 0}).json()["chart"]
    assert same == first
    assert send(visitor, place, rev=2, typed={"path": "/sea/level", "text": "0.5", "t": 0}).json()["chart"] != first


def test_the_demo_file_can_be_brought_in(visitor: Client) -> None:
    reply = visitor.post("/places/bring-in/", {"file": SimpleUploadedFile("demo.place.zip", pack(*saltmere()))})
    assert reply.status_code == 302 and Place.objects.get().name == "Saltmere Reach"


def test_frames_depend_on_what_they_show_and_nothing_else(account: Any) -> None:
    place = kept_place(account)

    def keys() -> list[str]:
        setting = revision_setting(Place.objects.get(pk=place.pk).head.pk)
        return frame_keys(setting, setting.place.shot("a"), range(1, 25), (64, 36), "sketch")

    before = keys()
    assert len(set(before)) == 24
    place.edit(1, {"op": "set", "path": "/name", "value": "Other name"})
    assert keys() == before
    place.edit(2, {"op": "set", "path": "/air/haze", "value": 0.3})
    hazy = keys()
    assert not set(hazy) & set(before)
    # keys that hold until half a second: only what comes after them is made anew when the last is changed
    for number, (t, value) in enumerate(((0.0, 14.0), (0.5, 14.0), (0.9, 12.0)), 3):
        place.edit(number, {"op": "key", "path": "/shots/a/exposure/ev100", "t": t, "value": value})
    dark = keys()
    assert dark[:12] == hazy[:12] and not set(dark[13:]) & set(hazy)
    place.edit(6, {"op": "key", "path": "/shots/a/exposure/ev100", "t": 0.9, "value": 11.0})
    assert keys()[:12] == hazy[:12] and keys()[13:] != dark[13:]
