"""A frame's light and passes, as multi-layer OpenEXR."""

from __future__ import annotations

from pathlib import Path

from lumwick.deliver.beside.output import Output, Rendered
from lumwick.deliver.passes import write_passes


def write(path: Path, made: Rendered) -> None:
    """Its layers (`lumwick.deliver.passes.write_passes`)."""
    write_passes(path, made.film, made.light, made.snapshot.camera, made.rate, made.number, made.motion())


OUTPUT = Output(
    title="with passes, OpenEXR",
    help="Sun, sky, lamps, reflection, emission, depth, normals, motion and mattes of each frame, "
    "as multi-layer OpenEXR",
    ending=".exr",
    bytes_a_pixel=90,
    write=write,
)
