"""Low clouds laid out on a grid, and the mean light of clouds by direction."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.clouds import march, veil
from lumwick.trace.sampling import INNER, ROWS, cell


@nb.njit(**ROWS)
def fill(age, seed, lattice, closed, out):
    """How much cloud there would be at each spot of a tile, before any threshold, into ``out`` (layers, n, n); it goes
    on over its edges."""
    layers, n = out.shape[0], out.shape[1]
    for i in nb.prange(n):
        for j in range(n):
            x, y = j / n, i / n
            broad = weight = 0.0
            amount = 1.0
            for octave in range(3):
                p = lattice << octave
                broad += amount * _round(x * p, y * p, age * (1 + 0.6 * octave), p, seed + octave * 7919)
                weight += amount
                amount *= 0.5
            broad /= weight
            for k in range(layers):
                z = (k + 0.5) / layers
                lumps, left, total = 0.0, 1.0, 0.0
                for octave in range(2):
                    p = (3 * lattice) << octave
                    v = _round(x * p, y * p, z * 2.2 * 2.0**octave + 40.0 - age * 1.5, p, seed + 104729 + octave * 611)
                    lumps += left * (1 - abs(2 * v - 1))
                    total += left
                    left *= 0.55
                lumps /= total
                rises = (1 - closed) * 0.5 * z**1.7 + closed * 0.5 * abs(2 * z - 1) ** 2.5
                out[k, i, j] = broad + (0.42 - 0.22 * closed) * (lumps - 0.55) - rises


@nb.njit(inline="always")
def _round(x, y, z, period, salt):
    """Value noise in [0, 1] that comes round over x and y."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = np.int64(fx), np.int64(fy), np.int64(fz)
    u, v, w = x - fx, y - fy, z - fz
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    i, j = i % period, j % period
    i2, j2, s = (i + 1) % period, (j + 1) % period, k * 57 + salt
    a = cell(i, j, s) * (1 - u) + cell(i2, j, s) * u
    b = cell(i, j2, s) * (1 - u) + cell(i2, j2, s) * u
    c = cell(i, j, s + 57) * (1 - u) + cell(i2, j, s + 57) * u
    d = cell(i, j2, s + 57) * (1 - u) + cell(i2, j2, s + 57) * u
    return (a * (1 - v) + b * v) * (1 - w) + (c * (1 - v) + d * v) * w


@nb.njit(**INNER)
def _moved(field, north, east, i, j):
    """A field that comes round over its edges, moved by cells: what lies at a cell then."""
    n, m = field.shape
    y, x = i - north, j - east
    gy, gx = np.floor(y), np.floor(x)
    b, a = y - gy, x - gx
    r, c = int(gy) % n, int(gx) % m
    r2, c2 = (r + 1) % n, (c + 1) % m
    return (field[r, c] * (1 - a) + field[r, c2] * a) * (1 - b) + (field[r2, c] * (1 - a) + field[r2, c2] * a) * b


@nb.njit(**ROWS)
def moved(dense, north, east, share):
    """A field of clouds (layers, n, n) mixed with itself moved by cells, of which it keeps a share."""
    out = np.empty_like(dense)
    for i in nb.prange(dense.shape[1]):
        for k in range(dense.shape[0]):
            for j in range(dense.shape[2]):
                out[k, i, j] = share * dense[k, i, j] + (1 - share) * _moved(dense[k], north, east, i, j)
    return out


@nb.njit(**ROWS)
def mixed(first, other, share):
    """A share of one grid of clouds (layers, n, n, 4), and of another what is left."""
    out = np.empty_like(first)
    for i in nb.prange(first.shape[1]):
        for k in range(first.shape[0]):
            for j in range(first.shape[2]):
                for c in range(first.shape[3]):
                    out[k, i, j, c] = share * first[k, i, j, c] + (1 - share) * other[k, i, j, c]
    return out


@nb.njit(**ROWS)
def shaded(dense, north, east, down, slant, one, out):
    """Optical depths to the sun, straight down and of the whole column at each spot of clouds, into ``out``
    (layers, n, n, 4) from its second number on; the first takes how dense they are.

    Parameters
    ----------
    dense : ndarray, shape (layers, n, n)
    north, east : float [cells]
        By which the way to the sun is shifted from a layer to the one under it.
    down : ndarray, shape (layers, n, n)
        Room for working.
    slant : float
        How much longer that way is than straight up.
    one : float
        Optical depth of one layer where it is densest.
    """
    layers, n, m = dense.shape
    for k in range(layers - 1, -1, -1):
        over = min(k + 1, layers - 1)
        for i in nb.prange(n):
            for j in range(m):
                # by half of this layer and half of the one that the light comes from
                depth = 0.5 * dense[k, i, j] * one * slant
                if k < layers - 1:
                    depth += _moved(down[over], north, east, i, j)
                out[k, i, j, 1] = depth
                down[k, i, j] = depth + 0.5 * dense[k, i, j] * one * slant
    for i in nb.prange(n):
        for j in range(m):
            under = 0.0
            for k in range(layers):
                out[k, i, j, 0] = dense[k, i, j]
                out[k, i, j, 2] = (under + 0.5 * dense[k, i, j]) * one
                under += dense[k, i, j]
            for k in range(layers):
                out[k, i, j, 3] = under * one


@nb.njit(**ROWS)
def mean(cloud, deck, sun, haze, ways, spots, air, light, left):
    """Mean light of clouds and what they leave of the sky behind, by direction (n, 3) from spots (m, 3), before ``air``
    (n, 3), into ``light`` (n, 3) and ``left`` (n,)."""
    for q in nb.prange(len(ways)):
        told, one, high, d = np.zeros(4), np.zeros(3), np.zeros(3), ways[q]
        for s in range(len(spots)):
            keep = march(cloud[0], deck, haze, sun[0], spots[s], d, 1e9, cell(q, s, 5), told, air[q], one)
            behind = veil(cloud[0], sun[0], spots[s], d, high)
            for c in range(3):
                light[q, c] += (one[c] + keep * high[c]) / len(spots)
            left[q] += keep * behind / len(spots)
