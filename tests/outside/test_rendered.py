"""Rendered light measured against the equations of light."""

import datetime as dt

import numpy as np
import pytest

from lumwick.air.atmosphere import clear_sky, sky_at
from lumwick.air.bands import LUMA
from lumwick.develop.view import develop
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of, incident_illuminance
from lumwick.lens.grade import Grade
from lumwick.place.document import Shot
from lumwick.place.filming import Clock
from lumwick.place.nature import Air, Sea, Site
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place


def flat(**changes: object) -> tuple[Setting, Stage]:
    """A bare level place at the demo's latitude, filmed at midsummer noon."""
    place = small_place(growth=[], sea=Sea(present=False), site=Site(latitude=54.6, longitude=0.0), **changes)
    setting = Setting(place, Ground(np.zeros((65, 65), np.float32), 20.0, -640.0, -640.0))
    return setting, Stage(setting)


def quad(x0: float, y0: float, z0: float, x1: float, y1: float, z1: float) -> tuple[np.ndarray, np.ndarray]:
    """An upright (y0 = y1) or level (z0 = z1) rectangle."""
    if y0 == y1:
        v = [[x0, y0, z0], [x1, y0, z0], [x1, y0, z1], [x0, y0, z1]]
    else:
        v = [[x0, y0, z0], [x1, y0, z0], [x1, y1, z0], [x0, y1, z0]]
    return np.array(v, np.float32), np.array([[0, 1, 2, 3]], np.uint32)


def noon(setting: Setting) -> Shot:
    """The place's shot at midsummer noon."""
    return setting.place.shots[0].model_copy(update={"clock": Clock(start=dt.datetime(2026, 6, 21, 12, 0))})


def radiance(
    stage: Stage, setting: Setting, camera: Camera, samples: int = 64, size: tuple[int, int] = (48, 32)
) -> np.ndarray:
    shot = noon(setting)
    stage.set(evaluate(setting, shot, 0.0, camera))
    film = blank(*size)
    expose(stage, film, samples)
    return film.radiance


def test_grey_card_at_noon_meets_the_incident_light_equation_and_the_f16_rule() -> None:
    setting, stage = flat(air=Air(haze=0.1, fog_visibility=200000))
    stage.add_target("card", *quad(-3, -3, 1.5, 3, 3, 1.5), (0.18, 0.18, 0.18))
    camera = Camera(np.array([0.0, -0.01, 4.0]), direction_of(0.0, -89.0), 50.0)
    card = float(radiance(stage, setting, camera)[8:24, 12:36].mean(axis=(0, 1)) @ LUMA)
    lux = card * np.pi / 0.18
    # f/16 at one over the film's speed in full sun is EV 15 (the old f/16 rule, common practice); E = 2.5 * 2^EV
    # (ISO 2720, C = 250)
    assert abs(np.log2(lux / incident_illuminance(15.0))) < 1 / 3
    # and a camera that is set by that meter brings the card out at its own reflectance (plain view, as sRGB codes)
    film = blank(48, 32)
    expose(stage, film, 64)
    metered = Camera(camera.position, camera.forward, 50.0, ev100=float(np.log2(lux / 2.5)))
    codes = develop(film.radiance, metered, Grade(view="plain"))[8:24, 12:36].mean(axis=(0, 1)) / 255
    linear = np.where(codes > 0.04045, ((codes + 0.055) / 1.055) ** 2.4, codes / 12.92)  # IEC 61966-2-1
    assert float(linear @ LUMA) == pytest.approx(0.18, rel=0.03)


def test_koschmieder_contrast_of_dark_targets_in_fog() -> None:
    visibility = 800.0
    setting, stage = flat(air=Air(haze=0.02, fog_visibility=visibility, fog_height=3000, fog_base=0))
    eye = 20.0
    for i, d in enumerate((100.0, 300.0, 600.0)):
        x = (i - 1) * d * 0.16
        stage.add_target(
            f"t{i}", *quad(x - d * 0.05, d, eye - d * 0.04, x + d * 0.05, d, eye + d * 0.04), (0.0, 0.0, 0.0)
        )
    camera = Camera(np.array([0.0, 0.0, eye]), direction_of(0.0, 0.0), 50.0)
    picture = radiance(stage, setting, camera, 16, (240, 120)) @ LUMA
    for i, d in enumerate((100.0, 300.0, 600.0)):
        col = int((0.5 + (i - 1) * 0.16 / (2 * 18 / 50)) * 240)
        target = float(picture[58:62, col - 4 : col + 5].mean())
        horizon = float(picture[58:62, [col - 24, col + 24]].mean())  # fog without end, at the same height
        beta = 2.996 / visibility  # WMO No. 8: meteorological optical range at 5 % contrast
        contrast = (horizon - target) / horizon
        assert contrast == pytest.approx(np.exp(-beta * d), abs=0.03), d


def test_ground_under_a_roof_has_what_light_the_open_sky_beside_it_gives() -> None:
    """A black roof 60 m up and 400 m wide leaves a strip of sky: its light, summed up over directions, against that of
    the whole sky and the sun."""
    setting, stage = flat(air=Air(haze=0.1, fog_visibility=200000))
    camera = Camera(np.array([0.0, 0.0, 1.0]), direction_of(0.0, -89.9), 28.0)  # no air to speak of before it
    stage.add_target("card", *quad(-3, -3, 0.1, 3, 3, 0.1), (0.5, 0.5, 0.5))
    lit = radiance(stage, setting, camera, 16) @ LUMA
    stage.add_target("roof", *quad(-200, -200, 60, 200, 200, 60), (0.0, 0.0, 0.0))
    shaded = radiance(stage, setting, camera, 64) @ LUMA
    seen = evaluate(setting, noon(setting), 0.0, camera)
    sky = clear_sky(seen.key.azimuth, seen.key.elevation, haze=0.1)
    azimuth, elevation = np.meshgrid(np.arange(1.0, 360, 2), np.arange(0.25, 90, 0.5))
    light = sky_at(sky, elevation, (azimuth - seen.key.azimuth + 180) % 360 - 180) @ LUMA
    e = np.radians(elevation)
    weight = light * np.sin(e) * np.cos(e) * np.radians(0.5) * np.radians(2.0)
    edge = 200 / np.maximum(np.abs(np.sin(np.radians(azimuth))), np.abs(np.cos(np.radians(azimuth))))
    beside = weight[np.tan(e) * edge < 60].sum()
    whole = weight.sum() + float(LUMA @ sky.sun_lux) * np.sin(np.radians(seen.key.elevation))
    assert shaded.mean() / lit.mean() == pytest.approx(beside / whole, rel=0.04)


def test_water_absorbs_with_depth() -> None:
    place = small_place(growth=[], site=Site(latitude=8.0), sea=Sea(wind_speed=0.5, level=0.0, clarity=4.0))
    heights = np.full((65, 65), -0.4, np.float32)
    heights[:, 32:] = -9.0
    setting = Setting(place, Ground(heights, 20.0, -640.0, -640.0))
    stage = Stage(setting)
    left = radiance(stage, setting, Camera(np.array([-300.0, 0.0, 60.0]), direction_of(0.0, -80.0), 28.0), 32).mean(
        axis=(0, 1)
    )
    right = radiance(stage, setting, Camera(np.array([300.0, 0.0, 60.0]), direction_of(0.0, -80.0), 28.0), 32).mean(
        axis=(0, 1)
    )
    # red light is lost first; what a bed of 0.4 m sends up is spread by n^2 as it comes out
    assert left[0] > 1.25 * right[0]
    assert right[2] > right[0]
