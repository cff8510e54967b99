"""The stage: a place's geometry in Embree, kept between frames and moved to each instant.

Each section is rebuilt only when what it is made from has changed: the ground with its survey, a stand with
its own description, the sea and the swaying plants with time, the sky with the sun and the haze.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.air.atmosphere import BAND_RGB_LUX, clear_sky, coefficients
from lumwick.keep import digest, kept
from lumwick.land.covers import TURF, albedo, sea_nearness
from lumwick.land.ground import far_ring, grid_quads
from lumwick.lens.camera import Camera
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.trace import embree, records
from lumwick.trace.furnish import PLACED, Furnishing, boxes, numbered, plain_material, ray_mask
from lumwick.trace.integrator.scattering import albedo_table
from lumwick.trace.lighting import lighting, surround_lighting
from lumwick.trace.part import IDENTITY, Part, plain_look
from lumwick.trace.stands import Stands
from lumwick.trace.textures import CODE_TO_LINEAR, read_panorama
from lumwick.trace.world import (
    FAR,
    GROUND,
    MODEL,
    PLANT,
    WATER,
    Air,
    Geometry,
    Land,
    Lights,
    Looks,
    View,
    Waters,
    World,
)
from lumwick.water.spectrum import slope_variance
from lumwick.water.surface import TILES, lace_drift, raise_sheet, surface, swells

NO_WATER = -1e9
"""Level [m] of a sea that is not there."""
GRAIN = 0.16
"""How much of the ground's fine grain tilts its normals (practice)."""
SUN_GONE = -0.02
"""Sine of the sun's height under which it lights nothing."""


@dataclass(frozen=True)
class Window:
    """The part of a picture that a film shows.

    Attributes
    ----------
    width, height : int
        Pixels of the whole picture.
    left, top : int
        Where the film's first pixel lies in it.
    overscan : float
        How much the whole picture shows beyond the camera's, on each side, as a share of the camera's width.
    """

    width: int
    height: int
    left: int = 0
    top: int = 0
    overscan: float = 0.0


class Stage:
    """Geometry and light of one place, ready to be traced at whatever instant it was last set to."""

    def __init__(self, setting: Setting) -> None:
        self.setting = setting
        """The place as it may be edited and move; what stands on the stage is `shown`."""
        self._keys: dict[str, str] = {}
        self._parts: dict[str, Part] = {}
        self.stands = Stands()
        self.furnishing = Furnishing()
        self._sea_mesh: embree.Geometry | None = None
        self.notes: list[str] = []
        self.things: list[str] = []
        self.surfaces: list[str] = []
        self._take_on(setting.still())

    def parts(self) -> dict[str, Part]:
        """Its parts by name, in the order of the kernel's rows, which is the same whatever was set before."""
        return dict(sorted(self._parts.items()))

    # -- what does not move -------------------------------------------------------------------------------

    def _changed(self, section: str, *things: Any) -> bool:
        key = digest(*things)
        if self._keys.get(section) == key:
            return False
        self._keys[section] = key
        return True

    def change(self, setting: Setting) -> None:
        """Take an edited place on; only what the edit touched is made again."""
        if setting.ground is not self.shown.ground:
            self._keys.clear()
        self.setting = setting
        self._take_on(setting.still())

    def _take_on(self, shown: Setting) -> None:
        """Make what stands still until it is edited or keyed: ground, built things, stands."""
        self.shown = shown
        self._make_ground()
        self._make_built()
        self.stands.make(shown, self._slope, self._normals, self._keys["ground"])

    def _show(self, snapshot: Snapshot) -> None:
        """Turn to an instant; ground, things and stands are looked at again only if something of them is another than
        before."""
        before, now = self.shown.place, snapshot.place
        self.snapshot = snapshot
        if any(
            getattr(before, name) is not getattr(now, name)
            for name in ("site", "land", "sea", "growth", "built", "surfaces", "things")
        ):
            self._take_on(replace(self.shown, place=now, memory={}))

    def _level(self) -> float | None:
        sea = self.shown.place.sea
        return sea.level if sea.present else None

    def _make_ground(self) -> None:
        g, land, level = self.shown.ground, self.shown.place.land, self._level()
        if not self._changed("ground", land, level, g.fingerprint):
            return
        ny, nx = g.heights.shape
        xs, ys = g.west + np.arange(nx) * g.spacing, g.south + np.arange(ny) * g.spacing
        gx, gy = np.meshgrid(xs, ys)
        vertices = embree.padded(np.stack([gx, gy, g.heights], -1).reshape(-1, 3).astype(np.float32))
        scene = embree.Scene(robust=True)
        scene.attach(0, embree.mesh(vertices, grid_quads(ny, nx)))
        scene.commit()
        self._parts["ground"] = Part(GROUND, scene)
        far_v, far_q = far_ring(g, level)
        far = embree.Scene(robust=True)
        far.attach(0, embree.mesh(embree.padded(far_v), far_q))
        far.commit()
        self._parts["far"] = Part(FAR, far, look=plain_look(np.array(TURF) * 1.1), surfaces=("far ground",) * 4)
        self._normals = g.normals()
        self._slope = g.slope()
        found = kept(
            "cover",
            self._keys["ground"],
            lambda: {
                "albedo": albedo(g, land.cover, level, land.beach_top, land.seed),
                "sea": sea_nearness(g, level if level is not None else float(g.heights.min()) - 10),
            },
        )
        self._albedo, self._near_sea = found["albedo"], found["sea"]
        self._heights = g.heights.astype(np.float32)
        self._make_water_sheet()

    def _make_water_sheet(self) -> None:
        g, level = self.shown.ground, self._level()
        self._open = np.zeros((*self._heights.shape, 3), np.float32)
        for name in ("sheet", "open sea", "far sea"):
            self._parts.pop(name, None)
        self._sea_mesh = None
        if level is None or float(g.heights.min()) > level + 0.5:
            return
        depth = level - g.heights.astype(float)
        open_water = np.clip(self._near_sea * 2.2 - 0.15, 0, 1)
        shoal = np.clip(ndimage.gaussian_filter(np.clip(depth, 0, None), 6 / g.spacing) / 2.2, 0, 1)
        # long waves die away over a shoal; ripples keep on to the shore, and a little in the creek
        short = np.clip(depth / 0.25, 0, 1) * (0.22 + 0.78 * open_water * (0.7 + 0.3 * shoal))
        self._open = np.stack([open_water * shoal, short, np.clip(open_water * 2, 0, 1)], -1).astype(np.float32)
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
        self._sheet_open = self._open[np.ix_(rows, cols)][..., 0].ravel()[used].astype(float)
        # at the sheet's rim the open sea's tiles go on, so the sheet must be as rough as they are
        self._sheet_v = embree.padded(
            np.stack([self._sheet_x, self._sheet_y, np.full_like(self._sheet_x, level)], 1).astype(np.float32)
        )
        self._sea_mesh = embree.mesh(
            self._sheet_v, np.ascontiguousarray(quads.reshape(-1, 4).astype(np.uint32)), embree.MASK_WATER, embree.REFIT
        )
        scene = embree.Scene(robust=True, dynamic=True)
        scene.attach(0, self._sea_mesh)
        scene.commit()
        self._parts["sheet"] = Part(WATER, scene, mask=embree.MASK_WATER, thing="water", surfaces=("water",) * 4)
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
        self._parts["open sea"] = Part(
            WATER,
            tile,
            np.array(placed, np.float32),
            np.zeros(len(placed), np.float32),
            mask=embree.MASK_WATER,
            thing="water",
            surfaces=("water",) * 4,
        )
        self._make_far_sea(level, w, s, e, north, reach * length, length)

    def _make_far_sea(self, level: float, w: float, s: float, e: float, n: float, reach: float, length: float) -> None:
        """Flat water: between the survey's edge and the first whole tile, and from the last tile to the horizon."""
        w0, s0, e0, n0 = (
            np.floor(w / length) * length,
            np.floor(s / length) * length,
            np.ceil(e / length) * length,
            np.ceil(n / length) * length,
        )
        a, b = max(reach - length * 0.5, 1.0), 40000.0

        def frame(
            inner: tuple[float, float, float, float],
            outer: tuple[float, float, float, float],
            z: float,
            v: list[list[float]],
            q: list[list[int]],
        ) -> None:
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
        self._parts["far sea"] = Part(WATER, scene, mask=embree.MASK_WATER, thing="water", surfaces=("water",) * 4)

    def _make_built(self) -> None:
        place = self.shown.place
        # what glows, is wet or stands elsewhere is set at every instant; nothing is built anew for it
        still = [
            surface.model_copy(update={"glow": 0.0, "wet": 0.0, "glow_colour": "#000000"}) for surface in place.surfaces
        ]
        forms = [thing.model_copy(update=dict.fromkeys(PLACED, 0.0)) for thing in place.things]
        if self._keys.get("built") != (key := digest(list(place.built), forms, still, self._keys["ground"])):
            self.furnishing.make(self.shown)
            self._keys["built"] = key
            self._keys.pop("placed", None)
            for name in [n for n in self._parts if n.startswith(("built ", "thing "))]:
                del self._parts[name]
            self._parts.update(self.furnishing.parts)
        if self._changed("placed", list(place.things), place.site.north_turn, key):
            self.furnishing.place(self.shown)

    # -- what moves ---------------------------------------------------------------------------------------

    def set(self, snapshot: Snapshot) -> None:
        """Move everything to an instant."""
        self._show(snapshot)
        embree.commit_all([*self._set_sea(snapshot), *self._set_plants(snapshot)])
        self._set_light(snapshot)
        self._set_lamps(snapshot)
        self._assemble()

    def glance(self, snapshot: Snapshot) -> None:
        """Set the camera and the light alone; plants and waves stay as they were, for a first coarse picture at
        once."""
        if "plants" not in self._keys:
            self.set(snapshot)
            return
        self._show(snapshot)
        self._set_light(snapshot)
        self._set_lamps(snapshot)
        self._assemble()

    def _set_lamps(self, snap: Snapshot) -> None:
        if not self._changed(
            "lamps", [repr(vars(lamp)) for lamp in snap.lamps], repr(snap.shown), self._keys["placed"]
        ):
            return
        self.furnishing.light(snap)
        for name in [n for n in self._parts if n.startswith("lamp ")]:
            del self._parts[name]
        self._parts.update(self.furnishing.lamp_parts)

    def _set_sea(self, snap: Snapshot) -> list[embree.Scene]:
        place = self.shown.place
        if not self._changed("sea", repr(snap.sea), snap.t, place.sea, snap.loop, self._keys["ground"]):
            return []
        state = snap.sea
        if state is None:
            self._slopes = tuple(np.zeros((2, 2, 2), np.float32) for _ in TILES)
            self._fold = np.ones((2, 2, 4), np.float32)
            self._tiles = _tiles([0.0] * len(TILES), 0.001)
            return []
        waves = swells(state, place.sea.seed, snap.loop)
        now = surface(waves, snap.t, place.sea.choppiness)
        self._slopes, self._fold = now.slopes, now.displaced
        variance = [float((s**2).sum(-1).mean()) for s in now.slopes]
        self._tiles = _tiles(variance, slope_variance(state.wind_speed))
        if self._sea_mesh is None:
            return []
        raise_sheet(
            self._sheet_x, self._sheet_y, self._sheet_open, now.displaced, TILES[0][0], place.sea.level, self._sheet_v
        )
        self._sea_mesh.moved()
        wrapped = np.pad(now.displaced[..., :3], ((0, 1), (0, 1), (0, 0)), mode="wrap").reshape(-1, 3)
        self._tile_v[:] = self._tile_rest + wrapped
        self._tile_mesh.moved()
        return [self._parts["sheet"].child, self._parts["open sea"].child]

    def _set_plants(self, snap: Snapshot) -> list[embree.Scene]:
        wind = snap.wind
        if not self._changed(
            "plants",
            [s.key for s in self.stands.standings],
            wind.mean,
            wind.toward,
            wind.omega,
            wind.amplitude,
            wind.phase,
            wind.wave,
            snap.t,
            snap.loop,
            np.asarray(snap.camera.position, float),
        ):
            return []
        for name in [n for n in self._parts if n.startswith("stand ")]:
            del self._parts[name]
        parts, bent = self.stands.parts(snap)
        self._parts.update(parts)
        return bent

    def _set_light(self, snap: Snapshot) -> None:
        w, site = snap.weather, self.shown.place.site
        sun = snap.sun
        # exact, so that a frame's light never depends on which frame was made before it
        surround = self.shown.place.surround
        key = (
            float(sun.azimuth),
            float(sun.elevation),
            w,
            site.altitude,
            self.shown.place.sea,
            site.north_turn,
            surround,
            snap.surround_lux,
        )
        if not self._changed("light", repr(key)):
            return
        sky = clear_sky(
            float(sun.azimuth) + site.north_turn,
            float(sun.elevation),
            float(sun.distance_au),
            w.haze,
            w.ozone_du,
            site.altitude,
        )
        self._panorama = np.zeros((1, 1, 3), np.float32)
        if surround.picture is None:
            light = lighting(sky, w, snap.sun_direction)
        else:
            picture, note = read_panorama(self.setting.read(surround.picture), surround.picture.name)
            self.notes = [note] if note else []
            sky = replace(sky, sun_lux=np.zeros(3))
            light, self._panorama = surround_lighting(picture, surround.turn + site.north_turn, snap.surround_lux, w)
        self.clear = sky
        self._light = light
        ext = coefficients(w.haze, w.ozone_du)
        colour = np.maximum(BAND_RGB_LUX, 0)
        self._air = (ext[0] + ext[1]) @ colour / colour.sum(0)
        sea = self.shown.place.sea
        # absorption of natural water by colour, deepened by what makes it murky; a disc is lost at 1.7 / K (Poole
        # and Atkins 1929)
        k = 1.7 / sea.clarity
        self._absorb = np.array([0.34, 0.07, 0.055]) * 0.6 + k * np.array([0.62, 0.40, 0.62])
        down = light.sky_lux + sky.sun_lux * max(0.0, float(snap.sun_direction[2])) * light.sun_through_fog
        self._body = np.array([0.012, 0.042, 0.046]) * down / np.pi * (0.8 + 0.6 * min(1.0, 3.0 / sea.clarity))

    def _assemble(self) -> None:
        """Place the parts in the top scene, and lay out the arrays the kernel reads.

        The scene is made anew when a part was moved or replaced, not for a turn of the camera or another sun.
        """
        named = self.parts()
        parts = list(named.values())
        owner = np.repeat(np.arange(len(parts), dtype=np.int32), [len(p.transforms) for p in parts])
        transforms = np.concatenate([p.transforms for p in parts])
        if self._changed(
            "top",
            *(self._keys.get(k, "") for k in ("ground", "built", "placed", "plants", "sea", "lamps")),
            list(named),
        ):
            self._top = embree.placed([p.child for p in parts], [p.mask for p in parts], owner, transforms)
        g, snap, light, furnishing = self.shown.ground, self.snapshot, self._light, self.furnishing
        level = self._level()
        row, surface, plant = _looks(parts)
        table, self.things, self.surfaces = numbered(parts)
        tones = [p.tone for p in parts if p.tone is not None]
        lengths = [0 if p.tone is None else len(p.tone) for p in parts]
        pierced = boxes([p for p in parts if p.mask & (embree.MASK_CUT | embree.MASK_CLEAR)])
        self.world = World(
            Geometry(
                scene=int(self._top.handle),
                kind=np.array([p.kind for p in parts], np.int32),
                row=row,
                offset=np.cumsum([0, *lengths[:-1]]).astype(np.int64),
                cut=np.array([p.cut for p in parts], np.int64),
                thing=table,
                owner=owner,
                transform=transforms,
                shade=np.concatenate([p.shade for p in parts]),
                tone=np.concatenate(tones) if tones else np.ones(1, np.float32),
                pierced=pierced,
            ),
            Looks(
                surface=surface,
                plant=plant,
                corner=furnishing.corner,
                texture=furnishing.texture,
                texture_where=furnishing.texture_where,
                code_to_linear=CODE_TO_LINEAR,
                gloss_albedo=albedo_table(),
            ),
            Land(
                normals=self._normals,
                albedo=self._albedo,
                heights=self._heights,
                open_water=self._open,
                grid=np.array(
                    [(g.west, g.south, g.spacing, NO_WATER if level is None else level, GRAIN)], records.GRID
                ),
            ),
            Waters(
                slope0=self._slopes[0],
                slope1=self._slopes[1],
                slope2=self._slopes[2],
                slope3=self._slopes[3],
                fold=self._fold,
                tiles=self._tiles,
                body=np.array([(self._absorb, self._body, lace_drift(snap.t, snap.loop))], records.BODY),
            ),
            Air(haze=self._air, fog=light.fog),
            Lights(
                sky=self.clear.table.astype(np.float32),
                lit_sky=light.table.astype(np.float32),
                panorama=self._panorama,
                sky_pick=light.pick,
                sky_share=light.share,
                sun=self._sun(),
                lamp=furnishing.lamp,
                emitter=furnishing.emitter,
            ),
        )

    def _sun(self) -> NDArray[np.void]:
        """The sun's record; directions of the sky are told from its azimuth, those of a picture from its middle."""
        place, d = self.shown.place, self.snapshot.sun_direction
        across = np.cross(d, [0.0, 0.0, 1.0] if abs(d[2]) < 0.99 else [1.0, 0.0, 0.0])
        across /= np.linalg.norm(across)
        azimuth = np.arctan2(d[0], d[1])
        if place.surround.picture is not None:
            azimuth = np.radians(place.surround.turn + place.site.north_turn)
        sun = np.zeros(1, records.SUN)
        sun["direction"], sun["azimuth"], sun["across"], sun["up"] = d, azimuth, across, np.cross(across, d)
        sun["illuminance"] = self.clear.sun_lux if d[2] > SUN_GONE else 0.0
        sun["tan_radius"] = np.tan(np.radians(self.snapshot.sun_width / 2))
        return sun

    def add_target(
        self,
        name: str,
        vertices: NDArray[np.float32],
        faces: NDArray[np.uint32],
        colour: tuple[float, float, float] = (0.0, 0.0, 0.0),
        look: NDArray[np.void] | None = None,
    ) -> None:
        """Set up a plain matt test target, such as a grey card, or one of another look (it stays until the stage is
        dropped)."""
        look = plain_material(colour) if look is None else look
        mask = ray_mask(look)
        scene = embree.Scene(robust=True)
        scene.attach(
            0,
            embree.mesh(
                embree.padded(vertices.astype(np.float32)), np.ascontiguousarray(faces.astype(np.uint32)), mask
            ),
        )
        scene.commit()
        self._keys.pop("top", None)
        self._parts[f"target {name}"] = Part(MODEL, scene, look=look, mask=mask, thing=name, surfaces=(name,) * 4)

    def view(
        self,
        width: int,
        height: int,
        opens: Camera | None = None,
        closes: Camera | None = None,
        window: Window | None = None,
    ) -> View:
        """The snapshot's camera for a film of this size, or its way from where the shutter opens to where it closes.

        Parameters
        ----------
        window : Window
            Which part of a larger picture the film shows; all of it if None.
        """
        a = opens or self.snapshot.camera
        b = closes or a
        shown = window or Window(width, height)
        tan_x = np.pi if a.around else a.lens.tangent * (1 + 2 * shown.overscan)
        lens = a.focal_mm / 1000.0 / a.f_number / 2
        if a.focus >= 500 or a.around:
            lens = 0.0
        axes = [np.asarray(v, float) for v in (a.position, *a.axes(), a.forward)]
        ends = [np.asarray(v, float) for v in (b.position, *b.axes(), b.forward)]
        moves = [end - start for start, end in zip(axes, ends, strict=True)]
        moving = any(np.abs(m).max() > 1e-9 for m in moves)
        drawn = a.distortion / 100.0
        return View(
            axes[0],
            axes[1],
            axes[2],
            axes[3],
            moving,
            moves[0],
            moves[1],
            moves[2],
            moves[3],
            tan_x,
            tan_x * shown.height / shown.width,
            lens,
            float(a.focus),
            a.blades,
            np.radians(17.0),
            -drawn / (1 + drawn),
            a.dispersion / 1000.0,
            float(shown.width),
            float(shown.height),
            float(shown.left) + a.shift / (2 * tan_x) * shown.width,
            float(shown.top),
            int(a.around),
            float(a.eye),
        )


def _tiles(variance: list[float], slopes: float) -> NDArray[np.void]:
    """The sea's tiles for the kernel: their lengths, the variance of slopes in each, and of all slopes."""
    return np.array([([length for length, _ in TILES], variance, slopes)], records.TILES)


def _looks(parts: list[Part]) -> tuple[NDArray[np.int32], NDArray[np.void], NDArray[np.void]]:
    """Each part's row among the looks of its kind, and the looks of surfaces and of plants."""
    row = np.zeros(len(parts), np.int32)
    looks: tuple[list[NDArray[np.void]], list[NDArray[np.void]]] = ([], [])
    for k, part in enumerate(parts):
        mine = looks[part.kind == PLANT]
        row[k] = len(mine)
        mine.append(part.look)
    surface, plant = looks
    return (
        row,
        np.stack(surface) if surface else np.zeros(1, records.SURFACE),
        np.stack(plant) if plant else np.zeros(1, records.PLANT_LOOK),
    )
