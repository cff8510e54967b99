"""The forms of plants: meshes of quads with the weights by which wind moves them.

A form is in a plant's own frame, foot at the origin, one unit for one metre of a plant of the given height.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

GOLDEN_DEG = 137.5
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

    def add(self, v: NDArray[np.float64], q: NDArray[np.int64], surface: int, w: NDArray[np.float64], f: NDArray[np.float64],
            g: int, fg: NDArray[np.int64] | None = None) -> None:
        self.v.append(v)
        self.q.append(q + self.n)
        self.s.append(np.full(len(q), surface, np.uint8))
        self.w.append(w)
        self.f.append(f)
        self.g.append(np.full(len(v), g))
        self.fg.append(np.zeros(len(v), np.int64) if fg is None else fg)
        self.n += len(v)

    def tube(self, path: NDArray[np.float64], radius: NDArray[np.float64], sides: int, w: NDArray[np.float64], g: int,
             surface: int = BARK) -> None:
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
        q = np.stack([i * sides + j, i * sides + (j + 1) % sides, (i + 1) * sides + (j + 1) % sides, (i + 1) * sides + j], -1)
        self.add(v, q.reshape(-1, 4), surface, np.repeat(w, sides), np.zeros(len(v)), g)

    def leaves(self, base: NDArray[np.float64], axis: NDArray[np.float64], length: NDArray[np.float64], width: NDArray[np.float64],
               w: NDArray[np.float64], g: NDArray[np.int64] | int, flutter: float, surface: int = LEAF, blunt: float = 0.45) -> None:
        """Many flat leaves, each one quad: base, side, tip, side."""
        n = len(base)
        if not n:
            return
        axis = axis / (np.linalg.norm(axis, axis=1, keepdims=True) + 1e-12)
        side = np.cross(axis, self.rng.normal(size=(n, 3)))
        side /= np.linalg.norm(side, axis=1, keepdims=True) + 1e-12
        mid = base + axis * (length * blunt)[:, None]
        v = np.stack([base, mid + side * (width / 2)[:, None], base + axis * length[:, None], mid - side * (width / 2)[:, None]], 1)
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

    def blade(self, path: NDArray[np.float64], width: NDArray[np.float64], facing: NDArray[np.float64], surface: int,
              w: NDArray[np.float64], g: int) -> None:
        """A ribbon along a path: grass, reed leaves and stems."""
        v = np.stack([path - facing * (width / 2)[:, None], path + facing * (width / 2)[:, None]], 1).reshape(-1, 3)
        i = np.arange(len(path) - 1)
        q = np.stack([2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2], -1)
        self.add(v, q, surface, np.repeat(w, 2), np.zeros(len(v)), g)

    def form(self, groups: int) -> Form:
        s = np.concatenate(self.s)
        order = np.argsort(s, kind="stable")
        return Form(np.concatenate(self.v).astype(np.float32), np.ascontiguousarray(np.concatenate(self.q)[order].astype(np.uint32)), s[order],
                    np.concatenate(self.w).astype(np.float32), np.concatenate(self.f).astype(np.float32),
                    np.concatenate(self.g).astype(np.int32), np.concatenate(self.fg).astype(np.int32), groups)


def _curve(start: NDArray[np.float64], direction: NDArray[np.float64], length: float, lift: float, wobble: float,
           k: int, rng: np.random.Generator) -> NDArray[np.float64]:
    """A limb: it sets out along ``direction`` and turns up (or down) by ``lift`` over its length."""
    s = np.linspace(0, 1, k)[:, None]
    p = start + direction * length * s + np.array([0, 0, 1.0]) * lift * length * s**2
    return p + np.cumsum(rng.normal(size=(k, 3)), axis=0) * s * wobble * length / k


def _spray(rng: np.random.Generator, around: NDArray[np.float64], n: int, wide: float) -> NDArray[np.float64]:
    d = around[:, None] / (np.linalg.norm(around, axis=1)[:, None, None] + 1e-9) + rng.normal(size=(len(around), n, 3)) * wide
    return d.reshape(-1, 3)


def pine(height: float, seed: int, far: bool = False) -> Form:
    """A coastal pine: bare lower trunk, whorled limbs that rise into a broad, flat-topped crown of needle tufts."""
    rng = np.random.default_rng([seed, 1])
    b = _Builder(rng)
    h = height
    bend = rng.normal(size=2) * 0.06
    s = np.linspace(0, 1, 14)
    trunk = np.stack([bend[0] * h * s**2 + 0.02 * h * np.sin(5 * s + seed), bend[1] * h * s**2 + 0.02 * h * np.cos(4 * s), s * h * 0.93], 1)
    trunk -= trunk[0]
    r0 = 0.024 * h
    b.tube(trunk, np.maximum(r0 * (1 - 0.85 * s**0.8), 0.012), 5 if far else 9, np.zeros(14), 0)
    limbs = 30
    group = 1
    tufts, tuft_dir, tuft_w, tuft_g = [], [], [], []
    for i in range(limbs):
        f = 0.40 + 0.58 * (i / (limbs - 1)) ** 0.85
        start = np.array([np.interp(f * 0.93 * h / 0.93, trunk[:, 2], trunk[:, c]) for c in range(3)])
        az = np.radians(GOLDEN_DEG * i + rng.normal() * 12)
        crown = np.sin(np.pi * np.clip((f - 0.30) / 0.78, 0, 1)) ** 0.7
        length = h * (0.10 + 0.30 * crown) * rng.uniform(0.75, 1.15)
        direction = np.array([np.cos(az), np.sin(az), 0.10 + 0.55 * f * f])
        direction /= np.linalg.norm(direction)
        limb = _curve(start, direction, length, 0.16, 0.12, 7, rng)
        sl = np.linspace(0, 1, 7)
        b.tube(limb, np.maximum(r0 * 0.34 * (1 - f * 0.6) * (1 - 0.85 * sl), 0.005), 3 if far else 5, sl**1.5, group)
        for j in range(9):
            at = 0.30 + 0.70 * (j + rng.uniform(0, 1)) / 9
            p = np.array([np.interp(at, sl, limb[:, c]) for c in range(3)])
            out = limb[-1] - limb[0]
            out = out / np.linalg.norm(out)
            side = np.cross(out, [0, 0, 1.0]) * (1 if j % 2 else -1)
            d = out * 0.75 + side * rng.uniform(0.3, 0.9) + np.array([0, 0, rng.uniform(0.0, 0.5)])
            d /= np.linalg.norm(d)
            twig_len = h * 0.095 * rng.uniform(0.6, 1.3) * (1.25 - 0.5 * at)
            twig = _curve(p, d, twig_len, 0.25, 0.1, 3, rng)
            if not far:
                b.tube(twig, np.array([0.010, 0.007, 0.004]), 3, at**1.5 + np.array([0, 0.05, 0.12]), group)
            for k in range(5):
                q = 0.25 + 0.80 * (k + 0.5) / 5
                tufts.append(p + (twig[-1] - p) * q + rng.normal(size=3) * 0.035)
                tuft_dir.append(d + np.array([0, 0, 0.45]))
                tuft_w.append(at**1.5 + 0.12 * q)
                tuft_g.append(group)
        group += 1
    base = np.array(tufts)
    n = 5 if far else 15
    axes = _spray(rng, np.array(tuft_dir), n, 0.75)
    reach = rng.uniform(0.16, 0.30, len(axes)) * (1.3 if far else 1.0) * (h / 10) ** 0.5
    b.leaves(np.repeat(base, n, 0), axes, reach, np.full(len(axes), 0.085 if far else 0.026), np.repeat(tuft_w, n), np.repeat(tuft_g, n), 0.10, blunt=0.5)
    return b.form(group)


def broadleaf(height: float, seed: int, far: bool = False) -> Form:
    """An alder-like tree: several stems of branching limbs (radii by da Vinci's rule) under rounded leaves."""
    rng = np.random.default_rng([seed, 2])
    b = _Builder(rng)
    h = height
    leaves: list[tuple[NDArray[np.float64], NDArray[np.float64], float, int]] = []
    count = [1]

    def limb(start: NDArray[np.float64], direction: NDArray[np.float64], length: float, radius: float, depth: int, w0: float, g: int) -> None:
        k = 7 if depth == 0 else 4
        path = _curve(start, direction, length, 0.12, 0.16, k, rng)
        s = np.linspace(0, 1, k)
        children = 0 if depth == 3 else (13, 6, 5)[depth]
        w = w0 + (s * (0.0 if depth == 0 else 0.5))
        if not (far and depth >= 2):
            b.tube(path, np.maximum(radius * (1 - 0.65 * s), 0.0035), (9, 5, 4, 3)[depth] - (2 if far and depth < 2 else 0), w, g)
        if depth >= 2:
            for q in np.linspace(0.25, 1, 7):
                p = path[0] + (path[-1] - path[0]) * q
                leaves.append((p, direction, float(w0 + 0.5 * q), g))
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
            if depth == 0:
                child_group = count[0]
                count[0] += 1
            else:
                child_group = g
            limb(p, d, ln, r, depth + 1, w0 + (0.0 if depth == 0 else 0.5 * f), child_group)

    limb(np.zeros(3), np.array([rng.normal() * 0.05, rng.normal() * 0.05, 1.0]), h * 0.88, 0.017 * h, 0, 0.0, 0)
    base = np.array([p for p, *_ in leaves])
    n = 1 if far else 3
    axes = _spray(rng, np.array([d for _, d, *_ in leaves]) + [0, 0, -0.25], n, 0.75)
    size = rng.uniform(0.06, 0.10, len(axes)) * (1.9 if far else 1.0)
    b.leaves(np.repeat(base, n, 0) + rng.normal(size=(len(axes), 3)) * 0.05, axes, size, size * 0.8, np.repeat([w for *_, w, _ in leaves], n),
             np.repeat([g for *_, g in leaves], n), 0.35, blunt=0.55)
    return b.form(count[0])


def reed(height: float, seed: int, far: bool = False) -> Form:
    """A tuft of common reed: stiff stems, long leaves held to one side, and feathery heads on some."""
    rng = np.random.default_rng([seed, 3])
    b = _Builder(rng)
    stems = 11 if far else 34
    spread = 0.55
    thick = 2.0 if far else 1.0
    for g in range(1, stems + 1):
        foot = np.append(rng.uniform(-spread, spread, 2), 0.0)
        h = height * rng.uniform(0.62, 1.05)
        lean = rng.normal(size=2) * 0.09
        s = np.linspace(0, 1, 3 if far else 4)
        path = foot + np.stack([lean[0] * h * s**1.6, lean[1] * h * s**1.6, h * s * (1 - 0.03 * s)], 1)
        th = rng.uniform(0, np.pi)
        facing = np.array([np.cos(th), np.sin(th), 0.0])
        b.blade(path, 0.009 * thick * (1 - 0.5 * s), facing, STALK, s**1.6, g)
        for k in range(2 if far else 4):
            at = 0.28 + 0.55 * (k + rng.uniform(0, 1)) / 4
            p = np.array([np.interp(at, s, path[:, c]) for c in range(3)])
            az = rng.normal() * 0.9 + seed
            out = np.array([np.cos(az), np.sin(az), 0.0])
            ln = rng.uniform(0.28, 0.5) * min(height / 1.8, 1.3)
            q = np.linspace(0, 1, 3)
            leaf = p + out * (ln * q * (0.55 + 0.3 * q))[:, None] + np.array([0, 0, 1.0]) * (ln * (0.75 * q - 0.75 * q**2.4))[:, None]
            b.blade(leaf, 0.020 * thick * np.array([0.7, 1.0, 0.12]), np.cross(out, [0, 0, 1.0]), LEAF, at**1.6 + 0.25 * q, g)
        if rng.random() < 0.45:
            n = 5 if far else 20
            axis = np.tile([lean[0], lean[1], 1.0], (n, 1)) + rng.normal(size=(n, 3)) * 0.20 + np.array([0.42 * np.cos(seed), 0.42 * np.sin(seed), 0])
            top = path[-1] - np.array([0, 0, 1.0]) * rng.uniform(0, 0.16, n)[:, None]
            b.leaves(top, axis, rng.uniform(0.05, 0.13, n), np.full(n, 0.007 * (2.6 if far else 1.0)), np.full(n, 1.1), g, 0.12, PLUME, blunt=0.6)
    return b.form(stems + 1)


def grass(height: float, seed: int, far: bool = False, spread: float = 0.55) -> Form:
    """A patch of grass about ``2 * spread`` metres square; far patches have fewer, broader blades."""
    rng = np.random.default_rng([seed, 4])
    b = _Builder(rng)
    blades = 42 if far else 190
    clumps = rng.uniform(-spread, spread, (14, 2))
    for i in range(blades):
        c = clumps[rng.integers(len(clumps))]
        foot = np.append(c + rng.normal(size=2) * 0.13, -0.02)
        h = height * rng.uniform(0.45, 1.1)
        az = rng.uniform(0, 2 * np.pi)
        out = np.array([np.cos(az), np.sin(az), 0.0])
        curl = rng.uniform(0.15, 0.75)
        q = np.linspace(0, 1, 2 if far else 4)
        path = foot + out * (h * curl * q**2)[:, None] + np.array([0, 0, 1.0]) * (h * (q - 0.35 * curl * q**2.5))[:, None]
        width = (0.022 if far else 0.0065) * rng.uniform(0.7, 1.3) * np.maximum(1 - q**1.6, 0.06)
        b.blade(path, width, np.array([-out[1], out[0], 0.0]), LEAF, q**1.6, 1 + i % 24)
    return b.form(25)


MAKERS = {"pine": pine, "alder": broadleaf, "reed": reed, "grass": grass}
