"""Files that may be made beside each frame's picture: a module for each, and its line here."""

from __future__ import annotations

from lumwick.deliver.beside import cut_sky, passes
from lumwick.deliver.beside.output import Output, Rendered

__all__ = ["BESIDE", "Output", "Rendered"]

BESIDE: dict[str, Output] = {"passes": passes.OUTPUT, "cut_sky": cut_sky.OUTPUT}
