"""A pytest plugin: begins no test after three quarters of a minute, and says how many were left."""

from __future__ import annotations

import time
from typing import Any

WITHIN_S = 45.0
_BEGUN = time.monotonic()
_left: list[str] = []


def pytest_runtest_protocol(item: Any) -> bool | None:
    """Leave a test out when the time is up."""
    if time.monotonic() - _BEGUN < WITHIN_S:
        return None
    _left.append(item.nodeid)
    return True


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """Say what was left."""
    if _left:
        terminalreporter.write_line(f"the minute is up: {len(_left)} more tests touch it, which `make test` runs")
