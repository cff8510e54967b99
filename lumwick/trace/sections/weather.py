"""Weather of an instant ready for rays: what falls before the camera, what rain falls on, how wet and white it is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.lens.camera import Camera
from lumwick.motion.colour import from_hex
from lumwick.snapshot.showers import Showers
from lumwick.trace import records
from lumwick.trace.drops import Seen, in_the_air
from lumwick.trace.integrator import lamplight as ll
from lumwick.trace.integrator.falling import COLUMNS, LIGHT
from lumwick.trace.integrator.rays import buffers
from lumwick.trace.integrator.roofs import falls_on
from lumwick.trace.integrator.starlight import COLUMNS as CELL_COLUMNS
from lumwick.trace.integrator.starlight import ROWS as CELL_ROWS
from lumwick.trace.integrator.starlight import sort_by_way
from lumwick.trace.integrator.surfaces.weathered import UNDER
from lumwick.trace.sections.section import Section
from lumwick.trace.splashes import Struck, splashing

Floats = NDArray[np.float64]
F32 = NDArray[np.float32]
SPACING, SIDE = 0.2, 420
"""Of the map of what rain falls on [m], and its cells a side: 84 m."""
STEP = 12.0
"""By which the map follows the camera [m]."""
LEAN = 0.02
"""Steps of the slant for which it is made anew."""
FOG_SHOWS = 2.996 / 9000.0
"""Extinction of fog [1/m] from which shadows on it are looked for (practice)."""
APART = 0.006
"""Angle [rad] between two spots of a streak by which it is sorted."""
DROP_SHOWS, FLAKE_SHOWS = 0.85, 0.55
"""Light of a drop against the sky's mean, and of a flake against a white card's that lies level (practice)."""
DROP_BY_LAMP, FLAKE_BY_LAMP = 1.6, 0.8
"""The same by a lamp's light on them, against a white card that faces it (practice)."""
LAMPS_ASKED, LAMPS_REACH = 24, 30.0
"""How many lamps light what falls, and how far [m]."""
NO_ROOF = np.full((1, 1), -1e9, np.float32)


@dataclass(frozen=True)
class RoofInputs:
    """What the map of what rain falls on goes by: all that stands, its middle and level [m], and the rain's slant."""

    made: str
    middle: tuple[float, float]
    level: float
    slant: tuple[float, float]
    scene: int = field(compare=False)


@dataclass(frozen=True)
class Roof:
    """Heights (rows, columns) [m] of what rain falls on, from its south-west corner [m]."""

    height: F32
    west: float
    south: float


def make_roof(inputs: RoofInputs) -> Roof:
    """Follow the rain down over the map."""
    out = np.zeros((SIDE, SIDE), np.float32)
    # spots are told by where their rain's way meets the datum
    west = inputs.middle[0] + inputs.slant[0] * inputs.level - SIDE * SPACING / 2
    south = inputs.middle[1] + inputs.slant[1] * inputs.level - SIDE * SPACING / 2
    falls_on(inputs.scene, buffers(SIDE), west, south, SPACING, np.array(inputs.slant), inputs.level, out)
    return Roof(out, west, south)


@dataclass(frozen=True)
class WeatherLight:
    """What lights what falls: sky and what casts shadows on level ground [lx], and the lamps; each of the first two
    (3,)."""

    sky: Floats
    sun: Floats
    lamps: NDArray[np.void]


@dataclass(frozen=True)
class Made:
    """Arrays of the integrator's air."""

    record: NDArray[np.void]
    roof: F32
    drop: F32
    first: NDArray[np.int32]


NO_DROPS = np.zeros((1, COLUMNS), np.float32), np.zeros(CELL_ROWS * CELL_COLUMNS + 1, np.int32)


class Weathering:
    """Makes the weather's arrays, and keeps the map of roofs while nothing of it changes."""

    def __init__(self) -> None:
        self._roof: Section[RoofInputs, Roof] = Section(make_roof)

    def make(
        self,
        showers: Showers,
        fog: float,
        camera: Camera,
        when: tuple[float, float | None, float],
        top: tuple[str, int],
        lit: WeatherLight,
    ) -> Made:
        """The weather before a camera.

        Parameters
        ----------
        fog : float [1/m]
            Extinction of the fog at its foot.
        when : tuple
            Clip time [s], length over which the clip closes or None, and how long the shutter is open [s].
        top : tuple of (str, int)
            A key of all that keeps rain off, and the scene.
        lit : WeatherLight
        """
        record = np.zeros(1, records.WEATHER)
        one = record[0]
        one["wet"], one["snow"], one["slant"] = showers.wet, showers.white, showers.slant
        one["veil"] = showers.veil
        one["sunned"] = float(showers.shafts and fog >= FOG_SHOWS)
        roof = NO_ROOF
        eye = np.asarray(camera.position, float)
        if showers.wet > 0.001 or showers.white > 0.001 or showers.kinds:
            slant = (_stepped(showers.slant[0], LEAN), _stepped(showers.slant[1], LEAN))
            middle = (_stepped(eye[0], STEP), _stepped(eye[1], STEP))
            level = _stepped(eye[2], STEP)
            kept = self._roof.of(RoofInputs(top[0], middle, level, slant, top[1]))
            roof, one["slant"] = kept.height, slant
            one["roof_west"], one["roof_south"], one["roof_spacing"] = kept.west, kept.south, SPACING
        drop, first = NO_DROPS
        if showers.kinds:
            drop, first = self._falling(showers, camera, when, record, roof, lit)
            one["falling"] = float(len(drop))
        return Made(record, roof, drop, first)

    def _falling(
        self,
        showers: Showers,
        camera: Camera,
        when: tuple[float, float | None, float],
        record: NDArray[np.void],
        roof: F32,
        lit: WeatherLight,
    ) -> tuple[F32, NDArray[np.int32]]:
        """Rows of what falls, sorted by the way in which they are seen."""
        t, loop, shutter = when
        eye = np.asarray(camera.position, float)
        seen = Seen(eye, np.asarray(camera.forward, float), -1.0 if camera.around else _cosine(camera))
        told, number = in_the_air(showers.kinds, seen, showers.slants, t, loop, shutter, showers.seed)
        open_ = _open(record[0], roof, told[:, :3])
        told, number = told[open_], number[open_]
        kinds = showers.kinds
        radius = np.array([kind.radius for kind in kinds])[number]
        thrown, fine = self._splashing(showers, eye, when, record[0], roof)
        told, radius = np.concatenate([told, thrown]), np.concatenate([radius, fine])
        first_drop = next((k for k, kind in enumerate(kinds) if kind.light == 0), 0)
        number = np.concatenate([number, np.full(len(thrown), first_drop)])
        if not len(told):
            return NO_DROPS
        covers = np.array([kind.covers for kind in kinds])[number]
        long = np.linalg.norm(told[:, 3:], axis=1)
        rows = np.zeros((len(told), COLUMNS))
        rows[:, 0:3], rows[:, 3:6], rows[:, 6] = told[:, :3] - 0.5 * told[:, 3:], told[:, 3:], radius
        covers = np.where(np.array([kind.light for kind in kinds])[number] == 0, covers * showers.streaks, covers)
        rows[:, 7] = covers * np.minimum(1.0, 2 * radius / np.maximum(long, 1e-9))
        rows[:, LIGHT:] = _light(kinds, number, showers.colour, told[:, :3], lit)
        # a streak is sorted by several spots of it
        far = np.maximum(np.linalg.norm(told[:, :3] - eye, axis=1), 0.05)
        spots = np.clip(np.ceil(long / far / APART), 1, 60).astype(np.int64)
        owner = np.repeat(np.arange(len(rows)), spots)
        step = (np.arange(len(owner)) - np.repeat(np.cumsum(spots) - spots, spots) + 0.5) / spots[owner]
        direction = rows[owner, 0:3] + step[:, None] * rows[owner, 3:6] - eye
        away = np.maximum(np.linalg.norm(direction, axis=1), 0.03)
        lens = camera.focal_mm / 1000.0 / camera.f_number / 2
        wide = (radius[owner] + lens + 0.5 * long[owner] / spots[owner]) / away + 0.0012
        order, first = sort_by_way(direction / away[:, None], np.minimum(wide, 0.5))
        # a cell may have two spots of one streak: once is enough
        cell = np.repeat(np.arange(len(first) - 1), np.diff(first))
        mine = owner[order]
        pair = np.unique(cell * len(rows) + mine)
        first = np.searchsorted(pair, np.arange(len(first)) * len(rows)).astype(np.int32)
        return rows[pair % len(rows)].astype(np.float32), first

    def _splashing(
        self, showers: Showers, eye: Floats, when: tuple[float, float | None, float], record: np.void, roof: F32
    ) -> tuple[Floats, Floats]:
        """Droplets of splashes on what rain falls on, and their radius [m]."""
        if record["roof_spacing"] <= 0:
            return np.zeros((0, 6)), np.zeros(0)
        slant = (float(record["slant"][0]), float(record["slant"][1]))
        middle = (float(eye[0] + slant[0] * eye[2]), float(eye[1] + slant[1] * eye[2]))
        struck = Struck(middle, slant, lambda u, v: _tops(record, roof, u, v))
        return splashing(showers.kinds, struck, *when, showers.seed)


def _stepped(value: float, step: float) -> float:
    return round(float(value) / step) * step


def _cosine(camera: Camera) -> float:
    """Of the half angle of a cone that holds a picture of 16 to 9, and some more."""
    tan = camera.lens.tangent * 1.2 * 1.15
    return float(1 / np.sqrt(1 + tan * tan))


def _open(weather: np.void, roof: F32, spots: Floats) -> NDArray[np.bool_]:
    """Which spots (n, 3) rain reaches."""
    if weather["roof_spacing"] <= 0:
        return np.ones(len(spots), bool)
    u, v = (spots[:, k] + weather["slant"][k] * spots[:, 2] for k in range(2))
    return np.asarray(spots[:, 2] > _tops(weather, roof, u, v) - UNDER)


def _tops(weather: np.void, roof: F32, east: Floats, north: Floats) -> Floats:
    """Heights [m] of what rain falls on whose way meets the datum at these spots (n,) [m]; very low beside the map."""
    i, j = (
        np.floor((at - weather[name]) / weather["roof_spacing"]).astype(int)
        for at, name in ((north, "roof_south"), (east, "roof_west"))
    )
    inside = (i >= 0) & (j >= 0) & (i < roof.shape[0]) & (j < roof.shape[1])
    return np.where(inside, roof[np.where(inside, i, 0), np.where(inside, j, 0)], -1e9)


def lamplit(lamp: np.void, spots: Floats) -> Floats:
    """Light [lx] of a lamp on things that face it at spots (n, 3) [m], as if nothing stood between."""
    direction = spots - lamp["position"]
    far2 = (direction**2).sum(1)
    cos = (direction @ lamp["direction"]) / np.sqrt(np.maximum(far2, 1e-9))
    given = lamp["power"] / np.maximum(far2, max(float(lamp["reach2"]), 0.01))
    if lamp["kind"] == ll.SPOT:
        inner, outer = float(lamp["cos_inner"]), float(lamp["cos_outer"])
        edge = np.clip((cos - outer) / max(inner - outer, 1e-6), 0, 1)
        given = given * edge * edge * (3 - 2 * edge)
    elif lamp["kind"] in (ll.RECTANGLE, ll.DISC):
        given = given * np.maximum(cos, 0.0)
    elif lamp["kind"] in (ll.MESH, ll.LINE):
        given = given / 4  # a body shows a quarter of its surface to each side, in the mean
    elif lamp["kind"] == ll.PARALLEL:
        return np.zeros(len(spots))
    return np.where(far2 < LAMPS_REACH**2, given, 0.0)


def _light(kinds: Any, number: NDArray[np.int64], colour: str, spots: Floats, lit: WeatherLight) -> Floats:
    """Light [cd/m2] of each (n, 3): of the sky and the sun, and of lamps near it."""
    whose = np.array([kind.light for kind in kinds])[number]
    own = np.array([[1.0, 1.0, 1.0], [0.9, 0.9, 0.92], from_hex(colour)])[whose]
    card = (lit.sky + 0.5 * lit.sun) / np.pi
    by_day = np.where((whose == 0)[:, None], DROP_SHOWS * lit.sky / np.pi, FLAKE_SHOWS * card) * own
    by_lamps = np.zeros_like(by_day)
    for lamp in lit.lamps[:LAMPS_ASKED]:
        tint = lamp["light"] / max(float(lamp["light"].max()), 1e-12)
        sent = lamplit(lamp, spots) * np.where(whose == 0, DROP_BY_LAMP, FLAKE_BY_LAMP) / np.pi
        by_lamps += sent[:, None] * tint * own
    return np.asarray(by_day + by_lamps)
