"""Pictures that come with a model, as RGBA arrays."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

PIXELS_AT_MOST = 4096
"""A texture's longer side."""


def pixels_of(image: Any, notes: list[str], what: str) -> NDArray[np.uint8] | None:
    """A picture's RGBA codes, shape (height, width, 4); None, with a note, if it is damaged."""
    if image is None:
        return None
    try:
        if image.mode.startswith("I"):
            return np.repeat((np.asarray(image, float) / 257.0).round().clip(0, 255).astype(np.uint8)[..., None], 4, -1)
        if image.mode == "CMYK":
            notes.append(f"its {what} texture was turned from CMYK to RGB without its profile")
        if max(image.size) > PIXELS_AT_MOST:
            notes.append(f"its {what} texture was reduced from {image.width}x{image.height}")
            image = image.copy()
            image.thumbnail((PIXELS_AT_MOST, PIXELS_AT_MOST))
        return np.asarray(image.convert("RGBA"))
    except (OSError, ValueError, SyntaxError):
        notes.append(f"its {what} texture is damaged and was left out")
        return None
