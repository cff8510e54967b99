"""How near things are to a camera, and how far what it looks at: plants, built things, models, ground and water.

Plants and things are taken as they stand at the shot's start: leaves swing by centimetres, and what moves itself
is what a shot is about.
"""

from __future__ import annotations

import itertools
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import trimesh
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray
from scipy.spatial import KDTree

from lumwick.built.floors import model_of
from lumwick.built.timber import build
from lumwick.disk_cache import digest
from lumwick.growth.form_cache import VARIANTS, form_of, variant_of
from lumwick.growth.plants import Plants
from lumwick.lens.camera import Camera
from lumwick.place.document import Shot
from lumwick.place.growing import Stand
from lumwick.place.objects import Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.planted import planted
from lumwick.snapshot.shores import water_over

Floats = NDArray[np.float64]
FAR = 4000.0
SKYWARD = 48
"""Rays by which it is told how much of the sky a spot sees."""
COVER_REACH = 25.0
"""Metres about a camera within which reeds and grass are looked at: further away they go by slowly."""
COVER_SPACING, COVER_CELLS = 0.2, 3000
"""Metres of a cell of their tops, at least, and how many there are along a side, at most."""
SIZES = (0.25, 1.0, 4.0)
"""Radii [m] by which triangles are sorted, so that near ones are found quickly."""
_closest_point: Callable[[Floats, Floats], Any] = trimesh.triangles.closest_point  # which has no types


EVERY_WAY = np.array([d for d in itertools.product((-1.0, 0.0, 1.0), repeat=3) if any(d)]) + [0.01, 0.02, 0.03]
EVERY_WAY /= np.linalg.norm(EVERY_WAY, axis=1, keepdims=True)
"""Ways to look from a point all round, none quite along an axis."""


@dataclass(frozen=True)
class Near:
    """What is nearest to n points: distance (n,) [m], the spot (n, 3), what it is called, and whether one passes
    through it to the next point."""

    distance: Floats
    spot: Floats
    name: list[str]
    through: NDArray[np.bool_]


@dataclass
class _Plants:
    stand: Stand
    plants: Plants
    tree: KDTree | None
    forms: list[tuple[Floats, KDTree]] = field(default_factory=list)

    def of(self, variant: int) -> tuple[Floats, KDTree]:
        """A form's points, and a tree of them; made when first asked for."""
        if not self.forms:
            for v in range(VARIANTS):
                points = form_of(self.stand, v, 1)[0].vertices.astype(float)
                self.forms.append((points, KDTree(points)))
        return self.forms[variant]


TRIANGLES_OF_COPIES = 300_000


def _in_place(setting: Setting, thing: Thing, placed: Floats) -> Iterator[Floats]:
    """Triangles of a model and its copies (n, 3, 3) [m]; where they are many, their boxes."""
    own = np.concatenate([part.vertices[part.triangles].astype(float) for part in model_of(setting.read, thing).parts])
    if len(placed) > 1 and len(own) * len(placed) > TRIANGLES_OF_COPIES:
        own = np.asarray(trimesh.creation.box(bounds=[own.min((0, 1)), own.max((0, 1))]).triangles)
    for m in placed:
        yield own @ m[:, :3].T + m[:, 3]


class Surroundings:
    """A place's solid things, ready to be asked how near they are."""

    def __init__(self, setting: Setting) -> None:
        stood = setting.stood(setting.place.shots[0])
        setting = setting.still()
        place = setting.place
        self.setting = setting
        triangles: list[Floats] = []
        names: list[str] = []
        self.boxes: list[tuple[Floats, Floats]] = []
        self.brought: set[str] = set()
        for built in place.built:
            timber = build(built, setting.ground)
            q = timber.quads
            corners = timber.vertices[np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]])].astype(float)
            triangles.append(corners)
            names += [built.name] * len(corners)
        for thing, placed in stood:
            for corners in _in_place(setting, thing, placed):
                triangles.append(corners)
                names += [thing.name] * len(corners)
                self.boxes.append((corners.min((0, 1)), corners.max((0, 1))))
            self.brought.add(thing.name)
        self.triangles = np.concatenate(triangles) if triangles else np.zeros((0, 3, 3))
        self.names = names
        self.middle = middle = self.triangles.mean(1)
        self.radius = radius = (
            np.linalg.norm(self.triangles - middle[:, None], axis=2).max(1) if len(names) else np.zeros(0)
        )
        self.classes: list[tuple[float, NDArray[np.int64], KDTree]] = []
        for low, high in zip((0.0, *SIZES), (*SIZES, np.inf), strict=True):
            some = np.flatnonzero((radius > low) & (radius <= high))
            if len(some):
                self.classes.append((float(radius[some].max()), some, KDTree(middle[some])))
        self.scene = EmbreeScene()
        if len(names):
            self._mesh = TriangleMesh(self.scene, self.triangles.astype(np.float32))
        slope = setting.ground.slope()
        self.stands: list[_Plants] = []
        for one in planted(setting):
            plants = one.plants(slope)
            self.stands.append(
                _Plants(
                    one.stand,
                    plants,
                    KDTree(plants.position[:, :2]) if one.stand.single and len(plants.turn) else None,
                )
            )

    def solids(self, p: Floats, within: float) -> Near:
        """Built things and models nearer than ``within`` [m] to points (n, 3) in a row."""
        n = len(p)
        out = Near(np.full(n, np.inf), p.copy(), [""] * n, np.zeros(n, bool))
        for radius, some, tree in self.classes:
            found = tree.query_ball_point(p, within + radius)
            count = np.array([len(f) for f in found])
            if not count.sum():
                continue
            point = np.repeat(np.arange(n), count)
            which = some[np.concatenate([np.asarray(f, np.int64) for f in found if f])]
            close = np.linalg.norm(self.middle[which] - p[point], axis=1) - self.radius[which] < within
            point, which = point[close], which[close]
            if not len(which):
                continue
            spot = np.asarray(_closest_point(self.triangles[which], p[point]))
            away = np.linalg.norm(spot - p[point], axis=1)
            order = np.lexsort((away, point))
            first = order[np.concatenate([[True], np.diff(point[order]) > 0])]
            for k in first:
                i = int(point[k])
                if away[k] < min(out.distance[i], within):
                    out.distance[i], out.spot[i], out.name[i] = away[k], spot[k], self.names[int(which[k])]
        if n > 1 and self.names:
            step = np.diff(p, axis=0)
            length = np.linalg.norm(step, axis=1)
            go = np.flatnonzero(length > 1e-6)
            if len(go):
                met = self.scene.run(
                    p[go].astype(np.float32), (step[go] / length[go, None]).astype(np.float32), query="DISTANCE"
                )
                for k, d in zip(go, met, strict=True):
                    if d < length[k]:
                        out.through[k] = True
                        which_hit = self.scene.run(
                            p[k : k + 1].astype(np.float32),
                            (step[k : k + 1] / length[k]).astype(np.float32),
                            query="INTERSECT",
                        )
                        out.name[k] = self.names[int(which_hit[0])]
                        out.distance[k], out.spot[k] = 0.0, p[k] + step[k] / length[k] * d
        return out

    def inside(self, p: Floats) -> list[str]:
        """The model that each of points (n, 3) is inside of, or nothing: whichever way one looks it is there, and seen
        from behind mostly (a room's walls are seen from their fronts)."""
        out = [""] * len(p)
        within = np.zeros(len(p), bool)
        for low, high in self.boxes:
            within |= ((p >= low) & (p <= high)).all(1)
        close = np.flatnonzero(within)
        if not len(close):
            return out
        rays = np.tile(EVERY_WAY, (len(close), 1))
        from_where = np.repeat(p[close], len(EVERY_WAY), 0)
        met = np.asarray(self.scene.run(from_where.astype(np.float32), rays.astype(np.float32), query="INTERSECT"))
        met = met.reshape(len(close), -1)
        normal = np.cross(self.triangles[:, 1] - self.triangles[:, 0], self.triangles[:, 2] - self.triangles[:, 0])
        for k, row in zip(close, met, strict=True):
            found = [self.names[int(i)] for i in row if i >= 0]
            most = max(set(found), key=found.count, default="")
            behind = sum(bool(normal[int(i)] @ d > 0) for i, d in zip(row, EVERY_WAY, strict=True) if i >= 0)
            if most in self.brought and found.count(most) >= 0.9 * len(row) and behind > 0.6 * len(row):
                out[int(k)] = most
        return out

    def leaves(self, p: Floats, within: float) -> Near:
        """Plants nearer than ``within`` [m] to points (n, 3); reeds and grass by the height of their tops."""
        n = len(p)
        out = Near(np.full(n, np.inf), p.copy(), [""] * n, np.zeros(n, bool))
        for kept in self.stands:
            if kept.tree is None:
                self._tops(kept, p, within, out)
            else:
                self._crowns(kept, kept.tree, p, within, out)
        return out

    def _tops(self, kept: _Plants, p: Floats, within: float, out: Near) -> None:
        """Reeds and grass nearer than what was found so far, as columns."""
        stand, position = kept.stand, kept.plants.position
        top = position[:, 2] + kept.plants.scale * stand.height
        low, high = p.min(0) - within - 1, p.max(0) + within + 1
        inside = (position[:, :2] > low[:2]).all(1) & (position[:, :2] < high[:2]).all(1) & (top > low[2])
        some = np.flatnonzero(inside)
        if not len(some):
            return
        found = KDTree(position[some, :2]).query_ball_point(p[:, :2], 0.35 + min(within, 0.5))
        for i, near in enumerate(found):
            if not near:
                continue
            which = some[np.asarray(near)]
            aside = np.linalg.norm(position[which, :2] - p[i, :2], axis=1) - 0.12 * stand.height
            away = np.hypot(np.maximum(aside, 0.0), np.maximum(p[i, 2] - top[which], 0.0))
            k = int(np.argmin(away))
            spot = np.array([*position[which[k], :2], min(p[i, 2], top[which[k]])])
            self._closer(out, i, float(away[k]), spot, stand.name, within)

    def _crowns(self, kept: _Plants, tree: KDTree, p: Floats, within: float, out: Near) -> None:
        """Leaves of trees and shrubs nearer than what was found so far, each in its plant's own frame."""
        stand, plants, site = kept.stand, kept.plants, self.setting.place.site
        top = plants.position[:, 2] + plants.scale * stand.height
        variant = variant_of(plants)
        a = np.radians(self.setting.place.wind.from_bearing + 180 + site.north_turn)
        leaning = np.array([np.sin(a), np.cos(a)]) * np.tan(np.radians(stand.lean))
        reach = within + 0.6 * stand.height * float(plants.scale.max())
        for i, near in enumerate(tree.query_ball_point(p[:, :2], reach)):
            for k in near:
                foot, size = plants.position[k], plants.scale[k]
                if not foot[2] - within < p[i, 2] < top[k] + within:
                    continue
                q = p[i] - foot
                q[:2] -= leaning * q[2]
                c, s = np.cos(plants.turn[k]), np.sin(plants.turn[k])
                points, leaves = kept.of(int(variant[k]))
                away, which = leaves.query(np.array([c * q[0] + s * q[1], c * q[1] - s * q[0], q[2]]) / size)
                v = points[which] * size
                aside = np.array([c * v[0] - s * v[1], s * v[0] + c * v[1]]) + leaning * v[2]
                self._closer(out, i, float(away * size), foot + [*aside, v[2]], stand.name, within)

    @staticmethod
    def _closer(out: Near, i: int, away: float, spot: Floats, name: str, within: float) -> None:
        if away < min(within, out.distance[i]):
            out.distance[i], out.spot[i], out.name[i] = away, spot, name

    def crests(self, shot: Shot, p: Floats, t: Floats) -> Floats:
        """Height [m] of the water's surface under points (n, 3) at clip times (n,); minus infinity over land and
        where there is none."""
        return water_over(self.setting, shot, p, t)

    def cover(self, position: Floats) -> tuple[Floats, float, Floats]:
        """Height [m] of the tops of reeds and grass about points (n, 3), each a column as `leaves` takes it: a grid
        (ny, nx) that is minus infinity where none stand, its spacing, and its corner [m]."""
        low, high = position[:, :2].min(0) - COVER_REACH, position[:, :2].max(0) + COVER_REACH
        spacing = max(COVER_SPACING, float((high - low).max()) / COVER_CELLS)
        nx, ny = (np.ceil((high - low) / spacing)).astype(int) + 1
        out = np.full((ny, nx), -np.inf)
        for kept in self.stands:
            if kept.tree is not None:
                continue
            where = kept.plants.position
            some = ((where[:, :2] > low) & (where[:, :2] < high)).all(1)
            top = where[some, 2] + kept.plants.scale[some] * kept.stand.height
            wide = 0.12 * kept.stand.height
            for x, y in itertools.product(np.arange(-wide, wide + 1e-9, spacing), repeat=2):
                cell = np.clip(((where[some, :2] + [x, y] - low) / spacing).astype(int), 0, [nx - 1, ny - 1])
                np.maximum.at(out, (cell[:, 1], cell[:, 0]), top)
        return out, spacing, low

    def _into_cover(self, position: Floats, direction: Floats) -> Floats:
        """Distance [m] at which rays (n, 3) meet reeds or grass that are near; infinity where they do not."""
        tops, spacing, low = self.cover(position)
        out = np.full(len(position), np.inf)
        if not np.isfinite(tops).any():
            return out
        ny, nx = tops.shape
        for s in np.geomspace(0.3, COVER_REACH, 72)[::-1]:
            p = position + direction * s
            cell = np.clip(((p[:, :2] - low) / spacing).astype(int), 0, [nx - 1, ny - 1])
            out[p[:, 2] < tops[cell[:, 1], cell[:, 0]]] = s
        return out

    def seen(self, position: Floats, direction: Floats, cover: bool = False) -> Floats:
        """Distance [m] to what rays (n, 3) meet: ground, still water, built things, models, trees; infinity where it
        is the sky. With ``cover`` near reeds and grass too."""
        s = np.concatenate([[0.3], np.geomspace(0.5, FAR, 150)])
        x, y, z = (position[:, None, c] + direction[:, None, c] * s for c in range(3))
        floor = self.setting.floor(x.ravel(), y.ravel()).reshape(x.shape)
        if self.setting.place.sea.present:
            floor = np.maximum(floor, self.setting.place.sea.surface)
        w, so, e, nn = self.setting.ground.bounds
        inside = (x >= w) & (x <= e) & (y >= so) & (y <= nn)
        gap = np.where(
            inside,
            z - floor,
            np.where(z > (self.setting.place.sea.surface if self.setting.place.sea.present else -np.inf), 1.0, -1.0),
        )
        under = gap < 0
        k = np.argmax(under, axis=1)
        hit = under.any(1)
        rows = np.arange(len(s[k]))
        before = np.maximum(k - 1, 0)
        ga, gb = gap[rows, before], gap[rows, k]
        share = np.where(hit & (k > 0), ga / np.maximum(ga - gb, 1e-9), 0.0)
        out = np.where(hit, s[before] + (s[k] - s[before]) * np.clip(share, 0, 1), np.inf)
        if self.names:
            met = np.asarray(
                self.scene.run(position.astype(np.float32), direction.astype(np.float32), query="DISTANCE"), float
            )
            out = np.minimum(out, np.where(met > 1e20, np.inf, met))
        level_d = np.maximum(np.hypot(direction[:, 0], direction[:, 1]), 1e-6)
        for kept in self.stands:
            if kept.tree is None:
                continue
            plants = kept.plants
            near = np.unique(
                np.concatenate(
                    [
                        np.asarray(f, np.int64)
                        for f in kept.tree.query_ball_point(np.unique(position[:, :2].round(0), axis=0), 260.0)
                    ]
                    or [np.zeros(0, np.int64)]
                )
            )
            for block in np.array_split(near, max(1, len(near) * len(position) // 3_000_000 + 1)):
                if not len(block):
                    continue
                away = plants.position[block][None] - position[:, None]
                along = (away[..., 0] * direction[:, None, 0] + away[..., 1] * direction[:, None, 1]) / level_d[:, None]
                aside = (
                    np.abs(away[..., 0] * direction[:, None, 1] - away[..., 1] * direction[:, None, 0])
                    / level_d[:, None]
                )
                far = along / level_d[:, None]
                rise = direction[:, None, 2] * far - away[..., 2]
                tall = plants.scale[block] * kept.stand.height
                on = (along > 0) & (aside < 0.16 * tall) & (rise > 0) & (rise < 0.95 * tall)
                out = np.minimum(out, np.where(on, far, np.inf).min(1))
        return np.minimum(out, self._into_cover(position, direction)) if cover else out

    def openness(self, camera: Camera) -> float:
        """Share of the open sky's light that falls on what a camera sees, by what built things and models leave free
        of the sky; 1 out of doors.

        Light that comes in by reflection counts as a hundredth at least.
        """
        if not self.names:
            return 1.0
        right, up = camera.axes()
        tan = camera.lens.tangent
        u, v = (a.ravel()[:, None] for a in np.meshgrid(np.linspace(-0.9, 0.9, 9), np.linspace(-0.9, 0.9, 5)))
        rays = camera.forward + right * u * tan + up * v * tan * 9 / 16
        rays /= np.linalg.norm(rays, axis=1, keepdims=True)
        met = np.asarray(
            self.scene.run(
                np.repeat(camera.position[None], len(rays), 0).astype(np.float32),
                rays.astype(np.float32),
                query="DISTANCE",
            ),
            float,
        )
        solid = met < FAR
        if not solid.any():
            return 1.0
        spots = camera.position + rays[solid] * (met[solid, None] - 0.03)
        k = np.arange(SKYWARD) + 0.5
        level, turn = np.sqrt(k / SKYWARD), k * np.pi * (3 - np.sqrt(5))  # even over a level sheet, as the cosine asks
        sky = np.stack([level * np.cos(turn), level * np.sin(turn), np.sqrt(1 - level**2)], -1)
        free = (
            np.asarray(
                self.scene.run(
                    np.repeat(spots, SKYWARD, 0).astype(np.float32),
                    np.tile(sky, (len(spots), 1)).astype(np.float32),
                    query="DISTANCE",
                ),
                float,
            )
            > FAR
        )
        share = np.ones(len(rays))
        share[solid] = free.reshape(-1, SKYWARD).mean(1)
        return max(float(share.mean()), 0.01)


_KEPT: OrderedDict[str, Surroundings] = OrderedDict()
_TURN = threading.Lock()


def surroundings(setting: Setting) -> Surroundings:
    """A place's surroundings; those of the last few places are kept, and two who ask at once wait for the same."""
    p = setting.still().place
    key = digest(setting.ground.fingerprint, list(p.growth), list(p.built), list(p.things), p.sea, p.site, p.wind)
    with _TURN:
        if key not in _KEPT:
            _KEPT[key] = Surroundings(setting)
            while len(_KEPT) > 4:
                _KEPT.popitem(last=False)
        _KEPT.move_to_end(key)
        return _KEPT[key]
