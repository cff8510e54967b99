"""Paths: names of single fields of a place, like ``/shots/dawn/exposure/focus``; things in lists go by their ids."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from lumwick.errors import PlaceError
from lumwick.place.document import Place


def find(place: Place, path: str) -> tuple[Any, str, Any]:
    """The owner, field name and field description that a path names.

    Raises
    ------
    PlaceError
        There is no such field.
    """
    parts = [p for p in path.split("/") if p]
    owner: Any = place
    for i, part in enumerate(parts):
        last = i == len(parts) - 1
        if isinstance(owner, list):
            owner = next((item for item in owner if getattr(item, "id", None) == part), None)
            if owner is None:
                raise PlaceError(f"There is no {part!r} any more: it may have been removed.")
            continue
        if not isinstance(owner, BaseModel) or part not in type(owner).model_fields:
            break
        if last:
            return owner, part, type(owner).model_fields[part]
        owner = getattr(owner, part)
    raise PlaceError(f"There is no field {path!r} in a place.")


def value_name(place: Place, path: str) -> str:
    """A field as one says it: its title, and whose it is."""
    parts = [p for p in path.split("/") if p]
    _, _, info = find(place, path)
    title = str(info.title or parts[-1])
    if parts[0] == "shots":
        return title
    owner: Any = place
    name = ""
    for part in parts[:-1]:
        owner = (
            next((item for item in owner if getattr(item, "id", None) == part), None)
            if isinstance(owner, list)
            else getattr(owner, part)
        )
        name = getattr(owner, "name", "") or name  # what hangs on something is its
    return f"{name}: {title.lower()}" if name else title


def unit_of(info: Any) -> str:
    """Unit of a field, empty if it has none."""
    return str(described(info).get("unit", ""))


def described(info: Any) -> dict[str, Any]:
    """What stands beside a field: unit, range, quantity, whether it can be keyed."""
    return info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
