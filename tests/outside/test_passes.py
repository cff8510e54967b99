"""Passes in OpenEXR files, read back by OpenImageIO under the names that readers expect."""

from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest
from typer.testing import CliRunner

from lumwick.cli import app, main
from lumwick.deliver.passes import LIGHTS, layers, write_passes
from lumwick.errors import RenderError
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of, incident_illuminance
from lumwick.picture import Options, picture_at
from lumwick.place.files import asset_of, pack
from lumwick.place.nature import Air, Land
from lumwick.snapshot.evaluate import Setting
from lumwick.trace.film import blank
from lumwick.trace.integrator.film import PASSES
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.outside.test_rendered import flat, quad

QUICK = Quality(4, 1, "fast")


def read(path: Path) -> tuple[Any, dict[str, np.ndarray]]:
    image = oiio.ImageInput.open(str(path))
    spec = image.spec()
    pixels = np.asarray(image.read_image("float"))
    image.close()
    return spec, {name: pixels[..., i] for i, name in enumerate(spec.channelnames)}


@pytest.fixture(scope="module")
def walled(tmp_path_factory: pytest.TempPathFactory) -> tuple[Any, Path, Camera]:
    """A card 25 m to the north over level ground, filmed with passes and written."""
    setting, stage = flat(air=Air(haze=0.08, fog_visibility=30000))
    stage.add_target("card", *quad(-4, 25, 0, 4, 25, 6), (0.5, 0.25, 0.1))
    camera = Camera(np.array([1.0, 0.0, 3.0]), direction_of(0.0, 2.0), 35.0, 8.0, 1000.0, 14.0)
    picture = picture_at(stage, setting.place.shots[0], 0.0, (96, 54), QUICK, camera, Options(passes=True))
    assert picture is not None
    path = tmp_path_factory.mktemp("exr") / "a.00003.exr"
    write_passes(path, picture.film, picture.light, camera, Fraction(24000, 1001), 3)
    return picture, path, camera


def test_layers_have_the_standard_names_and_types(walled: Any) -> None:
    _, path, _ = walled
    spec, channels = read(path)
    expected = {
        "R",
        "G",
        "B",
        "A",
        "Z",
        "N.X",
        "N.Y",
        "N.Z",
        "P.X",
        "P.Y",
        "P.Z",
        *(f"{n}.{c}" for n in (*LIGHTS, "traced", "shadow", "albedo") for c in "RGB"),
        *(f"{m}0{k}.{c}" for m in ("CryptoObject", "CryptoSurface") for k in range(3) for c in "RGBA"),
    }
    assert set(channels) == expected
    assert (spec.width, spec.height, len(channels)) == (96, 54, 44 + 24)
    formats = dict(zip(spec.channelnames, spec.channelformats, strict=True))
    assert str(formats["Z"]) == "float" and str(formats["P.X"]) == "float" and str(formats["R"]) == "half"
    assert spec["chromaticities"][:2] == pytest.approx((0.64, 0.33)) and spec["FramesPerSecond"] == (24000, 1001)
    assert spec["whiteLuminance"] == pytest.approx(incident_illuminance(14.0) / np.pi, rel=1e-5)


def test_the_light_passes_add_up_to_what_was_traced(walled: Any) -> None:
    picture, path, camera = walled
    named = dict(layers(picture.film, picture.light, camera))
    for c in "RGB":
        assert sum(named[f"{n}.{c}"] for n in LIGHTS) == pytest.approx(named[f"traced.{c}"], rel=1e-4, abs=1e-6)
    _, channels = read(path)
    assert sum(channels[f"{n}.G"] for n in LIGHTS) == pytest.approx(channels["traced.G"], rel=4e-3, abs=1e-4)  # halves
    assert channels["sun.G"].max() > 0.05 and channels["sky.B"].max() > 0.02 and channels["background.B"][2, 48] > 0.1
    assert channels["sun.G"][2, 48] == 0  # no sunlit surface in the sky


def test_depth_position_normal_and_coverage(walled: Any) -> None:
    _, path, camera = walled
    _, ch = read(path)
    card = (slice(22, 26), slice(44, 48))
    forward = np.asarray(camera.forward)
    place = np.stack([ch["P.X"][card], ch["P.Y"][card], ch["P.Z"][card]], -1)
    assert place[..., 1] == pytest.approx(np.full((4, 4), 25.0), abs=2e-3)
    assert ch["Z"][card] == pytest.approx((place - camera.position) @ forward, rel=1e-5)
    assert ch["N.Y"][card] == pytest.approx(np.full((4, 4), -1.0), abs=2e-3)
    assert ch["albedo.R"][card] == pytest.approx(np.full((4, 4), 0.5), abs=1e-3)
    assert (ch["A"][card] == 1).all() and ch["A"][1, 80] == 0 and np.isinf(ch["Z"][1, 80])
    ground = ch["Z"][52, 48]
    assert 5 < ground < 25 and ch["N.Z"][52, 48] > 0.9


def test_the_camera_matrix_brings_positions_before_the_lens(walled: Any) -> None:
    _, path, camera = walled
    spec, ch = read(path)
    m = np.array(spec["worldtocamera"]).reshape(4, 4)
    p = np.array([ch["P.X"][24, 46], ch["P.Y"][24, 46], ch["P.Z"][24, 46], 1.0]) @ m
    assert -p[2] == pytest.approx(ch["Z"][24, 46], rel=1e-4)  # the camera looks along -z
    # and projects to the pixel it was seen in
    x = (p[0] / -p[2] / (18.0 / camera.focal_mm) + 1) / 2 * 96
    y = (1 - p[1] / -p[2] / (18.0 / camera.focal_mm * 54 / 96)) / 2 * 54
    assert (x, y) == pytest.approx((46.5, 24.5), abs=0.6)


def test_passes_do_not_change_the_picture(walled: Any) -> None:
    picture, _, camera = walled
    setting, stage = flat(air=Air(haze=0.08, fog_visibility=30000))
    stage.add_target("card", *quad(-4, 25, 0, 4, 25, 6), (0.5, 0.25, 0.1))
    plain = picture_at(stage, setting.place.shots[0], 0.0, (96, 54), QUICK, camera)
    assert plain is not None and np.array_equal(plain.pixels, picture.pixels) and not len(plain.film.passes)
    with pytest.raises(RenderError, match="without passes"):
        layers(plain.film, plain.light, camera)


def test_a_file_that_cannot_be_written_is_told_and_leaves_nothing(walled: Any, tmp_path: Path) -> None:
    picture, _, camera = walled
    with pytest.raises(RenderError, match="could not be written"):
        write_passes(tmp_path / "gone" / "a.exr", picture.film, picture.light, camera, Fraction(24), 1)
    assert not list(tmp_path.iterdir())


def test_command_line_writes_them_beside_the_frames(
    tmp_path: Path, marsh: Ground, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    data = write_elevation(marsh)
    asset = asset_of("g.tif", data)
    place = tmp_path / "small.place.zip"
    place.write_bytes(pack(small_place(land=Land(elevation=asset)), {asset.sha256: data}))
    run = CliRunner().invoke(
        app,
        [
            "render",
            str(place),
            "--shot",
            "a",
            "--frames",
            "1-2",
            "--size",
            "64x36",
            "--quality",
            "sketch",
            "--out",
            str(tmp_path / "out"),
            "--exr",
        ],
    )
    assert run.exit_code == 0, run.output
    assert sorted(p.name for p in (tmp_path / "out").glob("*.0*")) == [
        "a.00001.exr",
        "a.00001.png",
        "a.00002.exr",
        "a.00002.png",
    ]
    spec, ch = read(tmp_path / "out" / "a.00001.exr")
    assert spec["lumwick:frame"] == 1 and np.isfinite(ch["R"]).all() and ch["G"].std() > 0.01
    monkeypatch.setattr(
        "sys.argv", ["lumwick", "render", str(place), "--shot", "a", "--film", str(tmp_path / "a.mp4"), "--exr"]
    )
    with pytest.raises(SystemExit) as stop:
        main()
    assert stop.value.code == 2 and "say --out FOLDER with --exr" in capsys.readouterr().err


def test_film_without_passes_stays_small() -> None:
    assert blank(64, 36).passes.size == 0 and blank(64, 36, passes=True).passes.shape == (36, 64, PASSES)


def test_water_is_split_by_source_too(marsh: Ground) -> None:
    setting = Setting(small_place(growth=[]), marsh)
    stage = Stage(setting)
    camera = Camera(np.array([-420.0, 0.0, 4.0]), direction_of(270.0, -8.0), 28.0)
    picture = picture_at(
        stage, setting.place.shots[0], 0.0, (64, 36), Quality(16, 1, "fast"), camera, Options(passes=True)
    )
    assert picture is not None
    named = dict(layers(picture.film, picture.light, camera))
    sea = (slice(22, 34), slice(8, 56))
    assert named["reflection.B"][sea].mean() > named["reflection.R"][sea].mean() > 0  # the mirrored sky
    assert named["air.G"][sea].mean() > 0  # the glow of the water's body
    assert sum(named[f"{n}.B"] for n in LIGHTS) == pytest.approx(named["traced.B"], rel=1e-4, abs=1e-6)
