"""A drawn beach, for graphic films: two flat tones of water and wet sand with a band of foam, and nothing behind them.

The water's edge is a reach that the document keys, uneven by a few lobes that go round in a whole number of turns; the
wet sand is where the edge has been in the last seconds, in closed form. All of it closes on a loop. How foam and edge
look is practice.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.motion.terms import chance

Floats = NDArray[np.float64]
LOOKS_BACK, LOOKS_EVERY = 8.0, 0.1
"""How far one looks back for where the water has been, and in what steps [s]."""
TONGUES = 5
"""Lobes of the edge, each of another length."""
SMOOTH = 0.55
"""Width of an edge's blur, in pixels."""
TURNS = {"below": 0, "left": 1, "above": 2, "right": 3}


def ages() -> Floats:
    """How long ago the edge is looked at for where the sand is wet [s], from now on back."""
    return np.arange(0.0, LOOKS_BACK, LOOKS_EVERY)


@dataclass(frozen=True)
class Drawn:
    """A drawn beach at an instant.

    Attributes
    ----------
    reach : ndarray, shape (n,)
        Share of the picture that the water covers, now and at each of `ages` before.
    times : ndarray, shape (n,) [s]
        The same, as clip times.
    period : float [s]
        In which the lobes go round: the loop's length, or the clip's.
    water, wet, foam : tuple of float
        Colours, sRGB from 0 to 1, with their opacity.
    band : float
        Width of the foam, as a share of the picture's height.
    uneven : float
        How far lobes reach, as a share of the picture's height.
    lobes : float
        How many there are across the picture.
    lasts : float [s]
        For how long sand stays wet.
    """

    reach: Floats
    times: Floats
    period: float
    water: tuple[float, float, float, float]
    wet: tuple[float, float, float, float]
    foam: tuple[float, float, float, float]
    band: float = 0.035
    uneven: float = 0.05
    lobes: float = 3.0
    lasts: float = 2.5
    side: str = "below"
    seed: int = 1


def edge(drawn: Drawn, x: Floats) -> Floats:
    """Where the water's edge lies across the picture (m,), now and before: shares of its height, shape (n, m)."""
    out = np.repeat(drawn.reach[:, None], len(x), 1)
    k = np.arange(TONGUES)
    late, amount = chance(drawn.seed, k, 101), 0.6 + 0.4 * chance(drawn.seed, k, 102)
    for i in range(TONGUES):
        number = drawn.lobes * (1 + i) * (0.8 + 0.4 * late[i])
        turns = i // 2 + 1 if i % 2 == 0 else -(i // 2 + 1)
        phase = number * x[None] + late[i] + turns * drawn.times[:, None] / drawn.period
        # a tongue runs furthest when the whole does
        out += drawn.uneven * amount[i] / (1 + i) ** 1.2 * np.sin(2 * np.pi * phase) * (0.35 + drawn.reach[:, None])
    return out


def draw(drawn: Drawn, width: int, height: int) -> NDArray[np.uint8]:
    """The drawing, with straight alpha, shape (height, width, 4)."""
    across, along = (width, height) if drawn.side in ("below", "above") else (height, width)
    x = (np.arange(across) + 0.5) / across
    y = 1 - (np.arange(along) + 0.5) / along  # from where the water comes
    line = edge(drawn, x)
    now = line[0]
    age = drawn.times[0] - drawn.times
    age = np.where(age < 0, age + drawn.period, age)
    # highest edge of the past, each lowered as it dries
    reached = np.where((age < drawn.lasts)[:, None], line, -1.0).max(0)
    pixel = SMOOTH / along

    def under(level: Floats) -> Floats:
        return np.clip((level[None] - y[:, None]) / (2 * pixel) + 0.5, 0, 1)

    goes_up = float(np.clip((drawn.reach[0] - drawn.reach[min(2, len(age) - 1)]) / 0.02, -1, 1))
    band = drawn.band * (1 + 0.35 * goes_up)
    wander = np.sin(2 * np.pi * (drawn.lobes * 5.3 * x + drawn.times[0] / drawn.period))
    thick = band * (0.75 + 0.3 * wander)
    water, wet = under(now), under(np.maximum(reached, now))
    foam = under(now) - under(now - thick)
    # lace behind the lip: holes in a second, wider band
    holes = _holes(drawn, across, along)
    lace = (under(now - thick * 0.8) - under(now - 3.4 * thick)) * holes
    out = np.zeros((along, across, 4))
    for mask, colour in ((wet, drawn.wet), (water, drawn.water), (np.maximum(foam, lace), drawn.foam)):
        a = mask * colour[3]
        kept = out[..., 3] * (1 - a)
        whole = a + kept
        share = np.where(whole > 0, a / np.maximum(whole, 1e-9), 0.0)[..., None]
        out[..., :3] = out[..., :3] * (1 - share) + np.array(colour[:3]) * share
        out[..., 3] = whole
    turned = np.rot90(out, -TURNS[drawn.side] % 4)
    return np.ascontiguousarray((np.clip(turned, 0, 1) * 255 + 0.5).astype(np.uint8))


def _holes(drawn: Drawn, across: int, along: int) -> Floats:
    """Threads of foam round holes, which go out and in with the water, shape (along, across)."""
    rng = np.random.default_rng(drawn.seed)
    cells = 48
    field = ndimage.gaussian_filter(rng.standard_normal((cells, cells * 2)), 1.3, mode="wrap")
    field /= field.std()
    rows = ((1 - np.arange(along) / along) - drawn.reach[0]) * cells * 1.4
    columns = np.arange(across) / across * cells * 2
    shown = ndimage.map_coordinates(field, np.meshgrid(rows, columns, indexing="ij"), order=1, mode="grid-wrap")
    return np.asarray(np.clip((0.42 - np.abs(shown)) / 0.06 + 0.5, 0, 1))
