"""Models brought in: glTF, OBJ, PLY and STL files as triangles with their surfaces.

Parts of one surface are joined, whatever their number in the file. Triangles without an area are dropped; a file
without normals gets flat ones; textures that are missing are told and left out.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from lumwick.built.images import pixels_of
from lumwick.errors import PlaceError
from lumwick.motion.colour import to_linear

MODEL_ENDINGS = (".glb", ".gltf", ".obj", ".ply", ".stl")


@dataclass(frozen=True)
class MeshSurface:
    """What a file says of a surface, in the terms of glTF 2.0; images are RGBA arrays of uint8."""

    name: str = "plain"
    colour: tuple[float, float, float] = (0.5, 0.5, 0.5)
    """Linear Rec.709."""
    roughness: float = 0.6
    metalness: float = 0.0
    glow: tuple[float, float, float] = (0.0, 0.0, 0.0)
    clear: float = 0.0
    cutoff: float = 0.0
    colour_map: NDArray[np.uint8] | None = None
    normal_map: NDArray[np.uint8] | None = None
    rough_map: NDArray[np.uint8] | None = None
    glow_map: NDArray[np.uint8] | None = None
    coat: float = 0.0
    coat_roughness: float = 0.0
    refraction: float = 1.5
    thin: bool = True
    """A pane, if it is clear; else a solid."""
    absorption: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Within a clear solid [1/m]."""


@dataclass(frozen=True)
class MeshPart:
    """Triangles of one surface.

    Attributes
    ----------
    vertices : ndarray of float32, shape (n, 3) [m]
        East, north, up.
    triangles : ndarray of uint32, shape (m, 3)
    uv : ndarray of float32, shape (m, 3, 2) or None
        Texture coordinates of each corner.
    normals : ndarray of float32, shape (m, 3, 3) or None
        Of each corner; None for flat triangles.
    """

    surface: MeshSurface
    vertices: NDArray[np.float32]
    triangles: NDArray[np.uint32]
    uv: NDArray[np.float32] | None
    normals: NDArray[np.float32] | None
    node: str = ""
    """What its file calls the part of the model that it belongs to."""


@dataclass(frozen=True)
class Mesh:
    """A model: its parts, and in words what was mended to use it."""

    parts: tuple[MeshPart, ...]
    notes: tuple[str, ...] = field(default=())
    kept: tuple[bool, ...] = field(default=())
    """Of each surface in the file, whether any of its triangles are left."""

    @property
    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner [m]."""
        every = np.concatenate([p.vertices for p in self.parts])
        return every.min(0).astype(float), every.max(0).astype(float)


def _told_colour(visual: Any) -> MeshSurface:
    """The surface of a mesh that has no material: its own colour, if it says one."""
    colours = getattr(visual, "main_color", None)
    if colours is None or not getattr(visual, "defined", False):
        return MeshSurface()
    return MeshSurface("coloured", tuple(to_linear(np.asarray(colours[:3]) / 255.0)))


def _surface(visual: Any, notes: list[str]) -> MeshSurface:
    """A file's material as ours."""
    material = getattr(visual, "material", None)
    if material is None:
        return _told_colour(visual)
    diffuse = getattr(material, "diffuse", None)
    colour = (0.5, 0.5, 0.5) if diffuse is None else tuple(to_linear(np.asarray(diffuse[:3], float) / 255.0))
    image = pixels_of(getattr(material, "image", None), notes, "colour")
    return MeshSurface(
        str(getattr(material, "name", "") or "surface"),
        (1.0, 1.0, 1.0) if image is not None else colour,
        0.6,
        0.0,
        colour_map=image,
    )


def beside_file(files: dict[str, bytes], key: str, model: str = "") -> bytes | None:
    """A file that a model refers to: from the model's own folder, or else the only one of that name."""
    key = unquote(key).replace("\\", "/")
    folder = PurePosixPath(model).parent
    parts: list[str] = []
    for part in (folder / key).parts:
        if part == ".." and parts:
            parts.pop()
        elif part not in (".", ".."):
            parts.append(part)
    exact = files.get("/".join(parts))
    if exact is not None:
        return exact
    last = PurePosixPath(key).name.lower()
    same = [name for name in files if PurePosixPath(name).name.lower() == last]
    return files[same[0]] if len(same) == 1 else None


def _from_gltf(data: bytes, name: str, y_up: bool, files: dict[str, bytes], notes: list[str]) -> list[Joined]:
    """A glTF's parts, one for each surface, those with texture coordinates apart from those without.

    Raises
    ------
    PlaceError
        It is damaged, or files are missing that hold its mesh.
    """
    from lumwick.built.gltf import DAMAGE, damaged, opened, refuse_missing, unpack_views
    from lumwick.built.gltf_scene import pieces

    try:
        g, missing = opened(data, lambda key: beside_file(files, key))
        refuse_missing(name, missing)
        unpack_views(g)
        groups = grouped(pieces(g, notes))
        check_amount(name, sum(len(group.triangles) for group in groups))
        surfaces = _surfaces(g, list(dict.fromkeys(p.material for p in groups)), notes)
        out = [_of_group(p, y_up, surfaces[p.material].result) for p in groups]
    except DAMAGE as error:
        raise damaged(name) from error
    return out


def _surfaces(g: Any, materials: list[int | None], notes: list[str]) -> dict[int | None, Future[MeshSurface]]:
    """The surfaces of a glTF's materials, several read at a time, for their pictures take long."""
    from lumwick.built.gltf_scene import surface_of

    told: list[list[str]] = [[] for _ in materials]
    with ThreadPoolExecutor(2) as readers:
        made = [readers.submit(surface_of, g, one, said) for one, said in zip(materials, told, strict=True)]
    for said in told:
        notes.extend(said)
    return dict(zip(materials, made, strict=True))


def _of_group(p: Any, y_up: bool, surface: Callable[[], MeshSurface]) -> Joined:
    part, flat, wild = _sound(p.vertices, p.triangles, p.uv, p.normals, y_up, surface)
    return None if part is None else replace(part, node=p.node), flat, wild


NODES_AT_MOST = 120
"""Named parts of a model up to which each is kept apart: what has more is joined by its surfaces alone."""


def grouped(pieces: list[Any]) -> list[Any]:
    """A glTF's pieces, those of one node and surface joined; with texture coordinates or normals apart from those
    without."""
    groups: dict[Any, list[Any]] = {}
    apart = len({piece.node for piece in pieces}) <= NODES_AT_MOST
    for piece in pieces:
        node = piece.node if apart else ""
        groups.setdefault((node, piece.material, piece.uv is not None, piece.normals is not None), []).append(piece)
    out = []
    for (node, _, has_uv, has_normals), group in groups.items():
        starts = np.cumsum([0] + [len(p.vertices) for p in group[:-1]])
        out.append(
            replace(
                group[0],
                node=node,
                vertices=np.concatenate([p.vertices for p in group]),
                triangles=np.concatenate([p.triangles + s for p, s in zip(group, starts, strict=True)]),
                uv=np.concatenate([p.uv for p in group]) if has_uv else None,
                normals=np.concatenate([p.normals for p in group]) if has_normals else None,
            )
        )
    return out


def _by_surface(meshes: list[Any]) -> list[list[Any]]:
    """Meshes of one surface together; those with texture coordinates apart from those without."""
    groups: dict[Any, list[Any]] = {}
    for mesh in meshes:
        visual: Any = mesh.visual
        material = getattr(visual, "material", None)
        surface: Any = id(material)
        if material is None:
            surface = tuple(np.asarray(visual.main_color).tolist()) if visual.defined else None
        groups.setdefault((surface, getattr(visual, "uv", None) is not None), []).append(mesh)
    return list(groups.values())


def upright(v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Vectors (n, 3) from axes with y up to east, north, up."""
    return np.stack([v[:, 0], -v[:, 2], v[:, 1]], -1)


Joined = tuple[MeshPart | None, int, int]
"""A part (None if nothing is left), how many triangles have no area, and how many have corners that are no numbers."""


def _joined(members: list[Any], y_up: bool, notes: list[str]) -> Joined:
    """Meshes of one surface as one part."""
    v = np.concatenate([np.asarray(m.vertices, float) for m in members])
    starts = np.cumsum([0] + [len(m.vertices) for m in members[:-1]])
    t = np.concatenate([np.asarray(m.faces, np.int64) + s for m, s in zip(members, starts, strict=True)])
    normals = uv = None
    if all("vertex_normals" in m._cache.cache for m in members):
        normals = np.concatenate([np.asarray(m.vertex_normals, float) for m in members])
    if getattr(members[0].visual, "uv", None) is not None:
        uv = np.concatenate([np.asarray(m.visual.uv, float)[:, :2] for m in members])
    return _sound(v, t, uv, normals, y_up, lambda: _surface(members[0].visual, notes))


def _sound(
    v: NDArray[np.float64],
    t: NDArray[np.int64],
    uv: NDArray[np.float64] | None,
    normals: NDArray[np.float64] | None,
    y_up: bool,
    surface: Callable[[], MeshSurface],
) -> Joined:
    """A part of the triangles that have an area, and corners that are numbers."""
    finite = np.asarray(np.isfinite(v).all(1))
    sound = finite[t].all(1)
    wild = int((~sound).sum())
    t, v = t[sound], np.where(finite[:, None], v, 0)
    if y_up:
        v, normals = upright(v), None if normals is None else upright(normals)
    flat = np.linalg.norm(np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]]), axis=1) <= 1e-14
    t = t[~flat]
    if not len(t):
        return None, int(flat.sum()), wild
    part = MeshPart(
        surface(),
        v.astype(np.float32),
        t.astype(np.uint32),
        None if uv is None else np.nan_to_num(uv)[t].astype(np.float32),
        None if normals is None else np.nan_to_num(normals)[t].astype(np.float32),
    )
    return part, int(flat.sum()), wild


TRIANGLES_AT_MOST = 8_000_000


def check_amount(name: str, triangles: int) -> None:
    """Refuse a model without triangles, or with too many.

    Raises
    ------
    PlaceError
    """
    if not triangles:
        raise PlaceError(f"{name} holds no triangles: export it as a mesh, not as points or curves.")
    if triangles > TRIANGLES_AT_MOST:
        raise PlaceError(
            f"{name} has {triangles:,} triangles: at most {TRIANGLES_AT_MOST:,} can be used. Reduce it first."
        )


def read_mesh(data: bytes, name: str, y_up: bool | None = None, beside: tuple[tuple[str, bytes], ...] = ()) -> Mesh:
    """A model from a file's bytes.

    Parameters
    ----------
    y_up : bool
        Whether the file's y axis points up; by the format's custom if None (glTF and OBJ: yes; PLY and STL: no).
    beside : tuple of (str, bytes)
        Files that it refers to.

    Raises
    ------
    PlaceError
        It is no model, has no triangles, or too many.
    """
    suffix = PurePosixPath(name).suffix.lower()
    if suffix not in MODEL_ENDINGS:
        *most, last = (ending[1:] for ending in MODEL_ENDINGS)
        raise PlaceError(f"{name} is not a model that can be read: bring a {', '.join(most)} or {last} file.")
    return _read(data, name, suffix in (".glb", ".gltf", ".obj") if y_up is None else y_up, beside)


@lru_cache(8)
def _read(data: bytes, name: str, y_up: bool, beside: tuple[tuple[str, bytes], ...]) -> Mesh:
    suffix = PurePosixPath(name).suffix.lower()
    notes: list[str] = []
    files = dict(beside)
    if suffix in (".glb", ".gltf"):
        joined = _from_gltf(data, name, y_up, files, notes)
    else:
        from lumwick.built.model_file import meshes_of  # its library takes 0.8 s to load, most of a command's start

        groups = _by_surface(meshes_of(data, name, suffix, files, notes))
        joined = [_joined(members, y_up, notes) for members in groups]
    parts = tuple(part for part, _, _ in joined if part is not None)
    if not parts and any(n for _, _, n in joined):
        raise PlaceError(f"{name} cannot be used: the corners of its triangles are no numbers, or infinite.")
    if not parts:
        raise PlaceError(f"{name} holds no triangles with an area.")
    if flat := sum(n for _, n, _ in joined):
        notes.append(f"{flat:,} triangles without an area were left out")
    if wild := sum(n for _, _, n in joined):
        notes.append(f"{wild:,} triangles with corners that are no numbers were left out")
    return Mesh(parts, tuple(dict.fromkeys(notes)), tuple(part is not None for part, _, _ in joined))
