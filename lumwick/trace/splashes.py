"""Where drops splash as they land, at an instant.

As with what falls, a splash is a pure function of the clip time: spots about the eye splash again and again, each time
elsewhere, and their droplets fly by a throw's law. How many splash follows the rain; how high and how wide they are
thrown is practice.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.air.falling import Kind

Floats = NDArray[np.float64]
G = 9.81
SPLASHES_FROM = 0.6e-3
"""Radius [m] of drops from which a splash is seen."""
REACH = 9.0
"""How far off splashes are drawn [m]."""
EVERY = 0.45
"""Seconds in which a spot splashes once: longer than any splash lasts."""
DROPLETS = 6
UP, ASIDE = (0.55, 1.35), (0.2, 0.85)
"""Speeds with which a splash's droplets leave, up and to the sides [m/s], of a drop 1 mm in radius."""
FINE = (0.16, 0.34)
"""Their radius against the drop's."""
MOST = 7000
"""Droplets that are drawn at most."""
OFTEN_UP = 3
"""Droplets of a spot that are in the air at once, at most, as a rule."""
NOTHING = -1e8
"""Height [m] under which nothing was hit."""


def _lots(spot: NDArray[np.int64], turn: NDArray[np.int64], salt: int) -> Floats:
    """Numbers from 0 to 1, the same for the same spot and turn."""
    x = (spot.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)) ^ (
        (turn.astype(np.uint64) + np.uint64(salt * 7919 + 1)) * np.uint64(0xC2B2AE3D27D4EB4F)
    )
    x ^= x >> np.uint64(31)
    x *= np.uint64(0xD6E8FEB86659FD93)
    x ^= x >> np.uint64(32)
    x *= np.uint64(0xD6E8FEB86659FD93)
    return np.asarray((x >> np.uint64(40)).astype(float) / 2**24)


def landings(kinds: Sequence[Kind]) -> tuple[Floats, Floats]:
    """Drops that splash: their radius [m] and how many land on a square metre in a second, class by class."""
    seen = [kind for kind in kinds if kind.light == 0 and kind.radius >= SPLASHES_FROM]
    return np.array([k.radius for k in seen]), np.array([k.number * k.speed for k in seen])


@dataclass(frozen=True)
class Struck:
    """Where drops land about an eye.

    Attributes
    ----------
    middle : tuple of float [m]
        The eye's east and north, told by where rain on its way there meets the datum.
    slant : tuple of float
        Metres east and north that rain goes for a metre down.
    top : callable
        Heights [m] of what rain falls on, by where its way meets the datum, east and north (n,) [m].
    """

    middle: tuple[float, float]
    slant: tuple[float, float]
    top: Callable[[Floats, Floats], Floats]


def splashing(
    kinds: Sequence[Kind], struck: Struck, t: float, loop: float | None, shutter: float, seed: int
) -> tuple[Floats, Floats]:
    """Droplets of the splashes about an eye at a clip time [s]: places and runs while the shutter is open (n, 6) [m],
    and their radius (n,) [m].

    Parameters
    ----------
    loop : float [s]
        Length of a clip that closes.
    shutter : float [s]
    """
    turns = max(1, round(loop / EVERY)) if loop else None
    period = loop / turns if loop and turns else EVERY
    rows, radii, left = [np.zeros((0, 6))], [np.zeros(0)], MOST
    for k, (radius, many) in enumerate(zip(*landings(kinds), strict=True)):
        spot = np.arange(min(int(many * (2 * REACH) ** 2 * period), left // OFTEN_UP))
        salt = seed % 65536 * 64 + k
        x = t / period + _lots(spot, np.zeros_like(spot), salt)
        turn = np.floor(x).astype(np.int64)
        age = (x - turn) * period
        turn = turn % turns if turns else turn
        fly, droplet = _flying(float(radius), spot, turn, age, salt)
        u, v = (
            _about(_lots(spot, turn, salt + 1 + axis) * 2 * REACH, struck.middle[axis])[droplet] for axis in range(2)
        )
        height = struck.top(u, v)
        fly[:, 0] += u - struck.slant[0] * height
        fly[:, 1] += v - struck.slant[1] * height
        fly[:, 2] += height
        fly[:, 3:] *= shutter
        hit = height > NOTHING
        rows.append(fly[hit])
        radii.append(radius * (FINE[0] + (FINE[1] - FINE[0]) * _lots(droplet, turn[droplet], salt + 5)[hit]))
        left -= int(hit.sum())
        if left <= 0:
            break
    return np.concatenate(rows), np.concatenate(radii)


def _flying(
    radius: float, spot: NDArray[np.int64], turn: NDArray[np.int64], age: Floats, salt: int
) -> tuple[Floats, NDArray[np.int64]]:
    """Droplets in the air: where they are from what was hit [m] and their speeds [m/s], (n, 6), and of which spot."""
    hard = np.sqrt(radius / 1e-3)
    out, whose = [], []
    for droplet in range(DROPLETS):
        up, aside, direction = (_lots(spot, turn, salt + 10 + 3 * droplet + axis) for axis in range(3))
        up = hard * (UP[0] + (UP[1] - UP[0]) * up)
        aside = hard * (ASIDE[0] + (ASIDE[1] - ASIDE[0]) * aside)
        z = up * age - 0.5 * G * age * age
        flies = z > 0
        east, north = aside * np.sin(2 * np.pi * direction), aside * np.cos(2 * np.pi * direction)
        told = np.stack([east * age, north * age, z, east, north, up - G * age], -1)
        out.append(told[flies])
        whose.append(spot[flies])
    return np.concatenate(out), np.concatenate(whose)


def _about(x: Floats, middle: float) -> Floats:
    """The one of a coordinate's places, a box apart, that lies nearest to the middle."""
    return np.asarray(x + 2 * REACH * np.floor((middle - x) / (2 * REACH) + 0.5))
