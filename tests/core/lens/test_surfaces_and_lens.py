"""Surfaces in the picture, and what the lens does to it."""

import hashlib
import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from pydantic import ValidationError
from typer.testing import CliRunner

from lumwick.cli import app, main
from lumwick.deliver.stills import read_png
from lumwick.errors import PlaceError, RenderError
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.motion.colour import from_hex, to_code, to_linear
from lumwick.place import edits as edit
from lumwick.place.fields import Asset
from lumwick.place.files import asset_of, needed, pack
from lumwick.place.nature import Land
from lumwick.place.objects import Built, Lamp, Surface, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.patterns import NAMES, pattern
from lumwick.trace.quality import Limit
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.outside.test_rendered import flat, quad

AHEAD = Camera(np.array([0.0, 0.0, 30.0]), direction_of(0.0, 0.0), 35.0, 8.0, 1000.0, 14.0)


def png(pixels: np.ndarray) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return buffer.getvalue()


def exposed(
    stage: Stage, camera: Camera, samples: int = 16, size: tuple[int, int] = (96, 54), **limits: int
) -> np.ndarray:
    setting = stage.setting
    stage.set(evaluate(setting, setting.place.shots[0], 0.0, camera))
    film = blank(*size)
    seed = limits.pop("seed", 1)
    expose(stage, film, samples, Limit(**limits), seed)
    return film.radiance


# -- patterns --------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", NAMES[1:])
def test_a_pattern_shows_close_by_and_rests_far_off(name: str) -> None:
    kind = NAMES.index(name)
    rng = np.random.default_rng(7)
    at = rng.uniform(-30, 30, (400, 3))
    near = np.array([pattern(kind, *p, 0.0005) for p in at])
    far = np.array([pattern(kind, *p, 40.0) for p in at])
    assert np.isfinite(near).all() and (near[:, 1] >= 0).all() and (near[:, 1] <= 1).all()
    assert near[:, 2].std() > 0.02 or near[:, 1].std() > 0.02
    # at forty metres to a ray no bump is left, and of the tones at most what a whole board or plank has
    assert far[:, 0].std() < 1e-3 and far[:, 2].std() < 0.5 * max(near[:, 2].std(), 0.3)
    assert pattern(kind, 1.0, 2.0, 3.0, 0.001) == pattern(kind, 1.0, 2.0, 3.0, 0.001)


def test_wet_sand_is_darker_and_shines() -> None:
    setting, stage = flat()
    data = {}
    for wet in (0.0, 1.0):
        surface = Surface(
            id="s", name="Sand", pattern="sand", colour="#b9a684", second="#b9a684", roughness=0.9, wet=wet, relief=0.0
        )
        from lumwick.trace.materials import Textures, surface_material

        material = surface_material(setting.read, surface, Textures())
        material["wet"] = wet
        stage.add_target("card", *quad(-30, -30, 30, 30, 30, 30), material=material)
        down = Camera(np.array([0.0, -0.1, 40.0]), direction_of(0.0, -89.0), 50.0, focus=1000.0)
        s = evaluate(setting, setting.place.shots[0], 0.0, down).sun_direction
        mirror = Camera(
            np.array([0.0, 0.0, 30.0]) + 12 * np.array([-s[0], -s[1], s[2]]),
            np.array([s[0], s[1], -s[2]]),
            50.0,
            focus=1000.0,
        )  # towards the sun's mirror image
        data[wet] = (exposed(stage, down).mean(), exposed(stage, mirror).max())
    assert data[1.0][0] < 0.75 * data[0.0][0] and data[1.0][1] > 1.5 * data[0.0][1]


def test_a_textured_model_is_seen_as_its_texture_says_and_cut_where_it_is_clear() -> None:
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[:, :32] = (255, 0, 0, 255)
    pixels[:, 32:] = (0, 0, 255, 0)
    material = trimesh.visual.material.PBRMaterial(
        baseColorTexture=Image.fromarray(pixels),
        metallicFactor=0.0,
        roughnessFactor=1.0,
        alphaMode="MASK",
        alphaCutoff=0.5,
    )
    board = trimesh.Trimesh(
        [[-4, -3, 0], [4, -3, 0], [4, 3, 0], [-4, 3, 0]],
        [[0, 1, 2], [0, 2, 3]],
        process=False,
        visual=trimesh.visual.TextureVisuals(uv=[[0, 0], [1, 0], [1, 1], [0, 1]], material=material),
    )
    data = trimesh.Scene([board]).export(file_type="glb")
    asset = asset_of("board.glb", data)
    setting, _ = flat()
    place = setting.place.model_copy(update={"things": [Thing(id="b", name="Board", mesh=asset, north=20.0, up=34.0)]})
    stage = Stage(Setting(place, setting.ground, lambda a: data))
    south = replace(AHEAD, position=np.array([0.0, 40.0, 30.0]), forward=direction_of(180.0, 0.0))
    for camera in (AHEAD, south):
        picture = exposed(stage, camera, 32)
        left, right, sky = picture[12, 42], picture[12, 54], picture[12, 4]
        solid, hole = (left, right) if camera is AHEAD else (right, left)
        assert solid[0] > 4 * solid[2]  # the red half
        assert hole == pytest.approx(sky, rel=0.3)  # the sky through the other
    # its shadow has the hole too: light reaches the ground behind it
    assert len(stage.world.geometry.pierced) == 1 and stage.world.geometry.pierced[0, 1] == pytest.approx(20, abs=0.02)


def test_a_clear_pane_lets_light_to_the_floor_behind_it() -> None:
    from lumwick.trace.materials import plain_material

    readings = []
    for kind in ("none", "pane", "board"):
        _setting, stage = flat()
        stage.add_target("floor", *quad(-20, -20, 2, 20, 20, 2), (0.5, 0.5, 0.5))
        if kind != "none":
            material = plain_material((1.0, 1.0, 1.0), 0.0)
            material["transmission"], material["thin"] = (1.0, 1.0) if kind == "pane" else (0.0, 0.0)
            stage.add_target("roof", *quad(-60, -60, 12, 60, 60, 12), material=material)
        down = Camera(np.array([0.0, -0.1, 9.0]), direction_of(0.0, -89.0), 50.0, focus=1000.0)
        readings.append(float(exposed(stage, down, 64, bounces=0).mean()))
    none, pane, board = readings
    # a pane passes 92 % at right angles and less on the slant (Fresnel, both faces)
    assert 0.82 * none < pane < 0.93 * none and board < 0.02 * none


def test_a_built_thing_takes_a_surface_and_goes_back_to_its_own(marsh: Ground) -> None:
    built = Built(id="j", name="Jetty", kind="jetty", line=[(0, 0), (0, 20)], deck=6.0, surface="red")
    place = small_place(
        growth=[], built=[built], surfaces=[Surface(id="red", name="Red", colour="#ff0000", roughness=0.9)]
    )
    stage = Stage(Setting(place, marsh))
    down = Camera(np.array([0.0, 5.0, 9.0]), direction_of(0.0, -80.0), 24.0, focus=1000.0)
    red = exposed(stage, down)[27, 48]
    assert red[0] > 5 * red[1]
    plain, label = edit.apply(place, edit.command({"op": "remove", "of": "surfaces", "id": "red"}))
    assert label == "removed surface Red" and plain.built[0].surface == ""
    stage.change(Setting(plain, marsh))
    grey = exposed(stage, down)[27, 48]
    assert grey[0] < 2 * grey[1]


def test_a_glow_that_is_keyed_lights_what_is_near(marsh: Ground) -> None:
    ball = trimesh.creation.icosphere(subdivisions=2, radius=0.5)
    data = ball.export(file_type="stl")
    asset = asset_of("ball.stl", data)
    place = small_place(
        growth=[],
        things=[Thing(id="b", name="Ball", mesh=asset, east=0, north=10, up=30, surface="hot")],
        surfaces=[Surface(id="hot", name="Hot", colour="#000000", glow=0.0, glow_colour="#ffa040")],
    )
    for t, value in ((0.0, 0.0), (0.5, 5000.0)):
        place, _ = edit.apply(place, edit.command({"op": "key", "path": "/surfaces/hot/glow", "t": t, "value": value}))
    setting = Setting(place, marsh, lambda a: data)
    stage = Stage(setting)
    dark, lit = (evaluate(setting, place.shots[0], t, AHEAD) for t in (0.0, 0.5))
    assert dark.surfaces["hot"][0] == 0.0 and lit.surfaces["hot"][0] == 5000.0
    stage.set(dark)
    assert len(stage.world.lights.lamp) == 0
    stage.set(lit)
    assert len(stage.world.lights.lamp) == 1 and len(stage.world.lights.emitter) == len(ball.faces)
    film = blank(96, 54)
    expose(stage, film, 4)
    spot = film.radiance[26:28, 47:49].mean((0, 1))
    assert spot[0] == pytest.approx(5000, rel=0.35) and spot[2] < 0.4 * spot[0]


# -- the lens --------------------------------------------------------------------------------------------


def test_the_sun_can_be_made_wider_with_the_same_light() -> None:
    setting, stage = flat()
    stage.add_target("card", *quad(-30, -30, 30, 30, 30, 30), (0.5, 0.5, 0.5))
    down = Camera(np.array([0.0, -0.1, 40.0]), direction_of(0.0, -89.0), 50.0, focus=1000.0)
    small = exposed(stage, down).mean()
    wide = setting.place.model_copy(update={"air": setting.place.air.model_copy(update={"sun_width": 8.0})})
    stage.change(Setting(wide, setting.ground))
    assert exposed(stage, down).mean() == pytest.approx(small, rel=0.01)
    assert float(stage.world.lights.sun["tan_radius"][0]) == pytest.approx(np.tan(np.radians(4.0)))


# -- the document ----------------------------------------------------------------------------------------


def test_colours_are_srgb_codes() -> None:
    assert from_hex("#ffffff") == pytest.approx([1, 1, 1]) and from_hex("#bcbcbc") == pytest.approx(
        [0.5, 0.5, 0.5], abs=0.005
    )
    ramp = np.linspace(0, 1, 64)
    assert to_code(to_linear(ramp)) == pytest.approx(ramp, abs=1e-9)
    with pytest.raises(ValidationError):
        Surface(id="s", name="S", colour="red")


def test_a_place_needs_every_file_it_names_once() -> None:
    mesh, image = (Asset(sha256=hashlib.sha256(n.encode()).hexdigest(), name=n, bytes=1) for n in ("a.glb", "b.png"))
    place = small_place(
        things=[Thing(id=f"t{k}", name="T", mesh=mesh) for k in range(3)],
        surfaces=[Surface(id="s", name="S", colour_map=image, normal_map=image)],
    )
    assert [a.name for a in needed(place)][1:] == ["a.glb", "b.png"]


def test_unknown_surfaces_and_double_names_are_refused_in_words() -> None:
    with pytest.raises(ValidationError, match="surface 'gold', which this place does not have"):
        small_place(
            things=[Thing(id="t", name="Cup", mesh=Asset(sha256="a" * 64, name="c.glb", bytes=1), surface="gold")]
        )
    with pytest.raises(ValidationError, match="two lamps share one id"):
        small_place(lamps=[Lamp(id="l", name="A"), Lamp(id="l", name="B")])


def test_lamps_are_added_moved_keyed_and_taken_away(marsh: Ground) -> None:
    place = small_place()
    for command, label in (
        ({"op": "add", "to": "lamps", "item": {"id": "l", "name": "Lantern", "amount": 300}}, "added lamp Lantern"),
        ({"op": "move", "of": "lamps", "id": "l", "east": 4.0, "north": -2.5}, "moved lamp Lantern"),
        ({"op": "key", "path": "/lamps/l/amount", "t": 0.5, "value": 900.0}, "key: light 900 at 0.50 s"),
        ({"op": "white", "shot": "a", "kelvin": 4321.4, "tint": 2.26}, "white from a grey: 4321 K, tint 2.3"),
    ):
        place, said = edit.apply(place, edit.command(command))
        assert said == label
    snap = evaluate(Setting(place, marsh), place.shots[0], 0.25)
    assert (
        snap.lamps[0].amount == pytest.approx(900)
        and tuple(snap.lamps[0].position[:2]) == (4.0, -2.5)
        and snap.camera.kelvin == 4321
    )
    gone, _ = edit.apply(place, edit.command({"op": "remove", "of": "lamps", "id": "l"}))
    assert not gone.lamps
    for bad, words in (
        ({"op": "add", "to": "lamps", "item": {"id": "x", "name": "X", "kind": "sun"}}, "lamp cannot be added"),
        ({"op": "remove", "of": "things", "id": "x"}, "not there any more"),
        ({"op": "white", "shot": "gone", "kelvin": 5000, "tint": 0}, "no shot"),
    ):
        with pytest.raises(PlaceError, match=words):
            edit.apply(place, edit.command(bad))


# -- the command line ------------------------------------------------------------------------------------


@pytest.fixture
def place_file(tmp_path: Path, marsh: Ground) -> Path:
    data = write_elevation(marsh)
    asset = asset_of("g.tif", data)
    path = tmp_path / "small.place.zip"
    path.write_bytes(pack(small_place(land=Land(elevation=asset)), {asset.sha256: data}))
    return path


def test_the_command_line_crops_mattes_and_cuts_skies(place_file: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"

    def run(*more: str) -> np.ndarray:
        result = CliRunner().invoke(
            app,
            [
                "render",
                str(place_file),
                "--shot",
                "a",
                "--frames",
                "1",
                "--size",
                "96x54",
                "--quality",
                "sketch",
                "--out",
                str(out),
                *more,
            ],
        )
        assert result.exit_code == 0, result.output
        return np.asarray(Image.open(out / "a.00001.png"))

    whole = run("--denoise", "none")
    assert whole.shape == (54, 96, 3) and np.array_equal(read_png(out / "a.00001.png"), whole)
    part = run("--denoise", "none", "--crop", "0.25,0.5,0.75,1")
    assert part.shape == (27, 48, 3) and np.abs(part.astype(int) - whole[27:, 24:72]).mean() < 3
    assert run("--percent", "50").shape == (27, 48, 3) and run("--overscan", "10").shape == (74, 116, 3)
    ground = run("--matte", "ground")
    assert ground.shape[2] == 4 and ground.max() > 0 and (ground[..., 0] == ground[..., 3]).all()
    assert run("--cut-sky")[0, :, 3].min() == 0
    assert not np.array_equal(
        run("--samples", "1", "--vary-noise", "--denoise", "none"), run("--samples", "1", "--denoise", "none")
    )


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (["--crop", "left"], "A crop is written like"),
        (["--crop", "0.5,0,0.4,1"], "A crop is left, top, right, bottom"),
        (["--overscan", "90"], "overscan 0 to 50"),
        (["--samples", "0"], "Samples lie from"),
        (["--noise", "-1"], "noise threshold lies"),
        (["--bounces", "2"], "Bounces are written like"),
        (["--bounces", "2,99,1"], "0 to 16"),
        (["--denoise", "much"], "Cleaning is"),
        (["--matte", "unicorn"], "nothing called 'unicorn'"),
    ],
)
def test_bad_options_are_one_clear_line(
    place_file: Path,
    tmp_path: Path,
    more: list[str],
    words: str,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.setattr(
        "sys.argv",
        [
            "lumwick",
            "render",
            str(place_file),
            "--shot",
            "a",
            "--frames",
            "1",
            "--size",
            "48x27",
            "--out",
            str(tmp_path / "o"),
            *more,
        ],
    )
    with pytest.raises(SystemExit) as stop:
        main()
    assert stop.value.code == 2 and words in capsys.readouterr().err


def test_a_crop_too_small_to_film_is_told() -> None:
    with pytest.raises(RenderError, match="from 16 to 8192"):
        blank(8, 8)
