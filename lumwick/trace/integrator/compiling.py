"""How the integrator's functions are compiled."""

from __future__ import annotations

from typing import Any

from lumwick.trace.sampling import INNER

WITHIN: dict[str, Any] = {**INNER, "inline": "always"}
"""Functions that take the whole world and are called from one place: made part of their caller, since the world is a
hundred numbers to pass on."""
PART: dict[str, Any] = {**INNER, "forceinline": True, "cache": True}
"""Large functions that are called from one place: typed by themselves, since what Numba needs for a function grows
faster than the function, and made part of their caller by LLVM. They are kept, so that `lumwick.compile_kernels` can
have one process compile some while another compiles the rest (docs/decisions/0013-integrator-package.md)."""
