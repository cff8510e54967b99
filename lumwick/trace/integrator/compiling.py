"""How the integrator's functions are compiled."""

from __future__ import annotations

from typing import Any

from lumwick.trace.sampling import INNER

WITHIN: dict[str, Any] = {**INNER, "inline": "always"}
"""Functions that take the whole world and are called from one place: made part of their caller, since the world is a
hundred numbers to pass on."""
