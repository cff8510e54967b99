"""A coastal pine: bare lower trunk, whorled limbs that rise into a broad, flat-topped crown of needle tufts."""

from __future__ import annotations

import numpy as np

from lumwick.growth.kinds.form import GOLDEN_DEG, Builder, Floats, Form, Leaves, Limb, point_at, spray
from lumwick.growth.kinds.kind import Kind

LIMBS = 34
TWIGS = 11
TUFTS = 6
NEEDLES = (20, 6, 4)
"""In a tuft, by level; so are the widths [m] and the factors of their length below."""
NEEDLE_WIDTH = (0.017, 0.055, 0.20)
NEEDLE_REACH = (1.0, 1.25, 1.7)


def make(height: float, seed: int, level: int = 0) -> Form:
    """A pine of a height [m]."""
    rng = np.random.default_rng([seed, 1])
    b = Builder(rng)
    trunk, radius = _trunk(b, height, seed, level)
    tufts: list[tuple[Floats, Floats, float, int]] = []
    for i in range(LIMBS):
        f = 0.38 + 0.60 * (i / (LIMBS - 1)) ** 0.85
        start = point_at(f * height, trunk[:, 2], trunk)
        az = np.radians(GOLDEN_DEG * i + rng.normal() * 12)
        crown = np.sin(np.pi * np.clip((f - 0.30) / 0.78, 0, 1)) ** 0.7
        length = height * (0.10 + 0.27 * crown) * rng.uniform(0.75, 1.15)
        direction = np.array([np.cos(az), np.sin(az), 0.06 + 0.5 * f * f])
        limb = Limb(start, direction / np.linalg.norm(direction), length, 0.16, 0.12).path(7, rng)
        s = np.linspace(0, 1, 7)
        if level < 2:
            thick = np.maximum(radius * 0.34 * (1 - f * 0.6) * (1 - 0.85 * s), 0.005)
            b.tube(limb, thick, (5, 3)[level], s**1.5, i + 1)
        tufts += _twigs(b, limb, height, level, i + 1)
    n = NEEDLES[level]
    axes = spray(rng, np.array([direction for _, direction, _, _ in tufts]), n, 0.85)
    reach = rng.uniform(0.13, 0.25, len(axes)) * NEEDLE_REACH[level] * (height / 10) ** 0.5
    needles = Leaves(
        np.repeat(np.array([base for base, *_ in tufts]), n, 0),
        axes,
        reach,
        np.full(len(axes), NEEDLE_WIDTH[level]),
        np.repeat([weight for _, _, weight, _ in tufts], n),
        np.repeat([group for *_, group in tufts], n),
    )
    b.leaves(needles, 0.10, blunt=0.5)
    return b.form(LIMBS + 1)


def _trunk(b: Builder, h: float, seed: int, level: int) -> tuple[Floats, float]:
    """The trunk's path, shape (14, 3), and its radius at the foot [m]."""
    bend = b.rng.normal(size=2) * 0.06
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
    radius = 0.024 * h
    drawn = slice(None, None, 1 if level < 2 else 3)
    thick = np.maximum(radius * (1 - 0.85 * s**0.8), 0.012)[drawn]
    b.tube(trunk[drawn], thick, (10, 6, 4)[level], np.zeros(len(thick)), 0)
    return trunk, radius


def _twigs(b: Builder, limb: Floats, h: float, level: int, group: int) -> list[tuple[Floats, Floats, float, int]]:
    """A limb's twigs, and their tufts: where, which way, weight, group."""
    rng, s = b.rng, np.linspace(0, 1, len(limb))
    out = limb[-1] - limb[0]
    out = out / np.linalg.norm(out)
    tufts: list[tuple[Floats, Floats, float, int]] = []
    for j in range(TWIGS):
        at = 0.22 + 0.78 * (j + rng.uniform(0, 1)) / TWIGS
        p = point_at(at, s, limb)
        side = np.cross(out, [0, 0, 1.0]) * (1 if j % 2 else -1)
        d = out * 0.7 + side * rng.uniform(0.3, 1.0) + np.array([0, 0, rng.uniform(0.0, 0.55)])
        d /= np.linalg.norm(d)
        length = h * 0.10 * rng.uniform(0.6, 1.3) * (1.25 - 0.5 * at)
        twig = Limb(p, d, length, 0.25, 0.1).path(3, rng)
        if level == 0:
            b.tube(twig, np.array([0.010, 0.007, 0.004]), 3, at**1.5 + np.array([0, 0.05, 0.12]), group)
        for k in range(TUFTS):
            q = 0.2 + 0.85 * (k + 0.5) / TUFTS
            shift = rng.normal(size=3) * 0.045
            if level < 2 or k % 3 == 0:
                where = p + (twig[-1] - p) * q + shift
                tufts.append((where, d + np.array([0, 0, 0.5]), at**1.5 + 0.12 * q, group))
    return tufts


KIND = Kind(
    maker=make,
    bark=(0.098, 0.080, 0.066),
    leaf=(0.046, 0.070, 0.026),
    through=(0.022, 0.036, 0.008),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0011,
    branch_hz=1.3,
    branch_reach=0.0016,
    leaf_reach=0.0012,
    reaches=(60, 220, 4000),
)
