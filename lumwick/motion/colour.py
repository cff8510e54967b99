"""Colours as people write and see them: sRGB's curve, hexadecimal codes, and a space in which colours blend evenly."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_FROM_LAB, _FROM_LMS = np.linalg.inv(_TO_LAB), np.linalg.inv(_TO_LMS)


def to_linear(code: ArrayLike) -> NDArray[np.float64]:
    """From the sRGB curve to linear, both 0 to 1 (IEC 61966-2-1)."""
    code = np.asarray(code, float)
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)


def to_code(linear: ArrayLike) -> NDArray[np.float64]:
    """From linear to the sRGB curve, both 0 to 1 (IEC 61966-2-1)."""
    linear = np.asarray(linear, float)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0) ** (1 / 2.4) - 0.055)


def from_hex(text: str) -> NDArray[np.float64]:
    """Linear Rec.709 of a colour written like #8a7b5c, shape (3,)."""
    return to_linear(np.array([int(text[i : i + 2], 16) for i in (1, 3, 5)]) / 255.0)


def to_hex(linear: ArrayLike) -> str:
    """A linear Rec.709 colour written like #8a7b5c; what no screen can show is drawn in."""
    return "#" + "".join(
        f"{int(v):02x}" for v in np.round(np.clip(to_code(np.clip(np.asarray(linear, float), 0, 1)), 0, 1) * 255)
    )


def to_oklab(linear: ArrayLike) -> NDArray[np.float64]:
    """Oklab of linear Rec.709 colours, shape (..., 3).

    References
    ----------
    Ottosson, A perceptual color space for image processing (2020); checked against colour-science in the tests.
    """
    return np.asarray(np.cbrt(np.asarray(linear, float) @ _TO_LMS.T) @ _TO_LAB.T)


def from_oklab(lab: ArrayLike) -> NDArray[np.float64]:
    """Linear Rec.709 of Oklab colours, shape (..., 3)."""
    return (np.asarray(lab, float) @ _FROM_LAB.T) ** 3 @ _FROM_LMS.T
