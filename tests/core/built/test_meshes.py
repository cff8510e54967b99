"""Models brought in: what is read, what is mended, what is refused."""

import io
import json

import numpy as np
import pytest
import trimesh
from PIL import Image

from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import NODES_AT_MOST, read_mesh
from lumwick.built.presets import preset
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.place.edits import apply, command
from lumwick.place.fields import Asset
from lumwick.place.objects import Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.corners import corners
from lumwick.trace.stage import Stage
from tests.conftest import small_place


def glb(*meshes: trimesh.Trimesh) -> bytes:
    return trimesh.Scene(list(meshes)).export(file_type="glb")


def textured() -> trimesh.Trimesh:
    """A unit square in the file's x y plane (upright: y is up), its texture laid once."""
    image = Image.new("RGB", (8, 8), (255, 128, 0))
    material = trimesh.visual.material.PBRMaterial(
        name="paint",
        baseColorTexture=image,
        metallicFactor=0.0,
        roughnessFactor=0.25,
        emissiveFactor=[0.0, 0.5, 0.0],
        alphaMode="MASK",
        alphaCutoff=0.4,
    )
    return trimesh.Trimesh(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]],
        [[0, 1, 2], [0, 2, 3]],
        process=False,
        visual=trimesh.visual.TextureVisuals(uv=[[0, 0], [1, 0], [1, 1], [0, 1]], material=material),
    )


def test_gltf_keeps_its_material_and_stands_up() -> None:
    mesh = read_mesh(glb(textured()), "board.glb")
    (part,) = mesh.parts
    s = part.surface
    assert (s.name, s.roughness, s.metalness, s.cutoff) == ("paint", pytest.approx(0.25), 0.0, pytest.approx(0.4))
    assert (
        s.colour_map is not None and s.colour_map.shape == (8, 8, 4) and tuple(s.colour_map[0, 0, :3]) == (255, 128, 0)
    )
    assert s.glow[1] == pytest.approx(500.0)  # glTF's unit of emission is taken as 1000 cd/m2
    low, high = mesh.bounds
    assert low == pytest.approx([0, 0, 0]) and high == pytest.approx([1, 0, 1])  # the file's y is up
    rows = corners(part)
    assert rows is not None and rows.shape == (2,)
    assert np.abs(rows["tangent"]) == pytest.approx(np.tile([1.0, 0.0, 0.0], (2, 1)), abs=1e-5)  # u grows to the east
    assert rows["widths"] == pytest.approx(1.0)  # one texture width in a metre


def test_stl_is_taken_as_it_lies_and_has_no_texture() -> None:
    box = trimesh.creation.box((1, 2, 3))
    mesh = read_mesh(box.export(file_type="stl"), "box.stl")
    low, high = mesh.bounds
    assert high - low == pytest.approx([1, 2, 3]) and mesh.parts[0].uv is None
    turned = read_mesh(box.export(file_type="stl"), "box.stl", True)
    assert turned.bounds[1] - turned.bounds[0] == pytest.approx([1, 3, 2])


def test_degenerate_triangles_are_dropped_and_told() -> None:
    obj = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 2 0 0\nf 1 2 3\nf 1 2 4\nf 1 1 2\n"
    mesh = read_mesh(obj, "thin.obj")
    assert len(mesh.parts[0].triangles) == 1
    assert any("without an area" in note for note in mesh.notes)


def test_corners_that_are_no_numbers_are_left_out() -> None:
    ply = (
        "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nelement face "
        "2\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\nnan 0 0\n3 0 1 2\n3 0 1 3\n"
    )
    mesh = read_mesh(ply.encode(), "wild.ply")
    assert len(mesh.parts[0].triangles) == 1 and any("no numbers" in note for note in mesh.notes)


def test_many_parts_become_one_for_each_surface() -> None:
    boxes = [
        trimesh.creation.box((1, 1, 1), trimesh.transformations.translation_matrix((2 * i, 0, 0))) for i in range(300)
    ]
    mesh = read_mesh(glb(*boxes), "many.glb")
    assert len(mesh.parts) == 1 and len(mesh.parts[0].triangles) == 3600


def test_flipped_normals_do_not_matter_and_missing_ones_are_made() -> None:
    sphere = trimesh.creation.icosphere(subdivisions=2)
    sphere.invert()
    part = read_mesh(glb(sphere), "inside.glb").parts[0]
    rows = corners(part)
    assert rows is None or all(np.isfinite(rows[name]).all() for name in rows.dtype.names)


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (b"", "a.glb", "cannot be read"),
        (b"glTF junk", "a.glb", "cannot be read"),
        (b"v 0 0 0\nv 1 0 0\nl 1 2\n", "line.obj", "no triangles|cannot be read"),
        (b"x", "a.blob", "not a model"),
        (glb(textured())[:200], "cut.glb", "cannot be read"),
        (b"v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n", "flat.obj", "with an area"),
    ],
)
def test_files_that_cannot_be_used_are_refused_in_words(data: bytes, name: str, words: str) -> None:
    with pytest.raises(PlaceError, match=words):
        read_mesh(data, name)


def test_a_missing_texture_is_told_and_left_out() -> None:
    obj = b"mtllib lost.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl paint\nf 1/1 2/2 3/3\n"
    mesh = read_mesh(obj, "board.obj")
    assert any("lost.mtl" in note for note in mesh.notes) and len(mesh.parts[0].triangles) == 1
    mtl = b"newmtl paint\nKd 0.2 0.4 0.8\nmap_Kd gone.png\n"
    with_colour = read_mesh(obj, "board.obj", None, (("lost.mtl", mtl),))
    assert any("gone.png" in note for note in with_colour.notes)
    buffer = io.BytesIO()
    Image.new("RGB", (2, 2), (10, 20, 30)).save(buffer, "PNG")
    whole = read_mesh(obj, "board.obj", None, (("lost.mtl", mtl), ("gone.png", buffer.getvalue())))
    assert whole.parts[0].surface.colour_map is not None and not whole.notes


def gltf(**changes: object) -> bytes:
    base = {"asset": {"version": "2.0"}, "buffers": [{"byteLength": 36, "uri": "parts/mesh%20one.bin"}]}
    return json.dumps({**base, **changes}).encode()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (gltf(asset={"version": "1.0"}), "version 1, which is not read"),
        (gltf(), "keeps its mesh in mesh one.bin: bring that file too"),
        (b"{}", "damaged, or not what its ending says|no triangles"),
    ],
)
def test_a_gltf_says_what_it_lacks(data: bytes, words: str) -> None:
    with pytest.raises(PlaceError, match=words) as refused:
        read_mesh(data, "boat.gltf")
    assert "index" not in str(refused.value) and "Error" not in str(refused.value)


def chair() -> bytes:
    """A seat and two legs of one wood, and a cushion of another surface, as a file's nodes say."""
    scene = trimesh.Scene()
    wood, cloth = (
        trimesh.visual.TextureVisuals(material=trimesh.visual.material.PBRMaterial(name=name))
        for name in ("wood", "cloth")
    )
    for name, visual, at in (("seat", wood, 0), ("leg", wood, 2), ("cushion", cloth, 4)):
        box = trimesh.creation.box((1, 1, 1), trimesh.transformations.translation_matrix((at, 0, 0)))
        box.visual = visual
        scene.add_geometry(box, node_name=name, geom_name=name)
    return scene.export(file_type="glb")


def test_a_models_parts_keep_their_names_and_are_dressed_apart() -> None:
    mesh = read_mesh(chair(), "chair.glb")
    assert sorted((p.node, p.surface.name) for p in mesh.parts) == [
        ("cushion", "cloth"),
        ("leg", "wood"),
        ("seat", "wood"),
    ]
    again = read_mesh(glb_of(mesh, "chair"), "chair.glb")
    assert {(p.node, p.surface.name) for p in again.parts} == {(p.node, p.surface.name) for p in mesh.parts}
    asset = Asset(sha256="0" * 64, name="chair.glb", bytes=1)
    place = small_place(things=[Thing(id="chair", name="Chair", mesh=asset)], surfaces=[preset("brass", "brass")])
    dress = {"op": "dress", "id": "chair"}
    for more in (
        {"part": "wood", "surface": "brass"},
        {"part": "leg", "of": "part", "hidden": True},
        {"part": "wood", "of": "part", "hidden": True},  # no part is called so: a surface is
    ):
        place, _ = apply(place, command({**dress, **more}))
    setting = Setting(place, Ground(np.zeros((9, 9), np.float32), 4.0, -16.0, -16.0), lambda _: chair())
    stage = Stage(setting)
    stage.set(evaluate(setting, place.shots[0], 0.0))
    worn = [p.surfaces[0] for name, p in stage.parts().items() if name.startswith("thing chair")]
    assert sorted(worn) == ["Brass", "cloth"]  # the seat and the cushion; the leg is hidden
    place, _ = apply(place, command({**dress, "part": "leg", "of": "part"}))
    assert [one.part for one in place.things[0].dressed] == ["wood", "wood"]


def test_a_model_of_very_many_parts_is_joined_by_its_surfaces() -> None:
    scene = trimesh.Scene()
    for k in range(NODES_AT_MOST + 1):
        scene.add_geometry(trimesh.creation.box((1, 1, 1)), node_name=f"part {k}", geom_name=f"g{k}")
    assert len(read_mesh(scene.export(file_type="glb"), "many.glb").parts) == 1
