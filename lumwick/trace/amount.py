"""How much moves in a view: pixels a frame, as a map and in words, so that nobody renders twice to find a factor of
ten."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.air.clouds import OKTAS
from lumwick.errors import PlaceError
from lumwick.lens.camera import Camera
from lumwick.motion.timebase import RATES
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting, camera_at, evaluate
from lumwick.snapshot.memory import Memory
from lumwick.trace.motion_vectors import motion_vectors
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
    stands: dict[str, float]
    """Median of what is seen of each stand, by its id [pixels a frame, of a picture 1280 wide]."""


def verdict(most: float, fps: float) -> str:
    """What an amount of motion [pixels a frame at 1280] reads as at a frame rate."""
    if most < 1e-4:
        return "stands still"
    if most * fps < SEEN:
        return "too small to see"
    return "strobes at this rate" if most > PICTURE / CROSSING else "reads well"


FOLLOWED = PICTURE / 4
"""Pixels a frame beyond which no eye follows a spot, and where it is next is not told from where another is: far water
edge on, that a wave hides and shows."""
TAIL = 20.0
"""Times its middle that a motion's quick tenth may be and still speak for all of it (practice)."""


def middle_and_most(values: NDArray[np.floating[Any]]) -> tuple[float, float]:
    """Median of amounts of motion [pixels a frame], and what nine tenths stay under, of spots that can be followed."""
    followed = values[values < FOLLOWED]
    if not len(followed):
        return 0.0, 0.0
    return float(np.median(followed)), float(np.percentile(followed, 90))


def _judged(middle: float, most: float) -> float:
    """The amount by which a motion is judged: its quick tenth's, unless that is of a few spots alone."""
    return most if most <= TAIL * max(middle, 1e-3) else middle


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
    by_stand: dict[str, list[NDArray[np.float32]]] = {}
    shares = {name: 0.0 for name in MOVING}
    by_camera, maps, aloft = [], [], []
    moments = [m for m in (t + d for d in later) if m + 1 / fps <= shot.seconds or m == t]
    for moment in moments:
        then = camera or camera_at(setting, shot, moment + 1 / fps)
        d = motion_vectors(
            stage,
            evaluate(setting, shot, moment, camera),
            partial(evaluate, setting, shot, moment + 1 / fps),
            then,
            size,
        )
        whole, place, moved = (np.linalg.norm(v, axis=-1) * scale for v in (d.whole, d.place, d.camera))
        maps.append(np.where(np.isfinite(whole), whole, 0.0))
        by_camera.append(moved[np.isfinite(moved)])
        of_stand = np.array([name.split(" ")[1] if name.startswith("stand ") else "" for name in d.hits.names])
        stand = np.where(d.hits.part < 0, "", of_stand[np.maximum(d.hits.part, 0)])
        for one in np.unique(stand[stand != ""]):
            by_stand.setdefault(str(one).split(".")[0], []).append(place[(stand == one) & np.isfinite(place)])
        for name, kinds in MOVING.items():
            # plants may be models of one's own
            chosen = stand != "" if name == "plants" else np.isin(d.hits.kind, kinds) & (stand == "")
            chosen = chosen & np.isfinite(place)
            own[name].append(place[chosen])
            shares[name] += float(chosen.mean()) / len(moments)
        aloft.append(clouds_drift(setting, shot, moment, 1 / fps, camera, d.hits.part < 0))
    own["clouds"] = [moved for moved, _ in aloft]
    shares["clouds"] = float(np.mean([share for _, share in aloft]))
    amounts = []
    for name, parts in own.items():
        values = np.concatenate(parts)
        if shares[name] > 0.002:
            middle, most = middle_and_most(values)
            amounts.append(Amount(name, shares[name], middle, most, verdict(_judged(middle, most), fps)))
    values = np.concatenate(by_camera)
    middle, most = (float(np.percentile(values, p)) if len(values) else 0.0 for p in (50, 90))
    # what is near flies by in every move: a camera is judged by the middle of its picture's amounts
    amounts.append(Amount("camera", 1.0, middle, most, verdict(middle, fps)))
    seen = {one: np.concatenate(parts) for one, parts in by_stand.items()}
    return Motion(
        np.mean(maps, axis=0).astype(np.float32),
        amounts,
        {one: float(np.median(values)) for one, values in seen.items() if len(values) >= FEW_PIXELS * len(moments)},
    )


def clouds_drift(
    setting: Setting, shot: Shot, t: float, step: float, camera: Camera | None, open_sky: NDArray[np.bool_]
) -> tuple[NDArray[np.float32], float]:
    """How far low clouds drift on the picture in a step [pixels, of a picture 1280 wide], where the sky is seen, and
    the share of the picture that they fill: each (n,) and a number; nothing where there are none.

    Parameters
    ----------
    open_sky : ndarray of bool, shape (height, width)
        Where nothing else is seen.
    """
    now, then = (evaluate(setting, shot, moment, camera) for moment in (t, t + step))
    if now.deck is None or then.deck is None:
        return np.zeros(0, np.float32), 0.0
    seen, height, width = now.camera, *open_sky.shape
    right, up = seen.axes()
    forward, tan = np.asarray(seen.forward), seen.lens.tangent
    x, y = np.meshgrid((np.arange(width) + 0.5) / width * 2 - 1, 1 - (np.arange(height) + 0.5) / height * 2)
    direction = forward + tan * (x[..., None] * right + y[..., None] * height / width * up)
    over = (now.deck.base - seen.position[2]) / np.where(np.abs(direction[..., 2]) < 1e-6, 1e-6, direction[..., 2])
    there = open_sky & (over > 0) & (over < FARTHEST)
    offset = np.subtract(then.deck.offset[0], now.deck.offset[0])
    at = direction[there] * over[there][:, None] + np.array([*offset, 0.0])
    depth = np.maximum(at @ forward, 1e-6)
    moved = np.hypot(at @ right / depth / tan - x[there], at @ up / depth / tan - y[there] * height / width)
    return (moved * PICTURE / 2).astype(np.float32), float(there.mean()) * now.deck.oktas / OKTAS


FARTHEST = 60_000.0
"""Metres up to which clouds are looked at."""
FEW_PIXELS = 20
"""Pixels of a small picture under which a stand is not seen."""
CLOSE = 0.08
"""Share by which what is seen may miss what was asked for."""


def wild_for(stage: Stage, setting: Setting, shot: Shot, t: float, stand: str, wanted: float) -> tuple[float, float]:
    """How wild a stand must be for its plants to be seen moving by so much, and by how much they are then.

    Parameters
    ----------
    stand : str
        Its id; what it is now must be a number.
    wanted : float
        Median of what is seen of it at clip time ``t`` [s] [pixels a frame, of a picture 1280 wide].

    Raises
    ------
    PlaceError
        It is keyed, not seen, or stands still whatever it is.
    """
    one = next((x for x in setting.place.growth if x.id == stand), None)
    if one is None:
        raise PlaceError("That stand is not there any more.")
    if not isinstance(one.wild, float | int):
        raise PlaceError(f"Calm to wild of {one.name} is keyed: take its keys away first.")
    wild = max(float(one.wild), 0.05)
    best = (np.inf, wild, 0.0)
    try:
        for _ in range(5):
            place = setting.place.model_copy(
                update={
                    "growth": [
                        x if x.id != stand else x.model_copy(update={"wild": wild}) for x in setting.place.growth
                    ]
                }
            )
            tried = replace(setting, place=place, told=None, memory=Memory())
            stage.change(tried)
            now = amount_of_motion(stage, tried, tried.place.shot(shot.id), t).stands.get(stand)
            if now is None:
                raise PlaceError(f"{one.name} is not seen at the playhead: go to where it is, then ask again.")
            if now < 1e-5:
                raise PlaceError(f"{one.name} stands still in this wind: give the place more wind first.")
            best = min(best, (abs(now / wanted - 1), wild, now))
            if best[0] < CLOSE or (wild >= WILDEST and now < wanted):
                break
            wild = float(np.clip(wild * np.clip(wanted / now, 0.1, 10.0), 0.001, WILDEST))
    finally:
        stage.change(setting)
    return round(best[1], 3), best[2]


WILDEST = 5.0
