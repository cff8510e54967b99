"""Routes as a drawing, seen from above."""

from __future__ import annotations

from collections.abc import Sequence
from xml.sax.saxutils import quoteattr

import numpy as np

from lumwick.deliver.paths_out.handed import Handed
from lumwick.snapshot.evaluate import Setting


def write(setting: Setting, cameras: Sequence[Handed], suffix: str) -> bytes:
    """Routes as SVG: one unit is a metre, north is up."""
    every = np.concatenate([h.track.position for h in cameras])
    w, s, e, n = every[:, 0].min() - 5, every[:, 1].min() - 5, every[:, 0].max() + 5, every[:, 1].max() + 5
    lines = "".join(
        f'<polyline id={quoteattr(h.shot.id)} fill="none" stroke="#222" stroke-width="0.3" '
        f'points="{" ".join(f"{x:.4f},{-y:.4f}" for x, y, _ in h.track.position)}"/>'
        for h in cameras
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{w:.3f} {-n:.3f} {e - w:.3f} '
        f'{n - s:.3f}"><!-- one unit is a metre; north is up -->{lines}</svg>\n'
    ).encode()
