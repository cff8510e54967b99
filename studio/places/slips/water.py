"""The Water bench's columns."""

from __future__ import annotations

from studio.places.slips.asked import Asked, Column


def columns(asked: Asked) -> list[Column]:
    sea = asked.place.sea
    return [
        asked.column("Sea", sea, "/sea", ("present", "level", "wind_speed", "wind_from")),
        asked.column("Waves", sea, "/sea", ("fetch_km", "depth", "choppiness", "clarity")),
    ]
