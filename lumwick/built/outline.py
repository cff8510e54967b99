"""What a model looks like from above or from its front, as filled outlines."""

from __future__ import annotations

import contourpy
import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from lumwick.built.meshes import Mesh

CELLS = 240
"""Cells along an outline's longer side."""
DRAWN_AT_MOST = 300_000
"""Triangles that are drawn one by one: the largest; of the others their corners."""
SPECK = 4.0
"""Cells that a ring must hold to be drawn: less are gaps between triangles' rounded edges."""
ABOVE, FRONT = (0, 1), (0, 2)
"""Which axes are seen: east and north, or east and up."""


def outline(mesh: Mesh, axes: tuple[int, int] = ABOVE) -> list[list[tuple[float, float]]]:
    """Rings of a model's silhouette in its own metres, holes among them (to be filled by the even-odd rule)."""
    every = np.concatenate([p.vertices[:, axes] for p in mesh.parts]).astype(float)
    low, high = every.min(0), every.max(0)
    cell = float(max((high - low).max(), 1e-6)) / CELLS
    wide, tall = (int(n) + 5 for n in np.ceil((high - low) / cell))
    to = (every - low) / cell + 2
    image = Image.new("L", (wide, tall), 0)
    pen, start = ImageDraw.Draw(image), 0
    corners = []
    for part in mesh.parts:
        corners.append(to[start + part.triangles.astype(np.int64)])
        start += len(part.vertices)
    drawn = np.concatenate(corners)
    if len(drawn) > DRAWN_AT_MOST:
        a, b = drawn[:, 1] - drawn[:, 0], drawn[:, 2] - drawn[:, 0]
        area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        drawn = drawn[np.argpartition(area, -DRAWN_AT_MOST)[-DRAWN_AT_MOST:]]
    for triangle in drawn.reshape(-1, 6).tolist():
        pen.polygon(triangle, fill=255, outline=255)
    filled = np.array(image)
    i = np.clip(to.round().astype(int), 0, np.array([wide, tall]) - 1)
    filled[i[:, 1], i[:, 0]] = 255
    return _rings(filled, low, cell)


def _rings(filled: NDArray[np.uint8], low: NDArray[np.float64], cell: float) -> list[list[tuple[float, float]]]:
    rings = []
    for line in contourpy.contour_generator(z=filled.astype(float)).lines(127.5):
        kept = shapely.simplify(shapely.LinearRing(line), 0.7)
        if shapely.area(shapely.Polygon(kept)) > SPECK:
            at = (shapely.get_coordinates(kept) - 2) * cell + low
            rings.append([(round(float(x), 4), round(float(y), 4)) for x, y in at])
    return rings
