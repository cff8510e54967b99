"""The stage: a place's geometry in Embree, kept between frames and moved to each instant.

Each section is rebuilt only when what it is made from has changed: the ground with its survey, a stand with
its own description, the sea and the swaying plants with time, the sky with the sun and the haze.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from typing import Any

import numba as nb
import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import BaseModel
from scipy import ndimage

from lumwick.air.atmosphere import BAND_RGB_LUX, ClearSky, clear_sky, coefficients, sky_illuminance
from lumwick.air.sun import SUN_RADIUS_DEG
from lumwick.built.timber import build
from lumwick.growth.form import MAKERS, Form
from lumwick.growth.scatter import Plants, scatter
from lumwick.growth.sway import bend, branch_motion, cantilever_frequency, lean
from lumwick.land.covers import TURF, albedo, sea_nearness
from lumwick.land.ground import far_ring, grid_quads
from lumwick.place.document import Stand
from lumwick.snapshot.evaluate import Setting, Snapshot, area_shapes
from lumwick.trace import embree
from lumwick.trace.world import FAR, GROUND, PLANT, TARGET, TIMBER, WATER, View, World
from lumwick.water.spectrum import slope_variance
from lumwick.water.surface import TILES, surface, swells

IDENTITY = np.array([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], np.float32)


def digest(*things: Any) -> str:
    """A hash of documents and plain values, for knowing whether something must be made again."""
    h = hashlib.sha256()
    for thing in things:
        if isinstance(thing, BaseModel):
            h.update(thing.model_dump_json().encode())
        elif isinstance(thing, np.ndarray):
            h.update(thing.tobytes())
        elif isinstance(thing, list):
            h.update(digest(*thing).encode())
        else:
            h.update(repr(thing).encode())
        h.update(b"|")
    return h.hexdigest()


@dataclass(frozen=True)
class Kind:
    """How a kind of plant looks and bends (colours: linear Rec.709 reflected and passed; broad practice, no source)."""

    bark: tuple[float, float, float]
    leaf: tuple[float, float, float]
    through: tuple[float, float, float]
    stalk: tuple[float, float, float]
    plume: tuple[float, float, float]
    compliance: float
    """Lean (as a slope) in a steady wind of 1 m/s."""
    branch_hz: float
    branch_reach: float
    leaf_reach: float
    variants: int
    near: float
    """Metres beyond which the simpler form stands in."""
    far: float
    dark_root: bool


KINDS = {
    "pine": Kind((0.115, 0.085, 0.066), (0.042, 0.072, 0.026), (0.020, 0.036, 0.008), (0.1, 0.1, 0.05), (0.2, 0.15, 0.1), 0.0011, 1.3, 0.0016, 0.0012, 4, 90, 4000, False),
    "alder": Kind((0.13, 0.115, 0.10), (0.052, 0.098, 0.026), (0.048, 0.095, 0.014), (0.1, 0.1, 0.05), (0.2, 0.15, 0.1), 0.0009, 1.8, 0.0022, 0.0050, 4, 80, 4000, False),
    "reed": Kind((0.2, 0.16, 0.08), (0.115, 0.150, 0.042), (0.060, 0.085, 0.016), (0.25, 0.225, 0.10), (0.20, 0.165, 0.12), 0.0045, 1.1, 0.0050, 0.0020, 6, 32, 600, True),
    "grass": Kind((0.2, 0.16, 0.08), (0.120, 0.142, 0.042), (0.065, 0.085, 0.016), (0.2, 0.2, 0.1), (0.3, 0.25, 0.18), 0.0060, 2.0, 0.0022, 0.0, 5, 18, 75, True),
}
STIFFNESS_PA, SAP_DENSITY, CROWN = 9.0e9, 900.0, 0.45
"""Green wood: Young's modulus and density (round values of common practice), and the crown's slowing of the stem."""


@dataclass
class _Shape:
    """One form of a stand, deformed in place, and where it stands."""

    form: Form
    vertices: NDArray[np.float32]
    scene: embree.Scene
    mesh: embree.Geometry
    cut: NDArray[np.int64]
    number: int
    seed: int


@dataclass
class _Standing:
    key: str
    stand: Stand
    kind: Kind
    plants: Plants
    natural: NDArray[np.float64]
    phase: NDArray[np.float64]
    shapes: dict[tuple[bool, int], _Shape] = field(default_factory=dict)


@dataclass
class _Part:
    """A geometry of the top scene: many placements of one child scene."""

    kind: int
    child: embree.Scene
    transforms: NDArray[np.float32]
    shade: NDArray[np.float32]
    look: NDArray[np.float64]
    cut: NDArray[np.int64] = field(default_factory=lambda: np.full(3, 2**40, np.int64))
    tone: NDArray[np.float32] | None = None
    mask: int = embree.MASK_SOLID


def _cuts(form: Form) -> NDArray[np.int64]:
    return np.array([np.searchsorted(form.surface, k) for k in (1, 2, 3)], np.int64)


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def _raise_water(x, y, calm, tile, length, level, out):
    n = tile.shape[0]
    for i in nb.prange(len(x)):
        fx, fy = x[i] / length * n, y[i] / length * n
        gx, gy = np.floor(fx), np.floor(fy)
        a, b = fx - gx, fy - gy
        c0, r0 = int(gx) % n, int(gy) % n
        c1, r1 = (c0 + 1) % n, (r0 + 1) % n
        k = calm[i]
        for c in range(3):
            v = (tile[r0, c0, c] * (1 - a) + tile[r0, c1, c] * a) * (1 - b) + (tile[r1, c0, c] * (1 - a) + tile[r1, c1, c] * a) * b
            out[i, c] = k * v + (x[i] if c == 0 else (y[i] if c == 1 else level))


class Stage:
    """Geometry and light of one place, ready to be traced at whatever instant it was last set to."""

    def __init__(self, setting: Setting) -> None:
        self.setting = setting
        self._keys: dict[str, str] = {}
        self._parts: dict[str, _Part] = {}
        self._standings: list[_Standing] = []
        self._sea_mesh: embree.Geometry | None = None
        self.targets: list[tuple[NDArray[np.float32], NDArray[np.uint32], tuple[float, float, float]]] = []
        self._make_ground()
        self._make_built()
        self._make_stands()

    # -- what does not move -------------------------------------------------------------------------------

    def _changed(self, section: str, *things: Any) -> bool:
        key = digest(*things)
        if self._keys.get(section) == key:
            return False
        self._keys[section] = key
        return True

    def change(self, setting: Setting) -> None:
        """Take an edited place on; only what the edit touched is made again."""
        if setting.ground is not self.setting.ground:
            self._keys.clear()
        self.setting = setting
        self._make_ground()
        self._make_built()
        self._make_stands()

    def _level(self) -> float | None:
        sea = self.setting.place.sea
        return sea.level if sea.present else None

    def _make_ground(self) -> None:
        g, land, level = self.setting.ground, self.setting.place.land, self._level()
        if not self._changed("ground", land, level, g.heights.shape, id(g)):
            return
        ny, nx = g.heights.shape
        xs, ys = g.west + np.arange(nx) * g.spacing, g.south + np.arange(ny) * g.spacing
        gx, gy = np.meshgrid(xs, ys)
        vertices = embree.padded(np.stack([gx, gy, g.heights], -1).reshape(-1, 3).astype(np.float32))
        scene = embree.Scene(robust=True)
        scene.attach(0, embree.mesh(vertices, grid_quads(ny, nx)))
        scene.commit()
        self._parts["ground"] = _Part(GROUND, scene, IDENTITY[None].copy(), np.zeros(1, np.float32), np.zeros(26))
        far_v, far_q = far_ring(g, level)
        far = embree.Scene(robust=True)
        far.attach(0, embree.mesh(embree.padded(far_v), far_q))
        far.commit()
        look = np.zeros(26)
        look[:3] = np.array(TURF) * 1.1
        self._parts["far"] = _Part(FAR, far, IDENTITY[None].copy(), np.zeros(1, np.float32), look)
        self._normals = g.normals()
        self._slope = g.slope()
        self._albedo = albedo(g, land.cover, level, land.beach_top, land.seed)
        self._heights = g.heights.astype(np.float32)
        self._make_water_sheet()

    def _make_water_sheet(self) -> None:
        g, level = self.setting.ground, self._level()
        self._calm = np.zeros_like(self._heights)
        for name in ("sheet", "open sea", "far sea"):
            self._parts.pop(name, None)
        self._sea_mesh = None
        if level is None or float(g.heights.min()) > level + 0.5:
            return
        depth = level - g.heights.astype(float)
        open_water = np.clip(sea_nearness(g, level) * 2.2 - 0.15, 0, 1)
        shoal = np.clip(ndimage.gaussian_filter(np.clip(depth, 0, None), 6 / g.spacing) / 2.2, 0, 1)
        self._calm = (open_water * shoal).astype(np.float32)
        ny, nx = g.heights.shape
        # a sheet over every cell that may be wet, at the ground's spacing but no finer than 1.5 m
        every = max(1, round(1.5 / g.spacing))
        rows, cols = np.arange(0, ny, every), np.arange(0, nx, every)
        wet = ndimage.minimum_filter(g.heights, 2 * every + 1)[np.ix_(rows, cols)] < level + 0.9
        cells = wet[:-1, :-1] | wet[1:, 1:] | wet[1:, :-1] | wet[:-1, 1:]
        if not cells.any():
            return
        quads = grid_quads(len(rows), len(cols), cells)
        used, quads = np.unique(quads, return_inverse=True)
        x, y = np.meshgrid(g.west + cols * g.spacing, g.south + rows * g.spacing)
        self._sheet_x, self._sheet_y = x.ravel()[used].astype(float), y.ravel()[used].astype(float)
        self._sheet_calm = self._calm[np.ix_(rows, cols)].ravel()[used].astype(float)
        # at the sheet's rim the open sea's tiles go on, so the sheet must be as rough as they are
        self._sheet_v = embree.padded(np.stack([self._sheet_x, self._sheet_y, np.full_like(self._sheet_x, level)], 1).astype(np.float32))
        self._sea_mesh = embree.mesh(self._sheet_v, np.ascontiguousarray(quads.reshape(-1, 4).astype(np.uint32)), embree.MASK_WATER, embree.REFIT)
        scene = embree.Scene(robust=True, dynamic=True)
        scene.attach(0, self._sea_mesh)
        scene.commit()
        self._parts["sheet"] = _Part(WATER, scene, IDENTITY[None].copy(), np.zeros(1, np.float32), np.zeros(26), mask=embree.MASK_WATER)
        # beyond the survey: the tile itself, again and again, to the horizon
        length, n = TILES[0]
        axis = np.arange(n + 1) * (length / n)
        tx, ty = np.meshgrid(axis, axis)
        self._tile_rest = np.stack([tx, ty, np.full_like(tx, level)], -1).reshape(-1, 3)
        self._tile_v = embree.padded(self._tile_rest.astype(np.float32))
        self._tile_mesh = embree.mesh(self._tile_v, grid_quads(n + 1, n + 1), embree.MASK_WATER, embree.REFIT)
        tile = embree.Scene(robust=True, dynamic=True)
        tile.attach(0, self._tile_mesh)
        tile.commit()
        w, s, e, north = g.bounds
        placed = []
        reach = 14
        for i in range(int(np.floor(w / length)) - reach, int(np.ceil(e / length)) + reach):
            for j in range(int(np.floor(s / length)) - reach, int(np.ceil(north / length)) + reach):
                a, b = i * length, j * length
                if a + length > w and a < e and b + length > s and b < north:
                    continue
                m = IDENTITY.copy()
                m[9], m[10] = a, b
                placed.append(m)
        self._parts["open sea"] = _Part(WATER, tile, np.array(placed, np.float32), np.zeros(len(placed), np.float32), np.zeros(26), mask=embree.MASK_WATER)
        self._make_far_sea(level, w, s, e, north, reach * length, length)

    def _make_far_sea(self, level: float, w: float, s: float, e: float, n: float, reach: float, length: float) -> None:
        """Flat water: between the survey's edge and the first whole tile, and from the last tile to the horizon."""
        w0, s0, e0, n0 = (np.floor(w / length) * length, np.floor(s / length) * length, np.ceil(e / length) * length, np.ceil(n / length) * length)
        a, b = max(reach - length * 0.5, 1.0), 40000.0

        def frame(inner: tuple[float, float, float, float], outer: tuple[float, float, float, float], z: float, v: list[list[float]], q: list[list[int]]) -> None:
            base = len(v)
            for x0, y0, x1, y1 in (inner, outer):
                v.extend([[x0, y0, z], [x1, y0, z], [x1, y1, z], [x0, y1, z]])
            q.extend([[base + k, base + (k + 1) % 4, base + 4 + (k + 1) % 4, base + 4 + k][::-1] for k in range(4)])

        v: list[list[float]] = []
        q: list[list[int]] = []
        frame((w, s, e, n), (w0, s0, e0, n0), level, v, q)
        frame((w0 - a, s0 - a, e0 + a, n0 + a), (w0 - b, s0 - b, e0 + b, n0 + b), level - 0.05, v, q)
        scene = embree.Scene(robust=True)
        scene.attach(0, embree.mesh(embree.padded(np.array(v, np.float32)), np.array(q, np.uint32), embree.MASK_WATER))
        scene.commit()
        self._parts["far sea"] = _Part(WATER, scene, IDENTITY[None].copy(), np.zeros(1, np.float32), np.zeros(26), mask=embree.MASK_WATER)

    def _make_built(self) -> None:
        things = self.setting.place.built
        if not self._changed("built", list(things), self._keys["ground"]):
            return
        for name in [n for n in self._parts if n.startswith("built ")]:
            del self._parts[name]
        for thing in things:
            timber = build(thing, self.setting.ground)
            scene = embree.Scene()
            scene.attach(0, embree.mesh(embree.padded(timber.vertices), np.ascontiguousarray(timber.quads)))
            scene.commit()
            look = np.zeros(26)
            look[:3] = (0.16, 0.20, 0.22) if thing.kind == "boat" else (0.27, 0.235, 0.19)
            self._parts[f"built {thing.id}"] = _Part(TIMBER, scene, IDENTITY[None].copy(), np.zeros(1, np.float32), look, tone=timber.tone)

    def _make_stands(self) -> None:
        old = {s.key: s for s in self._standings}
        clear = area_shapes(self.setting)
        level = self._level()
        common = digest(self._keys["ground"], [shapely.to_wkt(c) for c in clear])
        self._standings = []
        for stand in self.setting.place.growth:
            key = digest(stand, common)
            if key in old:
                self._standings.append(old[key])
                continue
            plants = scatter(stand, self.setting.ground, self._slope, clear, level)
            rng = np.random.Generator(np.random.Philox(key=[stand.seed, 31]))
            tall = plants.scale * stand.height
            if stand.kind in ("pine", "alder"):
                natural = CROWN * np.array([cantilever_frequency(STIFFNESS_PA, 0.0133 * h, h, SAP_DENSITY) for h in np.maximum(tall, 0.5)])
            else:
                natural = 1.6 / np.maximum(tall, 0.1) ** 0.5
            natural = natural * rng.uniform(0.82, 1.2, len(natural))
            self._standings.append(_Standing(key, stand, KINDS[stand.kind], plants, natural, rng.uniform(0, 2 * np.pi, len(natural))))

    def _shape(self, standing: _Standing, far: bool, variant: int) -> _Shape:
        key = (far, variant)
        if key not in standing.shapes:
            seed = standing.stand.seed * 100 + variant
            form = MAKERS[standing.stand.kind](standing.stand.height, seed, far)
            vertices = embree.padded(form.vertices)
            mesh = embree.mesh(vertices, form.quads, quality=embree.REFIT)
            scene = embree.Scene(dynamic=True)
            scene.attach(0, mesh)
            scene.commit()
            standing.shapes[key] = _Shape(form, vertices, scene, mesh, _cuts(form), variant, seed)
        return standing.shapes[key]

    # -- what moves ---------------------------------------------------------------------------------------

    def set(self, snapshot: Snapshot) -> None:
        """Move everything to an instant."""
        self.snapshot = snapshot
        self._set_sea(snapshot)
        self._set_plants(snapshot)
        self._set_light(snapshot)
        self._assemble()

    def _set_sea(self, snap: Snapshot) -> None:
        place = self.setting.place
        if not self._changed("sea", repr(snap.sea), snap.t, place.sea, snap.loop, self._keys["ground"]):
            return
        state = snap.sea
        if state is None:
            self._slopes = tuple(np.zeros((2, 2, 2), np.float32) for _ in TILES)
            self._fold = np.ones((2, 2, 4), np.float32)
            self._tile_data = np.array([*(t[0] for t in TILES), 0, 0, 0, 0.001])
            return
        waves = swells(state, place.sea.seed, snap.loop)
        now = surface(waves, snap.t, place.sea.choppiness)
        self._slopes, self._fold = now.slopes, now.displaced
        self._tile_data = np.array([*(t[0] for t in TILES), *(float((s**2).sum(-1).mean()) for s in now.slopes), slope_variance(state.wind_speed)])
        if self._sea_mesh is None:
            return
        _raise_water(self._sheet_x, self._sheet_y, self._sheet_calm, now.displaced, TILES[0][0], place.sea.level, self._sheet_v)
        self._sea_mesh.moved()
        self._parts["sheet"].child.commit()
        n = TILES[0][1]
        wrapped = np.pad(now.displaced[..., :3], ((0, 1), (0, 1), (0, 0)), mode="wrap").reshape(-1, 3)
        self._tile_v[:] = self._tile_rest + wrapped
        self._tile_mesh.moved()
        self._parts["open sea"].child.commit()
        assert len(self._tile_v) == (n + 1) ** 2

    def _set_plants(self, snap: Snapshot) -> None:
        wind = snap.wind
        eye = snap.camera.position
        moving = digest(wind.mean, wind.omega, wind.amplitude, wind.phase, snap.t, snap.loop)
        if not self._changed("plants", [s.key for s in self._standings], moving, np.asarray(eye, float)):
            return
        for name in [n for n in self._parts if n.startswith("stand ")]:
            del self._parts[name]
        for standing in self._standings:
            plants, kind, stand = standing.plants, standing.kind, standing.stand
            if not len(plants.turn):
                continue
            away = np.linalg.norm(plants.position - eye, axis=1)
            # each plant changes its form at its own distance, so that no ring is seen
            own = 0.82 + 0.36 * plants.shade
            seen = away < kind.far * own
            near = away < kind.near * own
            variant = (plants.shade * 9973).astype(np.int64) % kind.variants
            chosen = np.flatnonzero(seen)
            slopes = np.zeros((len(away), 2))
            slopes[chosen] = lean(plants.position[chosen, 0], plants.position[chosen, 1], standing.natural[chosen], standing.phase[chosen],
                                  kind.compliance, wind, snap.t)
            slopes += np.tan(np.radians(stand.lean)) * wind.toward
            for far in (False, True):
                for v in range(kind.variants):
                    which = np.flatnonzero(seen & (near != far) & (variant == v))
                    if not len(which):
                        continue
                    shape = self._shape(standing, far, v)
                    self._bend(standing, shape, snap, moving)
                    self._parts[f"stand {stand.id} {int(far)} {v}"] = self._place(standing, shape, which, slopes)

    def _bend(self, standing: _Standing, shape: _Shape, snap: Snapshot, moving: str) -> None:
        if not self._changed(f"bend {standing.key} {shape.form is None} {id(shape)}", moving):
            return
        kind, stand, wind = standing.kind, standing.stand, snap.wind
        reach = kind.branch_reach * stand.height * (0.35 if stand.kind in ("pine", "alder") else 1.0)
        branches = branch_motion(shape.form.groups, shape.seed, kind.branch_hz, wind, snap.t, reach, snap.loop)
        branches[0] = 0.0
        leaves = branch_motion(shape.form.flutter_groups, shape.seed + 7, 4.1, wind, snap.t, kind.leaf_reach * 60, snap.loop)
        f = shape.form
        bend(f.vertices, f.weight, f.group, np.tanh(branches / 0.5) * 0.5, f.flutter, f.flutter_group, np.tanh(leaves), shape.vertices)
        shape.mesh.moved()
        shape.scene.commit()

    def _place(self, standing: _Standing, shape: _Shape, which: NDArray[np.int64], slopes: NDArray[np.float64]) -> _Part:
        p = standing.plants
        c, s, k = np.cos(p.turn[which]), np.sin(p.turn[which]), p.scale[which]
        m = np.zeros((len(which), 12), np.float32)
        m[:, 0], m[:, 1] = c * k, s * k
        m[:, 3], m[:, 4] = -s * k, c * k
        m[:, 6], m[:, 7] = slopes[which, 0] * k, slopes[which, 1] * k
        m[:, 8] = k / np.sqrt(1 + slopes[which, 0] ** 2 + slopes[which, 1] ** 2)
        if standing.stand.kind == "grass":  # a patch lies along the slope
            g = self.setting.ground
            i = np.clip(((p.position[which, 1] - g.south) / g.spacing).round().astype(int), 0, g.heights.shape[0] - 1)
            j = np.clip(((p.position[which, 0] - g.west) / g.spacing).round().astype(int), 0, g.heights.shape[1] - 1)
            n = self._normals[i, j]
            for col in (0, 3):
                m[:, col + 2] = -(m[:, col] * n[:, 0] + m[:, col + 1] * n[:, 1]) / n[:, 2]
        m[:, 9:] = p.position[which]
        kind = standing.kind
        look = np.zeros(26)
        for surf, reflected, through in ((0, kind.bark, None), (1, kind.leaf, kind.through), (2, kind.stalk, kind.through), (3, kind.plume, kind.plume)):
            look[6 * surf : 6 * surf + 3] = reflected
            if through is not None:
                look[6 * surf + 3 : 6 * surf + 6] = through
        look[24], look[25] = standing.stand.height, 1.0 if kind.dark_root else 0.0
        return _Part(PLANT, shape.scene, m, p.shade[which].astype(np.float32), look, shape.cut)

    def _set_light(self, snap: Snapshot) -> None:
        w, site = snap.weather, self.setting.place.site
        sun = snap.sun
        # exact, so that a frame's light never depends on which frame was made before it
        key = (float(sun.azimuth), float(sun.elevation), w, site.altitude, self.setting.place.sea, site.north_turn)
        if not self._changed("light", repr(key)):
            return
        sky = clear_sky(float(sun.azimuth) + site.north_turn, float(sun.elevation), float(sun.distance_au), w.haze, w.ozone_du, site.altitude)
        self.clear = sky
        light = lighting(sky, w, snap.sun_direction)
        self._light = light
        ext = coefficients(w.haze, w.ozone_du)
        colour = np.maximum(BAND_RGB_LUX, 0)
        self._air = (ext[0] + ext[1]) @ colour / colour.sum(0)
        sea = self.setting.place.sea
        # absorption of natural water by colour, deepened by what makes it murky; a disc is lost at 1.7 / K (Poole and Atkins 1929)
        k = 1.7 / sea.clarity
        self._absorb = np.array([0.34, 0.07, 0.055]) * 0.6 + k * np.array([0.62, 0.40, 0.62])
        down = light.sky_lux + sky.sun_lux * max(0.0, float(snap.sun_direction[2])) * light.sun_through_fog
        self._body = np.array([0.012, 0.042, 0.046]) * down / np.pi * (0.8 + 0.6 * min(1.0, 3.0 / sea.clarity))

    def _assemble(self) -> None:
        """Place the parts in the top scene, and lay out the arrays the kernel reads."""
        parts = list(self._parts.values())
        owner = np.repeat(np.arange(len(parts), dtype=np.int32), [len(p.transforms) for p in parts])
        transforms = np.concatenate([p.transforms for p in parts])
        self._top = embree.placed([p.child for p in parts], [p.mask for p in parts], owner, transforms)
        tones = [p.tone for p in parts if p.tone is not None]
        offset = np.zeros(len(parts), np.int64)
        at = 0
        for i, p in enumerate(parts):
            if p.tone is not None:
                offset[i] = at
                at += len(p.tone)
        g, snap = self.setting.ground, self.snapshot
        level = self._level()
        d = snap.sun_direction
        t1 = np.cross(d, [0.0, 0.0, 1.0] if abs(d[2]) < 0.99 else [1.0, 0.0, 0.0])
        t1 /= np.linalg.norm(t1)
        t2 = np.cross(t1, d)
        lux = self.clear.sun_lux if d[2] > -0.02 else np.zeros(3)
        light = self._light
        self.world = World(
            scene=int(self._top.handle),
            kind=np.array([p.kind for p in parts], np.int32), offset=offset, cut=np.array([p.cut for p in parts], np.int64),
            look=np.array([p.look for p in parts]), owner=owner, transform=transforms,
            shade=np.concatenate([p.shade for p in parts]), tone=np.concatenate(tones) if tones else np.ones(1, np.float32),
            normals=self._normals, albedo=self._albedo, heights=self._heights, calm=self._calm,
            grid=np.array([g.west, g.south, g.spacing, -1e9 if level is None else level, 0.16]),
            slope0=self._slopes[0], slope1=self._slopes[1], slope2=self._slopes[2], fold=self._fold, tile=self._tile_data,
            water=np.array([*self._absorb, *self._body, snap.t]),
            sky=self.clear.table.astype(np.float32), lit_sky=light.table.astype(np.float32), sky_pick=light.pick, sky_share=light.share,
            sun=np.array([*d, *lux, np.tan(np.radians(SUN_RADIUS_DEG)), np.arctan2(d[0], d[1]), *t1, *t2]),
            air=self._air, fog=light.fog,
        )

    def add_target(self, name: str, vertices: NDArray[np.float32], quads: NDArray[np.uint32], albedo_rgb: tuple[float, float, float]) -> None:
        """Set up a plain matt test target, such as a grey card (it stays until the stage is dropped)."""
        scene = embree.Scene()
        scene.attach(0, embree.mesh(embree.padded(vertices.astype(np.float32)), np.ascontiguousarray(quads.astype(np.uint32))))
        scene.commit()
        look = np.zeros(26)
        look[:3] = albedo_rgb
        self._parts[f"target {name}"] = _Part(TARGET, scene, IDENTITY[None].copy(), np.zeros(1, np.float32), look)

    def view(self, width: int, height: int) -> View:
        """The snapshot's camera for a picture of this size."""
        c = self.snapshot.camera
        right, up = c.axes()
        tan_x = 18.0 / c.focal_mm
        lens = c.focal_mm / 1000.0 / c.f_number / 2
        if c.focus >= 500:
            lens = 0.0
        return View(np.asarray(c.position, float), right, up, np.asarray(c.forward, float), tan_x, tan_x * height / width, lens, float(c.focus))


@dataclass(frozen=True)
class Lighting:
    """The sky's light as surfaces get it, through fog, and how to choose directions by it."""

    table: NDArray[np.float64]
    pick: NDArray[np.float32]
    share: NDArray[np.float32]
    fog: NDArray[np.float64]
    sky_lux: NDArray[np.float64]
    sun_through_fog: float


PICK_ROWS, PICK_COLS = 32, 64


def alias_table(share: NDArray[np.float64]) -> NDArray[np.float32]:
    """Table for choosing cells by their share in constant time, shape (n, 2): share kept, other cell.

    References
    ----------
    Vose, A linear algorithm for generating random numbers with a given distribution, IEEE TSE 17 (1991).
    """
    n = len(share)
    p = (share / share.sum() * n).tolist()
    other = list(range(n))
    small = [i for i in range(n) if p[i] < 1]
    large = [i for i in range(n) if p[i] >= 1]
    keep = [1.0] * n
    while small and large:
        a, b = small.pop(), large.pop()
        keep[a], other[a] = p[a], b
        p[b] -= 1 - p[a]
        (small if p[b] < 1 else large).append(b)
    return np.array([keep, other], np.float32).T.copy()


FOG_ASYMMETRY = 0.65


def lighting(sky: ClearSky, weather: Any, sun_direction: NDArray[np.float64]) -> Lighting:
    """Fog's own light, the fogged sky, and the table by which directions are chosen.

    Fog shines with the sun's light scattered once (Henyey and Greenstein's phase) and, for what is scattered
    often, with the mean of all light that falls on it.
    """
    n_el, n_az, _ = sky.table.shape
    vertical = weather.fog_extinction * weather.fog_height
    sz = float(sun_direction[2])
    through = float(np.exp(-vertical / max(sz, 0.02))) if sz > -0.02 else 0.0
    diffuse = sky_illuminance(sky)
    sun_h = sky.sun_lux * max(sz, 0.0)
    # what fog takes from the beam it gives back, evenly
    ambient = (diffuse + sun_h * (1 - through)) / np.pi * 0.82
    fog = np.array([weather.fog_extinction, weather.fog_height, weather.fog_base, *(sky.sun_lux * through), *ambient, FOG_ASYMMETRY])
    el = 0.5 * np.pi * (np.arange(n_el) / (n_el - 1)) ** 2
    az = np.pi * (np.arange(n_az) / (n_az - 1)) ** 2
    dz = np.maximum(np.sin(el), 0.004)
    keep = np.exp(-vertical / dz)[:, None, None]
    cos_sun = np.cos(el)[:, None] * np.cos(az)[None] * np.sqrt(max(0.0, 1 - sz * sz)) + np.sin(el)[:, None] * sz
    g = FOG_ASYMMETRY
    phase = (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cos_sun) ** 1.5)
    glow = fog[3:6] * phase[..., None] + ambient
    table = sky.table * keep + glow * (1 - keep)
    fogged = ClearSky(table, sky.sun_lux, sky.sun_azimuth, sky.sun_elevation)
    from lumwick.air.atmosphere import LUMA, sky_at

    mid_el = np.degrees(np.arcsin((np.arange(PICK_ROWS) + 0.5) / PICK_ROWS))
    mid_az = (np.arange(PICK_COLS) + 0.5) / PICK_COLS * 360
    lum = sky_at(fogged, mid_el[:, None], np.minimum(mid_az, 360 - mid_az)[None]) @ LUMA
    share = lum + 0.05 * lum.mean()
    # a cell gives light by the cosine on level ground too, but walls see the horizon: half of each
    share = share * (0.5 + 0.5 * ((np.arange(PICK_ROWS) + 0.5) / PICK_ROWS))[:, None]
    share /= share.sum()
    pick = alias_table(share.ravel())
    return Lighting(table, pick, share.astype(np.float32), fog, sky_illuminance(fogged), through)
