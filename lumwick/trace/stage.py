"""The stage: a place's geometry in Embree, kept between frames and moved to each instant.

Each section (`lumwick.trace.sections`) is a function of one frozen record of inputs and is made again only when that
has changed: the ground with its survey, a stand with its own description, the sea and the swaying plants with time,
the sky with the sun and the haze.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.air.atmosphere import ClearSky
from lumwick.air.sun import flattened
from lumwick.disk_cache import digest
from lumwick.lens.camera import Camera
from lumwick.place.fields import most
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.snapshot.memory import Memory
from lumwick.snapshot.planted import area_shapes, films_of, planted
from lumwick.trace import embree, records
from lumwick.trace.assembly import geometry_of, materials_of, owners
from lumwick.trace.cloud_lattice import lattice
from lumwick.trace.framing import Window
from lumwick.trace.furnish import (
    BuiltInputs,
    Furnishing,
    LampInputs,
    MovedInputs,
    PlacedInputs,
    numbered,
)
from lumwick.trace.instance_batches import Sway
from lumwick.trace.integrator.scattering import albedo_table
from lumwick.trace.lighting import Lighting
from lumwick.trace.lock import ENGINE, alone
from lumwick.trace.materials import plain_material, ray_mask
from lumwick.trace.part import Part
from lumwick.trace.sections.banks import BankLight, BanksInputs, bank_record, make_banks
from lumwick.trace.sections.clouds import NONE
from lumwick.trace.sections.daylight import DaylightInputs, make_daylight
from lumwick.trace.sections.land import LandInputs, make_land
from lumwick.trace.sections.litter import LitterInputs, make_litter
from lumwick.trace.sections.relief import Relief, ReliefInputs, near
from lumwick.trace.sections.ridges import RidgesInputs, make_ridges
from lumwick.trace.sections.sea import SeaInputs, make_sea
from lumwick.trace.sections.section import Section
from lumwick.trace.sections.sheet import Sheet, SheetInputs, make_sheet
from lumwick.trace.sections.weather import Weathering, WeatherLight
from lumwick.trace.stands import Stands
from lumwick.trace.textures import CODE_TO_LINEAR
from lumwick.trace.water_state import WaterState
from lumwick.trace.world import MODEL, NO_CLOUD_LATTICE, Air, CloudLattice, Land, Lights, Materials, View, World

GRAIN = 0.16
"""How much of the ground's fine grain tilts its normals (practice)."""
LAID = 0.02
"""Steps of the tide [m] for which the sea's sheet is laid anew; between them it is raised as it is."""
WHITE_FOG = 0.8
"""What a deep bank of fog sends back of the light that falls on it (practice)."""
SUN_GONE = -0.02
"""Sine of the sun's height under which it lights nothing."""


STANDING = ("site", "land", "ridges", "sea", "growth", "ways", "built", "surfaces", "things")
"""What of a place is made once, and again when it is another than before."""


@dataclass(frozen=True)
class PlantsInputs:
    """Which stands are set out, by their keys and by what of them may move, and what they answer to."""

    standing: tuple[tuple[str, str], ...]
    sway: Sway


@dataclass(frozen=True)
class TopInputs:
    """The parts that are placed: by the keys of the sections that made them, and their names."""

    made: tuple[str, ...]
    names: tuple[str, ...]
    parts: tuple[Part, ...] = field(compare=False)

    def placed(self) -> tuple[list[embree.Scene], list[int], NDArray[np.int32], NDArray[np.float32]]:
        """Child scenes and masks of the parts; the part and the transform (n, 12) of each placement."""
        transforms = np.concatenate([p.transforms for p in self.parts])
        return [p.child for p in self.parts], [p.mask for p in self.parts], owners(self.parts), transforms


class Stage:
    """Geometry and light of one place, ready to be traced at whatever instant it was last set to."""

    def __init__(self, setting: Setting) -> None:
        self.setting = setting
        """The place as it may be edited and move; what stands on the stage is `standing`."""
        self.stands = Stands()
        self.furnishing = Furnishing()
        self._land = Section(make_land)
        self._ridges = Section(make_ridges)
        self._litter = Section(make_litter)
        self._relief = Section(Relief().make)
        self._sheet = Section(make_sheet)
        self._water = WaterState()
        self._built = Section(self.furnishing.make)
        self._placed = Section(self.furnishing.place)
        self._moved: Section[MovedInputs, list[embree.Scene]] = Section(self.furnishing.move)
        self._sea = Section(make_sea)
        self._plants: Section[PlantsInputs, tuple[dict[str, Part], list[embree.Scene]]]
        self._plants = Section(lambda inputs: self.stands.parts(inputs.sway))
        self._lamps = Section(self.furnishing.light)
        self._banks = Section(make_banks)
        self._weather = Weathering()
        self._daylight = Section(make_daylight)
        self._top: Section[TopInputs, embree.Scene] = Section(lambda inputs: embree.placed(*inputs.placed()))
        self._cached_lattice = ("", NO_CLOUD_LATTICE)
        self._targets: dict[str, Part] = {}
        self.things: list[str] = []
        self.surfaces: list[str] = []
        with ENGINE:
            self._take_on(setting.still())

    @property
    def sheet(self) -> Sheet:
        return self._sheet.made

    @property
    def clear(self) -> ClearSky:
        """The sky above the fog."""
        return self._daylight.made.clear

    @property
    def light(self) -> Lighting:
        """The sky's light as surfaces get it."""
        return self._daylight.made.light

    @property
    def notes(self) -> list[str]:
        return [*self._daylight.made.notes, *self.furnishing.notes]

    def parts(self) -> dict[str, Part]:
        """Its parts by name, in the order of the kernel's rows, which is the same whatever was set before."""
        named = {
            **self._land.made.parts,
            **self._ridges.made,
            **(self._relief.made[0] if self._relief.key else {}),
            **self._sheet.made.parts,
            **self._water.parts,
            **self.furnishing.parts,
            **self.furnishing.lamp_parts,
            **(self._plants.made[0] if self._plants.key else {}),
            **self._targets,
        }
        return dict(sorted(named.items()))

    @alone
    def change(self, setting: Setting) -> None:
        """Take an edited place on; only what the edit touched is made again."""
        self.setting = setting
        self._take_on(setting.still())

    def _take_on(self, shown: Setting) -> None:
        """Make what stands still until it is edited or keyed: ground, built things, stands."""
        self.standing = shown
        place = shown.place
        level = place.sea.level if place.sea.present else None
        reach = most(self.setting.place.sea.tide_range)
        land = self._land.of(LandInputs(shown.ground, place.land, level, reach, tuple(place.ways)))
        self._ridges.of(RidgesInputs(tuple(place.ridges), land, place.site.north_turn))
        self._sheet.of(SheetInputs(land, round(place.sea.surface / LAID) * LAID if place.sea.present else None))
        self._built.of(BuiltInputs.of(shown, land))
        laid, level_ground = list(planted(shown)), (*area_shapes(shown), *films_of(shown))
        self._clear = digest([shapely.to_wkt(one) for one in level_ground]), level_ground
        self._litter.of(LitterInputs.of(land, place.land.litter, laid))
        self.stands.make(laid, land, self.furnishing.grown)

    def _show(self, snapshot: Snapshot) -> list[embree.Scene]:
        """Turn to an instant; ground, things and stands are looked at again only if something of them is another than
        before. Returns the scenes of moving models that must be committed."""
        before, now = self.standing.place, snapshot.place
        self.snapshot = snapshot
        if any(getattr(before, name) is not getattr(now, name) for name in STANDING):
            self._take_on(replace(self.standing, place=now, memory=Memory()))
        self._placed.of(PlacedInputs.of(snapshot, self._built.key))
        posed = self._moved.of(MovedInputs(snapshot.played, self._built.key))
        return posed if self._moved.fresh else []

    # -- what moves ---------------------------------------------------------------------------------------

    @alone
    def set(self, snapshot: Snapshot, eye: NDArray[np.float64] | None = None) -> None:
        """Move everything to an instant.

        Parameters
        ----------
        eye : ndarray, shape (3,) [m]
            From where plants choose their forms, if not from the camera: while a shutter is open they keep them.
        """
        self.stood = (snapshot, eye)
        embree.commit_all(self._move(snapshot, eye))
        self._light_up(snapshot)

    @alone
    def set_geometry_only(self, snapshot: Snapshot, eye: NDArray[np.float64] | None = None) -> None:
        """Move everything to an instant to be read off (`parts`) and not to be traced: that is for `set`, which makes
        all of it anew next time."""
        self._move(snapshot, eye)
        for section in (self._sea, self._relief, self._plants, self._moved, self._top):
            section.invalidate()

    def _move(self, snapshot: Snapshot, eye: NDArray[np.float64] | None) -> list[embree.Scene]:
        """Move waves, plants and models; the scenes that must be committed."""
        posed = self._show(snapshot)
        sea = self._sea.of(SeaInputs(snapshot.sea, snapshot.t, snapshot.loop, snapshot.place.sea, self.sheet))
        self._water.set(self.standing, snapshot, self.sheet, self._sea)
        built = self._built.key if self.furnishing.grown else ""
        standing = tuple((one.key + built * bool(one.stand.own), one.motion_key) for one in self.stands.stand_states)
        _, bent = self._plants.of(PlantsInputs(standing, Sway.of(snapshot, eye)))
        seen_from = np.asarray(snapshot.camera.position if eye is None else eye, float)
        land, clear = self._land.made, self._clear
        self._relief.of(
            ReliefInputs(land, self._litter.key, near(land, seen_from), clear[0], clear[1], self._litter.made)
        )
        raised = self._relief.made[1] if self._relief.fresh else []
        return [*posed, *raised, *(sea.raised if self._sea.fresh else ()), *(bent if self._plants.fresh else ())]

    @alone
    def set_view_and_light(self, snapshot: Snapshot) -> None:
        """Set the camera and the light alone; plants and waves stay as they were, for a first coarse picture at
        once."""
        if not self._plants.key:
            self.set(snapshot)
            return
        embree.commit_all(self._show(snapshot))
        self._light_up(snapshot)

    def _light_up(self, snap: Snapshot) -> None:
        """Set the sky, the lamps and what glows, and lay everything out for the kernel."""
        inputs = DaylightInputs.of(snap, self.standing.place, self.setting.read)
        self._daylight.of(inputs)
        self._toward = inputs.toward
        placed = (self._placed.key, self._moved.key)
        self._lamps.of(LampInputs(snap.lamps, snap.surfaces, placed, snap.gaps, snap.sun_gobo, snap.gobo_t))
        self._assemble()

    def _assemble(self) -> None:
        """Place the parts in the top scene, and lay out the arrays the kernel reads.

        The scene is made anew when a part was moved or replaced, not for a turn of the camera or another sun.
        """
        named = self.parts()
        parts = list(named.values())
        made = tuple(
            s.key
            for s in (
                self._land,
                self._ridges,
                self._relief,
                self._water.inland,
                self._built,
                self._placed,
                self._moved,
                self._plants,
                self._sea,
                self._lamps,
            )
        )
        top = self._top.of(TopInputs(made, tuple(named), tuple(parts)))
        table, self.things, self.surfaces = numbered(parts)
        light = self._daylight.made
        row, surface, plant = materials_of(parts)
        self.world = World(
            geometry_of(parts, top, table, row),
            self._materials(surface, plant),
            self._ground(),
            self._water.laid_out(self._sea.made, self._daylight.made),
            self._air(),
            Lights(
                sky=light.clear.table.astype(np.float32),
                lit_sky=light.light.table.astype(np.float32),
                panorama=light.panorama,
                sky_pick=light.light.pick,
                sky_pmf=light.light.pmf,
                sun=self._sun(),
                lamp=self.furnishing.lamp,
                emitter=self.furnishing.emitter,
                gobo=self.furnishing.gobo,
                portal=self.furnishing.portal,
                night=light.night.record,
                moon_face=light.night.face,
                star=light.night.stars,
                star_first=light.night.first,
                galaxy=light.night.galaxy,
            ),
        )

    def _air(self) -> Air:
        """Haze, fog, clouds, banks of fog, and what falls."""
        light, snap = self._daylight.made, self.snapshot
        sun = light.clear.sun_lux * max(float(snap.key_direction[2]), 0.0)
        beam = light.clear.sun_lux * light.light.sun_through_fog
        ambient = (light.light.sky_lux + 0.6 * sun * light.clouds.sun) / np.pi * WHITE_FOG
        falls = self._weather.make(
            snap.showers,
            snap.weather.fog_extinction,
            snap.camera,
            (snap.t, snap.loop, snap.open_for),
            ("".join(s.key for s in (self._land, self._built, self._placed, self._moved)), int(self._top.made.handle)),
            WeatherLight(light.light.sky_lux, sun * light.clouds.sun, self.furnishing.lamp),
        )
        banks = self._banks.of(BanksInputs(self.standing.ground, tuple(one.bank for one in snap.banks)))
        return Air(
            haze=light.haze,
            fog=light.light.fog,
            cloud=light.clouds.record,
            deck=light.clouds.grid,
            bank=bank_record(banks, snap.banks, BankLight(beam, ambient)),
            mist=banks.mist,
            weather=falls.record,
            roof=falls.roof,
            drop=falls.drop,
            drop_first=falls.first,
        )

    def cloud_lattice(
        self, size: tuple[int, int], eye: Camera | None = None, window: Window | None = None
    ) -> CloudLattice:
        """A lattice for the clouds that an eye sees, or the snapshot's camera; kept as long as eye, film and clouds are
        the same."""
        eye, shown = eye or self.snapshot.camera, window or Window(*size)
        if self._daylight.made.clouds is NONE or eye.around:
            return NO_CLOUD_LATTICE
        axes = [np.ascontiguousarray(v, float) for v in (eye.position, *eye.axes(), eye.forward)]
        tan_x = eye.lens.tangent * (1 + 2 * shown.overscan)
        key = digest(self._daylight.key, *axes, tan_x, (shown.width, shown.height, shown.left, shown.top), size)
        if self._cached_lattice[0] != key:
            self._cached_lattice = (key, lattice(axes, tan_x, shown, size))
        return self._cached_lattice[1]

    def _materials(self, surface: NDArray[np.void], plant: NDArray[np.void]) -> Materials:
        furnishing = self.furnishing
        return Materials(
            surface=surface,
            plant=plant,
            corner=furnishing.corner,
            texture=furnishing.texture,
            texture_where=furnishing.texture_where,
            code_to_linear=CODE_TO_LINEAR,
            gloss_albedo=albedo_table(),
        )

    def _ground(self) -> Land:
        land, g = self._land.made, self._land.made.ground
        return Land(
            normals=land.normals,
            albedo=self._litter.made,
            heights=land.heights,
            open_water=self.sheet.open_water,
            grid=np.array([(g.west, g.south, g.spacing, GRAIN)], records.GRID),
        )

    def _sun(self) -> NDArray[np.void]:
        """The sun's record; directions of the sky are told from its azimuth, those of a picture from its middle."""
        place, key, d = self.standing.place, self.snapshot.key, self._toward
        across = np.cross(d, [0.0, 0.0, 1.0] if abs(d[2]) < 0.99 else [1.0, 0.0, 0.0])
        across /= np.linalg.norm(across)
        azimuth = np.arctan2(d[0], d[1])
        if place.surround.picture is not None:
            azimuth = np.radians(place.surround.turn + place.site.north_turn)
        sun = np.zeros(1, records.SUN)
        sun["direction"], sun["azimuth"], sun["across"], sun["up"] = d, azimuth, across, np.cross(across, d)
        sun["illuminance"] = self.clear.sun_lux if d[2] > SUN_GONE else 0.0
        wide = self.snapshot.sun_width / 2
        if key.by_moon and self.snapshot.moon is not None:
            wide, sun["by_moon"] = self.snapshot.moon.radius_deg * float(self.snapshot.heavens.moon_size), 1.0
        sun["tan_radius"] = np.tan(np.radians(wide))
        sun["flat"] = 1.0 if key.by_moon else flattened(float(self.snapshot.sun.true_elevation))
        seen = place.surround
        sun["far"], sun["centre"] = seen.away, (seen.east, seen.north, seen.up)
        sun["gobo"] = self.furnishing.sun_thrown
        gobo = self.snapshot.sun_gobo
        if gobo is not None:
            # seen along its light: the horizon's right, and up, turned clockwise
            right, up = -across, np.cross(across, d)
            a = np.radians(gobo.turn)
            right, up = np.cos(a) * right - np.sin(a) * up, np.cos(a) * up + np.sin(a) * right
            sun["gobo_at"] = np.array([gobo.east, gobo.north, gobo.up]) + gobo.far * d
            sun["gobo_a"], sun["gobo_b"] = right * 2 / gobo.size, up * 2 / gobo.size
        return sun

    def add_target(
        self,
        name: str,
        vertices: NDArray[np.float32],
        faces: NDArray[np.uint32],
        colour: tuple[float, float, float] = (0.0, 0.0, 0.0),
        material: NDArray[np.void] | None = None,
    ) -> None:
        """Set up a plain matt test target, such as a grey card, or one of another look (it stays until the stage is
        dropped)."""
        material = plain_material(colour) if material is None else material
        mask = ray_mask(material)
        scene = embree.still_scene(vertices, faces, mask)
        self._top.reset()
        self._targets[f"target {name}"] = Part(
            MODEL, scene, material=material, mask=mask, thing=name, surfaces=(name,) * 4
        )

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
            self._water.port(a),
        )
