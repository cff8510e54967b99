"""Models of one's own as plants: how each vertex goes with the wind, grows, and is held by its foot.

A model says nothing of its limbs. What one surface or part holds together is a leaf (or a card of many), and wood is
the rest; how far a point goes with the wind is a smooth function of where it lies, the same for wood and for what hangs
on it, so that nothing comes off and nothing tears.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import KDTree

from lumwick.built.meshes import Mesh, MeshPart
from lumwick.built.reduced import reduced
from lumwick.errors import PlaceError
from lumwick.growth.kinds.form import BARK, FLUTTER_GROUPS, LEAF, LEVELS, Floats, Form
from lumwick.place.growing import OwnPlant, Stand
from lumwick.place.objects import Thing

Ints = NDArray[np.int64]
SECTORS, BANDS = 12, 3
"""Round about and upwards: of the field by which its branches sway."""
FEW_LEAVES = (1.0, 0.4, 0.12)
"""Share of the leaves that is drawn, by level; they are as much larger for it (R. Cook and others 2007)."""
WOOD_KEPT = (1.0, 0.4, 0.1)
"""Share of the wood's triangles that is drawn, by level."""
PLENTY = 24
"""Leaves, or triangles of wood, under which none are left out."""
LEAFY = ("leaf", "leaves", "foliage", "needle", "frond", "petal", "flower", "blossom", "twig", "blade")
"""Words by which a surface is known for one of leaves."""
WOOD_GROWN, UNFURLED = 0.62, 0.10
FLUTTERS = 0.35
"""How far a leaf's end goes, as a share of its length."""
LEAF_LEAST, LEAF_MOST = 0.001, 0.3
"""Sizes against the whole within which a loose piece of a model with one surface may be a leaf."""


def likely_leaves(mesh: Mesh) -> list[str]:
    """Which of a model's surfaces look like leaves: cut-outs, by their names, or what is greener than all else."""
    out = []
    for surface in {part.surface.name: part.surface for part in mesh.parts}.values():
        r, g, b = surface.colour
        green = surface.colour_map is None and g > 1.05 * r and g > 1.2 * b
        if surface.cutoff > 0 or green or any(word in surface.name.lower() for word in LEAFY):
            out.append(surface.name)
    return out


def tall_of(mesh: Mesh) -> float:
    """Height of a model as a plant: from its foot up [m]."""
    _, high = mesh.bounds
    return max(float(high[2] - _foot(mesh)[2]), 1e-6)


def _foot(mesh: Mesh) -> Floats:
    """Where a model stands: its own zero, if that lies at the bottom of it, or else the middle of its lowest part."""
    low, high = mesh.bounds
    size = high[2] - low[2]
    if (low[:2] <= 1e-6).all() and (high[:2] >= -1e-6).all() and low[2] - 0.01 * size <= 0 <= low[2] + 0.2 * size:
        return np.zeros(3)
    every = np.concatenate([part.vertices for part in mesh.parts]).astype(float)
    lowest = every[every[:, 2] <= low[2] + 0.02 * size]
    return np.array([*lowest[:, :2].mean(0), low[2]])


def stood(mesh: Mesh, height: float) -> Mesh:
    """The same model with its foot at the origin, of a height [m]."""
    foot, by = _foot(mesh), height / tall_of(mesh)
    return replace(
        mesh,
        parts=tuple(
            replace(part, vertices=((part.vertices - foot) * by).astype(np.float32)) for part in mesh.parts
        ),
    )  # fmt: skip


TALLEST, LOWEST = 60.0, 0.05
"""Heights [m] between which plants may be."""
SOWN = 16
"""How many plants one begins with, on a square about where the model stood."""


CORNERS = ((-1, -1), (1, -1), (1, 1), (-1, 1))


def sown(thing: Thing, mesh: Mesh, new: str, scale: float, at: tuple[float, float]) -> Stand:
    """A stand whose plants are a model that stood in the place.

    Parameters
    ----------
    mesh : Mesh
        The model's.
    new : str
        Id of the stand.
    scale : float
        Metres for one of its units.
    at : (float, float) [m]
        Where it stood, east and north.

    Raises
    ------
    PlaceError
        It is a shape, or moves by itself.
    """
    if thing.mesh is None:
        raise PlaceError(f"{thing.name} is a shape: bring a plant as a model, and sow that.")
    if thing.plays is not None:
        raise PlaceError(f"{thing.name} moves by itself: a plant moves in the place's wind. Stop its motion first.")
    high = min(max(tall_of(mesh) * scale, LOWEST), TALLEST)
    low, top = stood(mesh, high).bounds
    apart = max(0.8 * float((top - low)[:2].max()), 0.1)
    half = apart * SOWN**0.5 / 2
    return Stand(
        id=new,
        name=thing.name,
        kind="birch" if high > 3 else "scrub",
        area=[
            (round(at[0] + i * half, 2), round(at[1] + j * half, 2)) for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ],
        per_hectare=min(round(1.3 * 1e4 / apart**2, 2), 4e6),
        height=round(high, 3),
        spaced=round(min(0.6 * apart, 200.0), 2),
        own=OwnPlant(mesh=thing.mesh, upright=thing.upright, leaves=likely_leaves(mesh)[:200]),
    )


def told_of(stand: Stand, mesh: Mesh) -> str:
    """In words, how a model was sown: how high, and what of it was taken for leaves."""
    assert stand.own is not None
    every = {part.surface.name for part in mesh.parts}
    if stand.own.leaves:
        leaves = f"{', '.join(stand.own.leaves[:3])} taken for leaves"
    elif len(every) == 1:
        leaves = "small loose pieces taken for leaves"
    else:
        leaves = "no leaves found: say in its form which surfaces are"
    return f"Sown {float(stand.height):.3g} m high; {leaves}."


def loose(part: MeshPart) -> tuple[int, Ints]:
    """How many pieces a part falls into, and which each of its vertices belongs to, shape (n,); corners that lie on
    each other are one."""
    span = float(np.ptp(part.vertices, axis=0).max()) or 1.0
    same = np.unique((part.vertices / span * 1e5).round().astype(np.int64), axis=0, return_inverse=True)[1].reshape(-1)
    a, b, c = same[part.triangles.astype(np.int64)].T
    n = int(same.max()) + 1
    links = coo_matrix((np.ones(2 * len(a)), (np.concatenate([a, b]), np.concatenate([b, c]))), shape=(n, n))
    count, which = connected_components(links, directed=False)
    return int(count), which[same]


def leaf_vertices(mesh: Mesh, own: OwnPlant) -> list[NDArray[np.bool_]]:
    """Which vertices of each part of a model belong to leaves.

    Those of the surfaces and parts that are named; of a model with one surface, small pieces that hang loose.
    """
    one = len({part.surface.name for part in mesh.parts}) == 1 and not own.leaves
    size = float(np.ptp(np.stack(mesh.bounds), axis=0).max())
    out = []
    for part in mesh.parts:
        if one:
            count, which = loose(part)
            order = np.argsort(which, kind="stable")
            start = np.searchsorted(which[order], np.arange(count))
            across = np.linalg.norm(
                np.maximum.reduceat(part.vertices[order], start) - np.minimum.reduceat(part.vertices[order], start),
                axis=1,
            )
            small = (across < LEAF_MOST * size) & (across > LEAF_LEAST * size) & (count > PLENTY)
            out.append(small[which])
        else:
            leafy = part.surface.name in own.leaves or (part.node and part.node in own.leaves)
            out.append(np.full(len(part.vertices), bool(leafy)))
    return out


@dataclass(frozen=True)
class Piece:
    """A part of a model as a plant's: with its corners' textures and normals, and how it moves; whether it is
    leaves."""

    part: MeshPart
    form: Form
    leafy: bool


def pieces(mesh: Mesh, own: OwnPlant, height: float, seed: int, level: int = 0) -> list[Piece]:
    """A model's parts as a plant of a height [m], at a level of detail."""
    whole = stood(mesh, height)
    wood, leaves = [], []
    for part, leaf in zip(whole.parts, leaf_vertices(whole, own), strict=True):
        corner_is = np.asarray(leaf[part.triangles.astype(np.int64)].all(axis=1), bool)
        wood += [some for some in [_of_triangles(part, ~corner_is)] if some is not None]
        leaves += [some for some in [_of_triangles(part, corner_is)] if some is not None]
    out = [Piece(*_wood(part, height, level), leafy=False) for part in wood]
    bark = _Bark.of([piece.part for piece in out], height)
    for k, part in enumerate(leaves):
        rng = np.random.default_rng([seed, 8, level, k])
        out.append(Piece(*_leaves(part, bark, height, level, rng), leafy=True))
    return out


SPOTS = 4
"""On each triangle of wood, at least, where a leaf may be fixed."""


@dataclass(frozen=True)
class _Bark:
    """Where on wood leaves may be fixed: spots (n, 3), and how each sways with the triangle that it lies on."""

    spots: KDTree
    field: list[tuple[Floats, Ints]]

    @classmethod
    def of(cls, parts: list[MeshPart], height: float) -> _Bark | None:
        if not parts:
            return None
        corners = np.concatenate([part.vertices[part.triangles.astype(np.int64)] for part in parts]).astype(float)
        long = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(1)
        many = np.minimum(SPOTS + (long / (0.01 * height)).astype(np.int64), 40)
        which = np.repeat(np.arange(len(corners)), many)
        rng = np.random.default_rng(len(which))
        u, v = rng.random((2, len(which)))
        u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
        share = np.stack([1 - u - v, u, v], 1)
        at = np.einsum("nk,nkc->nc", share, corners[which])
        told = [_field(corners[:, k], height) for k in range(3)]
        field = [(share[:, k] * w[which], g[which]) for k in range(3) for w, g in told[k]]
        return cls(KDTree(at), _gathered(field))


def _gathered(field: list[tuple[Floats, Ints]]) -> list[tuple[Floats, Ints]]:
    """The same field by fewer groups: those of one number joined, the weightiest kept for all."""
    weight = np.zeros((len(field[0][0]), 1 + SECTORS * BANDS))
    for w, g in field:
        np.add.at(weight, (np.arange(len(w)), g), w)
    order = np.argsort(-weight, axis=1)[:, :JOINED]
    rows = np.arange(len(weight))
    return [(weight[rows, order[:, k]], order[:, k]) for k in range(JOINED)]


JOINED = 8
"""Groups that what hangs on a triangle of wood sways with at most."""


def _of_triangles(part: MeshPart, which: NDArray[np.bool_]) -> MeshPart | None:
    """Some of a part's triangles, with the vertices that they have; None if there are none."""
    if not which.any():
        return None
    kept, triangles = np.unique(part.triangles[which], return_inverse=True)
    return replace(
        part,
        vertices=part.vertices[kept],
        triangles=triangles.reshape(-1, 3).astype(np.uint32),
        uv=None if part.uv is None else part.uv[which],
        normals=None if part.normals is None else part.normals[which],
    )


def _field(at: Floats, height: float) -> list[tuple[Floats, Ints]]:
    """With which groups points (n, 3) sway, and how far: four each, blended round about and upwards, and none at the
    stem and at the foot."""
    out = np.hypot(at[:, 0], at[:, 1])
    high = np.clip(at[:, 2] / height, 0, 1)
    reach = np.minimum(1.5, out / (0.22 * height)) * np.clip(high / 0.12, 0, 1)
    u = np.mod(np.arctan2(at[:, 1], at[:, 0]) / (2 * np.pi), 1.0) * SECTORS
    v = high * (BANDS - 1)
    i, j = np.floor(u).astype(np.int64) % SECTORS, np.minimum(np.floor(v).astype(np.int64), BANDS - 2)
    a, b = u - np.floor(u), v - j
    told = []
    for di, wi in ((0, 1 - a), (1, a)):
        for dj, wj in ((0, 1 - b), (1, b)):
            told.append((reach * wi * wj, 1 + (j + dj) * SECTORS + (i + di) % SECTORS))
    return told


def _form(part: MeshPart, field: list[tuple[Floats, Ints]], leafy: bool, told: dict[str, Any]) -> Form:
    n = len(part.vertices)
    plain = {name: np.broadcast_to(np.asarray(value), (n,)) for name, value in told.items() if name != "origin"}
    first, *more = [(w.astype(np.float32), g.astype(np.int32)) for w, g in field]
    return Form(
        vertices=part.vertices,
        quads=np.ascontiguousarray(part.triangles, np.uint32),
        surface=np.full(len(part.triangles), LEAF if leafy else BARK, np.uint8),
        weight=first[0],
        flutter=plain["flutter"].astype(np.float32),
        group=first[1],
        flutter_group=plain["flutter_group"].astype(np.int32),
        origin=np.ascontiguousarray(told["origin"], np.float32),
        birth=plain["birth"].astype(np.float32),
        lag=plain["lag"].astype(np.float32),
        foot=np.zeros((n, 2), np.float32),
        groups=1 + SECTORS * BANDS,
        also=tuple(more),
    )


def _far_along(at: Floats, height: float) -> Floats:
    """How far points (n, 3) lie from the foot along the plant, 0 to 1: up the stem and then out."""
    return np.asarray(np.clip((np.maximum(at[:, 2], 0) + np.hypot(at[:, 0], at[:, 1])) / (1.3 * height), 0, 1), float)


def _wood(part: MeshPart, height: float, level: int) -> tuple[MeshPart, Form]:
    to = round(len(part.triangles) * WOOD_KEPT[level])
    if level and to >= PLENTY:
        part = reduced(Mesh((part,)), to).parts[0]
    at = part.vertices.astype(float)
    axis = at * [0.0, 0.0, 1.0]
    birth = WOOD_GROWN * _far_along(at, height)
    told = {"origin": axis, "birth": birth, "lag": 0.0, "flutter": 0.0, "flutter_group": 0}
    return part, _form(part, _field(at, height), False, told)


def _leaves(
    part: MeshPart, bark: _Bark | None, height: float, level: int, rng: np.random.Generator
) -> tuple[MeshPart, Form]:
    """Leaves, each fixed where it comes nearest to wood; far off fewer and larger ones."""
    count, which = loose(part)
    kept = max(round(FEW_LEAVES[level] * count), min(count, PLENTY))
    share = kept / count
    if share < 1:
        chosen = rng.permutation(count) < kept
        some = _of_triangles(part, chosen[which[part.triangles[:, 0].astype(np.int64)]])
        if some is not None:
            part = some
            count, which = loose(part)
    at = part.vertices.astype(float)
    if bark is None:
        far, spot = np.hypot(at[:, 0], at[:, 1]) + 0.5 * at[:, 2], np.zeros(len(at), np.int64)
    else:
        far, spot = bark.spots.query(at)
    order = np.lexsort((far, which))
    nearest = order[np.searchsorted(which[order], np.arange(count))]
    base, spot = at[nearest][which], spot[nearest][which]
    field = _field(base, height) if bark is None else [(w[spot], g[spot]) for w, g in bark.field]
    at = base + (at - base) / np.sqrt(share)
    part = replace(part, vertices=at.astype(np.float32))
    away = np.linalg.norm(at - base, axis=1)
    long = np.zeros(count)
    np.maximum.at(long, which, away)
    own = rng.random(count)[which]
    birth = WOOD_GROWN * _far_along(base, height) + UNFURLED + 0.1 * own
    told = {
        "origin": base,
        "birth": birth,
        "lag": np.maximum(own, 1e-3),
        "flutter": FLUTTERS * away**2 / np.maximum(long[which], 1e-9),
        "flutter_group": rng.integers(0, FLUTTER_GROUPS, count)[which],
    }
    return part, _form(part, field, True, told)


assert len(FEW_LEAVES) == len(WOOD_KEPT) == LEVELS
