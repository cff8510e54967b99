"""The current that a rising or falling tide makes in creeks: the water that fills what lies further in must pass.

References
----------
A short basin keeps nearly level, and its currents go by continuity where friction holds them back: the flow is down the
gradient of a small slope of the surface, by the square of the depth (A. Rinaldo, S. Fagherazzi, S. Lanzoni, M. Marani
and W. Dietrich, Tidal networks 2, Water Resources Research 35 (1999); the equation from memory). What is carried
through a section is the area further in by the rate at which it fills, whatever the friction (the tidal prism).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, sparse
from scipy.sparse.linalg import spsolve

Floats = NDArray[np.float64]
SHALLOWEST = 0.05
"""Depth [m] under which water counts as so deep: a film on mud takes part, and hinders."""


def filling(depth: Floats, open_sea: NDArray[np.bool_], spacing: float) -> Floats:
    """Mean velocity east and north, shape (rows, columns, 2) [m/s], for each metre a second that the water rises.

    Parameters
    ----------
    depth : ndarray, shape (rows, columns) [m]
        Of still water; nought or less on land.
    open_sea : ndarray of bool, shape (rows, columns)
        Cells from which as much comes as is wanted. Water that no such cell reaches stands still.
    spacing : float [m]
    """
    wet = depth > 0
    lakes, _ = ndimage.label(wet)
    fed = np.unique(lakes[wet & open_sea])
    inner = wet & np.isin(lakes, fed[fed > 0]) & ~open_sea
    out = np.zeros((*depth.shape, 2))
    if not inner.any():
        return out
    passes = np.where(wet, np.maximum(depth, SHALLOWEST), 0.0) ** 2
    east, north = _between(passes, inner | (wet & open_sea))
    head = _head(east, north, inner, spacing)
    # what goes through the faces of each cell, over its depth
    through_east = np.zeros((depth.shape[0], depth.shape[1] + 1))
    through_north = np.zeros((depth.shape[0] + 1, depth.shape[1]))
    through_east[:, 1:-1] = east * (head[:, :-1] - head[:, 1:]) / spacing
    through_north[1:-1] = north * (head[:-1] - head[1:]) / spacing
    deep = np.maximum(depth, SHALLOWEST)
    out[..., 0] = np.where(wet, (through_east[:, :-1] + through_east[:, 1:]) / 2 / deep, 0.0)
    out[..., 1] = np.where(wet, (through_north[:-1] + through_north[1:]) / 2 / deep, 0.0)
    return out


def _between(passes: Floats, wet: NDArray[np.bool_]) -> tuple[Floats, Floats]:
    """How easily water passes from each cell to the next one east and north: the harmonic mean, nought over land."""

    def mean(a: Floats, b: Floats, both: NDArray[np.bool_]) -> Floats:
        return np.where(both, 2 * a * b / np.maximum(a + b, 1e-12), 0.0)

    return (
        mean(passes[:, :-1], passes[:, 1:], wet[:, :-1] & wet[:, 1:]),
        mean(passes[:-1], passes[1:], wet[:-1] & wet[1:]),
    )


def _head(east: Floats, north: Floats, inner: NDArray[np.bool_], spacing: float) -> Floats:
    """The surface's small slope as a height over the open sea's, for a rise of a metre a second in every inner cell."""
    number = np.full(inner.shape, -1)
    number[inner] = np.arange(int(inner.sum()))
    count = int(inner.sum())
    diagonal = np.zeros(count)
    rows: list[NDArray[np.int64]] = []
    columns: list[NDArray[np.int64]] = []
    values: list[Floats] = []
    for ease, one, other in (
        (east, number[:, :-1], number[:, 1:]),
        (north, number[:-1], number[1:]),
    ):
        for a, b in ((one, other), (other, one)):
            here = (ease > 0) & (a >= 0)
            np.add.at(diagonal, a[here], ease[here])
            both = here & (b >= 0)
            rows.append(a[both])
            columns.append(b[both])
            values.append(-ease[both])
    rows.append(np.arange(count))
    columns.append(np.arange(count))
    values.append(diagonal)
    laid = sparse.csc_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(count, count)
    )
    head = np.zeros(inner.shape)
    # water is taken in: the head falls inwards
    head[inner] = spsolve(laid, np.full(count, -(spacing**2)))
    return head
