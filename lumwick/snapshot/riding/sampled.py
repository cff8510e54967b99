"""A ride sampled over its clip, and how faults of it are told.

Thresholds are common practice of the trade where nothing else is said (c).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.place.document import Shot
from lumwick.route.camera_path import CameraPath, Poses
from lumwick.snapshot.evaluate import Setting, clip_time
from lumwick.snapshot.surroundings import Surroundings

Floats = NDArray[np.float64]
TOGETHER = 1.2
"""Seconds between two touches that are spoken of as one."""
SPEED_WORDS = (
    (0.05, "still"),
    (0.7, "a slow push"),
    (1.1, "a stroll"),
    (1.7, "a walk"),
    (2.6, "a brisk walk"),
    (4.5, "a run"),
    (8, "a cyclist"),
    (16, "a slow drone"),
    (35, "a car"),
)
SAYS = {
    "match": "Match the exposure",
    "lift": "Lift over it",
    "aside": "Go round it",
    "smooth": "Smooth the path",
    "smooth aim": "Smooth the aim",
    "slow": "Slow this stretch",
    "longer": "Make the shot longer",
    "ahead": "Look where it goes",
    "level": "Level the horizon",
    "ease": "Ease its ends",
    "eye": "Eyes at 1.6 m",
    "focus": "Focus on what is there",
    "frame": "Aim at the subject",
    "apart": "Leave one of them out",
    "ashore": "Walk on dry ground",
}
"""What each repair is called."""


def speed_in_words(speed: float) -> str:
    """A speed [m/s] as somebody would say it."""
    for most, words in SPEED_WORDS:
        if speed <= most:
            return words
    return "an aeroplane"


@dataclass(frozen=True)
class Ride:
    """A shot's camera sampled over its clip.

    Attributes
    ----------
    t : ndarray, shape (n,) [s]
    poses : Poses
        At those times.
    along : ndarray, shape (n,) [m]
    speed : ndarray, shape (n,) [m/s]
    turning : ndarray, shape (n,) [degrees/s]
    floor, clearance : ndarray, shape (n,) [m]
    joined : ndarray of bool, shape (n,)
        Not within a step of a hard change.
    """

    t: Floats
    poses: Poses
    along: Floats
    speed: Floats
    turning: Floats
    floor: Floats
    clearance: Floats
    joined: NDArray[np.bool_]

    @property
    def position(self) -> Floats:
        """Shape (n, 3) [m]."""
        return self.poses.position

    @property
    def dt(self) -> float:
        return float(self.t[1] - self.t[0])


def ride(setting: Setting, shot: Shot, count: int = 240, way: CameraPath | None = None) -> Ride:
    """Sample a shot's camera at ``count`` even times of its clip."""
    way, setting = way or setting.camera_path(shot), setting.still(shot)
    t = np.linspace(0, shot.seconds, count)
    poses = way.at(np.array([clip_time(shot, float(v)) for v in t]) if shot.seam == "mirror" else t)
    dt = t[1] - t[0]
    joined = np.ones(count, bool)
    for change in way.changes:
        joined &= np.abs(t - change) > 1.5 * dt
    step = np.linalg.norm(np.diff(poses.position, axis=0), axis=1) * (joined[1:] | joined[:-1])
    along = np.concatenate([[0.0], np.cumsum(step)])
    speed = np.gradient(along, dt)
    angle = np.degrees(2 * np.arcsin(np.clip(np.linalg.norm(np.diff(poses.forward, axis=0), axis=1) / 2, 0, 1))) * (
        joined[1:] | joined[:-1]
    )
    turning = np.concatenate([angle, angle[-1:]]) / dt
    floor = setting.floor(poses.position[:, 0], poses.position[:, 1])
    if setting.place.sea.present:
        floor = np.maximum(floor, setting.place.sea.surface)
    if shot.route.way == "walk":
        around = setting.around(shot)
        assert around.floor is not None
        floor = np.maximum(floor, around.floor(poses.position[:, 0], poses.position[:, 1], poses.position[:, 2]))
    return Ride(t, poses, along, speed, turning, floor, poses.position[:, 2] - floor, joined)


@dataclass(frozen=True)
class Fault:
    """Something wrong with a ride.

    Attributes
    ----------
    begins, ends : float [s]
    repairs : tuple of str
        Names of `SAYS` that may mend it.
    """

    kind: str
    begins: float
    ends: float
    text: str
    repairs: tuple[str, ...] = ()
    size: float = 0.0
    """How bad it is at its worst, in the unit of its kind; more is worse."""

    def as_dict(self) -> dict[str, Any]:
        """As plain data."""
        return {
            "kind": self.kind,
            "from_s": round(self.begins, 3),
            "to_s": round(self.ends, 3),
            "text": self.text,
            "repairs": [{"how": how, "text": SAYS[how]} for how in self.repairs],
        }


def stretches(r: Ride, bad: NDArray[np.bool_], least: float = 0.0, join: float = 0.25) -> Iterator[slice]:
    """Runs of samples where something is bad, for at least ``least`` [s]; gaps of up to ``join`` [s] are passed
    over."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], bad.astype(int), [0]])))
    runs: list[list[int]] = []
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if runs and r.t[a] - r.t[runs[-1][1] - 1] <= join:
            runs[-1][1] = int(b)
        else:
            runs.append([int(a), int(b)])
    for a, b in runs:
        if r.t[b - 1] - r.t[a] >= least - 1e-9:
            yield slice(a, b)


def axes_of(forward: Floats) -> tuple[Floats, Floats]:
    """To the right and up of cameras that look along unit vectors (n, 3) with a level horizon, each (n, 3)."""
    right = np.stack([forward[:, 1], -forward[:, 0], np.zeros(len(forward))], -1)
    right /= np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-9)
    return right, np.cross(right, forward)


def slower(r: Ride, s: slice) -> tuple[str, ...]:
    """Repairs of a stretch that is too quick: where it is most of the shot there is no time to take from elsewhere."""
    return ("slow", "longer") if s.stop - s.start < 0.6 * len(r.t) else ("longer",)


def only(r: Ride, s: slice) -> NDArray[np.bool_]:
    """Samples of one stretch."""
    bad = np.zeros(len(r.t), bool)
    bad[s] = True
    return bad


def inner(r: Ride, steps: int) -> NDArray[np.bool_]:
    """Samples that are not within some steps of a hard change or the clip's ends."""
    out = r.joined.copy()
    for k in np.flatnonzero(~r.joined):
        out[max(0, k - steps) : k + steps + 1] = False
    out[:2] = out[-2:] = False
    return out


@dataclass(frozen=True)
class Findings:
    """A ride that is looked at, with what is about it, and what was found wrong."""

    setting: Setting
    shot: Shot
    ride: Ride
    near: Surroundings
    found: list[Fault] = field(default_factory=list)

    def say(
        self,
        kind: str,
        bad: NDArray[np.bool_],
        text: str | Callable[[slice], str],
        repairs: Sequence[str],
        least: float = 0.0,
        join: float = 0.25,
        size: Floats | None = None,
    ) -> None:
        """Tell of every stretch where something is bad (`stretches`)."""
        for s in stretches(self.ride, bad, least, join):
            words = text if isinstance(text, str) else text(s)
            worst = 0.0 if size is None else float(size[s].max())
            t = self.ride.t
            self.found.append(Fault(kind, float(t[s.start]), float(t[s.stop - 1]), words, tuple(repairs), worst))

    def say_of_all(self, kind: str, text: str, repairs: Sequence[str] = (), until: float | None = None) -> None:
        """Tell of something that holds for the whole shot, or from its start ``until`` [s]."""
        self.found.append(Fault(kind, 0.0, self.shot.seconds if until is None else until, text, tuple(repairs)))
