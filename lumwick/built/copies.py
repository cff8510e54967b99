"""Where a model stands that is set out many times over."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.built.floors import placement
from lumwick.place.objects import Copies, Thing

Floats = NDArray[np.float64]


def spots(copies: Copies) -> tuple[Floats, Floats]:
    """Where copies stand, shape (n, 2) [m], and by how much they are turned, shape (n,) [degrees clockwise].

    From the model's own place and along its own axes; of a drawn line in the place's.
    """
    k = np.arange(copies.count)
    if copies.laid == "grid":
        at = np.stack([k % copies.columns * copies.step, k // copies.columns * copies.rows_apart], 1)
        return at.astype(float), np.zeros(len(k))
    if copies.laid == "ring":
        radius = copies.count * copies.step / (2 * np.pi)
        a = 2 * np.pi * k / copies.count
        at = radius * np.stack([np.sin(a), np.cos(a)], 1)
        return at, np.degrees(a) if copies.facing else np.zeros(len(k))
    if copies.laid == "line":
        line = shapely.LineString(copies.line)
        along = k * copies.step
        along = along[along <= line.length + 1e-9]
        at = shapely.get_coordinates(shapely.line_interpolate_point(line, along))
        near = np.clip([along - 0.05, along + 0.05], 0, line.length)
        ends = [shapely.get_coordinates(shapely.line_interpolate_point(line, s)) for s in near]
        way = ends[1] - ends[0]
        turn = np.degrees(np.arctan2(-way[:, 1], way[:, 0])) if copies.facing else np.zeros(len(along))
        return at, turn
    return np.stack([k * copies.step, np.zeros(len(k))], 1), np.zeros(len(k))


def placements(thing: Thing, north_turn: float, height: Callable[[Floats, Floats], Floats]) -> Floats:
    """Placements of a model and its copies, shape (n, 3, 4) [m].

    Parameters
    ----------
    height : callable
        Of the ground [m].
    """
    own = placement(thing, north_turn)
    copies = thing.copies
    if copies is None:
        return own[None]
    at, turn = spots(copies)
    n = len(at)
    chance = np.random.Generator(np.random.Philox(key=[copies.seed, 977])).uniform(-1, 1, (COLUMNS, copies.count))[
        :, :n
    ]
    turn = turn + chance[0] * copies.any_turn
    size = 1 + chance[1] * copies.any_size
    at = at + chance[2:4].T * copies.any_shift
    start = own[:2, 3]
    if copies.laid != "line":
        a = np.radians(thing.turn + north_turn)
        at = start + at @ np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    out = np.repeat(own[None], n, 0)
    b = np.radians(turn)
    c, s, zero = np.cos(b), np.sin(b), np.zeros(n)
    spin = np.stack([np.stack([c, s, zero], 1), np.stack([-s, c, zero], 1), np.tile([0.0, 0, 1], (n, 1))], 1)
    out[:, :, :3] = spin @ own[:, :3] * size[:, None, None]
    out[:, :2, 3] = at
    if copies.on_ground:
        foot = height(np.array([start[0]]), np.array([start[1]]))[0]
        out[:, 2, 3] += height(at[:, 0], at[:, 1]) - foot
    return out


COLUMNS = 4
"""Chances that each copy has: its turn, its size, and its shift along and across."""
