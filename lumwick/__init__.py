"""Lumwick's core: places that are pure functions of time, and pictures of them.

The way through, each arrow one function that can be called alone::

    document -> evaluate at t -> snapshot -> trace -> film -> develop -> picture -> deliver
"""

import functools
import hashlib
import os
import pathlib

__version__ = "0.1.0"


def _kernel_cache() -> str:
    """One cache of compiled kernels for all processes, named by a digest of every kernel's source.

    Numba keys its cache on one file's time stamp; a changed constant or inlined function in another file
    would go unnoticed.
    """
    root = pathlib.Path(__file__).parent
    digest = hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        text = path.read_bytes()
        if b"njit" in text:
            digest.update(text)
    base = os.environ.get("LUMWICK_CACHE") or str(root.parent / "var" / "kernels")
    return os.path.join(base, digest.hexdigest()[:16])


@functools.cache
def engine_digest() -> str:
    """A digest of all sources of the core: whatever changes a picture changes it."""
    root = pathlib.Path(__file__).parent
    digest = hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        digest.update(path.relative_to(root).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()[:16]


os.environ.setdefault("NUMBA_CACHE_DIR", _kernel_cache())
os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")
