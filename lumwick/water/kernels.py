"""The loops of small waves and of light under them, compiled; apart from what calls them, so that a change of a number
there compiles nothing anew."""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

QUICK: dict[str, Any] = {"fastmath": {"contract", "arcp", "reassoc", "nsz"}, "error_model": "numpy"}
"""How loops are compiled that divide by nothing small."""


@nb.njit(cache=True)
def splash(table, x, y, age, size, lives, reach, length, out):
    """Add the rings of drops at (x, y) [m] of ages [s] to a tile's slopes."""
    n = out.shape[0]
    cell = length / n
    ages, radii = table.shape
    for d in range(len(x)):
        row = min(ages - 1, int(age[d] / lives * ages))
        widest = min(reach, 0.03 + 0.62 * age[d])
        span = int(widest / cell) + 1
        ci, cj = int(y[d] / cell), int(x[d] / cell)
        for di in range(-span, span + 1):
            dy = (ci + di) * cell - y[d]
            for dj in range(-span, span + 1):
                dx = (cj + dj) * cell - x[d]
                r = np.sqrt(dx * dx + dy * dy)
                if r >= widest or r < 1e-6:
                    continue
                f = r / reach * (radii - 1)
                k = int(f)
                slope = size[d] * (table[row, k] * (1 - f + k) + table[row, min(k + 1, radii - 1)] * (f - k))
                i, j = (ci + di) % n, (cj + dj) % n
                out[i, j, 0] += slope * dx / r
                out[i, j, 1] += slope * dy / r


@nb.njit(parallel=True, cache=True)
def blow(k1, omega, loss, x, y, ago, strength, out):
    """Sum up the waves (n, n) that blows at (x, y) [m] have left after some time [s], into ``out``."""
    n = len(k1)
    for i in nb.prange(n):
        for j in range(n):
            re, im = 0.0, 0.0
            for b in range(len(x)):
                swing = strength[b] * np.sin(omega[i, j] * ago[b]) * np.exp(-loss[i, j] * ago[b])
                phase = k1[j] * x[b] + k1[i] * y[b]
                re += swing * np.cos(phase)
                im -= swing * np.sin(phase)
            out[i, j] = complex(re, im)


@nb.njit(**QUICK)
def _slopes(tile, per_metre, x, y):
    """Slopes east and north of a square tile of ``per_metre`` cells a metre, at a spot that is not negative."""
    n = tile.shape[0]
    fx, fy = x * per_metre, y * per_metre
    gx, gy = int(fx), int(fy)
    a, b = np.float32(fx - gx), np.float32(fy - gy)
    j, i = gx % n, gy % n
    j2, i2 = (j + 1 if j + 1 < n else 0), (i + 1 if i + 1 < n else 0)
    p, q, r, s = tile[i, j], tile[i, j2], tile[i2, j], tile[i2, j2]
    one = np.float32(1)
    w00, w01, w10, w11 = (one - a) * (one - b), a * (one - b), (one - a) * b, a * b
    return p[0] * w00 + q[0] * w01 + r[0] * w10 + s[0] * w11, p[1] * w00 + q[1] * w01 + r[1] * w10 + s[1] * w11


@nb.njit(parallel=True, cache=True, **QUICK)
def bend_rays(coarse, coarse_length, fine, fine_length, sun, across, out):
    """Where rays of the sun go under two tiles of slopes: east and north for each metre down, and how much light each
    carries, into ``out`` (n, n, 3), a tile of ``across`` [m]; water bends by 1.333."""
    n = out.shape[0]
    cell, ior = across / n, 1.333
    per_coarse, per_fine = coarse.shape[0] / coarse_length, fine.shape[0] / fine_length
    for i in nb.prange(n):
        for j in range(n):
            x, y = (j + 0.5) * cell, (i + 0.5) * cell
            broad_x, broad_y = _slopes(coarse, per_coarse, x, y)
            fine_x, fine_y = _slopes(fine, per_fine, x, y)
            sx, sy = broad_x + fine_x, broad_y + fine_y
            q = 1 / np.sqrt(1 + sx * sx + sy * sy)
            nx, ny, nz = -sx * q, -sy * q, q
            cos = max(0.02, nx * sun[0] + ny * sun[1] + nz * sun[2])
            k = cos / ior - np.sqrt(max(0.0, 1 - (1 - cos * cos) / (ior * ior)))
            rz = min(-0.2, -sun[2] / ior + k * nz)
            out[i, j, 0] = (sun[0] / ior - k * nx) / rz
            out[i, j, 1] = (sun[1] / ior - k * ny) / rz
            # as much light falls on a facet as it is turned to the sun
            out[i, j, 2] = max(0.0, cos / (nz * max(sun[2], 0.05)))


@nb.njit(parallel=True, cache=True, **QUICK)
def land_rays(bent, deep, out):
    """Count where bent rays (n, n, 3) land at depths in cells, into ``out`` (layers, n, n); the first layer is left."""
    n = out.shape[1]
    for layer in nb.prange(1, out.shape[0]):
        d = deep[layer]
        for i in range(n):
            for j in range(n):
                light = bent[i, j, 2]
                fx, fy = j + d * bent[i, j, 0], i + d * bent[i, j, 1]
                gx, gy = np.floor(fx), np.floor(fy)
                a, b = fx - gx, fy - gy
                c, r = int(gx) % n, int(gy) % n
                c2, r2 = (c + 1) % n, (r + 1) % n
                out[layer, r, c] += light * (1 - a) * (1 - b)
                out[layer, r, c2] += light * a * (1 - b)
                out[layer, r2, c] += light * (1 - a) * b
                out[layer, r2, c2] += light * a * b


@nb.njit(parallel=True, cache=True)
def swung_up(rows, omega, t):
    """Sums (m, n) of complex amplitudes (m, waves), each turned on by omega [rad/s], at times (n,) [s]."""
    out = np.zeros((rows.shape[0], len(t)))
    for i in nb.prange(len(t)):
        for j in range(rows.shape[1]):
            angle = omega[j] * t[i]
            c, s = np.cos(angle), np.sin(angle)
            for m in range(rows.shape[0]):
                out[m, i] += rows[m, j].real * c + rows[m, j].imag * s
    return out
