"""Cameras and their paths handed on: glTF, USD and CSV with everything by time; SVG, DXF and GPX with the line.

A format more is one module with a ``write`` and its line in `WRITERS`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from importlib import import_module
from pathlib import PurePosixPath

from lumwick.deliver.paths_out.handed import Handed, by_time
from lumwick.errors import RouteError
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting

WRITERS = {
    ".glb": "gltf",
    ".usd": "usd",
    ".usda": "usd",
    ".usdc": "usd",
    ".csv": "table",
    ".svg": "svg",
    ".dxf": "dxf",
    ".gpx": "gpx",
}
"""Module of this package that writes each ending; it is loaded when such a file is asked for, for its libraries are
heavy."""
ONE_EACH = frozenset({".csv"})
"""Endings of files that hold one camera only."""


def export(setting: Setting, shots: Sequence[Shot], name: str) -> dict[str, bytes]:
    """Cameras of shots as files, by name: one for all, or one each where the format holds only one.

    Raises
    ------
    RouteError
        The format is not known, or a shot has no camera.
    """
    suffix = PurePosixPath(name).suffix.lower()
    if suffix not in WRITERS:
        *most, last = (ending[1:] for ending in WRITERS)
        raise RouteError(
            f"Cameras are written as {', '.join(most)} or {last}, not {suffix or 'a file without an ending'}."
        )
    write: Callable[[Setting, Sequence[Handed], str], bytes] = import_module(f"{__name__}.{WRITERS[suffix]}").write
    cameras = [by_time(setting, shot) for shot in shots]
    if suffix not in ONE_EACH or len(cameras) == 1:
        return {name: write(setting, cameras, suffix)}
    stem = name[: -len(suffix)]
    return {f"{stem}-{camera.shot.id}{suffix}": write(setting, [camera], suffix) for camera in cameras}
