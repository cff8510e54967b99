"""Built things, models and lamps on the stage, with the surfaces they have."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.floors import model_of
from lumwick.built.gaps import Gap
from lumwick.built.gltf_motion import Moving
from lumwick.built.gobos import passed
from lumwick.built.ies import read_ies
from lumwick.built.lamps import LampLight
from lumwick.built.meshes import MeshPart, MeshSurface
from lumwick.built.timber import Timber, build
from lumwick.errors import PlaceError
from lumwick.keep import cached, digest
from lumwick.land.ground import Ground
from lumwick.motion.colour import from_hex, to_linear
from lumwick.place.fields import Asset
from lumwick.place.objects import Built, Gobo, SunGobo, Surface, Thing
from lumwick.snapshot.evaluate import Setting, Snapshot
from lumwick.snapshot.standing import moving_of, phases
from lumwick.trace import embree, lamps
from lumwick.trace.corners import corners
from lumwick.trace.part import Part, plain_look
from lumwick.trace.patterns import NAMES, NONE
from lumwick.trace.records import CORNER, EMITTER, LAMP, PORTAL, SURFACE
from lumwick.trace.sections.land import LandMade
from lumwick.trace.textures import COLOUR, DATA, NORMAL, Pyramid, packed, pyramid, read_image
from lumwick.trace.world import MODEL, TIMBER

PLACED: dict[str, Any] = {
    **dict.fromkeys(("east", "north", "up", "turn", "tilt", "lean", "scale"), 0.0),
    "copies": None,
    "held": "",
    "rolls": False,
    "plays": None,
}
"""What sets a model down, and leaves its form as it is."""
UNLIT = {"glow": 0.0, "wet": 0.0, "glow_colour": "#000000"}
"""Surfaces as they are built: how they glow and whether they are wet is set at every instant."""
Read = Callable[[Asset], bytes]
DARK_TIMBER, BOAT_PAINT = (0.27, 0.235, 0.19), (0.16, 0.20, 0.22)


def plain_material(colour: Any = (0.5, 0.5, 0.5), roughness: float = 1.0) -> NDArray[np.void]:
    """The look of a model of one colour, without gloss if ``roughness`` is 1: refraction 1 reflects nothing."""
    look = np.zeros((), SURFACE)
    look["base"] = colour
    look["roughness"], look["ior"], look["scale"], look["normal_scale"] = (
        roughness,
        1.0 if roughness >= 1 else 1.5,
        1.0,
        1.0,
    )
    for name in ("base_map", "normal_map", "rough_map", "emission_map", "corners", "lamp"):
        look[name] = -1
    return look


def ray_mask(look: NDArray[np.void]) -> int:
    """Which rays meet a model of this look; its mesh and its placement must both have it."""
    return (
        embree.MASK_CLEAR
        if look["transmission"] > 0
        else (embree.MASK_CUT if look["cutoff"] > 0 else embree.MASK_SOLID)
    )


class Textures:
    """The textures of a stage, each kept once."""

    def __init__(self) -> None:
        self.kept: list[Pyramid] = []
        self._numbers: dict[Any, int] = {}
        self.notes: list[str] = []

    def number(self, key: Any, holds: int, pixels: Any) -> int:
        """The number of a texture; ``pixels`` is called for its RGBA codes (0 to 1) if it is new."""
        key = (key, holds)
        if key not in self._numbers:
            self._numbers[key] = len(self.kept)
            self.kept.append(pyramid(pixels(), holds))
        return self._numbers[key]

    def image(self, read: Read, asset: Asset) -> NDArray[np.float64]:
        pixels, note = read_image(read(asset), asset.name)
        if note and note not in self.notes:
            self.notes.append(note)
        return pixels


def _fitted(image: NDArray[np.float64], like: NDArray[np.float64]) -> NDArray[np.float64]:
    """The nearest pixels of an image on another's grid."""
    h, w = like.shape[:2]
    return np.asarray(image[(np.arange(h) * image.shape[0] // h)[:, None], (np.arange(w) * image.shape[1] // w)[None]])


def surface_look(read: Read, surface: Surface, textures: Textures) -> NDArray[np.void]:
    """A surface's row for the kernel; glow and wetness are set at each instant."""
    look = plain_material(from_hex(surface.colour), min(surface.roughness, 0.9999))
    look["second"] = from_hex(surface.second)
    look["metalness"], look["coat"], look["coat_roughness"] = surface.metalness, surface.coat, surface.coat_roughness
    look["transmission"], look["ior"], look["thin"] = surface.clear, surface.refraction, float(surface.pane)
    look["absorption"] = surface.depth_tint * (1 - look["base"])
    look["translucency"] = surface.through * look["base"]
    look["base"] *= 1 - surface.through
    look["cutoff"], look["pattern"], look["scale"] = surface.cut, NAMES.index(surface.pattern), surface.scale
    look["relief"] = look["normal_scale"] = surface.relief
    look["turn"], look["boxed"] = np.radians(surface.turn), float(surface.boxed)
    look["offset"] = surface.shift_u, surface.shift_v
    look["toned"] = 1.0 if look["pattern"] == NONE else 0.0

    def colour() -> NDArray[np.float64]:
        assert surface.colour_map or surface.opacity_map
        if surface.colour_map is None:
            assert surface.opacity_map is not None
            opacity = textures.image(read, surface.opacity_map)
            return np.concatenate([np.ones_like(opacity[..., :3]), opacity[..., :1]], -1)
        image = textures.image(read, surface.colour_map)
        if surface.opacity_map is not None:
            image = np.concatenate(
                [image[..., :3], _fitted(textures.image(read, surface.opacity_map), image)[..., :1]], -1
            )
        return image

    def rough() -> NDArray[np.float64]:
        first = textures.image(read, surface.rough_map or surface.metal_map)  # type: ignore[arg-type]
        out = np.ones_like(first)
        if surface.rough_map is not None:
            out[..., 1] = first[..., 0]
        if surface.metal_map is not None:
            out[..., 2] = _fitted(textures.image(read, surface.metal_map), first)[..., 0]
        return out

    def sha(*assets: Asset | None) -> tuple[str, ...]:
        return tuple(a.sha256 if a else "" for a in assets)

    if surface.colour_map or surface.opacity_map:
        look["base_map"] = textures.number(sha(surface.colour_map, surface.opacity_map), COLOUR, colour)
    else:
        look["cutoff"] = 0.0  # there is no opacity to cut by
    if surface.normal_map:
        normal_map = surface.normal_map
        look["normal_map"] = textures.number(sha(normal_map), NORMAL, lambda: textures.image(read, normal_map))
    if surface.rough_map or surface.metal_map:
        look["rough_map"] = textures.number(sha(surface.rough_map, surface.metal_map), DATA, rough)
    if surface.glow_map:
        glow_map = surface.glow_map
        look["emission_map"] = textures.number(sha(glow_map), COLOUR, lambda: textures.image(read, glow_map))
    return look


def mesh_look(own: MeshSurface, textures: Textures) -> NDArray[np.void]:
    """The row of a surface that came with a model."""
    look = plain_material(own.colour, min(own.roughness, 0.9999))
    look["metalness"], look["emission"], look["cutoff"] = (
        own.metalness,
        own.glow,
        own.cutoff if own.colour_map is not None else 0.0,
    )
    look["transmission"], look["thin"], look["relief"] = own.clear, float(own.thin), 1.0
    look["absorption"], look["coat"], look["coat_roughness"] = own.absorption, own.coat, own.coat_roughness
    if look["ior"] > 1:  # a matt surface without gloss keeps none
        look["ior"] = own.refraction
    for where, holds, image in (
        ("base_map", COLOUR, own.colour_map),
        ("normal_map", NORMAL, own.normal_map),
        ("rough_map", DATA, own.rough_map),
        ("emission_map", COLOUR, own.glow_map),
    ):
        if image is not None:
            look[where] = textures.number(id(image), holds, lambda image=image: image)
    return look


@dataclass(frozen=True)
class BuiltInputs:
    """What is built and brought in, whatever it glows and wherever it is set down; and the ground it stands on."""

    built: tuple[Built, ...]
    things: tuple[Thing, ...]
    surfaces: tuple[Surface, ...]
    land: LandMade
    moving: dict[str, int]
    """In how many poses at once each model stands that moves by itself."""
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


GOBOS_KEPT = 32
NO_GOBO = np.ones((1, 1, 1, 3), np.float32)
EMITTERS_AT_MOST = 200_000
"""Triangles of a glowing model and its copies that light others as a lamp."""


@dataclass(frozen=True)
class Bendable:
    """A part of a moving model in one of its poses: where its vertices lie, and its first row of normals, or -1."""

    part: int
    pose: int
    vertices: NDArray[np.float32]
    geometry: embree.Geometry
    scene: embree.Scene
    first: int


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
        self._gobos: dict[tuple[str, float, float | None], NDArray[np.float32]] = {}

    def make(self, inputs: BuiltInputs) -> None:
        """Build everything anew.

        Raises
        ------
        PlaceError, RenderError
            A file cannot be used; what was there stays.
        """
        textures, notes = Textures(), []
        self._moving: dict[str, tuple[Moving, list[Bendable]]] = {}
        surfaces = {surface.id: surface for surface in inputs.surfaces}
        looks = {name: surface_look(inputs.read, surface, textures) for name, surface in surfaces.items()}
        parts: dict[str, Part] = {}
        rows: list[NDArray[np.void]] = []
        start = 0
        for built in inputs.built:
            parts[f"built {built.id}"] = _timber(inputs.land.ground, built, surfaces, looks)
        for thing in inputs.things:
            mesh = model_of(inputs.read, thing)
            notes += [f"{thing.name}: {note}" for note in mesh.notes]
            dressed = {one.part: one for one in thing.dressed}
            poses = inputs.moving.get(thing.id, 0)
            if poses:
                self._moving[thing.id] = moving_of(inputs.read, thing), []
            for k, part in enumerate(mesh.parts):
                other = dressed.get(part.surface.name)
                if other is not None and other.hidden:
                    continue
                glazed = thing.shape is not None and k > 0  # its panes stay so, whatever its walls are made of
                worn = (other.surface if other is not None else "") or ("" if glazed else thing.surface)
                own = surfaces.get(worn)
                plain_row = looks[own.id].copy() if own else mesh_look(part.surface, textures)
                plain_row["toned"] = 0.0
                corner = corners(part)
                if corner is not None and part.uv is None:
                    plain_row["boxed"] = 1.0
                mask, first_corner = ray_mask(plain_row), -1
                for pose in range(max(poses, 1)):
                    look = plain_row.copy()
                    if corner is not None and (pose == 0 or part.normals is not None):
                        first_corner = start
                        rows.append(corner.copy() if pose else corner)
                        start += len(corner)
                    look["corners"] = first_corner
                    vertices = embree.padded(part.vertices)
                    geometry, scene = _still_or_moving(vertices, part, mask, bool(poses))
                    name = f"thing {thing.id} {k}" + (f" {pose}" if poses else "")
                    parts[name] = Part(
                        MODEL,
                        scene,
                        look=look,
                        mask=mask,
                        thing=thing.name,
                        surfaces=(own.name if own else part.surface.name,) * 4,
                        surface=worn,
                    )
                    if poses:
                        first = first_corner if part.normals is not None else -1
                        self._moving[thing.id][1].append(Bendable(k, pose, vertices, geometry, scene, first))
        self.parts, self.notes = parts, notes + textures.notes
        self._read = inputs.read
        self.corner = np.concatenate(rows) if rows else np.zeros(1, CORNER)
        self.texture, self.texture_where = packed(textures.kept)

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
        rows: list[NDArray[np.void]] = []
        triangles = []
        gobos: list[NDArray[np.float32]] = []
        self.lamp_parts = {}
        first = 0
        for lamp in inputs.lamps:
            if lamp.amount <= 0 or lamp.kind == "window":
                continue
            number, outline = len(rows), lamps.outline(lamp)
            if lamp.kind == "line":
                assert outline is not None
                made = lamps.glowing_mesh(outline[0][outline[1].astype(np.int64)].astype(float), lamp.light())
                assert made is not None
                made[0]["kind"], made[0]["first"] = lamps.LINE, first
                rows.append(made[0])
                triangles.append(made[1])
                first += len(made[1])
            else:
                thrown = table = -1
                if lamp.gobo is not None:
                    thrown = len(gobos)
                    gobos.append(self._thrown(lamp.gobo, lamp.t, lamp.loop))
                if lamp.distribution is not None:
                    table = len(gobos)
                    gobos.append(read_ies(self._read(lamp.distribution), lamp.distribution.name).table())
                rows.append(lamps.row(lamp, thrown, table))
            if outline is not None:
                scene = embree.Scene(robust=True)
                scene.attach(0, embree.mesh(embree.padded(outline[0]), outline[1]))
                scene.commit()
                look = plain_material((0.0, 0.0, 0.0))
                look["emission"], look["lamp"] = lamp.light(), number
                self.lamp_parts[f"lamp {lamp.id}"] = Part(
                    MODEL, scene, look=look, thing=lamp.name, surfaces=("lamp",) * 4
                )
        self.sun_thrown = -1
        if inputs.sun_gobo is not None:
            self.sun_thrown = len(gobos)
            gobos.append(self._thrown(inputs.sun_gobo, *inputs.gobo_t))
        for name, part in self.parts.items():
            if part.kind != MODEL:
                continue
            if part.surface in inputs.surfaces:
                glow, part.look["wet"], colour = inputs.surfaces[part.surface]
                part.look["emission"] = glow * from_hex(colour)
            part.look["lamp"] = -1
            light = part.look["emission"]
            if light.any() and name.startswith("thing "):
                # so many that they are no lamp light whoever meets them by chance
                few = len(part.mesh()[1]) * len(part.transforms) <= EMITTERS_AT_MOST
                mean = light * self._mean_glow(part)
                made = lamps.glowing_mesh(part.corners_in_place(), mean) if few else None
                if made is not None:
                    row, own = made
                    row["first"] = first
                    part.look["lamp"] = len(rows)
                    rows.append(row)
                    triangles.append(own)
                    first += len(own)
        self.gobo = np.stack(gobos) if gobos else NO_GOBO
        self.portal = np.stack([lamps.portal(g) for g in inputs.gaps]) if inputs.gaps else np.zeros(0, PORTAL)
        self.lamp = np.stack(rows) if rows else np.zeros(0, LAMP)
        self.emitter = np.concatenate(triangles) if triangles else np.zeros(1, EMITTER)

    def _thrown(self, gobo: Gobo, t: float, loop: float | None) -> NDArray[np.float32]:
        """What a gobo lets through, kept while it is the same, wherever it is and however it is turned."""
        held = gobo.model_copy(update={"far": 1.0, "size": 1.0, "turn": 0.0})
        held = Gobo(**{name: getattr(held, name) for name in Gobo.model_fields})
        key, read = (held.model_dump_json(), t, loop), self._read
        if key not in self._gobos:
            if len(self._gobos) >= GOBOS_KEPT:
                del self._gobos[next(iter(self._gobos))]
            self._gobos[key] = passed(gobo, t, loop, lambda asset: read_image(read(asset), asset.name)[0], read)
        return self._gobos[key]

    def _mean_glow(self, part: Part) -> NDArray[np.float64]:
        """Mean of a glow texture: a lamp samples its surface as if it shone evenly."""
        number = int(part.look["emission_map"])
        if number < 0:
            return np.ones(3)
        where = self.texture_where[number]
        last = int(where[3 + where[2]])
        return to_linear(self.texture[last : last + 3] / 255.0)


def _timber(ground: Ground, built: Built, surfaces: dict[str, Surface], looks: dict[str, NDArray[np.void]]) -> Part:
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
            look=plain_look(BOAT_PAINT if built.kind == "boat" else DARK_TIMBER),
            tone=timber.tone,
            thing=built.name,
            surfaces=("timber",) * 4,
        )
    if built.surface not in surfaces:
        raise PlaceError(f"{built.name} has a surface that this place does not have.")
    look = looks[built.surface].copy()
    look["boxed"], look["corners"] = 1.0, -1
    mask = ray_mask(look)
    return Part(
        MODEL,
        scene(mask),
        look=look,
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
