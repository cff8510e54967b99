"""What cameras of any file have in common: axes, a track from matrices, when to sample them."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from lumwick.deliver.paths_in.brought import Floats
from lumwick.errors import RouteError
from lumwick.route.track import Track, pose_angles

GRID = 1 / 120
"""Seconds between samples of a camera whose file does more than go straight from key to key."""
SAMPLES_AT_MOST, LATEST = 400_000, 1e6
Y_UP = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])
"""From axes with y up to east, north, up."""


def camera_track(t: Floats, matrices: Floats, focal: Floats) -> Track:
    """A track from camera matrices (n, 4, 4): columns right, up, backward and place, in metres east, north, up."""
    right, up, back = (matrices[:, :3, k] / np.linalg.norm(matrices[:, :3, k], axis=1, keepdims=True) for k in range(3))
    bearing, pitch, roll = pose_angles(Rotation.from_matrix(np.stack([right, -back, up], -1)))
    return Track(t, matrices[:, :3, 3], bearing, pitch, roll, focal)


def sample_times(keys: Floats, rate: float) -> Floats:
    """Times to sample a camera at: its keys, and frames and finer steps between them."""
    if len(keys) < 2:
        return keys if len(keys) else np.zeros(1)
    step = min(GRID, 1 / rate)
    count = (keys[-1] - keys[0]) / step
    if not count <= SAMPLES_AT_MOST or len(keys) > SAMPLES_AT_MOST or abs(keys[0]) > LATEST:
        raise RouteError(
            f"This camera moves for {(keys[-1] - keys[0]) / 60:,.0f} minutes: at most 55 can be brought in."
        )
    frames = np.arange(np.ceil(keys[0] * rate - 1e-9), np.floor(keys[-1] * rate + 1e-9) + 1) / rate
    t = np.unique(np.concatenate([keys, frames, np.arange(keys[0], keys[-1], step)]).round(9))
    return np.asarray(t[np.concatenate([[True], np.diff(t) > 1e-6])])
