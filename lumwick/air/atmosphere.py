"""The light of a clear sky: sunlight scattered by air, dust and ozone, in 12 bands of wavelength.

Single scattering is integrated along each ray through a spherical atmosphere; the light scattered more
often is added as an isotropic source. Radiances come out in cd/m2, linear Rec.709.

References
----------
Bodhaine et al., On Rayleigh optical depth calculations, J. Atmos. Oceanic Technol. 16 (1999): optical depth.
Hillaire, A scalable and production ready sky and atmosphere rendering technique, EGSR 2020: the sum of the
higher orders. Cornette and Shanks, Applied Optics 31 (1992): phase function of aerosol.
ASTM G173-03: the sun's spectrum outside the air, folded with the CIE 1931 observer into BAND_RGB_LUX.
Ozone cross-sections of the Chappuis band near 230 K are from memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import BAND_RGB_LUX, coefficients
from lumwick.air.medium import EARTH, FAST, Medium, columns, look_up, march
from lumwick.air.orders import higher_orders

N_EL, N_AZ = 80, 65


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def _sky_table(r0, sz, medium, rgb, shape, steps):
    """Sky radiance [cd/m2, Rec.709] by elevation (quadratic, finer at the horizon) and azimuth from the sun."""
    n_el, n_az = shape
    out = np.zeros((n_el, n_az, 3))
    sx = np.sqrt(max(0.0, 1 - sz * sz))
    bands = medium.ext.shape[1]
    for cell in nb.prange(n_el * n_az):
        i, j = cell // n_az, cell % n_az
        el = 0.5 * np.pi * (i / (n_el - 1)) ** 2
        az = np.pi * (j / (n_az - 1)) ** 2
        dz, dx = np.sin(el), np.cos(el) * np.cos(az)
        lum = np.zeros(bands)
        march(r0, (dx, max(dz, 1e-4)), (sx, sz), steps, medium, True, lum)
        for c in range(3):
            total = 0.0
            for w in range(bands):
                total += lum[w] * rgb[w, c]
            out[i, j, c] = max(0.0, total)
    return out


@dataclass(frozen=True)
class ClearSky:
    """A clear sky of one instant.

    Attributes
    ----------
    table : ndarray, shape (N_EL, 2 N_AZ - 1, 3) [cd/m2]
        Rows go from the horizon up, elevation 90 * (i / (N_EL - 1))**2 degrees; columns by `sky_azimuths` from
        ``sun_azimuth``.
    sun_lux : ndarray, shape (3,) [lx]
        Illuminance by the disc of the sun, or of the moon where that is what shines, on a surface facing it, linear
        Rec.709.
    sun_azimuth, sun_elevation : float [degrees]
        Of that disc.
    """

    table: NDArray[np.float64]
    sun_lux: NDArray[np.float64]
    sun_azimuth: float
    sun_elevation: float

    def seen_about(self, azimuth: float) -> NDArray[np.float64]:
        """Its table told about another bearing [degrees]."""
        el = 90 * (np.arange(N_EL) / (N_EL - 1)) ** 2
        off = (azimuth + sky_azimuths() - self.sun_azimuth + 180.0) % 360.0 - 180.0
        return sky_at(self, el[:, None], off[None])


def sky_azimuths() -> NDArray[np.float64]:
    """Azimuths [degrees] of a sky table's columns from the one that it is told about, closer about that: from -180 to
    180, shape (2 N_AZ - 1,)."""
    half = 180 * (np.arange(N_AZ) / (N_AZ - 1)) ** 2
    return np.concatenate([-half[:0:-1], half])


DARK = -18.5
"""Height [degrees] under which what the sun leaves of dusk is a hundredth of the night's own light."""
NIGHT_CD = np.array([1.6e-4, 1.9e-4, 2.5e-4])
"""Radiance of a moonless night sky overhead, without its stars (about 2e-4 cd/m2, from memory)."""


def clear_sky(
    azimuth: float,
    elevation: float,
    distance_au: float = 1.0,
    haze: float = 0.12,
    ozone_du: float = 320.0,
    altitude: float = 0.0,
    ground: float = 0.12,
) -> ClearSky:
    """Light of a cloudless sky for one position of the sun.

    Parameters
    ----------
    azimuth, elevation : float [degrees]
    distance_au : float [au]
        Distance of the sun; light goes as its inverse square.
    haze : float
        Aerosol optical depth at 550 nm.
    ozone_du : float [Dobson units]
    altitude : float [m]
        Of the eye over the sea.
    ground : float
        Mean albedo of the land, which lights the air from below.
    """
    table, sun = _light_of(
        round(elevation / SUN_STEP) * SUN_STEP, round(distance_au, 4), round(haze, 3), ozone_du, altitude, ground
    )
    return ClearSky(table, sun, azimuth, elevation)


SUN_STEP = 0.02
"""The sky is integrated at whole multiples of this many degrees of the sun's height, so that a slow day need not do
it for every frame."""


@lru_cache(64)
def _light_of(
    elevation: float, distance_au: float, haze: float, ozone_du: float, altitude: float, ground: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    if elevation < DARK:
        return np.zeros((N_EL, 2 * N_AZ - 1, 3)), np.zeros(3)
    ext = coefficients(haze, ozone_du)
    psi = higher_orders(haze, ozone_du, ground)
    r0 = EARTH + max(altitude, 0.0) + 2.0
    rgb = BAND_RGB_LUX / distance_au**2
    sz = np.sin(np.radians(elevation))
    table = _sky_table(r0, sz, Medium(columns(), ext, psi, ground), rgb, (N_EL, N_AZ), 26)
    return np.concatenate([table[:, :0:-1], table], axis=1), _disc(r0, elevation, ext, rgb)


def _disc(r0: float, elevation: float, ext: NDArray[np.float64], rgb: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light [lx] of the sun's disc on a surface facing it, at a radius [m]."""
    cols, sun = np.zeros(3), np.zeros(3)
    # the disc sets over a quarter of a degree either side of its centre
    for offset in (-0.2, -0.07, 0.07, 0.2):
        if look_up(columns(), r0, np.sin(np.radians(elevation + offset)), cols):
            sun += 0.25 * np.clip(np.exp(-(cols @ ext)) @ rgb, 0, None)
    return sun


def sun_at_height(
    elevation: float, distance_au: float, haze: float, ozone_du: float, altitude: float
) -> NDArray[np.float64]:
    """Light [lx, Rec.709] of the sun's disc on a surface facing it, at a height over the sea [m]: it shines on clouds
    when it has set for who stands under them. Shape (3,)."""
    ext, rgb = coefficients(haze, ozone_du), BAND_RGB_LUX / distance_au**2
    return _disc(EARTH + max(altitude, 0.0) + 2.0, elevation, ext, rgb)


def _between(
    elevation: NDArray[np.float64] | float, from_sun: NDArray[np.float64] | float
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Row and column of a sky's table before a direction [degrees], and how far on it lies to the next."""
    off = np.clip(np.asarray(from_sun, float) / 180, -1, 1)
    fi = np.sqrt(np.clip(np.asarray(elevation, float) / 90, 0, 1)) * (N_EL - 1)
    fj = (1 + np.sign(off) * np.sqrt(np.abs(off))) * (N_AZ - 1)
    i, j = np.minimum(fi.astype(int), N_EL - 2), np.minimum(fj.astype(int), 2 * N_AZ - 3)
    return i, j, fi - i, fj - j


def sky_at(
    sky: ClearSky, elevation: NDArray[np.float64] | float, from_sun: NDArray[np.float64] | float
) -> NDArray[np.float64]:
    """Radiance [cd/m2] at an elevation and an azimuth from the sun, -180 to 180 [degrees], shape (..., 3)."""
    i, j, a, b = _between(elevation, from_sun)
    a, b, t = a[..., None], b[..., None], sky.table
    return np.asarray(
        (t[i, j] * (1 - a) + t[i + 1, j] * a) * (1 - b) + (t[i, j + 1] * (1 - a) + t[i + 1, j + 1] * a) * b
    )


def sky_illuminance(sky: ClearSky) -> NDArray[np.float64]:
    """Horizontal illuminance [lx, Rec.709] by the sky without the sun, shape (3,)."""
    return np.asarray(np.tensordot(_on_level_ground(), sky.table))


@lru_cache(1)
def _on_level_ground() -> NDArray[np.float64]:
    """What each number of a sky's table counts for in the light on level ground [sr]."""
    rise = (np.arange(96) + 0.5) / 96  # equal areas
    el, az = np.meshgrid(np.degrees(np.arcsin(rise)), np.arange(180) + 0.5, indexing="ij")
    i, j, a, b = _between(el, az)
    share = np.repeat(rise[:, None], 180, 1) * 2 * np.pi / el.size
    out = np.zeros((N_EL, 2 * N_AZ - 1))
    for row, up in ((i, 1 - a), (i + 1, a)):
        for column, aside in ((j, 1 - b), (j + 1, b)):
            np.add.at(out, (row, column), share * up * aside)
    return out
