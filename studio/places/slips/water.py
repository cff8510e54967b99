"""The Water bench's columns."""

from __future__ import annotations

from lumwick.motion.channel import Channel
from lumwick.place.edits import fresh_id
from lumwick.place.fields import most
from lumwick.place.nature import DrawnBeach, Water
from lumwick.snapshot.beaches import reach_and_back
from lumwick.water.spectrum import wind_of
from studio.places.slips.slip_request import Column, SlipRequest, listed, note_column

OF_WAVES = {
    "wind": ("wind_speed", "wind_from", "fetch_km"),
    "height": ("wave_height", "wave_period", "wind_from", "wind_speed"),
}
OF_SWELL = ("swell_period", "swell_from", "swell_spread")
OF_TIDE = ("tide_high", "tide_flow")
STATES = {
    "calm": (0, 1.0),
    "light breeze": (2, 40.0),
    "moderate breeze": (4, 120.0),
    "strong breeze": (6, 300.0),
    "gale": (8, 600.0),
}
"""Winds by name: their Beaufort number, and a fetch [km] over which the sea is nearly grown (practice)."""


def _states() -> Column:
    """Seas to begin with."""
    offers = []
    for name, (number, fetch) in STATES.items():
        values = {"by": "wind", "wind_speed": round(wind_of(number), 1), "fetch_km": fetch}
        edits = [{"op": "set", "path": f"/sea/{field}", "value": value} for field, value in values.items()]
        command = {"op": "several", "edits": edits, "label": f"a sea of {name}"}
        offers.append({"text": f"{name}, Beaufort {number}", "command": command})
    return note_column("Begin with", "", offers=offers)


OF_KIND = {
    "stream": ("name", "width", "depth", "bed", "by"),
    "pond": ("name", "depth", "level", "water", "sheltered"),
    "puddles": ("name", "filled", "water", "sheltered"),
}


def _one(asked: SlipRequest, water: Water) -> list[Column]:
    """A stream, a pond or puddles."""
    base = f"/waters/{water.id}"
    remove = {"op": "remove", "of": "waters", "id": water.id}
    names = OF_KIND[water.kind]
    out = [asked.column(water.name, water, base, names, remove=remove)]
    if water.kind == "stream":
        told = ("speed",) if water.by == "speed" else ()
        out.append(asked.column("Its water", water, base, (*told, "level", "water", "sheltered")))
    out.append(note_column("Section", "It is drawn beside the slip: drag its mark there to make it deeper."))
    return out


def _beach(asked: SlipRequest, beach: DrawnBeach) -> list[Column]:
    """A drawn beach."""
    base, shot = f"/beaches/{beach.id}", asked.shot
    remove = {"op": "remove", "of": "beaches", "id": beach.id}
    keyed = reach_and_back(beach, shot.seconds)
    note = "" if isinstance(beach.reach, Channel) else "Its reach stands still: key it, or begin with a wash."
    motion = asked.column("Its wash", beach, base, ("reach", "side", "uneven", "lobes", "lasts"), note=note)
    return [
        asked.column(beach.name, beach, base, ("name", "water", "wet", "foam", "band"), remove=remove),
        {**motion, "command": keyed, "command_text": "Run up, hold, pull back"},
        {**note_column("Film", "With alpha, over this shot's length."), "film": f"{beach.id}"},
    ]


def _drawn(asked: SlipRequest) -> Column:
    """Drawn beaches to pick, and a new one."""
    ids = [one.id for one in asked.place.beaches]
    item = {"id": fresh_id(ids, "beach"), "name": f"Drawn beach {len(ids) + 1}", "seed": len(ids) + 1}
    add = {"op": "add", "to": "beaches", "item": item}
    note = "" if ids else "A beach in two flat tones with a band of foam, and alpha."
    picks = listed(asked.place.beaches)
    return note_column("Drawn beaches", note, command=add, command_text="Draw a beach", listed=picks)


def columns(asked: SlipRequest) -> list[Column]:
    sea = asked.place.sea
    water = asked.chosen(asked.place.waters)
    if water is not None:
        return _one(asked, water)
    beach = asked.chosen(asked.place.beaches)
    if beach is not None:
        return _beach(asked, beach)
    if asked.tab == "others":
        drawn = _drawn(asked)
        have = listed(asked.place.waters)
        words = "" if have else "Draw a stream, a pond or puddles on the chart, or let a stream run."
        return [note_column("Streams and ponds", words, listed=have), drawn, _rain(asked)]
    if asked.tab == "swell":
        return [
            asked.column("Swell", sea, "/sea", ("swell_height", *(OF_SWELL if most(sea.swell_height) > 0 else ()))),
            asked.column("Tide", sea, "/sea", ("tide_range", *(OF_TIDE if most(sea.tide_range) > 0 else ()))),
        ]
    clear = ("clarity",) if sea.water == "by clarity" else ()
    return [
        asked.column("Sea", sea, "/sea", ("present", "level", "water", *clear, "rate")),
        asked.column("Waves", sea, "/sea", ("by", *OF_WAVES[sea.by], "depth", "choppiness")),
        _states(),
    ]


def _rain(asked: SlipRequest) -> Column:
    """The rain, of the shot's own air if it has one."""
    own = asked.shot.air
    air, path = (own, f"{asked.base}/air") if own else (asked.place.air, "/air")
    return asked.column("Rain" + (" of this shot" if own else ""), air, path, ("rain",))
