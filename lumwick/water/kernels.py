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
    cell, bends, one = across / n, np.float32(1 / 1.333), np.float32(1)
    per_coarse, per_fine = coarse.shape[0] / coarse_length, fine.shape[0] / fine_length
    east, north, high = np.float32(sun[0]), np.float32(sun[1]), np.float32(sun[2])
    on_level = one / max(high, np.float32(0.05))
    for i in nb.prange(n):
        slope_x, slope_y = np.empty(n, np.float32), np.empty(n, np.float32)
        for j in range(n):
            x, y = (j + 0.5) * cell, (i + 0.5) * cell
            broad_x, broad_y = _slopes(coarse, per_coarse, x, y)
            fine_x, fine_y = _slopes(fine, per_fine, x, y)
            slope_x[j], slope_y[j] = broad_x + fine_x, broad_y + fine_y
        for j in range(n):  # apart from what looks tables up, so that it goes in vectors
            sx, sy = slope_x[j], slope_y[j]
            nz = one / np.sqrt(one + sx * sx + sy * sy)
            nx, ny = -sx * nz, -sy * nz
            cos = max(np.float32(0.02), nx * east + ny * north + nz * high)
            k = cos * bends - np.sqrt(max(np.float32(0), one - (one - cos * cos) * (bends * bends)))
            down = one / min(np.float32(-0.2), k * nz - high * bends)
            out[i, j, 0] = (east * bends - k * nx) * down
            out[i, j, 1] = (north * bends - k * ny) * down
            # as much light falls on a facet as it is turned to the sun
            out[i, j, 2] = cos / nz * on_level


@nb.njit(parallel=True, cache=True, **QUICK)
def land_rays(bent, deep, out):
    """Count where bent rays (n, n, 3) land at depths in cells, into ``out`` (layers, n, n); the first layer is left."""
    n = out.shape[1]
    for layer in nb.prange(1, out.shape[0]):
        d = np.float32(deep[layer])
        for i in range(n):
            for j in range(n):
                fx, fy = d * bent[i, j, 0], d * bent[i, j, 1]
                gx, gy = np.floor(fx), np.floor(fy)
                a, b = fx - gx, fy - gy
                c, r = j + int(gx), i + int(gy)
                if not (0 <= c < n and 0 <= r < n):
                    c, r = c % n, r % n
                c2, r2 = (c + 1 if c + 1 < n else 0), (r + 1 if r + 1 < n else 0)
                over = bent[i, j, 2] * b
                under = bent[i, j, 2] - over
                out[layer, r, c] += under - under * a
                out[layer, r, c2] += under * a
                out[layer, r2, c] += over - over * a
                out[layer, r2, c2] += over * a


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
