"""What a camera sees at the middle of each pixel, by the one lens law: for motion vectors and skylines."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import MASK_CLEAR, MASK_CUT, MASK_WATER, NO_HIT, SEEN, rtcIntersect1
from lumwick.trace.integrator.camera_ray import on_sensor
from lumwick.trace.sampling import ROWS


@nb.njit(**ROWS)
def first_of_rows(scene, view, rays, start, where, found):
    """Instance and primitive (-1 for none) and u, v, distance at the middle of each pixel, of what lies further off
    than its ``start``; ``rays`` has a row of words for each of the picture's."""
    for y in nb.prange(found.shape[0]):
        buf = rays[y]
        f = buf.view(np.float32)
        for x in range(found.shape[1]):
            sx, sy = on_sensor(view, x + 0.5, y + 0.5, 1)
            for c in range(3):
                f[c] = view.origin[c]
                f[4 + c] = view.forward[c] + sx * view.right[c] + sy * view.up[c]
            f[3], f[7], f[8] = start[y, x], 0.0, 1e9
            buf[9], buf[10], buf[11] = SEEN | MASK_WATER | MASK_CUT | MASK_CLEAR, 0, 0
            buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT
            rtcIntersect1(scene, buf.ctypes.data, 0)
            if buf[18] == NO_HIT:
                where[y, x, 0] = -1
            else:
                where[y, x, 0], where[y, x, 1] = buf[19], buf[17]
                found[y, x, 0], found[y, x, 1], found[y, x, 2] = f[15], f[16], f[8]
