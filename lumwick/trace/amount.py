"""How much moves in a view: pixels a frame, as a map and in words, so that nobody renders twice to find a factor of
ten."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from lumwick.lens.camera import Camera
from lumwick.motion.timebase import RATES
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting, camera_at, evaluate
from lumwick.trace.drift import drift
from lumwick.trace.stage import Stage
from lumwick.trace.world import MODEL, PLANT, TIMBER, WATER

PICTURE = 1280
"""Width [pixels] that amounts are told for."""
CROSSING = 7.0 * 24
"""Frames that a detail should take to cross the picture, at least, or it strobes: 7 s at 24 a second, 180 degree
shutter (common practice of the trade)."""
SEEN = 1.0
"""Pixels a second, of a picture 1280 wide, under which motion beside something still is hardly seen (of our own:
about 2 minutes of arc a second from three picture heights)."""
MOVING = {"sea": (WATER,), "plants": (PLANT,), "things": (MODEL, TIMBER)}


@dataclass(frozen=True)
class Amount:
    """How far one kind of thing moves on the picture.

    Attributes
    ----------
    share : float
        Of the picture that it fills.
    middle, most : float
        Median, and what nine tenths stay under [pixels a frame, of a picture 1280 wide].
    """

    name: str
    share: float
    middle: float
    most: float
    text: str


@dataclass(frozen=True)
class Motion:
    """Motion in a view: a map of pixels a frame, shape (height, width) and of a picture 1280 wide, and what moves how
    much."""

    map: NDArray[np.float32]
    amounts: list[Amount]


def verdict(most: float, fps: float) -> str:
    """What an amount of motion [pixels a frame at 1280] reads as at a frame rate."""
    if most < 1e-4:
        return "stands still"
    if most * fps < SEEN:
        return "too small to see"
    return "strobes at this rate" if most > PICTURE / CROSSING else "reads well"


def amount_of_motion(
    stage: Stage,
    setting: Setting,
    shot: Shot,
    t: float,
    camera: Camera | None = None,
    size: tuple[int, int] = (256, 144),
    later: Iterable[float] = (0.0, 0.17, 0.41),
) -> Motion:
    """Motion in a view: the place's own by kind, and the camera's.

    Parameters
    ----------
    camera : Camera or None
        At rest; the shot's, with its own way, if None.
    later : iterable of float [s]
        Moments after ``t`` that are looked at, since what swings stands still where it turns.
    """
    fps = float(RATES[shot.fps])
    scale = PICTURE / size[0]
    own: dict[str, list[NDArray[np.float32]]] = {name: [] for name in MOVING}
    shares = {name: 0.0 for name in MOVING}
    by_camera, maps = [], []
    moments = [m for m in (t + d for d in later) if m + 1 / fps <= shot.seconds or m == t]
    for moment in moments:
        then = camera or camera_at(setting, shot, moment + 1 / fps)
        d = drift(
            stage,
            evaluate(setting, shot, moment, camera),
            partial(evaluate, setting, shot, moment + 1 / fps),
            then,
            size,
        )
        whole, place, moved = (np.linalg.norm(v, axis=-1) * scale for v in (d.whole, d.place, d.camera))
        maps.append(np.where(np.isfinite(whole), whole, 0.0))
        by_camera.append(moved[np.isfinite(moved)])
        for name, kinds in MOVING.items():
            chosen = np.isin(d.kind, kinds) & np.isfinite(place)
            own[name].append(place[chosen])
            shares[name] += float(chosen.mean()) / len(moments)
    amounts = []
    for name, parts in own.items():
        values = np.concatenate(parts)
        if shares[name] > 0.002:
            most = float(np.percentile(values, 90))
            amounts.append(Amount(name, shares[name], float(np.median(values)), most, verdict(most, fps)))
    values = np.concatenate(by_camera)
    middle, most = (float(np.percentile(values, p)) if len(values) else 0.0 for p in (50, 90))
    # what is near flies by in every move: a camera is judged by the middle of its picture's amounts
    amounts.append(Amount("camera", 1.0, middle, most, verdict(middle, fps)))
    return Motion(np.mean(maps, axis=0).astype(np.float32), amounts)
