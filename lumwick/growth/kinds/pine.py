"""A coastal pine: bare lower trunk, limbs that rise into a broad, flat-topped crown of needle brushes."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.14), (0.2, 0.30), (0.5, 0.36), (0.75, 0.31), (0.92, 0.20), (1.0, 0.06)),
    bare=0.40,
    leader=0.80,
    room=5200,
    rises=0.12,
    tip=0.0044,
    flare=1.35,
    leaf=0.085,
    broad=0.055,
    cover=2.3,
    outline="needle",
    clad=1.45,
    spread=0.55,
    most=72_000,
    longer=0.35,
    wanders=0.24,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.118, 0.086, 0.064),
    leaf=(0.046, 0.070, 0.026),
    through=(0.022, 0.036, 0.008),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0011,
    branch_hz=1.3,
    branch_reach=0.0016,
    leaf_reach=0.0012,
    reaches=(60, 220, 4000),
    sheds=(0.128, 0.078, 0.045),
)
