"""The slip: which fields stand in which columns, for each bench and selection.

A bench is one file here with a function `columns`, and one line of `BENCHES`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lumwick.place.document import Place, Shot
from studio.places.slips import air, cut, growth, land, route, water
from studio.places.slips.slip_request import Column, SlipRequest


@dataclass(frozen=True)
class Bench:
    """A bench: its title, and the columns of its slip."""

    title: str
    columns: Callable[[SlipRequest], list[Column]]


BENCHES = {
    "land": Bench("Land", land.columns),
    "water": Bench("Water", water.columns),
    "growth": Bench("Growth", growth.columns),
    "air": Bench("Air", air.columns),
    "route": Bench("Route", route.columns),
    "cut": Bench("Cut", cut.columns),
}
"""In the order of the work."""


def groups_of(place: Place, shot: Shot, bench: str, selected: str, t: float, tab: str = "") -> list[Column]:
    """The slip's columns for a bench and a selection, with values as they are at clip time ``t`` [s].

    Parameters
    ----------
    tab : str
        On the Route bench: station, way, pace, aim or lens.
    """
    return BENCHES.get(bench, BENCHES["cut"]).columns(SlipRequest.at(place, shot, selected, tab, t))
