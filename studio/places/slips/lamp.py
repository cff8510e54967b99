"""A lamp's columns, on whichever bench it is picked."""

from __future__ import annotations

from lumwick.place.objects import Lamp
from studio.places.slips.asked import Asked, Column

FORMS = {"spot": ("inner", "outer"), "rectangle": ("width", "height"), "disc": ("width",)}
"""What a kind of lamp has besides its light."""


def lamp_columns(asked: Asked, lamp: Lamp) -> list[Column]:
    base, form = f"/lamps/{lamp.id}", FORMS.get(lamp.kind, ())
    aim = ("bearing", "pitch") if lamp.kind != "point" else ()
    light = ("name", "kind", "lit", "amount", "unit", "kelvin")
    return [
        asked.column(lamp.name, lamp, base, light, remove={"op": "remove", "of": "lamps", "id": lamp.id}),
        asked.column("Where", lamp, base, ("east", "north", "up", *aim)),
        *([asked.column("Form", lamp, base, form)] if form else []),
    ]
