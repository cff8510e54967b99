"""Links for clients: what they open, until when, and that nothing else is reachable by them."""

import datetime as dt
import io
from typing import Any

import numpy as np
import pytest
from django.test import Client
from django.utils import timezone
from PIL import Image

from lumwick.built.gobo_film import read_gobo_film
from studio.guests.models import Answer, Link
from studio.looks.settings import revision_setting
from studio.places.models import AssetFile
from studio.takes.models import Frame, Order, Take
from tests.studio.conftest import kept_place, words

pytestmark = pytest.mark.django_db


def done_take(place: Any, kind: str = "take") -> Take:
    """A take whose frames and film are there."""
    take = Take.begin(place, "a", Order(kind, (64, 36), "sketch", 1, 2))
    for frame in take.frames.all():
        frame.path.parent.mkdir(parents=True, exist_ok=True)
        frame.path.write_bytes(b"png")
    take.frames.update(state=Frame.State.DONE)
    take.film_path.parent.mkdir(parents=True, exist_ok=True)
    take.film_path.write_bytes(b"0123456789")
    Take.objects.filter(pk=take.pk).update(state=Take.State.DONE)
    return take


@pytest.fixture
def link(place: Any) -> Link:
    return Link.make(place, "Harbour Trust", 7)


def test_a_link_shows_takes_and_lets_one_walk(place: Any, link: Link, client: Client) -> None:
    take, rehearsal = done_take(place), done_take(place, "rehearsal")
    page = client.get(f"/seen/{link.token}/")
    assert page.status_code == 200 and "Harbour Trust" in words(page)
    assert f"Take {take.number}" in words(page) and f"Rehearsal {rehearsal.number}" not in words(page)
    film = client.get(f"/seen/{link.token}/takes/{take.number}/film.mp4", headers={"range": "bytes=2-4"})
    assert film.status_code == 206 and b"".join(film.streaming_content) == b"234"
    assert client.get(f"/seen/{link.token}/takes/{rehearsal.number}/film.mp4").status_code == 404
    assert b"".join(client.get(f"/seen/{link.token}/takes/{take.number}/first.png").streaming_content) == b"png"
    look = client.get(f"/seen/{link.token}/look/", {"shot": "a", "step": 0, "wish": 1})
    assert look.status_code == 200 and look["Content-Type"] == "image/jpeg"
    x, y, z, *_ = (float(v) for v in look["X-Camera"].split(","))
    walked = client.get(
        f"/seen/{link.token}/look/", {"shot": "a", "wish": 2, "cam": f"{x},{y},{z + 40},10,0,28", "walk": "1"}
    )
    # on the floor, at eye height, however high it was asked for
    floor = revision_setting(place.head.pk).stands_on(x, y)
    assert walked.status_code == 200 and float(walked["X-Eye"]) == pytest.approx(max(floor, 0.0) + 1.6, abs=0.5)
    assert client.get(f"/seen/{link.token}/look/", {"cam": "here"}).status_code == 400


def test_a_client_signs_off_or_asks_for_changes(place: Any, link: Link, client: Client) -> None:
    take = done_take(place)
    address = f"/seen/{link.token}/takes/{take.number}/answer/"
    assert client.post(address, {"verdict": "approved", "name": "Ada"}).status_code == 302
    said = {"verdict": "changes", "name": "Ada", "text": "Less fog, please."}
    assert client.post(address, said).status_code == 302
    assert [a.verdict for a in Answer.objects.all()] == ["approved", "changes"]
    assert "Less fog, please." in words(client.get(f"/seen/{link.token}/"))
    for bad in (
        {"verdict": "approved"},
        {"verdict": "maybe", "name": "Ada"},
        {"verdict": "approved", "name": "x" * 99},
    ):
        assert client.post(address, bad).status_code == 422
    client.force_login(place.owner)
    assert "Less fog, please." in words(client.get(f"/places/{place.pk}/takes/"))


@pytest.mark.parametrize("how", ["ended", "until", "thrown out"])
def test_a_link_that_has_ended_opens_nothing(place: Any, link: Link, client: Client, how: str) -> None:
    take = done_take(place)
    if how == "ended":
        client.force_login(place.owner)
        assert client.post(f"/links/{link.pk}/end/").status_code == 302
        client.logout()
    elif how == "until":
        Link.objects.filter(pk=link.pk).update(until=timezone.now() - dt.timedelta(seconds=1))
    else:
        place.thrown_out = timezone.now()
        place.save()
    for tail in ("", "look/", f"takes/{take.number}/film.mp4", f"takes/{take.number}/first.png"):
        assert client.get(f"/seen/{link.token}/{tail}").status_code == 410, tail
    reply = client.post(f"/seen/{link.token}/takes/{take.number}/answer/", {"verdict": "approved", "name": "Ada"})
    assert reply.status_code == 410 and not Answer.objects.exists()


def test_a_link_opens_only_its_own_place(place: Any, other: Any, link: Link, client: Client) -> None:
    another = done_take(kept_place(other))
    mine = done_take(place)
    assert another.number == mine.number  # so that only the link tells them apart
    another.film_path.write_bytes(b"another's")
    film = client.get(f"/seen/{link.token}/takes/{mine.number}/film.mp4")
    assert b"".join(film.streaming_content) == b"0123456789"
    assert client.get("/seen/nobody/").status_code == 404
    # having followed a link signs nobody in
    client.get(f"/seen/{link.token}/")
    for address in (f"/places/{place.pk}/", f"/places/{place.pk}/state/", f"/takes/{mine.pk}/film.mp4", "/"):
        assert client.get(address).status_code == 302, address
    assert client.post(f"/places/{place.pk}/edit/", "{}", content_type="application/json").status_code == 302


def test_links_are_made_by_the_places_owner_for_some_days(place: Any, client: Client, other: Any) -> None:
    client.force_login(place.owner)
    assert client.post(f"/places/{place.pk}/links/", {"name": "Ada", "days": "3"}).status_code == 302
    made = Link.objects.get(name="Ada")
    assert 2.9 < (made.until - timezone.now()) / dt.timedelta(days=1) <= 3 and len(made.token) >= 32
    assert made.token in client.get(f"/places/{place.pk}/takes/").content.decode()
    for bad in ({"name": "", "days": "3"}, {"name": "A", "days": "0"}, {"name": "A", "days": "9999"},
                {"name": "A", "days": "x"}):  # fmt: skip
        assert client.post(f"/places/{place.pk}/links/", bad).status_code == 422
    client.force_login(other)
    assert client.post(f"/places/{place.pk}/links/", {"name": "Eve", "days": "3"}).status_code == 404
    assert client.post(f"/links/{made.pk}/end/").status_code == 404 and Link.objects.get(pk=made.pk).holds


def test_a_take_becomes_a_gobo_in_one_step(place: Any, client: Client) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 3, outputs=("cut_sky",)))
    client.force_login(place.owner)
    assert client.post(f"/takes/{take.pk}/gobo/").status_code == 422
    for k, frame in enumerate(take.frames.order_by("number")):
        cut = Image.new("RGBA", (64, 36), (90, 120, 40, 0))
        cut.paste((90, 120, 40, 255), (8 * k, 0, 8 * k + 16, 36))
        out = io.BytesIO()
        cut.save(out, "PNG")
        path = frame.files()[".cut.png"]
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(out.getvalue())
    take.frames.update(state=Frame.State.DONE)
    reply = client.post(f"/takes/{take.pk}/gobo/")
    assert reply.status_code == 302 and reply["Location"].startswith(f"/places/{place.pk}/?pick=shadow")
    place.refresh_from_db()
    (lamp,) = revision_setting(place.head.pk).place.lamps
    assert lamp.kind == "spot" and lamp.gobo is not None and lamp.gobo.kind == "film" and lamp.gobo.film is not None
    film = read_gobo_film(AssetFile.read(lamp.gobo.film), lamp.gobo.film.name)
    assert len(film.frames) == 3
    # a dark post that goes to the right
    dark = [int(np.argmin(f[128, :, 0].astype(int))) for f in film.frames]
    assert dark[0] < dark[1] < dark[2]
    assert lamp.gobo.rate == pytest.approx(1.0)


def test_a_link_shows_finished_takes_alone(place: Any, link: Link, client: Client) -> None:
    """A take that is under way, was cancelled or failed is not shown, nor its film, its first frame or an answer."""
    for state in Take.State.values:
        if state == Take.State.DONE:
            continue
        take = done_take(place)
        Take.objects.filter(pk=take.pk).update(state=state)
        assert f"Take {take.number}" not in words(client.get(f"/seen/{link.token}/")), state
        for tail in ("film.mp4", "first.png"):
            assert client.get(f"/seen/{link.token}/takes/{take.number}/{tail}").status_code == 404, (state, tail)
        said = {"verdict": "approved", "name": "Ada"}
        assert client.post(f"/seen/{link.token}/takes/{take.number}/answer/", said).status_code == 404, state
    assert not Answer.objects.exists()


def test_a_client_sees_their_own_answers_alone(place: Any, link: Link, client: Client) -> None:
    take, second = done_take(place), Link.make(place, "The other client", 7)
    for one, text in ((link, "More reeds on the left."), (second, "The price is too high.")):
        said = {"verdict": "changes", "name": "Ada", "text": text}
        assert client.post(f"/seen/{one.token}/takes/{take.number}/answer/", said).status_code == 302
    first, other = (words(client.get(f"/seen/{one.token}/")) for one in (link, second))
    assert "More reeds" in first and "The price" not in first
    assert "The price" in other and "More reeds" not in other
