"""How far what the camera sees moves on the picture until another moment: motion vectors.

The first surface at each pixel's middle is found; the place is set to the other moment; where the same spot of
the same surface is then, and where the camera sees it, gives the vector.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.lens.camera import Camera
from lumwick.snapshot.evaluate import Snapshot
from lumwick.trace.embree import MASK_CLEAR, MASK_CUT, MASK_WATER, NO_HIT, SEEN, rtcIntersect1
from lumwick.trace.render import ENGINE
from lumwick.trace.sampling import ROWS
from lumwick.trace.stage import Stage, Window


@nb.njit(**ROWS)
def _first_hits(scene, view, where, found):
    """Instance and primitive (-1 for none) and u, v, distance at the middle of each pixel."""
    for y in nb.prange(found.shape[0]):
        room = np.zeros(48, np.uint32)
        start = (64 - (room.ctypes.data % 64)) % 64 // 4
        buf = room[start : start + 32]
        f = buf.view(np.float32)
        for x in range(found.shape[1]):
            sx, sy = (
                (2 * (x + view.left + 0.5) / view.width - 1) * view.tan_x,
                (1 - 2 * (y + view.top + 0.5) / view.height) * view.tan_y,
            )
            r2 = (sx * sx + sy * sy) / (view.tan_x * view.tan_x + view.tan_y * view.tan_y)
            k = (1 + view.bend * r2) / (1 + view.bend)
            for c in range(3):
                f[c] = view.origin[c]
                f[4 + c] = view.forward[c] + k * (sx * view.right[c] + sy * view.up[c])
            f[3], f[7], f[8] = 0.0, 0.0, 1e9
            buf[9], buf[10], buf[11] = SEEN | MASK_WATER | MASK_CUT | MASK_CLEAR, 0, 0
            buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT
            rtcIntersect1(scene, buf.ctypes.data, 0)
            if buf[18] == NO_HIT:
                where[y, x, 0] = -1
            else:
                where[y, x, 0], where[y, x, 1] = buf[19], buf[17]
                found[y, x, 0], found[y, x, 1], found[y, x, 2] = f[15], f[16], f[8]


def _spots(stage: Stage, where: NDArray[np.int64], found: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places of the spots that were hit, as the stage stands now; not a number where nothing was."""
    out = np.full((*where.shape[:2], 3), np.nan)
    parts = list(stage.parts())
    hit = where[..., 0] >= 0
    owner = np.full(where.shape[:2], -1)
    owner[hit] = stage.world.owner[where[hit][:, 0]]
    for number in np.unique(owner[hit]):
        chosen = owner == number
        vertices, faces = parts[number].mesh()
        corner = vertices[faces[where[chosen][:, 1]]].astype(float)
        u, v = found[chosen][:, 0:1], found[chosen][:, 1:2]
        if faces.shape[1] == 4:
            # a quad is two triangles to the ray library: 0 1 3, and 2 3 1 with u, v counted from corner 2
            second = (u + v) > 1
            spot = np.where(
                second,
                corner[:, 2] + (1 - u) * (corner[:, 3] - corner[:, 2]) + (1 - v) * (corner[:, 1] - corner[:, 2]),
                corner[:, 0] + u * (corner[:, 1] - corner[:, 0]) + v * (corner[:, 3] - corner[:, 0]),
            )
        else:
            spot = corner[:, 0] + u * (corner[:, 1] - corner[:, 0]) + v * (corner[:, 2] - corner[:, 0])
        m = stage.world.transform[where[chosen][:, 0]].astype(float)
        out[chosen] = np.einsum("nk,nkj->nj", spot, m[:, :9].reshape(-1, 3, 3)) + m[:, 9:]
    return out


def on_picture(camera: Camera, spots: NDArray[np.float64], window: Window) -> NDArray[np.float64]:
    """Where a camera sees spots [m], in pixels of the film from its left and top edge, shape (..., 2)."""
    right, up = camera.axes()
    away = spots - np.asarray(camera.position)
    ahead = np.maximum(away @ np.asarray(camera.forward), 1e-6)
    tan_x = 18.0 / camera.focal_mm * (1 + 2 * window.overscan)
    tan_y = tan_x * window.height / window.width
    sx, sy = away @ right / ahead / tan_x, away @ up / ahead / tan_y
    drawn = camera.distortion / 100.0
    if drawn:
        # the inverse of the lens's law, by Newton's steps
        bend = -drawn / (1 + drawn)
        wanted = np.hypot(sx * tan_x, sy * tan_y) / np.hypot(tan_x, tan_y)
        r = wanted.copy()
        for _ in range(6):
            r -= (r * (1 + bend * r * r) / (1 + bend) - wanted) / np.maximum((1 + 3 * bend * r * r) / (1 + bend), 0.05)
        k = np.where(wanted > 1e-9, r / np.maximum(wanted, 1e-9), 1.0)
        sx, sy = sx * k, sy * k
    return np.stack([(sx + 1) / 2 * window.width - window.left, (1 - sy) / 2 * window.height - window.top], -1)


@dataclass(frozen=True)
class Drift:
    """How far each pixel's first surface moves on the picture between two moments.

    Attributes
    ----------
    whole, place, camera : ndarray of float32, shape (height, width, 2) [pixels, right and down]
        In all; what the place's own motion brings, seen by a camera at rest; what the camera's brings in a place at
        rest.
    kind : ndarray of int64, shape (height, width)
        Of the part that is seen (`lumwick.trace.world`); -1 for the sky.
    """

    whole: NDArray[np.float32]
    place: NDArray[np.float32]
    camera: NDArray[np.float32]
    kind: NDArray[np.int64]


def drift(
    stage: Stage,
    now: Snapshot,
    later: Callable[[Camera], Snapshot],
    then: Camera,
    size: tuple[int, int],
    window: Window | None = None,
) -> Drift:
    """Motion of each pixel's first surface between two moments.

    Parameters
    ----------
    later : callable
        Gives the place at the other moment, as seen from the camera of now (so that the same forms are drawn).
    then : Camera
        The camera at the other moment.

    Notes
    -----
    The sky moves by the camera's turn alone.
    """
    shown = window or Window(*size)
    with ENGINE:
        stage.set(now)
        view = stage.view(*size, window=shown)
        where, found = np.zeros((size[1], size[0], 2), np.int64), np.zeros((size[1], size[0], 3))
        _first_hits(stage.world.scene, view, where, found)
        sky = where[..., 0] < 0
        kind = np.where(sky, -1, stage.world.kind[stage.world.owner[np.maximum(where[..., 0], 0)]]).astype(np.int64)
        before = _spots(stage, where, found)
        stage.set(later(now.camera))
        after = _spots(stage, where, found)
    before_then, after_then = before, after
    if sky.any():
        x, y = np.meshgrid(np.arange(size[0]) + shown.left + 0.5, np.arange(size[1]) + shown.top + 0.5)
        sx, sy = (2 * x / shown.width - 1) * view.tan_x, (1 - 2 * y / shown.height) * view.tan_y
        way = (view.forward + sx[..., None] * view.right + sy[..., None] * view.up)[sky]
        before, after, before_then, after_then = before.copy(), after.copy(), before.copy(), after.copy()
        before[sky] = after[sky] = now.camera.position + 1e7 * way
        before_then[sky] = after_then[sky] = then.position + 1e7 * way
    start = on_picture(now.camera, before, shown)
    return Drift(
        np.asarray(on_picture(then, after_then, shown) - start, np.float32),
        np.asarray(on_picture(now.camera, after, shown) - start, np.float32),
        np.asarray(on_picture(then, before_then, shown) - start, np.float32),
        kind,
    )


def skyline(
    stage: Stage, seen: Snapshot, size: tuple[int, int] = (640, 360)
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The skyline of a view: for each column of its picture the bearing from the model's north, going on past 360,
    and the elevation [degrees] of the highest thing in it.

    Columns in which nothing, or nothing but things, is seen have their elevation at the picture's lower or upper edge.
    """
    level = replace(seen.camera, roll=0.0, distortion=0.0)
    with ENGINE:
        stage.set(replace(seen, camera=level))
        view = stage.view(*size)
        where, found = np.zeros((size[1], size[0], 2), np.int64), np.zeros((size[1], size[0], 3))
        _first_hits(stage.world.scene, view, where, found)
    hit = where[..., 0] >= 0
    top = np.where(hit.any(0), hit.argmax(0), size[1])
    sx, sy = (2 * (np.arange(size[0]) + 0.5) / size[0] - 1) * view.tan_x, (1 - 2 * top / size[1]) * view.tan_y
    way = view.forward + sx[:, None] * view.right + sy[:, None] * view.up
    bearing = np.degrees(np.unwrap(np.arctan2(way[:, 0], way[:, 1])))
    return bearing, np.degrees(np.arctan2(way[:, 2], np.hypot(way[:, 0], way[:, 1])))
