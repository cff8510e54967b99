"""Openings of rooms that daylight comes in by: of hides, of one's own rooms, and those that a place says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.built.lamps import LampLight
from lumwick.built.timber import HIDE_DEEP, HIDE_DOOR, HIDE_HIGH, HIDE_SLOT
from lumwick.place.objects import Built, Shape

Floats = NDArray[np.float64]
FREE_REACH = 30.0
"""Metres behind an opening that a place says by itself in which it is looked through (practice)."""


@dataclass(frozen=True)
class Gap:
    """A rectangle that daylight comes in by.

    Attributes
    ----------
    position : ndarray, shape (3,) [m]
        Its middle.
    side_a, side_b : ndarray, shape (3,) [m]
        Half sides.
    direction : ndarray, shape (3,)
        Unit vector in.
    reach, aside : float [m]
        How deep the room behind it is, and how far to its sides.
    """

    position: Floats
    side_a: Floats
    side_b: Floats
    direction: Floats
    reach: float
    aside: float


@dataclass(frozen=True)
class Room:
    """What is inside of walls and a ceiling.

    Attributes
    ----------
    placed : ndarray, shape (3, 4)
        Its own coordinates [m] in the place; its floor is at zero.
    low, high : tuple of float [m]
        Its corners, in its own coordinates.
    """

    placed: Floats
    low: tuple[float, float, float]
    high: tuple[float, float, float]

    def holds(self, position: Floats) -> bool:
        """Whether a position (3,) [m] is in it."""
        own = np.linalg.solve(self.placed[:, :3], np.asarray(position, float) - self.placed[:, 3])
        return bool((own >= self.low).all() and (own <= self.high).all())


def room_of_built(built: Built) -> Room | None:
    """The inside of a hide; None of others."""
    if built.kind != "hide":
        return None
    turn = np.radians(built.turn)
    front = np.array([np.sin(turn), np.cos(turn), 0.0])
    right = np.array([front[1], -front[0], 0.0])
    placed = np.stack([right, front, [0.0, 0.0, 1.0], [*built.line[0], built.deck]], 1)
    return Room(placed, (-built.width / 2, -HIDE_DEEP, 0.0), (built.width / 2, HIDE_DEEP, HIDE_HIGH))


def room_of_shape(shape: Shape, placed: Floats) -> Room | None:
    """The inside of a room of one's own as it is set down; None of other shapes, and without a ceiling."""
    if shape.kind != "room" or not shape.roofed:
        return None
    w, d = shape.width / 2, shape.depth / 2
    return Room(placed, (-w, -d, 0.0), (w, d, shape.height))


def of_lamp(lamp: LampLight) -> Gap:
    """An opening that a place says by itself."""
    a, b = lamp.sides()
    return Gap(lamp.position, a, b, lamp.direction, FREE_REACH, FREE_REACH)


def of_built(built: Built) -> list[Gap]:
    """The slot and the doorway of a hide; nothing of others."""
    if built.kind != "hide":
        return []
    x, y = built.line[0]
    front = np.array([np.sin(np.radians(built.turn)), np.cos(np.radians(built.turn)), 0.0])
    right, up = np.array([front[1], -front[0], 0.0]), np.array([0.0, 0.0, 1.0])
    foot, wide = np.array([x, y, built.deck]), built.width / 2
    low, high = HIDE_SLOT
    half, top = HIDE_DOOR
    deep, across = 2 * HIDE_DEEP, 2 * wide
    slot = foot + front * HIDE_DEEP + up * (low + high) / 2
    door = foot - front * HIDE_DEEP + up * top / 2
    return [
        Gap(slot, right * wide, up * (high - low) / 2, -front, deep, across),
        Gap(door, right * half, up * top / 2, front, deep, across),
    ]


def of_shape(shape: Shape, placed: Floats) -> list[Gap]:
    """The openings of a room as it is set down by a placement (3, 4), at their walls' outer faces."""
    if shape.kind != "room":
        return []
    out = []
    w, d, thick = shape.width, shape.depth, shape.thick
    walls = {
        "south": ((0.0, -d / 2 - thick), (1.0, 0.0), d),
        "east": ((w / 2 + thick, 0.0), (0.0, 1.0), w),
        "north": ((0.0, d / 2 + thick), (-1.0, 0.0), d),
        "west": ((-w / 2 - thick, 0.0), (0.0, -1.0), w),
    }
    scale = float(np.linalg.norm(placed[:, 2]))
    for one in shape.openings:
        (x, y), (along_x, along_y), deep = walls[one.wall]
        half = (w if along_y == 0 else d) / 2 + thick
        left, right = max(one.along - one.width / 2, -half), min(one.along + one.width / 2, half)
        low, high = max(one.up, 0.0), min(one.up + one.height, shape.height)
        if right <= left or high <= low:
            continue
        middle = (left + right) / 2
        at = placed @ np.array([x + along_x * middle, y + along_y * middle, (low + high) / 2, 1.0])
        a = placed[:, :3] @ np.array([along_x, along_y, 0.0]) * (right - left) / 2
        b = placed[:, :3] @ np.array([0.0, 0.0, 1.0]) * (high - low) / 2
        direction = placed[:, :3] @ np.array([-along_y, along_x, 0.0])
        out.append(
            Gap(at, a, b, direction / np.linalg.norm(direction), (deep + 2 * thick) * scale, 2 * (w + d) * scale)
        )
    return out
