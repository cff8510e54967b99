"""The Route and Cut benches over HTTP: ride check, repairs, drafts, ways drawn and brought in, films, notes."""

import io
import json
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image

from lumwick.deliver.stills import read_png, write_png
from lumwick.frame_keys import film_keys
from lumwick.place.document import Cut, Piece
from lumwick.place.filming import Route, Station
from lumwick.route.track import Track
from studio.places.models import Place
from studio.takes.models import Frame, Note, Order, Take
from studio.takes.store import stored
from tests.conftest import small_place
from tests.studio.conftest import kept_place, until, words

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def visitor(client: Client, place: Any) -> Client:
    client.force_login(place.owner)
    return client


def post(visitor: Client, place: Any, tail: str, **body: Any) -> Any:
    return visitor.post(
        f"/places/{place.pk}/{tail}",
        json.dumps({"rev": Place.objects.get(pk=place.pk).head.number, "shot": "a", **body}),
        content_type="application/json",
    )


def shot_now(place: Any) -> Any:
    return Place.objects.get(pk=place.pk).head.parsed().shots[0]


def test_the_ride_check_and_its_repairs_can_be_tried_and_undone(visitor: Client, place: Any) -> None:
    place.edit(1, {"op": "move_station", "shot": "a", "station": "s2", "east": 0, "north": -10, "up": -9})
    said = visitor.get(f"/places/{place.pk}/ride/?shot=a").json()
    under = next(f for f in said["found"] if f["kind"] == "under")
    assert not said["clean"] and said["rev"] == 2 and {r["how"] for r in under["repairs"]} == {"lift"}
    reply = post(visitor, place, "mend/", how="lift", **{"from": under["from_s"], "to": under["to_s"], "kind": "under"})
    assert reply.status_code == 200 and reply.json()["state"]["undo"].startswith("lift over it")
    assert "under" not in {f["kind"] for f in visitor.get(f"/places/{place.pk}/ride/?shot=a").json()["found"]}
    visitor.post(
        f"/places/{place.pk}/edit/",
        json.dumps({"rev": 3, "shot": "a", "move": "undo"}),
        content_type="application/json",
    )
    assert shot_now(place).route.stations[1].up == -9
    assert (
        "Nothing of this kind"
        in post(visitor, place, "mend/", how="level", **{"from": 0, "to": 1, "kind": "level"}).json()["error"]
    )
    stale = visitor.post(
        f"/places/{place.pk}/mend/", json.dumps({"rev": 1, "shot": "a", "how": "all"}), content_type="application/json"
    )
    assert stale.status_code == 409, stale.content
    assert post(visitor, place, "mend/", how="all").json()["done"]
    for body in ("", "[]", '{"rev": "x"}', '{"rev": 3, "how": "lift"}'):
        answer = visitor.post(f"/places/{place.pk}/mend/", body, content_type="application/json")
        assert answer.status_code == 400 and answer.json()["error"], (body, answer.status_code)


def test_a_draft_changes_nothing(visitor: Client, place: Any) -> None:
    now = visitor.get(f"/places/{place.pk}/state/?shot=a").json()["route"]
    drawn = post(visitor, place, "draft/", station="s2", east=10.0, north=-30.0, up=9.0).json()
    assert len(drawn["samples"]) == len(now["samples"]) and drawn["samples"][60][1:4] != now["samples"][60][1:4]
    assert (
        Place.objects.get().head.number == 1 and visitor.get(f"/places/{place.pk}/state/?shot=a").json()["route"] == now
    )
    assert "no station 'zz'" in post(visitor, place, "draft/", station="zz").json()["error"]


def test_ways_are_drawn_suggested_and_stood(visitor: Client, place: Any) -> None:
    assert (
        post(visitor, place, "draw/", points=[[-60, -80], [-20, -60], [30, -70], [80, -20]], way="walk").status_code
        == 200
    )
    shot = shot_now(place)
    assert shot.route.way == "walk" and shot.route.aim == "ahead" and len(shot.route.stations) == 4
    assert "two points" in post(visitor, place, "draw/", points=[[0, 0]]).json()["error"]
    assert "no length" in post(visitor, place, "draw/", points=[[0, 0], [0, 0]]).json()["error"]
    assert len(visitor.get(f"/places/{place.pk}/suggest/?shot=a").json()["views"]) == 6
    reply = post(
        visitor,
        place,
        "edit/",
        command={
            "op": "add_station",
            "shot": "a",
            "index": 9,
            "stand": {"east": 90, "north": -10, "aim_east": 120, "aim_north": -10},
        },
    )
    assert reply.status_code == 200
    last = shot_now(place).route.stations[-1]
    assert (last.east, last.aim[0]) == (90, 120) and len(shot_now(place).route.stations) == 5


def test_paths_are_brought_in_and_what_they_do_not_say_is_asked_once(visitor: Client, place: Any) -> None:
    def lay(name: str, data: bytes, **more: str) -> Any:
        return visitor.post(
            f"/places/{place.pk}/lay/",
            {"file": SimpleUploadedFile(name, data), "rev": Place.objects.get().head.number, "shot": "a", **more},
        ).json()

    assert lay("p.csv", b"east,north,up\n0,0,20\n30,10,22\n60,0,20\n")["ask"] == "unit"
    said = lay("p.csv", b"east,north,up\n0,0,20\n30,10,22\n60,0,20\n", unit="ft")
    assert "3 stations" in said["note"] and shot_now(place).route.stations[1].east == pytest.approx(9.144)
    svg = (
        b'<svg xmlns="http://www.w3.org/2000/svg"><path id="one" d="M0 '
        b'0L20 9L40 0"/><path id="two" d="M0 0L50 -20"/></svg>'
    )
    asked = lay("p.svg", svg, unit="m")
    assert asked["ask"] == "which" and asked["choices"] == ["one", "two"]
    assert (
        "2 stations" in lay("p.svg", svg, unit="m", which="two", **{"as": "walk"})["note"]
        and shot_now(place).route.way == "walk"
    )
    t = np.linspace(0, 4, 97)
    track = Track(t, np.stack([10 * t, 5 * np.sin(t), 20 + 0 * t], 1), 90 - 10 * t, 0 * t - 5, 0 * t, 35 + 0 * t)
    exact = lay("cam.csv", track.csv())
    assert exact["note"].startswith("cam: a path run exactly, 4.0") and shot_now(place).route.way == "brought"
    look = exact["state"]["route"]["samples"]
    assert (
        look[-1][1] == pytest.approx(40, abs=0.5) and visitor.get(f"/places/{place.pk}/ride/?shot=a").status_code == 200
    )
    for kind in ("glb", "usda", "csv", "svg", "dxf", "gpx"):
        out = visitor.get(f"/places/{place.pk}/cameras/?shot=a&kind={kind}")
        assert out.status_code == 200 and len(out.content) > 200
    assert visitor.get(f"/places/{place.pk}/cameras/?kind=mov").status_code == 422
    assert (
        "stations" in lay("cam.csv", track.csv(), **{"as": "stations"})["note"]
        and 2 <= len(shot_now(place).route.stations) <= 60
    )
    assert "no path" in lay("empty.svg", b'<svg xmlns="http://www.w3.org/2000/svg"/>')["error"]
    assert "Choose a file" in visitor.post(f"/places/{place.pk}/lay/", {"rev": 1, "shot": "a"}).json()["error"]


def test_a_route_that_cannot_run_leaves_the_page_usable(visitor: Client, place: Any) -> None:
    place.edit(1, {"op": "set", "path": "/shots/a/route/way", "value": "follow"})
    state = visitor.get(f"/places/{place.pk}/state/?shot=a").json()
    assert "choose a subject" in state["route"]["fault"] and len(state["route"]["stations"]) == 3
    assert [f["kind"] for f in visitor.get(f"/places/{place.pk}/ride/?shot=a").json()["found"]] == ["cannot run"]
    assert visitor.get(f"/places/{place.pk}/?shot=a").status_code == 200
    assert "choose a subject" in visitor.get(f"/places/{place.pk}/look/?shot=a&t=0&step=0&wish=1&tab=x").json()["error"]
    for tab in ("station", "way", "pace", "aim", "lens"):
        assert visitor.get(f"/places/{place.pk}/slip/?bench=route&shot=a&tab={tab}&selected=s1").status_code == 200


def film_of(owner: Any) -> Any:
    base = small_place().shots[0]
    shots = [base.model_copy(update={"frames": 6}), base.model_copy(update={"id": "b", "name": "B", "frames": 5})]
    return kept_place(
        owner,
        shots=shots,
        cut=Cut(pieces=[Piece(id="p", shot="a", join="dissolve", over=2), Piece(id="q", shot="b")], fade_out=2),
    )


def test_a_film_is_made_of_its_shots_frames(account: Any, worker: Any, client: Client) -> None:
    place = film_of(account)
    client.force_login(account)
    assert client.get(f"/places/{place.pk}/film/ready/?size=64x36").json()["frames"] == {}
    made = client.post(f"/places/{place.pk}/film/take/", {"size": "64x36", "quality": "rehearsal"}).json()
    assert made["frames"] == 9
    worker()
    take = Take.objects.get(pk=made["id"])
    until(lambda: Take.objects.get(pk=take.pk).state == Take.State.DONE, what="the film")
    assert (
        take.film_path.exists() and len(client.get(f"/places/{place.pk}/film/ready/?size=64x36").json()["frames"]) == 9
    )
    first, mixed = (read_png(take.frames.get(number=n).path) for n in (4, 5))
    assert first.shape == mixed.shape == (36, 64, 3)
    assert (
        read_png(take.frames.get(number=9).path).mean() < 0.6 * read_png(take.frames.get(number=7).path).mean()
    )  # it fades out
    # the frame of one shot alone is that shot's own: a rehearsal of the shot finds it made
    from studio.looks.settings import revision_setting

    assert film_keys(revision_setting(place.head.pk), (64, 36), "rehearsal")[0] == take.frames.get(number=1).key
    assert client.post(f"/places/{place.pk}/film/take/", {"size": "big", "quality": "sketch"}).status_code == 422
    place.edit(1, {"op": "set", "path": "/cut/pieces/p/over", "value": 20})
    assert (
        "dissolves take 20"
        in client.post(f"/places/{place.pk}/film/take/", {"size": "64x36", "quality": "rehearsal"}).json()["error"]
    )
    assert "dissolves take 20" in client.get(f"/places/{place.pk}/state/?shot=a").json()["film"]["fault"]


def finished(place: Any, tint: int) -> Take:
    """A take whose frames are plain pictures."""
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 8))
    for frame in take.frames.all():
        frame.path.parent.mkdir(parents=True, exist_ok=True)
        write_png(frame.path, np.full((36, 64, 3), tint, np.uint8))
    take.frames.update(state=Frame.State.DONE)
    Take.objects.filter(pk=take.pk).update(state=Take.State.DONE)
    return take


def test_takes_compared_noted_restored_and_on_a_sheet(visitor: Client, other: Any, place: Any) -> None:
    a = finished(place, 90)
    place.edit(1, {"op": "set", "path": "/shots/a/exposure/ev100", "value": 12.0})
    b = finished(Place.objects.get(), 150)
    page = words(visitor.get(f"/places/{place.pk}/takes/compare/?a={a.pk}&b={b.pk}"))
    assert "exposure 14 EV → 12 EV" in page and a.frames.first().key in page and b.frames.first().key in page
    assert visitor.get(f"/places/{place.pk}/takes/compare/").status_code == 302
    note = visitor.post(
        f"/takes/{a.pk}/notes/",
        json.dumps({"t": 0.1, "x": 0.4, "y": 0.6, "text": "  too  dark "}),
        content_type="application/json",
    ).json()["note"]
    assert note["text"] == "too dark" and Note.objects.get().t == 0.1
    for bad, status in (
        ({"t": 0, "x": 2, "y": 0, "text": "x"}, 422),
        ({"t": 0, "x": 0, "y": 0, "text": "  "}, 422),
        ({"x": 0}, 400),
    ):
        answer = visitor.post(f"/takes/{a.pk}/notes/", json.dumps(bad), content_type="application/json")
        assert answer.status_code == status and answer.json()["error"], (bad, answer.status_code)
    assert visitor.post(f"/notes/{note['id']}/").json()["note"]["settled"]
    sheet = Image.open(io.BytesIO(visitor.get(f"/takes/{a.pk}/sheet.png").content))
    assert sheet.width == 1600 and sheet.getpixel((300, 200)) == (90, 90, 90)
    assert visitor.post(f"/takes/{a.pk}/restore/").url.endswith(f"/places/{place.pk}/?shot=a")
    assert Place.objects.get().head.label == "restored revision 1" and shot_now(place).exposure.ev100 == 14.0
    assert (
        visitor.post(f"/notes/{note['id']}/", {"remove": 1}).json() == {"gone": note["id"]}
        and not Note.objects.exists()
    )
    visitor.force_login(other)
    for url in (
        f"/places/{place.pk}/takes/compare/?a={a.pk}",
        f"/takes/{a.pk}/sheet.png",
        f"/places/{place.pk}/ride/?shot=a",
        f"/places/{place.pk}/cameras/",
    ):
        assert visitor.get(url).status_code == 404
    assert visitor.post(f"/takes/{a.pk}/notes/", "{}", content_type="application/json").status_code == 404
    assert stored(a.frames.first().key).exists()


def test_a_view_in_the_look_rolls_and_keeps_the_routes_light(account: Any) -> None:
    from studio.looks.engine import ENGINE_OF_LOOKS
    from studio.looks.settings import revision_setting

    stations = [
        Station(id="s1", east=-20, north=-20, up=6, aim=(0, 60, 2), ev100=11.0),
        Station(id="s2", east=0, north=-10, up=5, aim=(10, 60, 2), ev100=13.0),
    ]
    place = kept_place(account, shots=[small_place().shots[0].model_copy(update={"route": Route(stations=stations)})])
    setting = revision_setting(place.head.pk)
    camera = ENGINE_OF_LOOKS.camera(
        setting,
        setting.place.shots[0],
        0.5,
        {"x": 0, "y": 0, "z": 5, "bearing": 0, "pitch": 0, "focal": 28, "roll": 12},
    )
    assert camera is not None and camera.ev100 == pytest.approx(12.0) and camera.roll == 12


def test_anothers_take_is_not_compared_with_ones_own(visitor: Client, other: Any, place: Any) -> None:
    """By its number in the address of one's own place: on either side of the page."""
    mine, theirs = finished(place, 90), finished(kept_place(other), 150)
    for asked in (f"a={theirs.pk}", f"a={mine.pk}&b={theirs.pk}", f"a={theirs.pk}&b={mine.pk}"):
        reply = visitor.get(f"/places/{place.pk}/takes/compare/?{asked}")
        assert reply.status_code == 404 and theirs.frames.first().key not in reply.content.decode(), asked
    assert visitor.get(f"/places/{place.pk}/takes/compare/?a={mine.pk}").status_code == 200
