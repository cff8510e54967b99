"""Arrays that take long to make and are the same every time, kept on disk between processes.

A kept thing is known by all it is made from, the core's sources included, so that it can never be stale; the
folder may be removed at any time.
"""

from __future__ import annotations

import hashlib
import logging
import os
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

import lumwick

log = logging.getLogger(__name__)
Arrays = dict[str, NDArray[Any]]


def folder() -> Path:
    """Where they lie: beside the compiled kernels."""
    return Path(os.environ["NUMBA_CACHE_DIR"]).parent / "kept" / lumwick.engine_digest()


def kept(what: str, key: str, make: Callable[[], Arrays]) -> Arrays:
    """The arrays of this name, from disk if they were made before.

    Parameters
    ----------
    what : str
        A word for the file's name.
    key : str
        All that ``make`` depends on, besides the core's sources.
    """
    path = folder() / f"{what}-{hashlib.sha256(key.encode()).hexdigest()[:24]}.npz"
    try:
        with np.load(path) as file:
            return {name: file[name] for name in file.files}
    except FileNotFoundError:
        pass
    except (OSError, ValueError, EOFError, zipfile.BadZipFile):
        log.warning("%s is damaged and is made again", path)
    made = make()
    part = path.with_name(f".{path.stem}.{os.getpid()}.npz")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        np.savez(part, **made)  # type: ignore[arg-type]
        os.replace(part, path)
    except OSError as error:  # a full or locked disk costs time at the next start, and nothing else
        log.warning("%s could not be kept: %s", what, error)
        part.unlink(missing_ok=True)
    return made
