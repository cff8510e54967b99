"""The ground as a grid of heights: sampling, slopes, contours, and the mesh that is filmed."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import contourpy
import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy import ndimage

from lumwick.errors import LandError


@dataclass(frozen=True)
class Ground:
    """Heights on a square grid.

    Attributes
    ----------
    heights : ndarray of float32, shape (ny, nx) [m]
        Row 0 is the southernmost, column 0 the westernmost.
    spacing : float [m]
    west, south : float [m]
        Position of ``heights[0, 0]`` from the place's origin.
    """

    heights: NDArray[np.float32]
    spacing: float
    west: float
    south: float

    @cached_property
    def fingerprint(self) -> str:
        """A hash of all of it."""
        return hashlib.sha256(
            self.heights.tobytes() + repr((self.heights.shape, self.spacing, self.west, self.south)).encode()
        ).hexdigest()

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """West, south, east, north [m]."""
        ny, nx = self.heights.shape
        return self.west, self.south, self.west + (nx - 1) * self.spacing, self.south + (ny - 1) * self.spacing

    def height(self, x: ArrayLike, y: ArrayLike) -> NDArray[np.float64]:
        """Height [m] at points, bilinear; beyond the edge the edge's height holds."""
        col = (np.asarray(x, float) - self.west) / self.spacing
        row = (np.asarray(y, float) - self.south) / self.spacing
        return np.asarray(
            ndimage.map_coordinates(
                self.heights, [np.atleast_1d(row), np.atleast_1d(col)], order=1, mode="nearest", output=np.float64
            ).reshape(np.shape(col))
        )

    def slope(self) -> NDArray[np.float64]:
        """Slope [degrees] at each grid point."""
        dy, dx = np.gradient(self.heights.astype(float), self.spacing)
        return np.asarray(np.degrees(np.arctan(np.hypot(dx, dy))))

    def normals(self) -> NDArray[np.float32]:
        """Unit normals, shape (ny, nx, 3)."""
        dy, dx = np.gradient(self.heights.astype(float), self.spacing)
        n = np.stack([-dx, -dy, np.ones_like(dx)], axis=-1)
        return np.asarray((n / np.linalg.norm(n, axis=-1, keepdims=True)).astype(np.float32))

    def contours(self, interval: float, sigma: float = 1.0) -> list[tuple[float, NDArray[np.float64]]]:
        """Contour lines; where a part of the ground lies level at a contour's own height (a lake, a flat sea), the line
        goes round it.

        Parameters
        ----------
        interval : float [m]
        sigma : float [grid cells]
            Smoothing before drawing; 0 for none.

        Returns
        -------
        list of (height [m], ndarray shape (n, 2) [m])
        """
        z = ndimage.gaussian_filter(self.heights.astype(float), sigma) if sigma else self.heights.astype(float)
        ny, nx = z.shape
        generator = contourpy.contour_generator(
            self.west + np.arange(nx) * self.spacing, self.south + np.arange(ny) * self.spacing, z
        )
        levels = np.arange(np.ceil(z.min() / interval), np.floor(z.max() / interval) + 1) * interval
        out = []
        for level in levels:
            # through what lies level at its height a line would be drawn about each cell
            flat = np.count_nonzero(np.abs(z - level) < LEVEL_WITHIN) > LEVEL_CELLS
            drawn = float(level) + (0.02 * interval if flat else 0.0)
            out += [(float(level), np.asarray(line, float)) for line in generator.lines(drawn)]
        return out

    def contour_interval(self) -> float:
        """A round interval [m] that gives about a score of contours."""
        rise = float(np.ptp(self.heights))
        for step in (0.25, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500):
            if rise / step <= 24:
                return float(step)
        return 1000.0


LEVEL_CELLS, LEVEL_WITHIN = 64, 1e-4
"""Grid points at one height, within so much [m], from which a part of the ground lies level."""
FADES_BY = 0.45
"""Metres by which the edge's heights are smoothed along it for each metre beyond it (practice)."""


def far_ring(
    ground: Ground, sea_level: float | None, reach: float = 16000.0
) -> tuple[NDArray[np.float32], NDArray[np.uint32]]:
    """A ring of land (or sea bed) from the grid's edge to the horizon, so that no picture shows an edge.

    Returns
    -------
    vertices : ndarray of float32, shape (n, 3) [m]
    quads : ndarray of uint32, shape (m, 4)
    """
    w, s, e, n = ground.bounds
    ny, nx = ground.heights.shape
    xs, ys = w + np.arange(nx) * ground.spacing, s + np.arange(ny) * ground.spacing
    loop = np.concatenate(
        [
            np.stack([xs, np.full(nx, s)], 1),
            np.stack([np.full(ny, e), ys], 1)[1:],
            np.stack([xs[::-1], np.full(nx, n)], 1)[1:],
            np.stack([np.full(ny, w), ys[::-1]], 1)[1:-1],
        ]
    )
    edge = ground.height(loop[:, 0], loop[:, 1])
    centre = np.array([(w + e) / 2, (s + n) / 2])
    half = max(e - w, n - s) / 2
    scale = np.concatenate([[1.0], 1 + np.geomspace(0.02, reach / half, 22)])
    relief = max(6.0, 0.35 * float(np.std(ground.heights)))
    rings = []
    for i, k in enumerate(scale):
        p = centre + (loop - centre) * k
        d = (k - 1) * half
        # the edge's own ups and downs are not drawn out into ribs: they fade into broader ones as they go on
        smooth = ndimage.gaussian_filter1d(edge, (FADES_BY * d + 1e-3) / ground.spacing, mode="wrap") if i else edge
        h = smooth
        hills = relief * (
            1 + np.sin(p[:, 0] / 410 + 1.3) * np.sin(p[:, 1] / 530) + 0.6 * np.sin(p[:, 0] / 173 + p[:, 1] / 211)
        )
        lift = hills * np.clip(d / 1500, 0, 1) * (1 + d / 9000)
        if sea_level is not None:
            lift = np.where(smooth < sea_level + 0.3, -np.minimum(d * 0.01, 10.0), lift)
        rings.append(np.column_stack([p, h + lift if i else edge]))
    vertices = np.concatenate(rings).astype(np.float32)
    m = len(loop)
    j = np.arange(m)
    quads = [
        np.stack([i * m + j, (i + 1) * m + j, (i + 1) * m + (j + 1) % m, i * m + (j + 1) % m], 1)
        for i in range(len(scale) - 1)
    ]
    return vertices, np.concatenate(quads).astype(np.uint32)


def grid_quads(ny: int, nx: int, keep: NDArray[np.bool_] | None = None) -> NDArray[np.uint32]:
    """Quads of a grid of ``ny`` by ``nx`` points, optionally only those cells where ``keep`` (ny-1, nx-1) is true."""
    index = np.arange(ny * nx, dtype=np.uint32).reshape(ny, nx)
    quads = np.stack([index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]], axis=-1)
    return np.ascontiguousarray(quads[keep] if keep is not None else quads.reshape(-1, 4))


def check_heights(heights: NDArray[np.float32]) -> None:
    """Refuse a grid that is no ground.

    Raises
    ------
    LandError
        Too small, or not finite.
    """
    if heights.ndim != 2 or min(heights.shape) < 4:
        raise LandError("The elevation has fewer than 4 points a side: no ground can be made of it.")
    if not np.isfinite(heights).all():
        raise LandError("The elevation has holes in it that could not be filled.")
