"""Paths from drawings: the lines of a DXF file."""

from __future__ import annotations

import io

import numpy as np
from ezdxf import path as ezpath
from ezdxf import recover

from lumwick.deliver.paths_in.brought import Path3, check_count, distinct
from lumwick.errors import RouteError
from lumwick.place.nature import Site

UNITS = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m", 7: "km", 10: "yd"}
"""By $INSUNITS (Autodesk, DXF reference, HEADER section)."""


FARTHEST = 1e9
FINE, FINE_SHARE = 0.05, 1e-5
"""By how much a curve may be cut short by the straight lines that stand for it: in units, and of its size."""


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The lines of a DXF drawing, by layer and handle, in its own units."""
    try:
        drawing, _ = recover.read(io.BytesIO(data))
    except Exception as error:  # the parser's own complaints are of many kinds
        raise RouteError(f"{name} is no DXF that can be read: {str(error).rstrip('.')}.") from None
    unit = UNITS.get(int(drawing.header.get("$INSUNITS", 0)), "")
    found: list[Path3] = []
    total = 0
    for entity in drawing.modelspace().query("LWPOLYLINE POLYLINE LINE SPLINE ARC"):
        try:
            made = ezpath.make_path(entity)
        except (TypeError, ValueError, ArithmeticError, LookupError):
            continue
        corners = np.array([[v.x, v.y, v.z] for v in made.control_vertices()], float).reshape(-1, 3)
        check_count(len(corners), name)
        if not len(corners) or not np.abs(corners).max() <= FARTHEST:
            raise RouteError(f"{name} holds a line that reaches too far to be a way: {FARTHEST:g} units at most.")
        fine = max(FINE, float(np.ptp(corners, axis=0).max()) * FINE_SHARE)
        points = np.array([[v.x, v.y, v.z] for v in made.flattening(fine, segments=16)], float)
        total += len(points)
        check_count(total, name)
        if len(points) > 1:
            found.append(
                Path3(
                    f"{entity.dxf.layer} {entity.dxf.handle}",
                    distinct(points),
                    bool(np.any(points[:, 2] != 0)),
                    unit=unit,
                )
            )
    return found
