"""Arrays that take long to make and are the same every time, kept on disk between processes.

A kept thing is known by all it is made from, the core's sources included, so that it can never be stale. What
was not used for longest goes when the folder has grown too large; the folder may be removed at any time. The files
are plain numbers under a heading, with a checksum: reading one runs nothing.
"""

from __future__ import annotations

import hashlib
import json
import logging
import math
import os
import time
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.lib.format import dtype_to_descr
from numpy.typing import NDArray
from pydantic import BaseModel

import lumwick
from lumwick.atomic import write_bytes

log = logging.getLogger(__name__)
Arrays = dict[str, NDArray[Any]]
ROOM = 2_000_000_000
"""Bytes that kept things may take on disk."""


def folder() -> Path:
    """Where they lie: beside the compiled kernels."""
    return Path(os.environ["NUMBA_CACHE_DIR"]).parent / "kept" / lumwick.engine_digest()


def cached(what: str, key: str, make: Callable[[], Arrays]) -> Arrays:
    """The arrays of this name, from disk if they were made before.

    Parameters
    ----------
    what : str
        A word for the file's name.
    key : str
        All that ``make`` depends on, besides the core's sources.
    """
    path = folder() / f"{what}-{hashlib.sha256(key.encode()).hexdigest()[:24]}.kept"
    try:
        found = _unpacked(path.read_bytes())
        if found is not None:
            os.utime(path)
            return found
        log.warning("%s is damaged and is made again", path)
    except FileNotFoundError:
        pass
    except OSError as error:
        log.warning("%s cannot be read and is made again: %s", path, error)
    made = make()
    try:
        write_bytes(path, *_packed(made))
        _now_and_then(path.parent.parent)
    except OSError as error:  # a full or locked disk costs time at the next start, and nothing else
        log.warning("%s could not be kept: %s", what, error)
    return made


ALIGNED = 64
"""Arrays begin at multiples of so many bytes."""


def _packed(arrays: Arrays) -> list[bytes]:
    """What a file of arrays holds: a checksum, the length of a heading, the heading in JSON (of each array its name,
    its type as `numpy.lib.format` has it, its shape, and where it begins), and the arrays one after another."""
    heads, bodies, at = [], [], 0
    for name, array in arrays.items():
        if array.dtype.hasobject:
            raise TypeError(f"{name} holds objects, and only numbers are kept")
        body = array.tobytes()
        heads.append([name, dtype_to_descr(array.dtype), array.shape, at])
        fill = -len(body) % ALIGNED
        bodies += [body, bytes(fill)]
        at += len(body) + fill
    text = json.dumps(heads).encode()
    text += b" " * (-(len(text) + 8) % ALIGNED)
    check = zlib.crc32(text)
    for body in bodies:
        check = zlib.crc32(body, check)
    return [check.to_bytes(4, "little"), len(text).to_bytes(4, "little"), text, *bodies]


def _unpacked(data: bytes) -> Arrays | None:
    """The arrays of a file, or None if it is damaged."""
    length = int.from_bytes(data[4:8], "little")
    if len(data) < 8 + length or zlib.crc32(memoryview(data)[8:]) != int.from_bytes(data[:4], "little"):
        return None
    held, out = bytearray(memoryview(data)[8 + length :]), {}
    for name, descr, shape, at in json.loads(data[8 : 8 + length]):
        kind = np.dtype(descr if isinstance(descr, str) else _fields(descr))
        count = math.prod(shape)
        out[name] = np.frombuffer(held, kind, count, at).reshape(shape) if count else np.zeros(shape, kind)
    return out


def _fields(descr: list[Any]) -> Any:
    """A record's description, from JSON's lists back to tuples."""
    return [
        (name, kind if isinstance(kind, str) else _fields(kind), *(tuple(s) for s in shape))
        for name, kind, *shape in descr
    ]


LOOKED_EVERY = 60.0
"""Seconds between two looks at how much room kept things take."""
_LOOKED: dict[Path, float] = {}


def _now_and_then(root: Path) -> None:
    """Make room, if that was not looked at just now: counting thousands of files takes a tenth of a second."""
    now = time.monotonic()
    if now - _LOOKED.get(root, -LOOKED_EVERY) >= LOOKED_EVERY:
        _LOOKED[root] = now
        evict(root)


def evict(root: Path, most: int = ROOM) -> None:
    """Remove what was not used for longest until no more than ``most`` bytes lie in a folder."""
    files = []
    for path in root.glob("*/*.kept"):
        try:
            files.append((path.stat().st_mtime, path.stat().st_size, path))
        except FileNotFoundError:  # another process made room
            continue
    over = sum(size for _, size, _ in files) - most
    for _, size, path in sorted(files):
        if over <= 0:
            break
        path.unlink(missing_ok=True)
        over -= size
        try:
            path.parent.rmdir()
        except OSError:  # not empty yet
            continue


def digest(*things: Any) -> str:
    """A hash of documents and plain values, for knowing whether something must be made again."""
    h = hashlib.sha256()
    for thing in things:
        if isinstance(thing, BaseModel):
            h.update(thing.model_dump_json().encode())
        elif isinstance(thing, np.ndarray):
            h.update(thing.tobytes())
        elif isinstance(thing, list):
            h.update(digest(*thing).encode())
        else:
            h.update(repr(thing).encode())
        h.update(b"|")
    return h.hexdigest()
