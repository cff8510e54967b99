"""Bare Embree: the same primary and sun-shadow rays as a picture's, with no shading, as the reference."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import MASK_WATER, NO_HIT, SEEN, rtcIntersect1, rtcOccluded1
from lumwick.trace.sampling import FAST, pair


@nb.njit(parallel=True, fastmath=FAST, nogil=True)
def primary_and_sun(scene, view, sun, width, height, samples, hits):  # type: ignore[no-untyped-def]
    """Trace ``samples`` camera rays a pixel and a shadow ray from each hit; ``hits`` (height,) takes the shadow
    rays."""
    for i in nb.prange(height):
        y = 2 * i if 2 * i < height else 2 * (i - (height + 1) // 2) + 1
        room = np.zeros(48, np.uint32)
        start = (64 - (room.ctypes.data % 64)) % 64 // 4
        buf = room[start : start + 32]
        f = buf.view(np.float32)
        for x in range(width):
            for s in range(samples):
                u, v = pair(y * 65536 + x, s, 0)
                sx, sy = (2 * (x + u) / width - 1) * view.tan_x, (1 - 2 * (y + v) / height) * view.tan_y
                dx = view.forward[0] + sx * view.right[0] + sy * view.up[0]
                dy = view.forward[1] + sx * view.right[1] + sy * view.up[1]
                dz = view.forward[2] + sx * view.right[2] + sy * view.up[2]
                f[0], f[1], f[2], f[3] = view.origin[0], view.origin[1], view.origin[2], 0
                f[4], f[5], f[6], f[7], f[8] = dx, dy, dz, 0, 1e9
                buf[9], buf[10], buf[11] = SEEN | MASK_WATER, 0, 0
                buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT
                rtcIntersect1(scene, buf.ctypes.data, 0)
                if buf[18] == NO_HIT:
                    continue
                d = f[8]
                n = 1 / np.sqrt(f[12] * f[12] + f[13] * f[13] + f[14] * f[14])
                f[0], f[1], f[2], f[3] = (
                    view.origin[0] + dx * d,
                    view.origin[1] + dy * d,
                    view.origin[2] + dz * d + 0.01 * n * 0,
                    1e-2,
                )
                f[4], f[5], f[6], f[7], f[8] = sun[0], sun[1], sun[2], 0, 1e9
                buf[9] = SEEN
                rtcOccluded1(scene, buf.ctypes.data, 0)
                hits[y] += 1
