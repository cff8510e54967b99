"""Far ridges of hills and mountains: a strip of ground at its true distance, so that it moves as it should when the
camera does, stands behind the haze that lies before it and keeps a low sun off.

References
----------
Musgrave, Kolb and Mace, The synthesis and rendering of eroded fractal terrains, SIGGRAPH 1989, and Musgrave's ridged
multifractal (Texturing and Modeling, 2nd ed., 1998): each finer ridge counts where the coarser one is high. The earth's
bend with the usual refraction of light near the ground, 7/6 of its radius: common practice of surveyors.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.ground import grid_quads
from lumwick.place.nature import Ridge

Floats = NDArray[np.float64]
EARTH = 6_371_000.0 * 7 / 6
"""The earth's radius [m] as light near the ground sees it."""
STEP, LEAST, MOST = 0.08, 48, 4500
"""Degrees between two columns of a ridge, and how few and how many of them there are."""
ROWS = 34
NEAR_FOOT = 12_000.0
"""The plain before a ridge begins no farther off than this [m]: where the land about the survey still goes on."""
OCTAVES, FINER = 8, 0.5
ENDS = 0.22
"""Share of its width over which each end runs out into the plain."""


def drop(away: Floats) -> Floats:
    """By how much what lies so far off [m] sinks behind the bend of the earth [m]."""
    return np.asarray(away * away / (2 * EARTH))


def spurs(ridge: Ridge) -> float:
    """Width of one of its spurs [m]: as it is told, or by its height."""
    return ridge.forms if ridge.forms > 0 else float(np.clip(2.2 * ridge.height, 60, 6000))


def ridge_mesh(
    ridge: Ridge, middle: tuple[float, float], foot: float, north: float
) -> tuple[Floats, NDArray[np.uint32]]:
    """A ridge's ground, from the plain before it to its back.

    Parameters
    ----------
    middle : tuple of float [m]
        Where its distance is told from: east and north.
    foot : float [m]
        Height of the plain about it.
    north : float [degrees]
        From the model's north to true north, clockwise.

    Returns
    -------
    vertices : ndarray, shape (n, 3) [m]
    quads : ndarray of uint32, shape (m, 4)
    """
    columns = int(np.clip(round(ridge.width / STEP), LEAST, MOST))
    front = float(min(0.8 * ridge.away, max(1.8 * ridge.height, 0.22 * ridge.away)))
    along = np.linspace(-1.0, 0.6, ROWS)
    far = ridge.away + front * along
    round_it = ridge.width >= 359.9
    share = np.linspace(0.0, 1.0, columns, endpoint=not round_it)
    rises = ridge.height * _profile(along)[:, None] * _form(ridge, far, columns, round_it)
    if not round_it:
        rises *= _smooth(np.minimum(share, 1 - share) / ENDS)[None]
    rises *= ridge.height / max(float(rises.max()), 1e-6)
    begins = min(NEAR_FOOT, 0.98 * float(far[0]))
    far = np.concatenate([[begins], far])
    rises = np.concatenate([np.zeros((1, columns)), rises])
    bearing = np.radians(ridge.bearing + north + (share - 0.5) * ridge.width)
    if round_it:  # it closes on its first column
        bearing, rises = np.append(bearing, bearing[0]), np.column_stack([rises, rises[:, 0]])
    east, north_ = middle[0] + far[:, None] * np.sin(bearing), middle[1] + far[:, None] * np.cos(bearing)
    up = foot + rises - drop(far)[:, None]
    vertices = np.stack([east, north_, up], -1)
    return vertices.reshape(-1, 3), grid_quads(*vertices.shape[:2])


def _smooth(x: Floats) -> Floats:
    s = np.clip(x, 0, 1)
    return np.asarray(s * s * (3 - 2 * s))


def _profile(along: Floats) -> Floats:
    """How high the ground of a ridge is across it: from its front, -1, over its crest, 0, down its back."""
    return _smooth(np.where(along < 0, 1 + along, 1 - along / 0.8)) ** 0.8


def _form(ridge: Ridge, far: Floats, columns: int, round_it: bool) -> Floats:
    """Its summits, saddles and spurs, from 0 to 1, shape (rows, columns)."""
    rng = np.random.default_rng(ridge.seed)
    size, step = spurs(ridge), (np.ptp(far) / (len(far) - 1), ridge.away * np.radians(ridge.width) / columns)
    mode = ("nearest", "wrap" if round_it else "nearest")
    total, weight, amount = np.zeros((len(far), columns)), np.ones((len(far), columns)), 1.0
    back = np.zeros_like(total)
    for octave in range(OCTAVES):
        # drawn before it is known whether it is fine enough to matter: a wider ridge keeps its first summits
        noise = rng.standard_normal((len(far), columns))
        wide = size * FINER**octave
        if wide < 1.5 * step[1]:
            break
        noise = ndimage.gaussian_filter(noise, (0.5 * wide / step[0], 0.5 * wide / step[1]), mode=mode)
        noise /= max(float(noise.std()), 1e-9)
        ridged = (1 - np.minimum(np.abs(noise) / 1.7, 1.0)) ** 2
        total += amount * weight * ridged
        weight, amount = np.clip(1.7 * ridged, 0, 1), amount * 0.52
        if octave < 3:
            back += 0.5**octave * noise
    rough, smooth = _spread(total), _spread(back)
    form = ridge.peaked * rough + (1 - ridge.peaked) * smooth
    low = 0.62 - 0.4 * ridge.peaked
    return np.asarray(low + (1 - low) * form)


def _spread(values: Floats) -> Floats:
    """Values from 0 to 1, the few outermost cut off."""
    low, high = np.quantile(values, (0.01, 0.99))
    return np.asarray(np.clip((values - low) / max(float(high - low), 1e-9), 0, 1.15))
