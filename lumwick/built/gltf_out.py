"""A model as a binary glTF of its own."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumwick.built.gltf import Writer
from lumwick.built.gltf_scene import NITS
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface

Moved = list[list[NDArray[np.float32]]]
"""Vertices of each part at each time."""


def glb_of(mesh: Mesh, name: str, times: NDArray[np.float64] | None = None, moved: Moved | None = None) -> bytes:
    """A model (east, north, up) as a binary glTF (y up), with its surfaces and textures; it reads back as it was.

    Parameters
    ----------
    times : ndarray, shape (n,) [s]
        When its parts have other vertices, if it moves: a morph each, with one at full weight at its time.
    moved : list of list of ndarray, shape (k, 3) [m]
        Of each part, at each time.
    """
    w = Writer()
    told: dict[str, Any] = {"asset": {"version": "2.0", "generator": "Lumwick"}, "scene": 0}
    images: list[dict[str, Any]] = []
    materials, used = [], set()
    primitives: list[dict[str, Any]] = []
    for number, part in enumerate(mesh.parts):
        made, extensions = material_of(w, part.surface, images)
        materials.append(made)
        used |= extensions
        made = {**_primitive(w, part), "material": number}
        if moved:
            made["targets"] = [_target(w, part, vertices) for vertices in moved[number]]
        primitives.append(made)
    called = list(dict.fromkeys(part.node or name for part in mesh.parts)) if not moved else [name]
    held = [[p for p, part in zip(primitives, mesh.parts, strict=True) if moved or (part.node or name) == one]
            for one in called]  # fmt: skip
    told |= {
        "scenes": [{"nodes": list(range(len(called)))}],
        "nodes": [{"name": one, "mesh": k} for k, one in enumerate(called)],
        "meshes": [{"name": one, "primitives": some} for one, some in zip(called, held, strict=True)],
        "materials": materials,
        "images": images,
        "textures": [{"source": k} for k in range(len(images))],
        "extensionsUsed": sorted(used),
    }
    if moved and times is not None:
        told["animations"] = [_morphing(w, name, times)]
        told["meshes"][0]["weights"] = [1.0, *[0.0] * (len(times) - 1)]
    return w.file(told)


def _target(w: Writer, part: MeshPart, vertices: NDArray[np.float32]) -> dict[str, int]:
    """How far a part's corners are then from where they are at rest."""
    away = vertices - part.vertices
    if part.uv is not None or part.normals is not None:
        away = away[part.triangles.astype(np.int64)].reshape(-1, 3)
    return {"POSITION": w.array(_y_up(away), "VEC3", True)}


def _morphing(w: Writer, name: str, times: NDArray[np.float64]) -> dict[str, Any]:
    """A motion from each of some morphs to the next."""
    keys = w.array(times.astype(np.float32).reshape(-1, 1), "SCALAR", True)
    weights = w.array(np.eye(len(times), dtype=np.float32).reshape(-1, 1), "SCALAR")
    return {
        "name": f"{name}'s motion",
        "samplers": [{"input": keys, "output": weights, "interpolation": "LINEAR"}],
        "channels": [{"sampler": 0, "target": {"node": 0, "path": "weights"}}],
    }


def _y_up(v: NDArray[np.float32]) -> NDArray[np.float32]:
    """Vectors (..., 3) from east, north, up to axes with y up."""
    return np.ascontiguousarray(np.stack([v[..., 0], v[..., 2], -v[..., 1]], -1))


def _primitive(w: Writer, part: MeshPart) -> dict[str, Any]:
    """A part's arrays; corners of their own where it has normals or texture coordinates by corner."""
    own = part.uv is not None or part.normals is not None
    t = part.triangles.astype(np.int64)
    v = part.vertices[t].reshape(-1, 3) if own else part.vertices
    attributes = {"POSITION": w.array(_y_up(v), "VEC3", True)}
    if part.normals is not None:
        attributes["NORMAL"] = w.array(_y_up(part.normals.reshape(-1, 3)), "VEC3")
    if part.uv is not None:
        uv = part.uv.reshape(-1, 2)
        attributes["TEXCOORD_0"] = w.array(np.stack([uv[:, 0], 1 - uv[:, 1]], 1).astype(np.float32), "VEC2")
    out: dict[str, Any] = {"attributes": attributes}
    if not own:
        out["indices"] = w.array(t.reshape(-1, 1).astype(np.uint32), "SCALAR")
    return out


def material_of(w: Writer, s: MeshSurface, images: list[dict[str, Any]]) -> tuple[dict[str, Any], set[str]]:
    """A surface as a material, and the extensions that it needs; its textures go to ``images``."""
    extensions: dict[str, Any] = {}

    def texture(pixels: NDArray[np.uint8]) -> dict[str, Any]:
        out = io.BytesIO()
        Image.fromarray(pixels).save(out, "PNG")
        images.append({"bufferView": w.view(out.getvalue()), "mimeType": "image/png"})
        return {"index": len(images) - 1}

    own: dict[str, Any] = {
        "baseColorFactor": [*s.colour, 1.0],
        "roughnessFactor": s.roughness,
        "metallicFactor": s.metalness,
    }
    if s.colour_map is not None:
        own["baseColorTexture"] = texture(s.colour_map)
    if s.rough_map is not None:
        own["metallicRoughnessTexture"] = texture(s.rough_map)
    made: dict[str, Any] = {"name": s.name, "pbrMetallicRoughness": own, "doubleSided": True}
    if s.normal_map is not None:
        made["normalTexture"] = texture(s.normal_map)
    if s.glow_map is not None:
        made["emissiveTexture"] = texture(s.glow_map)
    if s.cutoff > 0:
        made |= {"alphaMode": "MASK", "alphaCutoff": s.cutoff}
    strongest = max(s.glow) / NITS
    if strongest > 0:
        made["emissiveFactor"] = [g / NITS / max(strongest, 1.0) for g in s.glow]
        if strongest > 1:
            extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": strongest}
    if s.clear > 0:
        extensions["KHR_materials_transmission"] = {"transmissionFactor": s.clear}
        if not s.thin:
            extensions["KHR_materials_volume"] = {
                "thicknessFactor": 1.0,
                "attenuationDistance": 1.0,
                "attenuationColor": [float(np.exp(-a)) for a in s.absorption],
            }
    if s.refraction != 1.5:
        extensions["KHR_materials_ior"] = {"ior": s.refraction}
    if s.coat > 0:
        extensions["KHR_materials_clearcoat"] = {
            "clearcoatFactor": s.coat,
            "clearcoatRoughnessFactor": s.coat_roughness,
        }
    if extensions:
        made["extensions"] = extensions
    return made, set(extensions)
