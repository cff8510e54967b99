"""Edits of small motions that are laid over a value, and of values that move by a recipe."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from lumwick.errors import PlaceError
from lumwick.motion import keys as key_edits
from lumwick.motion.channel import Channel
from lumwick.motion.recipes import Growth, LaidOver, Recipe, Turning, cook
from lumwick.motion.terms import AnyTerm, Follow
from lumwick.place.document import Place, Shot
from lumwick.place.edits.base import Command, checked, keyable, shot_of
from lumwick.place.edits.keys import channel_at
from lumwick.place.fields import Id
from lumwick.place.instant import Motions
from lumwick.place.paths import find, value_name

TERM_WORDS = {
    "swing": "swings to and fro",
    "wander": "wanders",
    "flicker": "flickers",
    "pulse": "pulses",
    "follow": "follows another value",
}


class UseRecipe(Command):
    """Make a value move by a recipe."""

    op: Literal["recipe"]
    shot: Id
    path: str
    recipe: Recipe

    def apply(self, draft: Place) -> str:
        owner, name, info = find(draft, self.path)
        turn = keyable(info).get("quantity") == "turn"
        old, shot = getattr(owner, name), shot_of(draft, self.shot)
        if not isinstance(old, int | float | Channel) or isinstance(old, bool):
            raise PlaceError(f"{info.title} is no number: small motions are laid over numbers.")
        recipe = self._levelled(draft, shot)
        loop = shot.seconds if shot.loop else None
        setattr(owner, name, checked(lambda: cook(old, recipe, shot.seconds, loop, turn), str(info.title)))
        return f"{info.title.lower()} {self._words(draft)}"

    def _levelled(self, draft: Place, shot: Shot) -> Recipe:
        """The recipe; one that follows another value starts from where that value starts."""
        recipe = self.recipe
        if not isinstance(recipe, LaidOver) or not isinstance(recipe.term, Follow):
            return recipe
        if recipe.term.path == self.path:
            raise PlaceError("A value cannot follow itself: pick another.")
        level = round(float(Motions(draft, shot).value(recipe.term.path, [0.0])[0]), 9)
        return recipe.model_copy(update={"term": recipe.term.model_copy(update={"level": level})})

    def _words(self, draft: Place) -> str:
        recipe = self.recipe
        if isinstance(recipe, Turning):
            return f"turns {recipe.turns:g} times a clip"
        if isinstance(recipe, Growth):
            return f"grows in {recipe.lasts:g} s"
        if not isinstance(recipe, LaidOver):
            return "sways"
        if isinstance(recipe.term, Follow):
            return f"follows {value_name(draft, recipe.term.path).lower()}"
        return TERM_WORDS[recipe.term.kind]


class SetTerm(Command):
    """Change one of a value's small motions."""

    op: Literal["set_term"]
    path: str
    index: int = Field(ge=0)
    term: AnyTerm

    def apply(self, draft: Place) -> str:
        return f"{_replace_term(draft, self.path, self.index, [self.term])}: changed a small motion"


class RemoveTerm(Command):
    """Take one of a value's small motions away."""

    op: Literal["remove_term"]
    path: str
    index: int = Field(ge=0)

    def apply(self, draft: Place) -> str:
        return f"{_replace_term(draft, self.path, self.index, [])}: removed a small motion"


def _replace_term(draft: Place, path: str, index: int, by: list[Any]) -> str:
    """Put another small motion, or none, in one's place; gives the value's name."""
    owner, name, info, curve = channel_at(draft, path)
    terms = list(getattr(curve, "terms", ()))
    if index >= len(terms):
        raise PlaceError("That small motion is not there any more.")
    terms[index : index + 1] = by
    # a single key that only carried a motion leaves a constant behind
    bare = not terms and len(curve.keys) == 1
    setattr(owner, name, curve.keys[0].v if bare else key_edits.remade(curve, curve.keys, terms=tuple(terms)))
    return str(info.title.lower())


COMMANDS = (UseRecipe, SetTerm, RemoveTerm)
