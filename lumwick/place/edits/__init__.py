"""Edits: small typed commands that turn one revision of a place into the next, each named in plain words.

A path names one field of the document, like ``/shots/dawn/route/stations/s1/focal``; things in lists are
named by their ids. Each kind of edit is a class that applies itself (`base.Command`), in the file of its subject.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, Union

from pydantic import Field, TypeAdapter, ValidationError

from lumwick.errors import PlaceError
from lumwick.place.document import Place
from lumwick.place.edits import clip, keys, shots, stations, terms, things
from lumwick.place.edits.base import Command, fresh_id, shot_of, station_of
from lumwick.place.edits.things import LISTED
from lumwick.place.files import explain, parse

__all__ = ["LISTED", "Several", "apply", "command", "fresh_id", "shot_of", "station_of"]

COMMANDS: tuple[type[Command], ...] = (
    *keys.COMMANDS,
    *terms.COMMANDS,
    *clip.COMMANDS,
    *stations.COMMANDS,
    *shots.COMMANDS,
    *things.COMMANDS,
)
AnyCommand: Any = Annotated[Union[COMMANDS], Field(discriminator="op")]


class Several(Command):
    """Several edits as one act: all of them, or none."""

    op: Literal["several"]
    edits: list[AnyCommand] = Field(min_length=1, max_length=500)
    label: str = Field("", max_length=160)

    def apply(self, draft: Place) -> str:
        labels = [edit.apply(draft) for edit in self.edits]
        return self.label or "; ".join(dict.fromkeys(labels))


AnyAct: Any = Annotated[Union[(*COMMANDS, Several)], Field(discriminator="op")]
_ADAPTER: TypeAdapter[Any] = TypeAdapter(AnyAct)


def command(data: Any) -> Any:
    """A command from plain JSON data.

    Raises
    ------
    PlaceError
        It is none.
    """
    try:
        return _ADAPTER.validate_python(data)
    except ValidationError as error:
        raise PlaceError(f"This edit cannot be made: {explain(error)}") from None


def apply(place: Place, edit: Command) -> tuple[Place, str]:
    """The place after an edit, checked whole, and the edit's name in plain words.

    Raises
    ------
    PlaceError
        The edit does not fit the place, or the place would not be sound after it; nothing is half-made.
    """
    draft = place.model_copy(deep=True)
    label = edit.apply(draft)
    return parse(draft.model_dump(mode="json", warnings=False)), label
