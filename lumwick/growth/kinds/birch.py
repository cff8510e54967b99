"""A birch: a slender white stem through a light, narrow crown with twigs that hang."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.07), (0.2, 0.19), (0.45, 0.21), (0.75, 0.14), (1.0, 0.015)),
    bare=0.2,
    leader=0.93,
    room=4200,
    rises=0.3,
    hangs=0.07,
    tip=0.0042,
    flare=1.35,
    leaf=0.062,
    broad=0.85,
    cover=4.4,
    outline="egg",
    blunt=0.4,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.40, 0.385, 0.36),
    leaf=(0.070, 0.112, 0.028),
    through=(0.110, 0.170, 0.022),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0013,
    branch_hz=1.7,
    branch_reach=0.0027,
    leaf_reach=0.0065,
    reaches=(55, 190, 4000),
    turns=leafy((0.330, 0.235, 0.035), out=4.1, fall=10.2),
    sheds=(0.15, 0.102, 0.046),
)
