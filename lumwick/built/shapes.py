"""Own shapes to block a place out with, as models: their foot stands on their own zero, their front faces south.

Measures are as they are said: a ball of 2 m is 2 m wide. Curved sides are flat facets with smooth normals, fine enough
that a silhouette leaves its curve by less than a two-hundredth of the radius.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumwick.built.meshes import Mesh, MeshPart, MeshSurface
from lumwick.place.objects import Opening, Shape

Floats = NDArray[np.float64]
Corners = tuple[Floats, Floats | None]
"""Triangles (n, 3, 3) [m], and their corners' normals (n, 3, 3) or None if they are flat."""

ROUND = 48
"""Sides of what is round."""
BANDS = 24
"""Bands of a ball from foot to top, and steps of a sweep's curve."""
GLASS_THICK = 0.006
CLAY = MeshSurface("shape", (0.42, 0.41, 0.39), 0.75)
"""What a shape is made of until it is given a surface (practice: a mid grey)."""
PANES = MeshSurface("panes", (0.98, 0.99, 0.98), 0.02, clear=1.0)


def _quad(a: Iterable[float], b: Iterable[float], c: Iterable[float], d: Iterable[float]) -> Floats:
    """Two triangles of four corners, seen from where they run counter-clockwise."""
    p, q, r, s = (np.asarray(tuple(v), float) for v in (a, b, c, d))
    return np.array([[p, q, r], [p, r, s]])


def _box(low: Iterable[float], high: Iterable[float]) -> Floats:
    """The twelve triangles of an upright box."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    return np.concatenate(
        [
            _quad((x0, y0, z0), (x0, y1, z0), (x1, y1, z0), (x1, y0, z0)),
            _quad((x0, y0, z1), (x1, y0, z1), (x1, y1, z1), (x0, y1, z1)),
            _quad((x0, y0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1)),
            _quad((x1, y1, z0), (x0, y1, z0), (x0, y1, z1), (x1, y1, z1)),
            _quad((x1, y0, z0), (x1, y1, z0), (x1, y1, z1), (x1, y0, z1)),
            _quad((x0, y1, z0), (x0, y0, z0), (x0, y0, z1), (x0, y1, z1)),
        ]
    )


def _between(lower: Floats, upper: Floats, below: Floats, above: Floats) -> Corners:
    """A band between two rows of points (n, 3), the last not joined to the first, with the normals of both."""

    def made(low: Floats, high: Floats) -> Floats:
        a, b, c, d = low[:-1], low[1:], high[1:], high[:-1]
        return np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])

    t, n = made(lower, upper), made(below, above)
    flat = np.linalg.norm(np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]), axis=1) < 1e-12
    return t[~flat], n[~flat]


def _circle(n: int = ROUND) -> Floats:
    """Unit vectors round the horizon, the first again at the end, shape (n + 1, 3)."""
    a = 2 * np.pi * np.arange(n + 1) / n
    return np.stack([np.cos(a), np.sin(a), np.zeros(n + 1)], 1)


def _joined(parts: list[Corners]) -> Corners:
    """Bands as one; flat ones get their own normals."""
    triangles = np.concatenate([t for t, _ in parts])
    normals = []
    for t, n in parts:
        if n is None:
            face = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
            n = np.repeat((face / np.linalg.norm(face, axis=1, keepdims=True))[:, None], 3, 1)
        normals.append(n)
    return triangles, np.concatenate(normals)


def _ball(shape: Shape) -> Corners:
    half = np.array([shape.width, shape.depth, shape.height]) / 2
    e = np.pi * (np.arange(BANDS + 1) / BANDS - 0.5)
    ring = _circle()
    rows = [np.cos(x) * ring + np.array([0, 0, np.sin(x)]) for x in e]
    out = []
    for low, high in zip(rows, rows[1:], strict=False):
        normals = [v / half / np.linalg.norm(v / half, axis=1, keepdims=True) for v in (low, high)]
        out.append(_between(*(v * half + (0, 0, half[2]) for v in (low, high)), *normals))
    return _joined(out)


STONE_BANDS, STONE_SIDES = 36, 64
STONE_LUMPS = ((1.1, 0.26), (2.3, 0.13), (5.1, 0.05))
"""Sizes of a stone's lumps, a radian, and their share of its radius (practice)."""


def _stone(shape: Shape) -> Corners:
    """A worn stone: a ball with lumps, of chance by its number."""
    half = np.array([shape.width, shape.depth, shape.height]) / 2
    rng = np.random.default_rng(shape.number)
    e = np.pi * (np.arange(STONE_BANDS + 1) / STONE_BANDS - 0.5)
    way = np.cos(e)[:, None, None] * _circle(STONE_SIDES) + np.sin(e)[:, None, None] * np.array([0, 0, 1.0])
    radius = np.ones(way.shape[:2])
    for size, share in STONE_LUMPS:
        for _ in range(5):
            across = rng.standard_normal(3)
            across *= size * np.pi / 2 / np.linalg.norm(across)
            radius += share * 0.6 * np.sin(way @ across + rng.uniform(0, 2 * np.pi))
    # worn flat rather than pitted
    points = way * np.minimum(radius, 1.12)[..., None] * half
    points[..., 2] -= points[..., 2].min()
    du = np.roll(points[:, :-1], -1, 1) - np.roll(points[:, :-1], 1, 1)
    dv = np.gradient(points[:, :-1], axis=0)
    normals = np.cross(du, dv)
    normals /= np.maximum(np.linalg.norm(normals, axis=2, keepdims=True), 1e-12)
    normals[0], normals[-1] = (0, 0, -1), (0, 0, 1)
    normals = np.concatenate([normals, normals[:, :1]], 1)
    return _joined([_between(*rows) for rows in zip(points, points[1:], normals, normals[1:], strict=False)])


def _tapered(shape: Shape, top: float) -> Corners:
    """A cylinder, or a cone whose top is ``top`` times as wide as its foot."""
    half, ring = np.array([shape.width / 2, shape.depth / 2, 0]), _circle()
    foot, head = ring * half, ring * half * top + np.array([0, 0, shape.height])
    slope = (1 - top) * half[:2].mean() / shape.height
    out = ring[:, :2] / half[:2]
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    normals = np.column_stack([out, np.full(len(out), slope)]) / np.hypot(1, slope)
    parts: list[Corners] = [_between(foot, head, normals, normals)]
    down, up = np.array([0, 0, 0.0]), np.array([0, 0, shape.height])
    parts.append((np.stack([np.broadcast_to(down, (ROUND, 3)), foot[1:], foot[:-1]], 1), None))
    if top > 0:
        parts.append((np.stack([np.broadcast_to(up, (ROUND, 3)), head[:-1], head[1:]], 1), None))
    return _joined(parts)


def _stairs(shape: Shape) -> Corners:
    """Steps that climb northwards, each a box down to the ground, so that their sides are closed."""
    n = shape.steps
    tread, rise = shape.depth / n, shape.height / n
    x, y = shape.width / 2, -shape.depth / 2
    boxes = [_box((-x, y + k * tread, 0), (x, y + (k + 1) * tread, (k + 1) * rise)) for k in range(n)]
    return np.concatenate(boxes), None


def _sweep(shape: Shape) -> Corners:
    """A floor that turns up into a wall without an edge: a studio's curved ground."""
    x, front, back = shape.width / 2, -shape.depth / 2, shape.depth / 2
    r = min(shape.curve, shape.depth, shape.height)
    a = np.pi / 2 * np.arange(BANDS + 1) / BANDS
    y = np.concatenate([[front], back - r + r * np.sin(a), [back]])
    z = np.concatenate([[0.0], r - r * np.cos(a), [shape.height]])
    normal = np.stack([-np.sin(a), np.cos(a)], 1)
    ny, nz = (np.concatenate([normal[:1, k], normal[:, k], normal[-1:, k]]) for k in (0, 1))
    west, east = (np.column_stack([np.full(len(y), s), y, z]) for s in (-x, x))
    across = np.column_stack([np.zeros(len(y)), ny, nz])
    return _between(east, west, across, across)


def cut_wall(length: float, height: float, openings: list[Opening]) -> list[tuple[float, float, float, float]]:
    """Rectangles (left, foot, right, top) that fill a wall but for its openings.

    Openings are clipped to the wall; where two overlap their union is open.
    """
    holes = []
    for one in openings:
        left, right = max(0.0, one.along - one.width / 2), min(length, one.along + one.width / 2)
        foot, top = max(0.0, one.up), min(height, one.up + one.height)
        if right > left and top > foot:
            holes.append((left, foot, right, top))
    xs = np.unique([0.0, length, *(h[k] for h in holes for k in (0, 2))])
    zs = np.unique([0.0, height, *(h[k] for h in holes for k in (1, 3))])
    out = []
    for x0, x1 in zip(xs, xs[1:], strict=False):
        start = None
        for z0, z1 in zip(zs, zs[1:], strict=False):
            x, z = (x0 + x1) / 2, (z0 + z1) / 2
            open_here = any(h[0] < x < h[2] and h[1] < z < h[3] for h in holes)
            if open_here and start is not None:
                out.append((float(x0), float(start), float(x1), float(z0)))
                start = None
            elif not open_here and start is None:
                start = z0
        if start is not None:
            out.append((float(x0), float(start), float(x1), float(height)))
    return out


def _wall(length: float, height: float, thick: float, openings: list[Opening]) -> tuple[Floats, Floats]:
    """A wall along x from 0, its outer face at y = 0 and its inner one at ``thick``; and the panes in it.

    Only faces that bound it are made: none lies between two of its pieces, so that light finds no seam.
    """
    pieces = cut_wall(length, height, openings)
    xs = np.unique([0.0, length, *(v for p in pieces for v in (p[0], p[2]))])
    zs = np.unique([0.0, height, *(v for p in pieces for v in (p[1], p[3]))])
    mx, mz = (xs[1:] + xs[:-1]) / 2, (zs[1:] + zs[:-1]) / 2
    solid = np.zeros((len(mx) + 2, len(mz) + 2), bool)
    for left, foot, right, top in pieces:
        solid[1:-1, 1:-1] |= ((mx > left) & (mx < right))[:, None] & ((mz > foot) & (mz < top))[None]
    out = []
    for i, j in np.argwhere(solid):
        x0, x1, z0, z1 = xs[i - 1], xs[i], zs[j - 1], zs[j]
        out.append(_quad((x0, 0, z0), (x1, 0, z0), (x1, 0, z1), (x0, 0, z1)))
        out.append(_quad((x1, thick, z0), (x0, thick, z0), (x0, thick, z1), (x1, thick, z1)))
        if not solid[i - 1, j]:
            out.append(_quad((x0, thick, z0), (x0, 0, z0), (x0, 0, z1), (x0, thick, z1)))
        if not solid[i + 1, j]:
            out.append(_quad((x1, 0, z0), (x1, thick, z0), (x1, thick, z1), (x1, 0, z1)))
        if not solid[i, j - 1]:
            out.append(_quad((x0, 0, z0), (x0, thick, z0), (x1, thick, z0), (x1, 0, z0)))
        if not solid[i, j + 1]:
            out.append(_quad((x0, 0, z1), (x1, 0, z1), (x1, thick, z1), (x0, thick, z1)))
    panes = []
    for one in openings:
        if one.glazed:
            x0, x1 = max(0.0, one.along - one.width / 2), min(length, one.along + one.width / 2)
            z0, z1 = max(0.0, one.up), min(height, one.up + one.height)
            y = thick / 2
            panes.append(_quad((x0, y, z0), (x1, y, z0), (x1, y, z1), (x0, y, z1)))
    empty = np.zeros((0, 3, 3))
    return np.concatenate(out) if out else empty, np.concatenate(panes) if panes else empty


def _turned(t: Floats, quarter: int, at: tuple[float, float, float]) -> Floats:
    """Triangles turned by quarters counter-clockwise and moved."""
    c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarter % 4]
    return np.asarray(t @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]]) + at)


def _room(shape: Shape) -> tuple[Floats, Floats]:
    """Four walls with their openings, a floor and a ceiling; measures are of its inside."""
    w, d, h, thick = shape.width, shape.depth, shape.height, shape.thick
    solid, panes = [], []
    # each wall covers the corner at its end; its openings are told from its own middle
    for k, (side, length, at) in enumerate(
        (
            ("south", w, (-w / 2 - thick, -d / 2 - thick, 0.0)),
            ("east", d, (w / 2 + thick, -d / 2 - thick, 0.0)),
            ("north", w, (w / 2 + thick, d / 2 + thick, 0.0)),
            ("west", d, (-w / 2 - thick, d / 2 + thick, 0.0)),
        )
    ):
        whole = length + 2 * thick
        mine = [o.model_copy(update={"along": o.along + whole / 2}) for o in shape.openings if o.wall == side]
        made, glass = _wall(whole, h, thick, mine)
        solid.append(_turned(made, k, at))
        panes.append(_turned(glass, k, at))
    x, y = w / 2 + thick, d / 2 + thick
    solid.append(_box((-x, -y, -thick), (x, y, 0)))
    if shape.roofed:
        solid.append(_box((-x, -y, h), (x, y, h + thick)))
    return np.concatenate(solid), np.concatenate(panes)


def _part(surface: MeshSurface, corners: Corners) -> MeshPart:
    t, n = corners
    return MeshPart(
        surface,
        t.reshape(-1, 3).astype(np.float32),
        np.arange(3 * len(t), dtype=np.uint32).reshape(-1, 3),
        None,
        None if n is None else n.astype(np.float32),
    )


def mesh_of_shape(shape: Shape) -> Mesh:
    """A shape as a model: what it is made of, and its panes as a part of their own."""
    return _mesh(shape.model_dump_json())


@lru_cache(512)
def _mesh(told: str) -> Mesh:
    """The model of a shape as JSON; looked for at every instant, and made once."""
    shape = Shape.model_validate_json(told)
    w, d, h = shape.width / 2, shape.depth / 2, shape.height
    panes = np.zeros((0, 3, 3))
    if shape.kind == "ball":
        solid = _ball(shape)
    elif shape.kind in ("cylinder", "cone"):
        solid = _tapered(shape, 1.0 if shape.kind == "cylinder" else 0.0)
    elif shape.kind == "stairs":
        solid = _stairs(shape)
    elif shape.kind == "stone":
        solid = _stone(shape)
    elif shape.kind == "sweep":
        solid = _sweep(shape)
    elif shape.kind == "plate":
        solid = (_quad((-w, -d, 0), (w, -d, 0), (w, d, 0), (-w, d, 0)), None)
    elif shape.kind == "wall":
        mine = [o.model_copy(update={"along": o.along + shape.width / 2}) for o in shape.openings]
        made, panes = _wall(shape.width, h, shape.thick, mine)
        aside = np.array([-w, -shape.thick / 2, 0])
        solid, panes = (made + aside, None), panes + aside
    elif shape.kind == "room":
        made, panes = _room(shape)
        solid = (made, None)
    else:
        solid = (_box((-w, -d, 0), (w, d, h)), None)
    parts = [_part(CLAY, solid)]
    if len(panes):
        parts.append(_part(PANES, (panes, None)))
    return Mesh(tuple(parts))
