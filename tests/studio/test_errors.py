"""When the database is away, or something of ours is wrong: a sentence, and another try where that helps."""

from typing import Any

import pytest
from django.db import OperationalError
from django.test import Client

from studio.places.views import account as pages

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize(
    ("error", "status", "words", "again"),
    [
        (OperationalError("connection refused at 127.0.0.1"), 503, "database does not answer", True),
        (ZeroDivisionError("secret inside"), 500, "should not", False),
    ],
)
def test_a_sentence_and_another_try(
    error: Exception, status: int, words: str, again: bool, account: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise error

    client = Client(raise_request_exception=False)
    client.force_login(account)
    monkeypatch.setattr(pages, "render", broken)
    page = client.get("/help/")
    text = page.content.decode()
    assert page.status_code == status and words in text and str(error) not in text
    assert ('http-equiv="refresh"' in text) is again and ("Retry-After" in page) is again
    data = client.get("/help/", HTTP_SEC_FETCH_DEST="empty")
    assert data.status_code == status and words in data.json()["error"]
