"""A Lombardy poplar: a narrow column of limbs that all rise along the stem."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.05), (0.15, 0.095), (0.5, 0.11), (0.85, 0.065), (1.0, 0.01)),
    bare=0.08,
    leader=0.94,
    room=3000,
    rises=0.95,
    tip=0.0068,
    flare=1.5,
    leaf=0.075,
    broad=0.95,
    cover=11.0,
    outline="heart",
    blunt=0.35,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.135, 0.125, 0.105),
    leaf=(0.060, 0.098, 0.026),
    through=(0.095, 0.150, 0.020),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0015,
    branch_hz=1.2,
    branch_reach=0.0014,
    leaf_reach=0.0085,
    reaches=(60, 210, 4000),
    turns=leafy((0.330, 0.245, 0.030), fall=10.4),
    sheds=(0.15, 0.108, 0.055),
)
