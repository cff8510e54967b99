"""A glTF of any make as one binary file that needs nothing: no side files, no compression, plain floats."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from lumwick.built.gltf import (
    DAMAGE,
    DRACO,
    MESHOPT,
    MISSING,
    Gltf,
    Writer,
    damaged,
    from_draco,
    from_uri,
    opened,
    refuse_missing,
    unpack_views,
)
from lumwick.built.gltf_scene import check_scene
from lumwick.errors import PlaceError

UNPACKED = {*MESHOPT, DRACO, "KHR_mesh_quantization"}
TAKEN = {
    "KHR_materials_emissive_strength",
    "KHR_materials_transmission",
    "KHR_materials_volume",
    "KHR_materials_ior",
    "KHR_materials_clearcoat",
    "KHR_materials_unlit",
    "KHR_texture_transform",
    "KHR_lights_punctual",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
    "KHR_xmp_json_ld",
}
"""What is taken over of a model besides glTF's own; the last says nothing of how it looks."""
IN_WORDS = {
    "KHR_materials_sheen": "the sheen of its cloth",
    "KHR_materials_specular": "its own amount of gloss",
    "KHR_materials_iridescence": "its iridescence",
    "KHR_materials_anisotropy": "its brushed gloss",
    "KHR_materials_dispersion": "its glass's dispersion",
    "KHR_materials_diffuse_transmission": "light through its cloth or leaves",
    "KHR_materials_pbrSpecularGlossiness": "its older kind of gloss",
    "KHR_materials_variants": "its other sets of colours",
    "KHR_texture_basisu": "its KTX2 textures",
    "KHR_animation_pointer": "what moves in its materials",
    "KHR_node_visibility": "what of it is hidden",
}
"""What is left out, in words; what is not named here by its extension's name."""


def plain(data: bytes, name: str, find: Callable[[str], bytes | None], notes: list[str]) -> bytes:
    """The same model as a binary glTF without side files or extensions of how it is stored.

    Parameters
    ----------
    find : callable
        Bytes of a side file by its name, or None.
    notes : list of str
        What was left out is added to it, in words.

    Raises
    ------
    PlaceError
        It is damaged, or what holds its mesh is missing.
    """
    try:
        g, missing = opened(data, find)
    except DAMAGE as error:
        raise damaged(name) from error
    refuse_missing(name, missing)
    try:
        unpack_views(g)
        _check_nodes(g, name)
        check_scene(g, g.all("nodes"))
        return _Plain(g, find, notes).told()
    except PlaceError:
        raise
    except DAMAGE as error:
        raise damaged(name) from error


def _check_nodes(g: Gltf, name: str) -> None:
    """Refuse nodes that hang from themselves, from two others, or from none that is there."""
    nodes = g.all("nodes")
    parent: dict[int, int] = {}
    for k, node in enumerate(nodes):
        for child in node.get("children") or []:
            if not 0 <= child < len(nodes):
                raise PlaceError(f"{name} cannot be used: one of its nodes is not in the file.")
            if child in parent:
                raise PlaceError(f"{name} cannot be used: one of its nodes hangs from two others.")
            parent[child] = k
    for k in range(len(nodes)):
        at, steps = k, 0
        while at in parent:
            at, steps = parent[at], steps + 1
            if steps > len(nodes):
                raise PlaceError(f"{name} cannot be used: its nodes hang from one another in a ring.")


class _Plain:
    """Writes a document anew, array by array."""

    def __init__(self, g: Gltf, find: Callable[[str], bytes | None], notes: list[str]) -> None:
        self.g, self.find, self.notes = g, find, notes
        self.writer = Writer()
        self._pictures: dict[bytes, int] = {}
        self._written: dict[tuple[int, str], int] = {}

    def told(self) -> bytes:
        g = self.g
        told = {
            k: v for k, v in g.told.items() if k not in ("buffers", "bufferViews", "accessors", "extensionsRequired")
        }
        for extension in g.told.get("extensionsUsed") or []:
            if extension not in UNPACKED | TAKEN:
                self.notes.append(f"{IN_WORDS.get(extension, extension)} was left out")
        told["extensionsUsed"] = [e for e in g.told.get("extensionsUsed") or [] if e not in UNPACKED]
        told["meshes"] = [self._mesh(mesh) for mesh in g.all("meshes")]
        told["skins"] = [
            {**skin, "inverseBindMatrices": self._again(skin["inverseBindMatrices"], "MAT4")}
            if "inverseBindMatrices" in skin
            else skin
            for skin in g.all("skins")
        ]
        told["animations"] = [self._animation(one) for one in g.all("animations")]
        told["nodes"] = [self._node(node) for node in g.all("nodes")]
        told["images"] = [self._image(k, image) for k, image in enumerate(g.all("images"))]
        return self.writer.file(told)

    def _again(self, number: int, kind: str, whole: bool = False, bounds: bool = False) -> int:
        """An array as floats, or as whole numbers."""
        key = (number, kind + ("#" if whole else ""))
        if key not in self._written:
            values = self.g.array(number)
            self._written[key] = self._put(values, kind, whole, bounds)
        return self._written[key]

    def _put(self, values: NDArray[Any], kind: str, whole: bool, bounds: bool) -> int:
        values = values.astype(np.uint32 if whole and kind == "SCALAR" else (np.uint16 if whole else np.float32))
        if bounds and not np.isfinite(values).all():  # JSON holds no such numbers; the reader leaves them out
            bounds = False
        return self.writer.array(values, kind, bounds)

    def _mesh(self, mesh: dict[str, Any]) -> dict[str, Any]:
        return {**mesh, "primitives": [self._primitive(one) for one in mesh.get("primitives") or []]}

    def _primitive(self, one: dict[str, Any]) -> dict[str, Any]:
        out = {k: v for k, v in one.items() if k not in ("attributes", "indices", "targets", "extensions")}
        extensions = dict(one.get("extensions") or {})
        draco = extensions.pop(DRACO, None)
        if extensions:
            out["extensions"] = extensions
        if draco is not None:
            attributes, faces = from_draco(self.g.view(draco["bufferView"]), draco["attributes"])
            out["attributes"] = {
                name: self._put(values, f"VEC{values.shape[1]}", name.startswith("JOINTS"), name == "POSITION")
                for name, values in attributes.items()
            }
            out["indices"] = self._put(faces.reshape(-1, 1), "SCALAR", True, False)
        else:
            out["attributes"] = {
                name: self._again(
                    at, self.g.all("accessors")[at]["type"], name.startswith("JOINTS"), name == "POSITION"
                )
                for name, at in one["attributes"].items()
                if not name.startswith("_")
            }
            if "indices" in one:
                out["indices"] = self._again(one["indices"], "SCALAR", True)
        targets = [
            {name: self._again(at, "VEC3", False, name == "POSITION") for name, at in target.items() if at is not None}
            for target in one.get("targets") or []
        ]
        return {**out, "targets": targets} if targets else out

    def _animation(self, one: dict[str, Any]) -> dict[str, Any]:
        samplers = [
            {
                **sampler,
                "input": self._again(sampler["input"], "SCALAR", bounds=True),
                "output": self._again(sampler["output"], self.g.all("accessors")[sampler["output"]]["type"]),
            }
            for sampler in one.get("samplers") or []
        ]
        return {**one, "samplers": samplers}

    def _node(self, node: dict[str, Any]) -> dict[str, Any]:
        extensions = dict(node.get("extensions") or {})
        many = extensions.get("EXT_mesh_gpu_instancing")
        if many is None:
            return node
        kinds = {"TRANSLATION": "VEC3", "ROTATION": "VEC4", "SCALE": "VEC3"}
        rows = {n: self._again(at, kinds[n]) for n, at in many["attributes"].items() if n in kinds}
        extensions["EXT_mesh_gpu_instancing"] = {"attributes": rows}
        return {**node, "extensions": extensions}

    def _image(self, number: int, image: dict[str, Any]) -> dict[str, Any]:
        """An image held in the file; an empty one if it is missing or cannot be read."""
        what = PurePosixPath(unquote(str(image.get("uri") or ""))).name if "uri" in image else ""
        what = image.get("name") or (what if not what.startswith("data:") else "") or f"number {number + 1}"
        held = from_uri(image["uri"], self.find) if "uri" in image else self.g.view(image["bufferView"])
        kept = {k: v for k, v in image.items() if k not in ("uri", "bufferView", "mimeType")}
        if held is None:
            self.notes.append(f"the texture {what} is missing: a neutral grey stands for it")
            return {**kept, **self._held(_GREY, "image/png"), "extras": MISSING}
        known = next((mime for start, mime in _PICTURES.items() if held.startswith(start)), None)
        if known is None and held[8:12] == b"WEBP":
            known = "image/webp"
        if known is None:
            self.notes.append(f"the texture {what} cannot be read: a neutral grey stands for it")
            return {**kept, **self._held(_GREY, "image/png"), "extras": MISSING}
        return {**kept, **self._held(held, known)}

    def _held(self, data: bytes, mime: str) -> dict[str, Any]:
        key = hashlib.sha256(data).digest()
        if key not in self._pictures:
            self._pictures[key] = self.writer.view(data)
        return {"bufferView": self._pictures[key], "mimeType": mime}


_PICTURES = {b"\x89PNG": "image/png", b"\xff\xd8": "image/jpeg"}


def _grey() -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.new("RGB", (2, 2), (128, 128, 128)).save(out, "PNG")
    return out.getvalue()


_GREY = _grey()
