"""The Air bench's columns: the hour, haze and fog, light from a picture, and lamps."""

from __future__ import annotations

from typing import Any

from lumwick.place.edits import fresh_id
from lumwick.place.nature import Air, FogBank
from studio.places.slips.lamp import lamp_columns, thrown
from studio.places.slips.slip_request import Column, SlipRequest, chosen_of, column, listed, note_column

LOW = ("oktas", "base", "thick", "density", "soft", "closed", "size")
LOW_MOVES = ("drift", "life", "ahead_east", "ahead_north", "seed")
HIGH = ("amount", "depth", "height", "bearing", "fibrous", "drift", "seed")
SKIES: dict[str, dict[str, float]] = {
    "Clear": {"low/oktas": 0, "high/amount": 0},
    "A few heaps": {"low/oktas": 2, "low/closed": 0, "low/thick": 700, "low/density": 0.02, "high/amount": 0},
    "Heaps and hair": {
        "low/oktas": 2.5,
        "low/closed": 0,
        "low/thick": 800,
        "low/density": 0.02,
        "high/amount": 4,
        "high/depth": 0.25,
    },
    "Broken": {"low/oktas": 5, "low/closed": 0.2, "low/thick": 1100, "low/density": 0.02, "high/amount": 2},
    "Closed sheet": {"low/oktas": 8, "low/closed": 1, "low/thick": 600, "low/density": 0.03, "high/amount": 0},
    "Veil of ice": {"low/oktas": 0, "high/amount": 6, "high/depth": 0.5},
}
"""Skies to begin with: what each sets of the air."""


def columns(asked: SlipRequest) -> list[Column]:
    place, shot = asked.place, asked.shot
    lamp = asked.chosen(place.lamps)
    if lamp:
        return lamp_columns(asked, lamp)
    air, path = (shot.air, f"{asked.base}/air") if shot.air else (place.air, "/air")
    of_shot = " of this shot" if shot.air else ""
    bank = asked.chosen(asked.place.banks)
    if bank is not None:
        return _bank(asked, bank)
    if asked.tab == "night":
        return _heavens(asked, air, path, of_shot)
    if asked.tab == "weather":
        return _weather(asked, air, path, of_shot)
    if asked.tab == "clouds":
        return [
            _begin_with("Skies to begin with", path, SKIES, "sky"),
            asked.column(f"Low clouds{of_shot}", air.low, f"{path}/low", LOW),
            asked.column("How they move", air.low, f"{path}/low", LOW_MOVES),
            asked.column(f"High clouds{of_shot}", air.high, f"{path}/high", HIGH),
        ]
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
        _clearness(path),
        asked.column(f"Fog{of_shot}", air, path, ("fog_visibility", "fog_height", "fog_base", "shafts")),
        _banks(asked),
        _surround(asked),
        *_suns_gobo(asked),
    ]


CLEARNESS: dict[str, dict[str, float]] = {
    "Clear as after rain": {"haze": 0.05, "ozone_du": 320, "fog_visibility": 60000},
    "Clear": {"haze": 0.12, "ozone_du": 320, "fog_visibility": 30000},
    "Hazy": {"haze": 0.35, "ozone_du": 320, "fog_visibility": 9000},
    "Dusty": {"haze": 0.8, "ozone_du": 280, "fog_visibility": 5000},
    "Thin mist": {"haze": 0.3, "ozone_du": 320, "fog_visibility": 1500, "fog_height": 60},
    "Fog": {"haze": 0.3, "ozone_du": 320, "fog_visibility": 200, "fog_height": 40},
}
"""How clear the air is, to begin with: what each sets of it."""
GREY = {"low/oktas": 8, "low/closed": 1, "low/density": 0.04, "low/thick": 900, "high/amount": 0}
"""The sky that rain and snow fall from."""
FALLING: dict[str, dict[str, Any]] = {
    "Dry": {"rain": 0, "snowing": 0, "lying": 0, "wetted": "by rain"},
    "Drizzle": {**GREY, "rain": 0.6, "snowing": 0, "lying": 0, "streaks": 10},
    "Steady rain": {**GREY, "rain": 4, "snowing": 0, "lying": 0, "streaks": 16},
    "Downpour": {**GREY, "rain": 35, "snowing": 0, "lying": 0, "streaks": 26},
    "After the rain": {"rain": 0, "snowing": 0, "lying": 0, "wetted": "wet"},
    "Light snow": {**GREY, "rain": 0, "snowing": 0.5, "lying": 1},
    "Thick snowfall": {**GREY, "rain": 0, "snowing": 3, "lying": 6},
    "Fresh snow, still air": {"rain": 0, "snowing": 0, "lying": 12},
}
"""What falls, to begin with."""
MOONS: dict[str, dict[str, Any]] = {
    "As the date says": {"sun_by": "date", "moon_by": "date"},
    "A full moon, high": {"moon_by": "hand", "moon_height": 48, "moon_phase": 0.5},
    "A full moon, low": {"moon_by": "hand", "moon_height": 6, "moon_phase": 0.5},
    "A sickle after sunset": {"moon_by": "hand", "moon_bearing": 255, "moon_height": 12, "moon_phase": 0.09},
    "No moon": {"moon_by": "none"},
}
HEAVENS_SUN = ("sun_by", "sun_bearing", "sun_height")
HEAVENS_MOON = ("moon_by", "moon_bearing", "moon_height", "moon_phase", "moon_size")


def _begin_with(title: str, path: str, sets: dict[str, dict[str, Any]], what: str) -> Column:
    """States to begin with: what each sets under a path."""
    offers = [
        {
            "text": name,
            "command": {
                "op": "several",
                "edits": [{"op": "set", "path": f"{path}/{field}", "value": v} for field, v in values.items()],
                "label": f"{what}: {name.lower()}",
            },
        }
        for name, values in sets.items()
    ]
    return note_column(title, "", offers=offers)


def _clearness(path: str) -> Column:
    return _begin_with("Clearness", path, CLEARNESS, "air")


def _heavens(asked: SlipRequest, air: Air, path: str, of_shot: str) -> list[Column]:
    """Sun, moon and stars."""
    sky, base = air.heavens, f"{path}/heavens"
    sun = HEAVENS_SUN if sky.sun_by == "hand" else HEAVENS_SUN[:1]
    moon = {"hand": HEAVENS_MOON, "date": ("moon_by", "moon_size"), "none": HEAVENS_MOON[:1]}[sky.moon_by]
    return [
        _begin_with("Begin with", base, MOONS, "moon"),
        asked.column(f"Sun{of_shot}", sky, base, sun),
        asked.column(f"Moon{of_shot}", sky, base, moon),
        asked.column("Stars and glow", sky, base, ("stars", "galaxy", "night_glow")),
        asked.column("A town's glow", sky, base, ("town", "town_bearing", "town_width", "town_height")),
    ]


def _weather(asked: SlipRequest, air: Air, path: str, of_shot: str) -> list[Column]:
    """What falls, and what drifts."""
    many = ("drifting_many",) if air.drifting != "nothing" else ()
    return [
        _begin_with("Begin with", path, FALLING, "weather"),
        asked.column(f"Rain{of_shot}", air, path, ("rain", "streaks", "wetted", "dries")),
        asked.column(f"Snow{of_shot}", air, path, ("snowing", "lying")),
        asked.column(f"Carried by the wind{of_shot}", air, path, ("drifting", *many)),
    ]


def _banks(asked: SlipRequest) -> Column:
    """Banks of fog to pick, and how a new one is drawn."""
    have = listed(asked.place.banks)
    words = "" if have else "Fog over a drawn area, lying in low ground."
    draw = {"command_js": "startDraft('bank')", "command_text": "Draw a bank on the chart"}
    return note_column("Banks of fog", words, listed=have, **draw)


def _bank(asked: SlipRequest, bank: FogBank) -> list[Column]:
    """One bank of fog."""
    base, remove = f"/banks/{bank.id}", {"op": "remove", "of": "banks", "id": bank.id}
    shots = [("", "every shot"), *((shot.id, shot.name) for shot in asked.place.shots)]
    where = {"remove": remove, "selects": [chosen_of("In", f"{base}/only", bank.only, shots)]}
    return [
        asked.column(bank.name, bank, base, ("name", "visibility", "thick", "amount"), **where),
        asked.column("How it lies", bank, base, ("pools", "lifted", "edge", "moved_east", "moved_north")),
        asked.column("Its lumps", bank, base, ("soft", "size", "drift", "life", "seed")),
    ]


def _suns_gobo(asked: SlipRequest) -> list[Column]:
    """What the sun's light is thrown through."""
    gobo = asked.place.sun_gobo
    if gobo is None:
        first = {"op": "set", "path": "/sun_gobo", "value": {"kind": "leaves", "far": 8.0, "size": 8.0}}
        note = "Leaves, bars or a picture in the sun's way, over what is ahead."
        return [note_column("Thrown shadow", note, here=first, here_text="Throw a shadow here")]
    return thrown(asked, gobo, "/sun_gobo", "east", "north", "up")


def _surround(asked: SlipRequest) -> Column:
    place = asked.place
    taken = ("east", "north", "up") if place.surround.picture and place.surround.away > 0 else ()
    lamp = {"id": fresh_id([x.id for x in place.lamps], "lamp"), "name": f"Lamp {len(place.lamps) + 1}"}
    return asked.column(
        "Light from a picture",
        place.surround,
        "/surround",
        ("picture", *(("turn", "lux", "away") if place.surround.picture else ()), *taken),
        listed=listed(place.lamps),
        listed_title="Lamps",
        add={"op": "add", "to": "lamps", "item": lamp},
        add_text="Hang a lamp here",
    )
