"""Models brought in as files, folders and zips: what is taken over, what is asked, what is refused."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from typer.testing import CliRunner

from lumwick.built.bring.bundle import models, read_from, unzipped
from lumwick.built.bring.importing import import_model, set_down
from lumwick.built.bring.scale import guess, length
from lumwick.built.bring.texture_set import TextureSet, meant, size_of, texture_sets
from lumwick.built.gltf import Writer
from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface, beside_file, read_mesh
from lumwick.built.outline import FRONT, outline
from lumwick.cli import app
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.place.files import load
from tests.conftest import small_place
from tests.core.built.test_meshes import glb, textured
from tests.core.deliver.test_cli_films import written


def png(colour: tuple[int, int, int] = (200, 40, 30)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (4, 4), colour).save(out, "PNG")
    return out.getvalue()


def in_files(uri: str = "parts/board.bin", image: str = "maps/paint.png") -> dict[str, bytes]:
    """A square as a .gltf with its mesh and its texture beside it."""
    v = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
    t = np.array([0, 1, 2, 0, 2, 3], np.uint16)
    body = v.tobytes() + uv.tobytes() + t.tobytes()
    told = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(body), "uri": uri}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 48},
            {"buffer": 0, "byteOffset": 48, "byteLength": 32},
            {"buffer": 0, "byteOffset": 80, "byteLength": 12},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC2"},
            {"bufferView": 2, "componentType": 5123, "count": 6, "type": "SCALAR"},
        ],
        "images": [{"uri": image}],
        "textures": [{"source": 0}],
        "materials": [{"name": "paint", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2, "material": 0}]}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
    }
    return {"boat/board.gltf": json.dumps(told).encode(), "boat/parts/board.bin": body, "boat/maps/paint.png": png()}


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, data in files.items():
            z.writestr(name, data)
    return out.getvalue()


def test_a_gltf_with_side_files_becomes_one_file() -> None:
    (taken,) = import_model(in_files())
    assert (taken.name, taken.file, taken.notes) == ("board", "board.glb", ())
    again = read_mesh(taken.data, taken.file)  # nothing beside it
    (part,) = again.parts
    assert part.surface.name == "paint" and part.surface.colour_map is not None
    assert tuple(part.surface.colour_map[0, 0, :3]) == (200, 40, 30)
    assert again.bounds[1] == pytest.approx([1, 0, 1]) and len(part.triangles) == 2
    assert taken.line() == "board: 2 triangles, 1 surface, 1 texture, 1 m x 0 mm x 1 m."
    # as a zip, and as single files without their folders
    assert import_model({"boat.zip": zipped(in_files())})[0].data == taken.data
    flat = {Path(name).name: data for name, data in in_files().items()}
    assert import_model(flat)[0].data == taken.data


def test_a_missing_mesh_is_refused_by_name_and_a_missing_texture_is_told() -> None:
    files = in_files()
    del files["boat/parts/board.bin"]
    with pytest.raises(PlaceError, match=r"board\.gltf keeps its mesh in board\.bin"):
        import_model(files)
    files = in_files()
    del files["boat/maps/paint.png"]
    (taken,) = import_model(files)
    assert taken.notes == ("the texture paint.png is missing: a neutral grey stands for it",)
    grey = taken.mesh.parts[0].surface.colour_map
    assert grey is not None and (grey[..., :3] == 128).all()
    files["boat/maps/paint.png"] = b"not a picture"
    assert import_model(files)[0].notes == ("the texture paint.png cannot be read: a neutral grey stands for it",)


def test_files_are_found_by_folder_first_and_by_name_if_there_is_one() -> None:
    files = {"a/m.gltf": b"", "a/t.png": b"1", "b/t.png": b"2", "b/only.bin": b"3"}
    assert beside_file(files, "t.png", "a/m.gltf") == b"1" and beside_file(files, "../b/t.png", "a/m.gltf") == b"2"
    assert (
        beside_file(files, "elsewhere/only.bin", "a/m.gltf") == b"3" and beside_file(files, "t.png", "c/m.gltf") is None
    )


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ({"../up.glb": b"x"}, "leads out"),
        ({"/root/up.glb": b"x"}, "leads out"),
        ({"C:/up.glb": b"x"}, "leads out"),
        ({"a.zip": b"PK junk"}, "cannot be unpacked"),
        ({"a.zip": zipped({"../../up.glb": b"x"})}, "leads out"),
        ({"note.txt": b"x"}, "no model in what was brought"),
    ],
)
def test_bundles_that_cannot_be_used_are_refused(files: dict[str, bytes], words: str) -> None:
    with pytest.raises(PlaceError, match=words):
        import_model(files)


def test_a_zip_is_not_believed_in_what_it_says_of_its_size() -> None:
    data = zipped({"zeros.bin": bytes(5_000_000)})
    assert len(data) < 10_000
    with pytest.raises(PlaceError, match="unpacks to more than"):
        dict(unzipped(data, "bomb.zip", bytes_at_most=100_000))


def test_a_model_of_models_is_one() -> None:
    files = {"boat.usda": b"#usda 1.0\n def (references = @./hull.usda@)", "hull.usda": b"#usda 1.0", "a.obj": b""}
    assert sorted(models(files)) == ["a.obj", "boat.usda"]


@pytest.mark.parametrize(
    ("longest", "told", "unit", "metres"),
    [
        (309.0, True, "centimetres", 3.09),
        (743.0, True, "centimetres", 7.43),
        (3.2, True, "metres", 3.2),
        (50.0, True, "metres", 50.0),
        (50.0, False, "centimetres", 0.5),
        (80.0, False, "centimetres", 0.8),
        (0.002, True, "a scale of 1000", 2.0),
    ],
)
def test_sizes_that_can_hardly_be_meant_are_asked_about(longest: float, told: bool, unit: str, metres: float) -> None:
    made = guess("boat", np.array([longest / 3, longest, longest / 5]), told)
    assert (made.taken.unit, made.taken.longest) == (unit, pytest.approx(metres))
    assert bool(made.question) == (longest != 3.2)
    if made.question and unit != "metres":
        assert any(other.scale == 1.0 for other in made.others) and made.taken not in made.others


@pytest.mark.parametrize(
    ("name", "longest", "told", "metres", "asked"),
    [
        ("Beech_old", 1850.0, False, 18.5, True),
        ("maple", 1200.0, False, 12.0, True),
        ("CityBus", 1180.0, False, 11.8, True),
        ("garden bench", 14.2, True, 14.2, True),
        ("garden bench", 142.0, False, 1.42, True),
        ("bench", 1.42, True, 1.42, False),
        ("thing", 12.0, True, 12.0, True),
        ("thing", 0.08, True, 0.08, True),
        ("thing", 4.0, False, 4.0, False),
    ],
)
def test_a_size_is_told_by_what_a_thing_is(name: str, longest: float, told: bool, metres: float, asked: bool) -> None:
    """Beech, maple and bus in centimetres came ten times too small, a bench of 14.2 m unasked (practice)."""
    made = guess(name, np.array([longest, longest / 4, longest / 2]), told)
    assert made.taken.longest == pytest.approx(metres) and bool(made.question) == asked


def test_lengths_in_words() -> None:
    assert [length(v) for v in (1234.0, 7.43, 0.743, 0.0031)] == ["1,234 m", "7.43 m", "74 cm", "3.1 mm"]


def test_models_stand_side_by_side_with_their_feet_on_the_floor() -> None:
    box = trimesh.creation.box((400, 200, 100))  # its own zero is in its middle
    boxes = {"a.stl": box.export(file_type="stl"), "b.stl": box.export(file_type="stl")}
    taken = import_model(boxes)
    assert [one.guess.taken.unit for one in taken] == ["centimetres", "centimetres"]
    first, second = set_down(taken, ["m1", "m2"], lambda x, y: 3.0 + x / 100, 10.0, -5.0)
    assert (first.east, first.north, first.up, first.scale) == pytest.approx((10.0, -5.0, 3.1 + 0.5, 0.01))
    assert second.east == pytest.approx(10.0 + 4.0 + 0.5)  # four metres wide each, half a metre between
    # one whose own zero is far away stands where it was asked to
    box.apply_translation((1000, 0, 0))
    (there,) = set_down(import_model({"a.stl": box.export(file_type="stl")}), ["m"], lambda x, y: 0.0, 0.0, 0.0)
    assert there.east == pytest.approx(-10.0)


def test_a_surface_goes_out_and_comes_back_as_it_was() -> None:
    (square,) = read_mesh(glb(textured()), "a.glb").parts
    glass = MeshSurface(
        "glass", (0.2, 0.4, 0.8), 0.1, 0.0, (3000.0, 0.0, 0.0), 0.9, 0.0, None, None, None, None, 0.6, 0.2, 1.33, False,
        (0.5, 1.0, 2.0),
    )  # fmt: skip
    for surface in (square.surface, glass):
        part = MeshPart(surface, square.vertices, square.triangles, square.uv, square.normals)
        mesh = read_mesh(glb_of(Mesh((part,)), "again"), "again.glb")
        back = mesh.parts[0].surface
        for name in ("name", "roughness", "metalness", "cutoff", "clear", "coat", "refraction", "thin"):
            assert getattr(back, name) == pytest.approx(getattr(surface, name)), name
        for name in ("colour", "glow", "absorption"):
            assert getattr(back, name) == pytest.approx(getattr(surface, name), rel=1e-6), name
        assert (back.colour_map is None) == (surface.colour_map is None)
        assert mesh.parts[0].uv == pytest.approx(square.uv) and mesh.bounds[1] == pytest.approx([1, 0, 1])


def test_an_outline_is_the_silhouette_with_its_holes() -> None:
    ring = trimesh.creation.annulus(1.0, 2.0, 0.4)
    mesh = read_mesh(ring.export(file_type="stl"), "ring.stl")
    above, front = outline(mesh), outline(mesh, FRONT)
    assert len(above) == 2 and len(front) == 1
    sizes = sorted(np.ptp(np.array(ring), axis=0).max() for ring in above)
    assert sizes == pytest.approx([2.0, 4.0], abs=0.06)
    assert np.ptp(np.array(front[0]), axis=0) == pytest.approx([4.0, 0.4], abs=0.06)


def test_nodes_in_a_ring_and_numbers_that_are_none_are_refused() -> None:
    def told(**changes: object) -> bytes:
        w = Writer()
        at = w.array(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32), "VEC3")
        base: dict[str, object] = {
            "asset": {"version": "2.0"},
            "meshes": [{"primitives": [{"attributes": {"POSITION": at}}]}],
        }
        return w.file({**base, "nodes": [{"mesh": 0}], **changes})

    assert len(import_model({"a.glb": told()})) == 1
    with pytest.raises(PlaceError, match="in a ring"):
        import_model({"a.glb": told(nodes=[{"children": [1]}, {"children": [0]}])})
    with pytest.raises(PlaceError, match="hangs from two"):
        import_model({"a.glb": told(nodes=[{"children": [2]}, {"children": [2]}, {"mesh": 0}])})
    with pytest.raises(PlaceError, match="damaged"):
        import_model({"a.glb": told(nodes=[{"mesh": 5}])})
    w = Writer()
    at = w.array(np.full((3, 3), np.inf, np.float32), "VEC3")
    meshes = [{"primitives": [{"attributes": {"POSITION": at}}]}]
    with pytest.raises(PlaceError, match="no numbers, or infinite"):
        import_model({"a.glb": w.file({"asset": {"version": "2.0"}, "meshes": meshes, "nodes": [{"mesh": 0}]})})


def test_bring_from_the_command_line(tmp_path: Path, marsh: Ground) -> None:
    folder, small = tmp_path / "boat", written(tmp_path / "a.zip", small_place(), marsh)
    for name, data in in_files().items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    out = tmp_path / "new.zip"
    done = CliRunner().invoke(app, ["bring", str(small), str(folder), "--out", str(out), "--at", "3,4"])
    assert done.exit_code == 0, done.output
    assert "board: 2 triangles, 1 surface, 1 texture" in done.output
    place, assets = load(out)
    thing = place.things[-1]
    assert thing.name == "board" and thing.mesh.sha256 in assets and thing.mesh.name == "board.glb"
    assert float(thing.east) == pytest.approx(2.5) and float(thing.north) == pytest.approx(4.0)  # its middle
    (tmp_path / "big.stl").write_bytes(trimesh.creation.box((743, 270, 270)).export(file_type="stl"))
    done = CliRunner().invoke(app, ["bring", str(small), str(tmp_path / "big.stl"), "--out", str(out), "--unit", "mm"])
    assert done.exit_code == 0 and float(load(out)[0].things[-1].scale) == 0.001
    bad = CliRunner().invoke(app, ["bring", str(small), str(tmp_path / "gone.glb"), "--out", str(out)])
    assert bad.exit_code != 0 and "no file or folder" in str(bad.exception)


def test_a_single_file_brings_what_lies_beside_it_and_no_other_model(tmp_path: Path) -> None:
    for name, data in {**in_files(), "boat/other.glb": glb(textured())}.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    files, chosen = read_from(tmp_path / "boat" / "board.gltf")
    assert chosen == ["board.gltf"] and len(import_model(files, chosen)) == 1
    assert len(import_model(*read_from(tmp_path / "boat"))) == 2


# -- sets of textures -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "whole", "what"),
    [
        ("Plank_BaseColor.png", "plank", "colour_map"),
        ("old/oak_bark_diff_2k.jpg", "oak_bark", "colour_map"),
        ("oak_bark_nor_gl_2k.png", "oak_bark", "normal_map"),
        ("oak_bark_nor_dx_2k.png", "oak_bark", "flipped"),
        ("Bricks075A_1K-PNG_NormalDX.png", "bricks075a_1k_png", "flipped"),
        ("Bricks075A_1K-PNG_Roughness.png", "bricks075a_1k_png", "rough_map"),
        ("wall.metallicRoughness.png", "wall", "packed"),
        ("wall_ORM.png", "wall", "packed"),
        ("leaf-alpha.tif", "leaf", "opacity_map"),
        ("lamp_emissive_4096x4096.png", "lamp", "glow_map"),
        ("stone AO.png", "stone", "shade"),
        ("stone_height_16bit.png", "stone", "height"),
        ("sunset.png", "sunset", ""),
    ],
)
def test_a_pictures_name_says_what_it_is_of_which_set(name: str, whole: str, what: str) -> None:
    assert meant(name) == (whole, what)


def picture(*colour: int, size: int = 8, mode: str = "RGB") -> bytes:
    out = io.BytesIO()
    Image.new(mode, (size, size), colour if len(colour) > 1 else colour[0]).save(out, "PNG")
    return out.getvalue()


def test_sets_of_textures_become_surfaces() -> None:
    files = {
        "deck_color.png": picture(120, 80, 40),
        "deck_NormalDX.png": picture(128, 200, 255),
        "deck_ORM.png": picture(255, 60, 220),
        "deck_AO.png": picture(255, 255, 255),
        "iron_gloss.png": picture(200, 200, 200),
        "iron_bump.png": picture(20, 20, 20),
        "holiday.png": picture(1, 2, 3),
    }
    deck, iron = texture_sets(files, ["deck"], 2.5)
    assert (deck.surface.id, deck.surface.name, deck.surface.scale) == ("deck-2", "Deck", 2.5) and deck.surface.boxed
    told = {name: getattr(deck.surface, name) for name in ("colour_map", "normal_map", "rough_map", "metal_map")}
    assert all(told.values()) and deck.surface.metalness == 1.0 and deck.surface.roughness == 1.0

    def middle(one: TextureSet, field: str) -> tuple[int, ...]:
        return Image.open(io.BytesIO(one.files[getattr(one.surface, field).sha256])).convert("RGB").getpixel((3, 3))

    assert middle(deck, "normal_map") == (128, 55, 255)  # green turned upwards
    assert middle(deck, "rough_map")[0] == 60 and middle(deck, "metal_map")[0] == 220
    assert middle(iron, "rough_map")[0] == 55 and middle(iron, "normal_map") == (128, 128, 255)  # level
    words = " ".join([*deck.notes, *iron.notes])
    for part in ("turned round", "deck_AO.png was left out", "turned into roughness", "turned into normals"):
        assert part in words
    assert "holiday.png was left out" in words
    with pytest.raises(PlaceError, match="names do not say"):
        texture_sets({"a.png": picture(1, 2, 3), "b.png": picture(1, 2, 3)}, [])
    (one,) = texture_sets({"a.png": picture(1, 2, 3)}, [])
    assert one.surface.colour_map is not None
    with pytest.raises(PlaceError, match="cannot be read as a picture"):
        texture_sets({"a_color.png": b"nothing"}, [])


def test_a_bump_leans_the_way_it_rises() -> None:
    ramp = np.zeros((16, 16), np.uint8)
    ramp[:, :8] = np.arange(8) * 20  # rises to the right
    ramp[:, 8:] = np.arange(8)[::-1] * 20
    out = io.BytesIO()
    Image.fromarray(ramp).save(out, "PNG")
    (one,) = texture_sets({"x_height.png": out.getvalue()}, [])
    assert one.surface.normal_map is not None
    pixels = np.asarray(Image.open(io.BytesIO(one.files[one.surface.normal_map.sha256])))
    assert pixels[4, 3, 0] < 126 and pixels[4, 12, 0] > 130 and abs(int(pixels[4, 3, 1]) - 128) <= 1


def test_textures_from_the_command_line(tmp_path: Path, marsh: Ground) -> None:
    folder = tmp_path / "oak"
    folder.mkdir()
    (folder / "oak_diff.png").write_bytes(picture(120, 80, 40))
    (folder / "oak_rough.png").write_bytes(picture(99, 99, 99))
    new = tmp_path / "new.lumwick"
    said = CliRunner().invoke(
        app, ["bring", str(written(tmp_path / "p.lumwick", small_place(), marsh)), str(folder), "--out", str(new)]
    )
    assert said.exit_code == 0 and "Oak: a surface of 2 textures; laid 1 m wide" in said.stdout
    kept, files = load(new)
    (surface,) = kept.surfaces
    assert surface.colour_map is not None and surface.colour_map.sha256 in files


@pytest.mark.parametrize(
    ("name", "metres"),
    [
        ("oak_floor_2.5m", 2.5),
        ("brick 60 cm", 0.6),
        ("tiles-3m-4k", 3.0),
        ("room4m", None),
        ("gravel_1k", None),
        ("x_0m", None),
    ],
)
def test_a_sets_name_may_tell_how_wide_it_is(name: str, metres: float | None) -> None:
    assert size_of(name) == metres
    (one,) = texture_sets({f"{name}_color.png": picture(1, 2, 3)}, [])
    assert one.surface.scale == (metres or 1.0) and ("nothing says" in one.notes[-1]) == (metres is None)
