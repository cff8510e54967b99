"""Files of models as trimesh reads them, with the files that they refer to."""

from __future__ import annotations

import io
from pathlib import PurePosixPath
from typing import Any

import trimesh

from lumwick.built.meshes import beside_file, check_amount
from lumwick.errors import PlaceError


class _Beside(trimesh.resolvers.Resolver):
    """Files that a model refers to, for trimesh; those that are missing are noted."""

    def __init__(self, files: dict[str, bytes], notes: list[str]) -> None:
        self.files, self.notes = files, notes

    def get(self, key: str) -> bytes:
        found = beside_file(self.files, key)
        if found is None:
            self.notes.append(f"{PurePosixPath(key).name}, which it refers to, is missing and was left out")
            raise FileNotFoundError(key)
        return found

    def write(self, name: str, data: bytes) -> None:
        raise NotImplementedError

    def namespaced(self, namespace: str) -> _Beside:
        return self

    def keys(self) -> Any:
        return self.files.keys()


def meshes_of(data: bytes, name: str, suffix: str, files: dict[str, bytes], notes: list[str]) -> list[Any]:
    """The meshes of a file, placed as its nodes say.

    Parameters
    ----------
    files : dict of str to bytes
        Files that it may refer to, by name.
    notes : list of str
        Those that are missing are added to it, in words.

    Raises
    ------
    PlaceError
        It is damaged, has no triangles, or too many.
    """
    try:
        scene = trimesh.load_scene(
            io.BytesIO(data), file_type=suffix[1:], resolver=_Beside(files, notes), process=False
        )
        found = scene.dump() if hasattr(scene, "dump") else [scene]
    except Exception as error:  # the reader has many ways to fail on a damaged file
        words = "the file is damaged, or not what its ending says"
        raise PlaceError(f"{name} cannot be read as a model: {words}.") from error
    meshes = [m for m in found if isinstance(m, trimesh.Trimesh) and len(m.faces)]
    check_amount(name, sum(len(m.faces) for m in meshes))
    return meshes
