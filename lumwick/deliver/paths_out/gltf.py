"""Cameras as glTF, with their places, turns and lenses by time."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pygltflib as pg
from scipy.spatial.transform import Rotation

from lumwick.deliver.paths_in.camera import Y_UP
from lumwick.deliver.paths_out.handed import Floats, Handed
from lumwick.lens.lens import Lens
from lumwick.snapshot.evaluate import Setting

ASPECT = 16 / 9


class _Blob:
    """The numbers of a file, one after another."""

    def __init__(self, gltf: pg.GLTF2) -> None:
        self.gltf, self.data = gltf, b""

    def accessor(self, values: Floats, kind: str, bounds: bool = False) -> int:
        """Add numbers (n,) or (n, k); gives their accessor's index."""
        data = np.ascontiguousarray(values, "<f4")
        self.gltf.bufferViews.append(pg.BufferView(buffer=0, byteOffset=len(self.data), byteLength=data.nbytes))
        extra = {"min": [float(data.min())], "max": [float(data.max())]} if bounds else {}
        view = len(self.gltf.bufferViews) - 1
        self.gltf.accessors.append(
            pg.Accessor(bufferView=view, componentType=pg.FLOAT, count=len(data), type=kind, **extra)
        )
        self.data += data.tobytes()
        return len(self.gltf.accessors) - 1


def write(setting: Setting, cameras: Sequence[Handed], suffix: str) -> bytes:
    """Cameras as a binary glTF file, y up; lenses by time, which glTF has no word for, stand in a node's extras."""
    gltf = pg.GLTF2(
        asset=pg.Asset(version="2.0", generator="Lumwick"), scene=0, scenes=[pg.Scene(nodes=list(range(len(cameras))))]
    )
    blob = _Blob(gltf)
    for k, camera in enumerate(cameras):
        place, turn = _poses(camera)
        gltf.cameras.append(_lens(camera))
        gltf.nodes.append(
            pg.Node(
                name=camera.shot.id,
                camera=k,
                translation=place[0].astype(np.float32).tolist(),
                rotation=turn[0].astype(np.float32).tolist(),
                extras={
                    "focal_mm": [round(float(v), 5) for v in camera.track.focal],
                    "frames_per_second": camera.shot.fps,
                },
            )
        )
        if len(camera.track.t) > 1:
            gltf.animations.append(_animation(blob, k, camera, place, turn))
    if blob.data:
        gltf.buffers.append(pg.Buffer(byteLength=len(blob.data)))
        gltf.set_binary_blob(blob.data)
    return b"".join(gltf.save_to_bytes())


def _poses(camera: Handed) -> tuple[Floats, Floats]:
    """Places (n, 3) [m] and turns as quaternions (n, 4) that do not jump, y up."""
    _, turn, _ = camera.track.at(camera.track.t)
    m = turn.as_matrix()  # right, forward, up
    axes = np.stack([m[:, :, 0], m[:, :, 2], -m[:, :, 1]], -1)  # right, up, backward
    quaternion = Rotation.from_matrix(Y_UP.T @ axes).as_quat()
    flip = np.cumprod(np.concatenate([[1.0], np.where((quaternion[1:] * quaternion[:-1]).sum(1) < 0, -1.0, 1.0)]))
    return camera.track.position @ Y_UP, quaternion * flip[:, None]


def _lens(camera: Handed) -> pg.Camera:
    height = 2 * np.arctan(Lens(camera.track.focal[0]).tangent / ASPECT)
    view = pg.Perspective(aspectRatio=ASPECT, yfov=float(height), znear=0.05, zfar=20000.0)
    return pg.Camera(name=camera.shot.name, type="perspective", perspective=view)


def _animation(blob: _Blob, node: int, camera: Handed, place: Floats, turn: Floats) -> pg.Animation:
    times = blob.accessor(camera.track.t, "SCALAR", True)
    outputs = (blob.accessor(place, "VEC3"), blob.accessor(turn, "VEC4"))
    return pg.Animation(
        name=camera.shot.name,
        samplers=[pg.AnimationSampler(input=times, output=o, interpolation="LINEAR") for o in outputs],
        channels=[
            pg.AnimationChannel(sampler=i, target=pg.AnimationChannelTarget(node=node, path=path))
            for i, path in enumerate(("translation", "rotation"))
        ],
    )
