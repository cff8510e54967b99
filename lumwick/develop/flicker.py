"""How much a still scene flickers when its frames are played."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

STEADY = 0.012
"""Flicker that a still scene at study quality must stay under: a step of 3 in 255 is about what a screen shows."""


def flicker(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> float:
    """Flicker between two consecutive frames of a still scene: the mean change of brightness, as a share of white.

    Changes are averaged over 3 by 3 pixels first: single pixels that dance read as grain, patches as flicker.

    Parameters
    ----------
    a, b : ndarray of uint8, shape (height, width, 3)
        sRGB pictures.
    """
    grey = np.array([0.2126, 0.7152, 0.0722])
    change = (np.asarray(a, float) - np.asarray(b, float)) @ grey / 255.0
    return float(np.abs(ndimage.uniform_filter(change, 3, mode="reflect")).mean())
