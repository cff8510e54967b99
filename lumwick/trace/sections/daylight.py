"""The light of the sky at an instant, and what it makes of air and water."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from lumwick.air.atmosphere import ClearSky, clear_sky
from lumwick.air.bands import BAND_RGB_LUX, coefficients
from lumwick.place.fields import Asset
from lumwick.place.nature import Sea, Surround
from lumwick.snapshot.evaluate import Weather
from lumwick.trace.lighting import Lighting, lighting, surround_lighting
from lumwick.trace.textures import read_panorama
from lumwick.water.optics import KINDS, by_clarity


@dataclass(frozen=True)
class WaterLight:
    """What a water does with light, by colour (3,): what it takes of rays and of day with depth [1/m], and what comes
    out where it is deep [cd/m2]."""

    lost: NDArray[np.float64]
    fading: NDArray[np.float64]
    colour: NDArray[np.float64]

    @classmethod
    def of_kind(cls, name: str, down: NDArray[np.float64]) -> WaterLight:
        """A kind of water, by the light [lx] that falls on it."""
        kind = KINDS[name]
        return cls(kind.lost, kind.fading, kind.colour * down)

    @classmethod
    def of_sea(cls, sea: Sea, down: NDArray[np.float64]) -> WaterLight:
        if sea.water != "by clarity":
            return cls.of_kind(sea.water, down)
        lost, returned = by_clarity(sea.clarity)
        return cls(lost, lost, returned * down)


@dataclass(frozen=True)
class DaylightInputs:
    """Where the sun stands, and what lies between it and the place.

    The numbers are exact, so that a frame's light never depends on which frame was made before it; the sun goes in
    steps that nobody sees, so that the moments of one shutter share a sky.

    Attributes
    ----------
    azimuth, elevation : float [degrees]
        Of the sun; azimuth from the model's north.
    distance : float [au]
    toward : ndarray, shape (3,)
        Direction to the sun.
    turn : float [degrees]
        From true north to the model's.
    read : callable
        Gives a file's bytes.
    """

    azimuth: float
    elevation: float
    distance: float
    toward: NDArray[np.float64]
    weather: Weather
    altitude: float
    sea: Sea
    surround: Surround
    surround_lux: float
    turn: float
    read: Callable[[Asset], bytes] = field(compare=False)


@dataclass(frozen=True)
class Daylight:
    """Light of one instant.

    Attributes
    ----------
    clear : ClearSky
        Above the fog.
    light : Lighting
        As surfaces get it.
    panorama : ndarray of float32, shape (h, w, 3) [cd/m2]
        A picture in place of the sky; (1, 1, 3) without one.
    haze, down : ndarray, shape (3,)
        Extinction of air [1/m], and the light that falls on level ground [lx].
    sea : WaterLight
    """

    clear: ClearSky
    light: Lighting
    panorama: NDArray[np.float32]
    haze: NDArray[np.float64]
    down: NDArray[np.float64]
    sea: WaterLight
    notes: tuple[str, ...]


def make_daylight(inputs: DaylightInputs) -> Daylight:
    """The light of a clear sky, or of a picture about the place."""
    w, surround, sea = inputs.weather, inputs.surround, inputs.sea
    sky = clear_sky(inputs.azimuth, inputs.elevation, inputs.distance, w.haze, w.ozone_du, inputs.altitude)
    panorama = np.zeros((1, 1, 3), np.float32)
    notes: tuple[str, ...] = ()
    if surround.picture is None:
        light = lighting(sky, w, inputs.toward)
    else:
        picture, note = read_panorama(inputs.read(surround.picture), surround.picture.name)
        notes = (note,) if note else ()
        sky = replace(sky, sun_lux=np.zeros(3))
        light, panorama = surround_lighting(picture, surround.turn + inputs.turn, inputs.surround_lux, w)
    extinction = coefficients(w.haze, w.ozone_du)
    colour = np.maximum(BAND_RGB_LUX, 0)
    down = light.sky_lux + sky.sun_lux * max(0.0, float(inputs.toward[2])) * light.sun_through_fog
    water = WaterLight.of_sea(sea, down)
    haze = (extinction[0] + extinction[1]) @ colour / colour.sum(0)
    return Daylight(sky, light, panorama, haze, down, water, notes)
