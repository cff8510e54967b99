"""What a setting has worked out and keeps: asked by several threads at once, and never more than so much."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, TypeVar

T = TypeVar("T")
KEPT_AT_MOST = 256


class Memory(dict[Any, Any]):
    """Answers by what they answer; of more than `KEPT_AT_MOST` the oldest goes, and only that."""

    def __init__(self) -> None:
        super().__init__()
        self._lock = threading.RLock()

    def __setitem__(self, key: Any, value: Any) -> None:
        with self._lock:
            super().__setitem__(key, value)
            while len(self) > KEPT_AT_MOST:
                del self[next(iter(self))]

    def remembered(self, key: Any, make: Callable[[], T]) -> T:
        """An answer; worked out if it is not kept, by one thread, for which the others wait."""
        with self._lock:
            if key in self:
                kept: T = self[key]
                return kept
            made = self[key] = make()
            return made
