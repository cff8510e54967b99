"""Paths brought in: drawn lines (SVG, DXF), walks (GPX), tables (CSV) and cameras (glTF, USD).

A format more is one module with a ``read`` and its line in `READERS`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from importlib import import_module
from pathlib import PurePosixPath

import numpy as np

from lumwick.deliver.paths_in.brought import METRES, Path3
from lumwick.errors import RouteError
from lumwick.place.nature import Site

__all__ = ["FARTHEST", "METRES", "READERS", "AskUnit", "AskWhich", "Path3", "read_path"]

READERS = {
    ".csv": "table",
    ".svg": "svg",
    ".dxf": "dxf",
    ".gpx": "gpx",
    ".glb": "gltf",
    ".gltf": "gltf",
    ".usd": "usd",
    ".usda": "usd",
    ".usdc": "usd",
    ".usdz": "usd",
}
"""Module of this package that reads each ending; it is loaded when such a file comes, for its libraries are heavy."""
FARTHEST = 200_000.0
"""Metres from the place's origin at which a path cannot belong to it."""


class AskUnit(RouteError):
    """The file does not say in what its lengths are: say it once."""

    option = "--unit"


class AskWhich(RouteError):
    """The file holds more than one path: choose one of ``names``."""

    option = "--path"

    def __init__(self, text: str, names: list[str]) -> None:
        super().__init__(text)
        self.names = names


class AskHere(RouteError):
    """The path lies far away: say that it is to be laid here, as it lies."""

    option = "--here"


def read_path(
    data: bytes, name: str, site: Site, unit: str = "", which: str = "", rate: float = 24.0, here: bool = False
) -> Path3:
    """The path of a file, in metres east, north and up of the place's origin.

    Parameters
    ----------
    unit : str
        Of lengths, where the file does not say: one of METRES, or metres to the unit as a number.
    which : str
        Name of one of several paths, or its number from 1.
    rate : float [1/s]
        At which a camera's motion is sampled, besides its own keys.
    here : bool
        Lay a path that lies elsewhere with its beginning at the place's origin.

    Raises
    ------
    RouteError
        The file cannot be used, or has no path.
    AskUnit, AskWhich, AskHere
        Something must be said.
    """
    module = READERS.get(PurePosixPath(name).suffix.lower())
    if module is None:
        *most, last = (ending[1:] for ending in READERS)
        raise RouteError(f"{name} is no path that can be read: bring a {', '.join(most)} or {last} file.")
    reader: Callable[[bytes, str, Site, float], list[Path3]] = import_module(f"{__name__}.{module}").read
    path = _chosen(reader(data, name, site, rate), which, name)
    metres = _metres(unit or path.unit, name)
    if path.track is None:
        path = replace(path, points=path.points * metres, aims=None if path.aims is None else path.aims * metres)
    if not np.isfinite(path.points).all():
        raise RouteError(f"{name} holds coordinates that are no numbers.")
    away = np.abs(path.points[:, :2]).max()
    if away > FARTHEST and not here:
        raise AskHere(
            f"The path of {name} lies {away / 1000:,.0f} km from the place's origin: it belongs to another place, or "
            "its unit is another. It may be laid here, as it lies."
        )
    return _moved_here(path) if away > FARTHEST else path


def _moved_here(path: Path3) -> Path3:
    """A path with its beginning at the place's origin, its heights as they are."""
    first = path.points[0] * [1.0, 1.0, 0.0]
    track = None if path.track is None else replace(path.track, position=path.track.position - first)
    aims = None if path.aims is None else path.aims - first
    return replace(path, points=path.points - first, aims=aims, track=track)


def _chosen(paths: list[Path3], which: str, name: str) -> Path3:
    """The one path of a file, or the one that was asked for by name or number."""
    found = [p for p in paths if len(p.points) > 1 or p.track is not None]
    if not found:
        raise RouteError(f"There is no path in {name}: it needs a line of two points at least, or a camera.")
    if len(found) == 1:
        return found[0]
    chosen = [p for i, p in enumerate(found, 1) if which and which in (p.name, str(i))]
    if not chosen:
        names = [p.name for p in found]
        listed = f"{', '.join(names[:6])}{', …' if len(names) > 6 else ''}"
        raise AskWhich(f"{name} holds {len(found)} paths ({listed}): say which one.", names)
    return chosen[0]


def _metres(unit: str, name: str) -> float:
    """Metres to a unit, by its name or as a number."""
    if not unit:
        raise AskUnit(
            f"{name} does not say in what it is measured: say the unit of its lengths "
            f"({', '.join(METRES)}), or how many metres one of its units is."
        )
    try:
        metres = METRES[unit] if unit in METRES else float(unit)
    except ValueError:
        raise RouteError(
            f"{unit!r} is no unit known here: choose {', '.join(METRES)}, "
            "or say how many metres one of the file's units is."
        ) from None
    if not 1e-6 < metres < 1e6:
        raise RouteError(
            "One of the file's units must be between a thousandth of a millimetre and a thousand kilometres."
        )
    return metres
