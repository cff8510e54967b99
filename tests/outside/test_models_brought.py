"""Models brought in, against other readers: what is compressed against the same uncompressed, glTF against trimesh,
USD against Pixar's own library, and skinning against a case worked by hand."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import DracoPy
import meshopt
import numpy as np
import pytest
import trimesh
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdSkel, Vt

from lumwick.built.bring.importing import import_model, set_down
from lumwick.built.gltf import Writer, opened
from lumwick.built.gltf_motion import Moving
from lumwick.built.gltf_scene import pieces
from lumwick.built.meshes import Mesh

BALL = trimesh.creation.icosphere(3, 0.7)


def told_of(attributes: dict[str, int], indices: int, **more: Any) -> dict[str, Any]:
    primitive = {"attributes": attributes, "indices": indices, **more.pop("primitive", {})}
    return {
        "asset": {"version": "2.0"},
        "meshes": [{"primitives": [primitive]}],
        "nodes": [{"mesh": 0, "translation": [1, 2, 3], "rotation": [0, 0.6, 0, 0.8], "scale": [1, 2, 0.5]}],
        "scenes": [{"nodes": [0]}],
        **more,
    }


def plain_ball() -> bytes:
    w = Writer()
    at = w.array(np.asarray(BALL.vertices, np.float32), "VEC3", True)
    normal = w.array(np.asarray(BALL.vertex_normals, np.float32), "VEC3")
    return w.file(
        told_of({"POSITION": at, "NORMAL": normal}, w.array(BALL.faces.reshape(-1, 1).astype(np.uint32), "SCALAR"))
    )


def corners_of(mesh: Mesh) -> np.ndarray:
    """All triangles' corners (n, 3, 3), in an order that does not depend on how the file lists them."""
    return in_order(np.concatenate([p.vertices[p.triangles] for p in mesh.parts]).astype(float))


def in_order(every: np.ndarray) -> np.ndarray:
    turned = np.array([t[np.lexsort(t.round(3).T)] for t in every])
    return turned[np.lexsort(turned.mean(1).round(3).T)]


def test_draco_is_the_same_model_as_uncompressed() -> None:
    packed = DracoPy.encode(
        np.asarray(BALL.vertices, np.float32), BALL.faces.astype(np.uint32), quantization_bits=16, preserve_order=True
    )
    number = {a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes}[0]
    w = Writer()
    view = w.view(packed)
    w.accessors += [
        {"componentType": 5126, "count": len(BALL.vertices), "type": "VEC3"},
        {"componentType": 5125, "count": BALL.faces.size, "type": "SCALAR"},
    ]
    draco = {"bufferView": view, "attributes": {"POSITION": number}}
    told = told_of({"POSITION": 0}, 1, primitive={"extensions": {"KHR_draco_mesh_compression": draco}})
    told |= {"extensionsRequired": ["KHR_draco_mesh_compression"], "extensionsUsed": ["KHR_draco_mesh_compression"]}
    (taken,) = import_model({"ball.glb": w.file(told)})
    (plain,) = import_model({"ball.glb": plain_ball()})
    # 16 bits over 1.4 m of the model, twice as large where it is scaled most
    assert np.abs(corners_of(taken.mesh).mean(1) - corners_of(plain.mesh).mean(1)).max() < 2 * 1.4 / 2**16
    g, _ = opened(taken.data)
    assert "extensionsRequired" not in g.told and "extensions" not in g.all("meshes")[0]["primitives"][0]


def test_meshopt_is_the_same_model_to_the_last_digit() -> None:
    v, t = np.asarray(BALL.vertices, np.float32), BALL.faces.ravel().astype(np.uint32)
    held = {
        "ATTRIBUTES": meshopt.encode_gltf_buffer(v, "ATTRIBUTES"),
        "TRIANGLES": meshopt.encode_gltf_buffer(t, "TRIANGLES"),
    }
    body = bytes(held["ATTRIBUTES"]) + bytes(held["TRIANGLES"])
    sizes = [len(held["ATTRIBUTES"]), len(held["TRIANGLES"])]

    def view(start: int, size: int, count: int, stride: int, mode: str) -> dict[str, Any]:
        packed = {
            "buffer": 0,
            "byteOffset": start,
            "byteLength": size,
            "byteStride": stride,
            "count": count,
            "mode": mode,
        }
        return {"buffer": 1, "byteLength": count * stride, "extensions": {"EXT_meshopt_compression": packed}}

    told = told_of({"POSITION": 0}, 1)
    told |= {
        "extensionsRequired": ["EXT_meshopt_compression"],
        "buffers": [
            {"byteLength": len(body), "uri": "ball.bin"},
            {"byteLength": v.nbytes + t.nbytes, "extensions": {"EXT_meshopt_compression": {"fallback": True}}},
        ],
        "bufferViews": [view(0, sizes[0], len(v), 12, "ATTRIBUTES"), view(sizes[0], sizes[1], len(t), 4, "TRIANGLES")],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(v), "type": "VEC3"},
            {"bufferView": 1, "componentType": 5125, "count": len(t), "type": "SCALAR"},
        ],
    }
    (taken,) = import_model({"ball.gltf": json.dumps(told).encode(), "ball.bin": body})
    (plain,) = import_model({"ball.glb": plain_ball()})
    assert np.array_equal(corners_of(taken.mesh), corners_of(plain.mesh))


def test_quantized_positions_are_the_same_model() -> None:
    w = Writer()
    short = np.round(np.asarray(BALL.vertices) / 0.7 * 32767).astype(np.int16)
    at = w.array(np.pad(short, ((0, 0), (0, 1))), "VEC3")  # four numbers for three: rows of eight bytes
    w.views[w.accessors[at]["bufferView"]]["byteStride"] = 8
    w.accessors[at]["normalized"] = True
    told = told_of({"POSITION": at}, w.array(BALL.faces.reshape(-1, 1).astype(np.uint16), "SCALAR"))
    told["nodes"][0]["scale"] = [0.7, 1.4, 0.35]
    told |= {"extensionsRequired": ["KHR_mesh_quantization"]}
    (taken,) = import_model({"ball.glb": w.file(told)})
    (plain,) = import_model({"ball.glb": plain_ball()})
    assert np.abs(corners_of(taken.mesh).mean(1) - corners_of(plain.mesh).mean(1)).max() < 1e-4


def test_gltf_stands_where_trimesh_puts_it() -> None:
    data = plain_ball()
    scene = trimesh.load(trimesh.util.wrap_as_stream(data), file_type="glb", process=False)
    theirs = scene.to_geometry() if hasattr(scene, "to_geometry") else scene.dump(concatenate=True)
    (taken,) = import_model({"ball.glb": data})
    v = np.asarray(theirs.vertices)
    y_up = np.stack([v[:, 0], -v[:, 2], v[:, 1]], 1)[np.asarray(theirs.faces)]
    assert corners_of(taken.mesh) == pytest.approx(in_order(y_up), abs=1e-5)
    (part,) = taken.mesh.parts
    assert part.normals is not None
    middle = part.vertices[part.triangles].mean((0, 1))
    outward = part.vertices[part.triangles].mean(1) - middle
    assert (np.einsum("ij,ij->i", part.normals.mean(1), outward) > 0).all()


def test_a_skin_bends_as_worked_by_hand() -> None:
    """A strip of two squares, its upper joint turned by a right angle about z: linear blend skinning by hand."""
    w = Writer()
    v = np.array([[-0.5, 0, 0], [0.5, 0, 0], [-0.5, 1, 0], [0.5, 1, 0], [-0.5, 2, 0], [0.5, 2, 0]], np.float32)
    weights = np.array([[1, 0], [1, 0], [0.5, 0.5], [0.5, 0.5], [0, 1], [0, 1]], np.float32)
    attributes = {
        "POSITION": w.array(v, "VEC3", True),
        "JOINTS_0": w.array(np.tile(np.array([0, 1, 0, 0], np.uint8), (6, 1)), "VEC4"),
        "WEIGHTS_0": w.array(np.pad(weights, ((0, 0), (0, 2))), "VEC4"),
    }
    bind = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
    bind[1, 1, 3] = -1  # the upper joint rests at a height of 1
    t = w.array(np.array([[0], [1], [2], [2], [1], [3], [2], [3], [4], [4], [3], [5]], np.uint16), "SCALAR")
    half = np.sqrt(0.5)
    told = told_of(attributes, t)
    told |= {
        "nodes": [
            {"mesh": 0, "skin": 0, "translation": [9, 9, 9]},  # counts for nothing: a skin hangs from its joints
            {"children": [2]},
            {"translation": [0, 1, 0], "rotation": [0, 0, half, half]},
        ],
        "skins": [
            {"joints": [1, 2], "inverseBindMatrices": w.array(bind.transpose(0, 2, 1).reshape(2, 16).copy(), "MAT4")}
        ],
        "scenes": [{"nodes": [0, 1]}],
    }
    g, _ = opened(w.file(told))
    (piece,) = pieces(g, [])
    # about (0, 1): (x, y) goes to (1 - y, 1 + x); at half weight to the mean of both places
    by_hand = [[-0.5, 0], [0.5, 0], [-0.25, 0.75], [0.25, 1.25], [-1, 0.5], [-1, 1.5]]
    assert piece.vertices[:, :2] == pytest.approx(np.array(by_hand), abs=1e-6)
    (taken,) = import_model({"strip.glb": w.file(told)})  # and after it was taken over
    assert taken.mesh.bounds[1] - taken.mesh.bounds[0] == pytest.approx([1.5, 0, 1.5], abs=1e-6)


def test_a_morph_is_added_by_its_weight() -> None:
    w = Writer()
    at = w.array(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32), "VEC3", True)
    moved = w.array(np.array([[0, 0, 0], [1, 0, 0], [0, 0, 4]], np.float32), "VEC3", True)
    told = told_of({"POSITION": at}, w.array(np.array([[0], [1], [2]], np.uint16), "SCALAR"))
    told["meshes"][0]["primitives"][0]["targets"] = [{"POSITION": moved}]
    told["meshes"][0]["weights"] = [0.25]
    told["nodes"] = [{"mesh": 0}]
    g, _ = opened(w.file(told))
    assert pieces(g, [])[0].vertices == pytest.approx(np.array([[0, 0, 0], [1.25, 0, 0], [0, 1, 1]]))


def test_texture_transform_as_its_specification_says() -> None:
    """KHR_texture_transform: offset + rotation * scale * uv, where a rotation by a quarter takes u to -v."""
    w = Writer()
    at = w.array(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32), "VEC3", True)
    uv = w.array(np.array([[0, 0], [1, 0], [0, 1]], np.float32), "VEC2")
    told = told_of({"POSITION": at, "TEXCOORD_0": uv}, w.array(np.array([[0], [1], [2]], np.uint16), "SCALAR"))
    told["meshes"][0]["primitives"][0]["material"] = 0
    change = {"offset": [0.5, 0.25], "rotation": np.pi / 2, "scale": [2, 3]}
    texture = {"index": 0, "extensions": {"KHR_texture_transform": change}}
    told |= {"materials": [{"pbrMetallicRoughness": {"baseColorTexture": texture}}], "textures": [{}]}
    g, _ = opened(w.file(told))
    found = pieces(g, [])[0].uv
    assert found is not None
    # by hand: (0, 0) -> (.5, .25); (1, 0) -> (.5, .25 - 2); (0, 1) -> (.5 + 3, .25); v is counted upwards here
    assert found == pytest.approx(np.array([[0.5, 0.75], [0.5, 2.75], [3.5, 0.75]]))


def stage_of(tmp_path: Path, per: float, y_up: bool) -> tuple[Path, Usd.Stage]:
    path = tmp_path / "board.usda"
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageMetersPerUnit(stage, per)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y if y_up else UsdGeom.Tokens.z)
    return path, stage


@pytest.mark.parametrize(("per", "y_up"), [(0.01, True), (1.0, False), (0.0254, True)])
def test_usd_units_axis_and_instances_stand_as_usd_core_says(tmp_path: Path, per: float, y_up: bool) -> None:
    path, stage = stage_of(tmp_path, per, y_up)
    root = UsdGeom.Xform.Define(stage, "/Root")
    root.AddTranslateOp().Set(Gf.Vec3d(10, 20, 30))
    root.AddRotateXYZOp().Set(Gf.Vec3f(10, 20, 30))
    mesh = UsdGeom.Mesh.Define(stage, "/Root/Board")
    mesh.CreatePointsAttr(Vt.Vec3fArray([(0, 0, 0), (4, 0, 0), (4, 3, 0), (0, 3, 0), (2, 5, 0)]))
    mesh.CreateFaceVertexCountsAttr([5])  # one face with five corners
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 4, 3])
    many = UsdGeom.PointInstancer.Define(stage, "/Root/Many")
    UsdGeom.Cube.Define(stage, "/Root/Many/Hidden").MakeInvisible()
    post = UsdGeom.Mesh.Define(stage, "/Root/Many/Post")
    post.AddScaleOp().Set(Gf.Vec3f(1, 2, 1))
    post.CreatePointsAttr(Vt.Vec3fArray([(0, 0, 0), (1, 0, 0), (0, 1, 0)]))
    post.CreateFaceVertexCountsAttr([3])
    post.CreateFaceVertexIndicesAttr([0, 1, 2])
    many.CreatePrototypesRel().AddTarget("/Root/Many/Post")
    many.CreateProtoIndicesAttr([0, 0])
    many.CreatePositionsAttr(Vt.Vec3fArray([(0, 0, 5), (7, 0, 5)]))
    stage.Save()
    (taken,) = import_model({"board.usda": path.read_bytes()})
    assert sum(len(p.triangles) for p in taken.mesh.parts) == 3 + 2
    # every point by usd-core, in its own axes and units
    where = UsdGeom.XformCache(0).GetLocalToWorldTransform(mesh.GetPrim())
    points = [np.array(where.Transform(Gf.Vec3d(*map(float, p)))) for p in mesh.GetPointsAttr().Get()]
    to_world = UsdGeom.XformCache(0).GetLocalToWorldTransform(many.GetPrim())
    for m in many.ComputeInstanceTransformsAtTime(0, 0):
        points += [np.array((m * to_world).Transform(Gf.Vec3d(*map(float, p)))) for p in post.GetPointsAttr().Get()]
    theirs = np.array(points) * per
    if y_up:
        theirs = np.stack([theirs[:, 0], -theirs[:, 2], theirs[:, 1]], 1)
    low, high = taken.mesh.bounds
    assert low == pytest.approx(theirs.min(0), abs=1e-5) and high == pytest.approx(theirs.max(0), abs=1e-5)
    low, high = taken.mesh.bounds
    assert bool(taken.guess.question) == (not 0.1 <= float((high - low).max()) <= 10.0)  # its unit is known
    assert taken.guess.taken.scale == 1.0


def test_usd_materials_subsets_and_a_package(tmp_path: Path) -> None:
    path, stage = stage_of(tmp_path, 1.0, True)
    mesh = UsdGeom.Mesh.Define(stage, "/Board")
    mesh.CreatePointsAttr(Vt.Vec3fArray([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]))
    mesh.CreateFaceVertexCountsAttr([3, 3])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 0, 2, 3])
    mesh.CreateSubdivisionSchemeAttr("none")
    for number, (name, colour) in enumerate((("Red", (0.8, 0.1, 0.1)), ("Brass", (0.9, 0.6, 0.2)))):
        material = UsdShade.Material.Define(stage, f"/{name}")
        shader = UsdShade.Shader.Define(stage, f"/{name}/Shader")
        shader.CreateIdAttr("UsdPreviewSurface")
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*colour))
        shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(float(number))
        shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(0.3)
        material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        subset = UsdGeom.Subset.CreateGeomSubset(mesh, name, UsdGeom.Tokens.face, Vt.IntArray([number]), "materialBind")
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(material)
    stage.Save()
    package = tmp_path / "board.usdz"
    from pxr import UsdUtils

    assert UsdUtils.CreateNewUsdzPackage(str(path), str(package))
    for name, data in (("board.usda", path.read_bytes()), ("board.usdz", package.read_bytes())):
        (taken,) = import_model({name: data})
        told = {p.surface.name: (p.surface.metalness, len(p.triangles)) for p in taken.mesh.parts}
        assert told == {"Red": (0.0, 1), "Brass": (1.0, 1)}, name
        assert {p.surface.name: p.surface.colour for p in taken.mesh.parts}["Red"] == pytest.approx((0.8, 0.1, 0.1))


def test_usd_time_samples_play_as_usd_core_says(tmp_path: Path) -> None:
    path, stage = stage_of(tmp_path, 0.01, True)
    stage.SetTimeCodesPerSecond(30)
    stage.SetStartTimeCode(10)
    stage.SetEndTimeCode(40)
    flag = UsdGeom.Mesh.Define(stage, "/Flag")
    turn = flag.AddRotateYOp()
    turn.Set(0.0, 10)
    turn.Set(90.0, 40)
    points = flag.CreatePointsAttr()
    points.Set(Vt.Vec3fArray([(0, 0, 0), (100, 0, 0), (0, 100, 0)]), 10)
    points.Set(Vt.Vec3fArray([(0, 0, 0), (100, 50, 0), (0, 100, 20)]), 25)
    points.Set(Vt.Vec3fArray([(0, 0, 0), (100, 0, 0), (0, 100, 0)]), 40)
    flag.CreateFaceVertexCountsAttr([3])
    flag.CreateFaceVertexIndicesAttr([0, 1, 2])
    stage.Save()
    (taken,) = import_model({"flag.usda": path.read_bytes()})
    (motion,) = taken.motions
    assert motion.seconds == pytest.approx(1.0) and "1 motion" in taken.line()
    model = Moving(taken.data, taken.file, True)
    for code in (10, 17, 25, 33, 40):
        world = UsdGeom.XformCache(code).GetLocalToWorldTransform(flag.GetPrim())
        theirs = np.array([world.Transform(Gf.Vec3d(*map(float, p))) for p in points.Get(code)]) * 0.01
        ((ours, _),) = model.posed(0, (code - 10) / 30)
        assert ours == pytest.approx(np.stack([theirs[:, 0], -theirs[:, 2], theirs[:, 1]], 1), abs=1e-5)
    (thing,) = set_down([taken], ["flag"], lambda x, y: 2.0, 5.0, 6.0)
    assert thing.plays is not None and thing.plays.clip == motion.name  # what moves plays at once


def test_usd_joints_bend_as_usd_skel_says(tmp_path: Path) -> None:
    path, stage = stage_of(tmp_path, 1.0, True)
    stage.SetTimeCodesPerSecond(24)
    stage.SetStartTimeCode(0)
    stage.SetEndTimeCode(24)
    root = UsdSkel.Root.Define(stage, "/Arm")
    skeleton = UsdSkel.Skeleton.Define(stage, "/Arm/Bones")
    skeleton.CreateJointsAttr(["a", "a/b"])
    rest = [Gf.Matrix4d(1), Gf.Matrix4d(1).SetTranslate((0, 1, 0))]
    skeleton.CreateBindTransformsAttr(rest)
    skeleton.CreateRestTransformsAttr([Gf.Matrix4d(1), Gf.Matrix4d(1).SetTranslate((0, 1, 0))])
    bends = UsdSkel.Animation.Define(stage, "/Arm/Bends")
    bends.CreateJointsAttr(["a/b"])
    bends.CreateTranslationsAttr([Gf.Vec3f(0, 1, 0)])
    bends.CreateScalesAttr([Gf.Vec3h(1, 1, 1)])
    turned = bends.CreateRotationsAttr()
    turned.Set([Gf.Quatf(1, 0, 0, 0)], 0)
    turned.Set([Gf.Quatf(float(np.sqrt(0.5)), 0, 0, float(np.sqrt(0.5)))], 24)  # a quarter about z
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([bends.GetPath()])
    mesh = UsdGeom.Mesh.Define(stage, "/Arm/Skin")
    mesh.CreatePointsAttr(Vt.Vec3fArray([(0, 0, 0), (0.5, 0, 0), (0, 2, 0)]))
    mesh.CreateFaceVertexCountsAttr([3])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
    binding.CreateJointIndicesPrimvar(False, 1).Set([0, 0, 1])
    binding.CreateJointWeightsPrimvar(False, 1).Set([1.0, 1.0, 1.0])
    assert root
    stage.Save()
    (taken,) = import_model({"arm.usda": path.read_bytes()})
    ((ours, _),) = Moving(taken.data, taken.file, True).posed(0, 1.0)
    # the corner a metre above the second joint at (0, 1, 0) lies to its west after a quarter about z
    assert ours[2] == pytest.approx([-1, 0, 1], abs=1e-4) and ours[1] == pytest.approx([0.5, 0, 0], abs=1e-5)


def test_a_texture_transform_may_choose_other_coordinates() -> None:
    """KHR_texture_transform: its own texCoord holds before the texture's; without one the texture's holds."""
    w = Writer()
    at = w.array(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32), "VEC3", True)
    sets = [np.array([[0, 0], [1, 0], [0, 1]], np.float32) * k for k in (1, 2, 3)]
    attributes = {"POSITION": at, **{f"TEXCOORD_{k}": w.array(uv, "VEC2") for k, uv in enumerate(sets)}}
    corners = w.array(np.array([[0], [1], [2]], np.uint16), "SCALAR")
    for change, chosen in (({"texCoord": 2}, 3), ({"texCoord": 0}, 1), ({}, 2)):
        told = told_of(dict(attributes), corners)
        told["meshes"][0]["primitives"][0]["material"] = 0
        texture = {"index": 0, "texCoord": 1, "extensions": {"KHR_texture_transform": change}}
        told |= {"materials": [{"pbrMetallicRoughness": {"baseColorTexture": texture}}], "textures": [{}]}
        g, _ = opened(Writer.file(w, told))
        found = pieces(g, [])[0].uv
        assert found is not None
        assert found == pytest.approx(np.array([[0, 1], [chosen, 1], [0, 1 - chosen]]))
