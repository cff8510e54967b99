"""Clouds of a place: at any instant alone, in loops, from within, and in bad settings."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
import pytest
from scipy import ndimage

from lumwick.air.clouds import aloft, drifted
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.picture import picture_at
from lumwick.place.document import Place
from lumwick.place.edits import apply, command
from lumwick.place.nature import Air, HighClouds, LowClouds, Sea, Site, Wind
from lumwick.snapshot.cloud_state import clouds_of
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.amount import amount_of_motion
from lumwick.trace.film import blank
from lumwick.trace.integrator.film import BEHIND
from lumwick.trace.quality import Quality
from lumwick.trace.render import expose
from lumwick.trace.sections.clouds import CELLS, dense_of
from lumwick.trace.stage import Stage
from tests.conftest import small_place

FLAT = Ground(np.full((33, 33), 1.0, np.float32), 8.0, -128.0, -128.0)
QUICK = Quality(2, 1, "none")
UP, LEVEL = (0.0, 0.5, 0.86), (0.0, 1.0, 0.02)


def place(low: dict[str, Any] | None = None, high: dict[str, Any] | None = None, **more: Any) -> Place:
    air = Air(low=LowClouds(**(low or {})), high=HighClouds(**(high or {})))
    usual = {"growth": [], "sea": Sea(present=False), "wind": Wind(speed=6.0), "air": air}
    return small_place(**{**usual, **more})


def light(setting: Setting, t: float, eye: tuple[float, float, float], way: tuple[float, float, float]) -> np.ndarray:
    camera = Camera(eye, way, 24.0, focus=1000.0)
    stage = Stage(setting)
    made = picture_at(stage, setting.place.shots[0], t, (48, 32), QUICK, camera)
    assert made is not None
    return np.asarray(made.pixels, float)


def test_clouds_are_seen_drift_and_are_the_same_at_any_instant_alone() -> None:
    clear, cloudy = (Setting(place(low), FLAT) for low in (None, {"oktas": 7.0}))
    eye = (0.0, 0.0, 3.0)
    first = light(cloudy, 0.5, eye, UP)
    assert np.abs(first - light(clear, 0.5, eye, UP)).mean() > 8
    stage, shot, camera = Stage(cloudy), cloudy.place.shots[0], Camera(eye, UP, 24.0, focus=1000.0)
    pictures = []
    for t in (0.5, 1.5, 0.5):
        made = picture_at(stage, shot, t, (48, 32), QUICK, camera)
        assert made is not None
        pictures.append(np.asarray(made.pixels, float))
    assert np.array_equal(pictures[0], pictures[2]) and np.array_equal(pictures[0], first)


def test_a_loop_closes_over_clouds_that_drift() -> None:
    shot = place().shots[0].model_copy(update={"loop": True})
    setting = Setting(place({"oktas": 4.0, "drift": 20.0}, shots=[shot]), FLAT)
    shot = setting.place.shots[0]
    begins, ends = (evaluate(setting, shot, t) for t in (0.0, shot.seconds - 1e-9))
    assert begins.deck is not None and ends.deck is not None
    a, b = dense_of(begins.deck), dense_of(ends.deck)
    # the end's grid, moved by how far it has gone, is the start's
    run = [
        (e - s) / (10 * 1.6 * begins.deck.size) * CELLS
        for s, e in zip(begins.deck.offset[0], ends.deck.offset[0], strict=True)
    ]

    back = ndimage.shift(b, (0.0, run[1], run[0]), order=1, mode="grid-wrap")
    assert np.abs(back - a).mean() < 0.02 < 0.2 * np.abs(b - a).mean() + 0.01
    # half way it is a mixture of two, as far gone as each is old
    offset, share = drifted(10.0, 90.0, 3.0, 12.0)
    assert offset[0][0] == pytest.approx(30) and offset[1][0] == pytest.approx(-90) and share == 0.75


def test_clouds_thicken_by_keys_and_go_with_the_wind_at_their_height() -> None:
    made, _ = apply(place(), command({"op": "key", "path": "/air/low/oktas", "t": 0.0, "value": 0.0}))
    made, _ = apply(made, command({"op": "key", "path": "/air/low/oktas", "t": 4.0, "value": 6.0}))
    setting = Setting(made, FLAT)
    shot = made.shots[0]
    assert evaluate(setting, shot, 0.0).deck is None
    later = [evaluate(setting, shot, t).deck for t in (2.0, 4.0)]
    assert later[0] is not None and later[1] is not None and later[0].oktas < later[1].oktas == pytest.approx(6)
    shares = [float((dense_of(deck).max(0) > 0).mean()) for deck in later if deck]
    assert shares[0] < shares[1]
    # 6 m/s from the west at 10 m: some 12 m/s at 1 100 m, turned clockwise by 20 degrees
    assert aloft(6.0, 1100.0) == pytest.approx(6 * (110**0.14), rel=1e-6) and aloft(6.0, 10.0) == 6.0
    deck, _ = clouds_of(Air(low=LowClouds(oktas=3.0)), Wind(speed=6.0, from_bearing=270.0), 10.0, None, 0.0)
    assert deck is not None
    east, north = deck.offset[0]
    assert np.hypot(east, north) == pytest.approx(10 * aloft(6.0, 1100.0)) and east > 0 > north


def test_inside_a_cloud_all_is_white_and_over_it_the_sun_is_seen() -> None:
    setting = Setting(place({"oktas": 8.0, "closed": 1.0, "base": 300.0, "thick": 500.0, "density": 0.08}), FLAT)
    within = light(setting, 0.5, (0.0, 0.0, 550.0), LEVEL)
    assert within.std() < 6 and within.mean() > 30
    under, over = (light(setting, 0.5, (0.0, 0.0, z), UP) for z in (3.0, 1500.0))
    assert over[..., 2].mean() > over[..., 0].mean() + 20  # blue sky
    assert abs(under[..., 2].mean() - under[..., 0].mean()) < 25  # grey
    # from over them they are seen below
    down = light(setting, 0.5, (0.0, 0.0, 1500.0), (0.0, 0.6, -0.8))
    assert down.mean() > 100 and abs(down[..., 2].mean() - down[..., 0].mean()) < 40


def test_their_shadow_dims_the_ground() -> None:
    lit = []
    for low in (None, {"oktas": 8.0, "closed": 1.0, "density": 0.06}):
        stage = Stage(Setting(place(low), FLAT))
        made = picture_at(
            stage,
            stage.setting.place.shots[0],
            0.5,
            (48, 32),
            QUICK,
            Camera((0.0, 0.0, 30.0), (0.0, 0.3, -0.95), 24.0, focus=1000.0),
        )
        assert made is not None
        lit.append(float(made.pixels.mean()))
    assert lit[1] < 0.75 * lit[0]


@pytest.mark.parametrize("low", [{"base": 20.0, "oktas": 8.0}, {"oktas": 3.0, "thick": 30.0, "size": 200.0},
                                 {"oktas": 0.02}, {"oktas": 8.0, "soft": 1.0, "density": 0.3}])  # fmt: skip
@pytest.mark.parametrize("hour", [12, 0, 21])
def test_odd_settings_give_pictures(low: dict[str, Any], hour: int) -> None:
    shot = place().shots[0]
    clock = shot.clock.model_copy(update={"start": shot.clock.start.replace(hour=hour)})
    setting = Setting(place(low, {"amount": 8.0, "depth": 5.0}, shots=[shot.model_copy(update={"clock": clock})]), FLAT)
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.5))
    assert np.isfinite(stage.world.air.deck).all() and np.isfinite(stage.world.lights.lit_sky).all()
    assert (stage.world.lights.lit_sky >= 0).all()


def test_what_is_out_of_range_is_refused() -> None:
    for field, value in (("low/oktas", 9.0), ("low/oktas", -1.0), ("low/base", -50.0), ("low/density", 0.0),
                         ("high/amount", 9.0), ("high/height", 100.0)):  # fmt: skip
        with pytest.raises(PlaceError):
            apply(place(), command({"op": "set", "path": f"/air/{field}", "value": value}))


def test_the_seam_check_knows_of_clouds() -> None:
    for loop in (True, False):
        shot = place().shots[0].model_copy(update={"loop": loop})
        told = {gap.title: gap for gap in seam_gaps(Setting(place({"oktas": 4.0}, shots=[shot]), FLAT), shot)}
        assert told["Clouds"].closes is loop
    clear = place(shots=[shot])
    assert "Clouds" not in {gap.title for gap in seam_gaps(Setting(clear, FLAT), shot)}


def test_clouds_are_told_to_drift_by_so_many_pixels() -> None:
    # straight up, a thing at h moves by v / h of the focal length
    low = LowClouds(oktas=5, base=1000.0)
    told = Setting(place({"oktas": 5, "base": 1000.0}, wind=Wind(speed=8.0)), FLAT)
    stage, shot = Stage(told), told.place.shots[0]
    zenith = Camera(np.array([0.0, 0.0, 2.0]), direction_of(0.0, 90.0), 35.0, focus=1000.0)
    motion = amount_of_motion(stage, told, shot, 0.0, zenith)
    [clouds] = [one for one in motion.amounts if one.name == "clouds"]
    speed = low.drift * aloft(8.0, 1000.0)
    wanted = speed / 24 / (1000.0 - 2.0) / zenith.lens.tangent * 1280 / 2
    assert clouds.middle == pytest.approx(wanted, rel=0.02)
    assert clouds.share == pytest.approx(5 / 8, abs=0.01)
    clear = Setting(place(), FLAT)
    assert "clouds" not in {one.name for one in amount_of_motion(Stage(clear), clear, shot, 0.0, zenith).amounts}


def test_hard_clouds_have_closer_edges_than_soft_ones() -> None:
    def veiled(soft: float) -> float:
        """Share of an upward picture that clouds neither leave open nor close."""
        told = Setting(place({"oktas": 4, "soft": soft, "seed": 3}), FLAT)
        stage, shot = Stage(told), told.place.shots[0]
        camera = Camera(np.array([0.0, 0.0, 2.0]), np.array([0.0, 0.3, 0.95]), 20.0, focus=1000.0)
        stage.set(evaluate(told, shot, 0.0, camera))
        film = blank(64, 36, passes=True)
        expose(stage, film, 16)
        behind = (film.passes / film.counted)[..., 3 * BEHIND + 2]
        clear = np.quantile(behind, 0.98)
        return float(((behind > 0.1 * clear) & (behind < 0.8 * clear)).mean())

    assert veiled(0.0) < 0.75 * veiled(1.0)


def test_under_a_closed_sheet_at_sunset_the_horizon_does_not_glow() -> None:
    def glow(low: dict[str, Any] | None) -> float:
        """Light of the horizon towards the sun, against that behind one's back."""
        shot = place().shots[0]
        sunset = shot.clock.model_copy(update={"start": dt.datetime(2026, 6, 5, 20, 45)})
        made = place(low, site=Site(latitude=52.0, longitude=1.0, utc_offset=1.0),
                     shots=[shot.model_copy(update={"clock": sunset})])  # fmt: skip
        told = Setting(made, FLAT)
        stage, sun, seen = Stage(told), evaluate(told, made.shots[0], 0.0).sun, []
        for bearing in (sun.azimuth + 12, sun.azimuth + 180):
            camera = Camera(np.array([0.0, 0.0, 3.0]), direction_of(bearing, 0.5), 120.0, focus=1000.0)
            stage.set(evaluate(told, made.shots[0], 0.0, camera))
            film = blank(48, 27)
            expose(stage, film, 8)
            seen.append(float((film.sums / film.counted)[:13, :, 1].mean()))
        assert 0 < sun.elevation < 5
        return seen[0] / seen[1]

    assert glow(None) > 2.5
    assert glow({"oktas": 8.0, "closed": 1.0, "thick": 800.0, "density": 0.06}) < 1.3
