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


def on_mesh(copies: Copies, corners: Floats, own: Floats) -> Floats:
    """Placements (n, 3, 4) of copies over another model's faces by their area, or on its corners.

    Parameters
    ----------
    corners : ndarray, shape (m, 3, 3) [m]
        Of the other model's triangles, where it stands.
    own : ndarray, shape (3, 3)
        How the copied model is turned and sized.
    """
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normal, axis=1)
    corners, normal, area = corners[area > 0], normal[area > 0], area[area > 0]
    normal = normal / area[:, None]
    n = copies.count
    if copies.laid == "points":
        flat = corners.reshape(-1, 3)
        _, first, group = np.unique(flat.round(5), axis=0, return_index=True, return_inverse=True)
        at = flat[first]
        out = np.zeros_like(at)
        np.add.at(out, group.reshape(-1), np.repeat(normal * area[:, None], 3, 0))
        keep = np.argsort(first)[:n]  # in the order of the model's own corners
        at, out = at[keep], out[keep]
        out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)
    else:
        rng = np.random.Generator(np.random.Philox(key=[copies.seed, 613]))
        which = np.searchsorted(np.cumsum(area), rng.uniform(0, 1, n) * area.sum()).clip(0, len(area) - 1)
        u, v = rng.uniform(0, 1, (2, n))
        s = np.sqrt(u)[:, None]
        a, b, c = corners[which].transpose(1, 0, 2)
        at, out = (1 - s) * a + s * (1 - v[:, None]) * b + s * v[:, None] * c, normal[which]
    chance = _chances(copies)[:, : len(at)]
    spin = _about_z(np.radians(chance[0, :] * copies.any_turn))
    turned = spin @ own * (1 + chance[1] * copies.any_size)[:, None, None]
    if copies.standing_out:
        turned = _leant(out) @ turned
    return np.concatenate([turned, at[:, :, None]], 2)


def _about_z(clockwise: Floats) -> Floats:
    """Turns (n, 3, 3) about the upright, clockwise seen from above [rad]."""
    c, s, zero = np.cos(clockwise), np.sin(clockwise), np.zeros(len(clockwise))
    up = np.tile([0.0, 0, 1], (len(clockwise), 1))
    return np.stack([np.stack([c, s, zero], 1), np.stack([-s, c, zero], 1), up], 1)


def _leant(up: Floats) -> Floats:
    """The shortest turns (n, 3, 3) from the upright to unit vectors (n, 3)."""
    x, y, z = up.T
    k = 1 / np.maximum(1 + z, 1e-9)
    m = np.stack(
        [
            np.stack([1 - k * x * x, -k * x * y, x], 1),
            np.stack([-k * x * y, 1 - k * y * y, y], 1),
            np.stack([-x, -y, z], 1),
        ],
        1,
    )
    m[z < -1 + 1e-6] = np.diag([1.0, -1.0, -1.0])
    return m


def _chances(copies: Copies) -> Floats:
    """Each copy's own chances, from -1 to 1, shape (COLUMNS, count)."""
    return np.random.Generator(np.random.Philox(key=[copies.seed, 977])).uniform(-1, 1, (COLUMNS, copies.count))


def delays(copies: Copies) -> Floats:
    """By how much each copy is late [s], shape (n,)."""
    n = copies.count if copies.on_model else len(spots(copies)[0])
    return np.arange(n) * copies.later + (0.5 + 0.5 * _chances(copies)[4, :n]) * copies.any_later


def placements(
    thing: Thing,
    north_turn: float,
    height: Callable[[Floats, Floats], Floats],
    own: Floats | None = None,
    facing: Floats | None = None,
) -> Floats:
    """Placements of a model and its copies, shape (n, 3, 4) [m].

    Parameters
    ----------
    height : callable
        Of the ground [m].
    own : ndarray, shape (1 or n, 3, 4)
        Where the model itself stands, or stood when each copy does as it did; as it is set down if None.
    facing : ndarray, shape (1 or n,) [degrees]
        How it is turned then.
    """
    copies = thing.copies
    if own is None or facing is None:
        own, facing = placement(thing, north_turn)[None], np.array([thing.turn])
    if copies is None:
        return own
    at, turn = spots(copies)
    n = len(at)
    chance = _chances(copies)[:, :n]
    turn = turn + chance[0] * copies.any_turn
    size = 1 + chance[1] * copies.any_size
    at = at + chance[2:4].T * copies.any_shift
    start = own[:, :2, 3]
    if copies.laid != "line":
        a = np.radians(facing + north_turn)
        c, s = np.cos(a), np.sin(a)
        at = start + np.stack([c * at[:, 0] + s * at[:, 1], c * at[:, 1] - s * at[:, 0]], 1)
    out = np.repeat(own, n, 0) if len(own) == 1 else own.copy()
    spin = _about_z(np.radians(turn))
    out[:, :, :3] = spin @ out[:, :, :3] * size[:, None, None]
    out[:, :2, 3] = at
    if copies.on_ground:
        foot = height(start[:, 0], start[:, 1])
        out[:, 2, 3] += height(at[:, 0], at[:, 1]) - foot
    return out


COLUMNS = 5
"""Chances that each copy has: its turn, its size, its shift along and across, and how late it is."""
