"""Where everything is that falls, at an instant.

A drop's place is a pure function of the clip time: drops of one size fill a box that repeats and falls past the camera,
each at its own spot of it. The box is looked at where the camera is, so that there is no end to it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.trace.sampling import INNER, cell

if TYPE_CHECKING:
    from lumwick.air.falling import Kind

Floats = NDArray[np.float64]
MOST = 20_000
"""Drops that are drawn at most."""
MOST_LAYERS = 13
"""How often a box is laid on itself at most, in a loop."""
SWINGS_IN = 2.5
"""Seconds in which what swings does so once (practice)."""


@dataclass(frozen=True)
class Seen:
    """From where what falls is seen.

    Attributes
    ----------
    eye, forward : ndarray, shape (3,) [m]
    cosine : float
        Of the half angle of the cone that holds the picture.
    """

    eye: Floats
    forward: Floats
    cosine: float


@nb.njit(**INNER)
def _wrapped(x, period, about):
    return x + period * np.floor((about - x) / period + 0.5)


class Box(NamedTuple):
    """The box that repeats: its side and height [m], how many drops fill it, and how often it is laid on itself to
    reach as high as one sees."""

    side: float
    high: float
    drops: int
    layers: int


class Fall(NamedTuple):
    """How its drops fall: how fast [m/s], metres east and north for a metre down, how far they swing [m] and at which
    turn, and how long the shutter is open [s]."""

    speed: float
    slant: tuple[float, float]
    sways: float
    turn: float
    shutter: float


@nb.njit(cache=True)
def _fill(eye, forward, cosine, reach, box, fall, t, salt, out):
    """Places and runs of one class within its reach and cone; gives how many there are."""
    found, slant, run = 0, fall.slant, fall.speed * fall.shutter
    long = np.sqrt(1 + slant[0] ** 2 + slant[1] ** 2) * run
    for k in range(box.drops * box.layers):
        i, layer = k // box.layers, k % box.layers
        z = _wrapped(cell(i, salt, 3) * box.high - fall.speed * t, box.high, eye[2])
        z += (layer - box.layers // 2) * box.high
        # it falls along a slant; where that meets the datum is its own for ever
        x = _wrapped(cell(i, salt, 1) * box.side - slant[0] * z, box.side, eye[0])
        y = _wrapped(cell(i, salt, 2) * box.side - slant[1] * z, box.side, eye[1])
        if fall.sways > 0:
            a = 2 * np.pi * (cell(i, salt, 4) + fall.turn * (1 + int(3 * cell(i, salt, 5))))
            x += fall.sways * np.cos(a)
            y += fall.sways * np.sin(a)
        dx, dy, dz = x - eye[0], y - eye[1], z - eye[2]
        far = np.sqrt(dx * dx + dy * dy + dz * dz)
        if far > reach or far < 0.1:
            continue
        if (dx * forward[0] + dy * forward[1] + dz * forward[2]) / far < cosine - long / far:
            continue
        if found >= len(out):
            return found
        out[found, 0], out[found, 1], out[found, 2] = x, y, z
        out[found, 3], out[found, 4], out[found, 5] = slant[0] * run, slant[1] * run, -run
        found += 1
    return found


def _boxed(kind: Kind, loop: float | None) -> tuple[Box, float]:
    """The box of one kind, and how fast it falls [m/s]. In a loop the box is as high as its drops fall in a whole part
    of the clip; what falls too slowly for that stays at its height, and swings."""
    side = high = 2.2 * kind.reach
    speed, layers = kind.speed, 1
    if loop:
        fits = speed * loop / max(1, round(speed * loop / high))
        layers = int(np.ceil(high / fits - 1e-9))
        if layers > MOST_LAYERS:
            layers, speed = 1, 0.0
        else:
            high, layers = fits, layers | 1
    return Box(side, high, int(kind.number * side * side * high), layers), speed


def in_the_air(
    kinds: Sequence[Kind],
    seen: Seen,
    slants: Sequence[tuple[float, float]],
    t: float,
    loop: float | None,
    shutter: float,
    seed: int,
    most: int = MOST,
) -> tuple[Floats, NDArray[np.int64]]:
    """Where everything that falls is at a clip time [s]: starts and runs while the shutter is open (n, 6) [m], and the
    number of each one's kind (n,).

    Parameters
    ----------
    slants : sequence of tuple
        Metres east and north that each kind goes for a metre down.
    loop : float [s]
        Length of a clip that closes.
    shutter : float [s]
    """
    rows, numbers, left = [np.zeros((0, 6))], [np.zeros(0, np.int64)], most
    turn = t / loop * max(1, round(loop / SWINGS_IN)) if loop else t / SWINGS_IN
    for k, kind in enumerate(kinds):
        box, speed = _boxed(kind, loop)
        fall = Fall(speed, slants[k], kind.sways, turn, shutter)
        room = np.zeros((left, 6))
        salt = seed % 65536 * 32 + k
        found = _fill(seen.eye, seen.forward, seen.cosine, kind.reach, box, fall, t, salt, room)
        rows.append(room[:found])
        numbers.append(np.full(found, k))
        left -= found
    return np.concatenate(rows), np.concatenate(numbers)
