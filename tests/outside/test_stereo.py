"""Two eyes and the whole sphere, measured on rendered pictures against the formulas of parallax and of the
equirectangular projection."""

import numpy as np
import pytest

from lumwick.errors import RenderError, RouteError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.lens.stereo import around, eye_of, parallax_px
from lumwick.picture import frame_picture, pair_at, panorama
from lumwick.place.filming import Exposure
from lumwick.place.nature import Air, Sea
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.quality import QUALITIES, Limit
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place

HIGH = 300.0


@pytest.fixture(scope="module")
def stage() -> Stage:
    """Two small cards high over a level place: 4 m and 12 m north of the camera, the far one a little east."""
    place = small_place(growth=[], sea=Sea(present=False), air=Air(haze=0.02, fog_visibility=200000))
    made = Stage(Setting(place, Ground(np.zeros((65, 65), np.float32), 20.0, -640.0, -640.0)))
    for name, x, y, half in (("near", 0.0, 4.0, 0.10), ("far", 2.0, 12.0, 0.30)):
        made.add_target(
            name,
            np.array(
                [
                    [x - half, y, HIGH - half],
                    [x + half, y, HIGH - half],
                    [x + half, y, HIGH + half],
                    [x - half, y, HIGH + half],
                ],
                np.float32,
            ),
            np.array([[0, 1, 2], [0, 2, 3]], np.uint32),
            (0.5, 0.5, 0.5),
        )
    return made


def spots(stage: Stage, camera: Camera, size: tuple[int, int] = (640, 360)) -> dict[str, tuple[float, float]]:
    """Where the middles of the cards are seen [pixels from the left and top edge]."""
    stage.set(evaluate(stage.setting, stage.setting.place.shots[0], 0.0, camera))
    film = blank(*size)
    expose(stage, film, 4, Limit(0))
    out = {}
    for name, away in (("near", 4.0), ("far", 12.17)):
        on = np.abs(film.distance - away) < 0.12 * away
        y, x = np.nonzero(on)
        assert len(x) > 4, name
        out[name] = (float(x.mean() + 0.5), float(y.mean() + 0.5))
    return out


@pytest.mark.parametrize(("eyes", "zero"), [(0.064, 4.0), (0.2, 6.0), (0.5, 1000.0)])
def test_parallax_on_the_rendered_pair_is_the_formulas(stage: Stage, eyes: float, zero: float) -> None:
    camera = Camera(np.array([0.0, 0.0, HIGH]), np.array([0.0, 1.0, 0.0]), 28.0, focus=1000.0)
    left, right = (spots(stage, eye_of(camera, side, eyes, zero)) for side in (-1, 1))
    for name, away in (("near", 4.0), ("far", 12.0)):
        assert right[name][0] - left[name][0] == pytest.approx(parallax_px(eyes, zero, away, 28.0, 640), abs=0.6)
        assert right[name][1] == pytest.approx(left[name][1], abs=0.3)  # no keystones
    if zero == 4.0:
        assert right["near"][0] == pytest.approx(left["near"][0], abs=0.3)  # on the screen


def test_a_panorama_puts_directions_where_the_projection_says(stage: Stage) -> None:
    for bearing in (0.0, 75.0, 200.0):
        camera = around(Camera(np.array([0.0, 0.0, HIGH]), direction_of(bearing, -20.0), 28.0))
        seen = spots(stage, camera, (1440, 720))
        for name, x, y in (("near", 0.0, 4.0), ("far", 2.0, 12.0)):
            turn = (np.degrees(np.arctan2(x, y)) - bearing + 180) % 360
            assert seen[name] == pytest.approx((turn / 360 * 1440, 360.0), abs=0.8)


def test_a_panorama_for_two_eyes_has_the_parallax_of_a_turning_head(stage: Stage) -> None:
    camera, eyes = Camera(np.array([0.0, 0.0, HIGH]), np.array([0.0, 1.0, 0.0]), 28.0), 0.4
    left, right = (spots(stage, around(camera, side, eyes), (1440, 720)) for side in (-1, 1))
    for name, away in (("near", 4.0), ("far", np.hypot(2, 12))):
        # rays start eyes / 2 beside the axis and touch a circle: both meet the spot when turned by asin(eyes / 2 /
        # away)
        assert left[name][0] - right[name][0] == pytest.approx(
            2 * np.arcsin(eyes / 2 / away) / (2 * np.pi) * 1440, abs=0.8
        )


def test_pairs_and_panoramas_as_pictures(stage: Stage) -> None:
    shot = stage.setting.place.shots[0]
    two = shot.model_copy(update={"exposure": Exposure(ev100=14.0, eyes=0.2, zero_plane=5.0)})
    pair = frame_picture(stage, two, 1, (64, 36), QUALITIES["sketch"])
    assert pair is not None and pair.pixels.shape == (36, 64, 3)
    left, right = pair.pixels[:, :32].astype(float), pair.pixels[:, 32:].astype(float)
    assert 0 < np.abs(left - right).mean() < 25
    assert panorama(stage, shot, 0.0, 64, QUALITIES["sketch"]).shape == (32, 64, 3)
    assert panorama(stage, shot, 0.0, 64, QUALITIES["sketch"], 0.064).shape == (64, 64, 3)
    with pytest.raises(RenderError, match="even width"):
        pair_at(stage, two, 0.0, (65, 36), QUALITIES["sketch"])
    with pytest.raises(RenderError, match="one eye at a time"):
        frame_picture(stage, two, 1, (64, 36), QUALITIES["sketch"], passes=True)
    with pytest.raises(RenderError, match="half as high"):
        panorama(stage, shot, 0.0, 63, QUALITIES["sketch"])
    with pytest.raises(RouteError, match="ahead of the eyes"):
        eye_of(Camera(np.zeros(3), np.array([0.0, 1.0, 0.0])), 1, 0.064, 0.0)
