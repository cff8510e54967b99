"""Built things, models and lamps on the stage, with the surfaces they have."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.floors import mesh_of, model_of
from lumwick.built.gaps import Gap
from lumwick.built.gltf_motion import Moving
from lumwick.built.lamps import LampLight
from lumwick.built.meshes import MeshPart
from lumwick.built.timber import Timber, build
from lumwick.disk_cache import cached, digest
from lumwick.errors import PlaceError
from lumwick.growth.custom_plant import pieces
from lumwick.growth.kinds.form import LEVELS, Form
from lumwick.land.ground import Ground
from lumwick.motion.colour import from_hex, to_linear
from lumwick.place.growing import OwnPlant
from lumwick.place.objects import Built, SunGobo, Surface, Thing
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.snapshot.transforms import moving_of, phases
from lumwick.trace import embree, lamps
from lumwick.trace.corners import corners
from lumwick.trace.lamp_list import NO_GOBO, LampList, Thrown
from lumwick.trace.materials import Read, Textures, mean_of, mesh_material, ray_mask, surface_material
from lumwick.trace.part import Part, matt_material
from lumwick.trace.records import CORNER, EMITTER, LAMP, PORTAL
from lumwick.trace.sections.land import LandMade
from lumwick.trace.textures import packed
from lumwick.trace.world import MODEL, TIMBER

PLACED: dict[str, Any] = {
    **dict.fromkeys(("east", "north", "up", "turn", "tilt", "lean", "scale"), 0.0),
    "copies": None,
    "held": "",
    "rolls": False,
    "floats": False,
    "plays": None,
}
"""What sets a model down, and leaves its form as it is."""
UNLIT = {"glow": 0.0, "wet": 0.0, "glow_colour": "#000000"}
"""Surfaces as they are built: how they glow and whether they are wet is set at every instant."""
DARK_TIMBER, BOAT_PAINT = (0.27, 0.235, 0.19), (0.16, 0.20, 0.22)


@dataclass(frozen=True)
class BuiltInputs:
    """What is built and brought in, whatever it glows and wherever it is set down; and the ground it stands on."""

    built: tuple[Built, ...]
    things: tuple[Thing, ...]
    surfaces: tuple[Surface, ...]
    land: LandMade
    moving: dict[str, int]
    """In how many poses at once each model stands that moves by itself."""
    grown: dict[str, tuple[OwnPlant, float, int]]
    """What the plants of stands are that have models of their own, how high [m], and their seeds."""
    read: Read = field(compare=False)

    @classmethod
    def of(cls, setting: Setting, land: LandMade) -> BuiltInputs:
        place = setting.place
        return cls(
            tuple(place.built),
            tuple(thing.model_copy(update=PLACED) for thing in place.things),
            tuple(surface.model_copy(update=UNLIT) for surface in place.surfaces),
            land,
            {x.id: len(phases(x)[0]) for x in place.things if x.plays is not None and x.mesh is not None},
            {x.id: (x.own, float(x.height), x.seed) for x in place.growth if x.own is not None},
            setting.read,
        )


@dataclass(frozen=True)
class PlacedInputs:
    """Where each model and its copies stand, and which pose each has; ``built`` is the key of what is built."""

    stood: dict[str, NDArray[np.float64]]
    poses: dict[str, NDArray[np.int64]]
    built: str

    @classmethod
    def of(cls, snapshot: Snapshot, built: str) -> PlacedInputs:
        poses = {x.id: phases(x)[1] for x in snapshot.place.things if x.id in snapshot.played}
        return cls(snapshot.stood, poses, built)


@dataclass(frozen=True)
class MovedInputs:
    """Which motion each moving model plays, and where in it its poses are [s]."""

    played: dict[str, Any]
    built: str


@dataclass(frozen=True)
class LampInputs:
    """Lamps, and how surfaces glow and are wet (`Snapshot.surfaces`); ``placed`` is the key of where things stand."""

    lamps: tuple[LampLight, ...]
    surfaces: dict[str, tuple[float, float, str]]
    placed: tuple[str, ...]
    gaps: tuple[Gap, ...] = ()
    sun_gobo: SunGobo | None = None
    gobo_t: tuple[float, float | None] = (0.0, None)


@dataclass(frozen=True)
class Bendable:
    """A part of a moving model in one of its poses: where its vertices lie, and its first row of normals, or -1."""

    part: int
    pose: int
    vertices: NDArray[np.float32]
    geometry: embree.Geometry
    scene: embree.Scene
    first: int


@dataclass(frozen=True)
class GrownPiece:
    """A part of a plant of one's own model: the model's, its form, how it looks, which rays meet it, whether it is
    leaves, and its mean colour."""

    part: MeshPart
    form: Form
    material: NDArray[np.void]
    mask: int
    leafy: bool
    mean: NDArray[np.float64]


Grown = dict[str, list[list[GrownPiece]]]
"""The parts of plants of one's own models, by stand and level."""


def _still_or_moving(
    vertices: NDArray[np.float32], part: MeshPart, mask: int, moves: bool
) -> tuple[embree.Geometry, embree.Scene]:
    triangles = np.ascontiguousarray(part.triangles)
    if moves:
        geometry = embree.mesh(vertices, triangles, mask, embree.REFIT)
        scene = embree.Scene(robust=True, dynamic=True, quality=embree.LOW)
    else:
        geometry, scene = embree.mesh(vertices, triangles, mask), embree.Scene(robust=True)
    scene.attach(0, geometry)
    scene.commit()
    return geometry, scene


class _Made:
    """Parts of models as they are made, one after another."""

    def __init__(
        self, surfaces: dict[str, Surface], materials: dict[str, NDArray[np.void]], textures: Textures
    ) -> None:
        self.surfaces, self.materials, self.textures = surfaces, materials, textures
        self.parts: dict[str, Part] = {}
        self.notes: list[str] = []
        self.rows: list[NDArray[np.void]] = []
        self.moving: dict[str, tuple[Moving, list[Bendable]]] = {}
        self.grown: Grown = {}

    def plant(self, read: Read, stand: str, own: OwnPlant, height: float, seed: int) -> None:
        """Add the parts of a stand's plants, which are a model of one's own."""
        mesh = mesh_of(read, own)
        self.notes += [f"{own.mesh.name}: {note}" for note in mesh.notes]
        self.grown[stand] = []
        for level in range(LEVELS):
            self.grown[stand].append([])
            for piece in pieces(mesh, own, height, seed, level):
                surface = piece.part.surface
                material = mesh_material(surface, self.textures)
                mean = np.array(material["base"]) * mean_of(surface)
                if piece.leafy:
                    material["translucency"] = own.through * material["base"]
                    material["base"] *= 1 - own.through
                material["corners"] = self._rows(piece.part, material)
                self.grown[stand][level].append(
                    GrownPiece(piece.part, piece.form, material, ray_mask(material), piece.leafy, mean)
                )

    def _rows(self, part: MeshPart, material: NDArray[np.void]) -> int:
        """Add what a part's corners have besides their places; the first row, or -1 if they have nothing."""
        corner = corners(part)
        if corner is None:
            return -1
        if part.uv is None:
            material["boxed"] = 1.0
        first = sum(map(len, self.rows))
        self.rows.append(corner)
        return first

    def model(self, read: Read, thing: Thing, poses: int) -> None:
        """Add a model's parts: once, or in each of its poses if it moves."""
        mesh = model_of(read, thing)
        self.notes += [f"{thing.name}: {note}" for note in mesh.notes]
        dressed = {(one.of, one.part): one for one in thing.dressed}
        if poses:
            self.moving[thing.id] = moving_of(read, thing), []
        for k, part in enumerate(mesh.parts):
            other = dressed.get(("part", part.node)) or dressed.get(("surface", part.surface.name))
            if other is not None and other.hidden:
                continue
            glazed = thing.shape is not None and k > 0  # its panes stay so, whatever its walls are made of
            worn = (other.surface if other is not None else "") or ("" if glazed else thing.surface)
            self._part(thing, k, part, worn, poses)

    def _part(self, thing: Thing, k: int, part: MeshPart, worn: str, poses: int) -> None:
        own = self.surfaces.get(worn)
        row = self.materials[own.id].copy() if own else mesh_material(part.surface, self.textures)
        row["toned"] = 0.0
        corner = corners(part)
        if corner is not None and part.uv is None:
            row["boxed"] = 1.0
        mask, first = ray_mask(row), -1
        for pose in range(max(poses, 1)):
            material = row.copy()
            if corner is not None and (pose == 0 or part.normals is not None):
                first = sum(map(len, self.rows))
                self.rows.append(corner.copy() if pose else corner)
            material["corners"] = first
            vertices = embree.padded(part.vertices)
            geometry, scene = _still_or_moving(vertices, part, mask, bool(poses))
            names = (own.name if own else part.surface.name,) * 4
            self.parts[f"thing {thing.id} {k}" + (f" {pose}" if poses else "")] = Part(
                MODEL, scene, material=material, mask=mask, thing=thing.name, surfaces=names, surface=worn
            )
            if poses:
                normals = first if part.normals is not None else -1
                self.moving[thing.id][1].append(Bendable(k, pose, vertices, geometry, scene, normals))


class Furnishing:
    """What is built and set down in a place: its parts, textures and lamps."""

    def __init__(self) -> None:
        self.parts: dict[str, Part] = {}
        self.lamp_parts: dict[str, Part] = {}
        self.corner = np.zeros(1, CORNER)
        self.texture, self.texture_where = packed([])
        self.notes: list[str] = []
        self.lamp, self.emitter = np.zeros(0, LAMP), np.zeros(1, EMITTER)
        self.gobo, self.sun_thrown = NO_GOBO, -1
        self.portal = np.zeros(0, PORTAL)
        self._gobos: Thrown = {}
        self._moving: dict[str, tuple[Moving, list[Bendable]]] = {}
        self.grown: Grown = {}

    def make(self, inputs: BuiltInputs) -> None:
        """Build everything anew.

        Raises
        ------
        PlaceError, RenderError
            A file cannot be used; what was there stays.
        """
        textures = Textures()
        surfaces = {surface.id: surface for surface in inputs.surfaces}
        materials = {name: surface_material(inputs.read, surface, textures) for name, surface in surfaces.items()}
        made = _Made(surfaces, materials, textures)
        for built in inputs.built:
            made.parts[f"built {built.id}"] = _timber(inputs.land.ground, built, surfaces, materials)
        for thing in inputs.things:
            made.model(inputs.read, thing, inputs.moving.get(thing.id, 0))
        for stand, (own, height, seed) in inputs.grown.items():
            made.plant(inputs.read, stand, own, height, seed)
        kept = textures.kept
        self.parts, self.notes, self._moving = made.parts, made.notes + textures.notes, made.moving
        self.grown = made.grown
        self._read = inputs.read
        self.corner = np.concatenate(made.rows) if made.rows else np.zeros(1, CORNER)
        self.texture, self.texture_where = packed(kept)

    def place(self, inputs: PlacedInputs) -> None:
        """Set models down where they stand."""
        for name, part in self.parts.items():
            if not name.startswith("thing "):
                continue
            _, thing, _, *pose = name.split(" ")
            if thing not in inputs.stood:
                continue
            placed = inputs.stood[thing]
            if pose:
                placed = placed[inputs.poses[thing] == int(pose[0])]
            part.transforms = placed.transpose(0, 2, 1).reshape(len(placed), 12).astype(np.float32)
            part.shade = np.zeros(len(placed), np.float32)

    def move(self, inputs: MovedInputs) -> list[embree.Scene]:
        """Pose the models that move by themselves; returns the scenes that must be committed."""
        out = []
        for thing, (number, times) in inputs.played.items():
            model, bendable = self._moving[thing]
            posed = [model.posed(number, t) for t in times]
            for one in bendable:
                vertices, normals = posed[one.pose][one.part]
                one.vertices[:] = vertices
                one.geometry.moved()
                out.append(one.scene)
                if normals is not None and one.first >= 0:
                    self.corner["normal"][one.first : one.first + len(normals)] = normals
        return out

    def light(self, inputs: LampInputs) -> None:
        """Set glow, wetness and lamps to an instant."""
        lit = LampList(self._read, self._gobos)
        for lamp in inputs.lamps:
            if lamp.amount > 0 and lamp.kind != "window":
                lit.add(lamp)
        self.lamp_parts = lit.parts
        self.sun_thrown = -1
        if inputs.sun_gobo is not None:
            self.sun_thrown = lit.through(inputs.sun_gobo, *inputs.gobo_t)
        for name, part in self.parts.items():
            if part.kind != MODEL:
                continue
            if part.surface in inputs.surfaces:
                glow, part.material["wet"], colour = inputs.surfaces[part.surface]
                part.material["emission"] = glow * from_hex(colour)
            part.material["lamp"] = -1
            if part.material["emission"].any() and name.startswith("thing "):
                lit.glowing(part, part.material["emission"] * self._mean_glow(part))
        self.portal = np.stack([lamps.portal(g) for g in inputs.gaps]) if inputs.gaps else np.zeros(0, PORTAL)
        self.lamp, self.emitter, self.gobo = lit.arrays()

    def _mean_glow(self, part: Part) -> NDArray[np.float64]:
        """Mean of a glow texture: a lamp samples its surface as if it shone evenly."""
        number = int(part.material["emission_map"])
        if number < 0:
            return np.ones(3)
        where = self.texture_where[number]
        last = int(where[3 + where[2]])
        return to_linear(self.texture[last : last + 3] / 255.0)


def _timber(ground: Ground, built: Built, surfaces: dict[str, Surface], materials: dict[str, NDArray[np.void]]) -> Part:
    timber = Timber(
        **cached(
            "timber",
            digest(built.model_copy(update={"name": "", "surface": ""}), ground.fingerprint),
            lambda: dict(vars(build(built, ground))),
        )
    )

    def scene(mask: int = embree.MASK_SOLID) -> embree.Scene:
        made = embree.Scene()
        made.attach(0, embree.mesh(embree.padded(timber.vertices), np.ascontiguousarray(timber.quads), mask))
        made.commit()
        return made

    if not built.surface:
        return Part(
            TIMBER,
            scene(),
            material=matt_material(BOAT_PAINT if built.kind == "boat" else DARK_TIMBER),
            tone=timber.tone,
            thing=built.name,
            surfaces=("timber",) * 4,
        )
    if built.surface not in surfaces:
        raise PlaceError(f"{built.name} has a surface that this place does not have.")
    material = materials[built.surface].copy()
    material["boxed"], material["corners"] = 1.0, -1
    mask = ray_mask(material)
    return Part(
        MODEL,
        scene(mask),
        material=material,
        tone=timber.tone,
        thing=built.name,
        surfaces=(surfaces[built.surface].name,) * 4,
        surface=built.surface,
        mask=mask,
    )


def numbered(parts: list[Part]) -> tuple[NDArray[np.int32], list[str], list[str]]:
    """Numbers of things and surfaces for the kernel, shape (n, 8), and their names; number 1 is the first name."""
    things = {name: k + 1 for k, name in enumerate(dict.fromkeys(p.thing for p in parts))}
    surfaces = {
        name: k + 1 for k, name in enumerate(dict.fromkeys(itertools.chain.from_iterable(p.surfaces for p in parts)))
    }
    table = np.array([[things[p.thing]] * 4 + [surfaces[s] for s in p.surfaces] for p in parts], np.int32)
    return table, list(things), list(surfaces)
