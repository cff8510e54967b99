"""PLY and STL files as trimesh reads them."""

from __future__ import annotations

import io
from typing import Any

import trimesh

from lumwick.built.meshes import TRIANGLES_AT_MOST, check_amount
from lumwick.errors import PlaceError

STL_TRIANGLE = 50
"""Bytes of a triangle in a binary STL."""


def meshes_of(data: bytes, name: str, suffix: str) -> list[Any]:
    """The meshes of a file.

    Raises
    ------
    PlaceError
        It is damaged, has no triangles, or too many.
    """
    if suffix == ".stl" and len(data) > STL_TRIANGLE * TRIANGLES_AT_MOST * 6:
        check_amount(name, len(data) // STL_TRIANGLE)
    damaged = PlaceError(f"{name} cannot be read as a model: the file is damaged, or not what its ending says.")
    try:
        _check_header(data, suffix)
        scene = trimesh.load_scene(io.BytesIO(data), file_type=suffix[1:], resolver=None, process=False)
        found = scene.dump() if hasattr(scene, "dump") else [scene]
    except Exception as error:  # the reader has many ways to fail on a damaged file
        raise damaged from error
    meshes = [m for m in found if isinstance(m, trimesh.Trimesh) and len(m.faces)]
    check_amount(name, sum(len(m.faces) for m in meshes))
    return meshes


def _check_header(data: bytes, suffix: str) -> None:
    """Refuse a PLY that says it holds more than its bytes could.

    Raises
    ------
    ValueError
    """
    if suffix != ".ply":
        return
    head, found, _ = data[:65536].partition(b"end_header")
    if not found:
        raise ValueError("it has no heading")
    for line in head.splitlines():
        words = line.split()
        if words[:1] == [b"element"] and not 0 <= int(words[2]) <= len(data):
            raise ValueError("it says that it holds more than it could")
