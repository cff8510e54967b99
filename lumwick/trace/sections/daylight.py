"""The light of the sky at an instant, and what it makes of air and water."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from lumwick.air.atmosphere import ClearSky, clear_sky, sky_illuminance, sun_at_height
from lumwick.air.bands import BAND_RGB_LUX, coefficients
from lumwick.air.clouds import OKTAS, Deck, Veil
from lumwick.lens.camera import direction_of
from lumwick.place.document import Place
from lumwick.place.fields import Asset
from lumwick.place.nature import Sea, Surround
from lumwick.snapshot.evaluate import Snapshot, Weather
from lumwick.snapshot.sun_moon import KeyLight
from lumwick.trace.lighting import Lighting, lighting, surround_lighting
from lumwick.trace.sections.clouds import NONE, Clouds, Daystar, clouds, laid_over
from lumwick.trace.sections.night import STARS_FROM, Night, NightInputs, moonlight, night, night_sky
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


SUN_STEP = 1e-3
"""Steps [degrees] by which the sky follows the sun: a quarter of a second of the day (practice)."""
BY_SUN = KeyLight(0.0, 0.0)


def _night_of(snap: Snapshot, sun_height: float) -> NightInputs:
    """What of the heavens changes a snapshot's picture."""
    site, moon = snap.place.site, snap.moon
    north = float(site.north_turn)
    if moon is not None:
        told = {name: round(getattr(moon, name), 3) for name in ("azimuth", "elevation", "phase_angle", "limb", "pole")}
        moon = replace(moon, **{**told, "azimuth": told["azimuth"] + north, "distance_km": round(moon.distance_km)})
    jd = snap.jd if sun_height < STARS_FROM else 0.0
    return NightInputs(moon, snap.heavens, jd, float(site.latitude), float(site.longitude), north)


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
        Direction to what casts shadows: the sun, or the moon.
    key : KeyLight
        Which of them it is.
    turn : float [degrees]
        From true north to the model's.
    read : callable
        Gives a file's bytes.
    """

    azimuth: float
    elevation: float
    distance: float
    toward: NDArray[np.float64]
    key: KeyLight
    night: NightInputs
    weather: Weather
    altitude: float
    sea: Sea
    surround: Surround
    surround_lux: float
    turn: float
    deck: Deck | None
    veil: Veil | None
    read: Callable[[Asset], bytes] = field(compare=False)

    @classmethod
    def of(cls, snap: Snapshot, place: Place, read: Callable[[Asset], bytes]) -> DaylightInputs:
        """What the light of a snapshot goes by; the sea of ``place`` is as it stands then."""
        azimuth, elevation = (
            round(float(angle) / SUN_STEP) * SUN_STEP
            for angle in (snap.sun.azimuth + place.site.north_turn, snap.sun.elevation)
        )
        return cls(
            azimuth=azimuth,
            elevation=elevation,
            distance=round(float(snap.sun.distance_au), 6),
            toward=snap.key_direction if snap.key.by_moon else direction_of(azimuth, elevation),
            key=snap.key if snap.key.by_moon else BY_SUN,
            night=_night_of(snap, elevation),
            weather=snap.weather,
            altitude=place.site.altitude,
            sea=place.sea,
            surround=place.surround,
            surround_lux=snap.surround_lux,
            turn=place.site.north_turn,
            deck=snap.deck,
            veil=snap.veil,
            read=read,
        )


@dataclass(frozen=True)
class Daylight:
    """Light of one instant.

    Attributes
    ----------
    clear : ClearSky
        Above the fog, told about the bearing of what casts shadows.
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
    clouds: Clouds
    night: Night
    notes: tuple[str, ...]


def make_daylight(inputs: DaylightInputs) -> Daylight:
    """The light of the sky and its clouds, or of a picture about the place."""
    w, surround, sea = inputs.weather, inputs.surround, inputs.sea
    sky = _sky(inputs)
    panorama = np.zeros((1, 1, 3), np.float32)
    notes: tuple[str, ...] = ()
    made, extinction = NONE, coefficients(w.haze, w.ozone_du)
    colour = np.maximum(BAND_RGB_LUX, 0)
    haze = (extinction[0] + extinction[1]) @ colour / colour.sum(0)
    if surround.picture is None:
        made = clouds(inputs.deck, inputs.veil, _lit_by(inputs, sky, haze))
        covered = sky
        if made is not NONE:
            covered = replace(sky, table=laid_over(sky.table, made), sun_lux=sky.sun_lux * made.sun)
        light = lighting(covered, w, inputs.toward, made.sun)
    else:
        picture, note = read_panorama(inputs.read(surround.picture), surround.picture.name)
        notes = (note,) if note else ()
        sky = replace(sky, sun_lux=np.zeros(3))
        light, panorama = surround_lighting(picture, surround.turn + inputs.turn, inputs.surround_lux, w)
    down = light.sky_lux + sky.sun_lux * made.sun * max(0.0, float(inputs.toward[2])) * light.sun_through_fog
    water = WaterLight.of_sea(sea, down)
    shining = night(inputs.night, w.haze, w.ozone_du, inputs.altitude)
    return Daylight(sky, light, panorama, haze, down, water, made, shining, notes)


def _sky(inputs: DaylightInputs) -> ClearSky:
    """The whole sky without clouds: of the sun, wherever it is, of the moon, and of the night itself."""
    w, about = inputs.weather, float(np.degrees(np.arctan2(inputs.toward[0], inputs.toward[1])))
    sky = clear_sky(inputs.azimuth, inputs.elevation, inputs.distance, w.haze, w.ozone_du, inputs.altitude)
    more = night_sky(inputs.night, about, inputs.elevation, w.haze, w.ozone_du, inputs.altitude)
    if not inputs.key.by_moon:
        return replace(sky, table=sky.table + more)
    assert inputs.night.moon is not None
    lux = inputs.key.share * moonlight(inputs.night.moon, w.haze, w.ozone_du, inputs.altitude)
    return ClearSky(sky.seen_about(about) + more, lux, about, inputs.key.elevation)


GROUND = 0.14
"""Albedo of the land under clouds (practice)."""


def _lit_by(inputs: DaylightInputs, sky: ClearSky, haze: NDArray[np.float64]) -> Daystar:
    """What lights the clouds."""
    w, z = inputs.weather, max(float(inputs.toward[2]), 0.0)

    def sun(height: float) -> NDArray[np.float64]:
        over = inputs.altitude + height
        if inputs.key.by_moon and inputs.night.moon is not None:
            return inputs.key.share * moonlight(inputs.night.moon, w.haze, w.ozone_du, over)
        return sun_at_height(inputs.elevation, inputs.distance, w.haze, w.ozone_du, over)

    above = sky_illuminance(sky)
    share = inputs.deck.oktas / OKTAS if inputs.deck else 0.0
    below = GROUND * (above + sky.sun_lux * z) * (1 - 0.65 * share) / np.pi
    low, high = inputs.deck.top if inputs.deck else 0.0, inputs.veil.height if inputs.veil else 0.0
    return Daystar(inputs.toward, sun(low), sun(high), above / np.pi, below, haze)
