"""Ground that Lumwick makes itself, for the demo and for starting without a survey."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.ground import Ground


def _noise(shape: tuple[int, int], cells: float, seed: int) -> NDArray[np.float64]:
    """Smooth noise of unit deviation; ``cells`` is its grain in grid cells."""
    field = ndimage.gaussian_filter(np.random.default_rng(seed).standard_normal(shape), cells, mode="reflect")
    return np.asarray(field / field.std())


def _smooth(x: NDArray[np.float64]) -> NDArray[np.float64]:
    x = np.clip(x, 0, 1)
    return x * x * (3 - 2 * x)


def creek_north(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """North coordinate [m] of the creek's middle at an east coordinate [m]."""
    return np.asarray(44 * np.sin(-x / 92.0) + 18 * np.sin(-x / 39.0 + 0.7) - 30)


def saltmarsh(size: int = 769, spacing: float = 1.5, seed: int = 5) -> Ground:
    """A tidal creek through saltmarsh to the sea in the west, low dunes, and rising land in the north-east.

    Parameters
    ----------
    size : int
        Grid points a side.
    spacing : float [m]
    """
    half = (size - 1) * spacing / 2
    axis = np.arange(size) * spacing - half
    x, y = np.meshgrid(axis, axis)
    broad, middle, fine = (_noise((size, size), c / spacing, seed + i) for i, c in enumerate((45, 14, 4)))
    shore = 170 + 26 * np.sin(y / 150) + 9 * np.sin(y / 51 + 1)
    d = x - shore  # seaward
    bed = -0.028 * np.clip(d, 0, None) - 0.00006 * np.clip(d, 0, None) ** 2
    beach = 2.6 * _smooth(-d / 62)
    ridge = np.exp(-(((d + 92) / 26) ** 2)) * (3.4 + 1.3 * broad + 0.8 * middle)
    back = np.exp(-(((d + 140) / 20) ** 2)) * (1.6 + 0.9 * middle)
    inland = _smooth((-d - 130) / 60)
    marsh = 1.25 + 0.12 * middle + 0.05 * fine
    land = beach * (1 - inland) + marsh * inland + np.clip(ridge, 0, None) + np.clip(back, 0, None)
    rise = _smooth((-0.55 * x + 0.83 * y - 190) / 330)
    land = land + inland * rise * (19 + 3.5 * broad + 0.9 * middle)
    south = _smooth((-0.3 * x - 0.95 * y - 330) / 260)
    land = land + inland * south * (7 + 2 * broad)
    h = np.where(d > 0, np.maximum(bed, -14.0), land) + 0.03 * fine
    h = ndimage.gaussian_filter(h, 1.2)
    away = np.abs(y - creek_north(-x)) / np.sqrt(1 + (0.48 * np.cos(x / 92)) ** 2)
    width = 6 + 8 * _smooth((x + 450) / 620) + 16 * _smooth((x - 90) / 110)
    bank = _smooth((away - width) / (7 + 10 * _smooth((x - 60) / 100)))
    floor = -1.5 + 0.9 * np.clip(away / width, 0, 1) ** 2
    carved = floor * (1 - bank) + np.maximum(h, floor) * bank
    reach = _smooth((210 - x) / 60)
    h = np.where(reach > 0, np.minimum(h, carved) * reach + h * (1 - reach), h)
    veins = np.abs(_noise((size, size), 26 / spacing, seed + 9))
    flat = inland * (1 - _smooth(rise * 8)) * (1 - _smooth(south * 8)) * _smooth((150 - away) / 60)
    h = h - flat * 0.95 * np.exp(-((veins / 0.055) ** 2))
    return Ground(np.ascontiguousarray(h[:, ::-1], np.float32), spacing, -half, -half)
