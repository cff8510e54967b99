"""A place as binary glTF: things, lamps and cameras as they go, plants as instances as they stand when it starts.

References
----------
Khronos Group, glTF 2.0; KHR_lights_punctual; EXT_mesh_gpu_instancing.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.atomic import part_of
from lumwick.built.gltf import Writer
from lumwick.built.gltf_out import material_of
from lumwick.built.lamps import LampLight
from lumwick.built.meshes import MeshSurface
from lumwick.deliver.paths_out.gltf import ASPECT
from lumwick.deliver.whole.gathered import Floats, Form, Whole
from lumwick.deliver.whole.usd import aimed, apart
from lumwick.lens.colour import temperature_rgb
from lumwick.lens.lens import Lens

Y_UP = [-float(np.sqrt(0.5)), 0.0, 0.0, float(np.sqrt(0.5))]
"""The turn from axes with z up to such with y up."""
F = np.float32


def write(whole: Whole, out: Path) -> None:
    """Write the file, whole or not at all."""
    part = part_of(out)
    try:
        part.write_bytes(_Scene(whole).file())
        os.replace(part, out)
    finally:
        part.unlink(missing_ok=True)


def _triangles(faces: NDArray[np.uint32]) -> NDArray[np.uint32]:
    return faces if faces.shape[1] == 3 else np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]])


class _Scene:
    """Puts a document together: one root that stands it up, and everything under it."""

    def __init__(self, whole: Whole) -> None:
        self.whole, self.w = whole, Writer()
        self.nodes: list[dict[str, Any]] = [{"name": "the place", "rotation": Y_UP, "children": []}]
        self.meshes: list[dict[str, Any]] = []
        self.materials: list[dict[str, Any]] = []
        self.images: list[dict[str, Any]] = []
        self.lights: list[dict[str, Any]] = []
        self.cameras: list[dict[str, Any]] = []
        self.samplers: list[dict[str, Any]] = []
        self.channels: list[dict[str, Any]] = []
        self.used: set[str] = set()
        self._known: dict[Any, int] = {}
        self._kept: list[MeshSurface] = []
        seconds = (np.arange(whole.frames) / whole.rate).astype(F).reshape(-1, 1)
        self.times = self.w.array(seconds, "SCALAR", True) if whole.frames > 1 else -1

    def file(self) -> bytes:
        for form in self.whole.forms:
            self._form(form)
        if "lamps" in self.whole.range.kinds:
            self._lamps()
        self._camera()
        told: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Lumwick"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": self.nodes,
            "meshes": self.meshes,
            "materials": self.materials,
            "images": self.images,
            "textures": [{"source": k} for k in range(len(self.images))],
            "cameras": self.cameras,
            "extensionsUsed": sorted(self.used),
        }
        if self.lights:
            told["extensions"] = {"KHR_lights_punctual": {"lights": self.lights}}
        if self.channels:
            told["animations"] = [{"name": self.whole.shot.name, "samplers": self.samplers, "channels": self.channels}]
        if not self.nodes[0]["children"]:
            del self.nodes[0]["children"]
        return self.w.file(told)

    def _node(self, node: dict[str, Any]) -> int:
        self.nodes.append(node)
        self.nodes[0]["children"].append(len(self.nodes) - 1)
        return len(self.nodes) - 1

    def _form(self, form: Form) -> None:
        where, turns, size = apart(form.placed[0])
        mesh = self._mesh(form)
        if len(where) > 1 or form.kind == "plants":
            attributes = {
                "TRANSLATION": self.w.array(where.astype(F), "VEC3"),
                "ROTATION": self.w.array(turns.astype(F), "VEC4"),
                "SCALE": self.w.array(size.astype(F), "VEC3"),
            }
            self.used.add("EXT_mesh_gpu_instancing")
            many = {"EXT_mesh_gpu_instancing": {"attributes": attributes}}
            self._node({"name": form.name, "mesh": mesh, "extensions": many})
            return
        node = self._node({"name": form.name, "mesh": mesh, **_pose(where[0], turns[0], size[0])})
        if form.goes:
            self._animate(node, np.array([m[0] for m in form.placed]), True)

    def _animate(self, node: int, placed: Floats, scaled: bool) -> None:
        """Keys at each frame for a node's placements (n, 3, 4)."""
        if self.times < 0:
            return
        where, turns, size = apart(placed)
        flip = np.cumprod(np.concatenate([[1.0], np.where((turns[1:] * turns[:-1]).sum(1) < 0, -1.0, 1.0)]))
        rows = [("translation", where, "VEC3"), ("rotation", turns * flip[:, None], "VEC4")]
        for path, values, kind in [*rows, ("scale", size, "VEC3")] if scaled else rows:
            output = self.w.array(np.ascontiguousarray(values, F), kind)
            self.samplers.append({"input": self.times, "output": output, "interpolation": "LINEAR"})
            target = {"node": node, "path": path}
            self.channels.append({"sampler": len(self.samplers) - 1, "target": target})

    def _mesh(self, form: Form) -> int:
        faces, v = form.faces, form.vertices[0]
        ends = [0, *(min(c, len(faces)) for c in form.cut), len(faces)] if len(form.surfaces) > 1 else [0, len(faces)]
        primitives = []
        shared = self.w.array(np.ascontiguousarray(v, F), "VEC3", True) if form.part is None else -1
        for k, surface in enumerate(form.surfaces):
            mine = faces[ends[k] : ends[k + 1]]
            if not len(mine):
                continue
            one: dict[str, Any] = {"material": self._material(surface)}
            part = form.part
            if part is not None and (part.normals is not None or part.uv is not None):
                own = np.ascontiguousarray(v[mine].reshape(-1, 3), F)
                one["attributes"] = {"POSITION": self.w.array(own, "VEC3", True)}
                if part.normals is not None:
                    n = part.normals.reshape(-1, 3)
                    n = n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-12)
                    one["attributes"]["NORMAL"] = self.w.array(n.astype(F), "VEC3")
                if part.uv is not None:
                    uv = part.uv.reshape(-1, 2)
                    flipped = np.stack([uv[:, 0], 1 - uv[:, 1]], 1).astype(F)
                    one["attributes"]["TEXCOORD_0"] = self.w.array(flipped, "VEC2")
            else:
                if shared < 0:
                    shared = self.w.array(np.ascontiguousarray(v, F), "VEC3", True)
                one["attributes"] = {"POSITION": shared}
                corners = _triangles(mine).astype(np.uint32).reshape(-1, 1)
                one["indices"] = self.w.array(corners, "SCALAR")
            primitives.append(one)
        self.meshes.append({"name": form.title, "primitives": primitives})
        return len(self.meshes) - 1

    def _material(self, s: MeshSurface) -> int:
        maps = (s.colour_map, s.normal_map, s.rough_map, s.glow_map)
        key = (s.name, s.colour, s.roughness, s.metalness, s.glow, s.clear, *(id(m) for m in maps))
        if key not in self._known:
            self._kept.append(s)
            made, extensions = material_of(self.w, s, self.images)
            self.used |= extensions
            self.materials.append(made)
            self._known[key] = len(self.materials) - 1
        return self._known[key]

    def _lamps(self) -> None:
        known = {lamp.id: lamp for now in self.whole.lamps for lamp in now}
        for name, first in known.items():
            self.lights.append(_light(first))
            placed = []
            for now in self.whole.lamps:
                lamp = next((one for one in now if one.id == name), first)
                placed.append(aimed(lamp.position, lamp.direction))
            self._light_node(first.name, np.array(placed))
        sun = max((lux for _, lux in self.whole.suns), key=lambda lux: float(lux[1]))
        strength = float(sun[1])
        colour = [float(c) for c in np.clip(sun / max(float(sun.max()), 1e-9), 0, 1)]
        self.lights.append({"type": "directional", "name": "the sun", "color": colour, "intensity": strength})
        self._light_node("the sun", np.array([aimed(np.zeros(3), -d) for d, _ in self.whole.suns]))

    def _light_node(self, name: str, placed: Floats) -> None:
        self.used.add("KHR_lights_punctual")
        where, turns, size = apart(placed[:1])
        light = {"KHR_lights_punctual": {"light": len(self.lights) - 1}}
        node = self._node({"name": name, **_pose(where[0], turns[0], size[0]), "extensions": light})
        if np.abs(placed - placed[0]).max() > 1e-6:
            self._animate(node, placed, False)

    def _camera(self) -> None:
        camera = self.whole.camera
        if camera is None:
            return
        track, span = camera.track, self.whole.range
        _, turn, _ = track.at(track.t)
        m = turn.as_matrix()  # right, forward, up
        axes = np.stack([m[:, :, 0], m[:, :, 2], -m[:, :, 1], track.position], -1)[span.first - 1 : span.last]
        height = 2 * np.arctan(Lens(track.focal[span.first - 1]).tangent / ASPECT)
        view = {"aspectRatio": ASPECT, "yfov": float(height), "znear": 0.05, "zfar": 20000.0}
        self.cameras.append({"type": "perspective", "name": camera.shot.name, "perspective": view})
        where, turns, size = apart(axes[:1])
        node = self._node({"name": camera.shot.id, "camera": 0, **_pose(where[0], turns[0], size[0])})
        self._animate(node, axes, False)


def _pose(where: Floats, turn: Floats, size: Floats) -> dict[str, Any]:
    """A node's translation, rotation and scale, where they are not the usual."""
    turn = turn / np.linalg.norm(turn)
    out = {"translation": [float(v) for v in where], "rotation": [float(np.clip(v, -1, 1)) for v in turn]}
    if np.abs(size - 1).max() > 1e-6:
        out["scale"] = [float(v) for v in size]
    return out


def _light(lamp: LampLight) -> dict[str, Any]:
    """A lamp as the nearest of glTF's lights; those with an area shine as a point or a wide spot of their strength."""
    colour = temperature_rgb(lamp.kelvin)
    out: dict[str, Any] = {
        "name": lamp.name,
        "color": [float(c) for c in np.clip(colour / max(float(colour.max()), 1e-9), 0, 1)],
    }
    if lamp.kind == "parallel":
        return {**out, "type": "directional", "intensity": lamp.amount}
    out["intensity"] = float(lamp.intensity())
    if lamp.kind in ("point", "line"):
        return {**out, "type": "point"}
    outer = lamp.outer if lamp.kind == "spot" else 89.9
    inner = min(lamp.inner, outer - 0.01) if lamp.kind == "spot" else 0.0
    cone = {"innerConeAngle": float(np.radians(inner)), "outerConeAngle": float(np.radians(outer))}
    return {**out, "type": "spot", "spot": cone}
