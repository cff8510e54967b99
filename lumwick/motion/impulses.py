"""What a floor does to a body that strikes it, compiled; apart from what uses it, since kernels are made from it."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
SWEEPS = 12
"""Times that the impulses of one step are gone over."""


@nb.njit(cache=True)
def struck(
    v: Floats, w: Floats, arms: Floats, normals: Floats, inverse: Floats, law: tuple[float, float, float]
) -> tuple[Floats, Floats]:
    """Velocity [m/s] and turning [rad/s] of a body, each of shape (3,), after a step's impulses.

    Parameters
    ----------
    arms, normals : ndarray, shape (n, 3)
        Points that strike, from its centre of mass [m], and the floor's unit normals there.
    inverse : ndarray, shape (3, 3) [1/m2]
        Of its inertia over its mass, in the place's axes.
    law : tuple of float
        What is left of the speed of approach, the speed [m/s] under which nothing is, and the grip.
    """
    bounce, settled, grip = law
    n = len(arms)
    wanted = np.zeros(n)
    for k in range(n):
        closing = np.dot(v + np.cross(w, arms[k]), normals[k])
        wanted[k] = -bounce * closing if closing < -settled else 0.0
    pressed, dragged = np.zeros(n), np.zeros((n, 3))
    for _ in range(SWEEPS):
        for k in range(n):
            r, up = arms[k], normals[k]
            yields = 1.0 + np.dot(np.cross(inverse @ np.cross(r, up), r), up)
            push = (wanted[k] - np.dot(v + np.cross(w, r), up)) / yields
            before = pressed[k]
            pressed[k] = max(0.0, before + push)
            impulse = (pressed[k] - before) * up
            v, w = v + impulse, w + inverse @ np.cross(r, impulse)
            along = v + np.cross(w, r)
            along = along - np.dot(along, up) * up
            speed = np.sqrt(np.dot(along, along))
            if speed < 1e-9:
                continue
            way = along / speed
            yields = 1.0 + np.dot(np.cross(inverse @ np.cross(r, way), r), way)
            drag = dragged[k] - along / yields
            most, size = grip * pressed[k], np.sqrt(np.dot(drag, drag))
            if size > most:
                drag = drag * (most / size)
            impulse = drag - dragged[k]
            dragged[k] = drag
            v, w = v + impulse, w + inverse @ np.cross(r, impulse)
    return v, w
