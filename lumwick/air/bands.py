"""The bands of light that the sky is reckoned in, and what air, dust and ozone take of each."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

BANDS_NM = np.asarray(380 + (340 / 12) * (np.arange(12) + 0.5), float)


# Illuminance [lx] of each band of unattenuated sunlight at 1 au, as linear Rec.709 (sums to 133.1 klx).
BAND_RGB_LUX = np.array(
    [
        [252.6, -218.7, 1540.0],
        [4336.6, -3984.4, 29815.9],
        [4450.2, -6075.6, 69465.2],
        [-10992.1, 7203.5, 35324.0],
        [-27451.8, 31431.2, 4277.8],
        [-22479.3, 52931.7, -4969.8],
        [23526.0, 41777.3, -5581.5],
        [75350.3, 12954.4, -3117.9],
        [68066.6, -3026.1, -998.9],
        [25386.0, -2383.5, -217.3],
        [4865.0, -515.2, -34.4],
        [654.7, -71.1, -4.4],
    ]
)


_OZONE_NM = np.arange(380, 731, 10)


LUMA = np.array([0.2126, 0.7152, 0.0722])
_OZONE_M2 = 1e-25 * np.array(
    [
        0.002818,
        0.006636,
        0.01527,
        0.02763,
        0.0552,
        0.08451,
        0.1582,
        0.2316,
        0.3669,
        0.4924,
        0.7752,
        0.9016,
        1.48,
        1.602,
        2.139,
        2.755,
        3.091,
        3.5,
        4.266,
        4.672,
        4.398,
        4.701,
        5.019,
        4.305,
        3.74,
        3.215,
        2.662,
        2.238,
        1.852,
        1.473,
        1.209,
        0.9423,
        0.7455,
        0.6566,
        0.5105,
        0.415,
    ]
)


H_AIR, H_DUST = 8434.5, 1200.0
"""Heights [m] of columns of air and dust that have everywhere the density of the ground: of air p / (rho g) of the
U.S. Standard Atmosphere (1976) at the sea."""


DOBSON_M2 = 2.687e20


def rayleigh_optical_depth(wavelength_nm: NDArray[np.float64] | float) -> NDArray[np.float64]:
    """Vertical Rayleigh optical depth of the whole air at sea level, 45 N (Bodhaine et al. 1999, equation 30)."""
    w = np.asarray(wavelength_nm, float) / 1000.0
    return (
        0.0021520 * (1.0455996 - 341.29061 * w**-2 - 0.90230850 * w**2) / (1 + 0.0027059889 * w**-2 - 85.968563 * w**2)
    )


def coefficients(haze: float, ozone_du: float) -> NDArray[np.float64]:
    """Extinction of air, dust and ozone per band, shape (3, 12): at sea level [1/m] for air and dust, and
    vertical optical depth of the ozone column spread over its layer [1/m at the layer's middle]."""
    air = rayleigh_optical_depth(BANDS_NM) / H_AIR
    dust = haze * (550.0 / BANDS_NM) ** 1.3 / H_DUST
    column = ozone_du * DOBSON_M2
    ozone = np.interp(BANDS_NM, _OZONE_NM, _OZONE_M2) * column / 15000.0  # a tent 15 km half-width has area 15 km
    return np.stack([air, dust, ozone])
