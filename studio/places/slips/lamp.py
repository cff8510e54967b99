"""A lamp's columns, on whichever bench it is picked."""

from __future__ import annotations

from lumwick.place.edits import fresh_id
from lumwick.place.objects import Gobo, Lamp, Thing
from studio.places.slips.slip_request import Column, SlipRequest, chosen_of, column, note_column

FORMS = {
    "spot": ("inner", "outer", "source"),
    "rectangle": ("width", "height"),
    "disc": ("width",),
    "line": ("width", "height"),
    "window": ("width", "height"),
    "parallel": ("spread",),
    "point": ("distribution",),
}
"""What a kind of lamp has besides its light."""
LIGHTS = {"window": (), "parallel": ("amount", "kelvin")}
"""What of its light can be set; of most kinds all."""


def lamp_columns(asked: SlipRequest, lamp: Lamp) -> list[Column]:
    base, form = f"/lamps/{lamp.id}", FORMS[lamp.kind]
    aimed = lamp.kind != "point" or lamp.distribution is not None
    aim = ("bearing", "pitch") if aimed else ()
    light = LIGHTS.get(lamp.kind, ("amount", "unit", "kelvin"))
    names = ("name", "kind", "lit", *light)
    note = "Put it over the opening, as large, shining in." if lamp.kind == "window" else ""
    away = {"op": "remove", "of": "lamps", "id": lamp.id}
    turns = ("turns",) if lamp.kind == "spot" else ()
    where = asked.column("Where", lamp, base, ("east", "north", "up", *aim, *turns))
    if asked.tab == "thrown":
        if lamp.kind != "spot":
            return [note_column("Thrown shadow", "A spot throws one: make it a spot first.")]
        return _gobo(asked, lamp.gobo, f"{base}/gobo")
    return [
        asked.column(lamp.name, lamp, base, names, remove=away, note=note),
        {**where, "selects": [carried_by(asked, lamp, base)]},
        asked.column("Form", lamp, base, form),
        *([_switch(asked, lamp, base)] if lamp.kind != "window" else []),
    ]


def carried_by(asked: SlipRequest, item: Lamp | Thing, base: str) -> Column:
    """What a model or a lamp may be carried by."""
    place = asked.place
    others: list[Thing | Lamp] = [*place.things, *place.lamps]
    named = [(x.id, x.name) for x in others if x.id != item.id]
    return chosen_of(
        "Carried by", f"{base}/held", item.held, [("", "nothing"), ("camera", "the shot's camera"), *named]
    )


def _switch(asked: SlipRequest, lamp: Lamp, base: str) -> Column:
    """When a lamp is on: by the sun, and by its group."""
    place = asked.place
    groups = [("", "none"), *((g.id, g.name) for g in place.lamp_groups)]
    views = asked.fields(lamp, base, ("dusk", *(("dusk_below",) if lamp.dusk else ())))
    mine = next((g for g in place.lamp_groups if g.id == lamp.group), None)
    if mine is not None:
        views += asked.fields(mine, f"/lamp_groups/{mine.id}", ("name", "lit", "dim"))
    new = fresh_id([g.id for g in place.lamp_groups], "group")
    made = [
        {"op": "add", "to": "lamp_groups", "item": {"id": new, "name": f"Group {len(place.lamp_groups) + 1}"}},
        {"op": "set", "path": f"{base}/group", "value": new},
    ]
    return column(
        "Switch",
        views,
        selects=[chosen_of("Group", f"{base}/group", lamp.group, groups)],
        command={"op": "several", "edits": made, "label": f"a new group for {lamp.name}"},
        command_text="Make a group",
    )


OF_KIND = {
    "blinds": ("count", "cover"),
    "window": ("count", "cover"),
    "leaves": ("count", "cover", "rate", "seed"),
    "ripple": ("count", "cover", "rate", "seed"),
    "picture": ("picture",),
    "film": ("film", "how", "start", "rate"),
}


def _gobo(asked: SlipRequest, gobo: Gobo | None, path: str) -> list[Column]:
    """What a spot's light is thrown through."""
    if gobo is None:
        first = {"op": "set", "path": path, "value": Gobo().model_dump(mode="json")}
        note = "Blinds, window bars, leaves, ripples, a picture or a film between the lamp and what it lights."
        return [note_column("Thrown shadow", note, command=first, command_text="Throw a shadow")]
    return thrown(asked, gobo, path)


def thrown(asked: SlipRequest, gobo: Gobo, path: str, *more: str) -> list[Column]:
    """A gobo's own fields, a lamp's or the sun's."""
    away = {"op": "set", "path": path, "value": None}
    return [
        asked.column("Thrown shadow", gobo, path, ("kind", *OF_KIND[gobo.kind], "contrast", "inverted"), remove=away),
        asked.column("Where it stands", gobo, path, ("far", "size", "turn", *more)),
    ]
