"""Air as light goes through it: how dense it is by height, how much lies on a way, and what a ray gathers.

Everything is per band of wavelength and unit solar irradiance, in a spherical atmosphere whose zenith lies along z.

References
----------
U.S. Standard Atmosphere (1976): densities, from memory; above 70 km by the last scale height.
Cornette and Shanks, Applied Optics 31 (1992): phase function of aerosol.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import H_DUST
from lumwick.disk_cache import cached

FAST = {"contract", "arcp", "afn", "reassoc", "nsz"}
EARTH, TOP = 6371.0e3, 6471.0e3
DUST_ALBEDO, DUST_G = 0.94, 0.76
N_H, N_MU = 40, 256


KM = np.array(
    [0.0, 1, 2, 3, 4, 5, 6, 8, 10, 12, 14, 16, 18, 20, 22, 25, 30, 35, 40, 45, 50, 55, 60, 65, 70, 80, 90, 100]
)
STANDARD = np.array(
    [1.225, 1.112, 1.007, 0.9093, 0.8194, 0.7364, 0.6601, 0.5258, 0.4135, 0.3119, 0.2279, 0.1665, 0.1216, 0.08891]
    + [0.06451, 0.04008, 0.01841, 8.463e-3, 3.996e-3, 1.966e-3, 1.027e-3, 5.681e-4, 3.097e-4, 1.632e-4, 8.283e-5]
    + [1.846e-5, 3.416e-6, 5.604e-7]
)
"""Density of standard air [kg/m3] at heights of so many kilometres."""
LAYER = 125.0
_THIN = np.exp(np.interp(np.arange(0.0, TOP - EARTH + 2 * LAYER, LAYER) / 1000, KM, np.log(STANDARD / STANDARD[0])))
"""Density against that at the sea, every `LAYER` metres."""


@nb.njit(fastmath=FAST, cache=True)
def densities(h):
    """Density of air and dust at a height [m] against the ground's, and of ozone against its layer's middle."""
    f = min(max(h, 0.0), TOP - EARTH) / LAYER
    i = int(f)
    air = _THIN[i] + (f - i) * (_THIN[i + 1] - _THIN[i])
    return air, np.exp(-h / H_DUST), max(0.0, 1.0 - abs(h - 25000.0) / 15000.0)


@nb.njit(fastmath=FAST, cache=True)
def _to_top(r, mu):
    return -r * mu + np.sqrt(max(0.0, r * r * (mu * mu - 1.0) + TOP * TOP))


@nb.njit(cache=True)
def _hits_earth(r, mu):
    return mu < 0.0 and r * r * (mu * mu - 1.0) + EARTH * EARTH >= 0.0


@nb.njit(cache=True)
def _column_table(n_h, n_mu):
    """Columns [m of sea-level density] to the top of the air, by height and direction; -1 where earth is in the way."""
    out = np.zeros((n_h, n_mu, 3))
    for i in range(n_h):
        r = EARTH + (TOP - EARTH) * (i / (n_h - 1)) ** 2 + 0.5
        low = -np.sqrt(max(0.0, 1 - (EARTH / r) ** 2))
        for j in range(n_mu):
            x = j / (n_mu - 1)
            mu = low + (1 - low) * x * x
            length = _to_top(r, mu)
            steps = 400
            for k in range(steps):
                # finer near the start, where the air is densest
                a, b = (k / steps) ** 2 * length, ((k + 1) / steps) ** 2 * length
                s = 0.5 * (a + b)
                h = np.sqrt(r * r + s * s + 2 * r * mu * s) - EARTH
                d = densities(h)
                for c in range(3):
                    out[i, j, c] += d[c] * (b - a)
    return out


@lru_cache(1)
def columns() -> NDArray[np.float64]:
    """The table of columns; it depends on the shape of the atmosphere alone."""
    return cached("air", "columns", lambda: {"columns": _column_table(N_H, N_MU)})["columns"]


@nb.njit(fastmath=FAST, cache=True)
def look_up(table, r, mu, out):
    """Columns towards ``mu`` at radius ``r``; False if the earth is in the way."""
    low = -np.sqrt(max(0.0, 1 - (EARTH / r) ** 2))
    if mu < low:
        return False
    n_h, n_mu = table.shape[0], table.shape[1]
    fi = np.sqrt(min(1.0, max(0.0, (r - EARTH) / (TOP - EARTH)))) * (n_h - 1)
    fj = np.sqrt(min(1.0, max(0.0, (mu - low) / (1 - low)))) * (n_mu - 1)
    i, j = min(int(fi), n_h - 2), min(int(fj), n_mu - 2)
    a, b = fi - i, fj - j
    for c in range(3):
        out[c] = (table[i, j, c] * (1 - a) + table[i + 1, j, c] * a) * (1 - b) + (
            table[i, j + 1, c] * (1 - a) + table[i + 1, j + 1, c] * a
        ) * b
    return True


@nb.njit(fastmath=FAST, cache=True)
def _dust_phase(c):
    g = DUST_G
    return 3 / (8 * np.pi) * (1 - g * g) * (1 + c * c) / ((2 + g * g) * (1 + g * g - 2 * g * c) ** 1.5)


class Medium(NamedTuple):
    """Air as compiled code reads it.

    Attributes
    ----------
    table : ndarray
        Columns to the sun (`columns`).
    ext : ndarray, shape (3, bands) [1/m]
        Extinction of air, dust and ozone at the ground.
    more : ndarray, shape (n, m, bands)
        Light of all higher orders (`lumwick.air.orders`).
    ground : float
        Albedo.
    """

    table: NDArray[np.float64]
    ext: NDArray[np.float64]
    more: NDArray[np.float64]
    ground: float


@nb.njit(fastmath=FAST, cache=True)
def march(r0, way, sun, steps, medium, sunlit, out):
    """Radiance per unit solar irradiance along one ray, per band, added to ``out``.

    The frame has the zenith along z and the sun in the x-z plane; ``way`` and ``sun`` are the ray's and the sun's
    components there (the ray's y component only lengthens it). ``medium`` is a `Medium`; without ``sunlit`` only what
    comes by its higher orders counts.
    """
    (dx, dz), (sx, sz) = way, sun
    table, ext, more = medium.table, medium.ext, medium.more
    cos_sun = dx * sx + dz * sz
    bands = ext.shape[1]
    hits = _hits_earth(r0, dz)
    if hits:
        length = -r0 * dz - np.sqrt(max(0.0, r0 * r0 * (dz * dz - 1.0) + EARTH * EARTH))
    else:
        length = _to_top(r0, dz)
    depth = np.zeros(bands)
    cols = np.zeros(3)
    pr = 3 / (16 * np.pi) * (1 + cos_sun * cos_sun)
    pm = _dust_phase(cos_sun)
    for k in range(steps):
        a, b = (k / steps) ** 2 * length, ((k + 1) / steps) ** 2 * length
        s, ds = 0.5 * (a + b), b - a
        r = np.sqrt(r0 * r0 + s * s + 2 * r0 * dz * s)
        d0, d1, d2 = densities(r - EARTH)
        mu_sun = ((r0 + dz * s) * sz + dx * s * sx) / r
        lit = sunlit and look_up(table, r, mu_sun, cols)
        # as `lumwick.air.orders` spaces them: closer to the ground and about the horizon
        fi = np.sqrt(min(max((r - EARTH) / (TOP - EARTH), 0.0), 1.0)) * (more.shape[0] - 1)
        fj = min(max(0.5 * (1 + np.sign(mu_sun) * np.sqrt(abs(mu_sun))), 0.0), 1.0) * (more.shape[1] - 1)
        i, j = min(int(fi), more.shape[0] - 2), min(int(fj), more.shape[1] - 2)
        wa, wb = fi - i, fj - j
        for w in range(bands):
            sr, sm = d0 * ext[0, w], d1 * ext[1, w] * DUST_ALBEDO
            total = d0 * ext[0, w] + d1 * ext[1, w] + d2 * ext[2, w]
            half = np.exp(-(depth[w] + 0.5 * total * ds))
            src = 0.0
            if lit:
                src = np.exp(-(cols[0] * ext[0, w] + cols[1] * ext[1, w] + cols[2] * ext[2, w])) * (sr * pr + sm * pm)
            psi = (more[i, j, w] * (1 - wa) + more[i + 1, j, w] * wa) * (1 - wb) + (
                more[i, j + 1, w] * (1 - wa) + more[i + 1, j + 1, w] * wa
            ) * wb
            # the step's own extinction, integrated exactly
            held = ds if total * ds < 1e-6 else (1 - np.exp(-total * ds)) / total * np.exp(0.5 * total * ds)
            out[w] += half * held * (src + (sr + sm) * psi)
            depth[w] += total * ds
    if hits and sunlit:
        r = EARTH + 0.5
        s = length
        mu_sun = ((r0 + dz * s) * sz + dx * s * sx) / r
        if mu_sun > 0 and look_up(table, r, mu_sun, cols):
            for w in range(bands):
                t = np.exp(-(cols[0] * ext[0, w] + cols[1] * ext[1, w] + cols[2] * ext[2, w]) - depth[w])
                out[w] += t * mu_sun * medium.ground / np.pi
