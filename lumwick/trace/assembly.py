"""The stage's parts as the kernel reads them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lumwick.trace import embree, records
from lumwick.trace.part import Part, boxes
from lumwick.trace.world import PLANT, Geometry


def owners(parts: Sequence[Part]) -> NDArray[np.int32]:
    """The part of each placement."""
    return np.repeat(np.arange(len(parts), dtype=np.int32), [len(p.transforms) for p in parts])


def geometry_of(parts: list[Part], top: embree.Scene, table: NDArray[np.int32], row: NDArray[np.int32]) -> Geometry:
    """What a ray may meet, for the kernel; ``table`` has the numbers of things and surfaces,
    ``row`` those of materials."""
    tones = [p.tone for p in parts if p.tone is not None]
    lengths = [0 if p.tone is None else len(p.tone) for p in parts]
    return Geometry(
        scene=int(top.handle),
        kind=np.array([p.kind for p in parts], np.int32),
        row=row,
        offset=np.cumsum([0, *lengths[:-1]]).astype(np.int64),
        cut=np.array([p.cut for p in parts], np.int64),
        thing=table,
        owner=owners(parts),
        transform=np.concatenate([p.transforms for p in parts]),
        shade=np.concatenate([p.shade for p in parts]),
        tone=np.concatenate(tones) if tones else np.ones(1, np.float32),
        pierced=boxes([p for p in parts if p.mask & (embree.MASK_CUT | embree.MASK_CLEAR)]),
    )


def materials_of(parts: list[Part]) -> tuple[NDArray[np.int32], NDArray[np.void], NDArray[np.void]]:
    """Each part's row among the materials of its kind, and the materials of surfaces and of plants."""
    row = np.zeros(len(parts), np.int32)
    materials: tuple[list[NDArray[np.void]], list[NDArray[np.void]]] = ([], [])
    for k, part in enumerate(parts):
        mine = materials[part.kind == PLANT]
        row[k] = len(mine)
        mine.append(part.material)
    surface, plant = materials
    return (
        row,
        _table(surface, records.MATERIAL),
        _table(plant, records.PLANT_MATERIAL),
    )


def _table(materials: list[NDArray[np.void]], kind: np.dtype[np.void]) -> NDArray[np.void]:
    """Records one below the other, shape (n,), at least one."""
    out = np.zeros(max(len(materials), 1), kind)
    for k, material in enumerate(materials):
        out[k] = material
    return out
