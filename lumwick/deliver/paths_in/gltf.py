"""Paths from the cameras of a glTF file, with the motion of every node above them."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
import pygltflib
from scipy.spatial.transform import Rotation, Slerp

from lumwick.deliver.paths_in.brought import Floats, Path3
from lumwick.deliver.paths_in.camera import Y_UP, camera_track, sample_times
from lumwick.errors import RouteError
from lumwick.lens.lens import FULL_FRAME_MM
from lumwick.place.nature import Site

MOVING = ("translation", "rotation", "scale")
WIDTHS = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}
COMPONENTS = {5126: "<f4", 5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2"}
LARGEST = {5120: 127.0, 5121: 255.0, 5122: 32767.0, 5123: 65535.0}
"""What stands for 1 in a normalised integer (Khronos, glTF 2.0 specification, 3.11)."""


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The cameras of a glTF file.

    Raises
    ------
    RouteError
    """
    scene = _Scene(data, name)
    cameras = [i for i, node in enumerate(scene.gltf.nodes) if node.camera is not None]
    return [_camera(scene, node, f"camera {k}", rate) for k, node in enumerate(cameras, 1)]


def _open(data: bytes, name: str) -> pygltflib.GLTF2:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"in{PurePosixPath(name).suffix.lower()}"
        path.write_bytes(data)
        try:
            if data[:4] == b"glTF" and not (
                len(data) >= 20
                and int.from_bytes(data[4:8], "little") == 2
                and int.from_bytes(data[8:12], "little") <= len(data)
            ):
                raise ValueError("it is cut short, or not of version 2")
            gltf = pygltflib.GLTF2().load(str(path))
            if gltf is None:
                raise ValueError
            gltf.binary_blob()
        except Exception as error:  # the reader's own complaints are of many kinds
            raise RouteError(
                f"{name} is no glTF that can be read: {str(error) or 'nothing in it makes sense'}."
            ) from None
        return gltf


class _Scene:
    """The nodes of a file and how they move."""

    def __init__(self, data: bytes, name: str) -> None:
        self.name = name
        self.gltf = _open(data, name)
        self.parents = {child: i for i, node in enumerate(self.gltf.nodes) for child in node.children or []}
        self.moved: dict[tuple[int, str], tuple[Floats, Floats, str]] = {}
        for animation in self.gltf.animations or []:
            for channel in animation.channels:
                sampler = animation.samplers[channel.sampler]
                self.moved.setdefault(
                    (channel.target.node, channel.target.path),
                    (
                        self.numbers(sampler.input)[:, 0],
                        self.numbers(sampler.output),
                        sampler.interpolation or "LINEAR",
                    ),
                )

    def numbers(self, index: int) -> Floats:
        """An accessor's values, shape (count, width)."""
        accessor = self.gltf.accessors[index]
        view = self.gltf.bufferViews[accessor.bufferView]
        uri = self.gltf.buffers[view.buffer].uri
        raw = self.gltf.binary_blob() if uri is None else self.gltf.get_data_from_buffer_uri(uri)
        if raw is None:
            raise RouteError(f"{self.name} keeps its numbers in another file: bring a .glb, which holds everything.")
        width, kind = WIDTHS[accessor.type], COMPONENTS[accessor.componentType]
        stride = view.byteStride or np.dtype(kind).itemsize * width
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        rows = [np.frombuffer(raw, kind, width, start + k * stride) for k in range(accessor.count)]
        values = np.stack(rows).astype(float)
        most = LARGEST.get(accessor.componentType)
        return values if most is None else np.maximum(values / most, -1.0)

    def chain(self, node: int) -> list[int]:
        """A node and those above it."""
        chain = [node]
        while chain[-1] in self.parents:
            chain.append(self.parents[chain[-1]])
        return chain

    def keys(self, node: int) -> Floats:
        """When a node, or one above it, has keys, in order [s]."""
        times = [self.moved[j, what][0] for j in self.chain(node) for what in MOVING if (j, what) in self.moved]
        return np.unique(np.concatenate(times)) if times else np.zeros(0)

    def world(self, node: int, t: Floats) -> Floats:
        """A node's matrices at times, shape (n, 4, 4)."""
        whole = np.broadcast_to(np.eye(4), (len(t), 4, 4))
        for j in self.chain(node):
            whole = self._local(j, t) @ whole
        return whole

    def _local(self, node: int, t: Floats) -> Floats:
        n = self.gltf.nodes[node]
        if n.matrix is not None:
            return np.broadcast_to(np.asarray(n.matrix, float).reshape(4, 4).T, (len(t), 4, 4))
        local = np.broadcast_to(np.eye(4), (len(t), 4, 4)).copy()
        turn = Rotation.from_quat(self._value(node, "rotation", n.rotation or [0, 0, 0, 1], t)).as_matrix()
        local[:, :3, :3] = turn * self._value(node, "scale", n.scale or [1, 1, 1], t)[:, None, :]
        local[:, :3, 3] = self._value(node, "translation", n.translation or [0, 0, 0], t)
        return local

    def _value(self, node: int, what: str, rest: Any, t: Floats) -> Floats:
        if (node, what) not in self.moved:
            return np.broadcast_to(np.asarray(rest, float), (len(t), len(rest)))
        return gltf_sampler(*self.moved[node, what], t, what == "rotation")


def _camera(scene: _Scene, index: int, called: str, rate: float) -> Path3:
    node, keys = scene.gltf.nodes[index], scene.keys(index)
    t = sample_times(keys, rate)
    axes = np.eye(4)
    axes[:3, :3] = Y_UP
    lens = scene.gltf.cameras[node.camera].perspective
    focal = 28.0
    if lens is not None:
        focal = FULL_FRAME_MM / 2 / (np.tan(lens.yfov / 2) * (lens.aspectRatio or 16 / 9))
    track = camera_track(t, axes @ scene.world(index, t), np.full(len(t), float(focal)))
    extras = node.extras if isinstance(node.extras, dict) else {}
    lenses = extras.get("focal_mm")  # as our own export writes a zoom, which glTF has no word for
    if isinstance(lenses, list) and len(lenses) > 1 and len(keys):
        own = np.linspace(t[0], t[-1], len(lenses))
        track = replace(track, focal=np.interp(t, own, np.asarray(lenses, float)))
    return Path3(str(node.name or called), track.position, times=t, track=track)


def gltf_sampler(keys: Floats, values: Floats, how: str, t: Floats, quaternion: bool) -> Floats:
    """A glTF animation sampler at times (n,).

    References
    ----------
    Khronos, glTF 2.0 specification, appendix C (animation sampler interpolation modes).
    """
    if how == "CUBICSPLINE":
        values = values.reshape(len(keys), 3, -1)
        at = np.clip(t, keys[0], keys[-1])
        i = np.clip(np.searchsorted(keys, at, side="right") - 1, 0, max(len(keys) - 2, 0))
        j = np.minimum(i + 1, len(keys) - 1)
        d = np.maximum(keys[j] - keys[i], 1e-12)
        u, d = ((at - keys[i]) / d)[:, None], d[:, None]
        out = (
            (2 * u**3 - 3 * u**2 + 1) * values[i, 1]
            + d * (u**3 - 2 * u**2 + u) * values[i, 2]
            + (-2 * u**3 + 3 * u**2) * values[j, 1]
            + d * (u**3 - u**2) * values[j, 0]
        )
        return np.asarray(out / np.linalg.norm(out, axis=1, keepdims=True) if quaternion else out, float)
    if how == "STEP" or len(keys) == 1:
        return np.asarray(values[np.clip(np.searchsorted(keys, t, side="right") - 1, 0, len(keys) - 1)], float)
    if quaternion:
        return np.asarray(Slerp(keys, Rotation.from_quat(values))(np.clip(t, keys[0], keys[-1])).as_quat(), float)
    return np.stack([np.interp(t, keys, values[:, c]) for c in range(values.shape[1])], -1)
