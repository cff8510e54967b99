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
from lumwick.strangers import shown


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The lines of an SVG drawing, in its own units, y turned up."""
    if len(data) > BYTES_AT_MOST:
        raise RouteError(f"{name} has {len(data) / 1e6:,.0f} MB: a drawing has at most {BYTES_AT_MOST / 1e6:,.0f}.")
    if b"<!ENTITY" in data:
        raise RouteError(f"{name} is no SVG that can be read: it defines words of its own (ENTITY).")
    try:
        # the drawing's own coordinates, not those of a page that it is fitted to
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, ValueError, LookupError, RecursionError) as error:
        raise RouteError(f"{name} is no SVG that can be read: {error}.") from None
    if not root.tag.endswith("svg"):
        raise RouteError(f"{name} is no SVG that can be read: it is another kind of XML, called {shown(root.tag)}.")
    if _elements(root) > ELEMENTS_AT_MOST:
        raise RouteError(f"{name} draws its parts over and over: at most {ELEMENTS_AT_MOST:,} can be read.")
    try:
        for attribute in ("viewBox", "width", "height", "preserveAspectRatio"):
            root.attrib.pop(attribute, None)
        drawn = svgelements.SVG.parse(io.BytesIO(ElementTree.tostring(root)), reify=True, ppi=96)
    except Exception as error:  # the parser's own complaints are of many kinds
        raise RouteError(f"{name} is no SVG that can be read: {error}.") from None
    if not isinstance(drawn, svgelements.SVG):
        raise RouteError(f"{name} is no SVG that can be read: nothing in it is a drawing.")
    try:
        return _lines(drawn, name)
    except (ValueError, ArithmeticError, LookupError, TypeError, AttributeError, RecursionError) as error:
        raise RouteError(f"{name} is no SVG that can be read: a line of it makes no sense.") from error


def _lines(drawn: svgelements.SVG, name: str) -> list[Path3]:
    """The lines of a drawing.

    Raises
    ------
    RouteError
        They have too many points.
    """
    found: list[Path3] = []
    total = 0
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
            total += len(points)
            check_count(total, name)
            p = np.array([[q.x, -q.y, 0.0] for q in points], float)
            found.append(Path3(str(element.id or f"line {len(found) + 1}"), distinct(p), False, unit=""))
    return found


BYTES_AT_MOST, ELEMENTS_AT_MOST, DEEPEST = 40_000_000, 200_000, 400


def _elements(root: ElementTree.Element) -> int:
    """How many elements a drawing has with all that its ``use`` elements stand for; more than `ELEMENTS_AT_MOST` if
    one stands for itself or they lie too deep."""
    named = {one.get("id"): one for one in root.iter() if one.get("id")}
    known: dict[int, int] = {}

    def count(one: ElementTree.Element, depth: int) -> int:
        if id(one) in known:
            return known[id(one)]
        if depth > DEEPEST:
            return ELEMENTS_AT_MOST + 1
        known[id(one)] = ELEMENTS_AT_MOST + 1  # until it is counted: whoever meets it again goes round
        total = 1 + sum(count(child, depth + 1) for child in one)
        if one.tag.endswith("use"):
            link = one.get("href") or one.get("{http://www.w3.org/1999/xlink}href") or ""
            target = named.get(link.removeprefix("#"))
            total += count(target, depth + 1) if target is not None else 0
        known[id(one)] = min(total, ELEMENTS_AT_MOST + 1)
        return known[id(one)]

    return count(root, 0)
