"""What rain falls on first: heights over a map, along the way that it falls."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import MASK_CLEAR, MASK_SOLID, NO_HIT, rtcIntersect1
from lumwick.trace.sampling import ROWS

FROM = 400.0
"""Height over the map's own level from which rain is followed down [m]."""


@nb.njit(**ROWS)
def falls_on(scene, rays, west, south, spacing, slant, level, out):
    """Height [m] of what rain falls on first; ``out`` (rows, columns) is by where its way meets the datum.

    Plants keep no rain off; what is not met lies very low.
    """
    long = np.sqrt(1 + slant[0] ** 2 + slant[1] ** 2)
    for i in nb.prange(out.shape[0]):
        buf = rays[i]
        f = buf.view(np.float32)
        for j in range(out.shape[1]):
            top = level + FROM
            f[0] = west + (j + 0.5) * spacing - slant[0] * top
            f[1] = south + (i + 0.5) * spacing - slant[1] * top
            f[2] = top
            f[3], f[7], f[8] = 0.0, 0.0, 1e9
            f[4], f[5], f[6] = slant[0] / long, slant[1] / long, -1 / long
            buf[9], buf[10], buf[11] = MASK_SOLID | MASK_CLEAR, 0, 0
            buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT
            rtcIntersect1(scene, buf.ctypes.data, 0)
            out[i, j] = -1e9 if buf[18] == NO_HIT else top - f[8] / long
