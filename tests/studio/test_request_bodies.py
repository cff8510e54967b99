"""Requests that cannot be read are answered with 400 and a sentence, and change nothing."""

from __future__ import annotations

import json
from typing import Any

import pytest
from django.test import Client, RequestFactory

from studio.places.models import Place
from studio.places.request_bodies import Draft, DrawnWay, Edit, Mend, Pin, Typed, Unreadable, read, share, whole

pytestmark = pytest.mark.django_db

ROUTES = ("edit/", "mend/", "draft/", "draw/")
UNREADABLE = ("", "{", "[]", "null", '"x"', "{}", '{"rev": "x", "shot": "a"}', '{"rev": null}', '{"rev": 1e999}')


@pytest.fixture
def visitor(client: Client, account: Any) -> Client:
    client.force_login(account)
    return client


@pytest.mark.parametrize("tail", ROUTES)
def test_bodies_that_say_nothing_are_refused_in_a_sentence(visitor: Client, place: Any, tail: str) -> None:
    for body in UNREADABLE:
        answer = visitor.post(f"/places/{place.pk}/{tail}", body, content_type="application/json")
        assert answer.status_code == 400, (body, answer.status_code)
        assert answer.json()["error"].endswith(".")
    assert Place.objects.get(pk=place.pk).head.number == 1


@pytest.mark.parametrize(
    "body",
    [
        {},
        {"move": "sideways"},
        {"restore": "first"},
        {"typed": {"path": "/air/haze"}},
        {"typed": {"path": "/air/haze", "text": "0.2", "keep": "nothing"}},
        {"typed_key": {"path": "/air/haze", "t": "soon", "text": "1"}},
        {"command": "remove everything"},
        {"command": {"op": "add_station", "stand": "here"}},
        {"command": {"op": "update_station", "view": 7}},
    ],
)
def test_edits_that_cannot_be_read(visitor: Client, place: Any, body: dict[str, Any]) -> None:
    sent = json.dumps({"rev": 1, "shot": "a", **body})
    answer = visitor.post(f"/places/{place.pk}/edit/", sent, content_type="application/json")
    assert answer.status_code == 400 and answer.json()["error"].endswith("."), (body, answer.content)
    assert Place.objects.get(pk=place.pk).head.number == 1


def test_what_a_page_may_send_is_read(rf: RequestFactory) -> None:
    def sent(model: Any, **body: Any) -> Any:
        return read(rf.post("/", json.dumps(body), content_type="application/json"), model)

    mend = sent(Mend, rev=3, shot="a", how="lift", **{"from": 0.5, "to": 2})
    assert (mend.begins, mend.ends, mend.kind) == (0.5, 2.0, "")
    held = sent(Draft, rev=1, shot="a", station="s2", aim=[1, 2, 3])
    assert held.aim == (1.0, 2.0, 3.0) and held.east is None
    assert sent(DrawnWay, rev=1, shot="a", points=[[0, 1], [2.5, 3]]).points == [(0.0, 1.0), (2.5, 3.0)]
    assert sent(Edit, rev=1, typed={"path": "/air/haze", "text": 0.3}).typed == Typed(path="/air/haze", text="0.3")
    assert sent(Edit, rev=1, move="undo", later="ignored").move == "undo"
    assert sent(Pin, t=0, x=0.5, y=0.5, text="here").text == "here"
    for wrong in ({"points": [[0]]}, {"points": [["x", 0]]}, {"points": 7}):
        with pytest.raises(Unreadable):
            sent(DrawnWay, rev=1, shot="a", **wrong)


def test_numbers_of_forms_and_addresses() -> None:
    assert whole("12") == 12 and whole("") == 0 and whole(None) == 0
    assert share("0.25") == 0.25 and share("7") == 1.0 and share("-1") == 0.0
    for text in ("x", "1.5e", "--"):
        with pytest.raises(Unreadable):
            whole(text)
    for text in ("", "left", None):
        with pytest.raises(Unreadable):
            share(text)


def test_spots_of_the_look_that_cannot_be_read(visitor: Client, place: Any) -> None:
    for query in ("", "u=left&v=0", "u=0.5"):
        answer = visitor.get(f"/places/{place.pk}/spot/?{query}")
        assert answer.status_code == 400 and "pick it again" in answer.json()["error"]
