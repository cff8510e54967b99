"""Lumwick's core: places that are pure functions of time, and pictures of them.

The way through, each arrow one function that can be called alone::

    document -> evaluate at t -> snapshot -> trace -> film -> develop -> picture -> deliver
"""

import ast
import functools
import hashlib
import os
import pathlib
import sys

__version__ = "0.1.0"


def _kernel_cache() -> str:
    """One cache of compiled kernels for all processes, named by a digest of every source that a kernel is made from.

    Numba keys its cache on one file's time stamp; a changed constant or inlined function in another file
    would go unnoticed. So what kernels' files import of the core counts too, however far it is away.
    """
    root = pathlib.Path(__file__).parent
    digest = hashlib.sha256()
    for path in kernel_sources(root):
        digest.update(path.relative_to(root).as_posix().encode() + b"\0" + path.read_bytes())
    base = os.environ.get("LUMWICK_CACHE") or str(root.parent / "var" / "kernels")
    return os.path.join(base, digest.hexdigest()[:16])


def kernel_sources(root: pathlib.Path) -> list[pathlib.Path]:
    """The files below a package's folder that hold compiled functions, and those of the package that they import."""
    wanted = [path for path in root.rglob("*.py") if b"njit" in path.read_bytes() and path.parent != root]
    found: set[pathlib.Path] = set()
    while wanted:
        path = wanted.pop()
        if path not in found:
            found.add(path)
            wanted += _imported(root, path)
    return sorted(found)


def _imported(root: pathlib.Path, path: pathlib.Path) -> list[pathlib.Path]:
    """Files of a package that a file of it imports when it is loaded."""
    names = []
    for node in ast.parse(path.read_bytes()).body:
        if isinstance(node, ast.ImportFrom) and node.module:
            names += [node.module, *(f"{node.module}.{alias.name}" for alias in node.names)]
        elif isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
    stems = [root.parent.joinpath(*name.split(".")) for name in names if name.split(".")[0] == root.name]
    files = [file for stem in stems for file in (stem.with_suffix(".py"), stem / "__init__.py")]
    return [file for file in files if file.exists() and file.parent != root]


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
if "numba" in sys.modules:  # it has read the environment already, and would keep kernels beside their sources, by time
    sys.modules["numba"].core.config.reload_config()
