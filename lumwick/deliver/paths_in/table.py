"""Paths from tables: a column each for time, place and aim, in any order and unit; or a track of our own."""

from __future__ import annotations

import csv
import io
from pathlib import PurePosixPath

import numpy as np

from lumwick.deliver.paths_in.brought import METRES, Floats, Path3, check_count
from lumwick.errors import RouteError
from lumwick.place.nature import Site
from lumwick.route.track import COLUMNS, read_track

HEADINGS = {
    "t": "time",
    "time": "time",
    "seconds": "time",
    "frame": "frame",
    "x": "east",
    "east": "east",
    "easting": "east",
    "y": "north",
    "north": "north",
    "northing": "north",
    "z": "up",
    "up": "up",
    "height": "up",
    "elevation": "up",
    "aim_x": "aim_east",
    "aim_y": "aim_north",
    "aim_z": "aim_up",
    "aim_east": "aim_east",
    "aim_north": "aim_north",
    "aim_up": "aim_up",
    "bearing": "bearing",
    "heading": "bearing",
    "pitch": "pitch",
    "roll": "roll",
    "focal": "focal",
}
"""What a column holds, by how it may be headed; a heading may end in a unit (``east_ft``)."""
REACH = 20.0
"""Metres ahead at which a bearing puts the point aimed at."""


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The one path of a CSV file.

    Raises
    ------
    RouteError
    """
    lines = data.decode("utf-8-sig", "replace").splitlines() or [""]
    stem = PurePosixPath(name).stem
    if [c.strip() for c in lines[0].split(",")] == list(COLUMNS):
        track = read_track(data, name)
        return [Path3(stem, track.position, times=track.t, track=track)]
    check_count(len(lines), name)
    separator = max(",;\t", key=lines[0].count)
    columns, unit = _columns(lines[0], separator, name)
    got = _values(lines[1:], columns, separator, name)
    n = len(got["east"])
    points = np.column_stack([got["east"], got["north"], got.get("up", np.zeros(n))])
    return [Path3(stem, points, "up" in got, _times(got, rate, name), _aims(got, points), unit=unit)]


def _columns(heading: str, separator: str, name: str) -> tuple[dict[str, int], str]:
    """Which column holds what, and the unit of lengths (empty if not said)."""
    columns: dict[str, int] = {}
    units = set()
    for i, head in enumerate(heading.split(separator)):
        word = head.strip().lower().replace(" ", "_")
        stem, _, unit = word.rpartition("_")
        if word in HEADINGS:
            columns[HEADINGS[word]] = i
        elif stem in HEADINGS:
            columns[HEADINGS[stem]] = i
            units |= {unit} & set(METRES)
    if not {"east", "north"} <= set(columns):
        raise RouteError(
            f"The first line of {name} must name its columns, east and north (or x and y) among them; besides "
            "them time, up, aim_east, aim_north, aim_up, bearing, pitch, roll and focal are known."
        )
    if len(units) > 1:
        raise RouteError(f"The columns of {name} are measured in {' and '.join(sorted(units))}: use one unit for all.")
    return columns, next(iter(units), "")


def _values(lines: list[str], columns: dict[str, int], separator: str, name: str) -> dict[str, Floats]:
    """Numbers by column; where commas do not part the columns they may stand for the decimal point."""
    rows = [row for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=separator) if any(map(str.strip, row))]
    try:
        numbers = np.array(
            [
                [float(row[i] if separator == "," else row[i].replace(",", ".")) for i in columns.values()]
                for row in rows
            ]
        )
    except (ValueError, IndexError):
        raise RouteError(f"A line of {name} holds something that is no number, or too few columns.") from None
    if not rows:
        raise RouteError(f"{name} names its columns and holds no row.")
    return dict(zip(columns, numbers.T, strict=True))


def _times(got: dict[str, Floats], rate: float, name: str) -> Floats | None:
    times = got.get("time", (got["frame"] - 1) / rate if "frame" in got else None)
    if times is not None and (np.diff(times) <= 0).any():
        k = int(np.argmax(np.diff(times) <= 0))
        raise RouteError(f"The times of {name} must grow: row {k + 3} is not later than the one before it.")
    return times


def _aims(got: dict[str, Floats], points: Floats) -> Floats | None:
    """Points looked at: as they are given, or ahead along a bearing and a pitch."""
    if {"aim_east", "aim_north"} <= set(got):
        return np.column_stack([got["aim_east"], got["aim_north"], got.get("aim_up", points[:, 2])])
    if "bearing" not in got:
        return None
    b, p = np.radians(got["bearing"]), np.radians(got.get("pitch", np.zeros(len(points))))
    return np.asarray(points + REACH * np.stack([np.sin(b) * np.cos(p), np.cos(b) * np.cos(p), np.sin(p)], -1), float)
