"""A part of the stage that is made from its inputs, and kept until they are others."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, is_dataclass
from typing import Any, Generic, TypeVar

import numpy as np
from pydantic import BaseModel

from lumwick.disk_cache import digest

I = TypeVar("I")
T = TypeVar("T")


def key_of(inputs: Any) -> str:
    """A digest of a frozen record, field by field; fields with ``compare=False`` (how to read a file) do not count.

    What has a ``fingerprint``, as the ground has, or what another section made, is known by that.
    """
    return digest(*(_told(getattr(inputs, f.name)) for f in fields(inputs) if f.compare))


def _told(value: Any) -> Any:
    fingerprint = getattr(value, "fingerprint", None)
    if fingerprint is not None:
        return fingerprint
    if is_dataclass(value) and not isinstance(value, type):
        return key_of(value)
    if isinstance(value, list | tuple):
        return [_told(item) for item in value]
    if isinstance(value, dict):
        return [[str(name), _told(item)] for name, item in value.items()]
    if value is None or isinstance(value, str | int | float | bool | np.ndarray | BaseModel):
        return value
    raise TypeError(f"a section cannot tell whether a {type(value).__name__} has changed")


class Section(Generic[I, T]):
    """Keeps what was made last, with the key that it was made for.

    Attributes
    ----------
    key : str
        Of the inputs; empty before the first.
    fresh : bool
        Whether it was made by the last call.
    """

    def __init__(self, make: Callable[[I], T]) -> None:
        self._make = make
        self.key = ""
        self.fresh = False
        self._made: list[T] = []

    def of(self, inputs: I) -> T:
        """What is made from these inputs; if it cannot be, what was there stays."""
        key = key_of(inputs)
        self.fresh = key != self.key
        if self.fresh:
            self._made, self.key = [self._make(inputs)], key
        return self.made

    @property
    def made(self) -> T:
        return self._made[0]

    def invalidate(self) -> None:
        """Keep what was made to be read, and make it anew next time, whatever is asked for."""
        self.key = "-"

    def reset(self) -> None:
        """Make it anew next time."""
        self.key = ""
