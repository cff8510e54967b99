"""What a glTF document shows: its primitives where its nodes put them, with their surfaces.

References
----------
Khronos Group, glTF 2.0 specification, sections 3.5 to 3.9, and the ratified extensions KHR_materials_clearcoat,
_emissive_strength, _ior, _transmission, _volume, KHR_texture_transform and EXT_mesh_gpu_instancing.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.gltf import Gltf, primitive
from lumwick.built.images import pixels_of
from lumwick.built.meshes import TRIANGLES_AT_MOST, MeshSurface
from lumwick.errors import PlaceError

NITS = 1000.0
"""What an emission of 1 is taken for [cd/m2] (practice: screens and lit signs)."""
TRIANGLES, STRIP, FAN = 4, 5, 6


@dataclass(frozen=True)
class Piece:
    """Triangles of one surface where a node puts them, y up.

    Attributes
    ----------
    material : int or None
        Its number in the document.
    vertices : ndarray, shape (n, 3) [m]
    triangles : ndarray of int64, shape (m, 3)
    uv, normals : ndarray or None
        Of each vertex, shape (n, 2) and (n, 3).
    """

    material: int | None
    vertices: NDArray[np.float64]
    triangles: NDArray[np.int64]
    uv: NDArray[np.float64] | None
    normals: NDArray[np.float64] | None
    node: str = ""
    """Name of the node that puts them there, or of the nearest above it that has one."""


def matrix_of(node: dict[str, Any]) -> NDArray[np.float64]:
    """A node's own matrix, 4x4."""
    if "matrix" in node:
        return np.asarray(node["matrix"], float).reshape(4, 4).T
    return composed(
        node.get("translation", (0, 0, 0)), node.get("rotation", (0, 0, 0, 1)), node.get("scale", (1, 1, 1))
    )


def composed(translation: Any, rotation: Any, scale: Any) -> NDArray[np.float64]:
    """A matrix, 4x4, of a translation, a quaternion (x, y, z, w) and a scale."""
    x, y, z, w = np.asarray(rotation, float) / max(float(np.linalg.norm(rotation)), 1e-12)
    m = np.eye(4)
    m[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    m[:3, :3] *= np.asarray(scale, float)
    m[:3, 3] = translation
    return m


def shown_nodes(g: Gltf) -> list[int]:
    """The roots of the document's scene, or every node that hangs from none."""
    scenes = g.all("scenes")
    if scenes:
        return list(scenes[g.told.get("scene", 0)].get("nodes") or [])
    hanging = {c for node in g.all("nodes") for c in node.get("children") or []}
    return [k for k in range(len(g.all("nodes"))) if k not in hanging]


def worlds(g: Gltf, own: list[NDArray[np.float64]]) -> dict[int, NDArray[np.float64]]:
    """Where each shown node is, 4x4, by its number, from the nodes' own matrices."""
    out: dict[int, NDArray[np.float64]] = {}
    todo = [(k, np.eye(4)) for k in shown_nodes(g)]
    while todo:
        k, above = todo.pop()
        if k in out:
            raise ValueError("a node hangs from two others, or from itself")
        out[k] = above @ own[k]
        todo += [(child, out[k]) for child in g.all("nodes")[k].get("children") or []]
    return out


def names_of_nodes(g: Gltf) -> dict[int, str]:
    """What each shown node is called: its own name, or that of the nearest above it."""
    out: dict[int, str] = {}
    todo = [(k, "") for k in shown_nodes(g)]
    while todo:
        k, above = todo.pop()
        if k in out:
            raise ValueError("a node hangs from two others, or from itself")
        out[k] = str(g.all("nodes")[k].get("name") or above)
        todo += [(child, out[k]) for child in g.all("nodes")[k].get("children") or []]
    return out


def copies_of(g: Gltf, node: dict[str, Any]) -> list[NDArray[np.float64]]:
    """Matrices of a node's instances, or the one that leaves it where it is."""
    many = (node.get("extensions") or {}).get("EXT_mesh_gpu_instancing")
    if many is None:
        return [np.eye(4)]
    rows = {name: g.array(at).astype(float) for name, at in many["attributes"].items()}
    n = max((len(r) for r in rows.values()), default=0)
    zero, one, still = np.zeros((n, 3)), np.ones((n, 3)), np.tile([0.0, 0, 0, 1], (n, 1))
    move, turn, size = rows.get("TRANSLATION", zero), rows.get("ROTATION", still), rows.get("SCALE", one)
    return [composed(move[k], turn[k], size[k]) for k in range(n)]


def corners_of(mode: int, indices: NDArray[np.int64]) -> NDArray[np.int64] | None:
    """Triangles, shape (m, 3), of a primitive's indices; None if it draws points or lines."""
    n = len(indices)
    if mode == TRIANGLES:
        return indices[: n // 3 * 3].reshape(-1, 3)
    if mode == STRIP:
        t = np.stack([indices[:-2], indices[1:-1], indices[2:]], 1)
        t[1::2] = t[1::2, [1, 0, 2]]
        return t
    if mode == FAN:
        return np.stack([np.full(max(n - 2, 0), indices[0]), indices[1:-1], indices[2:]], 1)
    return None


def turned(normals: NDArray[np.float64], m: NDArray[np.float64]) -> NDArray[np.float64]:
    """Normals (n, 3) under a matrix (4x4 or 3x3), at unit length."""
    a = m[:3, :3]
    cofactors = np.stack([np.cross(a[:, 1], a[:, 2]), np.cross(a[:, 2], a[:, 0]), np.cross(a[:, 0], a[:, 1])], 1)
    out = normals @ cofactors.T
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-20))


def skinned(
    g: Gltf,
    skin: dict[str, Any],
    where: dict[int, NDArray[np.float64]],
    attributes: dict[str, NDArray[Any]],
) -> NDArray[np.float64]:
    """The matrix of each vertex, shape (n, 4, 4): its joints' by their weights (linear blend skinning)."""
    joints = skin["joints"]
    bind = (
        g.array(skin["inverseBindMatrices"]).reshape(-1, 4, 4).transpose(0, 2, 1).astype(float)
        if "inverseBindMatrices" in skin
        else np.tile(np.eye(4), (len(joints), 1, 1))
    )
    moved = np.stack([where.get(j, np.eye(4)) @ bind[k] for k, j in enumerate(joints)])
    out = np.zeros((len(attributes["POSITION"]), 4, 4))
    total = np.zeros(len(out))
    for k in range(4):
        if f"JOINTS_{k}" not in attributes:
            break
        weights = attributes[f"WEIGHTS_{k}"].astype(float)
        which = attributes[f"JOINTS_{k}"].astype(np.int64)
        for c in range(4):
            out += weights[:, c, None, None] * moved[which[:, c]]
            total += weights[:, c]
    return np.asarray(out / np.where(total > 1e-9, total, 1)[:, None, None])


def pieces(g: Gltf, notes: list[str], nodes: list[dict[str, Any]] | None = None) -> list[Piece]:
    """All that the document's scene shows, as it stands before anything moves, or as ``nodes`` are at a time."""
    nodes = g.all("nodes") if nodes is None else nodes
    check_scene(g, nodes)
    where = worlds(g, [matrix_of(node) for node in nodes])
    names, out = names_of_nodes(g), []
    for k, m in where.items():
        node = nodes[k]
        if "mesh" not in node:
            continue
        mesh = g.all("meshes")[node["mesh"]]
        shares = node.get("weights") or mesh.get("weights") or []
        for one in mesh["primitives"]:
            for copy in copies_of(g, node):
                piece = _piece(g, one, m @ copy, where, node, shares, notes)
                if piece is not None:
                    out.append(replace(piece, node=names[k]))
    return out


CORNERS_AT_MOST = 3 * TRIANGLES_AT_MOST
COPIES_AT_MOST = 200_000


def check_scene(g: Gltf, nodes: list[dict[str, Any]]) -> None:
    """Refuse a scene that shows too much, before anything of it is made: by what its arrays say of their lengths.

    Raises
    ------
    PlaceError
    """
    accessors, corners, copies = g.all("accessors"), 0, 0
    for node in nodes:
        if "mesh" not in node:
            continue
        many = (node.get("extensions") or {}).get("EXT_mesh_gpu_instancing")
        times = (
            1 if many is None else max((int(accessors[at]["count"]) for at in many["attributes"].values()), default=0)
        )
        copies += times
        for one in g.all("meshes")[node["mesh"]]["primitives"]:
            held = [accessors[at] for name, at in one["attributes"].items() if name == "POSITION"]
            held += [accessors[one["indices"]]] if "indices" in one else []
            corners += times * max((int(a["count"]) for a in held), default=0)
    if corners > CORNERS_AT_MOST or copies > COPIES_AT_MOST:
        raise PlaceError(
            f"It shows {corners:,} corners of triangles in {copies:,} copies: at most {CORNERS_AT_MOST:,} and "
            f"{COPIES_AT_MOST:,} can be used. Reduce it first."
        )


def _piece(
    g: Gltf,
    one: dict[str, Any],
    m: NDArray[np.float64],
    where: dict[int, NDArray[np.float64]],
    node: dict[str, Any],
    shares: list[float],
    notes: list[str],
) -> Piece | None:
    attributes, indices = primitive(g, one)
    v = attributes["POSITION"].astype(float)
    normals = attributes["NORMAL"].astype(float) if "NORMAL" in attributes else None
    for target, share in zip(one.get("targets") or [], shares, strict=False):
        if share and "POSITION" in target:
            v = v + share * g.array(target["POSITION"])
            if normals is not None and "NORMAL" in target:
                normals = normals + share * g.array(target["NORMAL"])
    t = corners_of(one.get("mode", TRIANGLES), np.arange(len(v)) if indices is None else indices.astype(np.int64))
    if t is None:
        notes.append("points and lines in it were left out")
        return None
    if len(t) and not 0 <= t.min() <= t.max() < len(v):
        raise ValueError("a triangle has a corner that is not there")
    if "skin" in node and "JOINTS_0" in attributes:
        by_vertex = skinned(g, g.all("skins")[node["skin"]], where, attributes)
        v = np.einsum("nij,nj->ni", by_vertex[:, :3, :3], v) + by_vertex[:, :3, 3]
        if normals is not None:
            normals = np.einsum("nij,nj->ni", by_vertex[:, :3, :3], normals)
            normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    else:
        with np.errstate(invalid="ignore"):  # corners that are no numbers are left out later
            v = v @ m[:3, :3].T + m[:3, 3]
        normals = None if normals is None else turned(normals, m)
    if "COLOR_0" in attributes:
        notes.append("colours painted on its corners were left out")
    return Piece(one.get("material"), v, t, _uv(g, one, attributes), normals)


def _laid_by(material: dict[str, Any]) -> dict[str, Any]:
    """The texture whose coordinates and turning a material's are laid by: its colour's, or else the first it has."""
    own = material.get("pbrMetallicRoughness") or {}
    for holder, name in (
        (own, "baseColorTexture"),
        (material, "normalTexture"),
        (own, "metallicRoughnessTexture"),
        (material, "emissiveTexture"),
    ):
        if name in holder:
            return dict(holder[name])
    return {}


def _uv(g: Gltf, one: dict[str, Any], attributes: dict[str, NDArray[Any]]) -> NDArray[np.float64] | None:
    """Texture coordinates with v up, moved, turned and scaled as the material's texture says."""
    material = g.all("materials")[one["material"]] if "material" in one else {}
    texture = _laid_by(material)
    change = (texture.get("extensions") or {}).get("KHR_texture_transform") or {}
    uv = attributes.get(f"TEXCOORD_{change.get('texCoord', texture.get('texCoord', 0))}")
    if uv is None:
        return None
    uv = uv.astype(float)
    if change:
        a = change.get("rotation", 0.0)
        uv = uv * change.get("scale", (1, 1)) @ np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        uv = uv + change.get("offset", (0, 0))
    return np.asarray(np.stack([uv[:, 0], 1 - uv[:, 1]], 1))


def surface_of(g: Gltf, number: int | None, notes: list[str]) -> MeshSurface:
    """A material as ours."""
    if number is None:
        return MeshSurface()
    material = g.all("materials")[number]
    own, more = material.get("pbrMetallicRoughness") or {}, material.get("extensions") or {}
    base = [float(x) for x in own.get("baseColorFactor", (1, 1, 1, 1))]
    mode = material.get("alphaMode", "OPAQUE")
    painted = "baseColorTexture" in own
    cutoff = {"MASK": float(material.get("alphaCutoff", 0.5)), "BLEND": 0.5 if painted else 0.0}.get(mode, 0.0)
    glass, volume = more.get("KHR_materials_transmission") or {}, more.get("KHR_materials_volume") or {}
    clear = float(glass.get("transmissionFactor", 0.0)) or (1 - base[3] if mode == "BLEND" and not painted else 0.0)
    strength = (more.get("KHR_materials_emissive_strength") or {}).get("emissiveStrength", 1.0)
    coat = more.get("KHR_materials_clearcoat") or {}
    solid = float(volume.get("thicknessFactor", 0.0)) > 0
    tint = np.clip(volume.get("attenuationColor", (1, 1, 1)), 1e-4, 1.0)
    absorbed = -np.log(tint) / max(float(volume.get("attenuationDistance", 1e9)), 1e-6)
    unlit = "KHR_materials_unlit" in more
    lit = [float(x) * NITS * float(strength) for x in material.get("emissiveFactor", (0, 0, 0))]

    def image(holder: dict[str, Any], name: str, what: str, stands: bool = False) -> NDArray[np.uint8] | None:
        return _image(g, holder.get(name), what, notes, stands)

    colour_map = image(own, "baseColorTexture", "colour", True)
    rough = 1.0 if unlit else float(own.get("roughnessFactor", 1.0))
    return MeshSurface(
        str(material.get("name") or f"surface {number + 1}"),
        (base[0], base[1], base[2]),
        rough,
        0.0 if unlit else float(own.get("metallicFactor", 1.0)),
        (lit[0], lit[1], lit[2]),
        clear,
        cutoff,
        colour_map,
        image(material, "normalTexture", "normal"),
        image(own, "metallicRoughnessTexture", "roughness"),
        image(material, "emissiveTexture", "emission"),
        float(coat.get("clearcoatFactor", 0.0)),
        float(coat.get("clearcoatRoughnessFactor", 0.0)),
        float((more.get("KHR_materials_ior") or {}).get("ior", 1.5)),
        not solid,
        (float(absorbed[0]), float(absorbed[1]), float(absorbed[2])) if solid else (0.0, 0.0, 0.0),
    )


def _image(g: Gltf, info: dict[str, Any] | None, what: str, notes: list[str], stands: bool) -> NDArray[np.uint8] | None:
    """A texture's pixels; what stands for a missing one is taken for a colour alone."""
    if info is None:
        return None
    texture = g.all("textures")[info["index"]]
    source = texture.get("source", ((texture.get("extensions") or {}).get("EXT_texture_webp") or {}).get("source"))
    if source is None:
        return None
    held = g.all("images")[source]
    if "bufferView" not in held or ((held.get("extras") or {}).get("missing") and not stands):
        return None
    return pixels_of(g.view(held["bufferView"]), notes, what)
