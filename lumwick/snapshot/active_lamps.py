"""Which lamps are lit at an instant, and which openings daylight comes in by."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.built.gaps import Gap, Room, of_built, of_lamp, of_shape, room_of_built, room_of_shape
from lumwick.built.lamps import LampLight, dusk_share, lamp_at
from lumwick.place.document import Place
from lumwick.snapshot.transforms import Transforms, lamp_pose


def gaps_of(place: Place, stood: dict[str, NDArray[np.float64]], lamps: tuple[LampLight, ...]) -> tuple[Gap, ...]:
    """Openings of a place's rooms, and those that it says by itself."""
    out = [gap for built in place.built for gap in of_built(built)]
    for thing in place.things:
        if thing.shape is not None and thing.shape.kind == "room":
            out += [gap for one in stood[thing.id][:ROOMS_LOOKED_INTO] for gap in of_shape(thing.shape, one)]
    return tuple([*out, *(of_lamp(lamp) for lamp in lamps if lamp.kind == "window")][:GAPS_AT_MOST])


def rooms_of(place: Place, stood: dict[str, NDArray[np.float64]]) -> tuple[Room, ...]:
    """A place's rooms with a ceiling."""
    out = [room_of_built(built) for built in place.built]
    for thing in place.things:
        if thing.shape is not None and thing.shape.kind == "room":
            out += [room_of_shape(thing.shape, one) for one in stood[thing.id][:ROOMS_LOOKED_INTO]]
    return tuple(room for room in out if room is not None)


GAPS_AT_MOST, ROOMS_LOOKED_INTO = 64, 8
"""Openings that are told to the renderer, and copies of a room whose are: the rest lights as the sky does."""


def lamps_at(transforms: Transforms, sun: float, loop: float | None) -> tuple[LampLight, ...]:
    """The lamps that are lit, by their groups and the sun's height [degrees]."""
    place, groups = transforms.place, {group.id: group for group in transforms.place.lamp_groups}
    out = []
    for lamp in place.lamps:
        group = groups.get(lamp.group)
        share = (group.dim if group.lit else 0.0) if group is not None else 1.0
        if lamp.dusk:
            share *= dusk_share(sun, lamp.dusk_below)
        if not lamp.lit or share <= 0:
            continue
        pose = lamp_pose(transforms, lamp) if lamp.held or lamp.turns else None
        out.append(lamp_at(lamp, place.site.north_turn, transforms.t, loop, share, pose))
    return tuple(out)
