"""Place documents of earlier versions, step by step into today's: each step is plain JSON to plain JSON.

A new version is a function here and its line in `STEPS`; what is given may be damaged, and is left as it is where it is
not what its version wrote.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from lumwick.place.document import VERSION

Json = dict[str, Any]


def newest(data: Json, version: int) -> Json:
    """A document of a version in `KNOWN` as today's version writes it; what it holds is checked elsewhere."""
    for step in range(version, VERSION):
        data = STEPS[step](data)
    return {**with_outlines(data), "version": VERSION}


def _name_easings(data: Any) -> Any:
    """Version 1 knew three easings, without their families' names."""
    names = {"ease_in": "cubic_in", "ease_out": "cubic_out", "ease_both": "cubic_both"}
    if isinstance(data, dict):
        new = {name: _name_easings(value) for name, value in data.items()}
        if "join" in new and "t" in new:
            new["join"] = names.get(new["join"], new["join"])
        return new
    return [_name_easings(item) for item in data] if isinstance(data, list) else data


def _split_easing(data: Json) -> Json:
    """Version 2 eased both ends of a move alike."""

    def split(shot: Any) -> Any:
        route = shot.get("route") if isinstance(shot, dict) else None
        if not isinstance(route, dict) or "ease" not in route:
            return shot
        rest = {name: value for name, value in route.items() if name != "ease"}
        return {**shot, "route": {**rest, "eased_start": route["ease"], "eased_end": route["ease"]}}

    return _each(data, "shots", split)


LIMP = re.compile(r"^(/growth/[^/]+)/limp$")


def _rename_stiffness(data: Json) -> Json:
    """Version 3 called a stand's stiffness "limp", also in the paths of what follows it."""

    def renamed(stand: Any) -> Any:
        if not isinstance(stand, dict):
            return stand
        return {"stiffness" if name == "limp" else name: value for name, value in stand.items()}

    def repath(value: Any) -> Any:
        if isinstance(value, dict):
            new = {name: repath(one) for name, one in value.items()}
            if new.get("kind") == "follow" and isinstance(new.get("path"), str):
                new["path"] = LIMP.sub(r"\1/stiffness", new["path"])
            return new
        return [repath(one) for one in value] if isinstance(value, list) else value

    made: Json = repath(_each(data, "growth", renamed))
    return made


STEPS: dict[int, Callable[[Json], Json]] = {1: _name_easings, 2: _split_easing, 3: _rename_stiffness}
"""What makes the next version of each."""
KNOWN = (*STEPS, VERSION)


def with_outlines(data: Json) -> Json:
    """A leaf's own outline was a list of points before it was typed, within version 3."""

    def typed(form: Any) -> Any:
        if not isinstance(form, dict) or "leaf_half" not in form:
            return form
        half, rest = form["leaf_half"], {k: v for k, v in form.items() if k != "leaf_half"}
        points = [point for point in half if isinstance(point, list) and len(point) == 2] if half else []
        return {**rest, "own_outline": ", ".join(f"{a:g} {w:g}" for a, w in points)} if points else rest

    return _each(
        data,
        "growth",
        lambda one: {**one, "wood": typed(one["wood"])} if isinstance(one, dict) and "wood" in one else one,
    )


def _each(data: Json, name: str, change: Callable[[Any], Any]) -> Json:
    """The document with every member of one of its lists changed."""
    members = data.get(name)
    if not isinstance(members, list):
        return data
    return {**data, name: [change(one) for one in members]}
