"""Evaluate a place at a clip time: the one step from a document to what is there to be filmed.

``evaluate(setting, shot, t)`` is a pure function. Nothing is remembered from any other time.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass, field, fields, replace
from typing import Any

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
from lumwick.motion.channel import Curve, moment_of
from lumwick.motion.route import Way, eased_share, way
from lumwick.motion.timebase import RATES, time_frame
from lumwick.place.document import Asset, Develop, Exposure, Place, Shot
from lumwick.place.instant import Motions
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
    memory: dict[Any, Any] = field(default_factory=dict, repr=False, compare=False)
    """Routes and motions made ready, by shot."""

    def floor(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
        """Height [m] that one stands on."""
        return floor_over(self.place.built, np.asarray(x, float), np.asarray(y, float), self.ground.height(x, y))

    def way(self, shot: Shot) -> Way:
        """The shot's route made ready; over the floor as it lies when the shot starts."""
        still = self.still(shot)
        return self._remembered("way", shot, lambda: way(shot.route, still.floor))

    def motions(self, shot: Shot) -> Motions:
        """All that moves in a shot."""
        return self._remembered("motions", shot, lambda: Motions(self.place, shot))

    def still(self, shot: Shot | None = None, t: float = 0.0) -> Setting:
        """The same setting with everything as it is at one clip time of a shot (its first one's start, if not said)."""
        place, _ = self.motions(shot or self.place.shots[0]).at(t)
        return self if place is self.place else replace(self, place=place, memory={})

    def _remembered(self, what: str, shot: Shot, make: Callable[[], Any]) -> Any:
        # kept with the shot itself, so that no other object can come to have its number
        key = (what, id(shot))
        if key not in self.memory:
            if len(self.memory) > 64:
                self.memory.clear()
            self.memory[key] = (shot, make())
        return self.memory[key][1]


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
    place: Place
    """With constants alone."""
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
    shown: dict[str, tuple[float, float, str]] = field(default_factory=dict)
    """Glow [cd/m2], wetness and the glow's colour of each surface."""


def place_clock(shot: Shot, t: float) -> dt.datetime:
    """Date and hour of the place at a clip time."""
    start: Any = shot.clock.start
    if isinstance(start, Curve):
        return moment_of(start.table.at(t)[0, 0])
    return start + dt.timedelta(seconds=shot.clock.speed * t)


def clip_time(shot: Shot, t: float) -> float:
    """The clip time that is shown at ``t`` [s]: the same, unless the clip runs there and back."""
    if shot.seam != "mirror":
        return t
    turn = shot.seconds
    return round(float(turn / 2 - abs((t % turn) - turn / 2)), 9)  # the same instant, whichever way it is met


def sun_at(place: Place, clock: dt.datetime) -> SunPosition:
    """The sun at an hour of the place's clock; azimuth from true north."""
    utc = clock - dt.timedelta(hours=place.site.utc_offset)
    pressure = 1010.0 * float(np.exp(-place.site.altitude / 8400.0))
    return sun_position(julian_day(utc), place.site.latitude, place.site.longitude, place.site.altitude, pressure)


def camera_at(setting: Setting, shot: Shot, t: float, the_way: Way | None = None) -> Camera:
    """The shot's camera at a clip time."""
    t = clip_time(shot, t)
    w = the_way or setting.way(shot)
    share = eased_share(t / shot.seconds if shot.seconds else 0.0, shot.route.ease)
    position, bearing, pitch, focal = w.at(share)
    exposure = setting.motions(shot).at(t)[1].exposure
    return camera_with(exposure, position[0], float(bearing[0]), float(pitch[0]), float(focal[0]))


def camera_with(e: Exposure, position: NDArray[np.float64], bearing: float, pitch: float, focal: float) -> Camera:
    """A camera at a place and with a lens, set as an exposure (at its instant) says."""
    return Camera(position, direction_of(bearing, pitch), focal, e.f_number, e.focus, e.ev100, e.kelvin, e.roll, e.blades, e.distortion, e.dispersion)


def grade_of(develop: Develop, read: Callable[[Asset], bytes] = _nothing) -> Grade:
    """How the picture is developed, from settings at their instant."""
    return Grade(view=develop.view, screen=develop.screen, lut=None if develop.lut is None else read(develop.lut), **{name: getattr(develop, name) for name in GRADED})


def evaluate(setting: Setting, shot: Shot, t: float, camera: Camera | None = None) -> Snapshot:
    """The place at clip time ``t`` [s], seen by the shot's camera or the one given."""
    t = clip_time(shot, t)
    clock = place_clock(shot, t)
    place, now = setting.motions(shot).at(t)
    sun = sun_at(place, clock)
    loop = shot.seconds if shot.loop and shot.seam != "mirror" else None
    sea = None
    north = place.site.north_turn
    if place.sea.present:
        sea = SeaState(place.sea.wind_speed, place.sea.fetch_km * 1000, place.sea.depth, (place.sea.wind_from + 180 + north) % 360)
    air, blow = now.air or place.air, now.wind or place.wind
    weather = Weather(air.haze, air.ozone_du, RANGE_TO_EXTINCTION / air.fog_visibility, air.fog_height, air.fog_base)
    wind = gusts(blow.speed, blow.from_bearing + north, blow.gustiness, blow.seed, loop)
    return Snapshot(t, place, clock, camera or camera_at(setting, shot, t), sun, direction(float(sun.azimuth) + north, float(sun.elevation)), weather, wind, sea, loop,
                    grade_of(now.develop, setting.read), time_frame(max(t, 0.0), RATES[shot.fps]), air.sun_width, tuple(lamp_at(lamp, north) for lamp in place.lamps if lamp.lit),
                    place.surround.lux, {s.id: (s.glow, s.wet, s.glow_colour) for s in place.surfaces})


def area_shapes(setting: Setting) -> list[shapely.Geometry]:
    """Ground kept clear of plants by built things."""
    from lumwick.built.timber import footprint

    return [footprint(thing) for thing in setting.place.built]
