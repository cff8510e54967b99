"""What stands far off behind a place, on the Land bench: ridges to begin with, and one of them."""

from __future__ import annotations

import math
from typing import Any

from lumwick.place.edits import fresh_id
from lumwick.place.nature import Ridge
from studio.places.slips.slip_request import Column, SlipRequest, listed, note_column

RIDGES: dict[str, dict[str, Any]] = {
    "Wooded hills": {"away": 4000, "height": 150, "peaked": 0.25, "cover": "woods"},
    "Bare downs": {"away": 7000, "height": 200, "peaked": 0.05, "cover": "grass"},
    "Mountains": {"away": 22000, "height": 1500, "peaked": 0.7, "cover": "heath"},
    "A snowy range": {"away": 40000, "height": 2800, "peaked": 0.85, "cover": "rock", "snow_line": 1300},
    "Hills all round": {"away": 12000, "height": 320, "peaked": 0.35, "cover": "woods", "width": 360},
}
"""Ridges to begin with, set up where the shot looks."""


def far_off(asked: SlipRequest) -> Column:
    """What stands far off behind the place."""
    ridges = asked.place.ridges
    new, ahead = fresh_id([x.id for x in ridges], "ridge"), _looks_along(asked)
    adds = [
        {
            "text": name,
            "add": {
                "op": "add",
                "to": "ridges",
                "item": {"id": new, "name": name, "bearing": ahead, "seed": len(ridges) + 1, **told},
            },
        }
        for name, told in RIDGES.items()
    ]
    note = "" if ridges else "Hills and mountains on the horizon, at their true distance."
    return note_column("Far off", note, listed=listed(ridges), adds=adds)


def _looks_along(asked: SlipRequest) -> float:
    """Bearing from true north that the shot's first station looks along [degrees]."""
    stations = asked.shot.route.stations
    if not stations:
        return 0.0
    one = stations[0]
    told = math.degrees(math.atan2(one.aim[0] - one.east, one.aim[1] - one.north))
    return round((told - float(asked.now.site.north_turn)) % 360.0, 1)


def ridge_columns(asked: SlipRequest, ridge: Ridge) -> list[Column]:
    """One far ridge."""
    base, remove = f"/ridges/{ridge.id}", {"op": "remove", "of": "ridges", "id": ridge.id}
    return [
        asked.column(ridge.name, ridge, base, ("name", "away", "height"), remove=remove),
        asked.column("Where", ridge, base, ("bearing", "width")),
        asked.column("Its form", ridge, base, ("peaked", "forms", "seed")),
        asked.column("On it", ridge, base, ("cover", "snow_line")),
    ]
