"""Whether somebody still waits for what is being worked out: asked by long computations, answered by whoever began
them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar


class NoLongerWanted(Exception):
    """Nobody waits for this any more: what was begun is left."""


_WANTED: ContextVar[Callable[[], bool] | None] = ContextVar("wanted", default=None)


@contextmanager
def while_wanted(wanted: Callable[[], bool]) -> Iterator[None]:
    """What is worked out meanwhile is left, at its next `look_up`, once ``wanted`` says no."""
    held = _WANTED.set(wanted)
    try:
        yield
    finally:
        _WANTED.reset(held)


def look_up() -> None:
    """Look up from a long computation.

    Raises
    ------
    NoLongerWanted
        Nobody waits for it any more.
    """
    wanted = _WANTED.get()
    if wanted is not None and not wanted():
        raise NoLongerWanted
