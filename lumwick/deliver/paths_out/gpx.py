"""Routes as walks over the earth."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

import gpxpy.gpx
import numpy as np
from pyproj import Transformer

from lumwick.deliver.paths_out.handed import Handed
from lumwick.place.instant import place_clock
from lumwick.snapshot.evaluate import Setting, clip_time


def write(setting: Setting, cameras: Sequence[Handed], suffix: str) -> bytes:
    """Routes as GPX tracks with the hours of the place's clock, in UTC."""
    site = setting.place.site
    world = Transformer.from_crs(
        f"+proj=aeqd +lat_0={site.latitude} +lon_0={site.longitude} +ellps=WGS84 +units=m", "EPSG:4326", always_xy=True
    )
    a = np.radians(site.north_turn)
    gpx = gpxpy.gpx.GPX()
    gpx.creator = "Lumwick"
    for h in cameras:
        shot, track = h.shot, h.track
        e, n = track.position[:, 0], track.position[:, 1]
        lon, lat = world.transform(e * np.cos(a) - n * np.sin(a), e * np.sin(a) + n * np.cos(a))
        start = place_clock(shot, clip_time(shot, 0.0)) - dt.timedelta(hours=float(site.utc_offset))
        segment = gpxpy.gpx.GPXTrackSegment(
            [
                gpxpy.gpx.GPXTrackPoint(
                    float(y), float(x), float(z), time=(start + dt.timedelta(seconds=float(t))).replace(tzinfo=dt.UTC)
                )
                for x, y, z, t in zip(lon, lat, track.position[:, 2], track.t, strict=True)
            ]
        )
        made = gpxpy.gpx.GPXTrack(name=shot.name)
        made.segments.append(segment)
        gpx.tracks.append(made)
    return str(gpx.to_xml()).encode()
