"""Plants pushed aside by what goes through them, and how they spring back: closed form over a bounded past.

A blade that a body meets is turned over about its foot, as far as it must to pass under it; after that it swings back
as a damped oscillator, and a share of it stays down and rises slowly. What a blade does depends on the body's way in
the last seconds alone. Bodies are swept from one told spot to the next, so that none is too fast to meet a blade.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
AGO = np.concatenate([np.arange(0.0, 2.0, 0.1), np.linspace(2.0, 30.0, 101)])
"""When one looks where something was that has gone through plants: seconds ago."""
FORGETS, FORGOTTEN = 20.0, 30.0
"""From when to when it is forgotten, smoothly [s]."""
EDGE = 0.12
"""How far beside a body blades are already moved [m] (practice)."""
FLAT = 1.48
"""Angle [rad] that a blade is turned over at most: 85 degrees (practice)."""
STAYS, DAMPED = 0.9, 0.16
"""Share of a trodden blade's turning that stays at first, and the damping of the rest, which swings (practice)."""


@dataclass(frozen=True)
class Body:
    """Something that has gone through plants.

    Attributes
    ----------
    name : str
    ago : ndarray, shape (k,) [s]
        Growing from 0, which is now.
    where : ndarray, shape (k, 3) [m]
        Its lowest point.
    radius, height : float [m]
    """

    name: str
    ago: Floats
    where: Floats
    radius: float
    height: float

    def reaches(self, at: Floats, beyond: float) -> NDArray[np.bool_]:
        """Whether it came near points (n, 2), within ``beyond`` [m] of its side, at some time; shape (n,)."""
        a, b = self.where[:-1, :2], self.where[1:, :2]
        reach = self.radius + EDGE + beyond
        low, high = self.where[:, :2].min(0) - reach, self.where[:, :2].max(0) + reach
        near = np.flatnonzero(((at >= low) & (at <= high)).all(1))
        out = np.zeros(len(at), bool)
        for start in range(0, len(near), 4096):
            some = near[start : start + 4096]
            way, to = b - a, at[some, None] - a
            along = np.clip((to * way).sum(-1) / np.maximum((way * way).sum(-1), 1e-12), 0, 1)
            off = np.linalg.norm(to - along[..., None] * way, axis=-1)
            out[some] = off.min(1) < reach
        return out


@nb.njit(cache=True)
def springs_back(s, omega, stays, rises, damped):
    """What is left of a blade's turning ``s`` [s] after it was let go: 1 at once.

    Parameters
    ----------
    omega : float [rad/s]
        Of the free blade.
    stays, rises : float
        Share that stays down, and its time constant [s].
    damped : float
        Of the rest, against critical damping.
    """
    free = np.exp(-damped * omega * s)
    turn = omega * np.sqrt(1 - damped * damped) * s
    swing = free * (np.cos(turn) + damped / np.sqrt(1 - damped * damped) * np.sin(turn))
    late = min(1.0, max(0.0, (FORGOTTEN - s) / (FORGOTTEN - FORGETS)))
    return (stays * np.exp(-s / rises) + (1 - stays) * swing) * late * late * (3 - 2 * late)


@nb.njit(cache=True)
def _met(x, y, z, tall, omega, bodies, consts):
    """How far something of a height at a spot is turned over [rad], and which way (east, north)."""
    edge, flat, stays, rises, damped = consts
    ways, spans, sizes = bodies
    best, bx, by = 0.0, 0.0, 0.0
    for b in range(len(spans)):
        radius, high = sizes[b, 0], sizes[b, 1]
        for k in range(spans[b, 0], spans[b, 1] - 1):
            ax, ay, cx, cy = ways[k, 1], ways[k, 2], ways[k + 1, 1], ways[k + 1, 2]
            ux, uy = cx - ax, cy - ay
            long = ux * ux + uy * uy
            share = 0.0 if long < 1e-12 else min(1.0, max(0.0, ((x - ax) * ux + (y - ay) * uy) / long))
            px, py = ax + share * ux, ay + share * uy
            off = np.sqrt((x - px) ** 2 + (y - py) ** 2)
            if off >= radius + edge:
                continue
            low = ways[k, 3] + share * (ways[k + 1, 3] - ways[k, 3]) - z
            if low >= tall or low + high < 0:
                continue
            depth = min(1.0, (radius + edge - off) / edge)
            depth = depth * depth * (3 - 2 * depth)
            most = min(flat, np.arccos(min(1.0, max(0.0, low) / tall)))
            s = ways[k, 0] + share * (ways[k + 1, 0] - ways[k, 0])
            turned = most * depth * springs_back(s, omega, stays, rises, damped)
            if abs(turned) > abs(best):
                # aside from its way, and along it (a segment runs back in time)
                run = np.sqrt(long)
                wx, wy = (-ux / run, -uy / run) if run > 1e-9 else (0.0, 0.0)
                sx, sy = ((x - px) / off, (y - py) / off) if off > 1e-6 else (0.0, 0.0)
                dx, dy = 0.75 * wx + sx * off / radius, 0.75 * wy + sy * off / radius
                size = np.sqrt(dx * dx + dy * dy)
                if size > 1e-6:
                    best, bx, by = turned, dx / size, dy / size
    return best, bx, by


CHUNK = 512
"""Vertices that one thread takes in a row: those of a blade lie together, and are asked for once."""


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def _pushed(vertices, foot, m, told, bodies, consts):
    tall, omega, rooted = told
    for chunk in nb.prange((len(vertices) + CHUNK - 1) // CHUNK):
        lx, ly, a, dx, dy = np.inf, np.inf, 0.0, 0.0, 0.0
        for i in range(chunk * CHUNK, min(len(vertices), (chunk + 1) * CHUNK)):
            v = vertices[i]
            fx, fy, fz = 0.0, 0.0, 0.0
            if rooted:
                if foot[i, 0] != lx or foot[i, 1] != ly:
                    lx, ly = foot[i, 0], foot[i, 1]
                    fx, fy = m[0] * lx + m[3] * ly + m[9], m[1] * lx + m[4] * ly + m[10]
                    a, dx, dy = _met(fx, fy, m[2] * lx + m[5] * ly + m[11], tall, omega, bodies, consts)
                if a == 0.0:
                    continue
            # where it is in the place, and where what it belongs to stands
            wx = m[0] * v[0] + m[3] * v[1] + m[6] * v[2] + m[9]
            wy = m[1] * v[0] + m[4] * v[1] + m[7] * v[2] + m[10]
            wz = m[2] * v[0] + m[5] * v[1] + m[8] * v[2] + m[11]
            if rooted:  # turned over about its foot, towards (dx, dy)
                fx, fy = m[0] * lx + m[3] * ly + m[9], m[1] * lx + m[4] * ly + m[10]
                fz = m[2] * lx + m[5] * ly + m[11]
                px, py, pz = wx - fx, wy - fy, wz - fz
                along = px * dx + py * dy
                c, s = np.cos(a), np.sin(a)
                turned, rise = along * c + pz * s, pz * c - along * s
                qx, qy, qz = px + (turned - along) * dx, py + (turned - along) * dy, max(rise, min(pz, 0.01))
            else:  # a branch goes aside
                fx, fy, fz = wx, wy, wz
                a, dx, dy = _met(wx, wy, m[11], tall, omega, bodies, consts)
                if a == 0.0:
                    continue
                far = 0.35 * np.sin(a)
                qx, qy, qz = far * dx, far * dy, -0.3 * far
            # back into the plant's own frame: Cramer's rule over the transform's columns
            bx, by, bz = fx + qx - m[9], fy + qy - m[10], fz + qz - m[11]
            p0, p1, p2 = m[4] * m[8] - m[5] * m[7], m[5] * m[6] - m[3] * m[8], m[3] * m[7] - m[4] * m[6]
            r0, r1, r2 = m[7] * m[2] - m[8] * m[1], m[8] * m[0] - m[6] * m[2], m[6] * m[1] - m[7] * m[0]
            t0, t1, t2 = m[1] * m[5] - m[2] * m[4], m[2] * m[3] - m[0] * m[5], m[0] * m[4] - m[1] * m[3]
            d = m[0] * p0 + m[1] * p1 + m[2] * p2
            vertices[i, 0] = (bx * p0 + by * p1 + bz * p2) / d
            vertices[i, 1] = (bx * r0 + by * r1 + bz * r2) / d
            vertices[i, 2] = (bx * t0 + by * t1 + bz * t2) / d


def _near(body: Body, at: Floats, reach: float) -> Body:
    """What of a body's way matters to something at a spot (2,) that reaches as far [m]."""
    off = np.hypot(*(body.where[:, :2] - at).T)
    step = np.hypot(*np.diff(body.where[:, :2], axis=0).T)
    close = np.minimum(off[:-1], off[1:]) < reach + body.radius + EDGE + step
    keep = np.zeros(len(off), bool)
    keep[:-1] |= close
    keep[1:] |= close
    some = np.flatnonzero(keep)
    if len(some) < 2:
        return Body(body.name, body.ago[:0], body.where[:0], body.radius, body.height)
    span = slice(some[0], some[-1] + 1)
    return Body(body.name, body.ago[span], body.where[span], body.radius, body.height)


@dataclass(frozen=True)
class Yields:
    """How a plant or patch gives way.

    Attributes
    ----------
    tall : float [m]
    natural_hz : float [Hz]
        Of a free blade.
    rises : float [s]
        Time constant of what stays down.
    rooted : bool
        Blades turn about their feet; branches go aside.
    reach : float [m]
        How far it reaches from where it stands.
    """

    tall: float
    natural_hz: float
    rises: float = 14.0
    rooted: bool = True
    reach: float = np.inf


def push(
    vertices: NDArray[np.float32],
    foot: NDArray[np.float32],
    transform: NDArray[np.float32],
    gives: Yields,
    bodies: Sequence[Body],
) -> None:
    """Turn a plant's vertices over where bodies have met it, in place.

    Parameters
    ----------
    vertices : ndarray of float32, shape (n, 3)
        In the plant's own frame.
    foot : ndarray of float32, shape (n, 2)
        Where what each belongs to stands, in the same frame.
    transform : ndarray, shape (12,)
        From that frame to the place, by columns.
    """
    m = np.ascontiguousarray(transform, float)
    if not len(vertices):
        return
    bodies = [near for body in bodies if len((near := _near(body, m[9:11], gives.reach)).ago) > 1]
    if not bodies:
        return
    spans, at = [], 0
    for body in bodies:
        spans.append((at, at + len(body.ago)))
        at += len(body.ago)
    ways = np.concatenate([np.column_stack([body.ago, body.where]) for body in bodies])
    sizes = np.array([(body.radius, body.height) for body in bodies])
    consts = (EDGE, FLAT, STAYS, float(gives.rises), DAMPED)
    told = float(gives.tall), 2 * np.pi * gives.natural_hz, gives.rooted
    _pushed(vertices, foot, m, told, (ways, np.array(spans), sizes), consts)
