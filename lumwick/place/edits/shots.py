"""Edits of shots and of the film that they are cut to."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from lumwick.errors import PlaceError
from lumwick.place.document import Piece, Place, Shot
from lumwick.place.edits.base import Command, fresh_id, shot_of
from lumwick.place.fields import Id


class AddShot(Command):
    op: Literal["add_shot"]
    shot: Shot

    def apply(self, draft: Place) -> str:
        draft.shots.append(self.shot)
        return f"added shot {self.shot.name}"


class DuplicateShot(Command):
    """A shot like another, next in order."""

    op: Literal["duplicate_shot"]
    shot: Id

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        i = draft.shots.index(shot)
        name = f"{shot.name[:70]}, again"
        draft.shots.insert(
            i + 1,
            shot.model_copy(deep=True, update={"id": fresh_id([s.id for s in draft.shots], "shot"), "name": name}),
        )
        return f"duplicated shot {shot.name}"


class RemoveShot(Command):
    op: Literal["remove_shot"]
    shot: Id

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        if len(draft.shots) == 1:
            raise PlaceError("A place keeps one shot at least.")
        draft.shots.remove(shot)
        draft.cut.pieces = [piece for piece in draft.cut.pieces if piece.shot != shot.id]
        draft.banks = [bank for bank in draft.banks if bank.only != shot.id]
        return f"removed shot {shot.name}"


class Reshoot(Command):
    """A shot as something else made it anew: a repair, a path laid or brought in."""

    op: Literal["reshoot"]
    shot: Shot
    label: str = Field(max_length=160)

    def apply(self, draft: Place) -> str:
        for i, shot in enumerate(draft.shots):
            if shot.id == self.shot.id:
                draft.shots[i] = self.shot
                return self.label
        raise PlaceError("This shot is not there any more.")


class SetCut(Command):
    """The film's pieces anew, in their order."""

    op: Literal["set_cut"]
    pieces: list[Piece] = Field(max_length=400)
    label: str = Field("cut the film", max_length=120)

    def apply(self, draft: Place) -> str:
        draft.cut.pieces = list(self.pieces)
        return self.label


class _Own(Command):
    """Give a shot something of the place's for its own, which begins as the place's; or let the place's hold again."""

    of: ClassVar[str]
    shot: Id
    own: bool

    def apply(self, draft: Place) -> str:
        shot, whole = shot_of(draft, self.shot), getattr(draft, self.of)
        setattr(shot, self.of, type(whole).model_validate(whole.model_dump()) if self.own else None)
        return f"{shot.name}: {self.of} of {'its own' if self.own else 'the place'}"


class OwnAir(_Own):
    """Air of a shot's own, or the place's."""

    op: Literal["own_air"]
    of = "air"


class OwnWind(_Own):
    """Wind of a shot's own, or the place's."""

    op: Literal["own_wind"]
    of = "wind"


class SetWhite(Command):
    """White balance by something grey: kelvin and tint at once."""

    op: Literal["white"]
    shot: Id
    kelvin: float
    tint: float

    def apply(self, draft: Place) -> str:
        shot = shot_of(draft, self.shot)
        shot.exposure.kelvin, shot.develop.tint = round(self.kelvin), round(self.tint, 1)
        return f"white from a grey: {self.kelvin:.0f} K, tint {self.tint:.1f}"


COMMANDS = (
    AddShot,
    DuplicateShot,
    RemoveShot,
    Reshoot,
    SetCut,
    OwnAir,
    OwnWind,
    SetWhite,
)
