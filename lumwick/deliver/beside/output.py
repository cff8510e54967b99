"""What may be written beside a frame's picture, and what it is made from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lumwick.snapshot.evaluate import Snapshot
from lumwick.trace.film import Film


@dataclass(frozen=True)
class Rendered:
    """A frame that was rendered with its passes.

    Attributes
    ----------
    light : ndarray of float32, shape (height, width, 3) [cd/m2]
        Cleaned.
    number : int
        Of the frame.
    motion : callable
        Gives each pixel's way to the next frame, shape (height, width, 2) [pixels, right and down]; it costs two more
        settings of the stage.
    """

    film: Film
    light: NDArray[np.float32]
    snapshot: Snapshot
    number: int
    rate: Fraction
    motion: Callable[[], NDArray[np.float32]]


@dataclass(frozen=True)
class Output:
    """A file beside a frame's picture.

    Attributes
    ----------
    title, help : str
        What it is called where it is chosen, and what is in it.
    ending : str
        In place of ``.png``.
    bytes_a_pixel : float
        Roughly, for telling whether the disk has room.
    write : callable
        Writes it, whole or not at all.
    """

    title: str
    help: str
    ending: str
    bytes_a_pixel: float
    write: Callable[[Path, Rendered], None]
