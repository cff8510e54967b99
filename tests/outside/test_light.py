"""Light, lens and colour in rendered pictures and tables, against closed forms and reference libraries."""

from functools import cache

import colour
import numpy as np
import pytest

from lumwick.air.atmosphere import ClearSky, sky_illuminance
from lumwick.air.bands import LUMA
from lumwick.develop.view import balance
from lumwick.lens.camera import Camera, circle_of_confusion, direction_of
from lumwick.lens.colour import daylight_white
from lumwick.picture import frame_picture, picture_at
from lumwick.place.document import Shot
from lumwick.place.filming import Exposure, Route, Station
from lumwick.place.nature import Air
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.integrator.facets import fresnel
from lumwick.trace.integrator.media import IOR_WATER as IOR
from lumwick.trace.quality import Limit, Quality
from lumwick.trace.render import expose
from lumwick.trace.sections import daylight
from tests.outside.test_rendered import flat, quad, radiance

CLEAR = Air(haze=0.1, fog_visibility=200000, fog_height=100)


def from_above(height: float = 4.0, focal: float = 50.0) -> Camera:
    return Camera(np.array([0.0, -0.01, height]), direction_of(0.0, -89.9), focal)


def test_a_matt_card_under_sun_and_sky_is_lambert() -> None:
    # E albedo / pi, with E = sun's normal illuminance times the sine of its height, plus the sky's (Lambert's law)
    setting, stage = flat(air=CLEAR)
    stage.add_target("card", *quad(-3, -3, 1.5, 3, 3, 1.5), (0.5, 0.5, 0.5))
    card = radiance(stage, setting, from_above(), 128)[8:24, 12:36].mean(axis=(0, 1))
    sun = stage.clear.sun_lux * stage.snapshot.sun_direction[2]
    expected = 0.5 / np.pi * (sun + sky_illuminance(stage.clear))
    assert card == pytest.approx(expected, rel=0.03)


@pytest.mark.parametrize("tilt", [0.0, 35.0, 70.0])
def test_a_white_card_in_a_uniform_white_field_comes_out_at_the_field(
    tilt: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    field = 1000.0
    uniform = ClearSky(np.full((80, 129, 3), field), np.zeros(3), 0.0, 50.0)
    monkeypatch.setattr(daylight, "clear_sky", lambda *_, **__: uniform)
    setting, stage = flat(air=Air(haze=0.02, fog_visibility=200000, fog_height=1))
    # the half of the field that a tilted card sees below the horizon is a white floor under the same sky
    stage.add_target("floor", *quad(-600, -600, 0.5, 600, 600, 0.5), (1.0, 1.0, 1.0))
    c, s = np.cos(np.radians(tilt)), np.sin(np.radians(tilt))
    card = np.array(
        [[-2, -2 * c, 3 - 2 * s], [2, -2 * c, 3 - 2 * s], [2, 2 * c, 3 + 2 * s], [-2, 2 * c, 3 + 2 * s]], np.float32
    )
    stage.add_target("card", card, np.array([[0, 1, 2, 3]], np.uint32), (1.0, 1.0, 1.0))
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, from_above(9.0, 60.0)))
    film = blank(16, 16)
    expose(stage, film, 1024, Limit(6))
    seen = film.radiance[6:10, 6:10].mean(axis=(0, 1))
    assert seen == pytest.approx(np.full(3, field), rel=0.012)


def test_penumbra_is_as_wide_as_the_sun() -> None:
    # a straight edge h above the ground: the sun's disc, 0.533 degrees across, passes behind it over h 2
    # tan(0.2665) / sin(elevation), at right angles to it
    setting, stage = flat(air=CLEAR)
    camera = Camera(np.array([0.0, 0.0, 3.0]), direction_of(0.0, -89.9), 60.0)
    snap = evaluate(setting, setting.place.shots[0], 0.0, camera)
    height, d = 30.0, snap.sun_direction
    # the edge runs along the sun's azimuth, so its shadow's border is crossed at right angles to the light
    along = np.array([d[0], d[1]]) / np.hypot(d[0], d[1])
    across = np.array([-along[1], along[0]])
    shift = along * height * np.hypot(d[0], d[1]) / d[2]
    corners = [
        shift - 300 * along,
        shift + 300 * along,
        shift + 300 * along + 300 * across,
        shift - 300 * along + 300 * across,
    ]
    stage.add_target(
        "roof",
        np.array([[*c, height] for c in corners], np.float32),
        np.array([[0, 1, 2, 3]], np.uint32),
        (0.2, 0.2, 0.2),
    )
    stage.add_target("floor", *quad(-40, -40, 0.5, 40, 40, 0.5), (0.5, 0.5, 0.5))
    stage.set(snap)
    film = blank(240, 240)
    expose(stage, film, 20)
    light = film.radiance @ LUMA
    # where each pixel lies on the floor
    right, up = camera.axes()
    u = (2 * (np.arange(240) + 0.5) / 240 - 1) * 18.0 / 60.0 * 2.5
    x = u[None, :, None] * right[:2] - u[:, None, None] * up[:2]
    off = (x @ across).ravel()
    order = np.argsort(off)
    off, light = off[order], light.ravel()[order]
    lit, dark = np.median(light[:2000]), np.median(light[-2000:])
    share = np.array([(light[k : k + 400].mean() - dark) / (lit - dark) for k in range(0, len(light) - 400, 200)])
    where = np.array([off[k : k + 400].mean() for k in range(0, len(light) - 400, 200)])
    drop = height - 0.5
    radius = (
        drop / d[2] * np.tan(np.radians(0.2665))
    )  # of the disc's image at right angles to the light, at this slant distance
    # a disc seen half behind an edge: 10 and 90 % of its area are hidden at +-0.687 of its radius (segment of a circle)
    wide = np.interp(-0.1, -share, where) - np.interp(-0.9, -share, where)
    assert wide == pytest.approx(2 * 0.687 * radius, rel=0.12)


def test_a_bright_dot_blurs_to_the_thin_lenss_circle() -> None:
    setting, stage = flat(air=CLEAR)
    focal, f_number, focus, away = 85.0, 1.4, 2.0, 20.0
    stage.add_target("wall", *quad(-30, 40.0, 0, 30, 40.0, 60), (0.0, 0.0, 0.0))
    size = 0.15
    stage.add_target("dot", *quad(-size, away, 30 - size, size, away, 30 + size), (0.9, 0.9, 0.9))
    camera = Camera(np.array([0.0, 0.0, 30.0]), direction_of(0.0, 0.0), focal, f_number, focus)
    picture = radiance(stage, setting, camera, 256, (160, 90)) @ LUMA
    half = 12
    window = picture[45 - half : 45 + half, 80 - half : 80 + half]  # the dot stands in the middle of the picture
    window = window - np.median(np.concatenate([window[0], window[-1], window[:, 0], window[:, -1]]))
    x = np.arange(2 * half) - half + 0.5
    pixel_mm, dot_mm = 36.0 / 160, 2 * size * focal / 1000 / away * 1000
    for row in (window.sum(0), window.sum(1)):
        # a uniform disc summed over rows has a standard deviation of a quarter of its diameter
        middle = (row * x).sum() / row.sum()
        assert abs(middle) < 0.1
        # the dot's own width and the pixel's tent of one pixel's radius add their variances
        variance = (row * (x - middle) ** 2).sum() / row.sum() * pixel_mm**2 - dot_mm**2 / 12 - pixel_mm**2 / 6
        # the rendered lens keeps its angle of view when it is focused near; a real one draws the circle s / (s - f)
        # larger
        diameter_mm = circle_of_confusion(focal, f_number, focus, away) * (1 - focal / 1000 / focus)
        assert 4 * np.sqrt(variance) == pytest.approx(diameter_mm, rel=0.025)


def test_fresnel_at_three_angles_and_brewster() -> None:
    # Fresnel's equations for unpolarised light, n = 1.333, written out apart from the kernel
    for degrees in (0.0, 45.0, 75.0):
        i = np.radians(degrees)
        t = np.arcsin(np.sin(i) / IOR)
        if degrees == 0:
            expected = ((IOR - 1) / (IOR + 1)) ** 2
        else:
            expected = 0.5 * ((np.sin(i - t) / np.sin(i + t)) ** 2 + (np.tan(i - t) / np.tan(i + t)) ** 2)
        assert fresnel(np.cos(i), IOR) == pytest.approx(expected, rel=1e-6)
    brewster = np.radians(53.1)
    t = np.arcsin(np.sin(brewster) / IOR)
    assert (
        abs(np.tan(brewster - t) / np.tan(brewster + t)) < 2e-3
    )  # nothing of the light in the plane of incidence is mirrored
    assert fresnel(np.cos(brewster), IOR) == pytest.approx(0.5 * np.sin(brewster - t) ** 2, rel=2e-3)


@pytest.mark.parametrize("kelvin", [4300.0, 5500.0, 6504.0, 9000.0, 15000.0])
def test_daylight_whites_against_colour_science(kelvin: float) -> None:
    xyz = daylight_white(kelvin)
    xy = xyz[:2] / xyz.sum()
    assert xy == pytest.approx(colour.temperature.CCT_to_xy_CIE_D(kelvin), abs=2e-4)


@pytest.mark.parametrize("kelvin", [2400.0, 3000.0, 3800.0])
def test_warm_whites_against_colour_science(kelvin: float) -> None:
    xyz = daylight_white(kelvin)
    assert xyz[:2] / xyz.sum() == pytest.approx(colour.temperature.CCT_to_xy_Kang2002(kelvin), abs=3e-3)


def test_balance_turns_its_own_light_neutral() -> None:
    for kelvin in (3000.0, 5600.0, 8000.0):
        light = np.linalg.inv(
            [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
        ) @ daylight_white(kelvin)
        white = balance(kelvin) @ light
        assert white / white[1] == pytest.approx(np.ones(3), abs=2e-3)
    assert balance(6504.0) == pytest.approx(np.eye(3), abs=1e-6)


def streak_px(shutter: float, speed: float) -> float:
    """Width [pixels of 320] at half its height of a bright dot 20 m off, drawn by a camera that slides to the east."""
    stations = [
        Station(id="a", east=-speed / 2, north=0, up=30, aim=(-speed / 2, 20, 30), focal=50),
        Station(id="b", east=speed / 2, north=0, up=30, aim=(speed / 2, 20, 30), focal=50),
    ]
    exposure = Exposure(ev100=14, shutter=shutter, focus=1000)
    shot = Shot(id="a", name="A", frames=24, exposure=exposure, route=Route(stations=stations))
    setting, stage = flat(air=CLEAR)
    stage.change(Setting(setting.place.model_copy(update={"shots": [shot]}), setting.ground))
    stage.add_target("wall", *quad(-90, 60.0, 0, 90, 60.0, 60), (0.0, 0.0, 0.0))
    stage.add_target("dot", *quad(-0.03, 20, 29.9, 0.03, 20, 30.1), (0.9, 0.9, 0.9))
    picture = frame_picture(stage, shot, 13, (320, 64), Quality(256, 0, "fast", 2))
    assert picture is not None
    row = picture.film.radiance[24:40] @ LUMA
    row = (row - np.median(row)).sum(0)
    # smoothed over three pixels, since samples of a moving dot are few in each; then where it crosses half its plateau
    row = np.convolve(row, np.ones(3) / 3, "same")
    half = np.median(row[row > 0.5 * row.max()]) / 2
    above = np.flatnonzero(row > half)
    first, last = above[0], above[-1]
    left = first - (row[first] - half) / (row[first] - row[first - 1])
    right = last + (row[last] - half) / (row[last] - row[last + 1])
    return float(right - left)


@pytest.mark.parametrize(("shutter", "speed"), [(180.0, 96.0), (90.0, 160.0), (360.0, 48.0)])
def test_a_moving_camera_draws_a_dot_into_a_streak_of_speed_times_shutter(shutter: float, speed: float) -> None:
    pixel = 36.0 / 50.0 / 320 * 20  # metres of the dot's plane
    expected = speed * shutter / 360 / 24 / pixel
    assert expected > 20
    assert streak_px(shutter, speed) == pytest.approx(expected, rel=0.05)


def test_a_closed_shutter_draws_the_dot_alone() -> None:
    assert streak_px(0.0, 96.0) < 4


def test_a_shutter_of_no_angle_draws_no_streak() -> None:
    setting, stage = flat(air=CLEAR)
    shot = setting.place.shots[0].model_copy(update={"exposure": Exposure(ev100=14.0, shutter=0)})
    sharp = frame_picture(stage, shot, 5, (64, 36), Quality(4, 1, "fast", 4))
    still = picture_at(stage, shot, 4 / 24, (64, 36), Quality(4, 1, "fast"))
    assert sharp is not None and still is not None and np.array_equal(sharp.pixels, still.pixels)


@pytest.mark.parametrize("blades", [5, 6, 7, 9])
def test_an_opening_of_blades_draws_as_many_corners(blades: int) -> None:
    # a bright dot far out of focus is drawn as the opening: against a round one, its outline's distance from its middle
    # swings as often in a turn as there are blades
    swings = np.abs(np.fft.rfft(outline(blades) - outline(0)))[3:12] / 36
    assert int(np.argmax(swings)) + 3 == blades
    assert swings.max() > 2 * np.sort(swings)[-2] * (0.6 if blades == 9 else 1)  # nine corners are nearly round


@cache
def outline(blades: int) -> np.ndarray:
    """How far the blur of a dot reaches in each of 72 directions, against its mean."""
    _, stage = flat(air=CLEAR)
    stage.add_target("wall", *quad(-60, 80.0, -20, 60, 80.0, 90), (0.0, 0.0, 0.0))
    stage.add_target("dot", *quad(-0.05, 20.0, 29.95, 0.05, 20.0, 30.05), (0.9, 0.9, 0.9))
    camera = Camera(np.array([0.0, 0.0, 30.0]), direction_of(0.0, 0.0), 85.0, 1.4, 1.5, 14.0, blades=blades)
    setting = stage.setting
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, camera))
    film = blank(384, 64)
    expose(stage, film, 600)
    light = film.radiance[..., 1]
    light = np.maximum(light - np.median(light), 0)
    y, x = np.indices(light.shape)
    x, y = x - (light * x).sum() / light.sum(), y - (light * y).sum() / light.sum()
    near = np.hypot(x, y) < 28
    direction = ((np.arctan2(y, x) + np.pi) / (2 * np.pi) * 72).astype(int) % 72
    weight = np.bincount(direction[near], light[near], 72)
    reach = np.bincount(direction[near], (light * np.hypot(x, y))[near], 72) / weight
    return np.asarray(reach / reach.mean() - 1)
