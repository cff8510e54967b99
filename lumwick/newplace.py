"""A new place from a survey: ground, an hour of low sun, sea where asked, first stands, and a calm first flight.

What is chosen here is where one begins, and practice: all of it is edited afterwards like anything else.
"""

from __future__ import annotations

import datetime as dt

import numpy as np

from lumwick.air.sun import julian_day, sun_position
from lumwick.land.detail import refined
from lumwick.land.elevation import Survey, moved, write_elevation
from lumwick.land.ground import Ground
from lumwick.land.view import HALF_VIEW, Outlook, lit_share, outlook
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Point2
from lumwick.place.files import asset_of
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.nature import Air, Land, Sea, Site

SECONDS = 12.0
LOW_SUN = (11.0, 19.0)
"""Heights of the sun that the first hour is chosen among [degrees]."""
FROM_THE_SIDE = (55.0, 115.0)
"""How far to the side of the view the sun is best [degrees]."""
WOODS_TO, CLEARING = 3200.0, 90.0
"""How far before the first view woods are set out, and from where on [m]."""


def place_from_survey(
    survey: Survey, name: str, sea_level: float | None = None, stands: bool = True, refine: bool = True
) -> tuple[Place, dict[str, bytes]]:
    """A place from a survey, with a datum at its own heights.

    Parameters
    ----------
    sea_level : float or None [m]
        Height of the sea in the survey's heights; no water if None.
    stands : bool
        Whether to start with woods, scrub and turf by slope and height.
    refine : bool
        Whether to make relief up below the survey's spacing, where that is coarse (`lumwick.land.detail`).
    """
    g = refined(survey.ground, 3) if refine else survey.ground
    low, high = float(survey.ground.heights.min()), float(survey.ground.heights.max())
    altitude = 0.0
    if max(abs(low), abs(high)) > 400:  # high country: the place's datum is its lowest ground, rounded
        altitude = float(np.floor(low / 10) * 10)
        g = moved(g, -altitude)
        sea_level = None if sea_level is None else sea_level - altitude
        low, high = low - altitude, high - altitude
    data = write_elevation(g)
    asset = asset_of("ground.tif", data)
    lon = survey.longitude if survey.longitude is not None else 0.0
    site = Site(
        latitude=survey.latitude or 0.0,
        longitude=lon,
        utc_offset=float(round(lon / 15)),
        altitude=max(min(altitude, 8850.0), -430.0),
    )
    view = outlook(g, sea_level, SECONDS)
    lowest = -1000.0 if sea_level is None else sea_level + 0.8
    place = Place(
        name=name[:120] or "New place",
        site=site,
        land=Land(elevation=asset, cover="upland"),
        sea=Sea(present=sea_level is not None, level=sea_level or 0.0),
        air=Air(fog_base=round(low, 1), fog_visibility=45000, fog_height=300),
        growth=_first_stands(view, lowest, min(tree_line(site.latitude) - altitude, 9000.0)) if stands else [],
        shots=[_first_shot(view, site, g)],
    )
    return place, {asset.sha256: data}


def tree_line(latitude: float) -> float:
    """Height over the sea up to which trees grow [m], by the latitude alone (practice: some 2 300 m in the Alps,
    1 000 m at 60 degrees)."""
    return float(np.clip(3900 - 96 * max(abs(latitude) - 30, 0), 0, 3900))


def _ahead(view: Outlook, near: float, far: float, wide: float) -> list[Point2]:
    """What lies before a flight as corners: from so far behind its beginning to so far ahead."""
    x, y = view.begins[:2]
    a = np.radians(view.bearing)
    angles = a + np.radians(np.linspace(-wide, wide, 9))
    side = abs(near)
    back = [(x - near * np.sin(a) + s * side * np.cos(a), y - near * np.cos(a) - s * side * np.sin(a)) for s in (1, -1)]
    return [(round(float(u), 1), round(float(v), 1)) for u, v in back] + [
        (round(float(x + far * np.sin(b)), 1), round(float(y + far * np.cos(b)), 1)) for b in angles
    ]


def _first_stands(view: Outlook, lowest: float, highest: float) -> list[Stand]:
    """Woods in groves before the first view, scrub and turf close by: a wide survey must not drown in plants."""
    far = _ahead(view, -CLEARING, WOODS_TO, HALF_VIEW + 14)
    near = _ahead(view, 60.0, 520.0, HALF_VIEW + 14)
    close = _ahead(view, 40.0, 260.0, HALF_VIEW + 14)
    trees = {"area": far, "slope_most": 34.0, "lowest": lowest, "highest": highest}
    return [
        Stand(
            id="wood",
            name="Wood",
            kind="oak",
            per_hectare=150,
            height=11,
            variation=0.35,
            groves=330,
            groves_cover=0.24,
            seed=2,
            **trees,
        ),
        Stand(
            id="birches",
            name="Birches",
            kind="birch",
            per_hectare=110,
            height=10,
            variation=0.35,
            groves=330,
            groves_cover=0.24,
            seed=4,
            **trees,
        ),
        Stand(
            id="pines",
            name="Pines",
            kind="pine",
            per_hectare=210,
            height=14,
            variation=0.3,
            groves=260,
            groves_cover=0.08,
            seed=5,
            **trees,
        ),
        Stand(
            id="scrub",
            name="Scrub",
            kind="scrub",
            area=near,
            per_hectare=190,
            height=1.9,
            variation=0.5,
            groves=45,
            groves_cover=0.3,
            slope_most=36,
            lowest=lowest,
            highest=highest + 150,
            seed=3,
        ),
        Stand(
            id="turf",
            name="Turf",
            kind="grass",
            area=close,
            per_hectare=9000,
            height=0.3,
            slope_most=33,
            lowest=lowest,
            seed=1,
        ),
    ]


def _first_hour(site: Site, ground: Ground, view: Outlook) -> tuple[dt.datetime, float]:
    """An hour of low sun from the side of a view that is not in the shade of its hills, in the summer of the place, and
    the sun's height then [degrees]."""
    day = dt.datetime(2026, 6, 5) if site.latitude >= 0 else dt.datetime(2026, 12, 5)
    best = (np.inf, day.replace(hour=9, minute=30), 30.0)
    for minutes in range(0, 1440, 10):
        clock = day + dt.timedelta(minutes=minutes)
        utc = clock - dt.timedelta(hours=site.utc_offset)
        sun = sun_position(julian_day(utc), site.latitude, site.longitude, site.altitude)
        elevation = float(sun.elevation)
        if elevation <= 2:
            continue
        aside = abs((float(sun.azimuth) - view.bearing + 180) % 360 - 180)
        low, high = LOW_SUN
        off = 12 * max(low - elevation, elevation - high, 0)
        off += 3 * max(FROM_THE_SIDE[0] - aside, 0) + max(aside - FROM_THE_SIDE[1], 0)
        if off < best[0]:
            off += 120 * (1 - lit_share(ground, view, float(sun.azimuth), elevation))
        best = min(best, (off, clock, elevation))
    return best[1], best[2]


def _exposure(elevation: float) -> float:
    """EV at ISO 100 of sunlit land by the sun's height [degrees]: 13.9 at 50 degrees, less by its light (practice)."""

    def light(degrees: float) -> float:
        sine = max(np.sin(np.radians(degrees)), 0.02)
        return float(sine * np.exp(-0.2 / sine) + 0.1)

    return round(13.9 + 0.75 * float(np.log2(light(elevation) / light(50.0))), 1)


def _first_shot(view: Outlook, site: Site, ground: Ground) -> Shot:
    """A calm level flight into the view."""
    a, down = np.radians(view.bearing), np.tan(np.radians(view.drop))
    stations = [
        Station(
            id=f"s{k + 1}",
            name="",
            east=round(at[0], 2),
            north=round(at[1], 2),
            up=round(at[2], 2),
            aim=(
                round(at[0] + 500 * float(np.sin(a)), 2),
                round(at[1] + 500 * float(np.cos(a)), 2),
                round(at[2] - 500 * float(down), 2),
            ),
            focal=30,
        )
        for k, at in enumerate((view.begins, view.ends))
    ]
    clock, elevation = _first_hour(site, ground, view)
    return Shot(
        id="first",
        name="First flight",
        frames=288,
        clock=Clock(start=clock),
        exposure=Exposure(ev100=_exposure(elevation), kelvin=5300, focus=1000),
        route=Route(way="fly", stations=stations),
    )
