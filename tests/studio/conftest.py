"""Accounts, places and workers for tests of the studio."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from django.db import connection

from lumwick.land.elevation import write_elevation
from lumwick.land.starters import saltmarsh
from lumwick.place.files import asset_of
from lumwick.place.nature import Land
from tests.conftest import small_place

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture(autouse=True)
def media(settings: Any, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Files of this test alone."""
    folder = tmp_path_factory.mktemp("media")
    settings.MEDIA_ROOT = folder
    return folder


@pytest.fixture
def account(django_user_model: Any) -> Any:
    return django_user_model.objects.create_user("a@b.example", password="long-enough-1")


@pytest.fixture
def other(django_user_model: Any) -> Any:
    return django_user_model.objects.create_user("c@d.example", password="long-enough-2")


def kept_place(owner: Any, **changes: Any) -> Any:
    """A small place in the database."""
    from studio.places.models import Place

    data = write_elevation(saltmarsh(97, 12.0))
    asset = asset_of("g.tif", data)
    return Place.start(
        owner, small_place(land=Land(elevation=asset), **changes), {asset.sha256: data}, "made for a test"
    )


@pytest.fixture
def place(account: Any) -> Any:
    return kept_place(account)


@pytest.fixture
def worker(media: Path) -> Iterator[Callable[[], subprocess.Popen[bytes]]]:
    """Starts render workers on the test database; ends what is left."""
    started: list[subprocess.Popen[bytes]] = []
    log = (media / "worker.log").open("ab")

    def start() -> subprocess.Popen[bytes]:
        env = {**os.environ, "LUMWICK_DB": connection.settings_dict["NAME"], "LUMWICK_MEDIA": str(media)}
        started.append(
            subprocess.Popen([sys.executable, "manage.py", "render_worker"], cwd=ROOT, env=env, stdout=log, stderr=log)
        )
        return started[-1]

    yield start
    for process in started:
        if process.poll() is None:
            process.send_signal(signal.SIGKILL)
        process.wait()


def until(condition: Callable[[], Any], seconds: float = 240.0, what: str = "it") -> Any:
    """Wait for a state."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = condition()
        if found:
            return found
        time.sleep(0.1)
    pytest.fail(f"waited {seconds:.0f} s for {what}")


def words(reply: Any) -> str:
    """A page's text with its white space folded, as a browser shows it."""
    return " ".join(reply.content.decode().split())
