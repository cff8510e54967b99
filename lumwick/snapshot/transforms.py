"""Where everything that is set down stands at an instant: carried, rolling, and copies out of step.

A placement is what it does to a model's own coordinates [m], shape (3, 4) or (4, 4); north is the chart's.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from lumwick.built.copies import delays, on_mesh, placements
from lumwick.built.floors import model_of, placement
from lumwick.built.gltf_motion import Moving, moving, played_at
from lumwick.errors import PlaceError
from lumwick.motion.channel import Curve
from lumwick.motion.terms import chance
from lumwick.motion.throwing import GRAVITY
from lumwick.place.carrying import CAMERA, carriers
from lumwick.place.document import Place, Shot
from lumwick.place.fields import least
from lumwick.place.objects import Lamp, Thing
from lumwick.place.paths import find
from lumwick.snapshot.buoyancy import floating_on
from lumwick.snapshot.disturbances import level_at
from lumwick.water.floating import Hull, Ride

if TYPE_CHECKING:
    from lumwick.snapshot.evaluate import Setting

Floats = NDArray[np.float64]
SEA_WATER = 1025.0
"""Density of sea water [kg/m3]."""
DRIFTS = 0.03
"""Speed of what drifts, over the wind's (practice: 2 to 4 % of it)."""
SHEERS = (17.0, 29.0)
"""Seconds in which something on a mooring sheers to and fro across the wind, and along it (practice)."""
STEPS_A_SECOND = 120
"""Steps by which a rolling thing's way is added up."""
PHASES_AT_MOST = 24
"""Poses of one moving model that stand in a place at once: copies out of step share them."""


def framed(position: Floats, right: Floats, ahead: Floats, up: Floats) -> Floats:
    """Frames (n, 4, 4) of axes and positions (n, 3)."""
    out = np.zeros((len(position), 4, 4))
    out[:, :3, 0], out[:, :3, 1], out[:, :3, 2], out[:, :3, 3] = right, ahead, up, position
    out[:, 3, 3] = 1
    return out


def _about(axis: int, degrees: Floats) -> Floats:
    """Turns (n, 4, 4) about an axis, counter-clockwise seen from its end."""
    turns = Rotation.from_rotvec(np.radians(np.asarray(degrees))[:, None] * np.eye(3)[axis]).as_matrix()
    out = np.tile(np.eye(4), (len(turns), 1, 1))
    out[:, :3, :3] = turns
    return out


@dataclass(frozen=True)
class Transforms:
    """A shot's place with its motions, asked where things stand at clip times (n,) [s]."""

    setting: Setting
    shot: Shot
    place: Place
    """At ``t``, with constants alone."""
    t: float

    def values(self, item: Thing | Lamp, of: str, name: str, times: Floats) -> Floats:
        """A number of a model or lamp at clip times."""
        if len(times) == 1 and times[0] == self.t:
            return np.array([float(getattr(item, name))])
        return self.setting.motions(self.shot).value(f"/{of}/{item.id}/{name}", times)

    def frames(self, item: Thing | Lamp, times: Floats) -> Floats:
        """Frames (n, 4, 4) of a model or a lamp, turned and tilted but not scaled, whatever carries it."""
        held = item.held
        own = self._own(item, times, 0.0 if held else self.place.site.north_turn)
        return self.carrier(held, times) @ own if held else own

    def carrier(self, held: str, times: Floats) -> Floats:
        """Frames (n, 4, 4) of what carries something, by its id, at clip times."""
        if held == CAMERA:
            return self._camera(times)
        every: list[Thing | Lamp] = [*self.place.things, *self.place.lamps]
        for item in every:
            if item.id == held:
                return self.frames(item, times)
        raise PlaceError(f"What is carried by {held!r} has lost its carrier: choose another.")

    def _camera(self, times: Floats) -> Floats:
        from lumwick.snapshot.evaluate import camera_at

        out = []
        for t in times:
            camera = camera_at(self.setting, self.shot, float(t))
            right, up = camera.axes()
            out.append(framed(*(v[None] for v in (camera.position, right, camera.forward, up)))[0])
        return np.array(out)

    def _own(self, item: Thing | Lamp, times: Floats, north: float) -> Floats:
        """A frame in its carrier's, or in the place."""
        of = "things" if isinstance(item, Thing) else "lamps"

        def told(name: str) -> Floats:
            return self.values(item, of, name, times)

        position = np.stack([told("east"), told("north"), told("up")], -1)
        if isinstance(item, Thing):
            if item.rolls:
                return self._rolled(item, times)
            turn, tilt, lean = told("turn") + north, told("tilt"), told("lean")
            if item.floats and (self.place.sea.present or self.place.waters):
                position = position + self._adrift(item, times)
                ridden = self._ridden(item, turn, times)
                position = position + np.stack([ridden.east, ridden.north, ridden.up], -1)
                tilt, lean = tilt + np.degrees(ridden.pitch), lean + np.degrees(ridden.roll)
            out = _about(2, -turn) @ _about(0, tilt) @ _about(1, lean)
        else:
            gone = 360.0 * item.turns * times / self.shot.seconds
            out = _about(2, -(told("bearing") + gone + north)) @ _about(0, told("pitch"))
        out[:, :3, 3] = position
        return np.asarray(out)

    # -- floating -----------------------------------------------------------------------------------------------

    def _ridden(self, thing: Thing, turn: Floats, times: Floats) -> Ride:
        """Where the waves take something that floats, from where it would lie on still mean water."""
        setting, sea = self.setting, self.place.sea
        mesh = model_of(setting.read, thing)
        low, high = mesh.bounds
        scale = float(self.values(thing, "things", "scale", np.array([self.t]))[0])
        breadth, length = (max(float(high[c] - low[c]) * scale, 0.05) for c in (0, 1))
        own = -float(low[2]) * scale
        draught = own if thing.density <= 0 else min(thing.density / SEA_WATER, 1.0) * float(high[2] - low[2]) * scale
        hull = Hull(length, breadth, max(draught, 0.05 * breadth))
        motions = setting.motions(self.shot)
        x, y = (float(motions.value(f"/things/{thing.id}/{name}", [0.0])[0]) for name in ("east", "north"))
        ground = float(setting.ground.height(np.array([x]), np.array([y]))[0])
        inland = level_at(setting.beds(), self.place.waters, x, y) if self.place.waters else []
        sinks = own - draught  # how much higher its own zero comes to lie than by its waterline
        if inland or not sea.present:  # a pond or a stream carries it, and has no waves to speak of
            level = max((at for _, at, _ in inland), default=ground)
            lain = max(level + sinks, ground + own) if thing.density < SEA_WATER else ground + own
            none = np.zeros(len(times))
            return Ride(none, none, np.full(len(times), lain), none, none)
        lifted = floating_on(setting, self.shot, self.place, thing.id, hull, (x, y)).ride(np.radians(turn), times)
        # over ground that is too shallow for it it lies still
        lies = ground + own
        afloat = (lifted.up + sea.surface + sinks > lies) & (thing.density < SEA_WATER)
        still = [np.where(afloat, value, 0.0) for value in (lifted.east, lifted.north, lifted.pitch, lifted.roll)]
        up = np.where(afloat, lifted.up + sea.surface + sinks, lies)
        return Ride(still[0], still[1], up, still[2], still[3])

    def _adrift(self, thing: Thing, times: Floats) -> Floats:
        """How far wind and water have taken something that floats (n, 3) [m]: to and fro on its mooring, or away.

        What drifts goes with the surface, at a share of the wind; in a loop it cannot go away and be back, and stays.
        """
        out = np.zeros((len(times), 3))
        wind = self.shot.wind or self.place.wind
        speed, bearing = (float(least(value)) for value in (wind.speed, wind.from_bearing))
        toward = np.radians(bearing + 180 + self.place.site.north_turn)
        down = np.array([np.sin(toward), np.cos(toward)])
        across = np.array([down[1], -down[0]])
        loop = self.shot.closes_over
        if thing.mooring == "adrift" and loop is None:
            out[:, :2] = DRIFTS * speed * np.outer(times, down)
        elif thing.mooring == "moored":
            swing = zip((across, down), SHEERS, (0.55, 0.2), strict=True)
            for way, period, share in swing:
                lasts = loop / max(1, round(loop / period)) if loop else period
                late = float(chance(sum(thing.id.encode()), np.zeros(1, np.int64), round(period))[0])
                angle = 2 * np.pi * (times / lasts + late)
                out[:, :2] += thing.slack * share * np.outer(np.sin(angle), way)
            out[:, :2] += 0.4 * thing.slack * down  # it lies down wind of its mooring
        return out

    # -- rolling ------------------------------------------------------------------------------------------------

    def _rolled(self, thing: Thing, times: Floats) -> Floats:
        """Frames of a ball that goes on the ground without slipping, from how it lies at the clip's start."""
        mesh = model_of(self.setting.read, thing)
        low, high = mesh.bounds
        path = f"/things/{thing.id}"
        motions = self.setting.motions(self.shot)
        scale = float(motions.value(f"{path}/scale", [0.0])[0])
        middle, radius = (low + high) / 2 * scale, float(high[2] - low[2]) / 2 * scale
        last = max(float(times.max()), self.shot.seconds, 1e-3)
        n = int(np.ceil(last * STEPS_A_SECOND)) + 1
        grid = np.arange(n) / STEPS_A_SECOND
        key = ("rolled", thing.id, id(self.shot), n)
        held = self.setting.memory.get(key)
        if held is None or held[0] is not self.shot:
            centre, normal = self._centres(path, grid, radius, float(middle[2]))
            met = _first_met(centre)
            held = (self.shot, centre, _turned_along(centre, normal, radius, met), met)
            self.setting.memory[key] = held
        _, centre, turns, met = held
        at = np.clip(times, 0, None)
        k = np.clip((at * STEPS_A_SECOND).astype(int), 0, n - 1)
        now, up = self._centres(path, at, radius, float(middle[2]))
        rest = _steps(np.where((k >= met)[:, None], now - centre[k], 0.0), up, radius)
        start = _about(2, -motions.value(f"{path}/turn", [0.0]) - self.place.site.north_turn)[0, :3, :3]
        out = np.tile(np.eye(4), (len(times), 1, 1))
        out[:, :3, :3] = rest.as_matrix() @ turns[k] @ start
        out[:, :3, 3] = now - np.einsum("nij,j->ni", out[:, :3, :3], middle)
        return out

    def _centres(self, path: str, times: Floats, radius: float, middle: float) -> tuple[Floats, Floats]:
        """Where a ball's middle is at clip times (n, 3) [m], and the ground's normals there: it touches the ground, or
        is as high over it as its height says where that is keyed."""
        motions, ground = self.setting.motions(self.shot), self.setting.ground
        x, y = motions.value(f"{path}/east", times), motions.value(f"{path}/north", times)
        step = 0.05
        dx = (ground.height(x + step, y) - ground.height(x - step, y)) / (2 * step)
        dy = (ground.height(x, y + step) - ground.height(x, y - step)) / (2 * step)
        normal = np.stack([-dx, -dy, np.ones_like(dx)], 1)
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        centre = np.stack([x, y, ground.height(x, y)], 1) + radius * normal
        if isinstance(find(self.setting.place, f"{path}/up")[0].up, Curve):
            height = motions.value(f"{path}/up", times) + middle
            centre = np.where((height > centre[:, 2])[:, None], np.stack([x, y, height], 1), centre)
        return centre, normal

    # -- models and their copies --------------------------------------------------------------------------------

    def placed(self, thing: Thing) -> Floats:
        """Placements (n, 3, 4) of a model and its copies."""
        height = self.setting.ground.height
        if thing.copies is not None and thing.copies.on_model:
            return self._on_model(thing)
        if not (thing.held or thing.rolls or thing.floats or _moves_out_of_step(thing)):
            return placements(thing, self.place.site.north_turn, height)
        times = self.t - (delays(thing.copies) if thing.copies else np.zeros(1))
        if not _moves_out_of_step(thing):
            times = np.array([self.t])
        frames = self.frames(thing, times)
        frames = frames[:, :3].copy()
        frames[:, :, :3] *= self.values(thing, "things", "scale", times)[:, None, None]
        turn = self.values(thing, "things", "turn", times)
        return placements(thing, self.place.site.north_turn, height, frames, turn)

    def _on_model(self, thing: Thing) -> Floats:
        """Placements of copies that stand on another model, wherever that stands."""
        assert thing.copies is not None
        other = next(x for x in self.place.things if x.id == thing.copies.on)
        mesh, m = model_of(self.setting.read, other), self.placed(other)[0]
        corners = np.concatenate([p.vertices[p.triangles].astype(float) for p in mesh.parts]) @ m[:, :3].T + m[:, 3]
        return on_mesh(thing.copies, corners, placement(thing, self.place.site.north_turn)[:, :3])

    def fixed(self) -> list[Thing]:
        """The models that the camera does not carry."""
        things, lamps = self.place.things, self.place.lamps
        return [thing for thing in things if CAMERA not in carriers(things, lamps, thing)]

    def all(self, things: list[Thing] | None = None) -> dict[str, Floats]:
        """Placements of every model and its copies, or of some, by id."""
        memory, out = self.setting.memory, {}
        for thing in self.place.things if things is None else things:
            key = ("stands", thing.id)
            held = memory.get(key)
            if held is not None and held[0] is thing:
                out[thing.id] = held[1]
                continue
            out[thing.id] = made = self.placed(thing)
            stands_alone = thing.copies is None or not thing.copies.on_model
            if stands_alone and not (thing.held or thing.rolls or thing.floats or _moves_out_of_step(thing)):
                memory[key] = (thing, made)
        return out

    def played(self, loop: float | None) -> dict[str, tuple[int, tuple[float, ...]]]:
        """Which of its motions each moving model plays, and the time within it of each of its phases [s]."""
        out = {}
        for thing in self.place.things:
            if thing.plays is None or thing.mesh is None:
                continue
            model = moving_of(self.setting.read, thing)
            number = model.number(thing.plays.clip)
            seconds = model.motions[number].seconds
            p = thing.plays
            kept = loop if p.closes else None
            late = phases(thing)[0]
            out[thing.id] = (
                number,
                tuple(played_at(p.how, p.rate, p.start, seconds, self.t - float(d), kept) for d in late),
            )
        return out


def _moves_out_of_step(thing: Thing) -> bool:
    return thing.copies is not None and thing.copies.out_of_step


def moving_of(read: Callable[[Any], bytes], thing: Thing) -> Moving:
    """A thing's model with its motions.

    Raises
    ------
    PlaceError
        Its file cannot be used, or is none that can move.
    """
    assert thing.mesh is not None
    if not thing.mesh.name.lower().endswith((".glb", ".gltf")):
        raise PlaceError(f"{thing.mesh.name} has no motion of its own.")
    return moving(read(thing.mesh), thing.mesh.name, thing.upright != "z up")


def phases(thing: Thing) -> tuple[Floats, NDArray[np.int64]]:
    """By how much each pose of a moving model is late [s], and which of them each of its copies has."""
    if not _moves_out_of_step(thing):
        n = 1 if thing.copies is None else len(delays(thing.copies))
        return np.zeros(1), np.zeros(n, np.int64)
    assert thing.copies is not None
    late = delays(thing.copies)
    own, which = np.unique(late.round(6), return_inverse=True)
    which = which.reshape(-1)
    if len(own) > PHASES_AT_MOST:
        group = np.arange(len(own)) * PHASES_AT_MOST // len(own)
        own = np.array([own[group == k].mean() for k in range(PHASES_AT_MOST)])
        which = group[which]
    return own, which.astype(np.int64)


def kept_where_it_is(standing: Transforms, item: Thing | Lamp, held: str) -> dict[str, float]:
    """Where a model or a lamp must be told to be so that it stays where it is when something else carries it.

    Parameters
    ----------
    held : str
        Id of its new carrier, camera, or empty for none.
    """
    now = np.array([standing.t])
    frame = standing.frames(item, now)[0]
    carrier = standing.carrier(held, now)[0] if held else _about(2, np.array([-standing.place.site.north_turn]))[0]
    own = np.linalg.inv(carrier) @ frame if held else frame
    turned = np.linalg.inv(carrier[:3, :3]) @ frame[:3, :3]
    turn, tilt, lean = Rotation.from_matrix(turned).as_euler("ZXY", degrees=True)
    east, north, up = own[:3, 3]
    where = {"east": east, "north": north, "up": up}
    angles = {"turn": -turn, "tilt": tilt, "lean": lean}
    if isinstance(item, Lamp):
        gone = 360.0 * item.turns * standing.t / standing.shot.seconds
        angles = {"bearing": -turn - gone, "pitch": tilt}
    return {name: round(float(value), 4) + 0.0 for name, value in {**where, **angles}.items()}


def _first_met(centre: Floats) -> int:
    """From which of a ball's places (n, 3) [m] at even steps on it turns as it goes: the first, or if it lay until it
    was thrown, the first that ends its free flight; what leaves the ground again goes on turning as it did."""
    free = np.abs(np.diff(centre[:, 2], 2) * STEPS_A_SECOND**2 + GRAVITY) < 0.05 * GRAVITY
    if not free.any():
        return 0
    left = int(np.argmax(free))
    if np.abs(centre[max(left - 1, 0), :2] - centre[0, :2]).max() > 0.01:
        return 0
    return left + int(np.argmin(free[left:])) + 1 if not free[left:].all() else len(centre)


def _steps(moved: Floats, normal: Floats, radius: float) -> Rotation:
    """How a ball turns that goes a step (n, 3) on ground of normals (n, 3) without slipping."""
    return Rotation.from_rotvec(np.cross(normal, moved) / max(radius, 1e-6))


def _turned_along(centre: Floats, normal: Floats, radius: float, met: int) -> Floats:
    """How a ball lies at each point of its way, shape (n, 3, 3), which it touches from point ``met`` on."""
    moved = np.diff(centre, axis=0)
    moved[:met] = 0
    each = _steps(moved, normal[1:], radius).as_matrix()
    out = np.empty((len(centre), 3, 3))
    out[0] = np.eye(3)
    for k, step in enumerate(each):
        out[k + 1] = step @ out[k]
    return out


def lamp_pose(standing: Transforms, lamp: Lamp) -> tuple[Floats, Floats, Floats]:
    """Where a lamp is (3,) [m], the unit vector (3,) in which it shines, and the one that is up to it."""
    frame = standing.frames(lamp, np.array([standing.t]))[0]
    return frame[:3, 3], frame[:3, 1], frame[:3, 2]
