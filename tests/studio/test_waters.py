"""Waters through the studio: added, refused in a sentence, drawn, and a drawn beach as picture and film."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
import pytest
from django.test import Client
from PIL import Image

from studio.places.models import Place

pytestmark = pytest.mark.django_db


def sent(client: Client, place: Place, edit: dict[str, Any]) -> Any:
    place.refresh_from_db()
    assert place.head is not None
    body = json.dumps({"rev": place.head.number, "command": edit})
    return client.post(f"/places/{place.pk}/edit/", body, content_type="application/json")


@pytest.fixture
def stream(client: Client, place: Any) -> dict[str, Any]:
    """A stream that runs down the land's own fall."""
    client.force_login(place.owner)
    item = {"id": "brook", "kind": "stream", "name": "Brook", "width": 6.0, "depth": 0.4}
    reply = sent(client, place, {"op": "run_down", "east": 250, "north": 300, "item": item})
    assert reply.status_code == 200, reply.content
    return dict(client.get(f"/places/{place.pk}/chart/").json()["waters"][0])


def test_a_stream_runs_down_the_lands_own_fall_and_is_drawn(client: Client, place: Any, stream: dict[str, Any]) -> None:
    assert stream["kind"] == "stream" and stream["shape"].startswith("M") and not stream["trouble"]
    told = client.get(f"/places/{place.pk}/waves/?shot=a&t=0&selected=brook").json()
    rows = np.array(told["stream"])
    assert (np.diff(rows[:, 2]) < 1e-6).all() and (rows[:, 3] < rows[:, 2]).all()  # down, and over its bed
    assert "l/s" in told["words"] and "cm deep" in told["words"]
    # a water under a spot that lies in the sea is refused
    item = {"id": "other", "kind": "stream", "name": "Other"}
    reply = sent(client, place, {"op": "run_down", "east": -560, "north": 0, "item": item})
    assert reply.status_code == 422 and "under water" in reply.json()["error"]


def test_what_cannot_run_is_refused_and_nothing_is_changed(client: Client, place: Any, stream: dict[str, Any]) -> None:
    before = client.get(f"/places/{place.pk}/state/").json()["rev"]
    up = {"op": "set", "path": "/waters/brook/line", "value": stream["line"][::-1]}
    reply = sent(client, place, up)
    assert reply.status_code == 422 and "uphill" in reply.json()["error"]
    bow = {"id": "p", "kind": "pond", "name": "P", "line": [[0, 300], [60, 360], [60, 300], [0, 360]]}
    assert "crosses itself" in sent(client, place, {"op": "add", "to": "waters", "item": bow}).json()["error"]
    assert client.get(f"/places/{place.pk}/state/").json()["rev"] == before


def test_the_sea_is_told_with_its_shore_its_tide_and_what_a_loop_changes(client: Client, place: Any) -> None:
    client.force_login(place.owner)
    for path, value in (("/sea/tide_range", 2.0), ("/shots/a/loop", True)):
        assert sent(client, place, {"op": "set", "path": path, "value": value}).status_code == 200
    told = client.get(f"/places/{place.pk}/waves/?shot=a&t=0").json()
    assert "the loop of 1 s is too short for these waves" in told["words"]
    heights = [row[1] for row in told["tide"]["curve"]]
    assert max(heights) == pytest.approx(1.0, abs=0.02) and min(heights) == pytest.approx(-1.0, abs=0.05)
    edge = np.array(told["shore"]["edge"])
    assert edge[0, 1] == pytest.approx(edge[-1, 1], abs=0.01) and np.ptp(edge[:, 1]) > 0
    assert told["shore"]["run_up"] > 0


def test_a_ponds_section_and_the_fields_of_each_kind(client: Client, place: Any) -> None:
    client.force_login(place.owner)
    item = {"id": "p", "kind": "pond", "name": "Pool", "line": [[0, 300], [60, 300], [60, 360], [0, 360]], "depth": 2}
    assert sent(client, place, {"op": "add", "to": "waters", "item": item}).status_code == 200
    told = client.get(f"/places/{place.pk}/waves/?shot=a&t=0&selected=p").json()
    assert min(z for _, z in told["section"]) < told["level"] - 1.0 and "3600 m²" in told["words"]
    slip = client.get(f"/places/{place.pk}/slip/", {"bench": "water", "shot": "a", "selected": "p"}).content.decode()
    assert "Sheltered" in slip and "InstanceBatch" not in slip


def test_a_drawn_beach_is_shown_with_alpha(client: Client, place: Any) -> None:
    client.force_login(place.owner)
    item = {"id": "wash", "name": "Wash", "reach": 0.4, "uneven": 0}
    assert sent(client, place, {"op": "add", "to": "beaches", "item": item}).status_code == 200
    reply = client.get(f"/places/{place.pk}/beach/wash/?shot=a&t=0.5")
    picture = np.asarray(Image.open(io.BytesIO(reply.content)))
    assert picture.shape == (360, 640, 4)
    assert (picture[..., 3] > 127).mean() == pytest.approx(0.4, abs=0.02)
    assert client.get(f"/places/{place.pk}/waves/?shot=a&t=0&selected=wash").json()["beach"] == "wash"
    none = client.get(f"/places/{place.pk}/beach/none/?shot=a")
    assert none.status_code == 422 and "no drawn beach" in none.json()["error"]
    slip = client.get(f"/places/{place.pk}/slip/", {"bench": "water", "shot": "a", "selected": "wash"}).content.decode()
    assert "film with alpha" in slip and "Run up, hold, pull back" in slip
