"""Low clouds laid out on a grid, and the mean light of clouds by direction."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.clouds import march, veil
from lumwick.trace.sampling import ROWS, cell


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
