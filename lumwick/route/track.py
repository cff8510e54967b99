"""A path by samples: where a camera was, where it looked and through which lens, by time; as CSV.

Columns: time_s, east_m, north_m, up_m, bearing_deg (from north through east), pitch_deg, roll_deg (clockwise), focal_mm
(for a sensor 36 mm wide).
"""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial.transform import Rotation, Slerp

from lumwick.errors import RouteError
from lumwick.motion.turns import turn_of

Floats = NDArray[np.float64]
COLUMNS = ("time_s", "east_m", "north_m", "up_m", "bearing_deg", "pitch_deg", "roll_deg", "focal_mm")
ROWS_AT_MOST = 2_000_000


def pose_turn(bearing: ArrayLike, pitch: ArrayLike, roll: ArrayLike) -> Rotation:
    """The turns that bring x, y and z axes to a camera's right, forward and up; angles (n,) in degrees."""
    return turn_of(bearing, pitch) * Rotation.from_euler(
        "y", np.atleast_1d(np.asarray(roll, float))[:, None], degrees=True
    )


def pose_angles(turn: Rotation) -> tuple[Floats, Floats, Floats]:
    """Bearing, pitch and roll (n,) [degrees] of turns; bearings go on past 360."""
    right, forward = turn.apply([1.0, 0.0, 0.0]).reshape(-1, 3), turn.apply([0.0, 1.0, 0.0]).reshape(-1, 3)
    bearing = np.degrees(np.unwrap(np.arctan2(forward[:, 0], forward[:, 1])))
    pitch = np.degrees(np.arcsin(np.clip(forward[:, 2], -1, 1)))
    level = turn_of(bearing, pitch)
    roll = np.degrees(
        np.arctan2(-(right * level.apply([0.0, 0.0, 1.0])).sum(1), (right * level.apply([1.0, 0.0, 0.0])).sum(1))
    )
    return bearing, pitch, roll


@dataclass(frozen=True)
class Track:
    """Samples of a camera by time; arrays (n,) and position (n, 3)."""

    t: Floats
    position: Floats
    bearing: Floats
    pitch: Floats
    roll: Floats
    focal: Floats

    @property
    def length(self) -> float:
        """Of the path [m]."""
        return float(np.linalg.norm(np.diff(self.position, axis=0), axis=1).sum())

    def at(self, times: ArrayLike) -> tuple[Floats, Rotation, Floats]:
        """Position (n, 3), turn and focal length (n,) at times: straight from sample to sample, turning about one
        axis."""
        t = np.clip(np.atleast_1d(np.asarray(times, float)), self.t[0], self.t[-1])
        position = np.stack([np.interp(t, self.t, self.position[:, c]) for c in range(3)], -1)
        turns = pose_turn(self.bearing, self.pitch, self.roll)
        turn = Slerp(self.t, turns)(t) if len(self.t) > 1 else Rotation.from_quat(np.repeat(turns.as_quat(), len(t), 0))
        return position, turn, np.interp(t, self.t, self.focal)

    def csv(self) -> bytes:
        """The samples as text, with a line of names."""
        out = io.StringIO()
        out.write(",".join(COLUMNS) + "\n")
        np.savetxt(
            out,
            np.column_stack([self.t, self.position, self.bearing, self.pitch, self.roll, self.focal]),
            fmt="%.9g",
            delimiter=",",
        )
        return out.getvalue().encode()


def read_track(data: bytes, name: str = "The path") -> Track:
    """A track from its CSV.

    Raises
    ------
    RouteError
        It is none.
    """
    lines = data.decode("utf-8-sig", "replace").splitlines()
    if not lines or [c.strip() for c in lines[0].split(",")] != list(COLUMNS):
        raise RouteError(f"{name} is no path of ours: its first line must read {','.join(COLUMNS)}.")
    try:
        rows = np.loadtxt(lines[1:], delimiter=",", ndmin=2, dtype=float)
    except ValueError as error:
        raise RouteError(f"{name} holds a line that cannot be read: {error}.") from None
    if not 1 <= len(rows) <= ROWS_AT_MOST or rows.shape[1:] != (len(COLUMNS),) or not np.isfinite(rows).all():
        raise RouteError(f"{name} needs rows of {len(COLUMNS)} numbers, from one to {ROWS_AT_MOST:,} of them.")
    if (np.diff(rows[:, 0]) <= 0).any():
        k = int(np.argmax(np.diff(rows[:, 0]) <= 0))
        raise RouteError(f"The times of {name} must grow: row {k + 2} is not later than the one before it.")
    return Track(rows[:, 0], rows[:, 1:4], rows[:, 4], rows[:, 5], rows[:, 6], rows[:, 7])
