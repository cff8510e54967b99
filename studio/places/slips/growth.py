"""The Growth bench's columns: the wind, and a stand."""

from __future__ import annotations

from lumwick.growth.kinds import KINDS
from studio.places.slips.asked import Asked, Column, note_column


def columns(asked: Asked) -> list[Column]:
    place, shot = asked.place, asked.shot
    wind, path = (shot.wind, f"{asked.base}/wind") if shot.wind else (place.wind, "/wind")
    title = "Wind" + (" of this shot" if shot.wind else "")
    blows = asked.column(title, wind, path, ("speed", "from_bearing", "gustiness", "roughness"))
    stand = asked.chosen(place.growth)
    if stand is None:
        note = (
            "Pick a stand on the chart, or draw a new one: press “Draw a stand”, "
            "click its corners, and double-click the last."
        )
        return [blows, note_column("Stands", note)]
    base, dry = f"/growth/{stand.id}", () if KINDS[stand.kind].woody else ("dry",)
    grown = ("name", "kind", "per_hectare", "height", *dry, "variation")
    remove = {"op": "remove", "of": "growth", "id": stand.id}
    return [
        blows,
        asked.column(stand.name, stand, base, grown, remove=remove),
        asked.column(
            "Where",
            stand,
            base,
            ("slope_most", "lowest", "highest", "lean", "groves", *(("groves_cover",) if stand.groves > 0 else ())),
        ),
    ]
