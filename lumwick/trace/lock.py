"""One at a time into the engine."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import wraps
from typing import Concatenate, ParamSpec, TypeVar, cast

P = ParamSpec("P")
S = TypeVar("S")
T = TypeVar("T")

ENGINE = threading.RLock()
"""Numba's threads, Embree's commits and the denoiser are entered by one thread of a process at a time."""


def alone(method: Callable[Concatenate[S, P], T]) -> Callable[Concatenate[S, P], T]:
    """A method that enters the engine."""

    @wraps(method)
    def entered(self: S, *arguments: P.args, **named: P.kwargs) -> T:
        with ENGINE:
            return method(self, *arguments, **named)

    return cast("Callable[Concatenate[S, P], T]", entered)
