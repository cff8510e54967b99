"""Surfaces against the laws they must keep: a furnace, Fresnel's equations, Beer's law, and files of odd kinds."""

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
import trimesh
from PIL import Image

from lumwick.air.bands import LUMA
from lumwick.errors import RenderError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, look_at
from lumwick.place.fields import Asset
from lumwick.place.nature import Air, Sea, Surround
from lumwick.place.objects import Surface
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.materials import Textures, plain_material, surface_material
from lumwick.trace.quality import Limit
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from lumwick.trace.textures import COLOUR, NORMAL, packed, pyramid, read_image, read_panorama, texture_at
from tests.conftest import small_place

FIELD = 100.0
CLEAR = Air(haze=0.02, fog_visibility=200000)


def picture_file(folder: Path, pixels: np.ndarray, name: str = "sphere.exr") -> bytes:
    path = folder / name
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, "float"))
    out.write_image(np.ascontiguousarray(pixels, np.float32))
    out.close()
    return path.read_bytes()


def surrounded(folder: Path, pixels: np.ndarray, lux: float, turn: float = 0.0) -> Stage:
    """A level place lit by a picture of the whole sphere alone."""
    data = picture_file(folder, pixels)
    asset = Asset(sha256="e" * 64, name="sphere.exr", bytes=len(data))
    place = small_place(
        growth=[], sea=Sea(present=False), air=CLEAR, surround=Surround(picture=asset, lux=lux, turn=turn)
    )
    return Stage(Setting(place, Ground(np.zeros((65, 65), np.float32), 20.0, -640.0, -640.0), lambda a: data))


def card(size: float, z: float) -> tuple[np.ndarray, np.ndarray]:
    return np.array([[-size, -size, z], [size, -size, z], [size, size, z], [-size, size, z]]), np.array(
        [[0, 1, 2], [0, 2, 3]]
    )


def seen(stage: Stage, camera: Camera, samples: int = 64, **limits: int) -> np.ndarray:
    setting = stage.setting
    stage.set(replace(evaluate(setting, setting.place.shots[0], 0.0, camera)))
    film = blank(32, 32)
    expose(stage, film, samples, Limit(**limits))
    return film.radiance


@pytest.fixture(scope="module")
def furnace(tmp_path_factory: pytest.TempPathFactory) -> Stage:
    """A white field on all sides: the sphere above, and a glowing floor under the things."""
    stage = surrounded(tmp_path_factory.mktemp("furnace"), np.ones((16, 32, 3)), np.pi * FIELD)
    glow = plain_material((0.0, 0.0, 0.0))
    glow["emission"] = FIELD
    stage.add_target("floor", *card(90000.0, 275.0), material=glow)
    return stage


def material(**numbers: float) -> np.ndarray:
    made = plain_material((1.0, 1.0, 1.0), 0.9999)
    for name, value in numbers.items():
        made[name] = value
    return made


OPAQUE = {
    "matt": plain_material((1.0, 1.0, 1.0)),
    "satin": material(roughness=0.3),
    "dull": material(roughness=0.8),
    "polished": material(roughness=0.0),
    "chrome": material(metalness=1, roughness=0.0),
    "brushed": material(metalness=1, roughness=0.35),
    "cast": material(metalness=1, roughness=0.7),
    "raw": material(metalness=1, roughness=0.9999),
    "varnished": material(roughness=0.9, coat=1, coat_roughness=0.1),
    "rough coat": material(roughness=0.5, coat=1, coat_roughness=0.5),
    "coated metal": material(metalness=1, roughness=0.5, coat=1, coat_roughness=0.2),
    "wet": material(roughness=0.9, wet=1.0),
    "dense": material(roughness=0.4, ior=2.4),
}


@pytest.mark.parametrize("name", OPAQUE)
@pytest.mark.parametrize("degrees", [12.0, 55.0])
def test_furnace_what_absorbs_nothing_vanishes_in_a_white_field(furnace: Stage, name: str, degrees: float) -> None:
    furnace.add_target("card", *card(40.0, 300.0), material=OPAQUE[name])
    e = np.radians(degrees)
    position = np.array([0.0, -60 * np.cos(e), 300 + 60 * np.sin(e)])
    camera = Camera(position, look_at(position, np.array([0.0, 0.0, 300.0])), 300.0, focus=1000.0)
    assert float(seen(furnace, camera).mean()) == pytest.approx(FIELD, rel=0.01)


def test_furnace_a_leaf_that_reflects_and_passes_all_it_gets(furnace: Stage) -> None:
    leaf = plain_material((0.6, 0.6, 0.6))
    leaf["translucency"] = 0.4
    furnace.add_target("card", *card(40.0, 300.0), material=leaf)
    camera = Camera(
        np.array([0.0, -40.0, 330.0]),
        look_at(np.array([0.0, -40.0, 330.0]), np.array([0.0, 0.0, 300.0])),
        300.0,
        focus=1000.0,
    )
    assert float(seen(furnace, camera, 256).mean()) == pytest.approx(FIELD, rel=0.01)


@pytest.mark.parametrize(("thin", "rough"), [(1, 0.0), (1, 0.4), (0, 0.0), (0, 0.4)])
def test_furnace_clear_panes_and_solids(furnace: Stage, thin: int, rough: float) -> None:
    ball = trimesh.creation.icosphere(subdivisions=4, radius=20.0)
    shape = card(40.0, 300.0) if thin else (ball.vertices + [0, 0, 300], ball.faces)
    furnace.add_target("card", *shape, material=material(transmission=1, thin=thin, roughness=rough))
    camera = Camera(
        np.array([0.0, -60.0, 330.0]),
        look_at(np.array([0.0, -60.0, 330.0]), np.array([0.0, 0.0, 300.0])),
        200.0,
        focus=1000.0,
    )
    assert float(seen(furnace, camera, 128, reflections=24, transmissions=24).mean()) == pytest.approx(FIELD, rel=0.01)


def test_a_pane_mirrors_and_passes_as_fresnels_equations_say(tmp_path: Path) -> None:
    # a field that is bright above and, by a floor of another brightness, dimmer below: the pane mixes them
    stage = surrounded(tmp_path, np.ones((16, 32, 3)), np.pi * FIELD)
    glow = plain_material((0.0, 0.0, 0.0))
    glow["emission"] = 10.0
    stage.add_target("floor", *card(90000.0, 275.0), material=glow)
    stage.add_target("pane", *card(60.0, 300.0), material=material(transmission=1, thin=1, roughness=0))
    for degrees in (0.5, 45.0, 75.0):
        i = np.radians(degrees)
        position = np.array([0.0, -50 * np.sin(i), 300 + 50 * np.cos(i)])
        camera = Camera(position, look_at(position, np.array([0.0, 0.0, 300.0])), 600.0, focus=1000.0)
        t = np.arcsin(np.sin(i) / 1.5)
        once = 0.5 * ((np.sin(i - t) / np.sin(i + t)) ** 2 + (np.tan(i - t) / np.tan(i + t)) ** 2)
        both = (
            2 * once / (1 + once)
        )  # a sheet's two faces, all orders of bouncing between them (Born and Wolf, incoherent sum)
        assert float(seen(stage, camera, 256).mean()) == pytest.approx(both * FIELD + (1 - both) * 10, rel=0.02), (
            degrees
        )


def test_a_tinted_solid_absorbs_by_beers_law(tmp_path: Path) -> None:
    stage = surrounded(tmp_path, np.ones((16, 32, 3)), np.pi * FIELD)
    glow = plain_material((0.0, 0.0, 0.0))
    glow["emission"] = FIELD
    stage.add_target("floor", *card(90000.0, 275.0), material=glow)
    block = trimesh.creation.box((40, 40, 2.0))
    tinted = material(transmission=1, thin=0, roughness=0, ior=1.0001)
    tinted["absorption"] = 0.2, 0.5, 1.0
    stage.add_target("block", block.vertices + [0, 0, 300], block.faces, material=tinted)
    camera = Camera(
        np.array([0.0, -0.001, 305.0]),
        look_at(np.array([0.0, -0.001, 305.0]), np.array([0.0, 0.0, 300.0])),
        600.0,
        focus=1000.0,
    )
    assert seen(stage, camera, 32).mean((0, 1)) == pytest.approx(
        FIELD * np.exp(-2.0 * np.array([0.2, 0.5, 1.0])), rel=0.01
    )


def test_environment_light_is_calibrated_and_turned(tmp_path: Path) -> None:
    # a bright patch to the picture's right quarter, turned by 30 degrees: it stands at a bearing of 120
    pixels = np.full((32, 64, 3), 0.01)
    pixels[8:12, 47:49] = 50.0
    stage = surrounded(tmp_path, pixels, 8000.0, turn=30.0)
    stage.add_target("card", *card(40.0, 300.0), colour=(0.5, 0.5, 0.5))
    down = Camera(
        np.array([0.0, -0.01, 340.0]),
        look_at(np.array([0.0, -0.01, 340.0]), np.array([0.0, 0.0, 300.0])),
        200.0,
        focus=1000.0,
    )
    assert float((seen(stage, down, 256) @ LUMA).mean()) == pytest.approx(0.5 * 8000 / np.pi, rel=0.02)
    position = np.array([0.0, 0.0, 200.0])
    for bearing in (60.0, 120.0, 210.0):
        b = np.radians(bearing)
        away = np.array([np.sin(b), np.cos(b), np.tan(np.radians(90 - 10 / 32 * 180))])
        light = float(
            (seen(stage, Camera(position, away / np.linalg.norm(away), 200.0, focus=1000.0), 4) @ LUMA).mean()
        )
        assert (light > 1000) == (bearing == 120.0)


def test_far_textures_fade_to_their_mean_and_normals_to_roughness() -> None:
    board = np.zeros((64, 64, 4))
    board[..., 3] = 1
    board[(np.indices((64, 64)).sum(0) % 2) == 0, :3] = 1.0
    bumps = np.zeros((64, 64, 4))
    bumps[..., 2] = bumps[..., 3] = 1.0
    bumps[..., 0] = np.where(np.indices((64, 64))[1] % 2 == 0, 0.9, 0.1)
    data, where = packed([pyramid(board, COLOUR), pyramid(bumps, NORMAL)])
    curve = ((np.arange(256) / 255.0) ** 2.2).astype(np.float32)
    out = np.zeros(4)
    texture_at(data, where, curve, 0, 0.5 / 64, 0.5 / 64, 1.0, out)
    assert out[0] == pytest.approx(0.0, abs=1e-3) or out[0] == pytest.approx(1.0, abs=1e-3)
    texture_at(data, where, curve, 0, 0.3, 0.7, 64.0, out)
    assert out[:3] == pytest.approx(0.5, abs=0.02)  # half of the light, not half of the code
    texture_at(data, where, curve, 1, 0.3, 0.7, 64.0, out)
    assert out[0] == pytest.approx(0.5, abs=0.01)  # flat in the mean, and its shorter normal tells the spread
    assert np.hypot(2 * out[0] - 1, 2 * out[2] - 1) < 1.01


def png(image: Image.Image) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, "TIFF" if image.mode == "CMYK" else "PNG")
    return buffer.getvalue()


def test_textures_of_odd_kinds_are_read_or_refused_in_words() -> None:
    one, note = read_image(png(Image.new("RGB", (1, 1), (255, 0, 0))), "one.png")
    assert one.shape == (1, 1, 4) and one[0, 0] == pytest.approx([1, 0, 0, 1]) and not note
    deep, _ = read_image(png(Image.fromarray(np.full((4, 4), 32768, np.uint16))), "deep.png")
    assert deep[0, 0, :3] == pytest.approx([0.5, 0.5, 0.5], abs=1e-3)
    palette = Image.new("P", (2, 2))
    palette.putpalette([0, 255, 0] * 256)
    assert read_image(png(palette), "p.png")[0][0, 0] == pytest.approx([0, 1, 0, 1])
    cmyk, note = read_image(png(Image.new("CMYK", (2, 2), (0, 255, 255, 0))), "ink.tif")
    assert cmyk[0, 0, 0] > 0.9 and cmyk[0, 0, 1] < 0.1 and "CMYK" in note
    huge, note = read_image(png(Image.new("L", (6000, 8), 128)), "wide.png")
    assert huge.shape[1] <= 4096 and "reduced" in note
    for data in (b"", b"no image at all", png(Image.new("RGB", (64, 64)))[:60]):
        with pytest.raises(RenderError, match="cannot be read"):
            read_image(data, "bad.png")


def test_environment_pictures_with_faults(tmp_path: Path) -> None:
    pixels = np.ones((8, 16, 3), np.float32)
    pixels[2, 3], pixels[4, 5, 1] = np.nan, -2.0
    light, note = read_panorama(picture_file(tmp_path, pixels), "s.exr")
    assert np.isfinite(light).all() and (light >= 0).all() and note.startswith("2 pixels")
    with pytest.raises(RenderError, match="twice as wide"):
        read_panorama(picture_file(tmp_path, np.ones((8, 8, 3))), "square.exr")
    with pytest.raises(RenderError, match="is black"):
        read_panorama(picture_file(tmp_path, np.zeros((8, 16, 3))), "night.exr")
    with pytest.raises(RenderError, match=r"\.hdr or \.exr"):
        read_panorama(b"x", "s.jpg")
    with pytest.raises(RenderError, match="cannot be read"):
        read_panorama(b"not a picture", "s.hdr")


def test_a_surfaces_files_that_are_gone_are_named(setting: Setting) -> None:
    surface = Surface(id="s", name="S", colour_map=Asset(sha256="a" * 64, name="lost.png", bytes=1))
    with pytest.raises(Exception, match=r"lost\.png is not here"):
        surface_material(setting.read, surface, Textures())
