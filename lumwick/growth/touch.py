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
def _met(x, y, z, tall, omega, ways, spans, sizes, consts):
    """How far something of a height at a spot is turned over [rad], and which way (east, north)."""
    edge, flat, stays, rises, damped = consts
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


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def _pushed(vertices, foot, m, tall, omega, rooted, ways, spans, sizes, consts):
    for i in nb.prange(len(vertices)):
        v = vertices[i]
        # where it is in the place, and where what it belongs to stands
        wx = m[0] * v[0] + m[3] * v[1] + m[6] * v[2] + m[9]
        wy = m[1] * v[0] + m[4] * v[1] + m[7] * v[2] + m[10]
        wz = m[2] * v[0] + m[5] * v[1] + m[8] * v[2] + m[11]
        fx, fy, fz = wx, wy, wz
        if rooted:
            fx = m[0] * foot[i, 0] + m[3] * foot[i, 1] + m[9]
            fy = m[1] * foot[i, 0] + m[4] * foot[i, 1] + m[10]
            fz = m[2] * foot[i, 0] + m[5] * foot[i, 1] + m[11]
        a, dx, dy = _met(fx, fy, fz if rooted else m[11], tall, omega, ways, spans, sizes, consts)
        if a == 0.0:
            continue
        px, py, pz = wx - fx, wy - fy, wz - fz
        if rooted:  # turned over about its foot, towards (dx, dy)
            along = px * dx + py * dy
            c, s = np.cos(a), np.sin(a)
            turned, rise = along * c + pz * s, pz * c - along * s
            qx, qy, qz = px + (turned - along) * dx, py + (turned - along) * dy, max(rise, min(pz, 0.01))
        else:  # a branch goes aside
            far = 0.35 * np.sin(a)
            qx, qy, qz = far * dx, far * dy, -0.3 * far
        wx, wy, wz = fx + qx, fy + qy, fz + qz
        # back into the plant's own frame
        bx, by, bz = wx - m[9], wy - m[10], wz - m[11]
        # Cramer's rule over the transform's columns
        c20, c21, c22 = m[6], m[7], m[8]
        d = m[0] * (m[4] * c22 - m[5] * c21) - m[3] * (m[1] * c22 - m[2] * c21) + c20 * (m[1] * m[5] - m[2] * m[4])
        vertices[i, 0] = (
            bx * (m[4] * c22 - m[5] * c21) - m[3] * (by * c22 - bz * c21) + c20 * (by * m[5] - bz * m[4])
        ) / d
        vertices[i, 1] = (
            m[0] * (by * c22 - bz * c21) - bx * (m[1] * c22 - m[2] * c21) + c20 * (m[1] * bz - m[2] * by)
        ) / d
        vertices[i, 2] = (
            m[0] * (m[4] * bz - m[5] * by) - m[3] * (m[1] * bz - m[2] * by) + bx * (m[1] * m[5] - m[2] * m[4])
        ) / d


def push(
    vertices: NDArray[np.float32],
    foot: NDArray[np.float32],
    transform: NDArray[np.float32],
    tall: float,
    natural_hz: float,
    bodies: Sequence[Body],
    rooted: bool = True,
    rises: float = 14.0,
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
    tall : float [m]
    natural_hz : float [Hz]
        Of a free blade.
    rooted : bool
        Blades turn about their feet; branches go aside.
    rises : float [s]
        Time constant of what stays down.
    """
    spans, at = [], 0
    for body in bodies:
        spans.append((at, at + len(body.ago)))
        at += len(body.ago)
    ways = np.concatenate([np.column_stack([body.ago, body.where]) for body in bodies])
    sizes = np.array([(body.radius, body.height) for body in bodies])
    consts = (EDGE, FLAT, STAYS, float(rises), DAMPED)
    m = np.ascontiguousarray(transform, float)
    _pushed(vertices, foot, m, float(tall), 2 * np.pi * natural_hz, rooted, ways, np.array(spans), sizes, consts)
