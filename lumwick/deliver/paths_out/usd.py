"""Cameras as USD, with everything by time."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Usd, UsdGeom

from lumwick.deliver.paths_out.handed import Handed
from lumwick.lens.lens import FULL_FRAME_MM
from lumwick.motion.timebase import RATES
from lumwick.snapshot.evaluate import Setting


def write(setting: Setting, cameras: Sequence[Handed], suffix: str) -> bytes:
    """Cameras as a USD stage in metres, z up, a time code each frame."""
    handle, path = tempfile.mkstemp(suffix=suffix)
    os.close(handle)
    os.unlink(path)
    try:
        stage = Usd.Stage.CreateNew(path)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        rate = float(RATES[cameras[0].shot.fps])
        stage.SetTimeCodesPerSecond(rate)
        stage.SetFramesPerSecond(rate)
        stage.SetStartTimeCode(1)
        stage.SetEndTimeCode(max(1 + (h.track.t[-1] * rate) for h in cameras))
        root = UsdGeom.Xform.Define(stage, "/cameras")
        stage.SetDefaultPrim(root.GetPrim())
        for h in cameras:
            add_camera(stage, h, rate)
        stage.GetRootLayer().Save()
        return Path(path).read_bytes()
    finally:
        Path(path).unlink(missing_ok=True)


def add_camera(
    stage: Any, h: Handed, rate: float, under: str = "/cameras", frames: tuple[int, int] | None = None
) -> None:
    """Add a camera by time to a USD stage.

    Parameters
    ----------
    frames : tuple of int
        First and last of those that are written; all if None.
    """
    shot, track = h.shot, h.track
    camera = UsdGeom.Camera.Define(stage, f"{under}/{_usd_name(shot.id)}")
    camera.GetPrim().SetDisplayName(shot.name)
    move = camera.AddTransformOp()
    camera.CreateHorizontalApertureAttr(FULL_FRAME_MM)
    camera.CreateVerticalApertureAttr(FULL_FRAME_MM * 9 / 16)
    camera.CreateClippingRangeAttr(Gf.Vec2f(0.05, 20000.0))
    lens, focus = camera.CreateFocalLengthAttr(), camera.CreateFocusDistanceAttr()
    stop = camera.CreateFStopAttr()
    _, turn, _ = track.at(track.t)
    for k, (t, m) in enumerate(zip(track.t, turn.as_matrix(), strict=True)):
        if frames is not None and not frames[0] <= k + 1 <= frames[1]:
            continue
        code = Usd.TimeCode(1 + t * rate)
        matrix = np.eye(4)
        matrix[0, :3], matrix[1, :3], matrix[2, :3], matrix[3, :3] = (
            m[:, 0],
            m[:, 2],
            -m[:, 1],
            track.position[k],
        )
        move.Set(Gf.Matrix4d(*matrix.ravel().tolist()), code)
        lens.Set(float(track.focal[k]), code)
        focus.Set(float(h.cameras[k].focus), code)
        stop.Set(float(h.cameras[k].f_number), code)


def _usd_name(shot_id: str) -> str:
    name = shot_id.replace("-", "_")
    return name if name[0].isalpha() else f"shot_{name}"
