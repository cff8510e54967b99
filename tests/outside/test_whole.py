"""A whole place handed on, read back by Pixar's classes, by trimesh's and by our own reader."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from pxr import Usd, UsdGeom, UsdLux, UsdShade
from typer.testing import CliRunner

from lumwick.built.bring.bundle import read_from
from lumwick.built.bring.importing import import_model
from lumwick.built.gltf_motion import Moving
from lumwick.cli import app
from lumwick.deliver.whole import KINDS, Range, gather, hand_on, told_size
from lumwick.errors import RouteError
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.place.files import asset_of, pack
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea
from lumwick.place.objects import Copies, Lamp, Playing, Shape, Surface, Thing
from lumwick.snapshot.evaluate import Setting, camera_at, evaluate
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.built.test_meshes import glb, textured
from tests.core.built.test_moving_models import moved
from tests.outside.validators import khronos, pixar

FRAMES = 5


def keyed(*pairs: tuple[float, float]) -> Channel:
    return Channel(keys=tuple(Key(t=t, v=v, join="straight") for t, v in pairs))


@pytest.fixture(scope="module")
def setting() -> Setting:
    box, flap = glb(textured()), moved([(0, "translation", "LINEAR", [0, 1], [[0, 0, 0], [4, 0, 0]])])
    files = {asset_of("box.glb", box).sha256: box, asset_of("flap.glb", flap).sha256: flap}
    place = small_place(
        growth=[Stand(id="p", name="Pines", kind="pine", area=[(0, 0), (30, 0), (30, 30), (0, 30)], per_hectare=500,
                      height=7)],
        sea=Sea(level=1.0),
        surfaces=[Surface(id="brass", name="Brass", metalness=1.0, roughness=0.2, colour="#b08d57")],
        things=[
            Thing(id="cart", name="Cart", mesh=asset_of("box.glb", box), east=3.0, north=keyed((0, 0), (1, 6)), up=12.0,
                  turn=20.0, tilt=keyed((0, 0), (1, 50)), scale=1.5),
            Thing(id="ball", name="Ball", shape=Shape(kind="ball"), held="cart", up=2.0, surface="brass"),
            Thing(id="row", name="Row", shape=Shape(), east=-4.0, up=12.0, lean=15.0,
                  copies=Copies(count=4, step=2.0, any_turn=40, any_size=0.3)),
            Thing(id="flap", name="Flap", mesh=asset_of("flap.glb", flap), up=14.0, plays=Playing(how="once")),
        ],
        lamps=[
            Lamp(id="spot", name="Spot", kind="spot", east=1.0, north=2.0, up=16.0, turns=1.0, pitch=-30.0),
            Lamp(id="panel", name="Panel", kind="rectangle", width=2.0, height=0.5, up=15.0,
                 amount=keyed((0, 100), (1, 300))),
            Lamp(id="line", name="Line", kind="line", width=0.03, height=1.2, up=15.0),
            Lamp(id="hole", name="Hole", kind="window", width=1.0, height=1.0),
        ],
    )  # fmt: skip
    ground = Ground((np.mgrid[0:49, 0:49][1] * 0.25).astype(np.float32), 2.0, -48.0, -48.0)
    return Setting(place, ground, lambda asset: files[asset.sha256])


@pytest.fixture(scope="module")
def stage(setting: Setting, tmp_path_factory: pytest.TempPathFactory) -> tuple[Any, Path]:
    path = tmp_path_factory.mktemp("whole") / "place.usd"
    hand_on(gather(setting, setting.place.shots[0], Range(1, FRAMES)), path)
    return Usd.Stage.Open(str(path)), path


def at(setting: Setting, frame: int) -> Any:
    return evaluate(setting, setting.place.shots[0], (frame - 1) / 24)


def matrix(prim: Any, frame: int) -> np.ndarray:
    """A prim's placement (3, 4), as Pixar's classes work it out."""
    world = UsdGeom.XformCache(Usd.TimeCode(frame)).GetLocalToWorldTransform(prim)
    return np.array(world).T[:3]


def test_things_stand_where_they_stood_at_every_frame(setting: Setting, stage: tuple[Any, Path]) -> None:
    usd, _ = stage
    for frame in (1, 3, FRAMES):
        now = at(setting, frame)
        for name in ("cart", "ball"):
            prim = usd.GetPrimAtPath(f"/place/things/thing_{name}_0")
            assert matrix(prim, frame) == pytest.approx(now.stood[name][0], abs=1e-5)
        row = UsdGeom.PointInstancer(usd.GetPrimAtPath("/place/things/thing_row_0"))
        told = np.array(row.ComputeInstanceTransformsAtTime(Usd.TimeCode(frame), Usd.TimeCode(frame)))
        assert told.transpose(0, 2, 1)[:, :3] == pytest.approx(now.stood["row"], abs=1e-5)
    flap = UsdGeom.Mesh(usd.GetPrimAtPath("/place/things/thing_flap_0_0")).GetPointsAttr()
    for frame in (1, 3):
        assert np.array(flap.Get(frame))[:, 0].max() == pytest.approx(1 + 4 * (frame - 1) / 24, abs=1e-5)


def test_plants_and_waves_are_as_they_are_drawn(setting: Setting, stage: tuple[Any, Path]) -> None:
    usd, _ = stage
    shot = setting.place.shots[0]
    drawn = Stage(setting)
    eye = np.asarray(camera_at(setting, shot, ((1 + FRAMES) // 2 - 1) / 24).position)
    for frame in (2, FRAMES):
        drawn.set(at(setting, frame), eye)
        parts = drawn.parts()
        stands = [n for n in parts if n.startswith("stand ") and not n.endswith("scattered")]
        assert stands
        for name in stands:
            prim = usd.GetPrimAtPath("/place/plants/" + name.replace(" ", "_"))
            points = UsdGeom.Mesh(prim.GetPrimAtPath("forms/form")).GetPointsAttr()
            vertices, _ = parts[name].mesh()
            assert np.array(points.Get(frame)) == pytest.approx(vertices, abs=1e-5)
            many = UsdGeom.PointInstancer(prim)
            # what stands is told where once, however its turns change
            assert many.GetPositionsAttr().GetNumTimeSamples() == 0 == many.GetScalesAttr().GetNumTimeSamples()
            told = np.array(many.ComputeInstanceTransformsAtTime(Usd.TimeCode(frame), Usd.TimeCode(frame)))
            m = parts[name].transforms.reshape(-1, 4, 3).astype(float)
            assert told[:, 3, :3] == pytest.approx(m[:, 3], abs=1e-4)  # their feet
            assert told[:, 2, :3] == pytest.approx(m[:, 2], abs=1e-4)  # and which way their stems go, and how high
            assert np.abs(told[:, :2, :3] - m[:, :2]).max() < 0.15  # across, a lean is a turn and not a shear
        sheet = UsdGeom.Mesh(usd.GetPrimAtPath("/place/water/sheet")).GetPointsAttr()
        assert np.array(sheet.Get(frame)) == pytest.approx(parts["sheet"].mesh()[0], abs=1e-5)
    ground = UsdGeom.Mesh(usd.GetPrimAtPath("/place/ground/ground"))
    z = np.array(ground.GetPointsAttr().Get())
    assert z[:, 2] == pytest.approx(setting.ground.height(z[:, 0].astype(float), z[:, 1].astype(float)), abs=1e-3)
    assert len(ground.GetDisplayColorPrimvar().Get()) == len(z)


def test_lamps_and_cameras(setting: Setting, stage: tuple[Any, Path]) -> None:
    usd, _ = stage
    panel = UsdLux.RectLight(usd.GetPrimAtPath("/place/lamps/panel"))
    for frame in (1, FRAMES):
        lumens = 100 + 200 * (frame - 1) / 24
        assert panel.GetIntensityAttr().Get(frame) == pytest.approx(lumens / np.pi / (2.0 * 0.5), rel=1e-4)
    assert (panel.GetWidthAttr().Get(), panel.GetHeightAttr().Get()) == (2.0, 0.5)
    for frame in (1, 4):
        lamp = next(x for x in at(setting, frame).lamps if x.id == "spot")
        m = matrix(usd.GetPrimAtPath("/place/lamps/spot"), frame)
        assert m[:, 3] == pytest.approx(lamp.position) and -m[:, 2] == pytest.approx(lamp.direction, abs=1e-6)
        sun = matrix(usd.GetPrimAtPath("/place/lamps/the_sun"), frame)
        assert sun[:, 2] == pytest.approx(at(setting, frame).sun_direction, abs=1e-6)
        camera = camera_at(setting, setting.place.shots[0], (frame - 1) / 24)
        seen = matrix(usd.GetPrimAtPath("/place/cameras/a"), frame)
        assert seen[:, 3] == pytest.approx(camera.position, abs=1e-5)
        assert -seen[:, 2] == pytest.approx(camera.forward, abs=1e-6)
    line = UsdLux.CylinderLight(usd.GetPrimAtPath("/place/lamps/line"))
    assert line.GetLengthAttr().Get() == pytest.approx(1.2) and not usd.GetPrimAtPath("/place/lamps/hole")


def test_materials_and_textures_go_along(stage: tuple[Any, Path]) -> None:
    usd, path = stage
    ball = UsdShade.MaterialBindingAPI(usd.GetPrimAtPath("/place/things/thing_ball_0")).ComputeBoundMaterial()[0]
    shader = ball.ComputeSurfaceSource()[0]
    assert shader.GetInput("metallic").Get() == 1.0 and shader.GetInput("roughness").Get() == pytest.approx(0.2)
    textures = list((path.parent / "place_textures").glob("*.png"))
    assert textures and all(t.stat().st_size for t in textures)
    subsets = UsdGeom.Subset.GetAllGeomSubsets(
        UsdGeom.Imageable(next(p for p in usd.Traverse() if p.GetName() == "form" and "stand" in str(p.GetPath())))
    )
    assert 1 <= len(subsets) <= 4


def test_usds_own_validators_pass_it(stage: tuple[Any, Path]) -> None:
    assert pixar(stage[1]) == []


def test_we_read_it_back_ourselves(setting: Setting, stage: tuple[Any, Path]) -> None:
    few = stage[1].parent / "few.usd"
    hand_on(gather(setting, setting.place.shots[0], Range(1, 1, None, ("things",))), few)
    (taken,) = import_model(*read_from(few))
    low, high = taken.mesh.bounds
    corners = []
    drawn = Stage(setting)
    drawn.set(at(setting, 1))
    for name, part in drawn.parts().items():
        if name.startswith("thing "):
            corners.append(part.corners_in_place().reshape(-1, 3))
    every = np.concatenate(corners)
    assert low * taken.guess.taken.scale == pytest.approx(every.min(0), abs=1e-4)
    assert high * taken.guess.taken.scale == pytest.approx(every.max(0), abs=1e-4)


def test_gltf_passes_khronos_and_stands_where_trimesh_says(setting: Setting, tmp_path: Path) -> None:
    path = tmp_path / "place.glb"
    hand_on(gather(setting, setting.place.shots[0], Range(1, FRAMES)), path)
    report = khronos(path)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]
    scene = trimesh.load_scene(path, process=False)
    y_up = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0.0]])
    now = at(setting, 1)
    for name in ("cart", "ball"):
        node, _ = scene.graph[f"thing {name} 0"]
        assert node[:3] == pytest.approx(y_up @ now.stood[name][0], abs=1e-5)
    data = path.read_bytes()
    told = json.loads(data[20 : 20 + struct.unpack("<I", data[12:16])[0]])
    assert {"EXT_mesh_gpu_instancing", "KHR_lights_punctual"} <= set(told["extensionsUsed"])
    moving = {told["nodes"][c["target"]["node"]]["name"] for c in told["animations"][0]["channels"]}
    assert {"thing cart 0", "thing ball 0", "Spot", "a"} <= moving
    # how the cart goes, read by our own reader of motions
    hand_on(gather(setting, setting.place.shots[0], Range(1, FRAMES, None, ("things",))), path)
    model = Moving(path.read_bytes(), "place.glb", True)
    last = (FRAMES - 1) / 24
    names = [p.surface.name for p in model.mesh.parts]
    part = next(k for k, name in enumerate(names) if "brass" in name.lower())
    (vertices, _) = model.posed(0, last)[part]
    ball = at(setting, FRAMES).stood["ball"][0]
    assert vertices.mean(0) == pytest.approx(ball[:, :3] @ [0, 0, 0.5] + ball[:, 3], abs=2e-3)


def test_its_size_is_told_before_it_is_written(setting: Setting, tmp_path: Path) -> None:
    shot = setting.place.shots[0]
    for suffix in (".usd", ".usda", ".glb"):
        span = Range(1, 12)
        told = told_size(setting, shot, span, suffix)
        folder = tmp_path / suffix[1:]
        size = hand_on(gather(setting, shot, span), folder / f"p{suffix}")
        assert told.bytes == pytest.approx(size, rel=0.2), suffix


def test_only_what_is_chosen_and_near_goes_out(setting: Setting) -> None:
    shot = setting.place.shots[0]
    some = gather(setting, shot, Range(1, 2, None, ("things", "cameras")))
    assert {form.kind for form in some.forms} == {"things"} and some.camera is not None and not some.lamps[0]
    near, far = (gather(setting, shot, Range(1, 1, d, ("ground", "plants"))) for d in (12.0, 200.0))
    by_kind = {
        form.kind: (len(form.faces), sum(len(f.placed[0]) for f in near.forms if f.kind == "plants"))
        for form in near.forms
    }
    whole = next(form for form in far.forms if form.kind == "ground")
    assert by_kind["ground"][0] < len(whole.faces) / 2
    ground = next(form for form in near.forms if form.kind == "ground")
    eye = camera_at(setting, shot, 0.0).position
    middles = ground.vertices[0][ground.faces].mean(1)
    assert np.hypot(middles[:, 0] - eye[0], middles[:, 1] - eye[1]).max() < 12 + 2 * 2.0
    with pytest.raises(RouteError, match="choose of ground"):
        Range(1, 2, None, ("sky",))
    with pytest.raises(RouteError, match="lies before the first"):
        Range(3, 2)
    with pytest.raises(RouteError, match="ends at frame 24"):
        gather(setting, shot, Range(1, 25))
    assert set(KINDS) >= {"lamps", "water"}


def test_from_the_command_line(setting: Setting, tmp_path: Path, marsh: Ground) -> None:
    land = write_elevation(marsh)
    asset = asset_of("ground.tif", land)
    place = setting.place.model_copy(
        update={"land": setting.place.land.model_copy(update={"elevation": asset}), "things": [], "growth": []}
    )
    path = tmp_path / "p.lumwick"
    path.write_bytes(pack(place, {asset.sha256: land}))
    run = CliRunner()
    told = run.invoke(app, ["hand-on", str(path), "--out", str(tmp_path / "o.usd"), "--frames", "1-2", "--told"])
    assert told.exit_code == 0 and not (tmp_path / "o.usd").exists()
    done = run.invoke(app, ["hand-on", str(path), "--out", str(tmp_path / "o.usd"), "--frames", "1-2"])
    assert done.exit_code == 0 and Usd.Stage.Open(str(tmp_path / "o.usd")).GetEndTimeCode() == 2


def test_lamps_of_gltf_shine_in_candelas(tmp_path: Path) -> None:
    """KHR_lights_punctual: point and spot lights in candelas, directional ones in lux. A bulb of so many lumens sends
    them over 4 pi; a bundle of parallel light has its lux as they are; the sun by what the place has of it."""
    lamps = [
        Lamp(id="bulb", name="Bulb", kind="point", amount=800.0),
        Lamp(id="far", name="Far", kind="parallel", amount=900.0),
    ]
    setting = Setting(small_place(growth=[], lamps=lamps), Ground(np.ones((9, 9), np.float32), 8.0, -32.0, -32.0))
    path = tmp_path / "lamps.glb"
    hand_on(gather(setting, setting.place.shots[0], Range(1, 1, None, ("lamps",))), path)
    data = path.read_bytes()
    told = json.loads(data[20 : 20 + struct.unpack("<I", data[12:16])[0]])
    lights = {one["name"]: one for one in told["extensions"]["KHR_lights_punctual"]["lights"]}
    assert (lights["Bulb"]["type"], lights["Far"]["type"]) == ("point", "directional")
    assert lights["Bulb"]["intensity"] == pytest.approx(800.0 / (4 * np.pi), rel=1e-3)
    assert lights["Far"]["intensity"] == pytest.approx(900.0, rel=1e-3)
    assert 20_000 < lights["the sun"]["intensity"] < 130_000  # handbooks: the sun alone by day, at this height
