"""What the house knows of a kind of plant."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from lumwick.growth.kinds.form import Form
from lumwick.growth.kinds.seasons import Turn
from lumwick.growth.kinds.skeleton import Habit

Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Kind:
    """How a kind of plant grows, looks and bends (colours: linear Rec.709 reflected and passed; broad practice, no
    source).

    Attributes
    ----------
    maker : callable
        A form from its habit (where it has one), height [m], seed and level; of plants that stand in patches, also from
        a patch's side [m], tufts on a square metre and the share of dry leaves.
    """

    maker: Callable[..., Form]
    bark: Colour
    leaf: Colour
    through: Colour
    stalk: Colour
    plume: Colour
    compliance: float
    """Lean (as a slope) in a steady wind of 1 m/s, 10 m above open land."""
    branch_hz: float
    branch_reach: float
    leaf_reach: float
    reaches: tuple[float, float, float]
    """Metres up to which each level of the form is used; beyond the last nothing is drawn."""
    root: float = 1.0
    """What the colour at its foot is multiplied by: grass is darker where no light comes."""
    patch: float = 0.0
    """Side [m] of a patch; 0 for plants that are drawn singly."""
    sheen: float = 0.45
    """Roughness of the leaves' upper side."""
    habit: Habit | None = None
    """How its wood grows, or None."""
    blades: Any = None
    """How its blades and flowers stand, or None."""
    said: str = ""
    """What one calls it in a list, if not by its name."""
    stiff: float = 1.0
    """Against green wood or common grass."""
    turns: tuple[Turn, ...] = ()
    """How it looks through the year."""
    wades: float = -0.15
    """Metres of water it stands in; below 0, how far above the water it keeps."""
    sheds: Colour | None = None
    """Colour of the leaves or needles that lie under it, or None."""
    clearings: float = 0.30
    """How much slow seeded waves thin a stand of it."""

    def make(self, *arguments: Any) -> Form:
        """A form of it as it grows of itself; see `maker`."""
        return self.maker(self.habit or self.blades, *arguments)

    @property
    def still(self) -> bool:
        """Whether no wind and nobody moves it."""
        return self.compliance == 0

    @property
    def woody(self) -> bool:
        return self.patch == 0
