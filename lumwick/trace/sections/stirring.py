"""What lies on all waters at an instant: ripples of a breeze, rings of rain, wakes, and the light gathered under it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumwick.snapshot.waters import Stirrer
from lumwick.trace import records
from lumwick.trace.integrator.caustics import PLAIN_RUFFLE
from lumwick.water import caustics
from lumwick.water.ripples import CHOP_TILE, RAIN_TILE, Blows, chop, rain_rings, stirred
from lumwick.water.spectrum import G
from lumwick.water.surface import TILES

Floats = NDArray[np.float64]
PATCH_SIDE = 256
FALLS_IN, PUSHES = 0.6, 0.5
"""How strong a blow on the water is: of what falls in, over speed and radius cubed, and of what goes through it, over
its speed squared, its radius squared and the time (practice)."""
STILL = 0.03
"""Speed [m/s] under which nothing is stirred."""
CHURNS_AT, CHURN_LASTS = 1.2, 1.6
"""Speed [m/s] at which a thing leaves foam behind, and the seconds in which it fades (practice)."""


@dataclass(frozen=True)
class StirringInputs:
    """Rain [mm/h], a seed, the moment [s], over what the clip closes [s], whether there is any water but the sea, and
    what goes through which water: the body's number, its level and depth [m] there."""

    rain: float
    seed: int
    t: float
    loop: float | None
    inland: bool
    stirrers: tuple[tuple[int, float, float, Stirrer], ...] = ()


@dataclass(frozen=True)
class Stirring:
    """For the kernel, as `lumwick.trace.world.Waters` names them."""

    chop: NDArray[np.float32]
    rain: NDArray[np.float32]
    rain_length: float
    patch: NDArray[np.void]
    stirred: NDArray[np.float32]


def make_stirring(inputs: StirringInputs) -> Stirring:
    """What stirs all waters at a moment."""
    flat = np.zeros((2, 2, 2), np.float32)
    rains = inputs.rain > 0
    patches = [patch for one in inputs.stirrers if (patch := _patch(*one)) is not None]
    table = np.zeros(len(patches), records.PATCH)
    for k, (record, _) in enumerate(patches):
        table[k] = record
        table[k]["first"] = k * PATCH_SIDE**2
    cells = [cells.reshape(-1, 3) for _, cells in patches]
    return Stirring(
        chop(inputs.seed, inputs.t, inputs.loop) if inputs.inland else flat,
        rain_rings(inputs.rain, inputs.seed, inputs.t, inputs.loop) if rains else flat,
        RAIN_TILE if rains else 0.0,
        table,
        np.concatenate(cells) if cells else np.zeros((1, 3), np.float32),
    )


def blows_of(stirrer: Stirrer, level: float) -> Blows | None:
    """The blows that something has given the water as it went through it or fell in."""
    place, ago = stirrer.place, stirrer.ago
    foot, top = place[:, 2], place[:, 2] + stirrer.height
    inside = (foot < level) & (top > level - stirrer.height)  # as far down as it is high
    steps = ago[1:] - ago[:-1]
    speed = np.hypot(*(place[:-1, :2] - place[1:, :2]).T) / steps
    fall = (foot[1:] - foot[:-1]) / steps
    goes = inside[:-1] & (speed > STILL)
    enters = (foot[:-1] < level) & (foot[1:] >= level) & (fall > STILL)
    strength = np.where(goes, PUSHES * speed**2 * stirrer.radius**2 * steps, 0.0)
    strength += np.where(enters, FALLS_IN * fall * stirrer.radius**3, 0.0)
    some = strength > 0
    if not some.any():
        return None
    middle = (place[:-1] + place[1:]) / 2
    when = (ago[:-1] + ago[1:]) / 2
    return Blows(middle[some, 0], middle[some, 1], when[some], strength[some], 2 * stirrer.radius)


def _patch(
    body: int, level: float, depth: float, stirrer: Stirrer
) -> tuple[NDArray[np.void], NDArray[np.float32]] | None:
    """A square of stirred water."""
    blows = blows_of(stirrer, level)
    if blows is None:
        return None
    middle = np.array([blows.x.min() + blows.x.max(), blows.y.min() + blows.y.max()]) / 2
    travelled = max(float(np.ptp(blows.x)), float(np.ptp(blows.y)))
    longest = np.sqrt(G * 10 * stirrer.radius / (2 * np.pi)) * float(blows.ago.max()) / 2
    size = max(3.0, travelled + 2 * longest + 8 * stirrer.radius) / 0.85
    spacing = size / PATCH_SIDE
    moved = Blows(blows.x - middle[0], blows.y - middle[1], blows.ago, blows.strength, blows.width)
    _, sx, sy = stirred(moved, PATCH_SIDE, spacing, max(depth, 0.05))
    axis = (np.arange(PATCH_SIDE) - PATCH_SIDE // 2) * spacing
    foam = np.zeros_like(sx)
    offset = np.hypot(*np.diff(stirrer.place[:, :2], axis=0).T) / np.diff(stirrer.ago)
    speed = float(offset.max())
    if speed > CHURNS_AT:
        for x, y, ago in zip(moved.x, moved.y, moved.ago, strict=True):
            wide = stirrer.radius * (0.5 + 0.35 * ago)
            share = min(1.0, (speed - CHURNS_AT) / 1.5) * np.exp(-ago / CHURN_LASTS)
            foam = np.maximum(foam, share * np.exp(-((axis[None] - x) ** 2 + (axis[:, None] - y) ** 2) / wide**2))
    record = np.zeros((), records.PATCH)
    record["west"], record["south"] = middle - PATCH_SIDE // 2 * spacing
    record["spacing"], record["side"], record["body"] = spacing, PATCH_SIDE, body
    return record, np.stack([np.clip(sx, -0.8, 0.8), np.clip(sy, -0.8, 0.8), foam], -1).astype(np.float32)


@dataclass(frozen=True)
class CausticInputs:
    """By which waves and which sun light is gathered; no ``waves`` for none."""

    waves: str
    sun: tuple[float, float, float]
    coarse: NDArray[np.float32] = field(compare=False)
    coarse_length: float
    fine: NDArray[np.float32] = field(compare=False)
    fine_length: float


NO_CAUSTICS = np.ones((2, 2, 1), np.float32)


def make_caustics(inputs: CausticInputs) -> NDArray[np.float32]:
    """Light under waves, as `lumwick.water.caustics.gathered` gives it."""
    if not inputs.waves:
        return NO_CAUSTICS
    return caustics.gathered(inputs.coarse, inputs.coarse_length, inputs.fine, inputs.fine_length, np.array(inputs.sun))


def caustics_by(
    key: str, slopes: tuple[NDArray[np.float32], ...], ripples: NDArray[np.float32], by_sea: bool, sun: Floats
) -> CausticInputs:
    """What light is gathered by: the sea's middle waves, or without a sea the ripples of a breeze."""
    to = tuple(float(v) for v in np.round(sun, 4))
    if by_sea:
        return CausticInputs(key, to, slopes[1], TILES[1][0], slopes[2], TILES[2][0])  # type: ignore[arg-type]
    flat = np.zeros((2, 2, 2), np.float32)
    return CausticInputs(key, to, ripples * PLAIN_RUFFLE, CHOP_TILE, flat, CHOP_TILE)  # type: ignore[arg-type]
