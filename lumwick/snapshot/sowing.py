"""A model of a place made a stand of plants: the edit that does it."""

from __future__ import annotations

from typing import Any

from lumwick.built.bring.importing import ImportedModel, set_down
from lumwick.built.floors import model_of
from lumwick.errors import PlaceError
from lumwick.growth.custom_plant import sown, told_of
from lumwick.place.edits import fresh_id
from lumwick.place.growing import Stand
from lumwick.place.objects import Thing
from lumwick.snapshot.evaluate import Setting


def sown_from(
    setting: Setting, taken: list[ImportedModel], east: float, north: float, leaves: list[str] | None = None
) -> tuple[Stand, str]:
    """A stand whose plants are a model that was taken over, about a spot [m], and what is told of it.

    Parameters
    ----------
    leaves : list of str
        Its surfaces or parts that are leaves; those that look like it if none is named.

    Raises
    ------
    PlaceError
        There are several models, or it moves by itself.
    """
    if len(taken) != 1:
        raise PlaceError(f"There are {len(taken)} models in what was brought: bring one plant at a time.")
    thing = set_down(taken, ["plant"], setting.stands_on, east, north)[0]
    new = fresh_id([stand.id for stand in setting.place.growth], "sown")
    stand = sown(thing, taken[0].mesh, new, taken[0].guess.taken.scale, (east, north))
    if leaves and stand.own is not None:
        stand = stand.model_copy(update={"own": stand.own.model_copy(update={"leaves": leaves})})
    return stand, f"{taken[0].line()} {told_of(stand, taken[0].mesh)}"


def sow_edit(setting: Setting, thing: Thing) -> dict[str, Any]:
    """The edit that takes a model away and sows it as plants about where it stood when the first shot starts.

    Raises
    ------
    PlaceError
        It is a shape, or moves by itself, or its file cannot be used.
    """
    shot = setting.place.shots[0]
    standing = setting.standing(shot, 0.0)
    still = next((x for x in standing.place.things if x.id == thing.id), thing)
    new = fresh_id([one.id for one in setting.place.growth], "sown")
    scale, east, north = (float(getattr(still, name)) for name in ("scale", "east", "north"))
    stand = sown(still, model_of(setting.read, thing), new, scale, (east, north))
    return {
        "op": "several",
        "edits": [
            {"op": "remove", "of": "things", "id": thing.id},
            {"op": "add", "to": "growth", "item": stand.model_dump(mode="json")},
        ],
        "label": f"sowed {thing.name} as plants",
    }
