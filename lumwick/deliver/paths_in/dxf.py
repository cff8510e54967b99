"""Paths from drawings: the lines of a DXF file."""

from __future__ import annotations

import io

import ezdxf
import numpy as np
from ezdxf import path as ezpath
from ezdxf import recover

from lumwick.deliver.paths_in.brought import Path3, check_count, distinct
from lumwick.errors import RouteError
from lumwick.place.nature import Site

UNITS = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m", 7: "km", 10: "yd"}
"""By $INSUNITS (Autodesk, DXF reference, HEADER section)."""


def read(data: bytes, name: str, site: Site, rate: float) -> list[Path3]:
    """The lines of a DXF drawing, by layer and handle, in its own units."""
    try:
        drawing, _ = recover.read(io.BytesIO(data))
    except (OSError, ezdxf.DXFError) as error:  # type: ignore[attr-defined]
        raise RouteError(f"{name} is no DXF that can be read: {str(error).rstrip('.')}.") from None
    unit = UNITS.get(int(drawing.header.get("$INSUNITS", 0)), "")
    found: list[Path3] = []
    for entity in drawing.modelspace().query("LWPOLYLINE POLYLINE LINE SPLINE ARC"):
        try:
            made = ezpath.make_path(entity)
        except TypeError:
            continue
        points = np.array([[v.x, v.y, v.z] for v in made.flattening(0.05, segments=16)], float)
        check_count(len(points), name)
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
