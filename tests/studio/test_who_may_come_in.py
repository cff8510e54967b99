"""Every address of the studio, taken from its own list: another's things are as good as none, strangers sign in, forged
requests are refused."""

from collections.abc import Iterator
from typing import Any

import pytest
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver, reverse

from studio.guests.models import Link
from studio.takes.models import Note, Order, Take

pytestmark = pytest.mark.django_db

OPEN = {"healthz", "sign-in", "sign-out", "join"}
"""Addresses for everybody."""
OF_NOBODY = {"chest", "help", "bring-in"}
"""Addresses that name nothing of anybody."""


def every(patterns: Any, names: tuple[str, ...] = ()) -> Iterator[tuple[str, set[str]]]:
    """Name and parameters of each address."""
    for one in patterns:
        if isinstance(one, URLResolver):
            yield from every(one.url_patterns, names)
        elif isinstance(one, URLPattern):
            assert one.name, f"{one.pattern} has no name"
            yield one.name, set(one.pattern.converters)


ALL = dict(every(get_resolver().url_patterns))
BY_LINK = {name for name in ALL if "token" in ALL[name]}
"""Addresses that a client's link opens while it holds (tests/studio/test_guests.py)."""
GUARDED = sorted(set(ALL) - OPEN - BY_LINK)
OWNED = sorted(set(GUARDED) - OF_NOBODY)


@pytest.fixture
def things(place: Any) -> dict[str, Any]:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 2))
    note = Note.objects.create(take=take, t=0.0, x=0.5, y=0.5, text="here")
    link = Link.make(place, "Client", 3)
    told = {"place_id": place.pk, "take_id": take.pk, "note_id": note.pk, "number": 1, "key": "0" * 8, "name": "wash"}
    return {**told, "link_id": link.pk, "token": link.token}


def address(name: str, things: dict[str, Any]) -> str:
    return reverse(name, kwargs={k: things[k] for k in ALL[name]})


def test_the_list_is_whole() -> None:
    assert len(ALL) > 50 and set(ALL) >= OPEN | OF_NOBODY


def test_another_account_finds_nothing(things: dict[str, Any], client: Client, other: Any) -> None:
    client.force_login(other)
    for name in OWNED:
        statuses = {method(address(name, things)).status_code for method in (client.get, client.post)}
        assert 404 in statuses and statuses <= {404, 405}, name  # 405: it does not know the method


def test_strangers_are_sent_to_sign_in(things: dict[str, Any], client: Client) -> None:
    for name in GUARDED:
        for method in (client.get, client.post):
            reply = method(address(name, things))
            assert reply.status_code == 302 and reply["Location"].startswith("/sign-in/?next="), name


def test_a_request_that_another_site_forged_is_refused(things: dict[str, Any], place: Any) -> None:
    careful = Client(enforce_csrf_checks=True)
    careful.force_login(place.owner)
    for name in sorted(set(ALL) - {"healthz"}):
        assert careful.post(address(name, things)).status_code == 403, name


def test_a_page_whose_session_has_ended_is_told_so(place: Any) -> None:
    """Its scripts would follow a redirect and take the page for signing in for their answer."""
    address = reverse("chart", args=[place.pk])
    told = Client().get(address, HTTP_SEC_FETCH_DEST="empty")
    assert told.status_code == 401 and "session has ended" in told.json()["error"]
    assert Client().get(address, HTTP_SEC_FETCH_DEST="document").status_code == 302
