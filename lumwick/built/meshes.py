"""Models brought in: glTF, OBJ, PLY and STL files as triangles with their surfaces.

Parts of one surface are joined, whatever their number in the file. Triangles without an area are dropped; a file
without normals gets flat ones; textures that are missing are told and left out.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import PlaceError
from lumwick.motion.colour import to_linear
from lumwick.once import sized

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


def _from_obj(data: bytes, name: str, y_up: bool, files: dict[str, bytes], notes: list[str]) -> list[Joined]:
    from lumwick.built.obj import pieces_of

    pieces = pieces_of(data, name, files, name, notes)
    return [_sound(p.vertices, p.triangles, p.uv, p.normals, y_up, partial(_own, p)) for p in pieces]


def _own(piece: Any) -> MeshSurface:
    surface: MeshSurface = piece.surface
    return surface


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


def upright(v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Vectors (..., 3) from axes with y up to east, north, up."""
    return np.stack([v[..., 0], -v[..., 2], v[..., 1]], -1)


Joined = tuple[MeshPart | None, int, int]
"""A part (None if nothing is left), how many triangles have no area, and how many have corners that are no numbers."""


def _joined(member: Any, y_up: bool) -> Joined:
    """A mesh of a file that has no materials but its own colour."""
    normals = None
    if "vertex_normals" in member._cache.cache:
        normals = np.asarray(member.vertex_normals, float)
    v, t = np.asarray(member.vertices, float), np.asarray(member.faces, np.int64)
    if len(t) and not 0 <= t.min() <= t.max() < len(v):
        raise PlaceError("It cannot be used: a triangle has a corner that is not there.")
    return _sound(v, t, None, normals, y_up, lambda: _told_colour(member.visual))


WILD = 1e9
"""How far a corner may lie [the file's units]: what lies further is damage, and no unit."""


def _sound(
    v: NDArray[np.float64],
    t: NDArray[np.int64],
    uv: NDArray[np.float64] | None,
    normals: NDArray[np.float64] | None,
    y_up: bool,
    surface: Callable[[], MeshSurface],
) -> Joined:
    """A part of the triangles that have an area, and corners that are numbers.

    Parameters
    ----------
    uv, normals : ndarray or None
        Of each vertex, shape (n, k), or of each triangle's corners, shape (m, 3, k).
    """
    finite = np.asarray((np.abs(v) <= WILD).all(1))
    sound = finite[t].all(1)
    wild = int((~sound).sum())
    v = np.where(finite[:, None], v, 0)
    if y_up:
        v, normals = upright(v), None if normals is None else upright(normals)
    area = np.linalg.norm(np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]]), axis=1)
    flat = sound & (area <= 1e-14)
    keep = sound & ~flat
    if not keep.any():
        return None, int(flat.sum()), wild

    def of_corners(values: NDArray[np.float64] | None) -> NDArray[np.float32] | None:
        if values is None:
            return None
        return np.asarray(np.nan_to_num(values[keep] if values.ndim == 3 else values[t[keep]]), np.float32)

    kept = t[keep].astype(np.uint32)
    part = MeshPart(surface(), v.astype(np.float32), kept, of_corners(uv), of_corners(normals))
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


BEGINS = {b"glTF": ".glb", b"ply\n": ".ply", b"ply\r": ".ply", b"PXR-USDC": ".usdc", b"#usda": ".usda"}
"""How kinds of models begin, where their first bytes say so."""


def kind_of(data: bytes, name: str) -> str:
    """The ending that a model's bytes ask for, or its own where they say nothing."""
    own = PurePosixPath(name).suffix.lower()
    told = next((kind for start, kind in BEGINS.items() if data.startswith(start)), None)
    if told is None and data[:400].lstrip()[:1] == b"{" and b'"asset"' in data:
        told = ".gltf"
    if told is None and len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little"):
        told = ".stl"
    return own if told is None or (told.startswith(".usd") and own.startswith(".usd")) else told


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
    suffix = kind_of(data, name)
    if suffix not in MODEL_ENDINGS:
        *most, last = (ending[1:] for ending in MODEL_ENDINGS)
        raise PlaceError(f"{name} is not a model that can be read: bring a {', '.join(most)} or {last} file.")
    return _read(data, name, suffix in (".glb", ".gltf", ".obj") if y_up is None else y_up, beside)


@sized(500_000_000)
def _read(data: bytes, name: str, y_up: bool, beside: tuple[tuple[str, bytes], ...]) -> Mesh:
    suffix = kind_of(data, name)
    notes: list[str] = []
    if suffix != PurePosixPath(name).suffix.lower():
        notes.append(f"its ending is not that of a {suffix[1:]} file, which it is")
    files = dict(beside)
    if suffix in (".glb", ".gltf"):
        joined = _from_gltf(data, name, y_up, files, notes)
    elif suffix == ".obj":
        joined = _from_obj(data, name, y_up, files, notes)
    else:
        from lumwick.built.model_file import meshes_of  # its library takes 0.8 s to load, most of a command's start

        joined = [_joined(mesh, y_up) for mesh in meshes_of(data, name, suffix)]
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
