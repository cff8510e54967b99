"""The ride check, first form: speed of the camera and its clearance over ground, decks and water."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.motion.route import eased_share
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting

WALKING = 1.4
CLEARANCE = 0.3
SPEED_WORDS = ((0.05, "still"), (0.7, "a slow push"), (1.1, "a stroll"), (1.7, "a walk"), (2.6, "a brisk walk"), (4.5, "a run"), (8, "a cyclist"), (16, "a slow drone"), (35, "a car"))


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
    position : ndarray, shape (n, 3) [m]
    along : ndarray, shape (n,) [m]
    speed : ndarray, shape (n,) [m/s]
    turning : ndarray, shape (n,) [degrees/s]
    floor, clearance : ndarray, shape (n,) [m]
    """

    t: NDArray[np.float64]
    position: NDArray[np.float64]
    along: NDArray[np.float64]
    speed: NDArray[np.float64]
    turning: NDArray[np.float64]
    floor: NDArray[np.float64]
    clearance: NDArray[np.float64]


def ride(setting: Setting, shot: Shot, count: int = 240) -> Ride:
    """Sample a shot's camera."""
    way, setting = setting.way(shot), setting.still(shot)
    t = np.linspace(0, shot.seconds, count)
    position, bearing, pitch, _ = way.at(eased_share(t / shot.seconds, shot.route.ease))
    step = np.linalg.norm(np.diff(position, axis=0), axis=1)
    along = np.concatenate([[0], np.cumsum(step)])
    dt = t[1] - t[0]
    speed = np.gradient(along, dt)
    b, p = np.radians(bearing), np.radians(pitch)
    look = np.stack([np.sin(b) * np.cos(p), np.cos(b) * np.cos(p), np.sin(p)], 1)
    angle = np.degrees(np.arccos(np.clip((look[1:] * look[:-1]).sum(1), -1, 1)))
    turning = np.concatenate([angle, angle[-1:]]) / dt
    floor = setting.floor(position[:, 0], position[:, 1])
    if setting.place.sea.present:
        floor = np.maximum(floor, setting.place.sea.level)
    return Ride(t, position, along, speed, turning, floor, position[:, 2] - floor)


def check(setting: Setting, shot: Shot, margin: float = CLEARANCE) -> dict[str, Any]:
    """What is wrong with a shot's camera move, in figures and words.

    Returns
    -------
    dict
        ``length_m``, ``seconds``, ``speed`` and ``clearance`` (least, mean, most), ``found`` (list of
        {kind, from_s, to_s, text}) and ``clean``.
    """
    r = ride(setting, shot)
    found: list[dict[str, Any]] = []

    def stretches(bad: NDArray[np.bool_], kind: str, say: Any) -> None:
        edges = np.flatnonzero(np.diff(np.concatenate([[0], bad.astype(int), [0]])))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            found.append({"kind": kind, "from_s": round(float(r.t[a]), 3), "to_s": round(float(r.t[b - 1]), 3), "text": say(slice(a, b))})

    stretches(r.clearance < 0, "under", lambda s: f"the camera goes {-r.clearance[s].min():.1f} m under the ground, a deck or the water")
    stretches((r.clearance >= 0) & (r.clearance < margin), "near", lambda s: f"the camera comes within {r.clearance[s].min():.2f} m of the ground, a deck or the water")
    if shot.route.way == "walk":
        stretches(r.speed > 2.2 * WALKING, "fast", lambda s: f"{r.speed[s].max():.1f} m/s is too fast for walking ({speed_in_words(float(r.speed[s].max()))})")
    stretches(r.turning > 60, "turning", lambda s: f"the view turns {r.turning[s].max():.0f} degrees a second")
    for a, b in zip(shot.route.stations, shot.route.stations[1:], strict=False):
        if np.linalg.norm([a.east - b.east, a.north - b.north, a.up - b.up]) < 1e-3:
            found.append({"kind": "same spot", "from_s": 0.0, "to_s": shot.seconds, "text": f"stations {a.id} and {b.id} stand on the same spot"})
    if len(shot.route.stations) == 1:
        found.append({"kind": "still", "from_s": 0.0, "to_s": shot.seconds, "text": "the route has one station: the camera stands still"})
    mean = float(r.along[-1] / shot.seconds)
    return {
        "shot": shot.id, "seconds": round(shot.seconds, 4), "frames": shot.frames, "length_m": round(float(r.along[-1]), 3),
        "speed": {"least": round(float(r.speed.min()), 3), "mean": round(mean, 3), "most": round(float(r.speed.max()), 3), "words": speed_in_words(mean)},
        "clearance": {"least": round(float(r.clearance.min()), 3), "mean": round(float(r.clearance.mean()), 3), "most": round(float(r.clearance.max()), 3)},
        "found": sorted(found, key=lambda f: f["from_s"]), "clean": not [f for f in found if f["kind"] != "still"],
    }
