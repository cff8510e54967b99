"""Plants' forms: meshes of quads with the weights by which wind moves them, and what makers build them with.

A form is in a plant's own frame, foot at the origin, one unit for one metre of a plant of the given height.
Every maker knows a plant at three levels: 0 for standing beside it, 1 and 2 for seeing it from further off,
with fewer and broader parts that cover as much. Reeds and grass are also made as whole square patches of
tufts, so that a bed is a few large meshes that do not overlap instead of many that do.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
GOLDEN_DEG = 137.5
LEVELS = 3
FLUTTER_GROUPS = 64
BARK, LEAF, STALK, PLUME = 0, 1, 2, 3
"""Which of a kind's materials a part takes."""


@dataclass
class Form:
    """A plant's mesh.

    Attributes
    ----------
    vertices : ndarray of float32, shape (n, 3) [m]
    quads : ndarray of uint32, shape (m, 4)
    surface : ndarray of uint8, shape (m,)
        BARK, LEAF, STALK or PLUME for each quad; quads are ordered by it.
    weight, flutter : ndarray of float32, shape (n,)
        How far a vertex goes with its branch, and with its leaf.
    group, flutter_group : ndarray of int32, shape (n,)
    """

    vertices: NDArray[np.float32]
    quads: NDArray[np.uint32]
    surface: NDArray[np.uint8]
    weight: NDArray[np.float32]
    flutter: NDArray[np.float32]
    group: NDArray[np.int32]
    flutter_group: NDArray[np.int32]
    groups: int
    strip: tuple[int, int, int, int] = (1, 1, 1, 1)
    """How many quads in a row make one leaf or blade of each surface, so that its colour is one."""
    flutter_groups: int = FLUTTER_GROUPS


@dataclass(frozen=True)
class Leaves:
    """Flat leaves, each one quad.

    Attributes
    ----------
    base, axis : ndarray, shape (n, 3)
        Where each is fixed, and the way it points, of any length.
    length, width : ndarray, shape (n,) [m]
    weight : ndarray, shape (n,)
        How far it goes with its branch.
    group : ndarray of int64, shape (n,)
    """

    base: Floats
    axis: Floats
    length: Floats
    width: Floats
    weight: Floats
    group: NDArray[np.int64]


@dataclass
class Builder:
    """A form in the making."""

    rng: np.random.Generator
    _vertices: list[Floats] = field(default_factory=list)
    _quads: list[NDArray[np.int64]] = field(default_factory=list)
    _surface: list[NDArray[np.uint8]] = field(default_factory=list)
    _weight: list[Floats] = field(default_factory=list)
    _flutter: list[Floats] = field(default_factory=list)
    _group: list[NDArray[np.int64]] = field(default_factory=list)
    _flutter_group: list[NDArray[np.int64]] = field(default_factory=list)
    _count: int = 0

    def add(
        self,
        vertices: Floats,
        quads: NDArray[np.int64],
        surface: int,
        weight: Floats,
        group: NDArray[np.int64] | int,
        flutter: tuple[Floats, NDArray[np.int64]] | None = None,
    ) -> None:
        """Add a mesh of its own: vertices (n, 3), quads (m, 4) of them, weights (n,), groups (n,) or one for all; and
        how far each vertex goes with its leaf, and which leaf's flutter it follows, (n,) each."""
        n = len(vertices)
        still = (np.zeros(n), np.zeros(n, np.int64))
        far, own = flutter or still
        self._vertices.append(vertices)
        self._quads.append(quads + self._count)
        self._surface.append(np.full(len(quads), surface, np.uint8))
        self._weight.append(weight)
        self._flutter.append(far)
        self._group.append(np.broadcast_to(np.asarray(group), (n,)))
        self._flutter_group.append(own)
        self._count += n

    def tube(
        self,
        path: Floats,
        radius: Floats,
        sides: int,
        weight: Floats,
        group: int,
        surface: int = BARK,
    ) -> None:
        """A tapering tube along a path (k, 3), of radii and weights (k,)."""
        v = rings(path, np.gradient(path, axis=0), radius, sides)
        k = len(path)
        i, j = np.meshgrid(np.arange(k - 1), np.arange(sides), indexing="ij")
        q = np.stack(
            [i * sides + j, i * sides + (j + 1) % sides, (i + 1) * sides + (j + 1) % sides, (i + 1) * sides + j], -1
        )
        self.add(v, q.reshape(-1, 4), surface, np.repeat(weight, sides), group)

    def leaves(self, leaves: Leaves, flutter: float, surface: int = LEAF, blunt: float = 0.45) -> None:
        """Many flat leaves, each one quad: base, side, tip, side.

        Parameters
        ----------
        flutter : float
            How far a leaf's tip goes, as a share of its length.
        blunt : float
            Where along it a leaf is broadest.
        """
        n = len(leaves.base)
        if not n:
            return
        axis = leaves.axis / (np.linalg.norm(leaves.axis, axis=1, keepdims=True) + 1e-12)
        side = np.cross(axis, self.rng.normal(size=(n, 3)))
        side /= np.linalg.norm(side, axis=1, keepdims=True) + 1e-12
        mid = leaves.base + axis * (leaves.length * blunt)[:, None]
        half, tip = side * (leaves.width / 2)[:, None], leaves.base + axis * leaves.length[:, None]
        v = np.stack([leaves.base, mid + half, tip, mid - half], 1)
        own = self.rng.integers(0, FLUTTER_GROUPS, n)
        far = np.tile([0.0, 0.6, 1.0, 0.6], (n, 1)) * (leaves.length * flutter)[:, None]
        self.add(
            v.reshape(-1, 3),
            np.arange(4 * n).reshape(n, 4),
            surface,
            np.repeat(leaves.weight, 4),
            np.repeat(leaves.group, 4),
            (far.ravel(), np.repeat(own, 4)),
        )

    def ribbons(self, path: Floats, across: Floats, surface: int, weight: Floats, group: NDArray[np.int64]) -> None:
        """Many ribbons at once: paths (n, k, 3), half their width as vectors (n, k, 3), weights (n, k), groups (n,)."""
        n, k = path.shape[:2]
        if not n:
            return
        v = np.stack([path - across, path + across], 2).reshape(-1, 3)
        i = np.arange(k - 1)
        one = np.stack([2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2], -1)
        quads = (one[None] + 2 * k * np.arange(n)[:, None, None]).reshape(-1, 4)
        self.add(v, quads, surface, np.repeat(weight.ravel(), 2), np.repeat(group, 2 * k))

    def form(self, groups: int, strip: tuple[int, int, int, int] = (1, 1, 1, 1)) -> Form:
        """What was built, its quads in the order of their surfaces."""
        surface = np.concatenate(self._surface)
        order = np.argsort(surface, kind="stable")
        return Form(
            np.concatenate(self._vertices).astype(np.float32),
            np.ascontiguousarray(np.concatenate(self._quads)[order].astype(np.uint32)),
            surface[order],
            np.concatenate(self._weight).astype(np.float32),
            np.concatenate(self._flutter).astype(np.float32),
            np.concatenate(self._group).astype(np.int32),
            np.concatenate(self._flutter_group).astype(np.int32),
            groups,
            strip,
        )


@dataclass(frozen=True)
class Limb:
    """How a limb goes: it sets out along ``direction`` and turns up (or down) by ``lift`` over its length [m]."""

    start: Floats
    direction: Floats
    length: float
    lift: float
    wobble: float

    def path(self, k: int, rng: np.random.Generator) -> Floats:
        """``k`` points along it, shape (k, 3)."""
        s = np.linspace(0, 1, k)[:, None]
        p = self.start + self.direction * self.length * s + np.array([0, 0, 1.0]) * self.lift * self.length * s**2
        return np.asarray(p + np.cumsum(rng.normal(size=(k, 3)), axis=0) * s * self.wobble * self.length / k, float)


def rings(path: Floats, along: Floats, radius: Floats, sides: int) -> Floats:
    """Corners of a tube about points (k, 3) that goes along directions (k, 3), of radii (k,): shape (k sides, 3)."""
    along = along / (np.linalg.norm(along, axis=1, keepdims=True) + 1e-12)
    ref = np.where(np.abs(along[:, 2:3]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
    a = np.cross(along, ref)
    a /= np.linalg.norm(a, axis=1, keepdims=True) + 1e-12
    b = np.cross(along, a)
    th = np.arange(sides) * 2 * np.pi / sides
    ring = (np.cos(th)[None, :, None] * a[:, None] + np.sin(th)[None, :, None] * b[:, None]) * radius[:, None, None]
    return np.asarray((path[:, None] + ring).reshape(-1, 3), float)


def point_at(share: float, shares: Floats, path: Floats) -> Floats:
    """The point of a path (k, 3) at a share of it, where its points lie at ``shares`` (k,)."""
    return np.array([np.interp(share, shares, path[:, c]) for c in range(3)])


def spray(rng: np.random.Generator, about: Floats, n: int, wide: float) -> Floats:
    """``n`` directions about each of several (m, 3), strewn by ``wide``, shape (m n, 3)."""
    d = about[:, None] / (np.linalg.norm(about, axis=1)[:, None, None] + 1e-9)
    return np.asarray((d + rng.normal(size=(len(about), n, 3)) * wide).reshape(-1, 3), float)


def feet(rng: np.random.Generator, side: float, density: float, each: int, spread: float) -> Floats:
    """Where the stems of one tuft (``side`` 0) or of a square patch stand, shape (n, 2); a patch wraps at its edges."""
    if side <= 0:
        return rng.uniform(-spread, spread, (each, 2))
    across = max(1, round(side * np.sqrt(density)))
    i, j = np.meshgrid(np.arange(across), np.arange(across))
    centres = (np.stack([i, j], -1).reshape(-1, 2) + rng.random((across * across, 2))) * (side / across)
    stems = np.repeat(centres, each, 0) + rng.uniform(-spread, spread, (len(centres) * each, 2))
    return np.asarray(np.mod(stems, side) - side / 2, float)
