"""Paths from drawings: the lines of an SVG file."""

from __future__ import annotations

import io
from typing import Any
from xml.etree import ElementTree

import numpy as np
import svgelements

from lumwick.deliver.paths_in.brought import Path3, check_count, distinct
from lumwick.errors import RouteError
from lumwick.place.nature import Site


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The lines of an SVG drawing, in its own units, y turned up."""
    try:
        # the drawing's own coordinates, not those of a page that it is fitted to
        root = ElementTree.fromstring(data)
        for attribute in ("viewBox", "width", "height", "preserveAspectRatio"):
            root.attrib.pop(attribute, None)
        drawn = svgelements.SVG.parse(io.BytesIO(ElementTree.tostring(root)), reify=True, ppi=96)
    except Exception as error:  # the parsers' own complaints are of many kinds
        raise RouteError(f"{name} is no SVG that can be read: {error}.") from None
    found: list[Path3] = []
    for element in drawn.elements():
        if not isinstance(element, svgelements.Shape):
            continue
        path = svgelements.Path(element)
        points: list[Any] = []
        for part in path:
            if isinstance(part, svgelements.Move):
                points += [part.end] if part.end is not None else []
                continue
            count = 1 if isinstance(part, svgelements.Line | svgelements.Close) else 24
            points += [part.point((k + 1) / count) for k in range(count)] if part.end is not None else []
        if len(points) > 1:
            check_count(len(points), name)
            p = np.array([[q.x, -q.y, 0.0] for q in points], float)
            found.append(Path3(str(element.id or f"line {len(found) + 1}"), distinct(p), False, unit=""))
    return found
