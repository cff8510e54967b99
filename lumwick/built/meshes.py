"""Models brought in: glTF, OBJ, PLY and STL files as triangles with their surfaces.

Parts of one surface are joined, whatever their number in the file. Triangles without an area are dropped; a file
without normals gets flat ones; textures that are missing are told and left out.
"""

from __future__ import annotations

import io
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

KINDS = (".glb", ".gltf", ".obj", ".ply", ".stl")
TRIANGLES_AT_MOST = 8_000_000


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


def _surface(visual: Any, notes: list[str]) -> MeshSurface:
    """A file's material as ours; glTF's factors are linear, trimesh holds colours as 8-bit codes of them."""
    material = getattr(visual, "material", None)
    if material is None:
        colours = getattr(visual, "main_color", None)
        if colours is not None and getattr(visual, "defined", False):
            return MeshSurface("coloured", tuple(to_linear(np.asarray(colours[:3]) / 255.0)))
        return MeshSurface()
    if type(material).__name__ == "PBRMaterial":
        base = material.baseColorFactor
        base = (
            np.array([1.0, 1.0, 1.0, 1.0])
            if base is None
            else np.asarray(base, float) / (255.0 if np.asarray(base).dtype.kind in "ui" else 1.0)
        )
        glow = np.zeros(3) if material.emissiveFactor is None else np.asarray(material.emissiveFactor, float)
        mask = material.alphaMode == "MASK"
        blend = material.alphaMode == "BLEND"
        return MeshSurface(
            str(material.name or "surface"),
            tuple(base[:3]),
            1.0 if material.roughnessFactor is None else float(material.roughnessFactor),
            1.0 if material.metallicFactor is None else float(material.metallicFactor),
            tuple(glow * 1000.0),
            float(1 - base[3]) if blend and material.baseColorTexture is None else 0.0,
            float(material.alphaCutoff or 0.5)
            if mask
            else (0.5 if blend and material.baseColorTexture is not None else 0.0),
            _pixels(material.baseColorTexture, notes, "colour"),
            _pixels(material.normalTexture, notes, "normal"),
            _pixels(material.metallicRoughnessTexture, notes, "roughness"),
            _pixels(material.emissiveTexture, notes, "emission"),
        )
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
    missing = [uri for uri in uris if uri and not uri.startswith("data:") and _beside(files, uri) is None]
    if missing:
        names = ", ".join(PurePosixPath(unquote(uri)).name for uri in missing)
        raise PlaceError(f"{name} keeps its mesh in {names}: bring that file too, or export it as one .glb.")


def _beside(files: dict[str, bytes], key: str) -> bytes | None:
    """A file that another refers to, by its whole name or its last part."""
    key = unquote(key)
    return files.get(key) or files.get(PurePosixPath(key.replace("\\", "/")).name)


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
    import trimesh

    suffix = PurePosixPath(name).suffix.lower()
    if suffix not in KINDS:
        raise PlaceError(
            f"{name} is not a model that can be read: bring a "
            f"{', '.join(k[1:] for k in KINDS[:-1])} or {KINDS[-1][1:]} "
            "file."
        )
    notes: list[str] = []
    files = dict(beside)
    if suffix in (".glb", ".gltf"):
        _refuse_what_cannot_be_read(data, name, files)

    class Beside(trimesh.resolvers.Resolver):  # type: ignore[misc]
        def get(self, key: str) -> bytes:
            found = _beside(files, key)
            if found is None:
                notes.append(f"{PurePosixPath(key).name}, which it refers to, is missing and was left out")
                raise FileNotFoundError(key)
            return found

        def __init__(self) -> None:
            pass

        def write(self, name: str, data: bytes) -> None:
            raise NotImplementedError

        def namespaced(self, namespace: str) -> Any:
            return self

        def keys(self) -> Any:
            return files.keys()

    try:
        scene = trimesh.load_scene(io.BytesIO(data), file_type=suffix[1:], resolver=Beside(), process=False)
        found = scene.dump() if hasattr(scene, "dump") else [scene]
    except Exception as error:  # the reader has many ways to fail on a damaged file
        words = "the file is damaged, or not what its ending says"
        raise PlaceError(f"{name} cannot be read as a model: {words}.") from error
    meshes = [m for m in found if isinstance(m, trimesh.Trimesh) and len(m.faces)]
    total = sum(len(m.faces) for m in meshes)
    if not meshes:
        raise PlaceError(f"{name} holds no triangles: export it as a mesh, not as points or curves.")
    if total > TRIANGLES_AT_MOST:
        raise PlaceError(f"{name} has {total:,} triangles: at most {TRIANGLES_AT_MOST:,} can be used. Reduce it first.")
    if y_up is None:
        y_up = suffix in (".glb", ".gltf", ".obj")
    groups: dict[Any, list[Any]] = {}
    for mesh in meshes:
        material = getattr(mesh.visual, "material", None)
        uv = getattr(mesh.visual, "uv", None)
        visual: Any = mesh.visual
        own = tuple(np.asarray(visual.main_color).tolist()) if material is None and visual.defined else None
        groups.setdefault((id(material) if material is not None else own, uv is not None), []).append(mesh)
    parts, dropped, wild = [], 0, 0
    for (_, mapped), members in groups.items():
        v = np.concatenate([np.asarray(m.vertices, float) for m in members])
        starts = np.cumsum([0] + [len(m.vertices) for m in members[:-1]])
        t = np.concatenate([np.asarray(m.faces, np.int64) + s for m, s in zip(members, starts, strict=True)])
        normals = None
        if all("vertex_normals" in m._cache.cache for m in members):
            normals = np.concatenate([np.asarray(m.vertex_normals, float) for m in members])
        uv = np.concatenate([np.asarray(m.visual.uv, float)[:, :2] for m in members]) if mapped else None
        sound = np.isfinite(v).all(1)
        wild += int((~sound[t].all(1)).sum())
        t = t[sound[t].all(1)]
        v = np.where(sound[:, None], v, 0)
        if y_up:
            v = np.stack([v[:, 0], -v[:, 2], v[:, 1]], -1)
            if normals is not None:
                normals = np.stack([normals[:, 0], -normals[:, 2], normals[:, 1]], -1)
        cross = np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]])
        flat = np.linalg.norm(cross, axis=1) <= 1e-14
        dropped += int(flat.sum())
        t = t[~flat]
        if not len(t):
            continue
        corner_normals = None
        if normals is not None:
            corner_normals = np.nan_to_num(normals)[t].astype(np.float32)
        parts.append(
            MeshPart(
                _surface(members[0].visual, notes),
                v.astype(np.float32),
                t.astype(np.uint32),
                None if uv is None else np.nan_to_num(uv)[t].astype(np.float32),
                corner_normals,
            )
        )
    if not parts:
        raise PlaceError(f"{name} holds no triangles with an area.")
    if dropped:
        notes.append(f"{dropped:,} triangles without an area were left out")
    if wild:
        notes.append(f"{wild:,} triangles with corners that are no numbers were left out")
    return Mesh(tuple(parts), tuple(dict.fromkeys(notes)))
