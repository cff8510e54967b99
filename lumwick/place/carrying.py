"""What carries what in a place, and what stands on what."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from lumwick.place.objects import Lamp, Thing

CAMERA = "camera"
"""What carries a thing that goes with the shot's camera."""


def carriers(things: Sequence[Thing], lamps: Sequence[Lamp], item: Thing | Lamp) -> list[str]:
    """What carries a model or a lamp, and what carries that, to the last.

    Raises
    ------
    ValueError
        One is not there, or they carry one another in a ring.
    """
    every: list[Thing | Lamp] = [*lamps, *things]
    known = {x.id: x for x in every}
    out: list[str] = []
    at: Thing | Lamp = item
    while at.held and at.held != CAMERA:
        if at.held in out or at.held == item.id:
            raise ValueError(f"{item.name} and what carries it carry one another in a ring")
        if at.held not in known:
            raise ValueError(f"{at.name} is carried by {at.held!r}, which this place does not have")
        out.append(at.held)
        at = known[at.held]
    return [*out, CAMERA] if at.held else out


def check_carried(things: Sequence[Thing], lamps: Sequence[Lamp], followed: Iterable[tuple[str, str]]) -> None:
    """Refuse what is carried by what is not there, in a ring, or by a camera that follows it.

    Parameters
    ----------
    followed : iterable of (str, str)
        Each shot's name and the id of what its camera follows.

    Raises
    ------
    ValueError
    """
    every: list[Thing | Lamp] = [*things, *lamps]
    with_camera = {x.id for x in every if x.held and CAMERA in carriers(things, lamps, x)}
    for shot, subject in followed:
        if subject in with_camera:
            raise ValueError(f"the camera of {shot} follows {subject!r}, which it carries itself")
    for thing in things:
        if thing.rolls and thing.floats:
            raise ValueError(f"{thing.name} cannot both float and roll on the ground: choose one")
        if thing.floats and thing.held:
            raise ValueError(f"{thing.name} cannot float while it is carried")
        if thing.rolls and thing.held:
            raise ValueError(f"{thing.name} cannot roll on the ground while it is carried")


def check_stood_on(things: Sequence[Thing]) -> None:
    """Refuse copies on a model that is not there, or whose own stand on another.

    Raises
    ------
    ValueError
    """
    known = {thing.id: thing for thing in things}
    for thing in things:
        if thing.copies is None or not thing.copies.on_model:
            continue
        other = known.get(thing.copies.on)
        if other is None or other is thing:
            raise ValueError(f"{thing.name}'s copies stand on {thing.copies.on!r}, which is no other model here")
        if other.copies is not None and other.copies.on_model:
            raise ValueError(f"{thing.name}'s copies stand on {other.name}, whose own stand on another model")
