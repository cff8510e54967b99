"""A hawthorn: dense, thorny and wide on a short stem or two."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.34), (0.2, 0.50), (0.5, 0.53), (0.8, 0.36), (1.0, 0.08)),
    bare=0.16,
    leader=0.3,
    stems=2,
    room=2400,
    rises=0.0,
    tip=0.0062,
    flare=1.4,
    leaf=0.048,
    broad=0.8,
    most=20_000,
    cover=3.0,
    outline="lobed",
    blunt=0.55,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.105, 0.095, 0.085),
    leaf=(0.050, 0.082, 0.024),
    through=(0.072, 0.115, 0.018),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0007,
    branch_hz=2.0,
    branch_reach=0.0014,
    leaf_reach=0.004,
    reaches=(40, 140, 3000),
    turns=leafy((0.215, 0.080, 0.025), out=3.7, fall=10.3),
    sheds=(0.125, 0.085, 0.048),
)
