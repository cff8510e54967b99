"""The sea of a place as its waves are made from."""

from __future__ import annotations

from lumwick.place.nature import Sea
from lumwick.water.spectrum import SeaState, Train, limited


def sea_state(sea: Sea, north_turn: float = 0.0) -> SeaState:
    """The state of a sea at an instant, its bearings on the chart; told waves are lowered to what its depth bears."""
    return told_state(sea, north_turn)[0]


def told_state(sea: Sea, north_turn: float = 0.0) -> tuple[SeaState, str]:
    """The same, and in words what was lowered."""

    def toward(bearing: float) -> float:
        return (bearing + 180 + north_turn) % 360

    told = sea.by == "height"
    swell = None
    if sea.swell_height > 0:
        swell = Train(sea.swell_height, sea.swell_period, toward(sea.swell_from), sea.swell_spread)
    height, period = (sea.wave_height, sea.wave_period) if told else (None, None)
    wind = toward(sea.wind_from)
    return limited(SeaState(sea.wind_speed, sea.fetch_km * 1000, sea.depth, wind, height, period, swell, sea.rate))
