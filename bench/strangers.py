"""What hostile files cost: the slowest refusal of all that ``tests/outside/test_hostile_files.py`` makes."""

from __future__ import annotations

import time
from typing import Any

from bench.engine import figure

AT_ONCE_S, HONEST_S = 1.0, 10.0


def strangers() -> list[dict[str, Any]]:
    """Processor seconds of the slowest refusal, and of an honest OBJ of 300 MB; readers being loaded."""
    import pytest

    from lumwick.built.meshes import read_mesh
    from tests.outside import test_hostile_files as hostile

    for _ in range(2):  # the first loads the readers
        hostile.SECONDS.clear()
        if pytest.main(["-q", "--no-header", "-p", "no:cacheprovider", hostile.__file__]) != 0:
            raise SystemExit("hostile files are not refused as they should be")
    large = hostile.grid_obj(1600)
    begun = time.process_time()
    read_mesh(large, "large.obj")
    took = time.process_time() - begun
    return [
        figure(f"slowest of {len(hostile.SECONDS)} refusals", max(hostile.SECONDS), "s", AT_ONCE_S, "lower"),
        figure("an honest OBJ, for each 300 MB", took * 300e6 / len(large), "s", HONEST_S, "lower"),
    ]
