"""Evaluate a place at a clip time: the one step from a document to what is there to be filmed.

``evaluate(setting, shot, t)`` is a pure function. Nothing is remembered from any other time.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable
from dataclasses import dataclass, field, fields, replace
from typing import TypeVar

import numpy as np
import shapely
from numpy.typing import ArrayLike, NDArray

from lumwick.air.clouds import Deck, Veil
from lumwick.air.moon import Moon
from lumwick.air.sun import SunPosition, direction, julian_day
from lumwick.air.wind import Gusts, gusts
from lumwick.built.floors import Walkable, model_of, walkable_of, walked_on
from lumwick.built.gaps import Gap, Room
from lumwick.built.gobos import moves
from lumwick.built.lamps import LampLight
from lumwick.built.timber import floor_over
from lumwick.disk_cache import cached
from lumwick.errors import PlaceError
from lumwick.growth.trampling import Body
from lumwick.land.covers import open_water, sea_nearness
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera
from lumwick.lens.grade import Grade
from lumwick.lens.lens import FULL_FRAME_MM, Lens
from lumwick.motion.channel import Curve
from lumwick.motion.timebase import RATES, time_frame
from lumwick.place.document import Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Develop, Exposure
from lumwick.place.instant import Motions, place_clock
from lumwick.place.nature import Heavens
from lumwick.place.objects import Lamp, SunGobo, Thing
from lumwick.route.camera_path import CameraPath, camera_path_of
from lumwick.route.legs import Around
from lumwick.route.track import Track, read_track
from lumwick.snapshot import active_lamps
from lumwick.snapshot.cloud_state import clouds_of
from lumwick.snapshot.disturbances import disturbances_of
from lumwick.snapshot.memory import Memory
from lumwick.snapshot.showers import Bank, Showers, banks_of, showers_of
from lumwick.snapshot.sun_moon import KeyLight, key_light, moon_at, sun_at, utc_of
from lumwick.snapshot.tramplers import bodies_of
from lumwick.snapshot.transforms import Transforms
from lumwick.snapshot.waters import Bed, Stirrer, beds_of, sea_state
from lumwick.wanted import look_up
from lumwick.water.spectrum import SeaState

GRADED = tuple(f.name for f in fields(Grade) if f.name not in ("view", "screen", "lut"))
RANGE_TO_EXTINCTION = 2.996
"""Meteorological optical range is where contrast falls to 5 %: V = 2.996 / beta (WMO No. 8)."""

WALKED_COPIES = 400
"""Copies of a model that can be walked on, from the first."""

T = TypeVar("T")


def _nothing(asset: Asset) -> bytes:
    raise PlaceError(f"The file {asset.name} is not here: export the place again with its assets.")


@dataclass(frozen=True)
class Setting:
    """A place with its ground loaded, and the way to its other files."""

    place: Place
    ground: Ground
    read: Callable[[Asset], bytes] = _nothing
    """Gives an asset's bytes."""
    memory: Memory = field(default_factory=Memory, repr=False, compare=False)
    """Routes and motions made ready, by shot."""
    survey: Ground | None = None
    """The land as it was brought in; ``ground`` has the beds of the place's waters in it."""
    told: Place | None = None
    """The place as its document says it; ``place`` may be what it is at an instant."""

    def __post_init__(self) -> None:
        survey = self.survey or self.ground
        object.__setattr__(self, "survey", survey)
        object.__setattr__(self, "told", self.told or self.place)
        object.__setattr__(self, "ground", beds_of(survey, self.place.waters)[0] if self.place.waters else survey)

    def beds(self) -> tuple[Bed, ...]:
        """Where each of the place's waters lies."""
        assert self.survey is not None
        return beds_of(self.survey, self.place.waters)[1]

    def floor(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
        """Height [m] that one stands on."""
        return floor_over(self.place.built, np.asarray(x, float), np.asarray(y, float), self.ground.height(x, y))

    def stands_on(self, east: float, north: float) -> float:
        """Height [m] that one stands on at one spot."""
        return float(self.floor(np.array([east]), np.array([north]))[0])

    def camera_path(self, shot: Shot) -> CameraPath:
        """The shot's route made ready; over the floor as it lies when the shot starts."""
        return self._remembered("way", shot, lambda: camera_path_of(shot.route, shot.seconds, self.around(shot)))

    def around(self, shot: Shot) -> Around:
        """What a shot's route needs to know of the place."""
        still = self.still(shot)
        motions = self.motions(shot)

        def keyed(name: str, t: NDArray[np.float64]) -> NDArray[np.float64]:
            value = getattr(shot.route, name)
            return (
                motions.value(f"/shots/{shot.id}/route/{name}", t)
                if isinstance(value, Curve)
                else np.full(len(t), float(value))
            )

        track = shot.route.track
        return Around(
            still.ground.height,
            lambda x, y, z: walked_on(still.floor(x, y), self.walkable(), x, y, z),
            lambda name, t: self.whereabouts(shot, name, t),
            keyed,
            None if track is None or shot.route.way != "brought" else self._track(track, shot),
            shot.seconds if shot.loop else None,
        )

    def _track(self, asset: Asset, shot: Shot) -> Track:
        """A path that was brought in, its lens told for the shot's sensor as the stations' are."""
        track = read_track(self.read(asset), asset.name)
        return replace(track, focal=Lens(track.focal).on(shot.exposure.sensor).focal_mm)

    def _open_water(self, level: float) -> NDArray[np.float32]:
        return open_water(self.ground, level, sea_nearness(self.ground, level))

    def openness(self, level: float) -> Callable[[ArrayLike, ArrayLike], NDArray[np.float64]]:
        """How much of the sea's waves comes to spots (n,) [m]: shares (n, 3) of long ones, of ripples and of a sea
        shore; beyond the survey, of an open sea."""
        held = self.memory.get("openness", ())
        grid: NDArray[np.float32] | None = next((made for of, made in held if of == level), None)
        if grid is None:
            made = cached("openness", f"{self.ground.fingerprint} {level!r}", lambda: {"open": self._open_water(level)})
            grid = made["open"]
            self.memory["openness"] = ((level, grid), *held[:1])  # and that of the tide just before
        laid = grid

        def at(east: ArrayLike, north: ArrayLike) -> NDArray[np.float64]:
            g, x, y = self.ground, np.atleast_1d(np.asarray(east, float)), np.atleast_1d(np.asarray(north, float))
            inside = (g.bounds[0] <= x) & (x <= g.bounds[2]) & (g.bounds[1] <= y) & (y <= g.bounds[3])
            row, col = (np.round((v - start) / g.spacing).astype(int) for v, start in ((y, g.south), (x, g.west)))
            out = np.tile([1.0, 1.0, 0.0], (len(x), 1))
            out[inside] = laid[row[inside], col[inside]]
            return out

        return at

    def walkable(self) -> list[Walkable]:
        """What can be walked on of the models that stand in the place when its first shot starts."""
        return self.memory.remembered(
            "walkable",
            lambda: [
                walkable_of(model_of(self.read, thing), one)
                for thing, placed in self.stood(self.place.shots[0])
                for one in placed[:WALKED_COPIES]
            ],
        )

    def standing(self, shot: Shot, t: float) -> Transforms:
        """Who knows where everything stands at a clip time of a shot."""
        return Transforms(self, shot, self.motions(shot).at(t)[0], t)

    def stood(self, shot: Shot, t: float = 0.0) -> list[tuple[Thing, NDArray[np.float64]]]:
        """Every model that the camera does not carry, with its placements and its copies' (n, 3, 4) at a clip time."""
        standing = self.standing(shot, t)
        fixed = standing.fixed()
        placed = standing.all(fixed)
        return [(thing, placed[thing.id]) for thing in fixed]

    def whereabouts(
        self, shot: Shot, name: str, t: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Place (n, 3) [m] and turn (n,) [degrees] of something at clip times of a shot: a model, a lamp, a built
        thing, a stand.

        Raises
        ------
        PlaceError
            There is no such thing.
        """
        motions, place = self.motions(shot), self.place

        def told(path: str) -> NDArray[np.float64]:
            return motions.value(path, t)

        items: list[Thing] | list[Lamp]
        for of, items, turn in (("things", place.things, "turn"), ("lamps", place.lamps, "bearing")):
            item = next((item for item in items if item.id == name), None)
            if item is not None and (item.held or (isinstance(item, Thing) and (item.rolls or item.floats))):
                frames = self.standing(shot, 0.0).frames(item, t)
                return frames[:, :3, 3], np.degrees(np.arctan2(frames[:, 0, 1], frames[:, 1, 1]))
            if item is not None:
                at = f"/{of}/{name}"
                return np.stack([told(f"{at}/east"), told(f"{at}/north"), told(f"{at}/up")], -1), told(f"{at}/{turn}")
        for built in place.built:
            if built.id == name:
                middle = np.mean(np.array(built.line), axis=0)
                return np.column_stack([np.broadcast_to(middle, (len(t), 2)), told(f"/built/{name}/deck")]), told(
                    f"/built/{name}/turn"
                )
        for stand in place.growth:
            if stand.id == name:
                c = np.array(shapely.Polygon(stand.area).centroid.coords[0] if len(stand.area) > 2 else (0.0, 0.0))
                foot = float(self.ground.height(c[:1], c[1:])[0])
                return np.broadcast_to([*c, foot], (len(t), 3)).copy(), np.zeros(len(t))
        raise PlaceError(
            f"The route of {shot.name} has the subject {name!r}, which is not in this place: choose another."
        )

    def motions(self, shot: Shot) -> Motions:
        """All that moves in a shot."""
        return self._remembered("motions", shot, lambda: Motions(self.place, shot))

    def still(self, shot: Shot | None = None, t: float = 0.0) -> Setting:
        """The same setting with everything as it is at one clip time of a shot (its first one's start, if not said)."""
        place, _ = self.motions(shot or self.place.shots[0]).at(t)
        return self if place is self.place else replace(self, place=place, memory=Memory())

    def _remembered(self, what: str, shot: Shot, make: Callable[[], T]) -> T:
        # kept with the shot itself, so that no other object can come to have its number
        return self.memory.remembered((what, id(shot)), lambda: (shot, make()))[1]


@dataclass(frozen=True)
class Weather:
    """Haze and fog of one instant; ``fog_extinction`` [1/m] holds at ``fog_base`` [m] and thins over ``fog_height``
    [m]."""

    haze: float
    ozone_du: float
    fog_extinction: float
    fog_height: float
    fog_base: float

    def fog_at(self, height: float) -> float:
        """Extinction of fog [1/m] at a height [m]."""
        return self.fog_extinction * math.exp(min(20.0, -(height - self.fog_base) / self.fog_height))


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
    surfaces: dict[str, tuple[float, float, str]] = field(default_factory=dict)
    """Glow [cd/m2], wetness and the glow's colour of each surface."""
    stood: dict[str, NDArray[np.float64]] = field(default_factory=dict)
    """Placements (n, 3, 4) of each model and its copies."""
    played: dict[str, tuple[int, tuple[float, ...]]] = field(default_factory=dict)
    """Which of its own motions each moving model plays, and the time within it of each of its phases [s]."""
    sun_gobo: SunGobo | None = None
    gobo_t: tuple[float, float | None] = (0.0, None)
    """When it is, and the length over which it closes [s], if it moves by itself."""
    gaps: tuple[Gap, ...] = ()
    """Openings of rooms that daylight comes in by."""
    rooms: tuple[Room, ...] = ()
    rain: float = 0.0
    """On the water [mm/h]."""
    breeze: float = 0.0
    """Wind [m/s] that ruffles ponds."""
    stirrers: tuple[Stirrer, ...] = ()
    """What has gone through water in the last seconds."""
    bodies: tuple[Body, ...] = ()
    deck: Deck | None = None
    """Low clouds, if there are any."""
    """What has gone through plants in the last seconds."""
    veil: Veil | None = None
    """High clouds, if there are any."""
    heavens: Heavens = field(default_factory=Heavens)
    moon: Moon | None = None
    jd: float = 0.0
    """Julian day, universal time."""
    showers: Showers = field(default_factory=Showers)
    banks: tuple[Bank, ...] = ()
    open_for: float = 0.0
    """How long the shutter is open while things stand so [s]."""

    @property
    def key(self) -> KeyLight:
        """What casts shadows: the sun, or the moon."""
        return key_light(self.sun, self.moon)

    @property
    def key_direction(self) -> NDArray[np.float64]:
        """The way to it (3,), in the model's axes."""
        key = self.key
        return direction(key.azimuth + self.place.site.north_turn, key.elevation)

    def indoors(self) -> bool:
        """Whether the camera is in a room."""
        return any(room.holds(self.camera.position) for room in self.rooms)


def clip_time(shot: Shot, t: float) -> float:
    """The clip time that is shown at ``t`` [s]: the same, unless the clip runs there and back."""
    if shot.seam != "mirror":
        return t
    turn = shot.seconds
    return round(float(turn / 2 - abs((t % turn) - turn / 2)), 9)  # the same instant, whichever way it is met


def camera_at(setting: Setting, shot: Shot, t: float, the_way: CameraPath | None = None) -> Camera:
    """The shot's camera at a clip time."""
    look_up()
    t = clip_time(shot, t)
    poses = (the_way or setting.camera_path(shot)).at(t)
    own = {name: float(values[0]) for name, values in poses.own.items() if np.isfinite(values[0])}
    return camera_with(
        setting.motions(shot).at(t)[1].exposure,
        poses.position[0],
        poses.forward[0],
        float(poses.focal[0]),
        own,
        float(poses.roll[0]),
    )


def camera_with(
    e: Exposure,
    position: NDArray[np.float64],
    forward: NDArray[np.float64],
    focal: float,
    own: dict[str, float] | None = None,
    roll: float = 0.0,
) -> Camera:
    """A camera at a place and with a lens, set as an exposure (at its instant) and its stations say.

    Parameters
    ----------
    focal : float [mm]
        On the exposure's own sensor.
    own : dict
        What stations set for themselves.
    roll : float [degrees]
        By an unsteady hand, besides.

    Notes
    -----
    A lens of focal length f on a sensor of width w sees and blurs as one of 36 f / w at the f-number 36 N / w on 36 mm:
    the angle of view and the diameter of the opening are the same.
    """
    told = {name: getattr(e, name) for name in ("f_number", "focus", "ev100", "kelvin", "roll")} | (own or {})
    crop = FULL_FRAME_MM / e.sensor
    ev = told["ev100"] + (2 * float(np.log2(told["f_number"] / e.metered_at)) if e.metered_at > 0 else 0.0)
    return Camera(
        position,
        forward,
        Lens(focal, e.sensor).full_frame_mm,
        told["f_number"] * crop,
        told["focus"],
        ev,
        told["kelvin"],
        told["roll"] + roll,
        e.blades,
        e.distortion,
        e.dispersion,
    )


def grade_of(develop: Develop, read: Callable[[Asset], bytes] = _nothing) -> Grade:
    """How the picture is developed, from settings at their instant."""
    return Grade(
        view=develop.view,
        screen=develop.screen,
        lut=None if develop.lut is None else read(develop.lut),
        **{name: getattr(develop, name) for name in GRADED},
    )


def evaluate(setting: Setting, shot: Shot, t: float, camera: Camera | None = None) -> Snapshot:
    """The place at clip time ``t`` [s], seen by the shot's camera or the one given."""
    t = clip_time(shot, t)
    clock = place_clock(shot, t)
    look_up()
    place, now = setting.motions(shot).at(t)
    loop = shot.closes_over
    sea = None
    north = place.site.north_turn
    if place.sea.present:
        sea = sea_state(place.sea, north)
    air, blow = now.air or place.air, now.wind or place.wind
    sun = sun_at(place, clock, air)
    showers = showers_of(air, blow, setting.motions(shot), shot, t, north)
    fog = RANGE_TO_EXTINCTION / air.fog_visibility
    weather = Weather(air.haze, air.ozone_du, fog, air.fog_height, air.fog_base)
    wind = gusts(blow.speed, blow.from_bearing + north, blow.gustiness, blow.seed, loop, roughness=blow.roughness)
    deck, veil = clouds_of(air, blow, t, loop, north)
    standing = Transforms(setting, shot, place, t)
    stood, lamps = standing.all(), active_lamps.lamps_at(standing, float(sun.elevation), loop)
    return Snapshot(
        t,
        place,
        clock,
        camera or camera_at(setting, shot, t),
        sun,
        direction(float(sun.azimuth) + north, float(sun.elevation)),
        weather,
        wind,
        sea,
        loop,
        grade_of(place.cut.develop if now.as_film else now.develop, setting.read),
        time_frame(max(t, 0.0), RATES[shot.fps]),
        air.sun_width,
        lamps,
        place.surround.lux,
        {s.id: (s.glow, s.wet, s.glow_colour) for s in place.surfaces},
        stood,
        standing.played(loop),
        place.sun_gobo,
        (t, loop) if place.sun_gobo is not None and moves(place.sun_gobo) else (0.0, None),
        active_lamps.gaps_of(place, stood, lamps),
        active_lamps.rooms_of(place, stood),
        air.rain,
        blow.speed,
        disturbances_of(setting, shot, place, t, loop),
        bodies_of(setting, shot, place, t, loop),
        deck,
        veil,
        air.heavens,
        moon_at(place, clock, air),
        julian_day(utc_of(place, clock)),
        showers,
        banks_of([x for x in place.banks if x.seen_in(shot.id)], blow, t, loop, north),
        float(now.exposure.shutter) / 360.0 / float(RATES[shot.fps]),
    )
