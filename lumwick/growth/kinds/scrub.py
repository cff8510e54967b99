"""A low many-stemmed shrub."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.34), (0.25, 0.58), (0.6, 0.56), (0.85, 0.36), (1.0, 0.1)),
    bare=0.06,
    leader=0.45,
    stems=6,
    room=900,
    rises=0.08,
    tip=0.0028,
    flare=1.2,
    leaf=0.042,
    broad=0.62,
    cover=2.6,
    blunt=0.55,
    most=9_000,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.12, 0.10, 0.085),
    leaf=(0.062, 0.086, 0.030),
    through=(0.070, 0.105, 0.020),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0008,
    branch_hz=2.2,
    branch_reach=0.0022,
    leaf_reach=0.0045,
    reaches=(30, 110, 1200),
    turns=leafy((0.150, 0.115, 0.035), fall=10.5),
)
