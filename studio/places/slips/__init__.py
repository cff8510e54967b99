"""The slip: which fields stand in which columns, for each bench and selection.

A bench is one file here with a function `columns`, and one line of `BENCHES`.
"""

from __future__ import annotations

from collections.abc import Callable

from lumwick.place.document import Place, Shot
from studio.places.slips import air, cut, growth, land, route, water
from studio.places.slips.asked import Asked, Column

BENCHES: dict[str, Callable[[Asked], list[Column]]] = {
    "land": land.columns,
    "water": water.columns,
    "growth": growth.columns,
    "air": air.columns,
    "route": route.columns,
    "cut": cut.columns,
}
"""In the order of the work."""


def groups_of(place: Place, shot: Shot, bench: str, selected: str, t: float, tab: str = "") -> list[Column]:
    """The slip's columns for a bench and a selection, with values as they are at clip time ``t`` [s].

    Parameters
    ----------
    tab : str
        On the Route bench: station, way, pace, aim or lens.
    """
    return BENCHES.get(bench, cut.columns)(Asked.at(place, shot, selected, tab, t))
