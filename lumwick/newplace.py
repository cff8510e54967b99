"""A new place from a survey: ground, sun, sea where asked, first stands, and a first shot to fly."""

from __future__ import annotations

import datetime as dt

import numpy as np

from lumwick.land.elevation import Survey, moved, write_elevation
from lumwick.land.ground import Ground
from lumwick.place.document import Place, Shot
from lumwick.place.files import asset_of
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.nature import Air, Land, Sea, Site, Stand


def place_from_survey(
    survey: Survey, name: str, sea_level: float | None = None, stands: bool = True
) -> tuple[Place, dict[str, bytes]]:
    """A place from a survey, with a datum at its own heights.

    Parameters
    ----------
    sea_level : float or None [m]
        Height of the sea in the survey's heights; no water if None.
    stands : bool
        Whether to start with grass and trees by slope and height.
    """
    g = survey.ground
    low, high = float(g.heights.min()), float(g.heights.max())
    altitude = 0.0
    if max(abs(low), abs(high)) > 400:  # high country: the place's datum is its lowest ground, rounded
        altitude = float(np.floor(low / 10) * 10)
        g = moved(g, -altitude)
        sea_level = None if sea_level is None else sea_level - altitude
        low, high = low - altitude, high - altitude
    w, s, e, n = g.bounds
    size = min(e - w, n - s)
    data = write_elevation(g)
    asset = asset_of("ground.tif", data)
    lon = survey.longitude if survey.longitude is not None else 0.0
    place = Place(
        name=name[:120] or "New place",
        site=Site(
            latitude=survey.latitude or 0.0,
            longitude=lon,
            utc_offset=float(round(lon / 15)),
            altitude=max(min(altitude, 8850.0), -430.0),
        ),
        land=Land(elevation=asset, cover="upland"),
        sea=Sea(present=sea_level is not None, level=sea_level or 0.0),
        air=Air(fog_base=round(low, 1), fog_visibility=60000, fog_height=300),
        growth=_first_stands(size, sea_level, low + 0.75 * (high - low) + 5) if stands else [],
        shots=[_first_shot(g, size)],
    )
    return place, {asset.sha256: data}


def _first_stands(size: float, sea_level: float | None, tree_line: float) -> list[Stand]:
    """Grass and trees about the middle, where the first shot flies, so that a wide survey does not drown in plants."""
    half = min(size / 2, 600.0)
    area = [(-half, -half), (half, -half), (half, half), (-half, half)]
    above = -1000.0 if sea_level is None else sea_level + 0.8
    return [
        Stand(
            id="turf",
            name="Turf",
            kind="grass",
            area=area,
            per_hectare=4200,
            height=0.35,
            slope_most=32,
            lowest=above,
            seed=1,
        ),
        Stand(
            id="trees",
            name="Trees",
            kind="alder",
            area=area,
            per_hectare=28,
            height=7,
            slope_most=24,
            lowest=above,
            highest=tree_line,
            seed=2,
        ),
    ]


def _first_shot(g: Ground, size: float) -> Shot:
    """A flight past the middle, well over the ground."""
    reach = min(0.3 * size, 900.0)
    across = np.linspace(-reach, reach, 50)
    up = float(g.height(across, across).max()) + max(0.05 * size, 12.0)
    stations = [
        Station(
            id=f"s{i + 1}",
            name="",
            east=round(x, 2),
            north=round(-reach * 0.8, 2),
            up=round(up, 2),
            aim=(0.0, round(reach * 0.4, 2), round(float(g.height(0.0, 0.0)), 2)),
            focal=28,
        )
        for i, x in enumerate((-reach * 0.5, reach * 0.5))
    ]
    return Shot(
        id="first",
        name="First fly-over",
        frames=96,
        clock=Clock(start=dt.datetime(2026, 6, 5, 9, 30)),
        exposure=Exposure(ev100=14.3, kelvin=5600, focus=1000),
        route=Route(way="fly", stations=stations),
    )
