"""A glTF's own motion: its animations' values at a time, and the model posed by them.

References
----------
Khronos Group, glTF 2.0 specification, section 3.11 and appendix C (interpolation: step, linear with spherical turns,
cubic spline).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.gltf import DAMAGE, Gltf, damaged, opened, unpack_views
from lumwick.built.gltf_scene import pieces
from lumwick.built.meshes import grouped, read_mesh, upright
from lumwick.errors import PlaceError
from lumwick.once import sized

JOINTS_AT_MOST = 4000
"""Joints that a moving model may have."""
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Motion:
    """One of a file's animations: its name and its length [s]."""

    name: str
    seconds: float


@dataclass(frozen=True)
class _Track:
    """Keys of one node's value: times (n,), values (n, k) or for splines (n, 3, k)."""

    node: int
    path: str
    how: str
    times: Floats
    values: Floats

    def at(self, t: float) -> Floats:
        """Its value at a time, held before the first key and after the last."""
        times, values = self.times, self.values
        if self.how == "CUBICSPLINE":
            points = values[:, 1]
        else:
            points = values
        if t <= times[0] or len(times) == 1:
            return self._unit(points[0])
        if t >= times[-1]:
            return self._unit(points[-1])
        k = int(np.searchsorted(times, t, side="right")) - 1
        step = float(times[k + 1] - times[k])
        s = (t - float(times[k])) / step
        if self.how == "STEP":
            return self._unit(points[k])
        if self.how == "CUBICSPLINE":
            a, b, c, d = points[k], step * values[k, 2], points[k + 1], step * values[k + 1, 0]
            s2, s3 = s * s, s * s * s
            return self._unit((2 * s3 - 3 * s2 + 1) * a + (s3 - 2 * s2 + s) * b + (3 * s2 - 2 * s3) * c + (s3 - s2) * d)
        if self.path == "rotation":
            return _slerp(self._unit(points[k]), self._unit(points[k + 1]), s)
        return np.asarray((1 - s) * points[k] + s * points[k + 1])

    def _unit(self, value: Floats) -> Floats:
        if self.path != "rotation":
            return value
        return np.asarray(value / max(float(np.linalg.norm(value)), 1e-12))


def _slerp(a: Floats, b: Floats, s: float) -> Floats:
    """The turn from one unit quaternion to another by the shorter way."""
    cos = float(a @ b)
    if cos < 0:
        b, cos = -b, -cos
    if cos > 0.9995:
        out = a + s * (b - a)
        return np.asarray(out / np.linalg.norm(out))
    angle = float(np.arccos(cos))
    return np.asarray((np.sin((1 - s) * angle) * a + np.sin(s * angle) * b) / np.sin(angle))


WIDE = {"translation": 3, "rotation": 4, "scale": 3}


def _tracks(g: Gltf, animation: dict[str, Any]) -> list[_Track]:
    out = []
    for channel in animation.get("channels") or []:
        node, path = channel["target"].get("node"), channel["target"]["path"]
        if node is None or path not in (*WIDE, "weights"):
            continue
        sampler = animation["samplers"][channel["sampler"]]
        times = g.array(sampler["input"]).astype(float).ravel()
        how = sampler.get("interpolation", "LINEAR")
        values = g.array(sampler["output"]).astype(float)
        if not len(times):
            continue
        if not np.isfinite(times).all() or (np.diff(times) < 0).any() or not np.isfinite(values).all():
            raise ValueError("an animation's keys are no numbers, or out of order")
        each = 3 if how == "CUBICSPLINE" else 1
        wide = WIDE.get(path) or values.size // (len(times) * each)
        if values.size != len(times) * each * wide or not wide:
            raise ValueError("an animation has another number of values than of keys")
        values = values.reshape((len(times), 3, wide) if each == 3 else (len(times), wide))
        out.append(_Track(int(node), path, how, times, values))
    return out


class _Kept(Gltf):
    """A document that keeps the arrays it has read: a moving model is posed again and again."""

    def __init__(self, told: dict[str, Any], buffers: list[bytes]) -> None:
        super().__init__(told, buffers)
        self._kept: dict[int, NDArray[Any]] = {}

    def array(self, number: int) -> NDArray[Any]:
        if number not in self._kept:
            self._kept[number] = super().array(number)
        return self._kept[number]


class Moving:
    """A model that its file moves.

    Attributes
    ----------
    mesh : Mesh
        Before anything moves.
    motions : tuple of Motion
    """

    def __init__(self, data: bytes, name: str, y_up: bool) -> None:
        self.name, self.y_up = name, y_up
        self.mesh = read_mesh(data, name, y_up)
        try:
            told, _ = opened(data)
            unpack_views(told)
            self.g = _Kept(told.told, told.buffers)
            read = [(one, _tracks(self.g, one)) for one in self.g.all("animations")]
            kept = [(one, tracks) for one, tracks in read if tracks]  # one without keys moves nothing
            animations, self._tracks = [one for one, _ in kept], [tracks for _, tracks in kept]
            joints = max((len(skin["joints"]) for skin in self.g.all("skins")), default=0)
        except DAMAGE as error:
            raise damaged(name) from error
        if joints > JOINTS_AT_MOST:
            raise PlaceError(f"{name} has a skin of {joints:,} joints: at most {JOINTS_AT_MOST:,} can be moved.")
        self.motions = tuple(
            Motion(
                str(one.get("name") or f"motion {k + 1}"),
                max((float(track.times[-1]) for track in tracks), default=0.0),
            )
            for k, (one, tracks) in enumerate(zip(animations, self._tracks, strict=True))
        )

    def number(self, name: str) -> int:
        """Which motion is called so; the first if no name is given.

        Raises
        ------
        PlaceError
            There is none.
        """
        names = [one.name for one in self.motions]
        if not names:
            raise PlaceError(f"{self.name} has no motion of its own.")
        if name and name not in names:
            raise PlaceError(f"{self.name} has no motion {name!r}: choose one of {', '.join(names)}.")
        return names.index(name) if name else 0

    def posed(self, motion: int, t: float) -> list[tuple[NDArray[np.float32], NDArray[np.float32] | None]]:
        """Vertices (n, 3) [m] and corners' normals (m, 3, 3) or None of each of the mesh's parts at a time [s]."""
        nodes = [dict(node) for node in self.g.all("nodes")]
        for track in self._tracks[motion]:
            node = nodes[track.node]
            if track.path != "weights" and "matrix" in node:
                _apart(node)
            node[track.path] = track.at(t).tolist()
        try:
            groups = grouped(pieces(self.g, [], nodes))
        except DAMAGE as error:
            raise damaged(self.name) from error
        out: list[tuple[NDArray[np.float32], NDArray[np.float32] | None]] = []
        parts = iter(self.mesh.parts)
        for group, whole in zip(groups, self.mesh.kept, strict=True):
            if not whole:
                continue
            part = next(parts)
            v, normals = group.vertices, group.normals
            if self.y_up:
                v, normals = upright(v), None if normals is None else upright(normals)
            v = np.where(np.isfinite(v), v, 0).astype(np.float32)
            out.append((v, None if normals is None else normals[part.triangles.astype(np.int64)].astype(np.float32)))
        return out


def _apart(node: dict[str, Any]) -> None:
    """A node's matrix as a translation, a turn and a scale, so that they can move."""
    from scipy.spatial.transform import Rotation

    m = np.asarray(node.pop("matrix"), float).reshape(4, 4).T
    size = np.linalg.norm(m[:3, :3], axis=0)
    if np.linalg.det(m[:3, :3]) < 0:
        size[0] = -size[0]
    turn = m[:3, :3] / np.where(np.abs(size) > 1e-12, size, 1)
    node |= {"translation": m[:3, 3].tolist(), "rotation": Rotation.from_matrix(turn).as_quat().tolist()}
    node["scale"] = size.tolist()


@sized(400_000_000)
def moving(data: bytes, name: str, y_up: bool) -> Moving:
    """A moving model from a file's bytes, read once."""
    return Moving(data, name, y_up)


def played_at(how: str, rate: float, start: float, seconds: float, t: float, loop: float | None) -> float:
    """The time within a motion of a length [s] that is shown at a clip time.

    Parameters
    ----------
    how : str
        once, looping, or to and fro.
    loop : float or None [s]
        Length over which it must come round: then its rate is the nearest that does, and never less than once.
    """
    if seconds <= 0:
        return 0.0
    way = 2 * seconds if how == "to and fro" else seconds
    if loop and how != "once" and rate:
        rounds = max(1, round(abs(rate) * loop / way))
        rate = np.sign(rate) * rounds * way / loop
    s = (t - start) * rate
    if how == "once":
        return float(np.clip(s if rate >= 0 else seconds + s, 0.0, seconds))
    s = round(float(s % way), 9) % way  # what comes round is the same to the last bit
    return s if s <= seconds else way - s
