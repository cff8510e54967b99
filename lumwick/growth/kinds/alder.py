"""An alder: a straight stem through a dark, evenly narrowing crown."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.14), (0.2, 0.25), (0.45, 0.24), (0.75, 0.14), (1.0, 0.02)),
    bare=0.14,
    leader=0.9,
    room=2400,
    rises=0.16,
    tip=0.0062,
    flare=1.45,
    leaf=0.085,
    broad=0.88,
    cover=4.2,
    outline="spoon",
    blunt=0.6,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.13, 0.115, 0.10),
    leaf=(0.058, 0.098, 0.026),
    through=(0.085, 0.140, 0.020),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0009,
    branch_hz=1.8,
    branch_reach=0.0022,
    leaf_reach=0.005,
    reaches=(55, 200, 4000),
    turns=leafy((0.105, 0.105, 0.032), fall=10.7),
    sheds=(0.125, 0.085, 0.048),
)
