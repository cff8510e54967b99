"""Quick sines for kernels."""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

QUICK: dict[str, Any] = {
    "fastmath": {"contract", "arcp", "afn", "reassoc", "nsz"},
    "error_model": "numpy",
    "_nrt": False,
}


@nb.njit(**QUICK)
def turn(v):
    """Cosine and sine of ``v`` turns, for ``v`` in [0, 1), to 4e-7 (their series, within an eighth of a turn).

    It chooses by numbers and not by branches, so that loops over it become vector code.
    """
    k = np.floor(4 * v + 0.5)
    a = 2 * np.pi * (v - 0.25 * k)
    b = a * a
    s = a * (1 - b / 6 * (1 - b / 20 * (1 - b / 42)))
    c = 1 - b / 2 * (1 - b / 12 * (1 - b / 30 * (1 - b / 56)))
    odd = k - 2 * np.floor(0.5 * k)
    cos, sin = c + odd * (s - c), s + odd * (c - s)
    left, under = abs(k - 1.5) < 1, abs(k - 2.5) < 1
    return (-cos if left else cos), (-sin if under else sin)
