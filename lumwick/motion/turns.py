"""Turns in space that are smooth whatever way they go: no angle springs back at 360, none stops at straight up."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial.transform import Rotation


def turn_of(bearing: ArrayLike, pitch: ArrayLike) -> Rotation:
    """The turns that point the y axis to bearings (from north through east) and pitches [degrees], with the x axis
    level."""
    b, p = np.atleast_1d(np.asarray(bearing, float)), np.atleast_1d(np.asarray(pitch, float))
    return Rotation.from_euler("ZX", np.stack([-b, p], -1), degrees=True)


def aim_of(turn: Rotation) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Bearings, going on past 360, and pitches [degrees] that turns point to."""
    d = turn.apply([0.0, 1.0, 0.0])
    return np.degrees(np.unwrap(np.arctan2(d[..., 0], d[..., 1]))), np.degrees(np.arcsin(np.clip(d[..., 2], -1, 1)))


def between(a: Rotation, b: Rotation, share: ArrayLike) -> Rotation:
    """Turns a share of the way from ``a`` to ``b``, at constant speed about one axis.

    References
    ----------
    Shoemake, Animating rotation with quaternion curves, SIGGRAPH 1985: spherical linear interpolation.
    """
    return a * Rotation.from_rotvec(np.asarray(share, float)[..., None] * (a.inv() * b).as_rotvec())


def smooth(knots: ArrayLike, turns: Rotation) -> Callable[[NDArray[np.float64]], Rotation]:
    """A curve through turns at knots, whose speed of turning changes without a jump and dwells on none of them.

    References
    ----------
    Shoemake 1985: Bezier curves on the sphere by repeated spherical interpolation. The turning speed at a knot is
    the mean of its neighbours', weighted as for a Catmull-Rom spline, and at most three times the slower one, so
    that the curve does not swing past (Fritsch and Carlson's bound for cubic curves).
    """
    k = np.asarray(knots, float)
    h = np.diff(k)
    speed = (turns[:-1].inv() * turns[1:]).as_rotvec() / h[:, None]
    v = np.concatenate(
        [speed[:1], (h[1:, None] * speed[:-1] + h[:-1, None] * speed[1:]) / (h[1:] + h[:-1])[:, None], speed[-1:]]
    )
    size = np.linalg.norm(speed, axis=1)
    most = 3 * np.concatenate([size[:1], np.minimum(size[:-1], size[1:]), size[-1:]])
    own = np.linalg.norm(v, axis=1)
    v *= np.where(own > most, most / np.maximum(own, 1e-12), 1.0)[:, None]

    def curve(u: NDArray[np.float64]) -> Rotation:
        i = np.clip(np.searchsorted(k, u, side="right") - 1, 0, len(h) - 1)
        s = np.clip((u - k[i]) / h[i], 0.0, 1.0)
        a, d = turns[i], turns[i + 1]
        b = a * Rotation.from_rotvec(v[i] * h[i, None] / 3)
        c = d * Rotation.from_rotvec(-v[i + 1] * h[i, None] / 3)
        ab, bc, cd = between(a, b, s), between(b, c, s), between(c, d, s)
        return between(between(ab, bc, s), between(bc, cd, s), s)

    return curve
