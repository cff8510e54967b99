"""The Air bench's columns: the hour, haze and fog, light from a picture, and lamps."""

from __future__ import annotations

from lumwick.place.edits import fresh_id
from studio.places.slips.asked import Asked, Column, column, listed, note_column
from studio.places.slips.lamp import lamp_columns, thrown


def columns(asked: Asked) -> list[Column]:
    place, shot = asked.place, asked.shot
    lamp = asked.chosen(place.lamps)
    if lamp:
        return lamp_columns(asked, lamp)
    air, path = (shot.air, f"{asked.base}/air") if shot.air else (place.air, "/air")
    of_shot = " of this shot" if shot.air else ""
    hour = column("Hour and exposure", asked.clock()["fields"] + asked.exposure(("ev100", "kelvin"))["fields"])
    return [
        hour,
        asked.column(
            f"Haze{of_shot}",
            air,
            path,
            ("haze", "ozone_du", "sun_width"),
            command={"op": "own_air", "shot": shot.id, "own": shot.air is None},
            command_text="Give this shot its own air" if shot.air is None else "Use the place's air",
        ),
        asked.column(f"Fog{of_shot}", air, path, ("fog_visibility", "fog_height", "fog_base")),
        _surround(asked),
        *_suns_gobo(asked),
    ]


def _suns_gobo(asked: Asked) -> list[Column]:
    """What the sun's light is thrown through."""
    gobo = asked.place.sun_gobo
    if gobo is None:
        first = {"op": "set", "path": "/sun_gobo", "value": {"kind": "leaves", "far": 8.0, "size": 8.0}}
        note = "Leaves, bars or a picture in the sun's way, over what is ahead."
        return [note_column("Thrown shadow", note, here=first, here_text="Throw a shadow here")]
    return thrown(asked, gobo, "/sun_gobo", "east", "north", "up")


def _surround(asked: Asked) -> Column:
    place = asked.place
    lamp = {"id": fresh_id([x.id for x in place.lamps], "lamp"), "name": f"Lamp {len(place.lamps) + 1}"}
    return asked.column(
        "Light from a picture",
        place.surround,
        "/surround",
        ("picture", *(("turn", "lux") if place.surround.picture else ())),
        listed=listed(place.lamps),
        listed_title="Lamps",
        add={"op": "add", "to": "lamps", "item": lamp},
        add_text="Hang a lamp here",
    )
