"""A tree like an alder."""

from __future__ import annotations

from lumwick.growth.kinds import broadleaf
from lumwick.growth.kinds.kind import Kind

KIND = Kind(
    maker=broadleaf.make,
    bark=(0.13, 0.115, 0.10),
    leaf=(0.058, 0.098, 0.026),
    through=(0.085, 0.140, 0.020),
    stalk=(0.1, 0.1, 0.05),
    plume=(0.2, 0.15, 0.1),
    compliance=0.0009,
    branch_hz=1.8,
    branch_reach=0.0022,
    leaf_reach=0.0050,
    reaches=(55, 200, 4000),
)
