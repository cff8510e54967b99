"""An oak: a short stem that soon parts into wide limbs under a broad, rounded crown."""

from __future__ import annotations

from lumwick.growth.kinds import grown
from lumwick.growth.kinds.kind import Kind
from lumwick.growth.kinds.seasons import leafy
from lumwick.growth.kinds.skeleton import Habit

HABIT = Habit(
    crown=((0.0, 0.30), (0.12, 0.43), (0.4, 0.49), (0.7, 0.40), (0.9, 0.22), (1.0, 0.04)),
    bare=0.17,
    leader=0.32,
    room=3000,
    rises=0.02,
    tip=0.0094,
    flare=1.7,
    leaf=0.1,
    broad=0.62,
    most=20_000,
    cover=3.0,
    outline="lobed",
    blunt=0.6,
)
KIND = Kind(
    maker=grown.make,
    habit=HABIT,
    bark=(0.115, 0.100, 0.083),
    leaf=(0.052, 0.088, 0.024),
    through=(0.080, 0.130, 0.018),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0006,
    branch_hz=1.4,
    branch_reach=0.0017,
    leaf_reach=0.0042,
    reaches=(60, 210, 4000),
    turns=leafy((0.190, 0.105, 0.030), fall=10.7),
    sheds=(0.122, 0.078, 0.042),
)
