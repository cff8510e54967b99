"""Answers that are kept: made once however many ask, and no more of them than there is room for."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import fields, is_dataclass
from functools import wraps
from typing import Any, ParamSpec, TypeVar

import numpy as np

from lumwick.wanted import NoLongerWanted, look_up

P = ParamSpec("P")
T = TypeVar("T")


def once(most: int) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keep a function's last ``most`` answers by its positional arguments, each worked out by one thread alone.

    An error is told to all who wait for it and not kept. ``cache_clear`` of the made function forgets all.
    """

    def made(work: Callable[P, T]) -> Callable[P, T]:
        kept: OrderedDict[tuple[Any, ...], Future[T]] = OrderedDict()
        lock = threading.Lock()

        @wraps(work)
        def asked(*args: P.args, **named: P.kwargs) -> T:
            key = (*args, *sorted(named.items()))
            with lock:
                answer = kept.get(key)
                mine = answer is None
                if answer is None:
                    answer = kept[key] = Future()
                    while len(kept) > most:
                        kept.popitem(last=False)
                else:
                    kept.move_to_end(key)
            if mine:
                try:
                    answer.set_result(work(*args, **named))
                except BaseException as error:
                    with lock:
                        if kept.get(key) is answer:
                            del kept[key]
                    answer.set_exception(error)
                    raise
            try:
                return answer.result()
            except NoLongerWanted:
                look_up()  # whoever worked it out has left; this one still waits
                return asked(*args, **named)

        def clear() -> None:
            with lock:
                kept.clear()

        asked.cache_clear = clear  # type: ignore[attr-defined]
        return asked

    return made


def weight(thing: Any) -> int:
    """About how many bytes something takes: its bytes, its arrays', and of what it holds."""
    if isinstance(thing, bytes | bytearray | str):
        return len(thing)
    if isinstance(thing, np.ndarray):
        return thing.nbytes
    if isinstance(thing, dict):
        return sum(map(weight, thing.values()))
    if isinstance(thing, list | tuple | set | frozenset):
        return sum(map(weight, thing))
    if is_dataclass(thing) and not isinstance(thing, type):
        return sum(weight(getattr(thing, f.name)) for f in fields(thing))
    return weight(vars(thing)) if hasattr(thing, "__dict__") and type(thing).__module__.startswith("lumwick") else 64


def sized(room: int) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keep a function's answers by its positional arguments as long as they, with the arguments, take no more than so
    many bytes; what was not asked for longest goes first. The newest is always kept."""

    def made(work: Callable[P, T]) -> Callable[P, T]:
        kept: OrderedDict[tuple[Any, ...], tuple[T, int]] = OrderedDict()
        lock, taken = threading.Lock(), [0]

        @wraps(work)
        def asked(*args: P.args, **named: P.kwargs) -> T:
            key = (*args, *sorted(named.items()))
            with lock:
                if key in kept:
                    kept.move_to_end(key)
                    return kept[key][0]
            answer = work(*args, **named)
            size = weight(answer) + weight(args)
            with lock:
                if key not in kept:
                    kept[key] = (answer, size)
                    taken[0] += size
                while taken[0] > room and len(kept) > 1:
                    taken[0] -= kept.popitem(last=False)[1][1]
            return answer

        def clear() -> None:
            with lock:
                kept.clear()
                taken[0] = 0

        asked.cache_clear = clear  # type: ignore[attr-defined]
        return asked

    return made
