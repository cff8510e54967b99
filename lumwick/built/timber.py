"""Built things of timber: boardwalks, jetties, a hide and a boat, as boxes of planks and posts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.land.ground import Ground
from lumwick.place.objects import Built


@dataclass(frozen=True)
class Timber:
    """A mesh of quads, shape (n, 3) [m] and (m, 4), and a tone for each quad."""

    vertices: NDArray[np.float32]
    quads: NDArray[np.uint32]
    tone: NDArray[np.float32]


class _Yard:
    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self.v: list[NDArray[np.float64]] = []
        self.q: list[NDArray[np.int64]] = []
        self.tone: list[float] = []
        self.n = 0

    def box(
        self, centre: NDArray[np.float64], a: NDArray[np.float64], b: NDArray[np.float64], c: NDArray[np.float64]
    ) -> None:
        """A box about ``centre`` with half-axes a, b, c [m]."""
        corner = np.array([[i, j, k] for i in (-1, 1) for j in (-1, 1) for k in (-1, 1)], float)
        self.v.append(centre + corner @ np.stack([a, b, c]))
        self.q.append(
            np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]) + self.n
        )
        self.tone += [float(self.rng.uniform(0.78, 1.18))] * 6
        self.n += 8

    def quad(self, corners: NDArray[np.float64]) -> None:
        self.v.append(corners)
        self.q.append(np.arange(4)[None] + self.n)
        self.tone.append(float(self.rng.uniform(0.85, 1.1)))
        self.n += 4

    def made(self) -> Timber:
        return Timber(
            np.concatenate(self.v).astype(np.float32),
            np.concatenate(self.q).astype(np.uint32),
            np.array(self.tone, np.float32),
        )


UP = np.array([0.0, 0.0, 1.0])


def _deck(yard: _Yard, thing: Built, ground: Ground, rail: bool) -> None:
    line = shapely.LineString(thing.line)
    plank, gap, thick = 0.145, 0.012, 0.022
    for i in range(int(line.length / (plank + gap))):
        s = (i + 0.5) * (plank + gap)
        p, ahead = line.interpolate(s), line.interpolate(min(s + 0.3, line.length))
        back = line.interpolate(max(s - 0.3, 0))
        d = np.array([ahead.x - back.x, ahead.y - back.y, 0.0])
        d /= np.linalg.norm(d)
        side = np.array([-d[1], d[0], 0.0])
        wobble = yard.rng.normal(size=3) * [0.004, 0.010, 0.003]
        yard.box(
            np.array([p.x, p.y, thing.deck - thick]) + side * wobble[1] + UP * wobble[2],
            d * plank / 2,
            side * (thing.width / 2 + wobble[0]),
            UP * thick,
        )
    for i in range(int(line.length / 2.0) + 1):
        s = min(i * 2.0, line.length)
        p, ahead = line.interpolate(s), line.interpolate(min(s + 0.3, line.length))
        back = line.interpolate(max(s - 0.3, 0))
        d = np.array([ahead.x - back.x, ahead.y - back.y, 0.0])
        d /= np.linalg.norm(d)
        side = np.array([-d[1], d[0], 0.0])
        for k in (-1, 1):
            if rail and k == 1:
                top = thing.deck + 1.0
            else:
                top = thing.deck - 0.04
            at = np.array([p.x, p.y, 0]) + side * k * (
                thing.width / 2 - 0.10 if top < thing.deck else thing.width / 2 + 0.06
            )
            foot = float(ground.height(at[0], at[1])) - 0.6
            if top > foot:
                yard.box(at + UP * (top + foot) / 2, d * 0.05, side * 0.05, UP * (top - foot) / 2)
        yard.box(np.array([p.x, p.y, thing.deck - 0.12]), d * 0.04, side * (thing.width / 2), UP * 0.07)
        if rail and s + 0.5 < line.length:
            q = line.interpolate(min(s + 2.0, line.length))
            a, e = np.array([p.x, p.y, 0]), np.array([q.x, q.y, 0])
            mid, run = (a + e) / 2, (e - a) / 2
            for z in (0.97, 0.55):
                yard.box(
                    mid + side * (thing.width / 2 + 0.06) + UP * (thing.deck + z), run * 1.02, side * 0.022, UP * 0.045
                )


HIDE_DEEP, HIDE_HIGH = 1.6, 2.25
"""Half of a hide's depth, and how high its walls are [m]."""
HIDE_SLOT, HIDE_DOOR = (1.15, 1.55), (0.5, 2.0)
"""From where to where over its floor one looks out, and half the width and the height of the doorway behind [m]."""


def _hide(yard: _Yard, thing: Built, ground: Ground) -> None:
    """A watching hide: boarded walls, a long slot to look through in front, a doorway behind, a pitched roof."""
    x, y = thing.line[0]
    f = np.array([np.sin(np.radians(thing.turn)), np.cos(np.radians(thing.turn)), 0.0])
    r = np.array([f[1], -f[0], 0.0])
    o = np.array([x, y, thing.deck])
    wide, deep, high = thing.width / 2, HIDE_DEEP, HIDE_HIGH
    (low, top), (half, door) = HIDE_SLOT, HIDE_DOOR
    for i in range(int(2 * deep / 0.15)):
        yard.box(o + f * (-deep + 0.075 + i * 0.15) - UP * 0.02, f * 0.072, r * wide, UP * 0.02)

    def wall(start: NDArray[np.float64], end: NDArray[np.float64], foot: float, head: float) -> None:
        run = end - start
        length = float(np.linalg.norm(run))
        u = run / length
        inward = np.cross(UP, u)
        boards = max(1, round((head - foot) / 0.15))
        for b in range(boards):
            z = foot + (head - foot) * (b + 0.5) / boards
            yard.box(
                start + run / 2 + UP * z + inward * 0.004 * (b % 2),
                u * length / 2,
                inward * 0.012,
                UP * ((head - foot) / boards / 2 - 0.002),
            )

    left, right = o - r * wide, o + r * wide
    wall(left + f * deep, right + f * deep, 0, low)
    wall(left + f * deep, right + f * deep, top, high)
    wall(left - f * deep, left + f * deep, 0, high)
    wall(right - f * deep, right + f * deep, 0, high)
    wall(left - f * deep, o - r * half - f * deep, 0, high)
    wall(o + r * half - f * deep, right - f * deep, 0, high)
    wall(o - r * half - f * deep, o + r * half - f * deep, door, high)
    yard.box(o + f * (deep - 0.25) + UP * 1.08, f * 0.16, r * wide, UP * 0.02)
    yard.box(o + f * (deep - 0.75) + UP * 0.48, f * 0.15, r * (wide * 0.85), UP * 0.025)
    for side in (-1, 1):
        tilt = UP * 0.32
        yard.box(
            o + r * side * (wide + 0.2) / 2 + UP * (high + 0.22),
            (r * side * (wide + 0.2) / 2 - tilt * 0.75),
            f * (deep + 0.3),
            UP * 0.03,
        )
    for i in (-1, 0, 1):
        for j in (-1, 1):
            at = o + r * i * (wide - 0.06) + f * j * (deep - 0.06)
            foot = float(ground.height(at[0], at[1])) - 0.6
            yard.box(
                np.array([at[0], at[1], (thing.deck + foot) / 2]), f * 0.07, r * 0.07, UP * (thing.deck - foot) / 2
            )


STRAKES, LAP = 5, 0.011
"""Planks of a boat's side, and by how much [m] each lies over the one below it."""
RIBS = np.linspace(-0.85, 0.8, 8)
"""Where a boat's ribs stand, in half lengths from its middle."""


@dataclass(frozen=True)
class _Lines:
    """A boat's lines: points of its skin by how far along it (-1 stern, 1 bow) and how far up its side (0 to 1)."""

    origin: NDArray[np.float64]
    ahead: NDArray[np.float64]
    right: NDArray[np.float64]
    half: float
    beam: float

    def at(self, s: float, v: float, side: int, out: float = 0.0) -> NDArray[np.float64]:
        plan = self.beam * (1 - abs(s) ** 2.3 * (1.0 if s > 0 else 0.45))
        sheer = 0.30 + 0.17 * s * s + 0.08 * s
        wide = plan * (0.45 + 0.55 * v**0.7) + out
        return np.asarray(
            self.origin + self.ahead * self.half * s + self.right * side * wide + UP * (-0.16 + (sheer + 0.16) * v)
        )

    def bar(self, yard: _Yard, a: NDArray[np.float64], b: NDArray[np.float64], thick: float, wide: float) -> None:
        """A bar from one point to another."""
        run = b - a
        length = float(np.linalg.norm(run))
        if length < 1e-6:
            return
        u = run / length
        across = np.cross(u, UP)
        if np.linalg.norm(across) < 1e-3:
            across = self.right
        across = across / np.linalg.norm(across)
        yard.box((a + b) / 2, run / 2, across * wide / 2, np.cross(across, u) * thick / 2)


def _boat(yard: _Yard, thing: Built) -> None:
    """A clinker-built rowing boat with ribs, thwarts, oars laid in and a painter, afloat at the deck height."""
    x, y = thing.line[0]
    f = np.array([np.sin(np.radians(thing.turn)), np.cos(np.radians(thing.turn)), 0.0])
    r = np.array([f[1], -f[0], 0.0])
    o = np.array([x, y, thing.deck])
    lines = _Lines(o, f, r, thing.width, thing.width * 0.36)
    s = np.linspace(-1, 1, 17)
    for side in (-1, 1):
        for k in range(STRAKES):
            low, high = k / STRAKES, (k + 1) / STRAKES
            for a, b in zip(s[:-1], s[1:], strict=True):
                corners = [lines.at(a, low, side, LAP), lines.at(b, low, side, LAP),
                           lines.at(b, high, side), lines.at(a, high, side)]  # fmt: skip
                yard.quad(np.array(corners))
        for a, b in zip(s[:-1], s[1:], strict=True):
            lines.bar(yard, lines.at(a, 1.0, side), lines.at(b, 1.0, side), 0.035, 0.045)
        for rib in RIBS:
            for low, high in ((0.0, 0.35), (0.35, 0.7), (0.7, 0.97)):
                lines.bar(yard, lines.at(rib, low, side, -0.012), lines.at(rib, high, side, -0.012), 0.024, 0.02)
    for a, b in zip(s[:-1], s[1:], strict=True):  # the bottom, and boards to stand on
        yard.quad(np.array([lines.at(a, 0, -1), lines.at(b, 0, -1), lines.at(b, 0, 1), lines.at(a, 0, 1)]))
    for across in (-0.24, -0.08, 0.08, 0.24):
        yard.box(o - UP * 0.125 + r * across * lines.beam * 1.3, f * lines.half * 0.62, r * 0.055, UP * 0.008)
    lines.bar(yard, o + f * lines.half * -1.0 - UP * 0.19, o + f * lines.half * 0.93 - UP * 0.19, 0.06, 0.04)
    lines.bar(yard, o + f * lines.half * 0.97 - UP * 0.19, o + f * (lines.half * 1.01) + UP * 0.6, 0.05, 0.05)
    corners = [lines.at(-1, 0, -1), lines.at(-1, 0, 1), lines.at(-1, 1, 1), lines.at(-1, 1, -1)]
    yard.quad(np.array(corners))
    for at in (-0.62, -0.18, 0.34):
        wide = float(np.linalg.norm(lines.at(at, 0.75, 1) - lines.at(at, 0.75, -1))) / 2
        yard.box(o + f * lines.half * at + UP * 0.16, f * 0.12, r * wide, UP * 0.014)
    for side in (-1, 1):  # the oars, laid over the thwarts
        foot, tip = o + r * side * 0.22 + f * lines.half * -0.75 + UP * 0.2, o + r * side * 0.3 + f * lines.half * 0.62
        tip = tip + UP * 0.235
        lines.bar(yard, foot, tip, 0.036, 0.036)
        blade = tip + (tip - foot) / np.linalg.norm(tip - foot) * 0.24
        lines.bar(yard, tip, blade + (blade - tip), 0.014, 0.12)
    ring = o + f * lines.half * 1.0 + UP * 0.42
    hangs = [ring + f * 1.1 * u - UP * (0.46 * (1 - (1 - u) ** 2)) for u in np.linspace(0, 1, 8)]
    for a, b in zip(hangs[:-1], hangs[1:], strict=True):
        lines.bar(yard, a, b, 0.016, 0.016)


def build(thing: Built, ground: Ground) -> Timber:
    """The mesh of a built thing on its ground."""
    yard = _Yard(sum(map(ord, thing.id)))
    if thing.kind in ("boardwalk", "jetty"):
        _deck(yard, thing, ground, rail=thing.kind == "boardwalk")
    elif thing.kind == "hide":
        _hide(yard, thing, ground)
    else:
        _boat(yard, thing)
    return yard.made()


def footprint(thing: Built) -> shapely.Geometry:
    """Ground on which nothing grows because the thing stands there."""
    if thing.kind in ("boardwalk", "jetty") and len(thing.line) >= 2:
        return shapely.LineString(thing.line).buffer(thing.width / 2 + 0.35)
    return shapely.Point(thing.line[0]).buffer(max(thing.width * 0.75, 2.3))


def floor_over(
    things: list[Built], x: NDArray[np.float64], y: NDArray[np.float64], ground_z: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Height that somebody walking stands at: a deck where one is underfoot, else the ground."""
    out = np.array(ground_z, float)
    for thing in things:
        if thing.kind == "boat":
            continue
        if thing.kind == "hide":
            shape = shapely.Point(thing.line[0]).buffer(max(thing.width / 2, 1.6) * 1.05)
        elif len(thing.line) >= 2:
            shape = shapely.LineString(thing.line).buffer(thing.width / 2 + 0.15)
        else:
            continue
        on = shapely.contains_xy(shape, x, y)
        out = np.where(on, np.maximum(out, thing.deck), out)
    return out
