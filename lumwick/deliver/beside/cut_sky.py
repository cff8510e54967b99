"""A frame once more, with the sky cut out."""

from __future__ import annotations

from pathlib import Path

from lumwick.deliver.beside.output import Output, Rendered
from lumwick.deliver.frames import cut_out
from lumwick.deliver.stills import write_png


def write(path: Path, made: Rendered) -> None:
    """PNG with straight alpha (`lumwick.deliver.frames.cut_out`)."""
    shown = made.snapshot
    write_png(path, cut_out(made.film, made.light, shown.camera, shown.grade, made.number))


OUTPUT = Output(
    title="with the sky cut out",
    help="Each frame once more as PNG with straight alpha where the sky was",
    ending=".cut.png",
    bytes_a_pixel=2,
    write=write,
)
