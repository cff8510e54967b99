"""Mattes against the published layout and a reader that is not ours, and motion vectors against geometry."""

import json
from fractions import Fraction
from pathlib import Path

import cryptomatte_api
import mmh3
import numpy as np
import pytest

from lumwick.deliver.passes import coverage_of, matte_id, ranked, write_passes
from lumwick.errors import RenderError
from lumwick.lens.camera import Camera, direction_of
from lumwick.picture import Options, motion_vectors_of, picture_at
from lumwick.place.document import Shot
from lumwick.place.filming import Exposure, Route, Station
from lumwick.place.nature import Air
from lumwick.snapshot.evaluate import Setting
from lumwick.trace.framing import Framing
from lumwick.trace.integrator.film import COVERAGE
from lumwick.trace.quality import QUALITIES, Quality
from lumwick.trace.stage import Stage
from tests.outside.test_passes import read
from tests.outside.test_rendered import flat, quad

EYE = Camera(np.array([0.0, 0.0, 3.0]), direction_of(0.0, 2.0), 35.0, 8.0, 1000.0, 14.0)


@pytest.fixture(scope="module")
def shown(tmp_path_factory: pytest.TempPathFactory) -> tuple[Stage, Path, object]:
    setting, stage = flat(air=Air(haze=0.08, fog_visibility=30000))
    stage.add_target("left card", *quad(-6, 25, 0, 0, 25, 8), (0.5, 0.25, 0.1))
    stage.add_target("right card", *quad(0, 25, 0, 6, 25, 8), (0.1, 0.25, 0.5))
    picture = picture_at(
        stage, setting.place.shots[0], 0.0, (97, 54), Quality(32, 0, "none"), EYE, Options(passes=True)
    )
    assert picture is not None
    path = tmp_path_factory.mktemp("mattes") / "a.exr"
    drift = np.zeros((54, 97, 2), np.float32)
    write_passes(path, picture.film, picture.light, EYE, Fraction(24), 1, drift)
    return stage, path, picture


def test_names_hash_as_the_specification_says() -> None:
    # the specification's own example, version 1.2: the hash of "hello" is 6.0705627102400005616e-17 as a float
    # (from memory of its text)
    assert matte_id("hello") == pytest.approx(6.0705627102400005616e-17, rel=1e-7)
    # exponents of all ones or zeros are stepped aside from
    for k in range(4000):
        bits = int(np.float32(matte_id(f"n{k}")).view(np.uint32))
        assert (bits >> 23) & 255 not in (0, 255)
        assert bits in (h := mmh3.hash(f"n{k}".encode(), 0, signed=False), h ^ (1 << 23))


def test_ids_decode_to_the_right_names(shown: tuple[Stage, Path, object]) -> None:
    _, path, _ = shown
    spec, ch = read(path)
    keys = {a.name.split("/")[1] for a in spec.extra_attribs if a.name.startswith("cryptomatte/")}
    layers = {spec[f"cryptomatte/{k}/name"]: json.loads(spec[f"cryptomatte/{k}/manifest"]) for k in keys}
    assert set(layers) == {"CryptoObject", "CryptoSurface"} and all(len(k) == 7 for k in keys)
    by_id = {int(v, 16): n for n, v in layers["CryptoObject"].items()}
    top = (
        ch["CryptoObject00.R"].view(np.uint32)
        if ch["CryptoObject00.R"].dtype == np.float32
        else ch["CryptoObject00.R"].astype(np.float32).view(np.uint32)
    )
    top = np.ascontiguousarray(ch["CryptoObject00.R"], np.float32).view(np.uint32)
    assert (
        by_id[int(top[22, 40])] == "left card"
        and by_id[int(top[22, 56])] == "right card"
        and by_id[int(top[52, 48])] == "ground"
    )
    assert top[1, 1] == 0 and ch["CryptoObject00.G"][1, 1] == 0  # the sky is nobody
    # the two cards share the pixel column between them, and cover it wholly
    edge = [ch[f"CryptoObject00.{c}"][22, 48] for c in "GA"]
    assert sum(edge) == pytest.approx(1.0, abs=1e-3) and 0.3 < edge[1] <= 0.5 <= edge[0] < 0.7


def test_another_reader_decodes_the_same_mattes(shown: tuple[Stage, Path, object]) -> None:
    _, path, picture = shown
    loaded = {m.metadata().name(): m for m in cryptomatte_api.Cryptomatte.load(str(path))}
    assert set(loaded) == {"CryptoObject", "CryptoSurface"}
    things = loaded["CryptoObject"].masks()
    assert set(things) == {"left card", "right card", "ground"}
    mask = np.asarray(things["left card"])
    ours = coverage_of(picture.film, ["left card"])
    assert np.abs(mask.reshape(ours.shape) - ours).max() < 2e-3


def test_coverage_sums_and_unknown_names(shown: tuple[Stage, Path, object]) -> None:
    _, _, picture = shown
    film = picture.film
    _ids, shares = ranked(film, 0)
    assert (np.diff(shares, axis=-1) <= 1e-6).all()  # the largest first
    assert shares.sum(-1) == pytest.approx(film.passes[..., COVERAGE] / film.counted[..., 0], abs=1e-3)
    assert coverage_of(film, ["left card", "right card"])[22, 48] == pytest.approx(1.0, abs=1e-3)
    with pytest.raises(RenderError, match=r"nothing called 'tree'.*left card"):
        coverage_of(film, ["tree"])


def test_the_matte_quality_follows_no_light(shown: tuple[Stage, Path, object]) -> None:
    stage, _, picture = shown
    flat_picture = picture_at(stage, stage.setting.place.shots[0], 0.0, (97, 54), QUALITIES["matte"], EYE)
    assert flat_picture is not None and flat_picture.film.shadow_rays == 0
    assert coverage_of(flat_picture.film, ["right card"]) == pytest.approx(
        coverage_of(picture.film, ["right card"]), abs=0.15
    )


def test_motion_of_a_still_place_is_the_cameras() -> None:
    stations = [
        Station(id="a", east=-3, north=0, up=3, aim=(-3, 25, 3), focal=35),
        Station(id="b", east=3, north=0, up=3, aim=(3, 25, 3), focal=35),
    ]
    shot = Shot(id="a", name="A", frames=24, exposure=Exposure(ev100=14, focus=1000), route=Route(stations=stations))
    setting, stage = flat(air=Air(haze=0.08, fog_visibility=30000))
    stage.change(Setting(setting.place.model_copy(update={"shots": [shot]}), setting.ground))
    stage.add_target("card", *quad(-20, 25, 0, 20, 25, 8), (0.5, 0.25, 0.1))
    v = motion_vectors_of(stage, shot, 0.5, (160, 90))
    # 6 m over the clip's 23 steps and one more at the end: the camera slides 6 / 24 m a frame, and the card 25 m
    # off goes the other way
    expected = -6 / 24 / 25 * 35 / 36 * 160
    assert v[40, 80, 0] == pytest.approx(expected, rel=0.02) and abs(v[40, 80, 1]) < 1e-3
    assert abs(v[2, 80]).max() < 1e-2  # the sky is far
    assert abs(v[85, 80, 0]) > abs(v[40, 80, 0])  # the ground near by goes faster


def test_motion_of_a_roll_and_with_a_bent_lens_lands_where_the_picture_does() -> None:
    setting, stage = flat(air=Air(haze=0.08, fog_visibility=30000))
    stage.add_target("wall", *quad(-60, 25, -20, 60, 25, 60), (0.5, 0.5, 0.5))
    bent = Camera(EYE.position, EYE.forward, 24.0, 8.0, 1000.0, 14.0, distortion=-8.0)
    rolled = Camera(EYE.position, EYE.forward, 24.0, 8.0, 1000.0, 14.0, distortion=-8.0, roll=3.0)
    from lumwick.snapshot.evaluate import evaluate
    from lumwick.trace.motion_vectors import motion_vectors

    shot = setting.place.shots[0]
    v = motion_vectors(
        stage, evaluate(setting, shot, 0.0, bent), lambda seen: evaluate(setting, shot, 0.0, seen), rolled, (160, 90)
    ).whole
    # the camera turns clockwise, so the picture turns the other way about its middle, whatever the lens
    x, y = 140.5 - 80, 20.5 - 45
    a = np.radians(-3.0)
    turned = np.array([np.cos(a) * x - np.sin(a) * y, np.sin(a) * x + np.cos(a) * y])
    assert v[20, 140] == pytest.approx(turned - [x, y], abs=0.02)


def test_crop_overscan_and_percent_show_the_same_picture() -> None:
    setting, stage = flat(air=Air(haze=0.08, fog_visibility=30000))
    stage.add_target("card", *quad(-4, 25, 0, 4, 25, 6), (0.5, 0.25, 0.1))
    shot, quick = setting.place.shots[0], Quality(4, 1, "none")

    def made(framing: Framing) -> np.ndarray:
        picture = picture_at(stage, shot, 0.0, (160, 90), quick, EYE, Options(framing=framing))
        assert picture is not None
        return picture.film.radiance

    whole = made(Framing())
    part = made(Framing(crop=(0.25, 0.2, 0.75, 0.8)))
    assert part.shape == (54, 80, 3) and np.allclose(
        part, whole[18:72, 40:120], rtol=1e-4
    )  # its samples are those of the whole
    wide = made(Framing(overscan=10))
    assert wide.shape == (122, 192, 3)
    assert wide[16:106, 16:176].mean((0, 1)) == pytest.approx(whole.mean((0, 1)), rel=0.01)
    assert made(Framing(percent=50)).shape == (45, 80, 3)
    for bad in (Framing(percent=0), Framing(overscan=80), Framing(crop=(0.5, 0, 0.4, 1))):
        with pytest.raises(RenderError):
            bad.film((160, 90))
