"""The day of a shot as the timeline and the Air bench draw it: sky, sun and moon, and the air by its height."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np

from lumwick.air.moon import moon_position
from lumwick.air.sun import julian_day, sun_day, sun_position
from lumwick.lens.camera import Camera
from lumwick.place.document import Shot
from lumwick.place.instant import place_clock
from lumwick.snapshot.evaluate import RANGE_TO_EXTINCTION, Setting, evaluate
from lumwick.snapshot.sun_moon import moon_at, sun_at, utc_of
from lumwick.sounding import Sounding, sounding


def day_band(setting: Setting, shot: Shot, count: int = 48) -> dict[str, Any]:
    """The place's own clock over the clip: the sky's colour at each moment, sunrise and sunset."""
    still = setting.still(shot)
    moments = []
    for i in range(count):
        t = shot.seconds * (i + 0.5) / count
        el = float(sun_at(still.place, place_clock(shot, t), setting.motions(shot).at(t)[1].air).elevation)
        moments.append({"t": round(t, 3), "colour": sky_colour(el), "elevation": round(el, 2)})
    grid = np.linspace(0, shot.seconds, 241)
    clock = [place_clock(shot, float(t)) for t in grid]
    start, lo, hi = clock[0], min(clock), max(clock)
    hours = np.array([(c - start).total_seconds() for c in clock])
    marks: list[dict[str, Any]] = []
    site = still.place.site
    day = lo.date()
    while day <= hi.date() and len(marks) < 12:
        events = sun_day(day, site.latitude, site.longitude, site.utc_offset)
        for name, when in (("sunrise", events.sunrise), ("sunset", events.sunset)):
            if when is None:
                continue
            away = hours - (when - start).total_seconds()
            for k in np.flatnonzero(
                (away[:-1] * away[1:] <= 0) & (away[:-1] != away[1:])
            ):  # a keyed clock may pass it more than once
                t = grid[k] + (grid[k + 1] - grid[k]) * away[k] / (away[k] - away[k + 1])
                marks.append({"t": round(float(t), 3), "text": f"{name} {when:%H:%M}"})
        day += dt.timedelta(days=1)
    today = sun_day(start.date(), site.latitude, site.longitude, site.utc_offset)
    words = (
        f"the sun is {'up' if today.always == 'up' else 'down'} all day"
        if today.always
        else f"sunrise {today.sunrise:%H:%M} · sunset {today.sunset:%H:%M}"
        if today.sunrise and today.sunset
        else ""
    )
    return {
        "moments": moments,
        "marks": marks,
        "start": start.isoformat(timespec="seconds"),
        "clock": [round(float(h), 1) for h in hours[::5]],
        "words": words,
        "path": _sun_path(still, start),
        **_heavens(setting, shot, still, start),
    }


def _sun_path(setting: Setting, start: Any) -> list[list[float]]:
    """Azimuth and elevation of the sun over the shot's day, every quarter hour."""
    site = setting.place.site
    midnight = dt.datetime.combine(start.date(), dt.time())
    hours = np.arange(0, 24.01, 0.25)
    p = sun_position(
        julian_day(midnight - dt.timedelta(hours=site.utc_offset)) + hours / 24, site.latitude, site.longitude
    )
    return [
        [round(float(h), 2), round(float(a), 2), round(float(e), 2)]
        for h, a, e in zip(hours, p.azimuth, p.elevation, strict=True)
    ]


_SKY_STOPS = (
    (-18, (28, 34, 54)),
    (-12, (38, 46, 74)),
    (-6, (70, 74, 110)),
    (-2, (150, 110, 120)),
    (0, (214, 132, 92)),
    (4, (236, 178, 116)),
    (10, (236, 208, 156)),
    (25, (186, 208, 218)),
    (60, (140, 184, 214)),
)


def sky_colour(elevation: float) -> str:
    """A colour for the day band at a height of the sun (a drawing, not the rendered sky)."""
    x = [s[0] for s in _SKY_STOPS]
    return "#" + "".join(
        f"{round(float(np.interp(elevation, x, [s[1][c] for s in _SKY_STOPS]))):02x}" for c in range(3)
    )


PHASES = (
    (0.03, "new moon"),
    (0.22, "crescent"),
    (0.28, "quarter"),
    (0.47, "over half"),
    (0.53, "full moon"),
    (0.72, "over half"),
    (0.78, "quarter"),
    (0.97, "crescent"),
    (1.01, "new moon"),
)
"""What a moon is called, by the share of its month."""


def _heavens(setting: Setting, shot: Shot, still: Setting, start: dt.datetime) -> dict[str, Any]:
    """The moon over the shot's day, and whether sun and moon go by the date or are set by hand."""
    site, air = still.place.site, setting.motions(shot).at(0.0)[1].air or still.place.air
    moon = moon_at(still.place, start, air)
    words = ""
    if moon is not None:
        later = moon_at(still.place, start + dt.timedelta(hours=12), air)
        hand = air.heavens.moon_by == "hand"
        grows = float(air.heavens.moon_phase) <= 0.5 if hand else later is not None and later.lit > moon.lit
        month = (180.0 - moon.phase_angle) / 360.0
        month = month if grows else 1.0 - month
        words = next(name for end, name in PHASES if month < end) + f", {100 * moon.lit:.0f} % lit"
    path = []
    if air.heavens.moon_by == "date":
        midnight = dt.datetime.combine(start.date(), dt.time())
        for hour in np.arange(0, 24.01, 0.5):
            at = utc_of(still.place, midnight + dt.timedelta(hours=float(hour)))
            one = moon_position(at, float(site.latitude), float(site.longitude), float(site.altitude))
            path.append([float(hour), round(one.azimuth, 1), round(one.elevation, 1)])
    sun = sun_at(still.place, start, air)
    return {
        "moon": path,
        "moon_words": words,
        "moon_now": None if moon is None else [round(moon.azimuth, 1), round(moon.elevation, 1), round(moon.lit, 3)],
        "heavens": f"/shots/{shot.id}/air/heavens" if shot.air is not None else "/air/heavens",
        "sun_by": air.heavens.sun_by,
        "moon_by": air.heavens.moon_by,
        "sun_now": [round(float(sun.azimuth), 1), round(float(sun.elevation), 1)],
    }


def air_by_height(setting: Setting, shot: Shot, t: float, camera: Camera | None) -> dict[str, Any]:
    """What the Air bench draws of the air over the ground at a clip time; heights are over the datum [m]."""
    seen = evaluate(setting, shot, t, camera)
    told = sounding(setting, seen)
    air = setting.motions(shot).at(t)[1].air or setting.still(shot).place.air
    ground = float(setting.ground.height([seen.camera.position[0]], [seen.camera.position[1]])[0])
    deck, veil, weather = seen.deck, seen.veil, seen.weather
    return {
        "path": f"/shots/{shot.id}/air" if shot.air is not None else "/air",
        "ground": round(ground, 2),
        "eye": round(told.eye, 2),
        "wind": told.wind,
        "low": {"oktas": float(air.low.oktas), "base": float(air.low.base), "thick": float(air.low.thick)}
        if deck is not None
        else None,
        "high": {"amount": float(air.high.amount), "height": float(air.high.height)} if veil is not None else None,
        "fog": {
            "base": round(weather.fog_base, 1),
            "height": round(weather.fog_height, 1),
            "sight": round(RANGE_TO_EXTINCTION / max(weather.fog_extinction, 1e-9)),
        },
        "words": words_of(told, "moon" if seen.key.by_moon else "sun"),
    }


def words_of(told: Sounding, by: str = "sun") -> list[str]:
    """Readings of the air in words; ``by`` is what casts shadows."""
    sight = f"{told.sight / 1000:.1f} km" if told.sight >= 1000 else f"{told.sight:.0f} m"
    return [
        f"sight {sight}",
        f"sky {_light(told.overhead)} cd/m² up, {_light(told.ahead)} ahead",
        f"ground {_light(told.by_sky + told.by_sun)} lx, {by} {_light(told.by_sun)}",
    ]


NO_LIGHT = 1e-4
"""Light [lx or cd/m2] that is told as none: darker than any night's sky."""


def _light(value: float) -> str:
    """An amount of light with the digits that tell something."""
    if value >= 10:
        rounded = float(f"{value:.2g}") if value < 1000 else float(f"{value:.3g}")
        return f"{rounded:,.0f}".replace(",", " ")
    return f"{value:.2g}" if value >= NO_LIGHT else "0"
