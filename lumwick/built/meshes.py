"""Models brought in: glTF, OBJ, PLY and STL files as triangles with their surfaces.

Parts of one surface are joined, whatever their number in the file. Triangles without an area are dropped; a file
without normals gets flat ones; textures that are missing are told and left out.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

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


@dataclass(frozen=True)
class Mesh:
    """A model: its parts, and in words what was mended to use it."""

    parts: tuple[MeshPart, ...]
    notes: tuple[str, ...] = field(default=())

    @property
    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner [m]."""
        every = np.concatenate([p.vertices for p in self.parts])
        return every.min(0).astype(float), every.max(0).astype(float)


def _pixels(image: Any, notes: list[str], what: str) -> NDArray[np.uint8] | None:
    if image is None:
        return None
    try:
        if image.mode.startswith("I"):
            return np.repeat((np.asarray(image, float) / 257.0).round().clip(0, 255).astype(np.uint8)[..., None], 4, -1)
        if image.mode == "CMYK":
            notes.append(f"its {what} texture was turned from CMYK to RGB without its profile")
        if max(image.size) > 4096:
            notes.append(f"its {what} texture was reduced from {image.width}x{image.height}")
            image = image.copy()
            image.thumbnail((4096, 4096))
        return np.asarray(image.convert("RGBA"))
    except (OSError, ValueError, SyntaxError):
        notes.append(f"its {what} texture is damaged and was left out")
        return None


def _told_colour(visual: Any) -> MeshSurface:
    """The surface of a mesh that has no material: its own colour, if it says one."""
    colours = getattr(visual, "main_color", None)
    if colours is None or not getattr(visual, "defined", False):
        return MeshSurface()
    return MeshSurface("coloured", tuple(to_linear(np.asarray(colours[:3]) / 255.0)))


def _shares(factor: Any, missing: float, count: int) -> NDArray[np.float64]:
    """A glTF factor (count,) as shares of 1; trimesh holds some as 8-bit codes."""
    if factor is None:
        return np.full(count, missing)
    values = np.asarray(factor)
    return values / (255.0 if values.dtype.kind in "ui" else 1.0)


def _physical(material: Any, notes: list[str]) -> MeshSurface:
    """A glTF material; its factors are linear."""
    base = _shares(material.baseColorFactor, 1.0, 4)
    painted = material.baseColorTexture is not None
    cutoff = {"MASK": float(material.alphaCutoff or 0.5), "BLEND": 0.5 if painted else 0.0}
    return MeshSurface(
        str(material.name or "surface"),
        tuple(base[:3]),
        1.0 if material.roughnessFactor is None else float(material.roughnessFactor),
        1.0 if material.metallicFactor is None else float(material.metallicFactor),
        tuple(_shares(material.emissiveFactor, 0.0, 3) * 1000.0),
        float(1 - base[3]) if material.alphaMode == "BLEND" and not painted else 0.0,
        cutoff.get(material.alphaMode, 0.0),
        _pixels(material.baseColorTexture, notes, "colour"),
        _pixels(material.normalTexture, notes, "normal"),
        _pixels(material.metallicRoughnessTexture, notes, "roughness"),
        _pixels(material.emissiveTexture, notes, "emission"),
    )


def _surface(visual: Any, notes: list[str]) -> MeshSurface:
    """A file's material as ours."""
    material = getattr(visual, "material", None)
    if material is None:
        return _told_colour(visual)
    if type(material).__name__ == "PBRMaterial":
        return _physical(material, notes)
    diffuse = getattr(material, "diffuse", None)
    colour = (0.5, 0.5, 0.5) if diffuse is None else tuple(to_linear(np.asarray(diffuse[:3], float) / 255.0))
    image = _pixels(getattr(material, "image", None), notes, "colour")
    return MeshSurface(
        str(getattr(material, "name", "") or "surface"),
        (1.0, 1.0, 1.0) if image is not None else colour,
        0.6,
        0.0,
        colour_map=image,
    )


COMPRESSIONS = {"KHR_draco_mesh_compression": "Draco", "EXT_meshopt_compression": "meshopt"}
"""Compressions of glTF that are not read, by extension."""


def beside_file(files: dict[str, bytes], key: str) -> bytes | None:
    """A file that another refers to, by its whole name or its last part."""
    key = unquote(key)
    return files.get(key) or files.get(PurePosixPath(key.replace("\\", "/")).name)


def _refuse_what_cannot_be_read(data: bytes, name: str, files: dict[str, bytes]) -> None:
    """Say what a glTF file needs that is not read here, or which files to bring with it.

    Raises
    ------
    PlaceError
    """
    try:
        length = int.from_bytes(data[12:16], "little")
        told = json.loads(data[20 : 20 + length] if data[:4] == b"glTF" else data)
        needed = [str(x) for x in told.get("extensionsRequired", [])]
        uris = [str(b.get("uri", "")) for b in told.get("buffers", [])]
    except (ValueError, AttributeError, UnicodeDecodeError):
        return  # not even its text can be read: the reader says so
    for extension, words in COMPRESSIONS.items():
        if extension in needed:
            raise PlaceError(f"{name} is compressed by {words}, which is not read here: export it uncompressed.")
    missing = [uri for uri in uris if uri and not uri.startswith("data:") and beside_file(files, uri) is None]
    if missing:
        names = ", ".join(PurePosixPath(unquote(uri)).name for uri in missing)
        raise PlaceError(f"{name} keeps its mesh in {names}: bring that file too, or export it as one .glb.")


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


def _upright(v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Vectors (n, 3) from axes with y up to east, north, up."""
    return np.stack([v[:, 0], -v[:, 2], v[:, 1]], -1)


def _joined(members: list[Any], y_up: bool, notes: list[str]) -> tuple[MeshPart | None, int, int]:
    """Meshes of one surface as one part (None if nothing is left); how many triangles have no area, and how many
    corners that are no numbers."""
    v = np.concatenate([np.asarray(m.vertices, float) for m in members])
    starts = np.cumsum([0] + [len(m.vertices) for m in members[:-1]])
    t = np.concatenate([np.asarray(m.faces, np.int64) + s for m, s in zip(members, starts, strict=True)])
    normals = uv = None
    if all("vertex_normals" in m._cache.cache for m in members):
        normals = np.concatenate([np.asarray(m.vertex_normals, float) for m in members])
    if getattr(members[0].visual, "uv", None) is not None:
        uv = np.concatenate([np.asarray(m.visual.uv, float)[:, :2] for m in members])
    finite = np.isfinite(v).all(1)
    sound = finite[t].all(1)
    wild = int((~sound).sum())
    t, v = t[sound], np.where(finite[:, None], v, 0)
    if y_up:
        v, normals = _upright(v), None if normals is None else _upright(normals)
    flat = np.linalg.norm(np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]]), axis=1) <= 1e-14
    t = t[~flat]
    if not len(t):
        return None, int(flat.sum()), wild
    part = MeshPart(
        _surface(members[0].visual, notes),
        v.astype(np.float32),
        t.astype(np.uint32),
        None if uv is None else np.nan_to_num(uv)[t].astype(np.float32),
        None if normals is None else np.nan_to_num(normals)[t].astype(np.float32),
    )
    return part, int(flat.sum()), wild


@lru_cache(8)
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
    notes: list[str] = []
    files = dict(beside)
    if suffix in (".glb", ".gltf"):
        _refuse_what_cannot_be_read(data, name, files)
    if y_up is None:
        y_up = suffix in (".glb", ".gltf", ".obj")
    from lumwick.built.model_file import meshes_of  # its library takes 0.8 s to load, most of a command's start

    groups = _by_surface(meshes_of(data, name, suffix, files, notes))
    joined = [_joined(members, y_up, notes) for members in groups]
    parts = tuple(part for part, _, _ in joined if part is not None)
    if not parts:
        raise PlaceError(f"{name} holds no triangles with an area.")
    if flat := sum(n for _, n, _ in joined):
        notes.append(f"{flat:,} triangles without an area were left out")
    if wild := sum(n for _, _, n in joined):
        notes.append(f"{wild:,} triangles with corners that are no numbers were left out")
    return Mesh(parts, tuple(dict.fromkeys(notes)))
