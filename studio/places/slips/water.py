"""The Water bench's columns."""

from __future__ import annotations

from lumwick.place.fields import most
from lumwick.water.spectrum import wind_of
from studio.places.slips.asked import Asked, Column, note_column

OF_WAVES = {
    "wind": ("wind_speed", "wind_from", "fetch_km"),
    "height": ("wave_height", "wave_period", "wind_from", "wind_speed"),
}
OF_SWELL = ("swell_period", "swell_from", "swell_spread")
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


def columns(asked: Asked) -> list[Column]:
    sea = asked.place.sea
    return [
        asked.column("Sea", sea, "/sea", ("present", "level", "clarity", "rate")),
        asked.column("Waves", sea, "/sea", ("by", *OF_WAVES[sea.by], "depth", "choppiness")),
        asked.column("Swell", sea, "/sea", ("swell_height", *(OF_SWELL if most(sea.swell_height) > 0 else ()))),
        asked.column("Tide", sea, "/sea", ("tide_range", *(("tide_high",) if sea.tide_range > 0 else ()))),
        _states(),
    ]
