"""A stand's plants and their forms, kept from an earlier process if they were made before."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import Form
from lumwick.growth.scatter import Plants, scatter
from lumwick.keep import cached
from lumwick.land.ground import Ground
from lumwick.place.nature import Stand

VARIANTS = 4
"""Forms of a stand's kind, of which each plant takes one."""


def variant_of(plants: Plants, variants: int = VARIANTS) -> NDArray[np.int64]:
    """Which form each plant takes, shape (n,)."""
    return (plants.shade * 9973).astype(np.int64) % variants


def set_out(
    stand: Stand,
    ground: Ground,
    slope: NDArray[np.float64],
    clear: list[shapely.Geometry],
    level: float | None,
    key: str,
) -> Plants:
    """Where a stand's plants stand (`lumwick.growth.scatter.scatter`); ``key`` says all that it depends on but the
    water's level."""
    return Plants(**cached("plants", f"{key} {level}", lambda: dict(vars(scatter(stand, ground, slope, clear, level)))))


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
    plain: dict[str, Any] = {"groups": int, "flutter_groups": int, "strip": lambda a: tuple(int(v) for v in a)}
    values: dict[str, Any] = {name: plain[name](a) if name in plain else a for name, a in arrays.items()}
    return Form(**values), seed
