"""A whole place handed on as it moves: USD and glTF, with what is chosen of it, and its size told before.

What moves is what the stage draws (`lumwick.trace.stage`), at the start of each frame, with the plants' forms as they
are seen from the middle of the range: they do not change while it lasts.
"""

from __future__ import annotations

from pathlib import Path

from lumwick.deliver.whole.gathered import KINDS, Range, Whole, gather
from lumwick.deliver.whole.size import Told, told_size

__all__ = ["ENDINGS", "KINDS", "Range", "Told", "Whole", "gather", "hand_on", "told_size"]

ENDINGS = (".usd", ".usdc", ".usda", ".glb")


def hand_on(whole: Whole, out: Path) -> int:
    """Write a place, of a USD with its textures in a folder of its name beside it; returns the bytes written.

    Parameters
    ----------
    out : Path
        Its ending is one of `ENDINGS`.
    """
    out.parent.mkdir(parents=True, exist_ok=True)
    if out.suffix.lower() == ".glb":
        from lumwick.deliver.whole import gltf

        gltf.write(whole, out)
        return out.stat().st_size
    from lumwick.deliver.whole import usd

    usd.write(whole, out)
    return out.stat().st_size + sum(path.stat().st_size for path in usd.textures_of(out).glob("*.png"))
