"""Paths from the cameras of a glTF file, with the motion of every node above them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation, Slerp

from lumwick.built.gltf import DAMAGE, opened
from lumwick.deliver.paths_in.brought import Floats, Path3
from lumwick.deliver.paths_in.camera import Y_UP, camera_track, sample_times
from lumwick.errors import PlaceError, RouteError
from lumwick.lens.lens import FULL_FRAME_MM
from lumwick.place.nature import Site

MOVING = ("translation", "rotation", "scale")
CAMERAS_AT_MOST = 500


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The cameras of a glTF file.

    Raises
    ------
    RouteError
    """
    scene = _Scene(data, name)
    cameras = [i for i, node in enumerate(scene.nodes) if node.get("camera") is not None]
    if len(cameras) > CAMERAS_AT_MOST:
        raise RouteError(f"{name} holds {len(cameras):,} cameras: at most {CAMERAS_AT_MOST} can be chosen from.")
    try:
        return [_camera(scene, node, f"camera {k}", rate) for k, node in enumerate(cameras, 1)]
    except DAMAGE as error:
        raise RouteError(f"{name} is no glTF that can be read: {str(error).rstrip('.') or 'it is damaged'}.") from None


class _Scene:
    """The nodes of a file and how they move."""

    def __init__(self, data: bytes, name: str) -> None:
        try:
            self.gltf, missing = opened(data)
            if missing:
                raise RouteError(f"{name} keeps its numbers in another file: bring a .glb, which holds everything.")
            self.nodes = self.gltf.all("nodes")
            self.parents = {child: i for i, node in enumerate(self.nodes) for child in node.get("children") or []}
            if any(not 0 <= child < len(self.nodes) for child in self.parents):
                raise ValueError("one of its nodes is not in the file")
            self.moved: dict[tuple[int, str], tuple[Floats, Floats, str]] = {}
            for animation in self.gltf.all("animations"):
                for channel in animation.get("channels") or []:
                    target, sampler = channel["target"], animation["samplers"][channel["sampler"]]
                    if target.get("path") not in MOVING:
                        continue
                    keys, values = self._keys(sampler["input"]), self.gltf.array(sampler["output"]).astype(float)
                    how = sampler.get("interpolation", "LINEAR")
                    if len(values) != len(keys) * (3 if how == "CUBICSPLINE" else 1) or not np.isfinite(values).all():
                        raise ValueError("an animation has another number of values than of keys")
                    self.moved.setdefault((target.get("node"), target["path"]), (keys, values, how))
        except (PlaceError, *DAMAGE) as error:
            raise RouteError(
                f"{name} is no glTF that can be read: {str(error).rstrip('.') or 'it is damaged'}."
            ) from None

    def _keys(self, number: int) -> Floats:
        """When an animation has keys [s]."""
        keys = self.gltf.array(number).astype(float).ravel()
        if not len(keys) or not np.isfinite(keys).all() or (np.diff(keys) < 0).any():
            raise ValueError("an animation's keys are no numbers, or out of order")
        return keys

    def chain(self, node: int) -> list[int]:
        """A node and those above it."""
        chain = [node]
        while chain[-1] in self.parents:
            chain.append(self.parents[chain[-1]])
            if len(chain) > len(self.nodes):
                raise RouteError("This file cannot be used: its nodes hang from one another in a ring.")
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
        n = self.nodes[node]
        if n.get("matrix") is not None:
            return np.broadcast_to(np.asarray(n["matrix"], float).reshape(4, 4).T, (len(t), 4, 4))
        local = np.broadcast_to(np.eye(4), (len(t), 4, 4)).copy()
        turn = Rotation.from_quat(self._value(node, "rotation", n.get("rotation") or [0, 0, 0, 1], t)).as_matrix()
        local[:, :3, :3] = turn * self._value(node, "scale", n.get("scale") or [1, 1, 1], t)[:, None, :]
        local[:, :3, 3] = self._value(node, "translation", n.get("translation") or [0, 0, 0], t)
        return local

    def _value(self, node: int, what: str, rest: Any, t: Floats) -> Floats:
        if (node, what) not in self.moved:
            return np.broadcast_to(np.asarray(rest, float), (len(t), len(rest)))
        return gltf_sampler(*self.moved[node, what], t, what == "rotation")


def _camera(scene: _Scene, index: int, called: str, rate: float) -> Path3:
    node, keys = scene.nodes[index], scene.keys(index)
    t = sample_times(keys, rate)
    axes = np.eye(4)
    axes[:3, :3] = Y_UP
    lens = scene.gltf.all("cameras")[node["camera"]].get("perspective")
    focal = 28.0
    if lens is not None:
        focal = FULL_FRAME_MM / 2 / (np.tan(float(lens["yfov"]) / 2) * float(lens.get("aspectRatio") or 16 / 9))
    track = camera_track(t, axes @ scene.world(index, t), np.full(len(t), float(focal)))
    extras = node["extras"] if isinstance(node.get("extras"), dict) else {}
    lenses = extras.get("focal_mm")  # as our own export writes a zoom, which glTF has no word for
    if isinstance(lenses, list) and len(lenses) > 1 and len(keys):
        own = np.linspace(t[0], t[-1], len(lenses))
        track = replace(track, focal=np.interp(t, own, np.asarray(lenses, float)))
    return Path3(str(node.get("name") or called), track.position, times=t, track=track)


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
