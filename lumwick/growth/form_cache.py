"""A stand's plants and their forms, kept from an earlier process if they were made before."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.disk_cache import cached
from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import Form
from lumwick.growth.kinds.grass import Blades
from lumwick.growth.kinds.skeleton import Habit
from lumwick.growth.leaf_picture import LeafRead
from lumwick.growth.plants import Plants
from lumwick.growth.scatter import Bounds, scatter
from lumwick.land.ground import Ground
from lumwick.place.growing import Stand, WoodForm

VARIANTS = 4
"""Forms of a stand's kind, of which each plant takes one."""
CROWNS: dict[str, tuple[tuple[float, float], ...]] = {
    "round": ((0.0, 0.35), (0.15, 0.75), (0.45, 1.0), (0.75, 0.8), (0.93, 0.4), (1.0, 0.05)),
    "broad": ((0.0, 0.55), (0.12, 0.88), (0.4, 1.0), (0.7, 0.82), (0.9, 0.45), (1.0, 0.08)),
    "egg": ((0.0, 0.5), (0.2, 1.0), (0.45, 0.94), (0.75, 0.55), (1.0, 0.06)),
    "column": ((0.0, 0.5), (0.15, 0.88), (0.5, 1.0), (0.85, 0.6), (1.0, 0.1)),
    "cone": ((0.0, 0.8), (0.1, 1.0), (0.4, 0.68), (0.75, 0.28), (1.0, 0.02)),
    "vase": ((0.0, 0.12), (0.3, 0.35), (0.6, 0.7), (0.88, 1.0), (1.0, 0.6)),
    "flat-topped": ((0.0, 0.2), (0.4, 0.6), (0.75, 1.0), (0.92, 0.95), (1.0, 0.6)),
}
"""Outlines of crowns: shares of the crown's height and of its greatest radius (practice)."""


def habit_of(stand: Stand) -> Habit | None:
    """How the wood of a stand grows: as its kind does, or in its own form; None for what has no wood."""
    kind, form = KINDS[stand.kind], stand.wood
    if stand.own is not None:
        return None
    if kind.habit is None or form is None:
        return kind.habit
    widest = max(radius for _, radius in kind.habit.crown)
    crown = CROWNS.get(form.crown) or tuple((f, r / widest) for f, r in kind.habit.crown)
    return replace(
        kind.habit,
        crown=tuple((f, r * form.spread / 2) for f, r in crown),
        bare=form.bare,
        leader=form.leader,
        stems=form.stems,
        tip=kind.habit.tip * form.thick,
        flare=form.flare,
        room=form.branches,
        reach=form.reach,
        rises=form.rises,
        wanders=form.crooked,
        hangs=form.hangs,
        outline=form.outline if form.outline != "own" else "oval",
        half=form.half if form.outline == "own" else None,
        leaf=form.leaf,
        broad=form.broad,
        cover=form.cover,
    )


def wood_form(stand: Stand) -> WoodForm | None:
    """The form that a stand's kind grows in, to be changed; None for what has no wood."""
    habit = KINDS[stand.kind].habit
    if habit is None:
        return None
    return WoodForm(
        spread=round(2 * max(radius for _, radius in habit.crown), 4),
        bare=habit.bare,
        leader=habit.leader,
        stems=habit.stems,
        flare=habit.flare,
        branches=habit.room,
        reach=habit.reach,
        rises=habit.rises,
        crooked=habit.wanders,
        hangs=habit.hangs,
        outline=habit.outline,
        leaf=habit.leaf,
        broad=habit.broad,
        cover=habit.cover,
    )


def leaf_edit(stand: Stand, leaf: LeafRead, name: str) -> dict[str, Any]:
    """The edit that gives a stand's leaves the outline, breadth and colour that a picture says.

    Raises
    ------
    PlaceError
        It has no leaves of its own form.
    """
    form = stand.wood or wood_form(stand)
    if form is None or stand.own is not None:
        raise PlaceError(f"{stand.name} has no leaves that a picture could give a form: choose a tree or a shrub.")
    own = form.model_copy(update={"outline": "own", "own_outline": leaf.outline, "broad": leaf.broad})
    sets = {"wood": own.model_dump(mode="json"), "leaf_colour": leaf.colour}
    return {
        "op": "several",
        "edits": [
            {"op": "set", "path": f"/growth/{stand.id}/{field}", "value": value} for field, value in sets.items()
        ],
        "label": f"{stand.name}: leaves as in {name}",
    }


def blades_of(stand: Stand) -> Any:
    """How the blades or flowers of a stand stand; None for what has none."""
    kind, form = KINDS[stand.kind], stand.blades
    if not isinstance(kind.blades, Blades) or form is None:
        return kind.blades
    # even swards stand in many small clumps, tussocks in few dense ones
    usual = kind.blades.tuft[0]
    return replace(
        kind.blades,
        bunch=max(1, round(2 * (usual / 2) ** form.clumps)),
        tight=0.16 - 0.11 * form.clumps,
        spread=0.58 - 0.16 * form.clumps,
        lengths=(min(form.shortest, form.longest), form.longest),
        curl=(0.3 * form.curl, 1.6 * form.curl),
        lean=form.lean,
        width=form.width,
        taper=form.taper,
        headed=form.headed,
    )


def variant_of(plants: Plants, variants: int = VARIANTS) -> NDArray[np.int64]:
    """Which form each plant takes, shape (n,)."""
    return (plants.shade * 9973).astype(np.int64) % variants


def set_out(
    stand: Stand,
    ground: Ground,
    slope: NDArray[np.float64],
    bounds: Bounds,
    key: str,
) -> Plants:
    """Where a stand's plants stand (`lumwick.growth.scatter.scatter`); ``key`` says all that it depends on."""
    return Plants(**cached("plants", key, lambda: dict(vars(scatter(stand, ground, slope, bounds)))))


def form_of(stand: Stand, variant: int, level: int, side: float = 0.0) -> tuple[Form, int]:
    """One of a stand's forms, and its seed.

    Parameters
    ----------
    level : int
        0 for standing beside it, 1 and 2 for seeing it from further off.
    side : float [m]
        Of a patch; 0 for a single plant.
    """
    seed = stand.seed * 100 + variant
    kind = KINDS[stand.kind]
    arguments = (
        habit_of(stand) if kind.woody else blades_of(stand),
        stand.height,
        seed,
        level,
        *(() if kind.woody else (side, 0.85 * stand.per_hectare / 1e4, stand.dry)),
    )
    arrays = cached(
        "form",
        repr((stand.kind, arguments)),
        lambda: {name: np.asarray(value) for name, value in vars(kind.maker(*arguments)).items()},
    )
    plain: dict[str, Any] = {
        "groups": int,
        "flutter_groups": int,
        "strip": lambda a: tuple(int(v) for v in a),
        "also": tuple,
    }
    values: dict[str, Any] = {name: plain[name](a) if name in plain else a for name, a in arrays.items()}
    return Form(**values), seed
