"""Curves in space through points, and the way along them: equal steps of length, not of the parameter."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import CubicHermiteSpline, CubicSpline, PchipInterpolator
from scipy.ndimage import gaussian_filter1d

Floats = NDArray[np.float64]
Place = Callable[[Floats], Floats]
STRAIGHT = 0.999
"""Tension from which a curve is taken as straight from point to point."""
FOOTSTEP = 0.35
"""Standard deviation [m] over which a walker's eye evens out the edges of decks and steps."""
NODES, WEIGHTS = np.polynomial.legendre.leggauss(5)


@dataclass(frozen=True)
class Line:
    """A curve by a parameter from 0 to 1.

    Attributes
    ----------
    position, slope : callable
        Place (n, 3) [m] and its derivative by the parameter, at parameters (n,).
    knots : ndarray, shape (k,)
        Parameter at each point that the curve was laid through.
    length : float [m]
    """

    position: Place
    slope: Place
    knots: Floats
    length: float
    _u: Floats
    _s: Floats
    _to_s: Callable[[Floats], Floats]

    def along(self, u: ArrayLike) -> Floats:
        """Length [m] from the start to parameters."""
        return np.asarray(self._to_s(np.clip(np.asarray(u, float), 0.0, 1.0)), float)

    def parameter(self, s: ArrayLike) -> Floats:
        """Parameters at lengths (n,) [m] from the start, by Newton's method on the arc length."""
        wanted = np.clip(np.asarray(s, float), 0.0, self.length)
        u: Floats = np.interp(wanted, self._s, self._u)
        for _ in range(3):
            speed = np.linalg.norm(self.slope(u), axis=-1)
            step = (self.along(u) - wanted) / np.maximum(speed, 1e-9)
            u = np.where(speed > 1e-6 * self.length, np.clip(u - step, 0.0, 1.0), u)
        return u

    def at(self, s: ArrayLike) -> Floats:
        """Places (n, 3) at lengths (n,) [m] from the start; beyond the ends straight on."""
        s = np.atleast_1d(np.asarray(s, float))
        p = np.array(self.position(self.parameter(s)), float)
        for end, beyond in ((0.0, np.minimum(s, 0.0)), (1.0, np.maximum(s - self.length, 0.0))):
            if np.any(beyond != 0):
                way = self.slope(np.array([end]))[0]
                if np.linalg.norm(way) < 1e-9:  # it comes to rest there: the last stretch tells its direction
                    way = (self.position(np.array([end])) - self.position(np.array([abs(end - 1e-3)])))[0] * (
                        1 if end else -1
                    )
                p += beyond[:, None] * way / max(float(np.linalg.norm(way)), 1e-12)
        return p


def measured(position: Place, slope: Place, knots: Floats, parts: int = 600) -> Line:
    """A curve with its arc length, by Gauss and Legendre's rule of five points on each of many parts."""
    u = np.unique(np.concatenate([np.linspace(0, 1, parts * max(len(knots) - 1, 1) + 1), knots]))
    h = np.diff(u)
    at = (u[:-1] + h / 2)[:, None] + h[:, None] / 2 * NODES
    speed = np.linalg.norm(slope(at.ravel()), axis=-1).reshape(at.shape)
    s = np.concatenate([[0.0], np.cumsum((speed * WEIGHTS).sum(1) * h / 2)])
    return Line(position, slope, knots, float(s[-1]), u, s, CubicHermiteSpline(u, s, np.linalg.norm(slope(u), axis=-1)))


def spot(point: ArrayLike, count: int = 1) -> Line:
    """A curve without length: it stays on one point, however often that is met."""
    p = np.asarray(point, float)
    knots = np.linspace(0, 1, count) if count > 1 else np.zeros(1)

    def position(u: Floats) -> Floats:
        return np.broadcast_to(p, (*np.shape(u), 3)).copy()

    def slope(u: Floats) -> Floats:
        return np.zeros((*np.shape(u), 3))

    return Line(
        position, slope, knots, 0.0, np.array([0.0, 1.0]), np.array([0.0, 0.0]), lambda u: np.zeros(np.shape(u))
    )


def centripetal(points: Floats) -> Floats:
    """Parameters from 0 to 1 for points, by the square root of their distances, so that close points make no loop.

    References
    ----------
    Lee, Choosing nodes in parametric curve interpolation, Computer-Aided Design 21 (1989).
    """
    k = np.concatenate([[0.0], np.cumsum(np.sqrt(np.maximum(np.linalg.norm(np.diff(points, axis=0), axis=1), 0.01)))])
    return np.asarray(k / k[-1], float)


def straight(points: Floats) -> Line:
    """Straight from point to point."""
    k = np.concatenate([[0.0], np.cumsum(np.maximum(np.linalg.norm(np.diff(points, axis=0), axis=1), 1e-9))])
    knots = k / k[-1]
    ways = np.diff(points, axis=0) / np.diff(knots)[:, None]

    def piece(u: Floats) -> NDArray[np.int64]:
        return np.clip(np.searchsorted(knots, u, side="right") - 1, 0, len(ways) - 1)

    def position(u: Floats) -> Floats:
        i = piece(u)
        return np.asarray(points[i] + (u - knots[i])[..., None] * ways[i])

    return measured(position, lambda u: ways[piece(u)], knots, 8)


def through(points: Floats, tension: float = 0.0, no_overshoot: bool = False) -> Line:
    """A smooth curve through points: a natural cubic spline over their centripetal parameter.

    Parameters
    ----------
    tension : float
        Takes that share of the spline's slopes away; at 1 it is straight from point to point.
    no_overshoot : bool
        Each coordinate stays between those of neighbouring points (Fritsch and Carlson's slopes).
    """
    if len(points) < 3 or tension >= STRAIGHT:
        return straight(points)
    knots = centripetal(points)
    curve = PchipInterpolator(knots, points) if no_overshoot else CubicSpline(knots, points, bc_type="natural")
    if tension > 0:
        curve = CubicHermiteSpline(knots, points, curve(knots, 1) * (1 - tension))
    return measured(curve, curve.derivative(), knots)


def circling(start: Floats, centre: Floats, turns: float, end: Floats | None = None) -> Line:
    """Round a point, clockwise seen from above for ``turns`` above 0, from one place to the distance and height of
    another."""
    out = start - centre
    radius, bearing = float(np.hypot(out[0], out[1])), float(np.arctan2(out[0], out[1]))
    last = start if end is None else end
    wide = float(np.hypot(last[0] - centre[0], last[1] - centre[1])) - radius
    rise, sweep = float(last[2] - start[2]), 2 * np.pi * turns

    def position(u: Floats) -> Floats:
        a, r = bearing + sweep * u, radius + wide * u
        return np.stack([centre[0] + r * np.sin(a), centre[1] + r * np.cos(a), start[2] + rise * u], -1)

    def slope(u: Floats) -> Floats:
        a, r = bearing + sweep * u, radius + wide * u
        return np.stack(
            [
                wide * np.sin(a) + r * sweep * np.cos(a),
                wide * np.cos(a) - r * sweep * np.sin(a),
                np.full(np.shape(u), rise),
            ],
            -1,
        )

    return measured(position, slope, np.array([0.0, 1.0]), 400)


def at_height(
    line: Line,
    ground: Callable[[Floats, Floats], Floats],
    over: Callable[[Floats], Floats],
    floor: Callable[[Floats, Floats, Floats], Floats] | None = None,
    even: float = 0.0,
) -> Line:
    """The same way seen from above, at a height over what lies below.

    Parameters
    ----------
    ground : callable
        Height [m] of the ground at points; it is followed exactly, or evened out over ``even`` [m].
    over : callable
        Height [m] over it at parameters.
    floor : callable
        Height [m] that one stands on, at parameters and the points there; where it is not the ground its edges are
        evened out over a footstep.
    """
    count = int(np.clip(line.length / 0.1, 1500, 20000))
    u = np.linspace(0, 1, count)
    p = line.position(u)
    z = np.asarray(ground(p[:, 0], p[:, 1]), float)
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(p[:, :2], axis=0), axis=1))])
    if run[-1] > 0:
        steps = np.linspace(0, run[-1], count)

        def evened(values: Floats, sigma: float) -> Floats:
            wide = min(sigma / (run[-1] / count), count / 4)
            even_values = gaussian_filter1d(np.interp(steps, run, values), wide, mode="nearest")
            return np.asarray(np.interp(run, steps, even_values))

        if even > 0:
            z = evened(z, even)
        if floor is not None:
            z = z + evened(
                np.asarray(floor(u, p[:, 0], p[:, 1]), float) - np.asarray(ground(p[:, 0], p[:, 1]), float), FOOTSTEP
            )
    elif floor is not None:
        z = np.asarray(floor(u, p[:, 0], p[:, 1]), float)
    height = CubicSpline(u, z + over(u))

    def position(v: Floats) -> Floats:
        q = np.array(line.position(v), float)
        q[..., 2] = height(v)
        return q

    def slope(v: Floats) -> Floats:
        q = np.array(line.slope(v), float)
        q[..., 2] = height(v, 1)
        return q

    if line.length == 0:
        return Line(position, line.slope, line.knots, 0.0, line._u, line._s, line._to_s)
    return measured(position, slope, line.knots, max(600, 2 * count // max(len(line.knots) - 1, 1)))
