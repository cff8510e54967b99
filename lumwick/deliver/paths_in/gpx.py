"""Paths from walks: the tracks and routes of a GPX file, flat about the place's origin."""

from __future__ import annotations

from typing import Any

import gpxpy
import gpxpy.gpx
import numpy as np
from pyproj import Transformer

from lumwick.deliver.paths_in.brought import Floats, Path3, check_count
from lumwick.errors import RouteError
from lumwick.place.nature import Site

TIMED = 0.5
"""Share of a walk's points that must be later than the ones before them for its times to count (practice)."""


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The tracks and routes of a GPX file.

    Raises
    ------
    RouteError
    """
    try:
        file = gpxpy.parse(data.decode("utf-8-sig", "replace"))
    except gpxpy.gpx.GPXException as error:
        raise RouteError(f"{name} is no GPX that can be read: {error}.") from None
    lines: list[tuple[str, list[Any]]] = [
        (track.name or f"track {k}", [p for segment in track.segments for p in segment.points])
        for k, track in enumerate(file.tracks, 1)
    ]
    lines += [(route.name or f"route {k}", list(route.points)) for k, route in enumerate(file.routes, 1)]
    local = Transformer.from_crs(
        "EPSG:4326", f"+proj=aeqd +lat_0={site.latitude} +lon_0={site.longitude} +ellps=WGS84 +units=m", always_xy=True
    )
    found = []
    for called, points in lines:
        if len(points) > 1:
            check_count(len(points), name)
            found.append(_walk(called, points, local, site.north_turn))
    return found


def _walk(called: str, points: list[Any], local: Transformer, north_turn: float) -> Path3:
    """One walk by the place's own north; points that do not move on, or not on in time, are left out."""
    x, y = local.transform([p.longitude for p in points], [p.latitude for p in points])
    a, e, n = np.radians(north_turn), np.asarray(x, float), np.asarray(y, float)
    up = [float(q.elevation or 0.0) for q in points]
    p = np.column_stack([e * np.cos(a) + n * np.sin(a), n * np.cos(a) - e * np.sin(a), up])
    onward = np.linalg.norm(np.diff(p[:, :2], axis=0), axis=1) > 1e-6
    times: Floats | None = None
    note = ""
    if all(q.time is not None for q in points):
        times = np.array([(q.time - points[0].time).total_seconds() for q in points], float)
        later = np.diff(times) > 0
        if (onward & later).sum() < TIMED * onward.sum():  # nearly all of one time: its points are worth more
            note = f"{int((onward & ~later).sum())} of its points bear the time of the one before: times were let be"
            times = None
        else:
            onward &= later
    keep = np.concatenate([[True], onward])
    heights = all(q.elevation is not None for q in points)
    return Path3(called, p[keep], heights, None if times is None else times[keep], note=note)
