"""A shot's camera by time, as it is handed on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from lumwick.lens.camera import Camera
from lumwick.motion.timebase import RATES, frame_time
from lumwick.place.document import Shot
from lumwick.route.track import Track, pose_angles
from lumwick.snapshot.evaluate import Setting, camera_at

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Handed:
    """A shot, its track with a sample at the start of each frame, and the cameras there."""

    shot: Shot
    track: Track
    cameras: list[Camera]


def by_time(setting: Setting, shot: Shot) -> Handed:
    """A shot's camera at the start of each frame."""
    t = np.array([frame_time(n, RATES[shot.fps]) for n in range(1, shot.frames + 1)], float)
    way = setting.camera_path(shot)
    cameras = [camera_at(setting, shot, float(v), way) for v in t]
    axes = []
    for camera in cameras:
        right, up = camera.axes()
        axes.append(np.stack([right, camera.forward / np.linalg.norm(camera.forward), up], -1))
    bearing, pitch, roll = pose_angles(Rotation.from_matrix(np.stack(axes)))
    position, focal = np.array([c.position for c in cameras]), np.array([c.focal_mm for c in cameras])
    return Handed(shot, Track(t, position, bearing, pitch, roll, focal), cameras)
