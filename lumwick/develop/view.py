"""Develop linear light into a picture: exposure, white balance, view transform."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from lumwick.lens.camera import Camera, exposure_scale

CONFIG = "cg-config-v2.1.0_aces-v1.3_ocio-v2.3"
DISPLAY, VIEW = "sRGB - Display", "ACES 1.0 - SDR Video"
REC709 = "Linear Rec.709 (sRGB)"
TO_XYZ = np.array([[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]])
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
D65_KELVIN = 6504.0


@lru_cache(1)
def _processor() -> ocio.CPUProcessor:
    config = ocio.Config.CreateFromBuiltinConfig(CONFIG)
    return config.getProcessor(REC709, DISPLAY, VIEW, ocio.TRANSFORM_DIR_FORWARD).getDefaultCPUProcessor()


def daylight_white(kelvin: float) -> NDArray[np.float64]:
    """XYZ of a daylight (from 4000 K) or black-body-like white of unit Y.

    References
    ----------
    CIE 015: chromaticity of daylight phases, 4000 to 25000 K. Below, Kim et al.'s cubic approximation of the
    Planckian locus (from memory).
    """
    t = kelvin
    if t >= 4000:
        x = (-4.6070e9 / t**3 + 2.9678e6 / t**2 + 0.09911e3 / t + 0.244063) if t <= 7000 else (-2.0064e9 / t**3 + 1.9018e6 / t**2 + 0.24748e3 / t + 0.237040)
        y = -3.000 * x * x + 2.870 * x - 0.275
    else:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
        y = (-1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683) if t <= 2222 else (-0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867)
    return np.array([x / y, 1.0, (1 - x - y) / y])


def balance(kelvin: float) -> NDArray[np.float64]:
    """Matrix on linear Rec.709 that turns light of ``kelvin`` into neutral (Bradford adaptation to D65)."""
    source, target = BRADFORD @ daylight_white(kelvin), BRADFORD @ daylight_white(D65_KELVIN)
    adapt = np.linalg.inv(BRADFORD) @ np.diag(target / source) @ BRADFORD
    return np.linalg.inv(TO_XYZ) @ adapt @ TO_XYZ


def develop(radiance: NDArray[np.float32], camera: Camera) -> NDArray[np.uint8]:
    """A display picture.

    Order: exposure, white balance, view transform, 8 bits with ordered rounding.

    Parameters
    ----------
    radiance : ndarray, shape (height, width, 3) [cd/m2]

    Returns
    -------
    ndarray of uint8, shape (height, width, 3)
        sRGB.
    """
    k = exposure_scale(camera.ev100)
    image = (radiance.reshape(-1, 3) @ (balance(camera.kelvin) * k).T.astype(np.float32)).astype(np.float32)
    image = np.ascontiguousarray(np.clip(image, 0, 1e4))
    _processor().applyRGB(image)
    picture = image.reshape(radiance.shape)
    h, w = len(radiance), len(radiance[0])
    # half a step of fixed dither keeps skies from banding
    order = np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]]) / 16.0
    dither = np.tile(order, (h // 4 + 1, w // 4 + 1))[:h, :w, None]
    return np.clip(np.floor(picture * 255.0 + dither), 0, 255).astype(np.uint8)
