"""The line before the engine: who waits, who is next, and what is left since nobody waits for it.

The engine does one thing at a time, on a thread of its own: what it allocates is then allocated by one thread, and can
be given back. A visitor has one look in the line, and few other things, however many pages of his ask; so a few
visitors cannot hold all of the server's threads.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import socket
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import ContextVar, copy_context
from dataclasses import dataclass
from typing import Any, TypeVar

from django.http import HttpRequest

from lumwick.errors import LumwickError
from lumwick.wanted import NoLongerWanted

T = TypeVar("T")
LOOKS_UP_EVERY = 0.2
"""Seconds after which who waits looks up whether it is still waited for."""
ENGINE_THREAD = "engine"
WAITING_AT_MOST, OF_ONE_AT_MOST = 7, 3
"""Requests that may stand in the line: the server has more threads, which answer all else; and of one visitor, who has
but one look among them."""


class Superseded(NoLongerWanted):
    """A newer wish of the same visitor has arrived, or nobody waits any more."""


class Busy(LumwickError):
    """Too many wait already: ask again in a moment."""


@dataclass(frozen=True)
class Asker:
    """Who asks, and whether the answer is still waited for."""

    who: str
    wanted: Callable[[], bool]
    key: str = ""
    """What is asked: the same asked anew takes the older one's place."""


ASKER: ContextVar[Asker | None] = ContextVar("asker", default=None)


@dataclass(eq=False)
class _Ticket:
    who: str
    key: str
    says: str
    replaced: bool = False


class RequestQueue:
    """The queue itself."""

    def __init__(self, most: int = WAITING_AT_MOST) -> None:
        self._changed = threading.Condition()
        self._waiting: list[_Ticket] = []
        self._inside: _Ticket | None = None
        self._most = most
        self._thread = ThreadPoolExecutor(1, ENGINE_THREAD)
        self.doing = ""
        """What the engine is at, in words."""

    @property
    def busy(self) -> bool:
        """Whether anybody is inside."""
        return self._inside is not None

    def run(self, act: Callable[[], T], says: str = "") -> T:
        """Do something in the engine when its turn comes.

        Parameters
        ----------
        says : str
            What is done, in words, for those who wait.

        Raises
        ------
        Superseded
            It is no longer waited for; what was begun ends by itself.
        Busy
        """
        if threading.current_thread().name.startswith(ENGINE_THREAD):
            return act()  # it is inside already
        asker = ASKER.get() or Asker(f"thread {threading.get_ident()}", lambda: True)
        ticket = _Ticket(asker.who, asker.key, says)
        self._wait(ticket, asker.wanted)
        done: Future[T] = self._thread.submit(copy_context().run, act)
        done.add_done_callback(lambda _: self._leave(ticket))
        while True:
            try:
                return done.result(LOOKS_UP_EVERY)
            except TimeoutError:
                if not done.done() and not asker.wanted():
                    raise Superseded from None

    def ahead(self, who: str) -> int:
        """How many are before a visitor, the one inside among them."""
        with self._changed:
            place = next((k for k, one in enumerate(self._waiting) if one.who == who), None)
            inside = self._inside is not None and self._inside.who != who
            return int(inside) + (place or 0)

    def _wait(self, ticket: _Ticket, wanted: Callable[[], bool]) -> None:
        with self._changed:
            mine = [one for one in self._waiting if one.who == ticket.who and not one.replaced]
            others = [one for one in mine if one.key != ticket.key]
            for one in [*(one for one in mine if one.key == ticket.key), *others[: len(others) - OF_ONE_AT_MOST + 1]]:
                one.replaced = True
            if sum(not one.replaced for one in self._waiting) >= self._most:
                raise Busy("Many are at work here just now: this goes on by itself in a moment.")
            self._waiting.append(ticket)
            self._changed.notify_all()
            try:
                while self._inside is not None or self._waiting[0] is not ticket:
                    self._changed.wait(LOOKS_UP_EVERY)
                    if ticket.replaced or not wanted():
                        raise Superseded
                self._inside, self.doing = ticket, ticket.says
            finally:
                self._waiting.remove(ticket)
                self._changed.notify_all()

    def _leave(self, ticket: _Ticket) -> None:
        with self._changed:
            if self._inside is ticket:
                self._inside, self.doing = None, ""
            self._changed.notify_all()


QUEUE = RequestQueue()


# -- whether somebody waits -----------------------------------------------------------------------------------------


def connected(request: HttpRequest) -> Callable[[], bool]:
    """Whether a request's client is still there; always so where the server does not give its socket."""
    held: socket.socket | None = request.META.get("gunicorn.socket")

    def still() -> bool:
        if held is None:
            return True
        try:
            return held.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) != b""
        except (BlockingIOError, InterruptedError):
            return True
        except (OSError, ValueError):
            return False

    return still


_NEWEST: dict[str, object] = {}
_NEWEST_LOCK = threading.Lock()
NEWEST_AT_MOST = 4096


def newest_of(who: str) -> Callable[[], bool]:
    """Whether no newer request of the same visitor for the same thing has come."""
    mine = object()
    with _NEWEST_LOCK:
        _NEWEST.pop(who, None)
        _NEWEST[who] = mine
        while len(_NEWEST) > NEWEST_AT_MOST:
            _NEWEST.pop(next(iter(_NEWEST)))
    return lambda: _NEWEST.get(who) in (mine, None)


@contextlib.contextmanager
def asked_by(who: str, wanted: Callable[[], bool], key: str = "") -> Iterator[None]:
    """What is asked of the engine meanwhile is asked by somebody."""
    held = ASKER.set(Asker(who, wanted, key))
    try:
        yield
    finally:
        ASKER.reset(held)


# -- memory ---------------------------------------------------------------------------------------------------------


def resident() -> int:
    """Bytes of memory that this process takes."""
    with open("/proc/self/statm", encoding="ascii") as told:
        return int(told.read().split()[1]) * 4096


def give_back() -> None:
    """Give memory that is not used any more back to the machine: the C library keeps it otherwise."""
    gc.collect()
    with contextlib.suppress(OSError, AttributeError):
        trim: Any = ctypes.CDLL("libc.so.6").malloc_trim
        trim(0)
