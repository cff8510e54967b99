"""A low many-stemmed shrub."""

from __future__ import annotations

from functools import partial

from lumwick.growth.kinds import broadleaf
from lumwick.growth.kinds.kind import Kind

KIND = Kind(
    maker=partial(broadleaf.make, stems=6),
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
)
