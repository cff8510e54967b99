"""What stands far off: ridges at their true distance, and an environment picture that is taken to be near."""

from dataclasses import replace

import numpy as np
import OpenImageIO as oiio
import pytest

from lumwick.errors import PlaceError
from lumwick.land.ridges import ridge_mesh, spurs
from lumwick.lens.camera import Camera, direction_of
from lumwick.place.edits import apply, command
from lumwick.place.fields import Asset
from lumwick.place.nature import Air, Heavens, Ridge, Sea, Surround
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.integrator.film import COVERAGE, POSITION
from lumwick.trace.integrator.surfaces.ground import _mirrored
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.air.test_weather import BARE, FLAT, ahead, setting, shown
from tests.outside.test_rendered import quad

FAR = Ridge(id="far", away=8000, height=600, bearing=0, width=90, seed=4)


def up(ridge: Ridge, foot: float = 0.0) -> np.ndarray:
    """Heights of a ridge's ground over the plain, by rows from its front to its back."""
    vertices, _ = ridge_mesh(ridge, (0.0, 0.0), foot, 0.0)
    far = np.hypot(vertices[:, 0], vertices[:, 1])
    return vertices[:, 2] + far**2 / (2 * 6_371_000.0 * 7 / 6) - foot


@pytest.mark.parametrize("peaked", [0.0, 0.5, 1.0])
def test_a_ridge_is_as_high_and_as_far_as_it_was_told_and_runs_out_into_the_plain(peaked: float) -> None:
    ridge = FAR.model_copy(update={"peaked": peaked})
    vertices, quads = ridge_mesh(ridge, (100.0, -50.0), 3.0, 0.0)
    shown_ = up(ridge, 3.0)
    assert shown_.max() == pytest.approx(600, abs=1)
    crest = vertices[np.argmax(shown_)] - [100.0, -50.0, 0.0]
    assert np.hypot(*crest[:2]) == pytest.approx(8000, rel=0.08)
    assert shown_.min() == pytest.approx(0, abs=0.1)
    bearing = np.degrees(np.arctan2(vertices[:, 0] - 100, vertices[:, 1] + 50))
    assert (bearing.min(), bearing.max()) == pytest.approx((-45, 45), abs=0.5)
    ends = np.abs(bearing) > 44
    assert shown_[ends].max() < 60
    a, b, d = (vertices[quads[:, k]] for k in (0, 1, 3))
    assert (np.cross(b - a, d - a)[:, 2] > 0).all()  # its upper side is up


def test_peaks_are_steeper_than_a_long_back_and_seeds_are_other_ridges() -> None:
    rough, smooth = (
        np.abs(np.diff(up(FAR.model_copy(update={"peaked": p})).reshape(35, -1)[20])).mean() for p in (1.0, 0.0)
    )
    assert rough > 1.5 * smooth
    assert (up(FAR) == up(FAR.model_copy())).all()
    assert not np.allclose(up(FAR), up(FAR.model_copy(update={"seed": 5})))
    assert spurs(FAR) == pytest.approx(1320) and spurs(FAR.model_copy(update={"forms": 90.0})) == 90


def test_a_ridge_all_round_closes_on_itself() -> None:
    vertices, _ = ridge_mesh(FAR.model_copy(update={"width": 360.0}), (0, 0), 0.0, 0.0)
    rows = vertices.reshape(35, -1, 3)
    assert rows[:, 0] == pytest.approx(rows[:, -1])
    assert np.abs(np.diff(rows[10, :, 2])).max() < 90


def met(ridges: list[Ridge], camera: Camera) -> tuple[np.ndarray, np.ndarray]:
    """Places that a camera's rays meet (h, w, 3), and how much of each pixel meets anything."""
    stage = Stage(setting(ridges=ridges))
    stage.set(evaluate(stage.setting, stage.setting.place.shots[0], 0.0, camera))
    film = blank(96, 54, passes=True)
    expose(stage, film, 4)
    passes = film.passes / film.counted
    return passes[..., POSITION : POSITION + 3] / np.maximum(passes[..., COVERAGE, None], 1e-6), passes[..., COVERAGE]


def test_a_ridge_stands_over_the_horizon_and_moves_as_it_should_when_the_camera_does() -> None:
    camera = ahead(bearing=0.0, pitch=4.0, focal=40.0)
    _, bare = met([], camera)
    at, there = met([FAR], camera)
    more = (there > 0.9) & (bare < 0.1)
    assert more.mean() > 0.02
    crest = np.argmax(there > 0.9, axis=0), np.arange(96)
    assert np.median(np.hypot(at[*crest, 0], at[*crest, 1])) == pytest.approx(8000, rel=0.1)
    # from 300 m aside each summit is seen where its place says
    aside = replace(camera, position=camera.position + [300.0, 0.0, 0.0])
    later, seen = met([FAR], aside)
    whole = seen > 0.99
    rows, columns = np.nonzero(whole & (np.hypot(later[..., 0], later[..., 1]) > 6000))
    way = later[rows, columns] - aside.position
    right, _ = aside.axes()
    x = (way @ right) / (way @ np.asarray(aside.forward)) / aside.lens.tangent
    assert x == pytest.approx((columns + 0.5) / 48 - 1, abs=0.03)


def test_a_ridge_keeps_a_low_sun_off() -> None:
    sun = {"heavens": Heavens(sun_by="hand", sun_bearing=0.0, sun_height=2.0)}
    open_, shaded = (Stage(setting(sun, ridges=ridges)) for ridges in ([], [FAR]))
    for stage in (open_, shaded):
        stage.add_target("wall", *quad(-9, -20.0, 0, 9, -20.0, 9), (0.5, 0.5, 0.5))
    light, dark = (shown(stage, ahead(bearing=180.0, focal=50.0), samples=32)[8:20].mean() for stage in (open_, shaded))
    assert dark < 0.75 * light


def test_ridges_are_added_and_taken_away_and_bad_ones_are_refused() -> None:
    place = small_place(**BARE)
    told, label = apply(place, command({"op": "add", "to": "ridges", "item": {"id": "r", "name": "Fells"}}))
    assert label == "added far ridge Fells" and told.ridges[0].away == 9000
    with pytest.raises(PlaceError, match=r"away.*300"):
        apply(place, command({"op": "add", "to": "ridges", "item": {"id": "r", "away": 20}}))
    with pytest.raises(PlaceError, match="two far ridges share one id"):
        apply(told, command({"op": "add", "to": "ridges", "item": {"id": "r"}}))
    gone, _ = apply(told, command({"op": "remove", "of": "ridges", "id": "r"}))
    assert gone.ridges == []


def test_an_environment_picture_that_is_near_moves_when_the_camera_does(
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    path = tmp_path_factory.mktemp("env") / "e.hdr"
    pixels = np.full((128, 256, 3), 0.2, np.float32)
    pixels[:, 126:130] = 20.0  # a bright post in the middle, which is due north
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(256, 128, 3, "float"))
    out.write_image(pixels)
    out.close()
    data = path.read_bytes()
    asset = Asset(sha256="1" * 64, name="e.hdr", bytes=len(data))

    def post(away: float, east: float) -> float:
        """How far to the right [degrees] the post is seen from a spot."""
        place = small_place(
            **{**BARE, "air": Air(fog_visibility=200000), "sea": Sea(present=False)},
            surround=Surround(picture=asset, away=away, up=2.7),
        )
        stage = Stage(Setting(place, FLAT, read=lambda _: data))
        camera = replace(ahead(pitch=8.0, focal=20.0), position=np.array([east, 0.0, 2.7]))
        row = shown(stage, camera, samples=32, size=(96, 54))[10].mean(-1)
        middle = float((np.arange(96) + 0.5) @ (row > 0.5 * row.max())) / float((row > 0.5 * row.max()).sum())
        return float(np.degrees(np.arctan((middle / 48 - 1) * camera.lens.tangent)))

    assert post(0.0, 10.0) == pytest.approx(post(0.0, 0.0), abs=0.5)
    # a post 40 m to the north, seen from 10 m east of where the picture was taken (the row is tilted up)
    assert post(40.0, 10.0) == pytest.approx(-np.degrees(np.arctan(10 / 40)), abs=1.5)
    assert post(40.0, 0.0) == pytest.approx(0.0, abs=0.7)


def test_land_beyond_the_survey_shows_its_covers_as_in_a_mirror() -> None:
    at = np.array([_mirrored.py_func(float(k), 5) for k in range(-9, 14)])
    assert at.tolist() == [1, 0, 1, 2, 3, 4, 3, 2, 1, 0, 1, 2, 3, 4, 3, 2, 1, 0, 1, 2, 3, 4, 3]
    # so that no colour of the edge is drawn out into a stripe: along a ray away from the place it changes as it does
    # across
    rng = np.random.default_rng(3)
    heights = (2 + 0.8 * rng.standard_normal((65, 65))).astype(np.float32)
    place = small_place(**BARE, land=small_place().land.model_copy(update={"cover": "upland"}))
    stage = Stage(Setting(place, replace(FLAT, heights=heights)))
    over = Camera(np.array([0.0, 600.0, 900.0]), direction_of(0.0, -89.9), 35.0, focus=1e5)
    light = shown(stage, over, samples=8, size=(64, 36)).mean(-1)[:, 8:56]
    along, across = np.abs(np.diff(light, axis=0)).mean(), np.abs(np.diff(light, axis=1)).mean()
    assert 0.6 < along / across < 1.7
