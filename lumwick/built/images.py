"""Pictures that come with a model, as RGBA arrays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumwick.errors import PlaceError
from lumwick.strangers import pixels

PIXELS_AT_MOST = 4096
"""A texture's longer side."""


def pixels_of(data: bytes | None, notes: list[str], what: str) -> NDArray[np.uint8] | None:
    """A picture's RGBA codes, shape (height, width, 4); None, with a note, if it cannot be used."""
    if data is None:
        return None
    name = f"its {what} texture"
    try:
        found = pixels(data, name, PIXELS_AT_MOST, notes)
    except PlaceError as error:
        notes.append(f"{str(error).rstrip('.').partition(':')[0]} and was left out")
        return None
    return np.asarray(found if found.dtype == np.uint8 else (found * 255).round(), np.uint8)
