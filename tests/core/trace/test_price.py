"""What makes a picture cheaper and must not change it: camera rays met together, clouds looked up on a lattice, a
shutter that holds the clouds, fog asked for its sun in proportion, samples numbered over squares of pixels, moments of
a shutter where they are needed."""

from dataclasses import replace
from typing import Any

import numba
import numpy as np
import pytest

from lumwick.air.clouds import Deck, Veil, unmoved
from lumwick.compile_kernels import nothing
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.picture import Options, picture_at
from lumwick.place.nature import Air, HighClouds, LowClouds, Sea, Wind
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace import moments
from lumwick.trace.cloud_lattice import CLOSEST, MARGIN, MOST, lattice
from lumwick.trace.film import blank
from lumwick.trace.framing import Window
from lumwick.trace.integrator.film import SQUARED
from lumwick.trace.integrator.together import LANES, number_sample
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.records import PATH
from lumwick.trace.render import Sight, expose
from lumwick.trace.sampling import choices, pair
from lumwick.trace.stage import Stage
from lumwick.trace.world import NO_CLOUD_LATTICE, View
from tests.conftest import small_place

FLAT = Ground(np.full((33, 33), 1.0, np.float32), 8.0, -128.0, -128.0)
EYE = Camera(np.array([0.0, -30.0, 6.0]), direction_of(10.0, -6.0))
UP = Camera((0.0, 0.0, 3.0), direction_of(20.0, 30.0), 24.0, focus=1000.0)


def cloudy(**more: float) -> Setting:
    air = Air(low=LowClouds(oktas=4.0), high=HighClouds(amount=4.0))
    return Setting(small_place(growth=[], sea=Sea(present=False), wind=Wind(speed=6.0), air=air, **more), FLAT)


def test_camera_rays_met_together_see_what_single_ones_see(setting: Setting, monkeypatch: pytest.MonkeyPatch) -> None:
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.3, EYE))
    wanted = np.random.default_rng(3).integers(0, 2 * LANES, (27, 50)).astype(np.int32)  # some none, some over a packet
    together, alone = blank(50, 27), blank(50, 27)
    expose(stage, together, wanted)
    view = stage.view
    monkeypatch.setattr(stage, "view", lambda *given: view(*given)._replace(port=1e-9))  # by a port each goes alone
    expose(stage, alone, wanted)
    assert together.rays == alone.rays and together.shadow_rays == alone.shadow_rays
    kept = np.arange(together.sums.shape[-1]) != SQUARED
    assert np.allclose(together.sums[..., kept], alone.sums[..., kept], rtol=1e-4, atol=1e-3)


def numbered(planned: int, x: int, y: int, sample: int) -> tuple[int, int]:
    """How a pixel's sample is numbered, of so many that are planned."""
    _, view, _, exposure, *_ = nothing()
    path = np.zeros(1, PATH)[0]
    number_sample(view, exposure._replace(planned=planned), path, x, y, sample)
    return int(path["pixel"]), int(path["sample"])


def test_a_squares_samples_are_spread_as_a_pixels_are() -> None:
    # 2 by 2 pixels of 16 samples: 64 points, one in each of 64 cells of any proportions, and 16 a pixel likewise
    whole = [[pair(*numbered(16, x, y, s), 5) for s in range(16)] for y in (6, 7) for x in (2, 3)]
    for points in (np.array(whole).reshape(64, 2), *np.array(whole)):
        for across in range(int(np.log2(len(points))) + 1):
            columns, rows = 2**across, len(points) // 2**across
            cells = np.floor(points[:, 0] * columns) * rows + np.floor(points[:, 1] * rows)
            assert len(set(cells.tolist())) == len(points)


@pytest.mark.parametrize("planned", [2, 12, 16, 23, 64])
def test_no_two_samples_of_a_picture_have_one_number(planned: int) -> None:
    drawn = [numbered(planned, x, y, s) for y in range(20) for x in range(20) for s in range(planned + 3)]
    assert len(set(drawn)) == len(drawn)


@pytest.mark.parametrize("salt", [77, 91])
def test_choices_are_spread_over_a_pixels_samples(salt: int) -> None:
    path = np.zeros(1, PATH)[0]
    drawn = []
    for sample in range(64):
        path["pixel"], path["sample"], path["step"] = 4711, sample, 2
        drawn.append(choices(path, salt))
    for block in np.array(drawn).reshape(4, 16, 2):
        for c in range(2):
            assert sorted(np.floor(block[:, c] * 16).astype(int)) == list(range(16))


def test_clouds_looked_up_are_the_clouds_that_are_marched() -> None:
    setting = cloudy()
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.5, UP))
    marched, looked_up = blank(64, 40), blank(64, 40)
    expose(stage, marched, 64)
    expose(stage, looked_up, 64, sight=Sight(many=True))
    one, other = marched.radiance, looked_up.radiance
    assert other.mean((0, 1)) == pytest.approx(one.mean((0, 1)), rel=0.004)
    assert np.abs(other - one).mean() < 0.02 * one.mean()
    assert one.std((0, 1)).min() > 0.1 * one.mean()  # there is something to see


def test_a_lattice_holds_for_a_turning_eye_and_is_left_where_it_ends() -> None:
    setting = cloudy()
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.5, UP))
    turned = replace(UP, forward=direction_of(32.0, 30.0))  # by a third of the picture
    plain, held = blank(64, 40), blank(64, 40)
    expose(stage, plain, 64, sight=Sight(turned, turned))
    expose(stage, held, 64, sight=Sight(turned, turned, held=UP, many=True))
    assert np.abs(held.radiance - plain.radiance).mean() < 0.02 * plain.radiance.mean()


def test_a_lattice_is_kept_while_eye_and_clouds_are_the_same_and_is_as_large_as_it_may_be() -> None:
    setting = cloudy()
    stage, shot = Stage(setting), setting.place.shots[0]
    stage.set(evaluate(setting, shot, 0.5, UP))
    first = stage.cloud_lattice((64, 40))
    assert stage.cloud_lattice((64, 40)) is first and numba.typeof(first) == numba.typeof(NO_CLOUD_LATTICE)
    assert stage.cloud_lattice((64, 40), EYE) is not first
    again = stage.cloud_lattice((64, 40))
    stage.set(evaluate(setting, shot, 0.9, UP))
    assert stage.cloud_lattice((64, 40)) is not again  # clouds have gone on
    axes = [np.zeros(3), *np.eye(3)]
    for size in ((64, 36), (640, 360), (1920, 1080), (8192, 4320)):
        made = lattice(axes, 0.5, Window(*size), size)
        rows, columns, _ = made.seen.shape
        assert rows * columns < 1.02 * MOST and made.step >= CLOSEST - 1e-9
        assert -made.left > MARGIN * size[0] and made.left + (columns - 1) * made.step > size[0] * (1 + MARGIN)
        assert -made.top > MARGIN * size[1] and made.top + (rows - 1) * made.step > size[1] * (1 + MARGIN)
        assert made.marches == (1 if made.step <= 0.6 else 2)


def test_a_shutter_holds_clouds_that_nobody_sees_move_and_no_others() -> None:
    deck = Deck(4.0, 1000.0, 900.0, 0.02, 0.2, 1500.0, 0.0, 7, 0.2, ((0.0, 0.0), (50.0, 0.0)), 1.0)
    veil = Veil(0.3, 4.0, 8000.0, 20.0, 0.5, (0.0, 0.0), 7)
    on = replace(deck, offset=((0.25, 0.0), (50.25, 0.0)), age=0.20002)
    assert unmoved((deck, veil), (on, replace(veil, offset=(1.0, 0.0))))
    assert not unmoved((deck, veil), (replace(on, offset=((0.4, 0.0), (50.4, 0.0))), veil))
    assert not unmoved((deck, veil), (deck, replace(veil, offset=(3.0, 0.0))))
    assert not unmoved((deck, veil), (replace(on, oktas=4.1), veil))
    assert not unmoved((deck, None), (deck, veil)) and not unmoved((deck, veil), (None, veil))
    assert not unmoved((deck, veil), (replace(deck, age=0.201), veil))
    assert unmoved((None, None), (None, None))


def test_what_is_held_is_the_same_whatever_was_made_before() -> None:
    setting = cloudy()
    shot, grade = setting.place.shots[0], Quality(8, 1, "none", moments=4)
    pictures = []
    for before in (0.0, 0.8):
        stage = Stage(setting)
        if before:
            picture_at(stage, shot, before, (48, 30), grade, UP, Options(shutter=0.02))
        made = picture_at(stage, shot, 0.5, (48, 30), grade, UP, Options(shutter=0.02))
        assert made is not None
        pictures.append(made.film.sums.copy())
    assert np.array_equal(*pictures)


def test_things_are_drawn_at_many_moments_where_two_would_be_seen(
    marsh: Ground, monkeypatch: pytest.MonkeyPatch
) -> None:
    setting = Setting(small_place(wind=Wind(speed=14.0)), marsh)
    stage, shot, drawn = Stage(setting), setting.place.shots[0], []
    near, seen = Camera(np.array([0.0, -10.0, 3.0]), direction_of(10.0, -10.0)), stage.view
    grade = Quality(12, 1, "none", moments=6)

    def shown(shutter: float) -> tuple[set[float], np.ndarray]:
        drawn.clear()
        made = picture_at(stage, shot, 0.4, (96, 54), grade, near, Options(shutter=shutter))
        assert made is not None
        return set(drawn), made.film.radiance

    def noted(*given: Any) -> View:
        drawn.append(round(stage.snapshot.t - 0.4, 9))
        return seen(*given)

    monkeypatch.setattr(stage, "view", noted)
    slow, two = shown(0.001)
    assert slow == {0.00025, 0.00075}
    assert shown(0.6)[0] == {0.15, 0.45, *(round(0.1 * k + 0.05, 9) for k in range(6))}
    monkeypatch.setattr(moments, "GAP", -1.0)
    many, six = shown(0.001)
    assert len(many) == 6
    assert np.abs(two - six).mean() < 0.02 * six.mean()


def test_the_two_moments_of_a_shutter_are_among_its_many() -> None:
    # what a frame depends on is asked at the many (`snapshot.footprint`), and so at whichever are drawn
    for grade in QUALITIES.values():
        many, few = (min(n, grade.moments) for n in (grade.moments, moments.FEW))
        assert set(moments.shares(few)) <= set(moments.shares(many))
        ends = [{k / n for k in range(n + 1)} for n in (few, many)]
        assert ends[0] <= ends[1]
