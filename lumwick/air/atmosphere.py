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
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import BAND_RGB_LUX, H_AIR, H_DUST, coefficients
from lumwick.keep import cached

FAST = {"contract", "arcp", "afn", "reassoc", "nsz"}
EARTH, TOP = 6371.0e3, 6471.0e3
DUST_ALBEDO, DUST_G = 0.94, 0.76
N_EL, N_AZ = 80, 65
N_H, N_MU = 40, 256


@nb.njit(fastmath=FAST, cache=True)
def _densities(h):
    return np.exp(-h / H_AIR), np.exp(-h / H_DUST), max(0.0, 1.0 - abs(h - 25000.0) / 15000.0)


@nb.njit(fastmath=FAST, cache=True)
def _to_top(r, mu):
    return -r * mu + np.sqrt(max(0.0, r * r * (mu * mu - 1.0) + TOP * TOP))


@nb.njit(cache=True)
def _hits_earth(r, mu):
    return mu < 0.0 and r * r * (mu * mu - 1.0) + EARTH * EARTH >= 0.0


@nb.njit(cache=True)
def _column_table(n_h, n_mu):
    """Columns [m of sea-level density] to the top of the air, by height and direction; -1 where earth is in the way."""
    out = np.zeros((n_h, n_mu, 3))
    for i in range(n_h):
        r = EARTH + (TOP - EARTH) * (i / (n_h - 1)) ** 2 + 0.5
        low = -np.sqrt(max(0.0, 1 - (EARTH / r) ** 2))
        for j in range(n_mu):
            x = j / (n_mu - 1)
            mu = low + (1 - low) * x * x
            length = _to_top(r, mu)
            steps = 400
            for k in range(steps):
                # finer near the start, where the air is densest
                a, b = (k / steps) ** 2 * length, ((k + 1) / steps) ** 2 * length
                s = 0.5 * (a + b)
                h = np.sqrt(r * r + s * s + 2 * r * mu * s) - EARTH
                d = _densities(h)
                for c in range(3):
                    out[i, j, c] += d[c] * (b - a)
    return out


@lru_cache(1)
def columns() -> NDArray[np.float64]:
    """The table of columns; it depends on the shape of the atmosphere alone."""
    return cached("air", "columns", lambda: {"columns": _column_table(N_H, N_MU)})["columns"]


@nb.njit(fastmath=FAST, cache=True)
def _look_up(table, r, mu, out):
    """Columns towards ``mu`` at radius ``r``; False if the earth is in the way."""
    low = -np.sqrt(max(0.0, 1 - (EARTH / r) ** 2))
    if mu < low:
        return False
    n_h, n_mu = table.shape[0], table.shape[1]
    fi = np.sqrt(min(1.0, max(0.0, (r - EARTH) / (TOP - EARTH)))) * (n_h - 1)
    fj = np.sqrt(min(1.0, max(0.0, (mu - low) / (1 - low)))) * (n_mu - 1)
    i, j = min(int(fi), n_h - 2), min(int(fj), n_mu - 2)
    a, b = fi - i, fj - j
    for c in range(3):
        out[c] = (table[i, j, c] * (1 - a) + table[i + 1, j, c] * a) * (1 - b) + (
            table[i, j + 1, c] * (1 - a) + table[i + 1, j + 1, c] * a
        ) * b
    return True


@nb.njit(fastmath=FAST, cache=True)
def _dust_phase(c):
    g = DUST_G
    return 3 / (8 * np.pi) * (1 - g * g) * (1 + c * c) / ((2 + g * g) * (1 + g * g - 2 * g * c) ** 1.5)


class Medium(NamedTuple):
    """Air as compiled code reads it.

    Attributes
    ----------
    table : ndarray
        Columns to the sun (`columns`).
    ext : ndarray, shape (3, bands) [1/m]
        Extinction of air, dust and ozone at the ground.
    more : ndarray, shape (n, m, bands)
        Light of all higher orders (`_multiple`).
    ground : float
        Albedo.
    """

    table: NDArray[np.float64]
    ext: NDArray[np.float64]
    more: NDArray[np.float64]
    ground: float


@nb.njit(fastmath=FAST, cache=True)
def _march(r0, way, sun, steps, medium, out, lost):
    """Radiance per unit solar irradiance along one ray, per band, added to ``out``.

    The frame has the zenith along z and the sun in the x-z plane; ``way`` and ``sun`` are the ray's and the sun's
    components there (the ray's y component only lengthens it). ``medium`` is a `Medium`; ``lost`` takes the share
    scattered with unit isotropic light.
    """
    (dx, dz), (sx, sz) = way, sun
    table, ext, more = medium.table, medium.ext, medium.more
    cos_sun = dx * sx + dz * sz
    bands = ext.shape[1]
    hits = _hits_earth(r0, dz)
    if hits:
        length = -r0 * dz - np.sqrt(max(0.0, r0 * r0 * (dz * dz - 1.0) + EARTH * EARTH))
    else:
        length = _to_top(r0, dz)
    depth = np.zeros(bands)
    cols = np.zeros(3)
    pr = 3 / (16 * np.pi) * (1 + cos_sun * cos_sun)
    pm = _dust_phase(cos_sun)
    for k in range(steps):
        a, b = (k / steps) ** 2 * length, ((k + 1) / steps) ** 2 * length
        s, ds = 0.5 * (a + b), b - a
        r = np.sqrt(r0 * r0 + s * s + 2 * r0 * dz * s)
        d0, d1, d2 = _densities(r - EARTH)
        mu_sun = ((r0 + dz * s) * sz + dx * s * sx) / r
        lit = _look_up(table, r, mu_sun, cols)
        fi = min(max((r - EARTH) / (TOP - EARTH), 0.0), 1.0) * (more.shape[0] - 1)
        fj = min(max(0.5 * (mu_sun + 1), 0.0), 1.0) * (more.shape[1] - 1)
        i, j = min(int(fi), more.shape[0] - 2), min(int(fj), more.shape[1] - 2)
        wa, wb = fi - i, fj - j
        for w in range(bands):
            sr, sm = d0 * ext[0, w], d1 * ext[1, w] * DUST_ALBEDO
            total = d0 * ext[0, w] + d1 * ext[1, w] + d2 * ext[2, w]
            half = np.exp(-(depth[w] + 0.5 * total * ds))
            src = 0.0
            if lit:
                src = np.exp(-(cols[0] * ext[0, w] + cols[1] * ext[1, w] + cols[2] * ext[2, w])) * (sr * pr + sm * pm)
            psi = (more[i, j, w] * (1 - wa) + more[i + 1, j, w] * wa) * (1 - wb) + (
                more[i, j + 1, w] * (1 - wa) + more[i + 1, j + 1, w] * wa
            ) * wb
            # the step's own extinction, integrated exactly
            held = ds if total * ds < 1e-6 else (1 - np.exp(-total * ds)) / total * np.exp(0.5 * total * ds)
            out[w] += half * held * (src + (sr + sm) * psi)
            lost[w] += half * held * (sr + sm) / (4 * np.pi)
            depth[w] += total * ds
    if hits:
        r = EARTH + 0.5
        s = length
        mu_sun = ((r0 + dz * s) * sz + dx * s * sx) / r
        if mu_sun > 0 and _look_up(table, r, mu_sun, cols):
            for w in range(bands):
                t = np.exp(-(cols[0] * ext[0, w] + cols[1] * ext[1, w] + cols[2] * ext[2, w]) - depth[w])
                out[w] += t * mu_sun * medium.ground / np.pi


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def _multiple(table, ext, ground, n_h, n_s):
    """Isotropic radiance of all higher orders per unit solar irradiance, by height and the sun's height."""
    bands = ext.shape[1]
    once = Medium(table, ext, np.zeros((2, 2, bands)), ground)
    psi = np.zeros((n_h, n_s, bands))
    for cell in nb.prange(n_h * n_s):
        i, j = cell // n_s, cell % n_s
        r = EARTH + 1.0 + (TOP - EARTH - 2.0) * i / (n_h - 1)
        sz = 2.0 * j / (n_s - 1) - 1
        sx = np.sqrt(max(0.0, 1 - sz * sz))
        second, f = np.zeros(bands), np.zeros(bands)
        n_mu, n_az = 8, 6
        for a in range(n_mu):
            dz = 2 * (a + 0.5) / n_mu - 1
            for b in range(n_az):
                az = np.pi * (b + 0.5) / n_az
                dx = np.sqrt(1 - dz * dz) * np.cos(az)
                lum, lost = np.zeros(bands), np.zeros(bands)
                # isotropic phase for the higher orders: evaluate the phase at the angle of its mean
                _march(r, (dx, dz), (sx, sz), 20, once, lum, lost)
                for w in range(bands):
                    second[w] += lum[w] / (n_mu * n_az)
                    f[w] += lost[w] / (n_mu * n_az) * 4 * np.pi
        for w in range(bands):
            psi[i, j, w] = second[w] / max(1e-3, 1 - min(f[w], 0.98))
    return psi


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
        lum, lost = np.zeros(bands), np.zeros(bands)
        _march(r0, (dx, max(dz, 1e-4)), (sx, sz), steps, medium, lum, lost)
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
    table : ndarray, shape (N_EL, N_AZ, 3) [cd/m2]
        Rows go from the horizon up, elevation 90 * (i / (N_EL - 1))**2 degrees; columns away from the sun's
        azimuth, 180 * (j / (N_AZ - 1))**2 degrees.
    sun_lux : ndarray, shape (3,) [lx]
        Illuminance by the sun's disc on a surface facing it, linear Rec.709.
    """

    table: NDArray[np.float64]
    sun_lux: NDArray[np.float64]
    sun_azimuth: float
    sun_elevation: float


@lru_cache(8)
def _higher_orders(haze: float, ozone_du: float, ground: float) -> NDArray[np.float64]:
    return cached(
        "air",
        repr((haze, ozone_du, ground)),
        lambda: {"orders": _multiple(columns(), coefficients(haze, ozone_du), ground, 12, 40)},
    )["orders"]


NIGHT_CD = np.array([1.6e-4, 1.9e-4, 2.5e-4])
"""Radiance of a moonless night sky (about 2e-4 cd/m2, from memory), so that night is not a division by zero."""


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
    ext = coefficients(haze, ozone_du)
    psi = _higher_orders(haze, ozone_du, ground)
    r0 = EARTH + max(altitude, 0.0) + 2.0
    rgb = BAND_RGB_LUX / distance_au**2
    sz = np.sin(np.radians(elevation))
    table = _sky_table(r0, sz, Medium(columns(), ext, psi, ground), rgb, (N_EL, N_AZ), 26) + NIGHT_CD
    cols = np.zeros(3)
    sun = np.zeros(3)
    # the disc sets over a quarter of a degree either side of its centre
    for offset in (-0.2, -0.07, 0.07, 0.2):
        if _look_up(columns(), r0, np.sin(np.radians(elevation + offset)), cols):
            sun += 0.25 * np.clip(np.exp(-(cols @ ext)) @ rgb, 0, None)
    return table, sun


def sky_at(
    sky: ClearSky, elevation: NDArray[np.float64] | float, from_sun: NDArray[np.float64] | float
) -> NDArray[np.float64]:
    """Radiance [cd/m2] at an elevation and an azimuth from the sun [degrees], shape (..., 3)."""
    fi = np.sqrt(np.clip(np.asarray(elevation, float) / 90, 0, 1)) * (N_EL - 1)
    fj = np.sqrt(np.clip(np.abs(np.asarray(from_sun, float)) / 180, 0, 1)) * (N_AZ - 1)
    i, j = np.minimum(fi.astype(int), N_EL - 2), np.minimum(fj.astype(int), N_AZ - 2)
    a, b = (fi - i)[..., None], (fj - j)[..., None]
    t = sky.table
    return np.asarray(
        (t[i, j] * (1 - a) + t[i + 1, j] * a) * (1 - b) + (t[i, j + 1] * (1 - a) + t[i + 1, j + 1] * a) * b
    )


def sky_illuminance(sky: ClearSky) -> NDArray[np.float64]:
    """Horizontal illuminance [lx, Rec.709] by the sky without the sun, shape (3,)."""
    el = np.degrees(np.arcsin((np.arange(96) + 0.5) / 96))  # equal areas
    az = np.arange(180) + 0.5
    grid = sky_at(sky, *np.meshgrid(el, az, indexing="ij"))
    return np.asarray((grid * np.sin(np.radians(el))[:, None, None]).mean(axis=(0, 1)) * 2 * np.pi)
