"""The Land bench's columns: the ground, or what is set down on it and its surfaces."""

from __future__ import annotations

from lumwick.built.bring.bundle import ENDINGS
from lumwick.place.edits import fresh_id
from lumwick.place.files import MAPS
from lumwick.place.objects import Built, Surface, Thing
from studio.places.slips.asked import Asked, Column, column, listed
from studio.places.slips.lamp import lamp_columns

SURFACE_LOOK = ("name", "pattern", "colour", "second", "roughness", "metalness", "wet")
SURFACE_BODY = (
    "coat",
    "coat_roughness",
    "clear",
    *("pane", "refraction", "depth_tint"),
    "through",
    "glow",
    "glow_colour",
)
SURFACE_LAID = ("scale", "turn", "shift_u", "shift_v", "relief", "boxed", "cut")


def columns(asked: Asked) -> list[Column]:
    place = asked.place
    for items, describe in (
        (place.surfaces, _surface),
        (place.things, _thing),
        (place.lamps, lamp_columns),
        (place.built, _built),
    ):
        picked = asked.chosen(items)
        if picked:
            return describe(asked, picked)
    return _ground(asked)


def _surface(asked: Asked, surface: Surface) -> list[Column]:
    base = f"/surfaces/{surface.id}"
    remove = {"op": "remove", "of": "surfaces", "id": surface.id}
    return [
        asked.column(surface.name, surface, base, SURFACE_LOOK, remove=remove),
        asked.column("Body", surface, base, SURFACE_BODY),
        asked.column("As it lies", surface, base, SURFACE_LAID),
        asked.column("Textures", surface, base, MAPS),
    ]


def _choice_of_surface(asked: Asked, base: str, now: str) -> Column:
    choices = [("", "its own"), *((x.id, x.name) for x in asked.place.surfaces)]
    return {"surface": choices, "surface_path": f"{base}/surface", "surface_now": now}


def _thing(asked: Asked, thing: Thing) -> list[Column]:
    base = f"/things/{thing.id}"
    more = {
        "remove": {"op": "remove", "of": "things", "id": thing.id},
        **_choice_of_surface(asked, base, thing.surface),
    }
    return [
        asked.column(thing.name, thing, base, ("name", "mesh", "scale", "upright"), **more),
        asked.column("Where", thing, base, ("east", "north", "up", "turn")),
    ]


def _built(asked: Asked, built: Built) -> list[Column]:
    base = f"/built/{built.id}"
    more = _choice_of_surface(asked, base, built.surface)
    return [asked.column(built.name, built, base, ("name", "width", "deck", "turn"), **more)]


def _ground(asked: Asked) -> list[Column]:
    place = asked.place
    new = fresh_id([x.id for x in place.surfaces], "surface")
    note = "What built things and models are made of. They keep their own until they are given one."
    return [
        asked.column("Ground", place.land, "/land", ("cover", "beach_top")),
        asked.column("Site", place.site, "/site", ("latitude", "longitude", "utc_offset", "north_turn")),
        column(
            "Set down here",
            [],
            listed=listed([*place.built, *place.things, *place.lamps]),
            upload={
                "what": "model",
                "accept": ",".join((*ENDINGS, ".zip", ".bin", ".mtl", "image/*")),
                "text": "Bring in models …",
            },
        ),
        column(
            "Surfaces",
            [],
            listed=listed(place.surfaces),
            note="" if place.surfaces else note,
            add={"op": "add", "to": "surfaces", "item": {"id": new, "name": f"Surface {len(place.surfaces) + 1}"}},
            add_text="Make a surface",
        ),
    ]
