"""Colours of light: whites by their temperature."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
"""Linear Rec.709 (D65) to CIE XYZ."""


def daylight_white(kelvin: float) -> NDArray[np.float64]:
    """XYZ of a daylight (from 4000 K) or black-body-like white of unit Y.

    References
    ----------
    CIE 015: chromaticity of daylight phases, 4000 to 25000 K. Below, Kim et al.'s cubic approximation of the
    Planckian locus (from memory; checked against colour-science in the tests).
    """
    if kelvin < 4000:
        return planckian_white(kelvin)
    t = kelvin
    x = (
        (-4.6070e9 / t**3 + 2.9678e6 / t**2 + 0.09911e3 / t + 0.244063)
        if t <= 7000
        else (-2.0064e9 / t**3 + 1.9018e6 / t**2 + 0.24748e3 / t + 0.237040)
    )
    y = -3.000 * x * x + 2.870 * x - 0.275
    return np.array([x / y, 1.0, (1 - x - y) / y])


def planckian_white(kelvin: float) -> NDArray[np.float64]:
    """XYZ of a black body's light of unit Y, 1667 to 25000 K.

    References
    ----------
    Kim et al.'s cubic approximation of the Planckian locus (from memory; checked against colour-science in the tests).
    """
    t = min(max(kelvin, 1667.0), 25000.0)
    if t < 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
        y = (
            (-1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683)
            if t <= 2222
            else (-0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867)
        )
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(64)
def _rgb(kelvin: float) -> tuple[float, ...]:
    rgb = np.maximum(np.linalg.inv(TO_XYZ) @ planckian_white(kelvin), 0)
    return tuple(rgb / (TO_XYZ[1] @ rgb))


def temperature_rgb(kelvin: float) -> NDArray[np.float64]:
    """Linear Rec.709 light of a black body's colour and unit luminance, shape (3,)."""
    return np.array(_rgb(float(kelvin)))
