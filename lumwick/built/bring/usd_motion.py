"""How a USD model moves: its parts' vertices at its times."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from lumwick.built.meshes import MeshPart


class Reader(Protocol):
    """Who reads a stage at a time."""

    def turn_to(self, code: float) -> None:
        """Read what follows at a time code."""

    def parts(self, name: str) -> list[MeshPart]:
        """The model's parts then."""


MOTION_NUMBERS_AT_MOST = 30_000_000
"""Numbers that a model's motion may hold."""
SAMPLES_AT_MOST = 240
STILL = 1e-6


def bake_skins(stage: Any) -> None:
    """Turn what joints move into meshes that move."""
    from pxr import Usd, UsdSkel

    roots = [prim for prim in stage.Traverse() if prim.IsA(UsdSkel.Root)]
    for root in roots:
        UsdSkel.BakeSkinning(Usd.PrimRange(root))


def moves(
    stage: Any, reader: Reader, parts: list[MeshPart], name: str, notes: list[str]
) -> tuple[NDArray[np.float64], list[list[NDArray[np.float32]]]]:
    """A stage's times [s] and its parts' vertices at each; nothing if it stands still."""
    still: tuple[NDArray[np.float64], list[list[NDArray[np.float32]]]] = (np.zeros(0), [])
    if not stage.HasAuthoredTimeCodeRange():
        return still
    start, end = float(stage.GetStartTimeCode()), float(stage.GetEndTimeCode())
    rate = float(stage.GetTimeCodesPerSecond()) or 24.0
    points = sum(len(p.vertices) for p in parts)
    if end <= start or not points:
        return still
    whole = int(np.ceil(end - start)) + 1
    n = max(2, min(whole, SAMPLES_AT_MOST, MOTION_NUMBERS_AT_MOST // (3 * points)))
    codes = np.linspace(start, end, n)
    first = _vertices(reader, codes[n // 2], parts, name)
    last = _vertices(reader, codes[-1], parts, name)
    if first is None or last is None:
        notes.append("its corners change while it moves, so it stands still")
        return still
    if all(np.abs(a - p.vertices).max() < STILL for some in (first, last) for a, p in zip(some, parts, strict=True)):
        return still
    if n < whole:
        notes.append(f"its motion is kept at {n} of {whole} frames")
    each = [_vertices(reader, code, parts, name) for code in codes]
    if any(one is None for one in each):
        notes.append("its corners change while it moves, so it stands still")
        return still
    moved = [[one[k] for one in each if one is not None] for k in range(len(parts))]
    return (codes - start) / rate, moved


def _vertices(reader: Reader, code: float, parts: list[MeshPart], name: str) -> list[NDArray[np.float32]] | None:
    """The parts' vertices at a time code; None if they are not the same as before."""
    reader.turn_to(code)
    now = reader.parts(name)
    same = len(now) == len(parts) and all(
        len(a.vertices) == len(b.vertices) and np.array_equal(a.triangles, b.triangles)
        for a, b in zip(now, parts, strict=False)
    )
    return [p.vertices for p in now] if same else None
