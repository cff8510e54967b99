"""Where samples go, what is cleaned, what is kept: adaptive sampling, light set aside, flicker, kept arrays."""

import os
from pathlib import Path

import numba
import numpy as np
import pytest
from scipy import ndimage

from lumwick import disk_cache
from lumwick.air.bands import LUMA
from lumwick.deliver.frames import cut_out, matte, names_of
from lumwick.develop.flicker import flicker
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, direction_of
from lumwick.picture import Options, picture_at
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace import cleaning
from lumwick.trace.cleaning import clean
from lumwick.trace.film import Film, blank
from lumwick.trace.integrator.film import ASIDE, COUNTED, SQUARED
from lumwick.trace.quality import Quality
from lumwick.trace.render import expose, more_samples, unreached
from lumwick.trace.stage import Stage
from lumwick.trace.world import empty_world

EYE = Camera(np.array([0.0, -30.0, 6.0]), direction_of(10.0, -6.0))


@pytest.fixture
def stage(setting: Setting) -> Stage:
    made = Stage(setting)
    made.set(evaluate(setting, setting.place.shots[0], 0.3, EYE))
    return made


def test_the_integrator_is_compiled_for_the_worlds_that_stages_make(stage: Stage) -> None:
    for group, real, empty in zip(stage.world._fields, stage.world, empty_world(), strict=True):
        for name, mine, none in zip(real._fields, real, empty, strict=True):
            assert numba.typeof(mine) == numba.typeof(none), f"{group}.{name}"


def test_more_samples_go_where_the_noise_is_and_spend_the_budget() -> None:
    film = blank(64, 32)
    film.sums[..., COUNTED] = 8
    film.sums[..., :3] = 8 * 100.0  # 100 in each colour
    film.sums[..., SQUARED] = 2 * (4 * 300.0) ** 2 / 4  # two blocks of four samples
    film.sums[:, 32:, SQUARED] *= 1.5  # blocks of the right half are apart
    wanted = more_samples(film, 4.0, 0.02, 400)
    assert wanted[:, :28].max() == 0 and wanted[:, 36:].min() > 3
    assert wanted.mean() == pytest.approx(4.0, rel=0.02)
    assert more_samples(film, 4.0, 0.9, 400).max() == 0 and more_samples(film, 400.0, 0.0001, 12).max() <= 4
    assert "above 2 %" in unreached(film, 0.02) and unreached(film, 0.9) == ""


def test_samples_added_where_wanted_are_the_ones_that_an_even_film_has(stage: Stage) -> None:
    even, lods = blank(48, 27), blank(48, 27)
    expose(stage, even, 6)
    expose(stage, lods, 2)
    rest = np.full((27, 48), 4, np.int32)
    expose(stage, lods, rest)
    assert np.allclose(even.sums, lods.sums, rtol=1e-5) and lods.samples == 6
    some = np.zeros((27, 48), np.int32)
    some[10:12, 20:30] = 5
    before = lods.sums.copy()
    expose(stage, lods, some)
    changed = (before != lods.sums).any(-1)
    assert changed[10:12, 20:30].all() and changed.sum() == 20 and lods.counted[11, 25, 0] == 11


def test_an_adaptive_picture_spends_what_the_quality_says(stage: Stage) -> None:
    picture = picture_at(
        stage, stage.setting.place.shots[0], 0.3, (64, 36), Quality(16, 1, "none", noise=0.01, most=64), EYE
    )
    assert picture is not None and picture.film.samples == pytest.approx(16, abs=0.5)
    spread = picture.film.counted[..., 0]
    assert spread.min() == 8 and spread.max() > 17
    assert picture.film.note  # and says where it was not enough
    assert (
        picture_at(
            stage, stage.setting.place.shots[0], 0.3, (64, 36), Quality(16, 1, "none", noise=5.0, most=64), EYE
        ).film.samples
        == 8
    )


def test_light_set_aside_is_spread_and_none_of_it_is_lost() -> None:
    film = blank(64, 48)
    film.sums[..., COUNTED] = 4
    film.sums[20, 30, ASIDE : ASIDE + 3] = 4000.0
    light = film.radiance
    assert light.sum() == pytest.approx(3 * 1000.0, rel=1e-4) and light[20, 30].max() < 100


def test_frames_share_their_noise_unless_told_to_vary(stage: Stage) -> None:
    def made(seed: int) -> np.ndarray:
        film = blank(64, 36)
        expose(stage, film, 8, seed=seed)
        from lumwick.develop.view import develop

        return develop(clean(film, 14.0, "high"), EYE)

    assert flicker(made(1), made(1)) == 0.0
    assert 0 < flicker(made(1), made(2)) < 0.1
    flat = np.full((20, 20, 3), 100, np.uint8)
    assert flicker(flat, flat + 10) == pytest.approx(10 / 255)
    dancing = flat.copy()
    dancing[::2, ::2] += 9
    assert flicker(flat, dancing) < flicker(flat, flat + 9)


def test_cut_out_sky_and_mattes(stage: Stage) -> None:
    picture = picture_at(
        stage, stage.setting.place.shots[0], 0.3, (64, 36), Quality(8, 1, "none"), EYE, Options(passes=True)
    )
    assert picture is not None
    cut = cut_out(picture.film, picture.light, EYE, picture.snapshot.grade, 1)
    assert cut.shape == (36, 64, 4) and cut[0, 5, 3] == 0 and cut[-1, 30, 3] == 255 and cut[0, 5, :3].max() == 0
    assert (
        np.abs(cut[-1, 30, :3].astype(int) - picture.pixels[-1, 30]).max() <= 2
    )  # where there is no sky it is the picture
    ground = matte(picture.film, names_of("ground, water"))
    assert (
        ground.shape == (36, 64, 4)
        and ground[-1].max() > 0
        and ground[0].max() == 0
        and (ground[..., 0] == ground[..., 3]).all()
    )
    with pytest.raises(RenderError, match="needs passes"):
        cut_out(Film(picture.film.sums), picture.light, EYE, picture.snapshot.grade, 1)


@pytest.mark.parametrize(("grade", "samples"), [("high", 4), ("fast", 1)])
def test_fine_detail_keeps_some_of_what_was_traced(
    stage: Stage, monkeypatch: pytest.MonkeyPatch, grade: str, samples: int
) -> None:
    film = blank(96, 54)
    expose(stage, film, samples)
    noisy, cleaned = film.radiance, clean(film, 14.0, grade)
    assert np.array_equal(clean(film, 14.0, "none"), noisy)
    # the denoiser alone, without what is kept of the traced picture, smooths plants more than ours does, and the sky
    # as much
    monkeypatch.setitem(cleaning.FINE_KEPT, grade, 0.0)
    alone = clean(film, 14.0, grade)

    def fine(picture: np.ndarray, part: np.ndarray) -> float:
        bright = picture @ LUMA
        return float(np.abs(bright - ndimage.uniform_filter(bright, 3))[part].mean() / bright[part].mean())

    ground = film.distance < 200
    # one sample does not tell the sky from the edge of what stands before it
    sky = ~ground if samples > 1 else ndimage.binary_erosion(~ground, iterations=3)
    assert ground.sum() > 500 and sky.sum() > 500
    assert fine(cleaned, ground) > 1.05 * fine(alone, ground)
    assert fine(cleaned, sky) < 1.05 * fine(alone, sky) + 1e-3
    assert fine(cleaned, ground) < fine(noisy, ground)


def test_kept_arrays_come_back_and_damage_is_mended(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "cache" / "x"))
    made = []

    def make() -> dict[str, np.ndarray]:
        made.append(1)
        return {"a": np.arange(5), "b": np.ones((2, 2))}

    for _ in range(2):
        assert disk_cache.cached("thing", "key", make)["a"].tolist() == [0, 1, 2, 3, 4]
    assert len(made) == 1
    (file,) = disk_cache.folder().iterdir()
    file.write_bytes(b"junk")
    assert disk_cache.cached("thing", "key", make)["b"].shape == (2, 2) and len(made) == 2
    disk_cache.cached("thing", "other key", make)
    assert len(made) == 3
    # what was not used for longest makes room
    whole = disk_cache.folder().parent
    os.utime(file, (1, 1))
    disk_cache.evict(whole, sum(f.stat().st_size for f in disk_cache.folder().iterdir()) - 1)
    assert not file.exists() and len(list(disk_cache.folder().iterdir())) == 1
    disk_cache.evict(whole, 0)
    assert not list(whole.iterdir())
    monkeypatch.setenv("NUMBA_CACHE_DIR", "/proc/none/x")
    assert disk_cache.cached("thing", "key", make)["a"].size == 5  # a place that cannot be written costs time alone


@pytest.mark.parametrize("samples", [16, 48])
def test_the_error_that_is_told_is_how_far_independent_exposures_are_apart(stage: Stage, samples: int) -> None:
    size, runs = (48, 27), 10
    means, told = [], []
    for seed in range(1, runs + 1):
        film = blank(*size)
        for _ in range(samples // 4):
            expose(stage, film, 4, seed=seed)
        means.append(film.sums[..., :3].sum(-1) / film.counted[..., 0])
        told.append(film.error())
    spread, mean = np.std(means, axis=0, ddof=1), np.mean(means, axis=0)
    smooth = np.sqrt(ndimage.uniform_filter(spread**2, 5, mode="reflect"))
    bright = ndimage.uniform_filter(mean, 5, mode="reflect") + 0.05 * float(np.median(mean))
    true = smooth / bright
    seen = true > 0.005  # where there is noise that anybody would spend a sample on
    assert seen.mean() > 0.3
    ratio = np.mean(told, axis=0)[seen] / true[seen]
    assert np.quantile(ratio, 0.1) > 1 / 1.5 and np.quantile(ratio, 0.9) < 1.5, np.quantile(ratio, (0.1, 0.5, 0.9))
