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

from lumwick.growth.kinds.leaf import Half, outline

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
    origin : ndarray of float32, shape (n, 3)
        Where each vertex grows from: the middle of its limb, the base of its leaf.
    birth : ndarray of float32, shape (n,)
        When it does, from 0 to 1 of the plant's own growing.
    lag : ndarray of float32, shape (n,)
        Of a leaf, a number of its own from 0 to 1; of a flower's, from 1 to 2; 0 for wood and blades.
    foot : ndarray of float32, shape (n, 2)
        Where what it belongs to stands in the ground.
    twig : ndarray of float32, shape (n,)
        How far a vertex goes with its twig besides; nothing of it if the plant has none.
    """

    vertices: NDArray[np.float32]
    quads: NDArray[np.uint32]
    surface: NDArray[np.uint8]
    weight: NDArray[np.float32]
    flutter: NDArray[np.float32]
    group: NDArray[np.int32]
    flutter_group: NDArray[np.int32]
    origin: NDArray[np.float32]
    birth: NDArray[np.float32]
    lag: NDArray[np.float32]
    foot: NDArray[np.float32]
    groups: int
    strip: tuple[int, int, int, int] = (1, 1, 1, 1)
    """How many quads in a row make one leaf or blade of each surface, so that its colour is one."""
    flutter_groups: int = FLUTTER_GROUPS
    also: tuple[tuple[NDArray[np.float32], NDArray[np.int32]], ...] = ()
    """More branches that vertices go with, as weights and groups (n,); what they go is the sum."""
    twig: NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, np.float32))

    @property
    def twig_group(self) -> NDArray[np.int32]:
        """Which twigs' motion each vertex follows, shape (n,): its limb's, of as many as leaves have."""
        return self.group % np.int32(FLUTTER_GROUPS)


@dataclass(frozen=True)
class Grows:
    """How vertices come to be; see `Form`."""

    origin: Floats
    birth: Floats
    lag: Floats | float = 0.0
    foot: Floats | float = 0.0


@dataclass(frozen=True)
class Leaves:
    """Leaves, or petals, of one outline.

    Attributes
    ----------
    base, axis : ndarray, shape (n, 3)
        Where each is fixed, and the way it points, of any length.
    length, width : ndarray, shape (n,) [m]
    weight : ndarray, shape (n,)
        How far it goes with its branch.
    group : ndarray of int64, shape (n,)
    birth : ndarray, shape (n,)
        When each grows.
    foot : ndarray, shape (n, 2)
    twig : ndarray, shape (n,)
        How far each goes with its twig.
    """

    base: Floats
    axis: Floats
    length: Floats
    width: Floats
    weight: Floats
    group: NDArray[np.int64]
    birth: Floats | float = 0.8
    foot: Floats | float = 0.0
    twig: Floats | float = 0.0


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
    _grows: list[Floats] = field(default_factory=list)
    _twig: list[Floats] = field(default_factory=list)
    _count: int = 0

    def add(
        self,
        vertices: Floats,
        quads: NDArray[np.int64],
        surface: int,
        weight: Floats,
        group: NDArray[np.int64] | int,
        flutter: tuple[Floats, NDArray[np.int64]] | None = None,
        grows: Grows | None = None,
        twig: Floats | float = 0.0,
    ) -> None:
        """Add a mesh of its own: vertices (n, 3), quads (m, 4) of them, weights (n,), groups (n,) or one for all; and
        how far each vertex goes with its leaf, and which leaf's flutter it follows, (n,) each; how it grows; and how
        far it goes with its twig."""
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
        told = np.zeros((n, 7))
        grows = grows or Grows(vertices, np.zeros(n))
        told[:, :3], told[:, 3] = grows.origin, grows.birth
        told[:, 4], told[:, 5:] = grows.lag, grows.foot
        self._grows.append(told)
        self._twig.append(np.broadcast_to(np.asarray(twig, float), (n,)))
        self._count += n

    def leaves(
        self,
        leaves: Leaves,
        flutter: float,
        surface: int = LEAF,
        blunt: float = 0.45,
        half: Half | None = None,
        side: Floats | None = None,
    ) -> int:
        """Many leaves; returns how many quads make one.

        Parameters
        ----------
        flutter : float
            How far a leaf's tip goes, as a share of its length.
        blunt : float
            Where along it a leaf is broadest, where no outline is given: it is one flat quad then.
        half : tuple of (along, width)
            Outline of a half of it.
        side : ndarray, shape (n, 3)
            Which way its breadth lies; any, if not given.
        """
        n = len(leaves.base)
        points, quads = (
            outline(half)
            if half
            else (np.array([[0, 0, 0], [blunt, 0.5, 0], [1, 0, 0], [blunt, -0.5, 0]]), np.array([[0, 1, 2, 3]]))
        )
        if not n:
            return len(quads)
        axis = leaves.axis / (np.linalg.norm(leaves.axis, axis=1, keepdims=True) + 1e-12)
        side = np.cross(axis, self.rng.normal(size=(n, 3))) if side is None else np.array(side, float)
        side -= axis * np.einsum("ij,ij->i", axis, side)[:, None]
        side /= np.linalg.norm(side, axis=1, keepdims=True) + 1e-12
        over = np.cross(axis, side)
        # along it, across it, and out of it
        v = leaves.base[:, None] + (
            points[:, 0, None] * (axis * leaves.length[:, None])[:, None]
            + points[:, 1, None] * (side * leaves.width[:, None])[:, None]
            + points[:, 2, None] * (over * (leaves.width if half else leaves.length)[:, None])[:, None]
        )
        k = len(points)
        own = self.rng.integers(0, FLUTTER_GROUPS, n)
        tip = np.clip(points[:, 0], 0, 1) ** 0.8
        foot = np.repeat(np.broadcast_to(leaves.foot, (n, 2)), k, 0)
        birth, lag = np.broadcast_to(leaves.birth, (n,)), self.rng.random(n)
        self.add(
            v.reshape(-1, 3),
            (quads[None] + k * np.arange(n)[:, None, None]).reshape(-1, 4),
            surface,
            np.repeat(leaves.weight, k),
            np.repeat(leaves.group, k),
            ((tip[None] * (leaves.length * flutter)[:, None]).ravel(), np.repeat(own, k)),
            Grows(
                np.repeat(leaves.base, k, 0),
                np.repeat(birth + 0.1 * lag, k),
                np.repeat(lag + (surface == PLUME), k),
                foot,
            ),
            np.repeat(np.broadcast_to(leaves.twig, (n,)), k),
        )
        return len(quads)

    def ribbons(
        self,
        path: Floats,
        across: Floats,
        surface: int,
        weight: Floats,
        group: NDArray[np.int64],
        foot: Floats | None = None,
    ) -> None:
        """Many ribbons at once: paths (n, k, 3), half their width as vectors (n, k, 3), weights (n, k), groups (n,),
        and where they stand, (n, 2), if not at their own beginning."""
        n, k = path.shape[0], path.shape[1]
        if not n:
            return
        stands = path[:, 0, :2] if foot is None else foot
        late = np.asarray(self.rng.random((n, 1)) * 0.25)
        grown = Grows(
            np.repeat(path.reshape(-1, 3), 2, 0),
            np.repeat((late + 0.6 * np.broadcast_to(weight, (n, k))).ravel(), 2),
            0.0,
            np.repeat(stands, 2 * k, 0),
        )
        v = np.stack([path - across, path + across], 2).reshape(-1, 3)
        i = np.arange(k - 1)
        one = np.stack([2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2], -1)
        quads = (one[None] + 2 * k * np.arange(n)[:, None, None]).reshape(-1, 4)
        self.add(v, quads, surface, np.repeat(weight.ravel(), 2), np.repeat(group, 2 * k), grows=grown)

    def form(self, groups: int, strip: tuple[int, int, int, int] = (1, 1, 1, 1)) -> Form:
        """What was built, its quads in the order of their surfaces."""
        surface = np.concatenate(self._surface)
        order = np.argsort(surface, kind="stable")
        grows = np.concatenate(self._grows).astype(np.float32)
        twig = np.concatenate(self._twig).astype(np.float32)
        return Form(
            np.concatenate(self._vertices).astype(np.float32),
            np.ascontiguousarray(np.concatenate(self._quads)[order].astype(np.uint32)),
            surface[order],
            np.concatenate(self._weight).astype(np.float32),
            np.concatenate(self._flutter).astype(np.float32),
            np.concatenate(self._group).astype(np.int32),
            np.concatenate(self._flutter_group).astype(np.int32),
            np.ascontiguousarray(grows[:, :3]),
            np.ascontiguousarray(grows[:, 3]),
            np.ascontiguousarray(grows[:, 4]),
            np.ascontiguousarray(grows[:, 5:]),
            groups,
            strip,
            twig=twig if twig.any() else twig[:0],
        )


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
