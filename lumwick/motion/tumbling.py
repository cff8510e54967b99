"""A throw of what is not round: it turns as it flies, strikes with its corners, slides, and comes to lie on a side.

A rigid body is stepped with impulses where points of its hull meet the floor (Baraff, "Analytical methods for dynamic
simulation of non-penetrating rigid bodies", 1989, in the sequential form of Guendelman, Bridson and Fedkiw,
"Nonconvex rigid bodies with stacking", 2003): each stops the approach or throws it back by the bounce, and drags
against sliding by Coulomb's law at most. Between contacts its angular momentum stays.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Key
from lumwick.motion.impulses import struck
from lumwick.motion.throwing import GRAVITY, REACH, SETTLED, Floor, Throw, normals_of

Floats = NDArray[np.float64]
STEP = 1 / 480
"""Seconds of a step."""
LONGEST = 40.0
"""Seconds after which it is given up."""
FALLS = 10.0
"""Seconds without a touch at its end from which it is falling for ever."""
CORNERS, SPREAD = 40, 48
"""Points of the hull that may strike: corners at most, and those spread over its sides, so that an edge of the floor
is met too."""
STILL = (0.04, 0.25, 0.12)
"""Speed [m/s] and turning [rad/s] under which, for so long [s], it lies."""
THINNEST = 0.02
"""Of its longest side, what a sheet is taken to be thick."""
SHOWN = 60
"""Poses a second that are looked at for keys."""
WITHIN = (0.002, 0.4)
"""Metres and degrees by which keys may leave the way."""


@dataclass(frozen=True)
class Body:
    """A solid of even density.

    Attributes
    ----------
    points : ndarray, shape (n, 3) [m]
        Of its hull, about its centre of mass, in its own axes.
    inertia : ndarray, shape (3, 3) [m2]
        About its centre of mass, over its mass.
    centre : ndarray, shape (3,) [m]
        Its centre of mass, in its own coordinates.
    """

    points: Floats
    inertia: Floats
    centre: Floats


@dataclass(frozen=True)
class Tumble:
    """Where a thrown body is: times (n,) [s], its centre of mass (n, 3) [m], and its axes (n, 3, 3)."""

    t: Floats
    centre: Floats
    turned: Floats


def body_of(vertices: Floats) -> Body:
    """The solid that vertices (n, 3) [m] span: their convex hull; what is flat is taken to be a little thick."""
    sides = np.ptp(vertices, 0)
    thin = THINNEST * float(sides.max())
    if float(sides.min()) < thin:
        shift = np.where(sides < thin, thin / 2, 0.0)
        vertices = np.concatenate([vertices - shift, vertices + shift])
    hull = trimesh.convex.convex_hull(vertices)
    centre = np.asarray(hull.center_mass)
    corners = np.asarray(hull.vertices) - centre
    if len(corners) > CORNERS:  # those that lie furthest, each some way
        ways = trimesh.sample.sample_surface(trimesh.creation.icosphere(), 4 * CORNERS, seed=1)[0]
        corners = corners[np.unique((corners @ ways.T).argmax(0))[:CORNERS]]
    spread = np.asarray(trimesh.sample.sample_surface(hull, SPREAD, seed=1)[0]) - centre
    return Body(np.concatenate([corners, spread]), np.asarray(hull.moment_inertia) / hull.volume, centre)


class _Moving:
    """A body on its way: where its centre of mass is and how fast it goes, its axes, its angular momentum over its
    mass."""

    def __init__(self, body: Body, at: Floats, turned: Floats, velocity: Floats, turning: Floats) -> None:
        self.body, self.at, self.velocity = body, at.copy(), velocity.copy()
        self.turned: Any = turned.copy()
        self.own_inverse = np.linalg.inv(body.inertia)
        self.momentum: Any = turned @ body.inertia @ turned.T @ turning

    def inverse(self, turned: Floats) -> Floats:
        """Inverse of its inertia in the place's axes."""
        return np.asarray(turned @ self.own_inverse @ turned.T)

    @property
    def turning(self) -> Floats:
        return np.asarray(self.inverse(self.turned) @ self.momentum)

    def arms(self) -> Floats:
        """Its points (n, 3) [m] from its centre of mass, as it lies."""
        return np.asarray(self.body.points @ self.turned.T)

    def strike(self, arms: Floats, normals: Floats, throw: Throw) -> None:
        """What the floor does to it at some of its points; where a bounce with grip would give it energy (as Newton's
        law of restitution can: Kane and Levinson, "Dynamics", 1985), it does not bounce."""
        inverse, before, turning = self.inverse(self.turned), self._energy(self.velocity, self.turning), self.turning
        for bounce in (throw.bounce, 0.0):
            v, w = struck(self.velocity, turning, arms, normals, inverse, (bounce, SETTLED, throw.grip))
            if self._energy(v, w) <= before:
                break
        self.velocity, self.momentum = v, np.linalg.solve(inverse, w)

    def _energy(self, v: Floats, w: Floats) -> float:
        """Of motion, over its mass [m2/s2]."""
        own = self.turned.T @ w
        return float(v @ v + own @ self.body.inertia @ own) / 2

    def go(self) -> None:
        """A step further; its turning by the midpoint rule."""
        self.at = self.at + STEP * self.velocity
        half: Any = Rotation.from_rotvec(self.turning * STEP / 2).as_matrix() @ self.turned
        step = Rotation.from_rotvec(self.inverse(half) @ self.momentum * STEP)
        turned: Any = step.as_matrix() @ self.turned
        self.turned = turned


def tumble(throw: Throw, body: Body, at: Floats, turned: Floats, t: float, floor: Floor) -> Tumble:
    """The way of a body thrown, until it lies.

    Parameters
    ----------
    at : ndarray, shape (3,) [m]
        Its centre of mass as it leaves the hand.
    turned : ndarray, shape (3, 3)
        Its axes in the place then.

    Raises
    ------
    PlaceError
        It begins under the floor, or never comes down.
    """
    forwards = 2 * np.pi * throw.spin * np.cross([0.0, 0.0, 1.0], throw.level)
    one = _Moving(body, np.asarray(at, float), turned, throw.velocity, forwards)
    sunk = -float(_over(one, floor, 0.0).min())
    if sunk > REACH:
        raise PlaceError("It cannot be thrown from under the ground: lift it first.")
    one.at[2] += max(sunk, 0.0)
    radius = float(np.linalg.norm(body.points, axis=1).max())
    kept, free, lain, met = [(0.0, one.at, one.turned)], 0, 0.0, 0
    for number in range(1, round(LONGEST / STEP) + 1):
        one.velocity = one.velocity - [0.0, 0.0, GRAVITY * STEP]
        touches = False
        if free > 0:
            free -= 1
        else:
            over = _over(one, floor, STEP * float(np.linalg.norm(one.velocity)))
            touches = _met(one, over, floor, throw)
            met = number if touches else met
            spare = float(one.at[2] - _under(one, floor)) - radius
            # as long as it cannot come down to the floor nobody looks
            free = int(min(24.0, max(0.0, spare / (STEP * (float(np.linalg.norm(one.velocity)) + 2))))) // 2
        one.go()
        kept.append((number * STEP, one.at, one.turned))
        slow = np.linalg.norm(one.velocity) < STILL[0] and np.linalg.norm(one.turning) < STILL[1]
        lain = lain + STEP if touches and slow else 0.0
        if lain >= STILL[2]:
            break
    else:
        if (number - met) * STEP > FALLS:  # nor does what rolls over the survey's edge
            raise PlaceError("It never comes down on anything: throw it over ground.")
    times, centres, turns = (np.array(some) for some in zip(*kept, strict=True))
    return Tumble(t + times, centres, turns)


def _under(one: _Moving, floor: Floor) -> float:
    return float(floor(one.at[:1], one.at[1:2], one.at[2:] + REACH)[0])


def _over(one: _Moving, floor: Floor, reach: float) -> Floats:
    """How far each of its points is over the floor (n,) [m]."""
    p = one.arms() + one.at
    return np.asarray(p[:, 2] - floor(p[:, 0], p[:, 1], p[:, 2] + REACH + reach), float)


def _met(one: _Moving, over: Floats, floor: Floor, throw: Throw) -> bool:
    """Let the floor act on what is under it, and lift it out; whether anything was."""
    some = np.flatnonzero(over < 0)
    if not len(some):
        return False
    arms = one.arms()[some]
    normals = normals_of(floor, one.at + arms - over[some, None] * [0.0, 0.0, 1.0])
    one.strike(np.ascontiguousarray(arms), normals, throw)
    deepest = int(np.argmin(over[some]))
    one.at = one.at - 0.3 * min(0.0, float(over[some][deepest]) + 0.0005) * normals[deepest]
    return True


def tumbled(
    throw: Throw, body: Body, at: Floats, turned: Floats, t: float, floor: Floor, north: float
) -> dict[str, Channel]:
    """East, north, height, turn, tilt and lean of a thrown body, as channels of keys that a straight line between
    them leaves by at most `WITHIN` (`tumble`).

    Parameters
    ----------
    north : float [degrees]
        By which the place's north is turned.
    """
    gone = tumble(throw, body, at, turned, t, floor)
    n = max(2, int(np.ceil((gone.t[-1] - t) * SHOWN)) + 1)
    picked = np.unique(np.linspace(0, len(gone.t) - 1, n).round().astype(int))
    axes, times = gone.turned[picked], gone.t[picked]
    origin = gone.centre[picked] - np.einsum("nij,j->ni", axes, body.centre)
    angles = _steady(Rotation.from_matrix(axes).as_euler("ZXY", degrees=True)) * [-1, 1, 1] - [north, 0, 0]
    rows = dict(zip(("east", "north", "up"), origin.T, strict=True))
    rows |= dict(zip(("turn", "tilt", "lean"), angles.T, strict=True))
    out = {}
    for name, values in rows.items():
        keep = _bends(times, values, WITHIN[0] if name in ("east", "north", "up") else WITHIN[1])
        keys = [Key(t=round(float(times[k]), 6), v=round(float(values[k]), 5), join="straight") for k in keep]
        out[name] = Channel(keys=tuple(keys))
    return out


def _steady(angles: Floats) -> Floats:
    """The same turns (n, 3) [degrees] about z, x and y, each told as near as can be to the one before: past full
    turns, and by the other way of telling it, ``(a + 180, 180 - b, c + 180)``."""
    out = angles.copy()
    for k in range(1, len(out)):
        a, b, c = angles[k]
        told = np.array([[a, b, c], [a + 180, 180 - b, c + 180]])
        told += 360 * np.round((out[k - 1] - told) / 360)
        out[k] = told[np.abs(told - out[k - 1]).sum(1).argmin()]
    return out


def _bends(t: Floats, v: Floats, within: float) -> list[int]:
    """Which of points a broken line needs so as to leave none by more than ``within`` (Ramer 1972, Douglas and Peucker
    1973, in the upright alone)."""
    keep, open_ = {0, len(t) - 1}, [(0, len(t) - 1)]
    while open_:
        a, b = open_.pop()
        if b - a < 2:
            continue
        off = np.abs(np.interp(t[a : b + 1], t[[a, b]], v[[a, b]]) - v[a : b + 1])
        k = a + int(off.argmax())
        if off.max() > within:
            keep.add(k)
            open_ += [(a, k), (k, b)]
    return sorted(keep)
