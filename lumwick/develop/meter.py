"""A light meter read along a shot, and what it says as keys of the exposure.

A meter calls for the exposure at which what it reads comes out middle grey, as a grey card does that is lit as
ISO 2720's incident meters ask. How it weighs the picture is practice of the trade; what stays of a change of light is
the cameraman's to say: with none a sunset is as bright as the afternoon, with all of it it ends in the dark.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.air.bands import LUMA
from lumwick.errors import RenderError
from lumwick.lens.camera import exposure_scale

Floats = NDArray[np.float64]
METERS = ("average", "centre", "highlights", "spot")
"""Of the whole picture; of its middle; so that the brightest hundredth keeps its drawing; of a picked point."""
GREY = 0.18
HIGHEST = 2.4
"""Stops over middle grey at which the brightest parts are still drawn (practice)."""
BRIGHTEST = 0.99
SPOT = 0.035
"""Radius of a picked point, of the picture's width."""
DARKEST = 3.0
"""Stops by which the picture is let darken at the very most, so that it does not end black."""
CLOSE = 0.06
"""Stops within which keys follow what was read."""
EV_RANGE = (-8.0, 22.0)


def _weights(shape: tuple[int, int], meter: str, spot: tuple[float, float]) -> Floats:
    h, w = shape
    y, x = np.mgrid[0:h, 0:w]
    u, v = (x + 0.5) / w, (y + 0.5) / h
    if meter == "average":
        return np.ones(shape)
    at, wide = ((0.5, 0.5), 0.18) if meter == "centre" else (spot, SPOT)
    away = (u - at[0]) ** 2 + ((v - at[1]) * h / w) ** 2
    if meter == "centre":
        return np.asarray(np.exp(-0.5 * away / wide**2))
    inside = away <= max(wide, 0.75 / w) ** 2
    return np.asarray(inside if inside.any() else away == away.min(), float)


def metered(light: NDArray[Any], meter: str = "average", spot: tuple[float, float] = (0.5, 0.5)) -> float:
    """Exposure [EV at ISO 100] that a meter asks for.

    Parameters
    ----------
    light : ndarray, shape (height, width, 3) [cd/m2]
    meter : str
        One of `METERS`.
    spot : tuple of float
        The picked point, as shares of the picture's width and height.

    Raises
    ------
    RenderError
        There is no such meter, or there is no light at all.
    """
    if meter not in METERS:
        raise RenderError(f"There is no meter {meter!r}: choose one of {', '.join(METERS)}.")
    lum = np.asarray(light, float) @ LUMA
    if not np.isfinite(lum).all() or lum.max() <= 0:
        raise RenderError("There is nothing to meter: the picture has no light at all.")
    if meter == "highlights":
        read = float(np.quantile(lum, BRIGHTEST)) / 2.0**HIGHEST
    else:
        weight = _weights(lum.shape, meter, spot)
        # a meter sees light, an eye its ratios: in the middle between the two means (practice)
        even = float(np.average(lum, weights=weight))
        floor = even * 2.0**-8
        ratios = float(np.exp(np.average(np.log(np.maximum(lum, floor)), weights=weight)))
        read = float(np.sqrt(even * ratios)) if meter != "spot" else even
    return float(np.clip(np.log2(max(read, 1e-12) * exposure_scale(0.0) / GREY), *EV_RANGE))


def followed(times: Floats, read: Floats, stays: float, smooth: float, loop: float | None = None) -> Floats:
    """Exposures [EV] that follow what a meter read, shape (n,).

    Parameters
    ----------
    times : ndarray, shape (n,) [s]
        Evenly spaced.
    read : ndarray, shape (n,) [EV]
    stays : float
        Share of the change that stays in the picture, 0 to 1, told from where it is brightest; of what it would darken
        by, no more than `DARKEST` stops stay.
    smooth : float [s]
        Over which the camera's hand follows (standard deviation).
    loop : float [s]
        Length of a clip that closes.
    """
    read = np.asarray(read, float)
    if len(times) > 1 and smooth > 0:
        step = float(times[1] - times[0])
        if loop:
            ring = read[:-1] if abs(times[-1] - times[0] - loop) < 1e-6 else read
            even = ndimage.gaussian_filter1d(ring, smooth / step, mode="wrap")
            read = np.append(even, even[0]) if len(ring) < len(read) else even
        else:
            read = ndimage.gaussian_filter1d(read, smooth / step, mode="nearest")
    darker = (read.max() - read) * min(max(stays, 0.0), 1.0)
    kept = DARKEST * -np.expm1(-darker / DARKEST)
    return np.asarray(np.clip(read + kept, *EV_RANGE))


def as_keys(times: Floats, values: Floats, close: float = CLOSE) -> list[tuple[float, float]]:
    """As few of the moments as keep straight lines between them within ``close`` of all.

    References
    ----------
    Douglas and Peucker, Algorithms for the reduction of the number of points (1973), by height alone.
    """
    if len(times) == 1 or float(np.ptp(values)) < close:
        return [(float(times[0]), float(values.mean()))]
    kept, open_ = {0, len(times) - 1}, [(0, len(times) - 1)]
    while open_:
        a, b = open_.pop()
        if b - a < 2:
            continue
        line = np.interp(times[a : b + 1], [times[a], times[b]], [values[a], values[b]])
        off = np.abs(values[a : b + 1] - line)
        worst = int(off.argmax())
        if off[worst] > close:
            kept.add(a + worst)
            open_ += [(a, a + worst), (a + worst, b)]
    return [(float(times[k]), float(values[k])) for k in sorted(kept)]


def exposure_edit(shot_id: str, name: str, keys: Sequence[tuple[float, float]]) -> dict[str, Any]:
    """The edit that gives a shot these exposures [s, EV]: a fixed one if there is but one."""
    told: Any = round(keys[0][1], 2)
    if len(keys) > 1:
        told = {"keys": [{"t": round(t, 4), "v": round(v, 3), "join": "straight"} for t, v in keys]}
    return {
        "op": "several",
        "edits": [{"op": "set", "path": f"/shots/{shot_id}/exposure/ev100", "value": told}],
        "label": f"{name}: exposure as metered",
    }


@dataclass(frozen=True)
class Tones:
    """How a developed picture's tones lie: the share of pixels in each of 64 steps of red, green, blue and brightness
    (4, 64), and the shares that are cut off at white and lost in black."""

    shares: Floats
    white: float
    black: float


WHITE, BLACK = 254, 1
"""Codes at which a picture is cut off."""


def tones(pixels: NDArray[np.uint8]) -> Tones:
    """Tones of a picture (height, width, 3)."""
    bright = np.round(pixels.astype(float) @ LUMA)
    told = [*np.moveaxis(pixels, -1, 0), bright]
    shares = np.array([np.histogram(one, 64, (0, 256))[0] / bright.size for one in told])
    return Tones(shares, float((pixels >= WHITE).any(-1).mean()), float((pixels <= BLACK).all(-1).mean()))


def clipped(pixels: NDArray[np.uint8]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where a picture is cut off at white, in any colour, and where it is lost in black."""
    return np.asarray((pixels >= WHITE).any(-1)), np.asarray((pixels <= BLACK).all(-1))
