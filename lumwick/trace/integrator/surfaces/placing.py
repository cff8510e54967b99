"""Between a placement's own frame and the place's, for kernels; placements are 3x4, column by column."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER


@nb.njit(**INNER)
def unit(v):
    """Bring a vector to unit length."""
    q = 1 / max(1e-20, np.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]))
    v[0], v[1], v[2] = v[0] * q, v[1] * q, v[2] * q


@nb.njit(**INNER)
def to_local(m, position, out):
    """A point in a placement's own frame (the inverse of its matrix)."""
    dx, dy, dz = position[0] - m[9], position[1] - m[10], position[2] - m[11]
    a, b, c = m[4] * m[8] - m[5] * m[7], m[5] * m[6] - m[3] * m[8], m[3] * m[7] - m[4] * m[6]
    q = 1 / (m[0] * a + m[1] * b + m[2] * c)
    out[0] = q * (a * dx + b * dy + c * dz)
    out[1] = q * (
        (m[7] * m[2] - m[8] * m[1]) * dx + (m[8] * m[0] - m[6] * m[2]) * dy + (m[6] * m[1] - m[7] * m[0]) * dz
    )
    out[2] = q * (
        (m[1] * m[5] - m[2] * m[4]) * dx + (m[2] * m[3] - m[0] * m[5]) * dy + (m[0] * m[4] - m[1] * m[3]) * dz
    )


@nb.njit(**INNER)
def by_cofactors(m, v):
    """Turn a normal from a placement's own frame to the place's, without bringing it to unit length."""
    x = v[0] * (m[4] * m[8] - m[5] * m[7]) + v[1] * (m[7] * m[2] - m[8] * m[1]) + v[2] * (m[1] * m[5] - m[2] * m[4])
    y = v[0] * (m[5] * m[6] - m[3] * m[8]) + v[1] * (m[8] * m[0] - m[6] * m[2]) + v[2] * (m[2] * m[3] - m[0] * m[5])
    z = v[0] * (m[3] * m[7] - m[4] * m[6]) + v[1] * (m[6] * m[1] - m[7] * m[0]) + v[2] * (m[0] * m[4] - m[1] * m[3])
    v[0], v[1], v[2] = x, y, z


@nb.njit(**INNER)
def turned(m, v):
    """Turn a normal from a placement's own frame to the place's, at unit length."""
    by_cofactors(m, v)
    q = 1 / max(1e-30, np.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]))
    v[0], v[1], v[2] = v[0] * q, v[1] * q, v[2] * q
