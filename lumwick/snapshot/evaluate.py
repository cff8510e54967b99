"""Evaluate a place at a clip time: the one step from a document to what is there to be filmed.

``evaluate(setting, shot, t)`` is a pure function. Nothing is remembered from any other time.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass, field, fields

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.air.sun import SunPosition, direction, julian_day, sun_position
from lumwick.air.wind import Gusts, gusts
from lumwick.built.lamps import LampLight, lamp_at
from lumwick.built.timber import floor_over
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.lens.grade import Grade
from lumwick.motion.channel import at
from lumwick.motion.route import Way, eased_share, way
from lumwick.motion.timebase import RATES, time_frame
from lumwick.place.document import Asset, Develop, Exposure, Place, Shot
from lumwick.water.spectrum import SeaState

GRADED = tuple(f.name for f in fields(Grade) if f.name not in ("view", "screen", "lut"))
RANGE_TO_EXTINCTION = 2.996
"""Meteorological optical range is where contrast falls to 5 %: V = 2.996 / beta (WMO No. 8)."""


def _nothing(asset: Asset) -> bytes:
    raise PlaceError(f"The file {asset.name} is not here: export the place again with its assets.")


@dataclass(frozen=True)
class Setting:
    """A place with its ground loaded, and the way to its other files."""

    place: Place
    ground: Ground
    read: Callable[[Asset], bytes] = _nothing
    """Gives an asset's bytes."""

    def floor(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
        """Height [m] that one stands on."""
        return floor_over(self.place.built, np.asarray(x, float), np.asarray(y, float), self.ground.height(x, y))

    def way(self, shot: Shot) -> Way:
        return way(shot.route, self.floor)


@dataclass(frozen=True)
class Weather:
    """Haze and fog of one instant; ``fog_extinction`` [1/m] holds at ``fog_base`` [m] and thins over ``fog_height`` [m]."""

    haze: float
    ozone_du: float
    fog_extinction: float
    fog_height: float
    fog_base: float


@dataclass(frozen=True)
class Snapshot:
    """What is there at one instant."""

    t: float
    clock: dt.datetime
    camera: Camera
    sun: SunPosition
    sun_direction: NDArray[np.float64]
    weather: Weather
    wind: Gusts
    sea: SeaState | None
    loop: float | None
    grade: Grade
    frame: int
    sun_width: float = 0.53
    lamps: tuple[LampLight, ...] = ()
    surround_lux: float = 0.0
    shown: dict[str, tuple[float, float]] = field(default_factory=dict)
    """Glow [cd/m2] and wetness of each surface."""


def place_clock(shot: Shot, t: float) -> dt.datetime:
    """Date and hour of the place at a clip time."""
    return shot.clock.start + dt.timedelta(seconds=shot.clock.speed * t)


def sun_at(place: Place, clock: dt.datetime) -> SunPosition:
    """The sun at an hour of the place's clock; azimuth from true north."""
    utc = clock - dt.timedelta(hours=place.site.utc_offset)
    pressure = 1010.0 * float(np.exp(-place.site.altitude / 8400.0))
    return sun_position(julian_day(utc), place.site.latitude, place.site.longitude, place.site.altitude, pressure)


def camera_at(setting: Setting, shot: Shot, t: float, the_way: Way | None = None) -> Camera:
    """The shot's camera at a clip time."""
    w = the_way or setting.way(shot)
    share = eased_share(t / shot.seconds if shot.seconds else 0.0, shot.route.ease)
    position, bearing, pitch, focal = w.at(share)
    return camera_with(shot.exposure, t, position[0], float(bearing[0]), float(pitch[0]), float(focal[0]))


def camera_with(e: Exposure, t: float, position: NDArray[np.float64], bearing: float, pitch: float, focal: float) -> Camera:
    """A camera at a place and with a lens, set as a shot's exposure says."""
    return Camera(position, direction_of(bearing, pitch), focal, e.f_number, at(e.focus, t), at(e.ev100, t), at(e.kelvin, t), at(e.roll, t), e.blades, e.distortion, e.dispersion)


def grade_at(develop: Develop, t: float, read: Callable[[Asset], bytes] = _nothing) -> Grade:
    """How the picture is developed at a clip time."""
    return Grade(view=develop.view, screen=develop.screen, lut=None if develop.lut is None else read(develop.lut), **{name: at(getattr(develop, name), t) for name in GRADED})


def evaluate(setting: Setting, shot: Shot, t: float, camera: Camera | None = None) -> Snapshot:
    """The place at clip time ``t`` [s], seen by the shot's camera or the one given."""
    place = setting.place
    clock = place_clock(shot, t)
    sun = sun_at(place, clock)
    loop = shot.seconds if shot.loop else None
    sea = None
    if place.sea.present:
        sea = SeaState(at(place.sea.wind_speed, t), place.sea.fetch_km * 1000, place.sea.depth, (place.sea.wind_from + 180 + place.site.north_turn) % 360)
    air, blow = shot.air or place.air, shot.wind or place.wind
    weather = Weather(at(air.haze, t), air.ozone_du, RANGE_TO_EXTINCTION / at(air.fog_visibility, t), air.fog_height, air.fog_base)
    wind = gusts(at(blow.speed, t), blow.from_bearing + place.site.north_turn, blow.gustiness, blow.seed, loop)
    return Snapshot(t, clock, camera or camera_at(setting, shot, t), sun,
                    direction(float(sun.azimuth) + place.site.north_turn, float(sun.elevation)), weather, wind, sea, loop, grade_at(shot.develop, t, setting.read), time_frame(max(t, 0.0), RATES[shot.fps]),
                    air.sun_width, tuple(lamp_at(lamp, t, place.site.north_turn) for lamp in place.lamps if lamp.lit), at(place.surround.lux, t), {s.id: (at(s.glow, t), at(s.wet, t)) for s in place.surfaces})


def area_shapes(setting: Setting) -> list[shapely.Geometry]:
    """Ground kept clear of plants by built things."""
    from lumwick.built.timber import footprint

    return [footprint(thing) for thing in setting.place.built]
