"""The server stays: who waits does not hold it, what nobody waits for ends, what killed it is not opened again."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.test import Client

from lumwick.errors import RenderError
from lumwick.wanted import NoLongerWanted, look_up, while_wanted
from scripts.base import free_port
from scripts.dev import web_command
from studio.guests.models import Link
from studio.looks import opening
from studio.looks.engine import LookEngine, PreviewRequest
from studio.looks.opening import OpeningAttempt, count_deaths
from studio.looks.preload import preload
from studio.looks.request_queue import Busy, RequestQueue, asked_by, connected, newest_of, resident
from studio.places.bodies import FILES, STRANGERS_BYTES
from studio.takes.file_views import PIECE, _stretch
from tests.studio.conftest import ROOT, kept_place, until

pytestmark = pytest.mark.django_db(transaction=True)


# -- the line -----------------------------------------------------------------------------------------------------


class Visitor:
    """Somebody who asks on a thread of his own, and can leave."""

    def __init__(self, line: RequestQueue, who: str, act: Callable[[], Any]) -> None:
        self.there, self.got = True, ""
        self.ended = 0.0

        def ask() -> None:
            try:
                with asked_by(who, lambda: self.there):
                    self.got = str(line.run(act, "something is made"))
            except Exception as error:
                self.got = type(error).__name__
            self.ended = time.monotonic()

        self.thread = threading.Thread(target=ask, daemon=True)
        self.thread.start()


def test_a_visitor_waits_at_one_place_and_the_newest_of_his_wishes_it_is() -> None:
    line, go = RequestQueue(), threading.Event()
    first = Visitor(line, "a", lambda: go.wait(10))
    until(lambda: line.busy, 5)
    mine = Visitor(line, "b", lambda: "older")
    until(lambda: line.ahead("b") == 1, 5)
    newer = Visitor(line, "b", lambda: "newer")
    until(lambda: mine.got == "Superseded", 5)
    go.set()
    until(lambda: newer.got, 5)
    assert newer.got == "newer" and first.got == "True"


def test_who_leaves_is_answered_to_no_more_and_does_not_wait() -> None:
    line, go = RequestQueue(), threading.Event()
    inside = Visitor(line, "a", lambda: go.wait(20))
    until(lambda: line.busy, 5)
    waiting = Visitor(line, "b", lambda: "b")
    until(lambda: line.ahead("b") == 1, 5)
    left = time.monotonic()
    inside.there = waiting.there = False
    for one in (inside, waiting):
        one.thread.join(5)
        assert one.got == "Superseded" and one.ended - left < 5.0
    assert line.busy  # what was begun and cannot be broken off ends by itself, and the next waits for it
    last = Visitor(line, "c", lambda: "c")
    time.sleep(0.1)
    assert not last.got
    go.set()
    until(lambda: last.got == "c", 5)


def test_no_more_wait_than_leave_the_server_threads() -> None:
    line, go = RequestQueue(most=3), threading.Event()
    visitors = [Visitor(line, "inside", lambda: go.wait(20))]
    until(lambda: line.busy, 5)
    for k in range(3):
        visitors.append(Visitor(line, f"v{k}", lambda k=k: k))
        until(lambda k=k: line.ahead(f"v{k}") == k + 1, 5)
    with pytest.raises(Busy), asked_by("one more", lambda: True):
        line.run(lambda: 1)
    go.set()
    for one in visitors:
        one.thread.join(5)
    assert [one.got for one in visitors] == ["True", "0", "1", "2"]  # in the order in which they came


def test_the_engine_works_on_one_thread_and_may_ask_itself() -> None:
    line = RequestQueue()
    names = {line.run(lambda: threading.current_thread().name) for _ in range(3)}
    assert len(names) == 1 and "engine" in names.pop()
    assert line.run(lambda: line.run(lambda: 7)) == 7


def test_a_long_computation_ends_when_it_is_asked_for_anew_or_left() -> None:
    older = newest_of("me:ride")
    with while_wanted(older):
        look_up()
        newer = newest_of("me:ride")
        with pytest.raises(NoLongerWanted):
            look_up()
    assert newer() and newest_of("me:seam")() and newer()
    one, other = socket.socketpair()
    request = type("R", (), {"META": {"gunicorn.socket": one}})()
    there = connected(request)  # type: ignore[arg-type]
    assert there()
    other.sendall(b"x")  # something sent ahead is no leaving
    assert there() and one.recv(1) == b"x"
    other.close()
    assert not there()
    one.close()
    assert not there()


def test_a_ride_check_that_nobody_waits_for_ends(place: Any) -> None:
    from lumwick.snapshot.ride import check
    from studio.looks.settings import revision_setting

    setting = revision_setting(place.head.pk)
    with pytest.raises(NoLongerWanted), while_wanted(lambda: False):
        check(setting, setting.place.shots[0])
    assert "found" in check(setting, setting.place.shots[0])


def test_a_look_says_what_it_waits_for(client: Client, place: Any) -> None:
    client.force_login(place.owner)
    assert "is opened" in client.get(f"/places/{place.pk}/look/waits/").json()["say"]
    client.get(f"/places/{place.pk}/look/", {"shot": "a", "step": 0, "wish": 1})
    assert "traced" in client.get(f"/places/{place.pk}/look/waits/").json()["say"]


# -- what killed it -----------------------------------------------------------------------------------------------


def test_a_place_that_ended_the_server_is_not_opened_beforehand_nor_for_ever(
    place: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    head = place.head.pk

    def deadly(*_: Any) -> Any:
        raise SystemExit  # as far as its mark goes: nothing after it runs

    with monkeypatch.context() as dying:
        dying.setattr("studio.looks.engine.Stage", deadly)
        for deaths in range(opening.TRIES):
            assert OpeningAttempt(head).deaths == deaths
            with pytest.raises(SystemExit):
                LookEngine().look(PreviewRequest("v", place.pk, head, "a", 0.0, None, 0, 1))
            count_deaths()  # the server starts again
    assert not preload(LookEngine())
    with pytest.raises(RenderError, match="undo the last step"):
        LookEngine().look(PreviewRequest("v", place.pk, head, "a", 0.0, None, 0, 1))
    place.edit(1, {"op": "set", "path": "/name", "value": "Mended"})
    place.refresh_from_db()
    LookEngine().look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 0, 1))
    count_deaths()
    assert OpeningAttempt(place.head.pk).deaths == 0 and preload(LookEngine())


def test_places_are_let_go_by_the_memory_they_take(account: Any) -> None:
    engine = LookEngine(room=resident() // 2)  # more is taken already
    for p in [kept_place(account) for _ in range(3)]:
        engine.look(PreviewRequest("v", p.pk, p.head.pk, "a", 0.0, None, 0, 1))
        assert list(engine._open) == [p.pk]
    roomy = LookEngine(room=10**12)
    for p in [kept_place(account) for _ in range(3)]:
        roomy.look(PreviewRequest("v", p.pk, p.head.pk, "a", 0.0, None, 0, 1))
    assert len(roomy._open) == 3


# -- a real server ------------------------------------------------------------------------------------------------


@pytest.fixture
def server(media: Path) -> Iterator[tuple[str, int]]:
    """A web server on the test database: host and port."""
    port = free_port()
    env = {**os.environ, "LUMWICK_DB": connection.settings_dict["NAME"], "LUMWICK_MEDIA": str(media)}
    with (media / "web.log").open("wb") as log:
        process = subprocess.Popen(web_command(port), cwd=ROOT, env=env, stdout=log, stderr=log, start_new_session=True)
    until(lambda: answered("127.0.0.1", port, "/healthz", 2.0).startswith(b"HTTP/1.1 200"), 60, "the server")
    yield "127.0.0.1", port
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def asking(host: str, port: int, path: str, more: str = "", method: str = "GET") -> socket.socket:
    """A request under way."""
    held = socket.create_connection((host, port), 30)
    held.sendall(f"{method} {path} HTTP/1.1\r\nHost: localhost\r\n{more}\r\n".encode())
    return held


def answered(host: str, port: int, path: str, seconds: float = 30.0, more: str = "", method: str = "GET") -> bytes:
    """The beginning of an answer; nothing if none comes."""
    try:
        with asking(host, port, path, more, method) as held:
            held.settimeout(seconds)
            got = held.recv(4096)
            while got and b"\r\n\r\n" in got and got.endswith(b"\r\n\r\n"):  # its body comes by itself
                more_of_it = held.recv(4096)
                got += more_of_it
                if not more_of_it:
                    break
            return got
    except OSError:
        return b""


def test_twelve_looks_of_one_link_do_not_hold_the_server(place: Any, server: tuple[str, int]) -> None:
    link = Link.make(place, "A client", 7)
    looks = [
        asking(*server, f"/seen/{link.token}/look/?shot=a&step=4&wish={k}&tab=t{k}", "Connection: close\r\n")
        for k in range(12)
    ]
    time.sleep(0.3)
    begun = time.monotonic()
    assert answered(*server, "/healthz").startswith(b"HTTP/1.1 200")
    assert time.monotonic() - begun < 15.0  # 22 s and more where one thread lingered for all
    for one in looks:
        one.close()
    # the clients have left: nobody's picture is made any more, and the next visitor's is made at once
    begun = time.monotonic()
    reply = answered(*server, f"/seen/{link.token}/look/?shot=a&step=0&wish=99&tab=x", 60)
    assert reply.startswith(b"HTTP/1.1 200")


def test_a_strangers_body_is_refused_unread(server: tuple[str, int]) -> None:
    head = f"Content-Type: multipart/form-data; boundary=x\r\nContent-Length: {STRANGERS_BYTES + 1}\r\n"
    for path in ("/sign-in/", "/join/", "/places/bring-in/", "/places/1/bring/", "/nowhere/"):
        reply = answered(*server, path, 10, head, "POST")  # and nothing of the body is ever sent
        assert reply.startswith(b"HTTP/1.1 413") and b"too large" in reply, path
        chunked = answered(*server, path, 10, "Transfer-Encoding: chunked\r\n", "POST")
        assert chunked.startswith(b"HTTP/1.1 4"), path


def test_bodies_are_bounded_by_their_routes(client: Client, place: Any) -> None:
    client.force_login(place.owner)
    for path, name in ((f"/places/{place.pk}/bring/", "bring"), (f"/places/{place.pk}/lay/", "lay")):
        reply = client.post(path, b"", content_type="application/octet-stream", CONTENT_LENGTH=FILES[name] + 1)
        assert reply.status_code == 413 and "at most" in reply.json()["error"]
    reply = client.post(f"/places/{place.pk}/edit/", b"x" * 8_000_001, content_type="application/json")
    assert reply.status_code == 413
    assert client.post(f"/places/{place.pk}/edit/", b"{", content_type="application/json").status_code == 400


def test_a_stretch_of_a_file_is_read_in_pieces(tmp_path: Path) -> None:
    path = tmp_path / "film"
    path.write_bytes(bytes(range(256)) * 2000)
    file = path.open("rb")
    file.seek(100)
    pieces = list(_stretch(file, 3 * PIECE))
    assert b"".join(pieces) == path.read_bytes()[100 : 100 + 3 * PIECE] and max(map(len, pieces)) <= PIECE
    assert file.closed
