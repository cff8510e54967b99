"""How far what the camera sees moves on the picture until another moment: motion vectors.

The first surface at each pixel's middle is found; the place is set to the other moment; where the same spot of
the same surface is then, and where the camera sees it, gives the vector.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lumwick.lens.camera import Camera
from lumwick.snapshot.evaluate import Snapshot
from lumwick.trace.framing import Window
from lumwick.trace.integrator.first_hits import first_of_rows
from lumwick.trace.integrator.rays import buffers
from lumwick.trace.lock import ENGINE
from lumwick.trace.stage import Stage
from lumwick.trace.world import View


@dataclass(frozen=True)
class Hits:
    """The first surface at each pixel's middle, told so that it can be found again when everything has moved.

    Attributes
    ----------
    part : ndarray of int64, shape (height, width)
        Number of a name in ``names``, or -1 for the sky.
    placement, primitive : ndarray of int64, shape (height, width)
        Within its part.
    uvd : ndarray, shape (height, width, 3)
        Where on the primitive, and how far off [m].
    names : list of str
        The stage's parts.
    kind : ndarray of int64, shape (height, width)
        Of the part (`lumwick.trace.world`); -1 for the sky.
    """

    part: NDArray[np.int64]
    placement: NDArray[np.int64]
    primitive: NDArray[np.int64]
    uvd: NDArray[np.float64]
    names: list[str]
    kind: NDArray[np.int64]


def first_hits(stage: Stage, view: View, size: tuple[int, int], start: NDArray[np.float32] | None = None) -> Hits:
    """What a view of the stage, as it stands, sees at the middle of each pixel of a film of a size.

    Parameters
    ----------
    start : ndarray of float32, shape (height, width) or None [m]
        Along each ray, from where on it is looked; from the eye if None.
    """
    where, found = np.zeros((size[1], size[0], 2), np.int64), np.zeros((size[1], size[0], 3))
    start = np.zeros((size[1], size[0]), np.float32) if start is None else start
    first_of_rows(stage.world.geometry.scene, view, buffers(size[1]), start, where, found)
    sky = where[..., 0] < 0
    instance = np.maximum(where[..., 0], 0)
    owner = stage.world.geometry.owner
    first = np.searchsorted(owner, np.arange(len(stage.world.geometry.kind)))  # placements lie part by part
    part = np.where(sky, -1, owner[instance]).astype(np.int64)
    return Hits(
        part,
        instance - first[np.maximum(part, 0)],
        where[..., 1],
        found,
        list(stage.parts()),
        np.where(sky, -1, stage.world.geometry.kind[np.maximum(part, 0)]).astype(np.int64),
    )


def spots(stage: Stage, hits: Hits) -> NDArray[np.float64]:
    """Places of the spots that were hit, as the stage stands now, shape (height, width, 3) [m]; not a number for the
    sky, and for what is no longer there."""
    out = np.full((*hits.part.shape, 3), np.nan)
    parts = stage.parts()
    for number in np.unique(hits.part[hits.part >= 0]):
        part = parts.get(hits.names[number])
        if part is None:
            continue
        vertices, faces = part.mesh()
        chosen = (hits.part == number) & (hits.placement < len(part.transforms)) & (hits.primitive < len(faces))
        corner = vertices[faces[hits.primitive[chosen]]].astype(float)
        spot = _on_face(corner, hits.uvd[chosen][:, 0:1], hits.uvd[chosen][:, 1:2])
        m = part.transforms[hits.placement[chosen]].astype(float)
        out[chosen] = np.einsum("nk,nkj->nj", spot, m[:, :9].reshape(-1, 3, 3)) + m[:, 9:]
    return out


def _on_face(corner: NDArray[np.float64], u: NDArray[np.float64], v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points (n, 3) of triangles or quads (n, 3 or 4, 3) at the ray library's coordinates (n, 1)."""
    if corner.shape[1] == 3:
        return corner[:, 0] + u * (corner[:, 1] - corner[:, 0]) + v * (corner[:, 2] - corner[:, 0])
    # a quad is two triangles to it: 0 1 3, and 2 3 1 with u, v counted from corner 2
    return np.where(
        (u + v) > 1,
        corner[:, 2] + (1 - u) * (corner[:, 3] - corner[:, 2]) + (1 - v) * (corner[:, 1] - corner[:, 2]),
        corner[:, 0] + u * (corner[:, 1] - corner[:, 0]) + v * (corner[:, 3] - corner[:, 0]),
    )


def on_picture(camera: Camera, spots: NDArray[np.float64], window: Window) -> NDArray[np.float64]:
    """Where a camera sees spots [m], in pixels of the film from its left and top edge, shape (..., 2)."""
    right, up = camera.axes()
    away = spots - np.asarray(camera.position)
    ahead = np.maximum(away @ np.asarray(camera.forward), 1e-6)
    tan_x = camera.lens.tangent * (1 + 2 * window.overscan)
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
    hits : Hits
        What is seen.
    """

    whole: NDArray[np.float32]
    place: NDArray[np.float32]
    camera: NDArray[np.float32]
    hits: Hits


def motion_vectors(
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
        hits = first_hits(stage, view, size)
        before = spots(stage, hits)
        stage.set(later(now.camera))
        after = spots(stage, hits)
    sky = hits.part < 0
    before_then, after_then = before, after
    if sky.any():
        x, y = np.meshgrid(np.arange(size[0]) + shown.left + 0.5, np.arange(size[1]) + shown.top + 0.5)
        sx, sy = (2 * x / shown.width - 1) * view.tan_x, (1 - 2 * y / shown.height) * view.tan_y
        direction = (view.forward + sx[..., None] * view.right + sy[..., None] * view.up)[sky]
        before, after, before_then, after_then = before.copy(), after.copy(), before.copy(), after.copy()
        before[sky] = after[sky] = now.camera.position + 1e7 * direction
        before_then[sky] = after_then[sky] = then.position + 1e7 * direction
    start = on_picture(now.camera, before, shown)
    return Drift(
        np.asarray(on_picture(then, after_then, shown) - start, np.float32),
        np.asarray(on_picture(now.camera, after, shown) - start, np.float32),
        np.asarray(on_picture(then, before_then, shown) - start, np.float32),
        hits,
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
        hit = first_hits(stage, view, size).part >= 0
    top = np.where(hit.any(0), hit.argmax(0), size[1])
    sx, sy = (2 * (np.arange(size[0]) + 0.5) / size[0] - 1) * view.tan_x, (1 - 2 * top / size[1]) * view.tan_y
    direction = view.forward + sx[:, None] * view.right + sy[:, None] * view.up
    bearing = np.degrees(np.unwrap(np.arctan2(direction[:, 0], direction[:, 1])))
    return bearing, np.degrees(np.arctan2(direction[:, 2], np.hypot(direction[:, 0], direction[:, 1])))


def silhouette(stage: Stage, snapshot: Snapshot, size: tuple[int, int], finer: int = 2) -> NDArray[np.uint8]:
    """Plants in black on white, whatever stands about them, uint8 (height, width).

    Parameters
    ----------
    finer : int
        Rays across a pixel: their mean is its tone.
    """
    with ENGINE:
        stage.set(snapshot)
        w, h = size[0] * finer, size[1] * finer
        view, start, seen = stage.view(w, h), np.zeros((h, w), np.float32), np.zeros((h, w), bool)
        for _ in range(OPEN_LAYERS):
            hits = first_hits(stage, view, (w, h), start)
            open_here = _open(stage, hits)
            plant = np.array([name.startswith("stand ") for name in hits.names])
            seen = (hits.part >= 0) & plant[np.maximum(hits.part, 0)] & ~open_here
            if not open_here.any():
                break
            # through the holes of cut-outs to what lies behind them
            start[open_here] = hits.uvd[open_here][:, 2] * (1 + 1e-5) + 1e-4
    share = seen.reshape(size[1], finer, size[0], finer).mean((1, 3))
    return np.asarray(np.round(255 * (1 - share)), np.uint8)


OPEN_LAYERS = 12
"""Cut-outs one behind another that are looked through, at most."""


def _open(stage: Stage, hits: Hits) -> NDArray[np.bool_]:
    """Which pixels (height, width) see a hole of a plant's cut-out leaf."""
    out = np.zeros(hits.part.shape, bool)
    for number in np.unique(hits.part[hits.part >= 0]):
        piece = stage.stands.piece_of(hits.names[number])
        picture = piece.part.surface.colour_map if piece is not None else None
        if piece is None or piece.part.uv is None or picture is None:
            continue
        chosen = hits.part == number
        corner = piece.part.uv[hits.primitive[chosen]].astype(float)
        u, v = hits.uvd[chosen][:, 0:1], hits.uvd[chosen][:, 1:2]
        s, t = np.mod((1 - u - v) * corner[:, 0] + u * corner[:, 1] + v * corner[:, 2], 1.0).T
        high, wide = picture.shape[:2]
        row, column = ((1 - t) * high).astype(int).clip(0, high - 1), (s * wide).astype(int).clip(0, wide - 1)
        out[chosen] = picture[row, column, 3] < 255 * piece.part.surface.cutoff
    return out
