"""A weeping willow: heavy limbs, and long twigs that hang to the ground all round."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.28), (0.25, 0.40), (0.55, 0.42), (0.85, 0.26), (1.0, 0.05)),
    bare=0.3,
    leader=0.34,
    room=1300,
    rises=0.1,
    hangs=0.42,
    tip=0.007,
    flare=1.6,
    leaf=0.105,
    broad=0.2,
    cover=2.6,
    outline="lance",
    blunt=0.45,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.120, 0.105, 0.080),
    leaf=(0.088, 0.120, 0.040),
    through=(0.115, 0.165, 0.030),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0011,
    branch_hz=0.9,
    branch_reach=0.0042,
    leaf_reach=0.006,
    reaches=(60, 210, 4000),
    turns=leafy((0.255, 0.215, 0.050), out=3.8, fall=10.6),
    sheds=(0.125, 0.085, 0.048),
)
