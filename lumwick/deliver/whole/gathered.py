"""What is handed on of a place: forms, where they stand, and how both move, read off the stage frame by frame."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumwick.built.floors import model_of
from lumwick.built.lamps import LampLight
from lumwick.built.meshes import MeshPart, MeshSurface
from lumwick.deliver.paths_out.handed import Handed, by_time
from lumwick.errors import RouteError
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Shot
from lumwick.route.camera_path import goes
from lumwick.snapshot.evaluate import Setting, Snapshot, camera_at, evaluate
from lumwick.trace.lock import ENGINE
from lumwick.trace.part import Part
from lumwick.trace.stage import Stage

Floats = NDArray[np.float64]
KINDS = ("ground", "water", "plants", "built", "things", "lamps", "cameras")
"""What can be chosen of a place."""
BY_NAME = {
    "ground": "ground",
    "sheet": "water",
    "water": "water",
    "open": "water",
    "stand": "plants",
    "built": "built",
    "thing": "things",
}
"""The kind of a part by the first word of its name; others (what lies far off) are left out."""
LIGHT_EVERY = 24
"""Frames after which the sun's light is asked anew; between them it goes straight."""
STILL = 1e-6
"""Metres under which nothing has moved."""


@dataclass(frozen=True)
class Range:
    """Which frames of a shot are handed on, and how far from the camera's way.

    Attributes
    ----------
    first, last : int
        From 1, as the shot counts.
    within : float or None [m]
        Of ground, water, plants, models and built things: those nearer to the camera's way than this; all if None.
    kinds : tuple of str
        Of `KINDS`.
    """

    first: int
    last: int
    within: float | None = None
    kinds: tuple[str, ...] = KINDS

    def __post_init__(self) -> None:
        unknown = [k for k in self.kinds if k not in KINDS]
        if unknown:
            raise RouteError(f"There is no {unknown[0]!r} to hand on: choose of {', '.join(KINDS)}.")
        if not 1 <= self.first <= self.last:
            raise RouteError("The last frame lies before the first, or the first before the shot's.")
        if self.within is not None and self.within <= 0:
            raise RouteError("A distance to hand on must be more than nothing.")


@dataclass
class Form:
    """A mesh and its placements; what moves has a value for each frame.

    Attributes
    ----------
    faces : ndarray of uint32, shape (m, 3 or 4)
    cut : list of int
        Quads at which a plant's surface changes.
    surfaces : list of MeshSurface
        One, or a plant's four.
    part : MeshPart or None
        With texture coordinates and normals of its corners.
    vertices : list of ndarray of float32, shape (n, 3) [m]
        At each frame, or one if they are still.
    placed : list of ndarray, shape (k, 3, 4)
        At each frame, or one if they are still.
    colours : ndarray or None
        Of each vertex, linear.
    """

    name: str
    kind: str
    title: str
    faces: NDArray[np.uint32]
    cut: list[int]
    surfaces: list[MeshSurface]
    part: MeshPart | None
    vertices: list[NDArray[np.float32]] = field(default_factory=list)
    placed: list[Floats] = field(default_factory=list)
    colours: NDArray[np.float32] | None = None
    kept: NDArray[np.int64] | None = None
    """Which vertices of the stage's mesh these are; all if None."""
    near: NDArray[np.int64] | None = None
    """Which of the stage's placements these are; all if None."""

    @property
    def bends(self) -> bool:
        return len(self.vertices) > 1

    @property
    def goes(self) -> bool:
        return len(self.placed) > 1


@dataclass
class Whole:
    """A shot's place, ready to be written."""

    shot: Shot
    range: Range
    rate: float
    forms: list[Form]
    lamps: list[list[LampLight]]
    """At each frame; the same lamps in the same order."""
    suns: list[tuple[Floats, Floats]]
    """Direction to the sun, and its light [lx], at each frame."""
    camera: Handed | None

    @property
    def frames(self) -> int:
        return self.range.last - self.range.first + 1

    @property
    def codes(self) -> list[float]:
        """Each frame's number."""
        return [float(n) for n in range(self.range.first, self.range.last + 1)]


def gather(setting: Setting, shot: Shot, span: Range) -> Whole:
    """Everything of a range of a shot, read off the stage.

    Raises
    ------
    RouteError
        The range does not lie in the shot.
    """
    if span.last > shot.frames:
        raise RouteError(f"{shot.name} ends at frame {shot.frames}: frame {span.last} is past it.")
    stage, eye = Stage(setting), _eye(setting, shot, span)
    way = _way(setting, shot, span)
    forms: dict[str, Form] = {}
    lamps, ways, light = [], [], {}
    last = span.last - span.first
    for k, snapshot in enumerate(_instants(setting, shot, span)):
        with ENGINE:
            lit = k % LIGHT_EVERY == 0 or k == last
            (stage.set if lit else stage.set_geometry_only)(snapshot, eye)
            parts = stage.parts()
            if lit:
                light[k] = stage.clear.sun_lux if snapshot.key_direction[2] > 0 else np.zeros(3)
            if k == 0:
                for name, part in parts.items():
                    form = _form(setting, stage, name, part, span, way)
                    if form is not None:
                        forms[name] = form
            for name, form in forms.items():
                _note(form, parts[name])
        lamps.append([lamp for lamp in snapshot.lamps if lamp.kind != "window"] if "lamps" in span.kinds else [])
        ways.append(snapshot.key_direction)
    for form in forms.values():
        _settle(form)
    camera = by_time(setting, shot) if "cameras" in span.kinds and goes(shot.route) else None
    at = np.array([light[k] for k in sorted(light)], float)
    lux = np.stack([np.interp(np.arange(len(ways)), sorted(light), at[:, c]) for c in range(3)], 1)
    suns = list(zip(ways, lux, strict=True))
    return Whole(shot, span, float(RATES[shot.fps]), list(forms.values()), lamps, suns, camera)


def first_frame(setting: Setting, shot: Shot, span: Range) -> Whole:
    """The range's first two frames alone, from which its size is told."""
    few = Range(span.first, min(span.first + 1, span.last), span.within, span.kinds)
    return gather(setting, shot, few)


def _instants(setting: Setting, shot: Shot, span: Range) -> Iterator[Snapshot]:
    for n in range(span.first, span.last + 1):
        yield evaluate(setting, shot, frame_time(n, RATES[shot.fps]))


def _eye(setting: Setting, shot: Shot, span: Range) -> Floats:
    middle = frame_time((span.first + span.last) // 2, RATES[shot.fps])
    return np.asarray(camera_at(setting, shot, middle).position, float)


def _way(setting: Setting, shot: Shot, span: Range) -> Floats:
    """Spots of the camera's way (n, 3) [m]."""
    every = max(1, (span.last - span.first) // 24)
    numbers = [*range(span.first, span.last + 1, every), span.last]
    return np.array([camera_at(setting, shot, frame_time(n, RATES[shot.fps])).position for n in numbers])


def _near(points: Floats, way: Floats, within: float) -> NDArray[np.bool_]:
    """Which points (n, 3) lie within a level distance [m] of a way."""
    out = np.zeros(len(points), bool)
    for spot in way:
        out |= np.hypot(points[:, 0] - spot[0], points[:, 1] - spot[1]) <= within
    return out


def _form(setting: Setting, stage: Stage, name: str, part: Part, span: Range, way: Floats) -> Form | None:
    """A part of the stage as it is handed on; None if it is not."""
    first, *rest = name.split(" ")
    kind = BY_NAME.get(first)
    if kind is None or kind not in span.kinds or name.endswith(" scattered"):
        return None
    _, faces = part.mesh()
    form = Form(name, kind, part.thing, faces.copy(), [int(c) for c in part.cut], [], None)
    piece = stage.stands.piece_of(name) if kind == "plants" else None
    if piece is not None:  # a model of one's own
        form.part, form.surfaces = piece.part, [piece.part.surface]
    elif kind == "plants":
        material = part.material
        form.surfaces = [
            MeshSurface(f"{surface}", tuple(float(v) for v in material["reflected"][k]), 0.8)  # type: ignore[arg-type]
            for k, surface in enumerate(part.surfaces)
        ]
    elif kind == "things":
        thing = next(t for t in stage.standing.place.things if t.id == rest[0])
        form.part = model_of(setting.read, thing).parts[int(rest[1])]
        form.surfaces = [form.part.surface if not part.surface else _worn(part)]
    else:
        form.surfaces = [_worn(part) if kind != "water" else _water(part)]
    if kind == "ground":
        form.colours = np.ascontiguousarray(stage.world.land.albedo[..., :3].reshape(-1, 3), np.float32)
    return _cropped(form, part, span.within, way)


def _cropped(form: Form, part: Part, within: float | None, way: Floats) -> Form | None:
    """A form with what of it is near; None if nothing is."""
    vertices, _ = part.mesh()
    if within is None:
        return form
    placed = part.transforms.astype(float)
    if form.kind in ("ground", "water") and len(placed) == 1:
        at = vertices.astype(float) + placed[0, 9:]
        keep = _near(at, way, within)[form.faces].any(1)
        if not keep.any():
            return None
        form.kept, again = np.unique(form.faces[keep], return_inverse=True)
        form.faces = again.reshape(-1, form.faces.shape[1]).astype(np.uint32)
        if form.colours is not None:
            form.colours = form.colours[form.kept]
        return form
    ends = part.child.bounds().astype(float)
    middle, half = ends.mean(0), float(np.linalg.norm(ends[1] - ends[0])) / 2
    axes = placed.reshape(-1, 4, 3)
    at = np.einsum("j,njk->nk", middle, axes[:, :3]) + axes[:, 3]
    size = np.linalg.norm(axes[:, :3], axis=2).max(1)
    form.near = np.flatnonzero(
        np.logical_or.reduce(
            [
                np.hypot(at[:, 0] - s[0], at[:, 1] - s[1]) <= within + (0 if form.kind == "plants" else half * size)
                for s in way
            ]
        )
    )
    return form if len(form.near) else None


def _worn(part: Part) -> MeshSurface:
    """What a part is made of, by its look."""
    material, names = part.material, part.material.dtype.names or ()
    if "roughness" not in names:
        return MeshSurface(part.surfaces[0], (0.5, 0.5, 0.5))
    return MeshSurface(
        part.surfaces[0],
        tuple(float(v) for v in material["base"]),  # type: ignore[arg-type]
        float(material["roughness"]),
        float(material["metalness"]),
        tuple(float(v) for v in material["emission"]),  # type: ignore[arg-type]
        float(material["transmission"]),
        coat=float(material["coat"]),
        coat_roughness=float(material["coat_roughness"]),
        refraction=max(float(material["ior"]), 1.0),
        thin=bool(material["thin"] > 0),
    )


def _water(part: Part) -> MeshSurface:
    return MeshSurface("water", (0.02, 0.05, 0.06), 0.02, refraction=1.333)


def _note(form: Form, part: Part) -> None:
    """Add a frame to what is known of a form."""
    vertices = part.mesh()[0]
    kept = vertices if form.kept is None else vertices[form.kept]
    same = form.vertices and np.array_equal(form.vertices[-1], kept)
    form.vertices.append(form.vertices[-1] if same else np.array(kept))
    m = part.transforms if form.near is None else part.transforms[form.near]
    form.placed.append(m.astype(float).reshape(-1, 4, 3).transpose(0, 2, 1))


def _settle(form: Form) -> None:
    """Keep one value of what does not move."""
    for values in (form.vertices, form.placed):
        if all(v is values[0] or np.abs(v - values[0]).max() < STILL for v in values):
            del values[1:]
