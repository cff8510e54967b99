"""Paths brought in and handed on, against other libraries' readers."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, Slerp

from lumwick.deliver.paths_in import AskUnit, AskWhich, read_path
from lumwick.deliver.paths_in.camera import camera_track
from lumwick.deliver.paths_in.gltf import gltf_sampler
from lumwick.deliver.paths_out import export
from lumwick.deliver.paths_out.handed import by_time
from lumwick.errors import RouteError
from lumwick.land.ground import Ground
from lumwick.place.filming import Route, Station
from lumwick.place.nature import Site
from lumwick.route.drawn import Drawn
from lumwick.snapshot.evaluate import Setting, camera_at
from lumwick.snapshot.lay import along_line, as_stations, thinned
from tests.conftest import small_place
from tests.outside.validators import khronos, pixar

FRONTEND = Path(__file__).resolve().parents[2] / "frontend"


def exported(marsh: Ground) -> tuple[Setting, dict[str, bytes]]:
    place = small_place()
    a = place.shots[0].model_copy(
        update={
            "route": place.shots[0].route.model_copy(
                update={
                    "stations": [
                        s.model_copy(update={"roll": r, "focal": f})
                        for s, r, f in zip(place.shots[0].route.stations, (0, 12, -6), (24, 35, 50), strict=True)
                    ]
                }
            )
        }
    )
    b = a.model_copy(
        update={
            "id": "b-2",
            "name": "B <&>",
            "frames": 36,
            "route": Route(
                way="orbit",
                spot=(10, 40, 2),
                turns=0.6,
                stations=[Station(id="s1", east=10, north=10, up=6, aim=(10, 40, 2))],
            ),
        }
    )
    setting = Setting(place.model_copy(update={"shots": [a, b]}), marsh)
    out: dict[str, bytes] = {}
    for name in ("c.glb", "c.usda", "c.usd", "c.csv", "c.svg", "c.dxf", "c.gpx"):
        out |= export(setting, setting.place.shots, name)
    return setting, out


@pytest.fixture(scope="module")
def handed(marsh: Ground) -> tuple[Setting, dict[str, bytes]]:
    return exported(marsh)


def test_cameras_come_back_as_they_went(handed: tuple[Setting, dict[str, bytes]]) -> None:
    setting, files = handed
    for name in ("c.glb", "c.usda", "c.usd"):
        for shot, called in zip(setting.place.shots, ("a", "b-2") if name == "c.glb" else ("a", "b_2"), strict=True):
            path = read_path(files[name], name, setting.place.site, which=called, rate=24.0)
            assert path.track is not None
            for n in range(shot.frames):
                want = camera_at(setting, shot, n / 24)
                position, turn, focal = path.track.at([n / 24])
                right, up = want.axes()
                assert position[0] == pytest.approx(want.position, abs=1e-5)
                assert turn.as_matrix()[0] == pytest.approx(np.stack([right, want.forward, up], 1), abs=1e-5)
                assert focal[0] == pytest.approx(want.focal_mm, rel=1e-5)
    for name, shot in (("c-a.csv", setting.place.shots[0]), ("c-b-2.csv", setting.place.shots[1])):
        path = read_path(files[name], name, setting.place.site)
        assert path.track is not None and path.track.position == pytest.approx(
            by_time(setting, shot).track.position, abs=1e-6
        )
    line = by_time(setting, setting.place.shots[0]).track.position
    assert read_path(files["c.dxf"], "c.dxf", setting.place.site, which="1").points == pytest.approx(line, abs=1e-6)
    assert read_path(files["c.svg"], "c.svg", setting.place.site, "m", "a").points[:, :2] == pytest.approx(
        line[:, :2], abs=1e-3
    )
    gpx = read_path(files["c.gpx"], "c.gpx", setting.place.site, which="A")
    assert gpx.points == pytest.approx(line, abs=0.01) and gpx.times == pytest.approx(np.arange(24) / 24, abs=1e-3)


def with_meshes(data: bytes) -> bytes:
    """A glTF with a triangle in place of the camera on each node: trimesh says where no others are."""
    import pygltflib as pg

    gltf = pg.GLTF2.load_from_bytes(data)
    blob = gltf.binary_blob() or b""
    extra = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
    gltf.bufferViews.append(pg.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(extra)))
    gltf.accessors.append(
        pg.Accessor(
            bufferView=len(gltf.bufferViews) - 1,
            componentType=pg.FLOAT,
            count=3,
            type="VEC3",
            min=[0, 0, 0],
            max=[1, 1, 0],
        )
    )
    gltf.meshes.append(pg.Mesh(primitives=[pg.Primitive(attributes=pg.Attributes(POSITION=len(gltf.accessors) - 1))]))
    for node in gltf.nodes:
        node.mesh, node.camera = 0, None
    gltf.buffers = [pg.Buffer(byteLength=len(blob) + len(extra))]
    gltf.set_binary_blob(blob + extra)
    return b"".join(gltf.save_to_bytes())


def test_exported_gltf_is_what_trimesh_reads_and_passes_the_khronos_validator(
    handed: tuple[Setting, dict[str, bytes]], tmp_path: Path
) -> None:
    import trimesh

    setting, files = handed
    (tmp_path / "c.glb").write_bytes(files["c.glb"])
    (tmp_path / "m.glb").write_bytes(with_meshes(files["c.glb"]))
    scene = trimesh.load(tmp_path / "m.glb", force="scene")
    for shot in setting.place.shots:
        matrix, _ = scene.graph[shot.id]
        camera = camera_at(setting, shot, 0.0)
        right, up = camera.axes()
        ours = np.stack([right, up, -camera.forward, camera.position], 1)
        y_up = np.stack([ours[0], ours[2], -ours[1]])  # east, up, south
        assert matrix[:3] == pytest.approx(y_up, abs=1e-5)
    issues = khronos(tmp_path / "c.glb")
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"]
    broken = bytearray(files["c.glb"])
    broken[broken.index(b'"LINEAR"') : broken.index(b'"LINEAR"') + 8] = b'"LINEAX"'
    (tmp_path / "b.glb").write_bytes(bytes(broken))
    said = khronos(tmp_path / "b.glb")
    assert said["numWarnings"] + said["numErrors"] > 0  # the check can fail


def test_exported_usd_passes_usds_own_validators(handed: tuple[Setting, dict[str, bytes]], tmp_path: Path) -> None:
    for name in ("c.usda", "c.usd"):
        (tmp_path / name).write_bytes(handed[1][name])
        assert pixar(tmp_path / name) == []
    (tmp_path / "bare.usda").write_text('#usda 1.0\ndef Camera "c" {}\n')
    assert pixar(tmp_path / "bare.usda")  # without up axis, units, a default: the check can fail


def test_a_camera_under_moved_nodes_is_where_trimesh_says(tmp_path: Path) -> None:
    import pygltflib as pg
    import trimesh

    q = Rotation.from_euler("xyz", [0.3, -0.8, 0.5]).as_quat()
    gltf = pg.GLTF2(
        asset=pg.Asset(version="2.0"),
        scene=0,
        scenes=[pg.Scene(nodes=[0])],
        cameras=[pg.Camera(type="perspective", perspective=pg.Perspective(yfov=0.7, aspectRatio=1.5, znear=0.1))],
        nodes=[
            pg.Node(name="rig", children=[1], translation=[3, 4, 5], rotation=[float(v) for v in q], scale=[2, 2, 2]),
            pg.Node(name="arm", children=[2], matrix=[1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0.5, 1, 2, 1]),
            pg.Node(name="eye", camera=0, translation=[0, 1, 0]),
        ],
    )
    path = tmp_path / "rig.glb"
    data = b"".join(gltf.save_to_bytes())
    path.write_bytes(with_meshes(data))
    found = read_path(data, "rig.glb", Site())
    scene = trimesh.load(path, force="scene")
    matrix, _ = scene.graph["eye"]
    assert found.track is not None
    assert found.track.position[0] == pytest.approx([matrix[0, 3], -matrix[2, 3], matrix[1, 3]], abs=1e-5)
    forward = -matrix[:3, 2] / np.linalg.norm(matrix[:3, 2])
    assert found.track.at([0])[1].apply([0, 1, 0])[0] == pytest.approx([forward[0], -forward[2], forward[1]], abs=1e-5)
    assert 2 * np.degrees(np.arctan(18 / found.track.focal[0])) == pytest.approx(
        np.degrees(2 * np.arctan(1.5 * np.tan(0.35)))
    )


def test_gltfs_samplers_by_the_specification() -> None:
    """Appendix C of glTF 2.0; cubic ones against scipy's Hermite spline, turning ones against its slerp."""
    from scipy.interpolate import CubicHermiteSpline

    keys = np.array([0.0, 1.0, 2.5])
    rng = np.random.default_rng(1)
    v = rng.normal(size=(3, 3, 3))
    t = np.linspace(0, 2.5, 41)
    assert gltf_sampler(keys, v.reshape(9, 3), "CUBICSPLINE", t, False)[:16] == pytest.approx(
        CubicHermiteSpline(keys[:2], v[:2, 1], np.stack([v[0, 2], v[1, 0]]))(t[:16]), abs=1e-9
    )
    q = Rotation.random(3, random_state=4).as_quat()
    assert np.abs(
        (gltf_sampler(keys, q, "LINEAR", t, True) * Slerp(keys, Rotation.from_quat(q))(t).as_quat()).sum(1)
    ) == pytest.approx(np.ones(41))
    assert gltf_sampler(keys, v[:, 0], "STEP", np.array([0.99, 1.0]), False) == pytest.approx(v[:2, 0])


def test_a_usd_camera_is_where_usd_says(tmp_path: Path) -> None:
    from pxr import Gf, Usd, UsdGeom

    stage = Usd.Stage.CreateNew(str(tmp_path / "in.usda"))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    stage.SetTimeCodesPerSecond(25)
    rig = UsdGeom.Xform.Define(stage, "/rig")
    rig.AddRotateXYZOp().Set(Gf.Vec3f(10, 40, 5))
    camera = UsdGeom.Camera.Define(stage, "/rig/eye")
    place, turn = camera.AddTranslateOp(), camera.AddRotateYOp()
    for code, p, a in ((1, (0, 160, 0), 0.0), (26, (300, 170, 100), 30.0), (51, (400, 150, 600), 90.0)):
        place.Set(Gf.Vec3d(*p), code)
        turn.Set(a, code)
    camera.CreateFocalLengthAttr(35.0)
    camera.CreateHorizontalApertureAttr(24.0)
    stage.GetRootLayer().Save()
    found = read_path((tmp_path / "in.usda").read_bytes(), "in.usda", Site(), rate=24.0)
    assert found.track is not None and found.track.t[-1] == pytest.approx(2.0)
    for frame in range(0, 48, 5):
        code = Usd.TimeCode(1 + frame / 24 * 25)
        frustum = camera.GetCamera(code).frustum
        position, looks, up = frustum.position / 100, frustum.ComputeViewDirection(), frustum.ComputeUpVector()
        p, turned_, focal = found.track.at([frame / 24])
        assert p[0] == pytest.approx([position[0], -position[2], position[1]], abs=1e-5)
        assert turned_.apply([0, 1, 0])[0] == pytest.approx([looks[0], -looks[2], looks[1]], abs=1e-5)
        assert turned_.apply([0, 0, 1])[0] == pytest.approx([up[0], -up[2], up[1]], abs=1e-5)
        assert focal[0] == pytest.approx(35 / 24 * 36)


def test_drawings_in_their_units() -> None:
    import ezdxf
    from ezdxf import units

    def dxf(unit: int, *lines: list[tuple[float, float]]) -> bytes:
        import io

        drawing = ezdxf.new("R2010")
        drawing.units = unit
        for line in lines:
            drawing.modelspace().add_lwpolyline(line)
        out = io.StringIO()
        drawing.write(out)
        return out.getvalue().encode()

    feet = read_path(dxf(units.FT, [(0, 0), (100, 0), (100, 50)]), "p.dxf", Site())
    assert feet.points[-1] == pytest.approx([30.48, 15.24, 0])
    with pytest.raises(AskUnit, match="does not say in what"):
        read_path(dxf(0, [(0, 0), (1, 1)]), "p.dxf", Site())
    assert read_path(dxf(0, [(0, 0), (1, 1)]), "p.dxf", Site(), "2.5").points[-1] == pytest.approx([2.5, 2.5, 0])
    with pytest.raises(AskWhich, match="holds 2 paths") as asked:
        read_path(dxf(units.M, [(0, 0), (1, 1)], [(5, 5), (9, 9)]), "p.dxf", Site())
    assert len(asked.value.names) == 2
    svg = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100" width="100" '
        b'height="100"><path id="p" d="M10 20 L30 20 C40 20 40 40 30 40"/></svg>'
    )
    drawn = read_path(svg, "p.svg", Site(), "m")
    assert drawn.points[0] == pytest.approx([10, -20, 0]) and drawn.points[-1] == pytest.approx([30, -40, 0])
    bezier = np.array([[30, 20], [40, 20], [40, 40], [30, 40]])
    middle = 0.125 * bezier[0] + 0.375 * bezier[1] + 0.375 * bezier[2] + 0.125 * bezier[3]
    assert np.abs(drawn.points[:, :2] - middle * [1, -1]).sum(1).min() < 1e-6


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("p.csv", b"east_m,north_m\n1,2\n", "no path"),
        ("p.csv", b"a,b\n1,2\n", "must name its columns"),
        ("p.csv", b"time,east_m,north_m\n0,0,0\n2,1,1\n1,2,2\n", "must grow: row 4"),
        ("p.csv", b"east_m,north_ft\n0,0\n1,1\n", "one unit for all"),
        ("p.csv", b"east_m,north_m\n0,zero\n1,1\n", "no number"),
        ("p.csv", b"east,north\n0,0\n1,1\n", "does not say in what"),
        ("p.csv", b"east_m,north_m\n0,0\n1,nan\n", "are no numbers"),
        ("p.csv", b"east_km,north_km\n0,0\n900,1\n", "another place"),
        ("p.svg", b"<svg xmlns='http://www.w3.org/2000/svg'/>", "no path"),
        ("p.svg", b"not xml", "can be read"),
        ("p.dxf", b"not dxf", "can be read"),
        ("p.gpx", b"<gpx", "can be read"),
        ("p.glb", b"not glb", "can be read"),
        ("p.glb", b"glTF\x02\0\0\0\xff\0\0\0" + bytes(40), "cut short"),
        ("p.usda", b'#usda 1.0\ndef Camera "c" {\n', "breaks off on line 3"),
        ("p.usda", b"not usd", "can be read"),
        ("p.mov", b"", "no path that can be read"),
        ("p.gpx", b'<gpx version="1.1" creator="x"></gpx>', "no path"),
    ],
)
def test_files_without_a_path_are_told(name: str, data: bytes, words: str) -> None:
    with pytest.raises(RouteError, match=words):
        read_path(data, name, Site())


def test_a_line_of_a_million_points_becomes_few_stations(marsh: Ground) -> None:
    t = np.linspace(0, 4, 1_000_000)
    data = np.stack([40 * t, 25 * np.sin(t * 2), 20 + 0 * t], 1)
    setting = Setting(small_place(), marsh)
    shot = along_line(setting, setting.place.shots[0], Drawn(data, heights=True), "fly", 3.0)
    assert 5 < len(shot.route.stations) <= 60
    p = setting.camera_path(shot).at(np.linspace(0, shot.seconds, 500)).position
    assert np.abs(p[:, 1] - 25 * np.sin(p[:, 0] / 20)).max() < 0.25
    assert thinned(np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [2, 1, 0]])).tolist() == [0, 2, 3]


def test_a_track_made_stations_keeps_its_form(handed: tuple[Setting, dict[str, bytes]]) -> None:
    setting, _ = handed
    shot = setting.place.shots[1]
    track = by_time(setting, shot).track
    made = as_stations(shot, track)
    assert 4 <= len(made.route.stations) <= 60
    poses = setting.camera_path(made).at(track.t)
    assert np.linalg.norm(poses.position - track.position, axis=1).max() < 0.3
    assert (poses.forward * track.at(track.t)[1].apply([0, 1, 0])).sum(1).min() > np.cos(np.radians(1.5))


def test_camera_matrices_with_scale_are_taken_apart() -> None:
    turn = Rotation.from_euler("ZXY", [20, 10, 5], degrees=True).as_matrix()
    m = np.eye(4)
    m[:3, :3] = np.stack([turn[:, 0], turn[:, 2], -turn[:, 1]], 1) * 3
    track = camera_track(np.zeros(1), m[None], np.array([35.0]))
    assert track.at([0])[1].as_matrix()[0] == pytest.approx(turn) and track.roll[0] == pytest.approx(5)


def walk_of(seconds: float, same: bool = False) -> bytes:
    """A recorded walk of 2.3 km in so many seconds; or nearly all of its points at one time."""
    points = []
    for k in range(100):
        t = 0 if same and k else int(k * seconds / 99)
        stamp = f"2026-06-05T{10 + t // 3600:02d}:{t // 60 % 60:02d}:{t % 60:02d}Z"
        points.append(f'<trkpt lat="{52 + k * 0.00021:.6f}" lon="1.0"><time>{stamp}</time></trkpt>')
    return f'<gpx version="1.1"><trk><trkseg>{"".join(points)}</trkseg></trk></gpx>'.encode()


def test_a_recorded_walk_asks_whose_time_counts_and_then_moves() -> None:
    """2 285 m in 76 min became 0.001 m of a shot of 12 s, and the ride check said clean."""
    from lumwick.place.nature import Site
    from lumwick.snapshot.lay import CLOCKS, AskClock, along_line
    from lumwick.snapshot.riding.sampled import ride
    from tests.conftest import small_place
    from tests.core.snapshot.test_ride import FLAT

    place = small_place(site=Site(latitude=52.0, longitude=1.0), growth=[])
    setting, shot = Setting(place, FLAT), place.shots[0]
    found = read_path(walk_of(4560.0), "walk.gpx", place.site)
    with pytest.raises(AskClock, match="76 min"):
        along_line(setting, shot, found.drawn, "walk", 1.6)
    lengths = {}
    for clock in (CLOCKS[1], "60x"):
        laid = along_line(setting, shot, found.drawn, "walk", 1.6, clock)
        made = ride(Setting(place.model_copy(update={"shots": [laid]}), FLAT), laid, 97)
        lengths[clock] = laid.seconds
        assert float(made.along[-1]) == pytest.approx(2312.0, rel=0.03)
    assert lengths[CLOCKS[1]] == shot.seconds and lengths["60x"] == pytest.approx(76.0, abs=0.1)
    for clock in (CLOCKS[0], CLOCKS[2]):  # longer than any shot
        with pytest.raises(RouteError, match="times quicker"):
            along_line(setting, shot, found.drawn, "walk", 1.6, clock)
    points = found.drawn.points[:30]
    short = replace(found.drawn, points=points, times=found.drawn.times[:30])
    length = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
    assert along_line(setting, shot, short, "walk", 1.6, CLOCKS[2]).seconds == pytest.approx(length / 1.4, rel=0.01)
    with pytest.raises(RouteError, match="says no time"):
        along_line(setting, shot, found.drawn, "walk", 1.6, "soon")


def test_a_walk_whose_points_bear_one_time_keeps_its_points() -> None:
    found = read_path(walk_of(600.0, same=True), "walk.gpx", Site(latitude=52.0, longitude=1.0))
    assert len(found.points) == 100 and found.times is None and "bear the time" in found.note


def test_a_track_from_elsewhere_is_laid_here_if_asked() -> None:
    from lumwick.deliver.paths_in import AskHere

    far = Site(latitude=-40.0, longitude=100.0)
    with pytest.raises(AskHere, match="laid here"):
        read_path(walk_of(600.0), "walk.gpx", far)
    here = read_path(walk_of(600.0), "walk.gpx", far, here=True)
    assert here.points[0, :2] == pytest.approx([0.0, 0.0]) and len(here.points) == 100
