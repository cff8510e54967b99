"""Banks of fog as a ray meets them: a grid of how dense they are and where their foot and top lie, marched.

What is finer than the grid is noise that moves with the wind. One spot of the way is kept by chance, by how much
sunlight it would send: whether the sun reaches it is asked by one shadow ray, which makes shafts between trees.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.integrator.clouds import noise3
from lumwick.trace.sampling import INNER

STEPS = 22
"""Along a ray through banks."""
DIMS = 0.4
"""Share of the optical depth over a spot by which it is dimmed: what is scattered goes on forward (practice)."""
CLOSED = 0.004


@nb.njit(**INNER)
def _cell(bank, mist, x, y):
    """Row, column and shares of a spot on the grid; row -1 outside it."""
    fi, fj = (y - bank.south) / bank.spacing, (x - bank.west) / bank.spacing
    i, j = int(np.floor(fi)), int(np.floor(fj))
    if i < 0 or j < 0 or i >= mist.shape[0] - 1 or j >= mist.shape[1] - 1:
        return -1, 0, 0.0, 0.0
    return i, j, fi - i, fj - j


@nb.njit(**INNER)
def _of(mist, i, j, a, b, q):
    low = mist[i, j, q] * (1 - b) + mist[i, j + 1, q] * b
    return low * (1 - a) + (mist[i + 1, j, q] * (1 - b) + mist[i + 1, j + 1, q] * b) * a


@nb.njit(**INNER)
def _lumps(bank, x, y, z, number):
    """How noise thickens and thins a bank at a spot, about 1, by one of two sets of it."""
    x, y = (x - bank.offset[2 * number]) / bank.grain, (y - bank.offset[2 * number + 1]) / bank.grain
    z = 1.8 * z / bank.grain + bank.turned
    n = 0.62 * noise3(x, y, z, 21) + 0.38 * noise3(2.7 * x + 3.1, 2.7 * y, 2.7 * z, 22)
    return n


@nb.njit(**INNER)
def density(bank, mist, x, y, z):
    """Extinction [1/m] of banks at a spot, and what share of their depth lies over it as optical depth straight up."""
    i, j, a, b = _cell(bank, mist, x, y)
    if i < 0:
        return 0.0, 0.0
    thick = _of(mist, i, j, a, b, 0)
    if thick <= 0:
        return 0.0, 0.0
    foot, high, soft = _of(mist, i, j, a, b, 1), _of(mist, i, j, a, b, 2), _of(mist, i, j, a, b, 3)
    u = (z - foot) / max(high, 0.05)
    if u >= 1.25 or u < -0.5:
        return 0.0, 0.0
    n = _lumps(bank, x, y, z, 0)
    if bank.share < 1:
        n = bank.share * n + (1 - bank.share) * _lumps(bank, x, y, z, 1)
    # lumps raise and lower the top, and thin the inside
    top = 1 + 0.9 * soft * (n - 0.5)
    v = u / max(top, 0.1)
    edge = 0.06 + 0.5 * soft
    part = min(1.0, max(0.0, (1 - v) / edge))
    part *= part * (3 - 2 * part)
    part *= max(0.0, 1 + 1.4 * soft * (n - 0.5))
    return thick * part, thick * high * max(0.0, 1 - max(u, 0.0)) * 0.8


@nb.njit(**INNER)
def shade(bank, mist, sun, x, y, z):
    """What banks leave of the sun's light at a spot."""
    if bank.on < 0.5 or z > bank.high:
        return 1.0
    _, over = density(bank, mist, x, y, z)
    return np.exp(-DIMS * over / max(sun.direction[2], 0.12))


@nb.njit(**INNER)
def march(bank, mist, sun, o, d, reach, xi, pick, told):
    """Go through banks along a ray.

    Parameters
    ----------
    reach : float [m]
    xi, pick : float
        From 0 to 1: where in its step the ray is looked at, and which spot is kept.
    told : ndarray, shape (>= 3,)
        Takes the share of the sun's light and of the light from all round that the way sends on, and how far off the
        kept spot is [m].

    Returns
    -------
    float
        What is left of what lies behind.
    """
    told[0] = told[1] = told[2] = 0.0
    near, far = 0.0, min(reach, bank.far)
    for c in range(3):
        low, high = bank.least[c], bank.most[c]
        if abs(d[c]) < 1e-9:
            if o[c] < low or o[c] > high:
                return 1.0
            continue
        a, b = (low - o[c]) / d[c], (high - o[c]) / d[c]
        near, far = max(near, min(a, b)), min(far, max(a, b))
    if far <= near:
        return 1.0
    keep = 1.0
    # shorter steps near the eye, where the bank's lumps are large in the picture
    for k in range(STEPS):
        s0, s1 = (k / STEPS) ** 1.5, ((k + 1) / STEPS) ** 1.5
        t0, t1 = near + s0 * (far - near), near + s1 * (far - near)
        t = t0 + xi * (t1 - t0)
        x, y, z = o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2]
        thick, over = density(bank, mist, x, y, z)
        if thick <= 0:
            continue
        left = np.exp(-thick * (t1 - t0))
        sent = keep * (1 - left)
        lit = sent * np.exp(-DIMS * over / max(sun.direction[2], 0.12))
        told[0] += lit
        told[1] += sent
        if pick * told[0] < lit:  # kept by its share of all so far; what is left of the random number is used again
            pick = pick * told[0] / lit
            told[2] = t
        else:
            pick = (pick * told[0] - lit) / max(told[0] - lit, 1e-12)
        keep *= left
        if keep < CLOSED:
            return 0.0
    return keep
