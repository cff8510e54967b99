"""Arrays that take long to make and are the same every time, kept on disk between processes.

A kept thing is known by all it is made from, the core's sources included, so that it can never be stale. What
was not used for longest goes when the folder has grown too large; the folder may be removed at any time. The files
are pickles with a checksum (a place's hundred forms load in 0.15 s, from archives of arrays in 0.5 s); they lie
beside the compiled kernels, which are no less trusted.
"""

from __future__ import annotations

import hashlib
import logging
import os
import pickle
import time
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

import lumwick

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
        data = path.read_bytes()
        if zlib.crc32(data[4:]) == int.from_bytes(data[:4], "little"):
            os.utime(path)
            return dict(pickle.loads(data[4:]))
        log.warning("%s is damaged and is made again", path)
    except FileNotFoundError:
        pass
    except OSError as error:
        log.warning("%s cannot be read and is made again: %s", path, error)
    made = make()
    part = path.with_name(f".{path.stem}.{os.getpid()}.kept")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        data = pickle.dumps(made, protocol=5)
        part.write_bytes(zlib.crc32(data).to_bytes(4, "little") + data)
        os.replace(part, path)
        _now_and_then(path.parent.parent)
    except OSError as error:  # a full or locked disk costs time at the next start, and nothing else
        log.warning("%s could not be kept: %s", what, error)
        part.unlink(missing_ok=True)
    return made


LOOKED_EVERY = 60.0
"""Seconds between two looks at how much room kept things take."""
_LOOKED: dict[Path, float] = {}


def _now_and_then(root: Path) -> None:
    """Make room, if that was not looked at just now: counting thousands of files takes a tenth of a second."""
    now = time.monotonic()
    if now - _LOOKED.get(root, -LOOKED_EVERY) >= LOOKED_EVERY:
        _LOOKED[root] = now
        make_room(root)


def make_room(root: Path, most: int = ROOM) -> None:
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
