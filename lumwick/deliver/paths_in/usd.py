"""Paths from the cameras of a USD file, with the motion of everything above them."""

from __future__ import annotations

import tempfile
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from pxr import Tf, Usd, UsdGeom

from lumwick.built.bring.usd_layers import opened_stage
from lumwick.built.gltf import DAMAGE
from lumwick.deliver.paths_in.brought import Floats, Path3
from lumwick.deliver.paths_in.camera import Y_UP, camera_track, sample_times
from lumwick.deliver.paths_in.gltf import CAMERAS_AT_MOST
from lumwick.errors import RouteError
from lumwick.lens.lens import Lens
from lumwick.place.nature import Site


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The cameras of a USD file.

    Raises
    ------
    RouteError
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"in{PurePosixPath(name).suffix.lower()}"
        path.write_bytes(data)
        stage = opened_stage(path.parent, path, lambda why: RouteError(f"{name} is no USD that can be read: {why}."))
        try:
            axes = np.eye(4)
            axes[:3, :3] = Y_UP if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y else np.eye(3)
            axes[:3, :3] *= UsdGeom.GetStageMetersPerUnit(stage)
            cameras = [prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Camera)]
            if len(cameras) > CAMERAS_AT_MOST:
                raise RouteError(f"{name} holds {len(cameras):,} cameras: at most {CAMERAS_AT_MOST} are offered.")
            return [_camera(stage, prim, axes, rate) for prim in cameras]
        except (Tf.ErrorException, *DAMAGE) as error:
            raise RouteError(f"{name} is no USD that can be read: what it holds does not fit together.") from error


def _keys(prim: Any) -> Floats:
    """Time codes at which a camera's lens, or anything that moves it, has samples."""
    codes = set(UsdGeom.Camera(prim).GetFocalLengthAttr().GetTimeSamples())
    while prim and not prim.IsPseudoRoot():
        if prim.IsA(UsdGeom.Xformable):
            codes |= set(UsdGeom.Xformable(prim).GetTimeSamples())
        prim = prim.GetParent()
    return np.array(sorted(codes), float)


def _camera(stage: Any, prim: Any, axes: Floats, rate: float) -> Path3:
    codes, per_second = _keys(prim), stage.GetTimeCodesPerSecond()
    first = codes[0] if len(codes) else 0.0
    t = sample_times((codes - first) / per_second, rate)
    cache = UsdGeom.XformCache()
    matrices, focal = np.zeros((len(t), 4, 4)), np.zeros(len(t))
    for k, seconds in enumerate(t):
        code = Usd.TimeCode(first + seconds * per_second) if len(codes) else Usd.TimeCode.Default()
        cache.SetTime(code)
        matrices[k] = np.array(cache.GetLocalToWorldTransform(prim)).T
        lens = UsdGeom.Camera(prim).GetCamera(code)
        focal[k] = Lens(lens.focalLength, lens.horizontalAperture).full_frame_mm
    world = axes @ matrices
    return Path3(prim.GetName(), world[:, :3, 3], times=t, track=camera_track(t, world, focal))
