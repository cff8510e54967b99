"""A camera as a table: everything by time."""

from __future__ import annotations

from collections.abc import Sequence

from lumwick.deliver.paths_out.handed import Handed
from lumwick.snapshot.evaluate import Setting


def write(setting: Setting, cameras: Sequence[Handed], suffix: str) -> bytes:
    """One camera as CSV (`lumwick.route.track.Track.csv`)."""
    return cameras[0].track.csv()
