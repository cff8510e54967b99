"""The forms of plants: meshes of quads with the weights by which wind moves them.

A form is in a plant's own frame, foot at the origin, one unit for one metre of a plant of the given height.
Every maker knows a plant at three levels: 0 for standing beside it, 1 and 2 for seeing it from further off,
with fewer and broader parts that cover as much. Reeds and grass are also made as whole square patches of
tufts, so that a bed is a few large meshes that do not overlap instead of many that do.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

GOLDEN_DEG = 137.5
LEVELS = 3
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
    flutter_groups: int = 64


@dataclass
class _Builder:
    rng: np.random.Generator
    v: list[NDArray[np.float64]] = field(default_factory=list)
    q: list[NDArray[np.int64]] = field(default_factory=list)
    s: list[NDArray[np.uint8]] = field(default_factory=list)
    w: list[NDArray[np.float64]] = field(default_factory=list)
    f: list[NDArray[np.float64]] = field(default_factory=list)
    g: list[NDArray[np.int64]] = field(default_factory=list)
    fg: list[NDArray[np.int64]] = field(default_factory=list)
    n: int = 0

    def add(
        self,
        v: NDArray[np.float64],
        q: NDArray[np.int64],
        surface: int,
        w: NDArray[np.float64],
        f: NDArray[np.float64],
        g: int,
        fg: NDArray[np.int64] | None = None,
    ) -> None:
        self.v.append(v)
        self.q.append(q + self.n)
        self.s.append(np.full(len(q), surface, np.uint8))
        self.w.append(w)
        self.f.append(f)
        self.g.append(np.full(len(v), g))
        self.fg.append(np.zeros(len(v), np.int64) if fg is None else fg)
        self.n += len(v)

    def tube(
        self,
        path: NDArray[np.float64],
        radius: NDArray[np.float64],
        sides: int,
        w: NDArray[np.float64],
        g: int,
        surface: int = BARK,
    ) -> None:
        """A tapering tube along a path, shape (k, 3)."""
        along = np.gradient(path, axis=0)
        along /= np.linalg.norm(along, axis=1, keepdims=True) + 1e-12
        ref = np.where(np.abs(along[:, 2:3]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
        a = np.cross(along, ref)
        a /= np.linalg.norm(a, axis=1, keepdims=True)
        b = np.cross(along, a)
        th = np.arange(sides) * 2 * np.pi / sides
        ring = (np.cos(th)[None, :, None] * a[:, None] + np.sin(th)[None, :, None] * b[:, None]) * radius[:, None, None]
        v = (path[:, None] + ring).reshape(-1, 3)
        k = len(path)
        i, j = np.meshgrid(np.arange(k - 1), np.arange(sides), indexing="ij")
        q = np.stack(
            [i * sides + j, i * sides + (j + 1) % sides, (i + 1) * sides + (j + 1) % sides, (i + 1) * sides + j], -1
        )
        self.add(v, q.reshape(-1, 4), surface, np.repeat(w, sides), np.zeros(len(v)), g)

    def leaves(
        self,
        base: NDArray[np.float64],
        axis: NDArray[np.float64],
        length: NDArray[np.float64],
        width: NDArray[np.float64],
        w: NDArray[np.float64],
        g: NDArray[np.int64] | int,
        flutter: float,
        surface: int = LEAF,
        blunt: float = 0.45,
    ) -> None:
        """Many flat leaves, each one quad: base, side, tip, side."""
        n = len(base)
        if not n:
            return
        axis = axis / (np.linalg.norm(axis, axis=1, keepdims=True) + 1e-12)
        side = np.cross(axis, self.rng.normal(size=(n, 3)))
        side /= np.linalg.norm(side, axis=1, keepdims=True) + 1e-12
        mid = base + axis * (length * blunt)[:, None]
        v = np.stack(
            [base, mid + side * (width / 2)[:, None], base + axis * length[:, None], mid - side * (width / 2)[:, None]],
            1,
        )
        groups = np.broadcast_to(np.asarray(g), (n,))
        fg = self.rng.integers(0, 64, n)
        f = np.tile([0.0, 0.6, 1.0, 0.6], (n, 1)) * (length * flutter)[:, None]
        self.v.append(v.reshape(-1, 3))
        self.q.append(np.arange(4 * n).reshape(n, 4) + self.n)
        self.s.append(np.full(n, surface, np.uint8))
        self.w.append(np.repeat(w, 4))
        self.f.append(f.ravel())
        self.g.append(np.repeat(groups, 4))
        self.fg.append(np.repeat(fg, 4))
        self.n += 4 * n

    def ribbons(
        self,
        path: NDArray[np.float64],
        across: NDArray[np.float64],
        surface: int,
        w: NDArray[np.float64],
        g: NDArray[np.int64],
    ) -> None:
        """Many ribbons at once: paths (n, k, 3), half their width as vectors (n, k, 3), weights (n, k), groups (n,)."""
        n, k = path.shape[:2]
        if not n:
            return
        v = np.stack([path - across, path + across], 2).reshape(-1, 3)
        i = np.arange(k - 1)
        one = np.stack([2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2], -1)
        self.v.append(v)
        self.q.append((one[None] + 2 * k * np.arange(n)[:, None, None]).reshape(-1, 4) + self.n)
        self.s.append(np.full(n * (k - 1), surface, np.uint8))
        self.w.append(np.repeat(w.ravel(), 2))
        self.f.append(np.zeros(len(v)))
        self.g.append(np.repeat(g, 2 * k))
        self.fg.append(np.zeros(len(v), np.int64))
        self.n += len(v)

    def form(self, groups: int, strip: tuple[int, int, int, int] = (1, 1, 1, 1)) -> Form:
        s = np.concatenate(self.s)
        order = np.argsort(s, kind="stable")
        return Form(
            np.concatenate(self.v).astype(np.float32),
            np.ascontiguousarray(np.concatenate(self.q)[order].astype(np.uint32)),
            s[order],
            np.concatenate(self.w).astype(np.float32),
            np.concatenate(self.f).astype(np.float32),
            np.concatenate(self.g).astype(np.int32),
            np.concatenate(self.fg).astype(np.int32),
            groups,
            strip,
        )


def _curve(
    start: NDArray[np.float64],
    direction: NDArray[np.float64],
    length: float,
    lift: float,
    wobble: float,
    k: int,
    rng: np.random.Generator,
) -> NDArray[np.float64]:
    """A limb: it sets out along ``direction`` and turns up (or down) by ``lift`` over its length."""
    s = np.linspace(0, 1, k)[:, None]
    p = start + direction * length * s + np.array([0, 0, 1.0]) * lift * length * s**2
    return p + np.cumsum(rng.normal(size=(k, 3)), axis=0) * s * wobble * length / k


def _spray(rng: np.random.Generator, around: NDArray[np.float64], n: int, wide: float) -> NDArray[np.float64]:
    d = (
        around[:, None] / (np.linalg.norm(around, axis=1)[:, None, None] + 1e-9)
        + rng.normal(size=(len(around), n, 3)) * wide
    )
    return d.reshape(-1, 3)


def pine(height: float, seed: int, level: int = 0) -> Form:
    """A coastal pine: bare lower trunk, whorled limbs that rise into a broad, flat-topped crown of needle tufts."""
    rng = np.random.default_rng([seed, 1])
    b = _Builder(rng)
    h = height
    bend = rng.normal(size=2) * 0.06
    s = np.linspace(0, 1, 14)
    trunk = np.stack(
        [
            bend[0] * h * s**2 + 0.02 * h * np.sin(5 * s + seed),
            bend[1] * h * s**2 + 0.02 * h * np.cos(4 * s),
            s * h * 0.93,
        ],
        1,
    )
    trunk -= trunk[0]
    r0 = 0.024 * h
    b.tube(
        trunk[:: 1 if level < 2 else 3],
        np.maximum(r0 * (1 - 0.85 * s**0.8), 0.012)[:: 1 if level < 2 else 3],
        (10, 6, 4)[level],
        np.zeros(len(trunk[:: 1 if level < 2 else 3])),
        0,
    )
    limbs = 34
    tufts, tuft_dir, tuft_w, tuft_g = [], [], [], []
    for i in range(limbs):
        group = i + 1
        f = 0.38 + 0.60 * (i / (limbs - 1)) ** 0.85
        start = np.array([np.interp(f * h, trunk[:, 2], trunk[:, c]) for c in range(3)])
        az = np.radians(GOLDEN_DEG * i + rng.normal() * 12)
        crown = np.sin(np.pi * np.clip((f - 0.30) / 0.78, 0, 1)) ** 0.7
        length = h * (0.10 + 0.27 * crown) * rng.uniform(0.75, 1.15)
        direction = np.array([np.cos(az), np.sin(az), 0.06 + 0.5 * f * f])
        direction /= np.linalg.norm(direction)
        limb = _curve(start, direction, length, 0.16, 0.12, 7, rng)
        sl = np.linspace(0, 1, 7)
        if level < 2:
            b.tube(limb, np.maximum(r0 * 0.34 * (1 - f * 0.6) * (1 - 0.85 * sl), 0.005), (5, 3)[level], sl**1.5, group)
        out = limb[-1] - limb[0]
        out = out / np.linalg.norm(out)
        for j in range(11):
            at = 0.22 + 0.78 * (j + rng.uniform(0, 1)) / 11
            p = np.array([np.interp(at, sl, limb[:, c]) for c in range(3)])
            side = np.cross(out, [0, 0, 1.0]) * (1 if j % 2 else -1)
            d = out * 0.7 + side * rng.uniform(0.3, 1.0) + np.array([0, 0, rng.uniform(0.0, 0.55)])
            d /= np.linalg.norm(d)
            twig_len = h * 0.10 * rng.uniform(0.6, 1.3) * (1.25 - 0.5 * at)
            twig = _curve(p, d, twig_len, 0.25, 0.1, 3, rng)
            if level == 0:
                b.tube(twig, np.array([0.010, 0.007, 0.004]), 3, at**1.5 + np.array([0, 0.05, 0.12]), group)
            for k in range(6):
                q = 0.2 + 0.85 * (k + 0.5) / 6
                shift = rng.normal(size=3) * 0.045
                if level == 2 and k % 3:
                    continue
                tufts.append(p + (twig[-1] - p) * q + shift)
                tuft_dir.append(d + np.array([0, 0, 0.5]))
                tuft_w.append(at**1.5 + 0.12 * q)
                tuft_g.append(group)
    n = (20, 6, 4)[level]
    axes = _spray(rng, np.array(tuft_dir), n, 0.85)
    reach = rng.uniform(0.13, 0.25, len(axes)) * (1.0, 1.25, 1.7)[level] * (h / 10) ** 0.5
    b.leaves(
        np.repeat(np.array(tufts), n, 0),
        axes,
        reach,
        np.full(len(axes), (0.017, 0.055, 0.20)[level]),
        np.repeat(tuft_w, n),
        np.repeat(tuft_g, n),
        0.10,
        blunt=0.5,
    )
    return b.form(limbs + 1)


def broadleaf(height: float, seed: int, level: int = 0, stems: int = 1) -> Form:
    """An alder-like tree, or with several stems a shrub: branching limbs (radii by da Vinci's rule) under rounded
    leaves."""
    rng = np.random.default_rng([seed, 2])
    b = _Builder(rng)
    h = height
    leaves: list[tuple[NDArray[np.float64], NDArray[np.float64], float, int]] = []
    groups = 1

    def limb(
        start: NDArray[np.float64],
        direction: NDArray[np.float64],
        length: float,
        radius: float,
        depth: int,
        w0: float,
        g: int,
    ) -> None:
        nonlocal groups
        k = 7 if depth == 0 else 4
        path = _curve(start, direction, length, 0.12, 0.16, k, rng)
        s = np.linspace(0, 1, k)
        children = 0 if depth == 3 else ((13, 6, 5) if stems == 1 else (6, 5, 3))[depth]
        w = w0 + (s * (0.0 if depth == 0 else 0.5))
        if not (level and depth >= 2) and not (level == 2 and depth):
            b.tube(
                path,
                np.maximum(radius * (1 - 0.65 * s), 0.0035),
                (9, 5, 4, 3)[depth] - (2 if level and depth < 2 else 0),
                w,
                g,
            )
        if depth >= 2:
            for q in np.linspace(0.25, 1, 7):
                leaves.append((path[0] + (path[-1] - path[0]) * q, direction, float(w0 + 0.5 * q), g))
        for i in range(children):
            f = (0.28 if depth == 0 else 0.3) + (0.72 if depth == 0 else 0.7) * (i + rng.uniform(0, 0.8)) / children
            p = np.array([np.interp(f, s, path[:, c]) for c in range(3)])
            az = np.radians(GOLDEN_DEG * i + rng.normal() * 15)
            out = np.array([np.cos(az), np.sin(az), 0.0])
            d = direction * (0.45 if depth == 0 else 0.75) + out * rng.uniform(0.6, 1.0) + np.array([0, 0, 0.22])
            d /= np.linalg.norm(d)
            # squares of the children's radii add up to the parent's
            r = radius * (1 - 0.65 * f) * np.sqrt(1.0 / children) * 1.25
            ln = length * (0.52 * (1.15 - 0.75 * f * f) if depth == 0 else 0.5) * rng.uniform(0.75, 1.2)
            child_group = g
            if depth == 0:
                child_group, groups = groups, groups + 1
            limb(p, d, ln, r, depth + 1, w0 + (0.0 if depth == 0 else 0.5 * f), child_group)

    for i in range(stems):
        az = np.radians(GOLDEN_DEG * i)
        out = 0.0 if stems == 1 else rng.uniform(0.25, 0.95)
        spread = np.array([np.cos(az) * out + rng.normal() * 0.05, np.sin(az) * out + rng.normal() * 0.05, 1.0])
        limb(
            np.zeros(3),
            spread / np.linalg.norm(spread),
            h * (0.88 if stems == 1 else rng.uniform(0.6, 0.95)),
            0.017 * h,
            0,
            0.0,
            0,
        )
    if level == 2:
        leaves = leaves[::3]
    n = (5, 2, 2)[level]
    axes = _spray(rng, np.array([d for _, d, *_ in leaves]) + [0, 0, -0.25], n, 0.75)
    size = rng.uniform(0.06, 0.10, len(axes)) * (1.0, 1.65, 3.2)[level] * (1.0 if stems == 1 else 0.6)
    b.leaves(
        np.repeat(np.array([p for p, *_ in leaves]), n, 0) + rng.normal(size=(len(axes), 3)) * 0.05,
        axes,
        size,
        size * 0.8,
        np.repeat([w for *_, w, _ in leaves], n),
        np.repeat([g for *_, g in leaves], n),
        0.35,
        blunt=0.55,
    )
    return b.form(groups)


def scrub(height: float, seed: int, level: int = 0) -> Form:
    """A low many-stemmed shrub."""
    return broadleaf(height, seed, level, stems=6)


def _feet(rng: np.random.Generator, side: float, density: float, each: int, spread: float) -> NDArray[np.float64]:
    """Where the stems of one tuft (``side`` 0) or of a square patch stand, shape (n, 2); a patch wraps at its edges."""
    if side <= 0:
        return rng.uniform(-spread, spread, (each, 2))
    across = max(1, round(side * np.sqrt(density)))
    i, j = np.meshgrid(np.arange(across), np.arange(across))
    centres = (np.stack([i, j], -1).reshape(-1, 2) + rng.random((across * across, 2))) * (side / across)
    feet = np.repeat(centres, each, 0) + rng.uniform(-spread, spread, (len(centres) * each, 2))
    return np.mod(feet, side) - side / 2


def reed(
    height: float, seed: int, level: int = 0, side: float = 0.0, density: float = 1.0, dry_share: float = 0.07
) -> Form:
    """Common reed: stiff stems, long leaves held to one side, and feathery heads on some; a tuft, or a patch.

    Parameters
    ----------
    side : float [m]
        Of a square patch; 0 makes one tuft.
    density : float [1/m2]
        Tufts on a square metre of a patch.
    dry_share : float
        Share of the leaves that are dry.
    """
    rng = np.random.default_rng([seed, 3])
    b = _Builder(rng)
    feet = _feet(rng, side, density, (34, 17, 7)[level], 0.55)
    n, thick = len(feet), (1.0, 1.5, 3.2)[level]
    k_stem, k_leaf = (4, 3, 2)[level], (4, 3, 2)[level]
    groups = min(n, 40)
    g = 1 + np.arange(n) % groups
    foot = np.concatenate([feet, np.full((n, 1), -0.05 if side else 0.0)], 1)
    h = height * rng.uniform(0.62, 1.05, n)
    lean = rng.normal(size=(n, 2)) * 0.09

    def along(s: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (n, k, 3) at shares (n, k) of each stem."""
        return foot[:, None] + np.concatenate(
            [lean[:, None] * (h[:, None] * s**1.6)[..., None], (h[:, None] * s * (1 - 0.03 * s))[..., None]], -1
        )

    s = np.broadcast_to(np.linspace(0, 1, k_stem), (n, k_stem))
    th = rng.uniform(0, np.pi, n)
    facing = np.stack([np.cos(th), np.sin(th), np.zeros(n)], 1)
    b.ribbons(along(s), facing[:, None] * (0.0045 * thick * (1 - 0.5 * s))[..., None], STALK, s**1.6, g)
    q = np.linspace(0, 1, 3)
    for k in range(k_leaf):
        at = 0.28 + 0.55 * (k + rng.uniform(0, 1, n)) / k_leaf
        az = rng.normal(size=n) * 0.9 + seed
        out = np.stack([np.cos(az), np.sin(az), np.zeros(n)], 1)
        ln = rng.uniform(0.28, 0.5, n) * min(height / 1.8, 1.3)
        leaf = (
            along(at[:, None])
            + out[:, None] * (ln[:, None] * q * (0.55 + 0.3 * q))[..., None]
            + np.array([0, 0, 1.0]) * (ln[:, None] * (0.75 * q - 0.75 * q**2.4))[..., None]
        )
        across = (
            np.stack([out[:, 1], -out[:, 0], np.zeros(n)], 1)[:, None]
            * (0.010 * thick * np.array([0.7, 1.0, 0.12]))[None, :, None]
        )
        dry = rng.random(n) < dry_share
        for surface, chosen in ((LEAF, ~dry), (STALK, dry)):
            b.ribbons(leaf[chosen], across[chosen], surface, (at[:, None] ** 1.6 + 0.25 * q)[chosen], g[chosen])
    headed = np.flatnonzero(rng.random(n) < 0.45)
    m = (20, 6, 2)[level]
    stem = np.repeat(headed, m)
    axis = (
        np.stack([lean[stem, 0], lean[stem, 1], np.ones(len(stem))], 1)
        + rng.normal(size=(len(stem), 3)) * 0.20
        + np.array([0.42 * np.cos(seed), 0.42 * np.sin(seed), 0])
    )
    top = along(np.ones((n, 1)))[stem, 0] - np.array([0, 0, 1.0]) * rng.uniform(0, 0.16, len(stem))[:, None]
    b.leaves(
        top,
        axis,
        rng.uniform(0.05, 0.13, len(stem)) * (1.0, 1.2, 1.6)[level],
        np.full(len(stem), 0.007 * (1.0, 2.4, 5.5)[level]),
        np.full(len(stem), 1.1),
        g[stem],
        0.12,
        PLUME,
        blunt=0.6,
    )
    return b.form(groups + 1, (1, 2, k_stem - 1, 1))


def grass(
    height: float, seed: int, level: int = 0, side: float = 0.0, density: float = 1.0, dry_share: float = 0.07
) -> Form:
    """Grass, as one tuft or as a square patch (see `reed`): curling blades in clumps, and a share of dry stalks."""
    rng = np.random.default_rng([seed, 4])
    b = _Builder(rng)
    each = (380, 120, 40)[level]
    feet = _feet(rng, side, density, each // 20, 0.55)
    feet = np.repeat(feet, 20, 0) + rng.normal(size=(len(feet) * 20, 2)) * 0.085
    if side:
        feet = np.mod(feet + side / 2, side) - side / 2
    n, k = len(feet), (4, 3, 2)[level]
    h = height * rng.uniform(0.4, 1.1, n) * (1 + 0.25 * np.sin(feet[:, 0] * 5.1 + seed) * np.sin(feet[:, 1] * 4.3))
    dry = rng.random(n) < dry_share
    # far off a level top, so that rays that skim a meadow do not enter every patch
    h = np.where(dry, h * 1.25, h) if level < 2 else np.minimum(h, 0.9 * height)
    az = rng.uniform(0, 2 * np.pi, n)
    out = np.stack([np.cos(az), np.sin(az), np.zeros(n)], 1)
    curl = np.where(dry, 0.12, rng.uniform(0.15, 0.8, n))
    q = np.linspace(0, 1, k)
    foot = np.concatenate([feet, np.full((n, 1), -0.05 if side else -0.02)], 1)
    path = (
        foot[:, None]
        + out[:, None] * (h * curl)[:, None, None] * (q**2)[None, :, None]
        + np.array([0, 0, 1.0]) * (h[:, None] * (q - 0.35 * curl[:, None] * q**2.5))[..., None]
    )
    width = (
        (np.array([0.0055, 0.0125, 0.036])[level] * rng.uniform(0.7, 1.3, n))[:, None]
        * np.maximum(1 - q**1.6, 0.08)
        * np.where(dry, 0.55, 1.0)[:, None]
    )
    across = np.stack([-out[:, 1], out[:, 0], np.zeros(n)], 1)[:, None] * (width / 2)[..., None]
    group = 1 + np.arange(n) % 40
    for surface, chosen in ((LEAF, ~dry), (PLUME, dry)):
        b.ribbons(path[chosen], across[chosen], surface, np.broadcast_to(q**1.6, (int(chosen.sum()), k)), group[chosen])
    return b.form(41, (1, k - 1, 1, k - 1))


MAKERS: dict[str, Callable[..., Form]] = {
    "pine": pine,
    "alder": broadleaf,
    "scrub": scrub,
    "reed": reed,
    "grass": grass,
}
PATCHED = frozenset({"reed", "grass"})
"""Kinds that are also made as square patches."""
