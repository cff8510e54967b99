"""Where a sample's ray leaves the camera: the one lens law, which motion vectors follow too."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.sampling import INNER, pair

PIXEL_DIMENSION, MOMENT_DIMENSION, LENS_DIMENSION = 0, 1, 2


@nb.njit(**INNER)
def tent(u):
    """A place in a pixel by a tent of one pixel's radius, -0.5 to 1.5."""
    return np.sqrt(2 * u) - 0.5 if u < 0.5 else 1.5 - np.sqrt(2 - 2 * u)


@nb.njit(**INNER)
def on_sensor(view, x, y, colour):
    """Where a spot of the film [pixels] lies at unit distance before the lens.

    By its distortion; and by its dispersion, for one colour (0 to 2; 1 for all).
    """
    sx = (2 * (x + view.left) / view.width - 1) * view.tan_x
    sy = (1 - 2 * (y + view.top) / view.height) * view.tan_y
    if view.bend != 0 or view.fringe != 0:
        r2 = (sx * sx + sy * sy) / (view.tan_x * view.tan_x + view.tan_y * view.tan_y)
        k = (1 + view.bend * r2) / (1 + view.bend) / (1 + view.fringe * r2 * (1 - colour))
        sx *= k
        sy *= k
    return sx, sy


@nb.njit(**INNER)
def _on_lens(view, u, v):
    """A point of the opening, round or with blades, as large either way."""
    if view.blades <= 2:
        r, a = view.lens_radius * np.sqrt(u), 2 * np.pi * v
        return r * np.cos(a), r * np.sin(a)
    # a point of one of the triangles that make it up
    side = u * view.blades
    number = np.floor(side)
    a, b = np.sqrt(side - number), v
    turn = 2 * np.pi / view.blades
    r = view.lens_radius * np.sqrt(turn / np.sin(turn))
    p, q = number * turn + view.blade_turn, (number + 1.0) * turn + view.blade_turn
    return r * a * ((1 - b) * np.cos(p) + b * np.cos(q)), r * a * ((1 - b) * np.sin(p) + b * np.sin(q))


@nb.njit(**INNER)
def _of_sphere(view, x, y, moment, origin, direction):
    """A ray of the whole sphere, equirectangular."""
    turned = np.arctan2(view.forward[0], view.forward[1]) + (2 * (x + view.left) / view.width - 1) * np.pi
    raised = min(max(0.5 - (y + view.top) / view.height, -0.5), 0.5) * np.pi
    direction[0], direction[1] = np.sin(turned) * np.cos(raised), np.cos(turned) * np.cos(raised)
    direction[2] = np.sin(raised)
    for c in range(3):
        origin[c] = view.origin[c] + moment * view.origin_moves[c]
    origin[0] += view.eye * np.cos(turned)
    origin[1] -= view.eye * np.sin(turned)


@nb.njit(**WITHIN)
def camera_ray(view, px, py, path):
    """Start a path; returns which colour it carries alone (0 to 2), or -1 for all."""
    o, d = path.origin, path.direction
    u, v = pair(path.pixel, path.sample, PIXEL_DIMENSION)
    x, y = px + tent(u), py + tent(v)
    moment = 0.0
    if view.moving:  # each sample at its own moment of the open shutter
        moment, _ = pair(path.pixel, path.sample, MOMENT_DIMENSION)
    if view.sphere == 1:
        _of_sphere(view, x, y, moment, o, d)
        return -1
    colour = (path.sample + path.pixel) % 3 if view.fringe != 0 else -1
    sx, sy = on_sensor(view, x, y, colour if colour >= 0 else 1)
    for c in range(3):
        d[c] = view.forward[c] + sx * view.right[c] + sy * view.up[c]
        o[c] = view.origin[c]
    if view.moving:
        for c in range(3):
            d[c] += moment * (view.forward_moves[c] + sx * view.right_moves[c] + sy * view.up_moves[c])
            o[c] += moment * view.origin_moves[c]
    if view.lens_radius > 0:
        u, v = pair(path.pixel, path.sample, LENS_DIMENSION)
        lx, ly = _on_lens(view, u, v)
        for c in range(3):
            shift = lx * view.right[c] + ly * view.up[c]
            o[c] += shift
            d[c] = d[c] * view.focus - shift
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
    return colour
