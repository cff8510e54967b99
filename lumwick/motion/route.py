"""The camera's way through its stations: a smooth curve run at constant speed, with eased ends."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import CubicSpline, PchipInterpolator

from lumwick.errors import RouteError
from lumwick.motion.turns import aim_of, smooth, turn_of
from lumwick.place.document import Route, Station

Floor = Callable[[NDArray[np.float64], NDArray[np.float64]], NDArray[np.float64]]


@dataclass(frozen=True)
class Way:
    """A route made ready to be asked where the camera is.

    Attributes
    ----------
    length : float [m]
        Along the curve.
    station_share : ndarray, shape (n,)
        Share of the length at which each station lies.
    """

    length: float
    station_share: NDArray[np.float64]
    _position: Callable[[NDArray[np.float64]], NDArray[np.float64]]
    _bearing: Callable[[NDArray[np.float64]], NDArray[np.float64]]
    _pitch: Callable[[NDArray[np.float64]], NDArray[np.float64]]
    _focal: Callable[[NDArray[np.float64]], NDArray[np.float64]]
    _knots: NDArray[np.float64]
    _arc: NDArray[np.float64]
    _u: NDArray[np.float64]

    def parameter(self, share: ArrayLike) -> NDArray[np.float64]:
        """Curve parameter at a share of the length."""
        return np.interp(np.asarray(share, float) * self.length, self._arc, self._u) if self.length > 0 else np.zeros(np.shape(share))

    def at(self, share: ArrayLike) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Position (n, 3) [m], bearing [degrees], pitch [degrees] and focal length [mm] at shares (n,) of the length."""
        u = self.parameter(np.atleast_1d(share))
        return self._position(u), self._bearing(u), self._pitch(u), self._focal(u)


def eased_share(x: ArrayLike, ease: float) -> NDArray[np.float64]:
    """Share of the way at a share of the time: constant speed, but for a smooth start and stop over ``ease``."""
    s: NDArray[np.float64] = np.clip(np.asarray(x, float), 0, 1)
    if ease < 1e-9:
        return s
    v = 1.0 / (1.0 - ease)
    start = v * s * s / (2 * ease)
    stop = 1 - v * (1 - s) ** 2 / (2 * ease)
    return np.where(s < ease, start, np.where(s > 1 - ease, stop, v * (s - ease / 2)))


def way(route: Route, floor: Floor | None = None) -> Way:
    """Join a route's stations.

    Stations are joined by a cubic spline over the square root of their distances (centripetal, so that
    close stations make no loop); the aim turns on the sphere, by the shorter way. A walk's height is the floor's plus the eye.

    Parameters
    ----------
    floor : callable
        Height [m] of ground or deck at points; needed for a walk.

    Raises
    ------
    RouteError
        There is no station.
    """
    stations = route.stations
    if not stations:
        raise RouteError("This route has no station: turn the look to a view and press Enter to set one.")
    p = np.array([[s.east, s.north, s.up] for s in stations])
    aim = np.array([s.aim for s in stations]) - p
    focal = np.array([s.focal for s in stations])
    bearing = np.degrees(np.unwrap(np.arctan2(aim[:, 0], aim[:, 1])))
    pitch = np.degrees(np.arctan2(aim[:, 2], np.hypot(aim[:, 0], aim[:, 1])))
    gap = np.linalg.norm(np.diff(p, axis=0), axis=1)
    if len(stations) == 1 or gap.max() < 1e-6:
        n = len(stations)

        def still(values: NDArray[np.float64]) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
            return lambda u: np.broadcast_to(values[0], np.shape(u) + np.shape(values[0])).copy()

        held = [still(v) for v in (bearing, pitch, focal)]
        if n > 1:  # a turn on the spot: the length is the turn, told as shares
            t = np.linspace(0, 1, n)
            held = [PchipInterpolator(t, v) for v in (bearing, pitch, focal)]
            return Way(1e-9, t, _on_floor(still(p), route, floor), held[0], held[1], held[2], t, np.array([0, 1e-9]), np.array([0.0, 1.0]))
        return Way(0.0, np.zeros(1), _on_floor(still(p), route, floor), held[0], held[1], held[2], np.zeros(1), np.zeros(1), np.zeros(1))
    knots = np.concatenate([[0], np.cumsum(np.sqrt(np.maximum(gap, 0.01)))])
    knots /= knots[-1]
    curve = CubicSpline(knots, p, bc_type="natural") if len(p) > 2 else (lambda u: p[0] + (p[1] - p[0]) * np.asarray(u)[..., None])
    position = _on_floor(curve, route, floor)
    u = np.linspace(0, 1, max(2000, 400 * len(p)))
    arc = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(position(u), axis=0), axis=1))])
    turning = smooth(knots, turn_of(bearing, pitch))
    return Way(float(arc[-1]), np.interp(knots, u, arc) / arc[-1], position, lambda v: aim_of(turning(np.asarray(v, float)))[0], lambda v: aim_of(turning(np.asarray(v, float)))[1],
               PchipInterpolator(knots, focal), knots, arc, u)


def _on_floor(curve: Callable[[NDArray[np.float64]], NDArray[np.float64]], route: Route, floor: Floor | None) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    if route.way != "walk" or floor is None:
        return curve
    # a walker's eye does not follow each plank's edge: the floor is averaged over a step's length
    u = np.linspace(0, 1, 1500)
    p = curve(u)
    z = floor(p[:, 0], p[:, 1])
    run = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(p[:, :2], axis=0), axis=1))])
    if run[-1] > 0:
        even = np.linspace(0, run[-1], 1500)
        from scipy.ndimage import gaussian_filter1d

        sigma = min(0.35 / (run[-1] / 1500), 400)
        smooth = gaussian_filter1d(np.interp(even, run, z), sigma, mode="nearest")
        z = np.interp(run, even, smooth)

    def walk(v: NDArray[np.float64]) -> NDArray[np.float64]:
        q = np.array(curve(v), float)
        q[..., 2] = np.interp(v, u, z) + route.eye_height
        return q

    return walk


def station_from(station_id: str, position: ArrayLike, bearing: float, pitch: float, focal: float, reach: float = 20.0) -> Station:
    """A station that stores a view."""
    p = np.asarray(position, float)
    b, e = np.radians(bearing), np.radians(pitch)
    d = np.array([np.sin(b) * np.cos(e), np.cos(b) * np.cos(e), np.sin(e)])
    aim = tuple(float(c) for c in np.round(p + d * reach, 3))
    return Station(id=station_id, east=round(float(p[0]), 3), north=round(float(p[1]), 3), up=round(float(p[2]), 3), aim=aim, focal=focal)  # type: ignore[arg-type]
