"""glTF 2.0 as it is written: its JSON, its buffers, and arrays out of them.

References
----------
Khronos Group, glTF 2.0 specification (ISO/IEC 12113:2022).
"""

from __future__ import annotations

import base64
import json
import struct
import zlib
from collections.abc import Callable
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import PlaceError

KINDS: dict[int, type[np.generic]] = {
    5120: np.int8,
    5121: np.uint8,
    5122: np.int16,
    5123: np.uint16,
    5125: np.uint32,
    5126: np.float32,
}
"""Component types by their numbers."""
COUNTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
MESHOPT = ("EXT_meshopt_compression", "KHR_meshopt_compression")
DRACO = "KHR_draco_mesh_compression"
MISSING = {"missing": True}
"""What is noted beside a picture that stands for one that is missing."""
VERSION_1 = "This model is a glTF of version 1, which is not read: export it as glTF 2.0."
_MAGIC, _JSON, _BIN = b"glTF", 0x4E4F534A, 0x004E4942


FILE_AT_MOST = 1_500_000_000
"""Bytes of a model as it is kept."""
MESHOPT_AT_MOST, MESHOPT_TIMES = 400_000_000, 600
"""Bytes that a compressed view unpacks to at most, and times as many as it holds."""

DAMAGE = (
    ValueError,
    LookupError,
    TypeError,
    AttributeError,
    OverflowError,
    MemoryError,
    RecursionError,
    RuntimeError,
    zlib.error,
    struct.error,
)
"""How reading fails where a file is not what it says."""


class Gltf:
    """A glTF document with its buffers.

    Attributes
    ----------
    told : dict
        The JSON.
    buffers : list of bytes
    """

    def __init__(self, told: dict[str, Any], buffers: list[bytes]) -> None:
        self.told, self.buffers = told, buffers
        views = told.get("bufferViews") or []
        # an array without a view is one of zeros: it stands beside arrays that hold something, and is no longer
        held = [
            min(int(one["count"]), int(views[one["bufferView"]]["byteLength"]))
            for one in told.get("accessors") or []
            if "bufferView" in one
        ]
        draco = any("extensions" in p for mesh in told.get("meshes") or [] for p in mesh.get("primitives") or [])
        self._longest = max([1000, *held]) if not draco else 400_000_000

    def all(self, what: str) -> list[Any]:
        """One of the document's lists."""
        return self.told.get(what) or []

    def view(self, number: int) -> bytes:
        """The bytes of a buffer view."""
        one = self.all("bufferViews")[number]
        start, length = one.get("byteOffset", 0), one["byteLength"]
        data = self.buffers[one["buffer"]][start : start + length]
        if len(data) < length:
            raise ValueError("a view reaches past the end of its buffer")
        return bytes(data)

    def _rows(self, view: int | None, offset: int, count: int, kind: np.dtype[Any], wide: int) -> NDArray[Any]:
        if view is None:
            if count > self._longest:
                raise ValueError("an array of nothing is longer than any that holds something")
            return np.zeros((count, wide), kind)
        data, step = self.view(view), self.all("bufferViews")[view].get("byteStride")
        item = kind.itemsize * wide
        step = step or item
        if count and offset + (count - 1) * step + item > len(data):
            raise ValueError("an array reaches past the end of its buffer")
        if not count:
            return np.zeros((0, wide), kind)
        return np.ndarray((count, wide), kind, data, offset, (step, kind.itemsize)).copy()

    def array(self, number: int) -> NDArray[Any]:
        """An accessor's values, shape (count, components): numbers as they lie, or float32 where they are shares of the
        greatest (`normalized`).

        Raises
        ------
        ValueError, KeyError, IndexError
            It does not fit its buffers.
        """
        one = self.all("accessors")[number]
        kind, wide, count = np.dtype(KINDS[one["componentType"]]), COUNTS[one["type"]], int(one["count"])
        if count < 0 or count * wide > 100_000_000:
            raise ValueError("an array's length cannot be meant")
        values = self._rows(one.get("bufferView"), one.get("byteOffset", 0), count, kind, wide)
        if sparse := one.get("sparse"):
            n, at, put = int(sparse["count"]), sparse["indices"], sparse["values"]
            where = self._rows(
                at["bufferView"], at.get("byteOffset", 0), n, np.dtype(KINDS[at["componentType"]]), 1
            ).ravel()
            values[where] = self._rows(put["bufferView"], put.get("byteOffset", 0), n, kind, wide)
        if one.get("normalized") and kind.kind in "iu":
            return np.maximum(values / np.float32(np.iinfo(kind).max), -1).astype(np.float32)
        return values


def _chunks(data: bytes) -> tuple[bytes, bytes | None]:
    """The JSON of a document, and the buffer that a binary one carries.

    Raises
    ------
    PlaceError, ValueError
        It is of another version, or cut short.
    """
    if data[:4] != _MAGIC:
        return data, None
    if data[4:8] == b"\1\0\0\0":
        raise PlaceError(VERSION_1)
    length = int.from_bytes(data[8:12], "little")
    if length > len(data):
        raise ValueError("it is cut short")
    at, text, chunk = 12, b"", None
    while at + 8 <= length:
        size, kind = int.from_bytes(data[at : at + 4], "little"), int.from_bytes(data[at + 4 : at + 8], "little")
        body = data[at + 8 : at + 8 + size]
        if len(body) < size:
            raise ValueError("a chunk reaches past its end")
        if kind == _JSON:
            text = body
        elif kind == _BIN and chunk is None:
            chunk = body
        at += 8 + size
    return text, chunk


def opened(data: bytes, find: Callable[[str], bytes | None] = lambda _: None) -> tuple[Gltf, list[str]]:
    """A glTF document from its bytes, binary or JSON; and the names of side files that are missing.

    Parameters
    ----------
    find : callable
        Bytes of a side file by its name, or None.

    Raises
    ------
    ValueError
        It is damaged.
    """
    text, chunk = _chunks(data)
    told = json.loads(text, parse_constant=_no_number)
    if not isinstance(told, dict) or "asset" not in told:
        raise ValueError("it does not say what it is")
    if not str(told["asset"].get("version", "")).startswith("2"):
        raise PlaceError(VERSION_1)
    missing: list[str] = []
    buffers = []
    for one in told.get("buffers") or []:
        uri = one.get("uri")
        found = chunk if uri is None else from_uri(uri, find)
        if found is None and uri is None and "extensions" in one:  # stands for what is decompressed into it
            found = b""
        if found is None:
            missing.append(str(uri))
            found = b""
        buffers.append(found)
    return Gltf(told, buffers), missing


def _no_number(said: str) -> float:
    raise ValueError(f"{said} is no number of JSON's")


def from_uri(uri: str, find: Callable[[str], bytes | None]) -> bytes | None:
    """What an address inside a document stands for: data of its own, or a side file."""
    if uri.startswith("data:"):
        return base64.b64decode(uri.partition(",")[2])
    return find(uri)


def unpack_views(g: Gltf) -> None:
    """Put the bytes that compressed views stand for in their place."""
    for one in g.all("bufferViews"):
        for extension in MESHOPT:
            packed = (one.get("extensions") or {}).pop(extension, None)
            if packed is None:
                continue
            import meshopt

            start, size = packed.get("byteOffset", 0), int(packed["byteStride"])
            if not 0 < int(packed["count"]) * size <= min(MESHOPT_AT_MOST, MESHOPT_TIMES * int(packed["byteLength"])):
                raise ValueError("a compressed view's length cannot be meant")
            held = g.buffers[packed["buffer"]][start : start + packed["byteLength"]]
            data = meshopt.decode_gltf_buffer(
                held, int(packed["count"]), size, packed["mode"], packed.get("filter", "NONE")
            )
            if packed["mode"] != "ATTRIBUTES":
                data = data.astype(np.uint16 if size == 2 else np.uint32)
            g.buffers.append(np.ascontiguousarray(data).tobytes())
            one |= {"buffer": len(g.buffers) - 1, "byteOffset": 0, "byteLength": len(g.buffers[-1])}
            one.pop("byteStride", None)
            if packed["mode"] == "ATTRIBUTES":
                one["byteStride"] = size


def from_draco(data: bytes, names: dict[str, int]) -> tuple[dict[str, NDArray[Any]], NDArray[Any]]:
    """Attributes by name, and triangles, of a mesh compressed by Draco."""
    import DracoPy

    try:
        mesh = DracoPy.decode(data)
    except Exception as error:  # of its own kinds, one of them no error of Python's
        raise ValueError("what is compressed in it is damaged") from error
    held = {one["unique_id"]: np.asarray(one["data"]) for one in mesh.attributes}
    out = {name: held[number].reshape(len(mesh.points), -1) for name, number in names.items() if number in held}
    return out, np.asarray(mesh.faces)


def primitive(g: Gltf, one: dict[str, Any]) -> tuple[dict[str, NDArray[Any]], NDArray[Any] | None]:
    """Attributes of a primitive by their names, as they lie, and its indices, shape (n,), if it has any."""
    packed = (one.get("extensions") or {}).get(DRACO)
    if packed is not None:
        attributes, faces = from_draco(g.view(packed["bufferView"]), packed["attributes"])
        return attributes, faces.ravel()
    attributes = {name: g.array(at) for name, at in one["attributes"].items() if not name.startswith("_")}
    return attributes, g.array(one["indices"]).ravel() if "indices" in one else None


class Writer:
    """Puts a binary glTF together."""

    def __init__(self) -> None:
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self._body = bytearray()

    def view(self, data: bytes) -> int:
        """Add bytes; returns the number of their view.

        Raises
        ------
        PlaceError
            It has become too large.
        """
        if len(self._body) + len(data) > FILE_AT_MOST:
            raise PlaceError(f"It would come to more than {FILE_AT_MOST / 1e6:,.0f} MB: reduce it first.")
        self._body += b"\0" * (-len(self._body) % 4)
        self.views.append({"buffer": 0, "byteOffset": len(self._body), "byteLength": len(data)})
        self._body += data
        return len(self.views) - 1

    def array(self, values: NDArray[Any], kind: str, bounds: bool = False) -> int:
        """Add an array, shape (count, components); returns the number of its accessor."""
        number = next(k for k, dtype in KINDS.items() if dtype == values.dtype)
        flat = values.reshape(len(values), -1)
        made = {
            "bufferView": self.view(np.ascontiguousarray(flat).tobytes()),
            "componentType": number,
            "count": len(values),
            "type": kind,
        }
        if bounds and len(values):
            made |= {"min": flat.min(0).tolist(), "max": flat.max(0).tolist()}
        self.accessors.append(made)
        return len(self.accessors) - 1

    def file(self, told: dict[str, Any]) -> bytes:
        """The file, with what else is told in it."""
        self._body += b"\0" * (-len(self._body) % 4)
        whole = {
            **told,
            "buffers": [{"byteLength": len(self._body)}],
            "bufferViews": self.views,
            "accessors": self.accessors,
        }
        for empty in [name for name, value in whole.items() if isinstance(value, list) and not value]:
            del whole[empty]
        if not self._body:
            whole.pop("buffers", None)
        text = json.dumps(whole, separators=(",", ":"), allow_nan=False).encode()
        text += b" " * (-len(text) % 4)
        body = memoryview(self._body)
        chunks: list[bytes | memoryview] = [_head(_JSON, text), text]
        if body:
            chunks += [_head(_BIN, body), body]
        length = 12 + sum(map(len, chunks))
        return b"".join([_MAGIC, (2).to_bytes(4, "little"), length.to_bytes(4, "little"), *chunks])


def _head(kind: int, body: bytes | memoryview) -> bytes:
    """What stands before a chunk."""
    return len(body).to_bytes(4, "little") + kind.to_bytes(4, "little")


def damaged(name: str) -> PlaceError:
    """What is said of a model that cannot be read."""
    return PlaceError(f"{name} cannot be read as a model: the file is damaged, or not what its ending says.")


def refuse_missing(name: str, missing: list[str]) -> None:
    """Say which files that hold a model's mesh are missing, if any.

    Raises
    ------
    PlaceError
    """
    if missing:
        names = ", ".join(PurePosixPath(unquote(uri)).name for uri in missing)
        raise PlaceError(f"{name} keeps its mesh in {names}: bring that file too, or export it as one .glb.")
