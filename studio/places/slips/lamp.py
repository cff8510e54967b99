"""A lamp's columns, on whichever bench it is picked."""

from __future__ import annotations

from lumwick.place.objects import Gobo, Lamp
from studio.places.slips.asked import Asked, Column, note_column

FORMS = {"spot": ("inner", "outer", "source"), "rectangle": ("width", "height"), "disc": ("width",)}
"""What a kind of lamp has besides its light."""


def lamp_columns(asked: Asked, lamp: Lamp) -> list[Column]:
    base, form = f"/lamps/{lamp.id}", FORMS.get(lamp.kind, ())
    aim = ("bearing", "pitch") if lamp.kind != "point" else ()
    light = ("name", "kind", "lit", "amount", "unit", "kelvin")
    return [
        asked.column(lamp.name, lamp, base, light, remove={"op": "remove", "of": "lamps", "id": lamp.id}),
        asked.column("Where", lamp, base, ("east", "north", "up", *aim)),
        *([asked.column("Form", lamp, base, form)] if form else []),
        *([_gobo(asked, lamp, f"{base}/gobo")] if lamp.kind == "spot" else []),
    ]


OF_KIND = {
    "blinds": ("count", "cover"),
    "window": ("count", "cover"),
    "leaves": ("count", "cover", "rate", "seed"),
    "ripple": ("count", "cover", "rate", "seed"),
    "picture": ("picture",),
}


def _gobo(asked: Asked, lamp: Lamp, path: str) -> Column:
    """What a spot's light is thrown through."""
    if lamp.gobo is None:
        first = {"op": "set", "path": path, "value": Gobo().model_dump(mode="json")}
        note = "Blinds, window bars, leaves, ripples or a picture between the lamp and what it lights."
        return note_column("Thrown shadow", note, command=first, command_text="Throw a shadow")
    names = ("kind", *OF_KIND[lamp.gobo.kind], "far", "size", "turn", "contrast", "inverted")
    away = {"op": "set", "path": path, "value": None}
    return asked.column("Thrown shadow", lamp.gobo, path, names, remove=away)
