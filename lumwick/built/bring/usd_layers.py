"""USD files looked at before they are put together: what they name lies inside what was brought, and comes to no more
than can be held.

A stage of two thousand bytes may name any file of the machine, or name itself twice at each of thirty levels. Its
layers are read here one by one, by their own words, and nothing is composed until both are known.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from lumwick.strangers import shown

PRIMS_AT_MOST, LAYERS_AT_MOST = 200_000, 500
"""Things that a stage holds once all that it names is put together, and files that it is made of."""
DEEPEST = 200
Refuse = Callable[[str], Exception]


def opened_stage(root: Path, path: Path, refuse: Refuse) -> Any:
    """A stage of files that lie in a folder, put together from these alone.

    Parameters
    ----------
    refuse : callable
        Makes the error of what is said.

    Raises
    ------
    Exception
        What ``refuse`` makes: it is damaged, names what lies elsewhere, or comes to too much.
    """
    from pxr import Tf, Usd

    try:
        layers = _layers(root.resolve(), path.resolve(), refuse)
        if _Counted(layers, refuse).all_of(str(path.resolve())) > PRIMS_AT_MOST:
            raise refuse(f"it names its parts over and over, and would come to more than {PRIMS_AT_MOST:,} things")
        stage = Usd.Stage.Open(str(path.resolve()))
    except (Tf.ErrorException, RuntimeError, ValueError, RecursionError) as error:
        raise refuse(_words(error, str(path.resolve()))) from error
    if stage is None:
        raise refuse("the file is damaged, or parts of it are missing")
    return stage


def _words(error: BaseException, path: str) -> str:
    import re

    try:
        said = str(error)
    except UnicodeDecodeError:  # the library quotes the file as it is
        said = ""
    line = re.search(re.escape(path) + r":(\d+):", said)
    return f"it errs or breaks off on line {line[1]}" if line else "the file is damaged, or parts of it are missing"


def _layers(root: Path, first: Path, refuse: Refuse) -> dict[str, Any]:
    """All layers that a file is made of, by their paths; those that are missing are left out."""
    from pxr import Sdf

    found: dict[str, Any] = {}
    todo = [first]
    while todo:
        path = todo.pop()
        if str(path) in found:
            continue
        layer = Sdf.Layer.FindOrOpen(str(path))
        if layer is None:
            if path == first:
                raise refuse("the file is damaged, or parts of it are missing")
            continue
        found[str(path)] = layer
        if len(found) > LAYERS_AT_MOST:
            raise refuse(f"it is made of more than {LAYERS_AT_MOST} files")
        for name in {*layer.GetCompositionAssetDependencies(), *_clips(layer)} - {""}:
            inner = within(root, path, name)
            if inner is None:
                raise refuse(f"it names {shown(name)}, which is no file of what was brought")
            if inner.is_file():
                todo.append(inner)
    return found


def within(root: Path, layer: Path, name: str) -> Path | None:
    """The file that a layer names, if it lies in a folder; where it is looked for among the package's own, if the
    layer is one."""
    name = name.partition("[")[0].partition(":SDF_FORMAT_ARGS:")[0]
    if not name or ":" in name or name.startswith("/") or "\\" in name:
        return None
    path = (layer.parent / name).resolve()
    return path if path.is_relative_to(root) else None


def _clips(layer: Any) -> Iterator[str]:
    """Files that a layer's value clips name."""
    todo = list(layer.rootPrims)
    while todo:
        prim = todo.pop()
        todo += list(prim.nameChildren)
        if prim.HasInfo("clips"):
            for told in dict(prim.GetInfo("clips")).values():
                for value in dict(told).values():
                    if hasattr(value, "path"):
                        yield str(value.path)
                    elif hasattr(value, "__iter__") and not isinstance(value, str):
                        yield from (str(one.path) for one in value if hasattr(one, "path"))
                    elif isinstance(value, str) and "#" in value:
                        yield value.replace("#", "0")


class _Counted:
    """How many things each place of some layers comes to, with all that it refers to."""

    def __init__(self, layers: dict[str, Any], refuse: Refuse) -> None:
        self.layers, self.refuse = layers, refuse
        self._known: dict[tuple[str, str], int] = {}

    def all_of(self, layer: str) -> int:
        """Of a whole layer."""
        return self._of(layer, "/", 0)

    def _of(self, layer: str, path: str, depth: int) -> int:
        key = (layer, path)
        if key in self._known:
            return self._known[key]
        if depth > DEEPEST:
            raise self.refuse("what it holds lies too deep in itself")
        self._known[key] = 0  # what refers to itself is found out by the library, and adds nothing
        held = self.layers.get(layer)
        spec = None if held is None else (held.pseudoRoot if path == "/" else held.GetPrimAtPath(path))
        total = 0
        if held is not None and spec:
            total = 1 + sum(self._of_spec(layer, child, depth) for child in spec.nameChildren)
            total += self._arcs(layer, spec, depth)
            if path == "/":
                total += sum(self._of(other, "/", depth + 1) for other in self._sublayers(layer))
        self._known[key] = min(total, PRIMS_AT_MOST + 1)
        return self._known[key]

    def _of_spec(self, layer: str, spec: Any, depth: int) -> int:
        return self._of(layer, str(spec.path), depth + 1)

    def _sublayers(self, layer: str) -> list[str]:
        names = self.layers[layer].subLayerPaths
        return [str((Path(layer).parent / name).resolve()) for name in names]

    def _arcs(self, layer: str, spec: Any, depth: int) -> int:
        """What a spec refers to, inherits, specializes, or holds as variants."""
        total = 0
        for listed in ("referenceList", "payloadList"):
            for one in getattr(spec, listed).GetAddedOrExplicitItems() if hasattr(spec, listed) else ():
                asset = one.assetPath.partition("[")[0]
                other = str((Path(layer).parent / asset).resolve()) if asset else layer
                total += self._of(other, self._target(other, one.primPath), depth + 1)
        for name in ("inheritPathList", "specializesList"):
            for path in getattr(spec, name).GetAddedOrExplicitItems() if hasattr(spec, name) else ():
                total += self._of(layer, str(path), depth + 1)
        for variants in (spec.variantSets or {}).values() if hasattr(spec, "variantSets") else ():
            for variant in variants.variants.values():
                total += sum(self._of_spec(layer, child, depth) for child in variant.primSpec.nameChildren)
                total += self._arcs(layer, variant.primSpec, depth + 1)
        return total

    def _target(self, layer: str, path: Any) -> str:
        if not path.isEmpty:
            return str(path)
        held = self.layers.get(layer)
        return f"/{held.defaultPrim}" if held is not None and held.defaultPrim else "/"
