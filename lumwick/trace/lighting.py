"""The sky's light as a scene gets it, through fog, and the table by which directions are chosen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.air.atmosphere import ClearSky, sky_at, sky_azimuths, sky_illuminance
from lumwick.air.bands import LUMA
from lumwick.snapshot.evaluate import Weather
from lumwick.trace.records import FOG


@dataclass(frozen=True)
class Lighting:
    """The sky's light as surfaces get it, through fog, and how to choose directions by it."""

    table: NDArray[np.float64]
    pick: NDArray[np.float32]
    pmf: NDArray[np.float32]
    fog: NDArray[np.void]
    """One `lumwick.trace.records.FOG`, shape (1,)."""
    sky_lux: NDArray[np.float64]
    sun_through_fog: float


PICK_ROWS, PICK_COLS = 32, 64


def alias_table(weights: NDArray[np.float64]) -> NDArray[np.float32]:
    """Alias table for choosing cells by their weights in constant time, shape (n, 2): fraction kept, other cell.

    References
    ----------
    Vose, A linear algorithm for generating random numbers with a given distribution, IEEE TSE 17 (1991).
    """
    n = len(weights)
    p = (weights / weights.sum() * n).tolist()
    other = list(range(n))
    small = [i for i in range(n) if p[i] < 1]
    large = [i for i in range(n) if p[i] >= 1]
    keep = [1.0] * n
    while small and large:
        a, b = small.pop(), large.pop()
        keep[a], other[a] = p[a], b
        p[b] -= 1 - p[a]
        (small if p[b] < 1 else large).append(b)
    return np.array([keep, other], np.float32).T.copy()


FOG_ASYMMETRY = 0.65


def _fog(weather: Weather, sunlight: NDArray[np.float64], ambient: NDArray[np.float64]) -> NDArray[np.void]:
    fog = np.zeros(1, FOG)
    fog["extinction"], fog["height"], fog["base"] = weather.fog_extinction, weather.fog_height, weather.fog_base
    fog["sunlight"], fog["ambient"], fog["asymmetry"], fog["open"] = sunlight, ambient, FOG_ASYMMETRY, 1.0
    return fog


def lighting(sky: ClearSky, weather: Weather, sun_direction: NDArray[np.float64], open_share: float = 1.0) -> Lighting:
    """Fog's own light, the fogged sky, and the table by which directions are chosen.

    Fog shines with the sun's light scattered once (Henyey and Greenstein's phase) and, for what is scattered
    often, with the mean of all light that falls on it. ``open_share`` is how much of the sun clouds leave in the mean,
    which ``sky`` has in it.
    """
    n_el = len(sky.table)
    vertical = weather.fog_extinction * weather.fog_height
    sz = float(sun_direction[2])
    through = float(np.exp(-vertical / max(sz, 0.02))) if sz > -0.02 else 0.0
    diffuse = sky_illuminance(sky)
    sun_h = sky.sun_lux * max(sz, 0.0)
    # what fog takes from the beam it gives back, evenly
    ambient = (diffuse + sun_h * (1 - through)) / np.pi * 0.82
    fog = _fog(weather, sky.sun_lux * through, ambient)
    fog["open"] = open_share
    el = 0.5 * np.pi * (np.arange(n_el) / (n_el - 1)) ** 2
    az = np.radians(sky_azimuths())
    dz = np.maximum(np.sin(el), 0.004)
    keep = np.exp(-vertical / dz)[:, None, None]
    cos_sun = np.cos(el)[:, None] * np.cos(az)[None] * np.sqrt(max(0.0, 1 - sz * sz)) + np.sin(el)[:, None] * sz
    g = FOG_ASYMMETRY
    phase = (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cos_sun) ** 1.5)
    glow = fog["sunlight"] * phase[..., None] + ambient
    table = sky.table * keep + glow * (1 - keep)
    fogged = ClearSky(table, sky.sun_lux, sky.sun_azimuth, sky.sun_elevation)
    mid_el = np.degrees(np.arcsin((np.arange(PICK_ROWS) + 0.5) / PICK_ROWS))
    mid_az = (np.arange(PICK_COLS) + 0.5) / PICK_COLS * 360
    lum = sky_at(fogged, mid_el[:, None], ((mid_az + 180) % 360 - 180)[None]) @ LUMA
    pmf = lum + 0.05 * lum.mean()
    # a cell gives light by the cosine on level ground too, but walls see the horizon: half of each
    pmf = pmf * (0.5 + 0.5 * ((np.arange(PICK_ROWS) + 0.5) / PICK_ROWS))[:, None]
    pmf /= pmf.sum()
    pick = alias_table(pmf.ravel())
    return Lighting(table, pick, pmf.astype(np.float32), fog, sky_illuminance(fogged), through)


PANORAMA_ROWS, PANORAMA_COLS = 128, 256


def surround_lighting(
    picture: NDArray[np.float32], turn: float, lux: float, weather: Weather
) -> tuple[Lighting, NDArray[np.float32]]:
    """The light of an environment picture, and the picture in cd/m2.

    Parameters
    ----------
    picture : ndarray, shape (height, width, 3)
        Linear light of the whole sphere, equirectangular.
    turn : float [degrees]
        Bearing of its middle.
    lux : float
        Illuminance that its upper half is to give level ground.
    """
    h, w, _ = picture.shape
    z = np.sin(np.pi * (0.5 - (np.arange(h) + 0.5) / h))
    edge = np.sin(np.pi * (0.5 - np.arange(h + 1) / h))
    angle = (edge[:-1] - edge[1:]) * 2 * np.pi / w  # solid angle of a pixel
    level = (np.maximum(edge[:-1], 0) ** 2 - np.maximum(edge[1:], 0) ** 2) * np.pi / w  # the same, seen by level ground
    down = (picture * level[:, None, None]).sum((0, 1)).astype(float)
    given = float(LUMA @ down)
    if given <= 0:  # all its light comes from below: calibrate by the whole sphere instead
        given = float(LUMA @ (picture * angle[:, None, None]).sum((0, 1))) / 4
    light = (picture * np.float32(lux / given)).astype(np.float32)
    brightness = (light @ LUMA.astype(np.float32)) * angle[:, None]
    row = np.clip(((z + 1) / 2 * PANORAMA_ROWS).astype(int), 0, PANORAMA_ROWS - 1)
    col = (((np.arange(w) + 0.5) / w + 0.5) % 1.0 * PANORAMA_COLS).astype(int)
    pmf = np.zeros((PANORAMA_ROWS, PANORAMA_COLS))
    np.add.at(pmf, (row[:, None], col[None]), brightness)
    pmf += 0.05 * pmf.mean()
    pmf /= pmf.sum()
    ambient = down * (lux / given) / np.pi * 0.82
    fog = _fog(weather, np.zeros(3), ambient)
    return Lighting(
        np.zeros((2, 2, 3)), alias_table(pmf.ravel()), pmf.astype(np.float32), fog, down * (lux / given), 0.0
    ), light
