"""Light that air has scattered more than once, as if it came evenly from everywhere.

Each order is gathered by rays in all directions through the one before it, at heights and heights of the sun on a grid;
the orders that are left out go on as the last two do. That light of the higher orders comes evenly is the one
simplification; what is often made besides, that they only repeat what is scattered at the spot itself, makes dusk too
bright by a fifth, and evenly spaced grids by another (docs/decisions/0023).
"""

from __future__ import annotations

from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import coefficients
from lumwick.air.medium import EARTH, FAST, TOP, Medium, columns, march
from lumwick.disk_cache import cached

Floats = NDArray[np.float64]
HEIGHTS, SUNS, ORDERS = 16, 64, 3
RISES, TURNS, STEPS = 8, 6, 20
"""Directions and steps by which an order is gathered."""
HAZE_RATIO = 1.25
"""Orders are made at hazes this far apart, and mixed between two."""


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def _gathered(medium, sunlit, shape):
    """Mean radiance (heights, suns, bands) that comes to each cell, by sunlight or by the order in ``medium``."""
    n_h, n_s = shape
    bands = medium.ext.shape[1]
    out = np.zeros((n_h, n_s, bands))
    for cell in nb.prange(n_h * n_s):
        i, j = cell // n_s, cell % n_s
        r = EARTH + 1.0 + (TOP - EARTH - 2.0) * (i / (n_h - 1)) ** 2
        q = 2.0 * j / (n_s - 1) - 1
        sz = q * abs(q)
        sx = np.sqrt(max(0.0, 1 - sz * sz))
        for a in range(RISES):
            c = 2 * (a + 0.5) / RISES - 1
            dz, weight = c * abs(c), 2 * abs(c) / (RISES * TURNS)  # closer about the horizon
            for b in range(TURNS):
                dx = np.sqrt(1 - dz * dz) * np.cos(np.pi * (b + 0.5) / TURNS)
                lum = np.zeros(bands)
                march(r, (dx, dz), (sx, sz), STEPS, medium, sunlit, lum)
                for w in range(bands):
                    out[i, j, w] += lum[w] * weight
    return out


def _orders_at(haze: float, ozone_du: float, ground: float) -> Floats:
    def made() -> Floats:
        ext = coefficients(haze, ozone_du)
        before = _gathered(Medium(columns(), ext, np.zeros((2, 2, ext.shape[1])), ground), True, (HEIGHTS, SUNS))
        total, ratio = before.copy(), 0.0
        for _ in range(ORDERS - 1):
            more = _gathered(Medium(columns(), ext, before, ground), False, (HEIGHTS, SUNS))
            ratio = float(more.sum() / before.sum())
            total += more
            before = more
        return np.asarray(total + before * (ratio / (1 - ratio)))

    return cached("air", repr((haze, ozone_du, ground)), lambda: {"orders": made()})["orders"]


@lru_cache(8)
def higher_orders(haze: float, ozone_du: float, ground: float) -> Floats:
    """Isotropic radiance of all higher orders per unit solar irradiance, shape (HEIGHTS, SUNS, bands).

    Rows are closer to the ground (by the square), columns about the horizon (by the signed square of the sine).

    Parameters
    ----------
    haze : float
        Aerosol optical depth at 550 nm; it may move without that everything is made again for every step.
    ozone_du : float [Dobson units]
    ground : float
        Albedo.
    """
    step = np.log(max(haze, 1e-3)) / np.log(HAZE_RATIO)
    low = int(np.floor(step))
    one, other = (_orders_at(round(HAZE_RATIO**k, 6), round(ozone_du / 40) * 40.0, ground) for k in (low, low + 1))
    return np.asarray(one + (step - low) * (other - one))
