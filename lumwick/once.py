"""What is made once however many ask: a cache in which the second to ask waits for the first to be done."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from functools import wraps
from typing import Any, ParamSpec, TypeVar

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
