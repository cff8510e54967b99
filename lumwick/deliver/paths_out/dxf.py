"""Routes as lines in space."""

from __future__ import annotations

import io
from collections.abc import Sequence

import ezdxf
from ezdxf import units

from lumwick.deliver.paths_out.handed import Handed
from lumwick.snapshot.evaluate import Setting


def write(setting: Setting, cameras: Sequence[Handed], suffix: str) -> bytes:
    """Routes as DXF polylines in metres, a layer each."""
    drawing = ezdxf.new("R2010")  # type: ignore[attr-defined]
    drawing.units = units.M
    for h in cameras:
        drawing.modelspace().add_polyline3d(
            [tuple(p) for p in h.track.position.tolist()], dxfattribs={"layer": h.shot.id}
        )
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue().encode()
