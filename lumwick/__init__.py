"""Lumwick's core: places that are pure functions of time, and pictures of them.

The way through, each arrow one function that can be called alone::

    document -> evaluate at t -> snapshot -> trace -> film -> develop -> picture -> deliver
"""

import functools
import hashlib
import os
import pathlib
import re
import sys
from collections.abc import Callable

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
    return _closure(root, wanted, lambda path: [one for one in _imported(root, path) if one.parent != root])


def picture_sources(root: pathlib.Path) -> list[pathlib.Path]:
    """The files of a package that a frame's files are made from: what makes and writes them, and all that those import,
    wherever they do."""
    starts = [root / "picture.py", root / "deliver" / "stills.py", *(root / "deliver" / "beside").glob("*.py")]
    return _closure(root, starts, lambda path: _imported(root, path, within=True))


def _closure(
    root: pathlib.Path, wanted: list[pathlib.Path], more: Callable[[pathlib.Path], list[pathlib.Path]]
) -> list[pathlib.Path]:
    found: set[pathlib.Path] = set()
    while wanted:
        path = wanted.pop()
        if path not in found:
            found.add(path)
            wanted += more(path)
    return sorted(found)


_IMPORT = re.compile(r"^([ \t]*)(?:from ([\w.]+) import (\([^)]*\)|[^\n]+)|import ([^\n]+))", re.MULTILINE)
"""An import statement: its indent, and what it names. Several times as quick as parsing, for every start needs it."""


def _imported(root: pathlib.Path, path: pathlib.Path, within: bool = False) -> list[pathlib.Path]:
    """Files of a package that a file of it imports when it is loaded; with ``within``, in its functions too."""
    names = []
    for indent, module, members, plain in _IMPORT.findall(path.read_text(encoding="utf-8")):
        if indent and not within:
            continue
        if module:
            names += [module, *(f"{module}.{word}" for word in re.findall(r"\w+", re.sub(r" as \w+", "", members)))]
        else:
            names += [re.sub(r" as \w+", "", one).strip() for one in plain.split(",")]
    stems = [root.parent.joinpath(*name.split(".")) for name in names if name.split(".")[0] == root.name]
    files = [file for stem in stems for file in (stem.with_suffix(".py"), stem / "__init__.py")]
    return [file for file in files if file.exists()]


@functools.cache
def engine_digest() -> str:
    """A digest of all sources that a picture is made from: whatever changes a picture changes it, and nothing else."""
    root = pathlib.Path(__file__).parent
    digest = hashlib.sha256()
    for path in picture_sources(root):
        digest.update(path.relative_to(root).as_posix().encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()[:16]


os.environ.setdefault("NUMBA_CACHE_DIR", _kernel_cache())
os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")
if "numba" in sys.modules:  # it has read the environment already, and would keep kernels beside their sources, by time
    sys.modules["numba"].core.config.reload_config()
