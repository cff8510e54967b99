"""The camera's way against closed forms, scipy, trimesh, usd-core, gpxpy, ezdxf and the Khronos validator."""

import datetime as dt
import json
import shutil
import subprocess
from pathlib import Path

import gpxpy.gpx
import numpy as np
import pytest
from pyproj import Geod
from scipy.interpolate import CubicSpline, PchipInterpolator
from scipy.spatial.transform import Rotation, Slerp
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.deliver.paths_in import AskUnit, AskWhich, read_path
from lumwick.deliver.paths_in.camera import camera_track
from lumwick.deliver.paths_in.gltf import gltf_sampler
from lumwick.deliver.paths_out import export
from lumwick.deliver.paths_out.handed import by_time
from lumwick.errors import RouteError
from lumwick.land.elevation import read_elevation
from lumwick.land.ground import Ground
from lumwick.lens.camera import hyperfocal
from lumwick.lens.lens import Lens
from lumwick.newplace import place_from_survey
from lumwick.place.document import Route, Site, Station
from lumwick.place.files import load, pack
from lumwick.route.drawn import Drawn
from lumwick.route.line import circling, through
from lumwick.route.pacing import by_stations, minimum_jerk
from lumwick.route.way import turned, way
from lumwick.snapshot.evaluate import Setting, camera_at
from lumwick.snapshot.lay import along_line, as_stations, suggest, thinned
from tests.conftest import small_place, write_geotiff

FRONTEND = Path(__file__).resolve().parents[2] / "frontend"


def test_a_circle_of_many_points_a_parabola_and_a_helix_have_their_lengths() -> None:
    a = np.linspace(0, 2 * np.pi, 361)
    assert through(np.stack([30 * np.cos(a), 30 * np.sin(a), 0 * a], 1)).length == pytest.approx(
        2 * np.pi * 30, rel=2e-5
    )
    x = np.linspace(0, 10, 200)  # y = x^2 / 10: length (5 / 2) (u sqrt(1 + u^2) + asinh u) at u = 2
    assert through(np.stack([x, x * x / 10, 0 * x], 1)).length == pytest.approx(
        2.5 * (2 * np.sqrt(5) + np.arcsinh(2)), rel=1e-5
    )
    helix = circling(np.array([15.0, 0, 0]), np.zeros(3), 2.0, np.array([15.0, 0, 24]))
    assert helix.length == pytest.approx(2 * np.hypot(2 * np.pi * 15, 12), rel=1e-9)
    spiral = circling(
        np.array([10.0, 0, 0]), np.zeros(3), 1.0, np.array([20.0, 0, 0])
    )  # Archimedes: r = 10 + 10 u, by quadrature
    u = np.linspace(0, 1, 200_001)
    assert spiral.length == pytest.approx(np.trapezoid(np.hypot(10, 2 * np.pi * (10 + 10 * u)), u), rel=1e-8)


def test_equal_times_cover_equal_lengths_to_a_tenth_of_a_percent() -> None:
    points = np.array([[0, 0, 5], [3, 0.4, 5], [30, 4, 9], [31, 25, 6], [5, 40, 5], [4, 41, 5.2]])
    made = way(
        Route(
            stations=[Station(id=f"s{i}", east=x, north=y, up=z, aim=(99, 99, 0)) for i, (x, y, z) in enumerate(points)]
        ),
        20.0,
    )
    t = np.linspace(0, 20, 40_001)
    chord = np.linalg.norm(np.diff(made.at(t).position, axis=0), axis=1)
    coarse = chord.reshape(400, 100).sum(1)  # each fiftieth of a second's way, summed from a hundred chords
    assert np.abs(coarse / coarse.mean() - 1).max() < 1e-3
    assert coarse.sum() == pytest.approx(made.length, rel=1e-6)


def test_the_spline_is_smooth_by_finite_differences() -> None:
    points = np.array([[0, 0, 5], [10, 0, 6], [14, 12, 9], [31, 25, 6.0]])
    line = through(points)
    h = 1e-4
    for k in line.knots[1:-1]:
        first = [(line.position(np.array([k + s * h])) - line.position(np.array([k]))) / (s * h) for s in (-1, 1)]
        assert first[0] == pytest.approx(first[1], rel=5e-3, abs=0.05)
        second = [
            (line.slope(np.array([k + s * 2 * h])) - line.slope(np.array([k + s * h]))) / (s * h) for s in (-1, 1)
        ]
        assert second[0] == pytest.approx(second[1], rel=0.02, abs=0.5)
    calm = through(points, no_overshoot=True)
    u = np.linspace(0, 1, 77)
    assert calm.position(u) == pytest.approx(PchipInterpolator(calm.knots, points)(u), abs=1e-12)
    assert line.position(u) == pytest.approx(CubicSpline(line.knots, points, bc_type="natural")(u), abs=1e-12)


def test_a_move_of_least_jerk_is_its_closed_form_and_no_other_has_less() -> None:
    r = Route(
        stations=[
            Station(id="a", east=0, north=0, up=2, aim=(0, 9, 2)),
            Station(id="b", east=0, north=8, up=2, aim=(0, 99, 2)),
        ],
        timing="one smooth move",
    )
    t = np.linspace(0, 5, 501)
    x = t / 5
    assert way(r, 5.0).at(t).position[:, 1] == pytest.approx(
        8 * (10 * x**3 - 15 * x**4 + 6 * x**5), abs=1e-9
    )  # Flash and Hogan 1985, eq. for two points at rest

    def jerk(s: np.ndarray) -> float:
        rest = np.concatenate([np.full(9, s[0]), s, np.full(9, s[-1])])  # it comes from rest and goes to rest
        return float((np.diff(rest, 3) ** 2).sum())

    assert jerk(minimum_jerk(x)) < min(
        jerk(3 * x**2 - 2 * x**3),
        jerk((1 - np.cos(np.pi * x)) / 2),
        jerk(x**4 * (35 - 84 * x + 70 * x * x - 20 * x**3)),
    )


def test_times_at_stations_give_fritsch_and_carlsons_curve() -> None:
    lengths, times = np.array([0, 4, 9, 30.0]), [0.0, 3, 4, 10]
    paced = by_stations(lengths, times, np.zeros(4), np.zeros(4, bool), 10.0, (False, False))
    t = np.linspace(0, 10, 99)
    assert paced.at(t) == pytest.approx(PchipInterpolator(times, lengths)(t), abs=1e-9)


def test_directions_turn_as_scipys_slerp() -> None:
    rng = np.random.default_rng(3)
    for _ in range(20):
        a, b = (v / np.linalg.norm(v) for v in rng.normal(size=(2, 3)))
        axis = np.cross(a, b)
        angle = np.arccos(a @ b)
        share = np.linspace(0, 1, 11)
        turn = Slerp([0, 1], Rotation.from_rotvec([np.zeros(3), axis / np.linalg.norm(axis) * angle]))(share)
        assert turned(np.tile(a, (11, 1)), np.tile(b, (11, 1)), share) == pytest.approx(turn.apply(a), abs=1e-9)


def test_lens_by_formula() -> None:
    assert Lens(50).angle == pytest.approx(39.6, abs=0.05)
    assert hyperfocal(50, 8) == pytest.approx(50**2 / (8 * 0.03) / 1000 + 0.05)


def test_a_gpx_walk_over_real_ground_keeps_its_eye_height(tmp_path: Path, sample_elevation: dict) -> None:
    """The Jacksboro fault's elevation model (USGS, in matplotlib's sample data), walked by a GPX track of known
    latitudes and longitudes."""
    d = sample_elevation
    tif = write_geotiff(
        tmp_path / "ridge.tif",
        d["elevation"].astype(np.float32),
        float(d["xmin"]),
        float(d["ymax"]),
        float(d["dx"]),
        float(d["dy"]),
        "EPSG:4326",
    )
    survey = read_elevation(tif)
    place, _ = place_from_survey(survey, "Ridge")
    setting = Setting(place, survey.ground)
    site = place.site
    geod, gpx = Geod(ellps="WGS84"), gpxpy.gpx.GPX()
    gpx.tracks.append(gpxpy.gpx.GPXTrack(name="Up"))
    gpx.tracks[0].segments.append(gpxpy.gpx.GPXTrackSegment())
    wanted = [(300 * np.sin(k / 3) + 40 * k, 35.0 * k) for k in range(25)]
    for k, (e, n) in enumerate(wanted):
        lon, lat, _ = geod.fwd(site.longitude, site.latitude, np.degrees(np.arctan2(e, n)), np.hypot(e, n))
        gpx.tracks[0].segments[0].points.append(
            gpxpy.gpx.GPXTrackPoint(
                lat, lon, time=dt.datetime(2026, 6, 5, 9, tzinfo=dt.UTC) + dt.timedelta(seconds=60 * k)
            )
        )
    path = read_path(gpx.to_xml().encode(), "walk.gpx", site)
    assert path.points[:, :2] == pytest.approx(np.array(wanted), abs=0.01) and path.times == pytest.approx(
        60.0 * np.arange(25)
    )
    shot = along_line(setting, place.shots[0].model_copy(update={"frames": 20000}), path.drawn, "walk", 1.62)
    p = setting.way(shot).at(np.linspace(0, shot.seconds, 20_000)).position
    over = p[:, 2] - survey.ground.height(p[:, 0], p[:, 1])
    assert np.abs(over - 1.62).max() < 0.02
    assert np.ptp(p[:, 2]) > 30  # it went up and down


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
    if shutil.which("npm") is None:
        pytest.skip("Node is not here, and the Khronos validator is a Node package")
    if not (FRONTEND / "node_modules" / "gltf-validator").exists():
        subprocess.run(
            ["npm", "ci", "--silent", "--ignore-scripts"], cwd=FRONTEND, check=True, capture_output=True, timeout=300
        )
    said = subprocess.run(
        [
            "node",
            str(Path(__file__).parent / "check_gltf.cjs"),
            str(FRONTEND / "node_modules"),
            str(tmp_path / "c.glb"),
        ],
        check=True,
        capture_output=True,
        text=True,
        timeout=120,
    )
    issues = json.loads(said.stdout)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"]
    broken = bytearray(files["c.glb"])
    broken[broken.index(b'"LINEAR"') : broken.index(b'"LINEAR"') + 8] = b'"LINEAX"'
    (tmp_path / "b.glb").write_bytes(bytes(broken))
    said = subprocess.run(
        [
            "node",
            str(Path(__file__).parent / "check_gltf.cjs"),
            str(FRONTEND / "node_modules"),
            str(tmp_path / "b.glb"),
        ],
        check=True,
        capture_output=True,
        text=True,
        timeout=120,
    )
    assert json.loads(said.stdout)["numWarnings"] + json.loads(said.stdout)["numErrors"] > 0  # the check can fail


def test_exported_usd_passes_usds_own_validators(handed: tuple[Setting, dict[str, bytes]], tmp_path: Path) -> None:
    from pxr import Usd, UsdValidation

    for name in ("c.usda", "c.usd"):
        (tmp_path / name).write_bytes(handed[1][name])
        context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
        assert [e.GetMessage() for e in context.Validate(Usd.Stage.Open(str(tmp_path / name)))] == []
    (tmp_path / "bare.usda").write_text('#usda 1.0\ndef Camera "c" {}\n')
    assert context.Validate(
        Usd.Stage.Open(str(tmp_path / "bare.usda"))
    )  # without up axis, units, a default: the check can fail


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
    p = setting.way(shot).at(np.linspace(0, shot.seconds, 500)).position
    assert np.abs(p[:, 1] - 25 * np.sin(p[:, 0] / 20)).max() < 0.25
    assert thinned(np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [2, 1, 0]])).tolist() == [0, 2, 3]


def test_a_track_made_stations_keeps_its_form(handed: tuple[Setting, dict[str, bytes]]) -> None:
    setting, _ = handed
    shot = setting.place.shots[1]
    track = by_time(setting, shot).track
    made = as_stations(shot, track)
    assert 4 <= len(made.route.stations) <= 60
    poses = setting.way(made).at(track.t)
    assert np.linalg.norm(poses.position - track.position, axis=1).max() < 0.3
    assert (poses.forward * track.at(track.t)[1].apply([0, 1, 0])).sum(1).min() > np.cos(np.radians(1.5))


def test_the_command_line_brings_in_checks_mends_and_hands_on(
    tmp_path: Path, marsh: Ground, monkeypatch: pytest.MonkeyPatch
) -> None:
    from lumwick.demo import saltmere

    place, assets = saltmere()
    (tmp_path / "p.zip").write_bytes(pack(place, assets))
    run = CliRunner().invoke
    (tmp_path / "line.csv").write_text(
        "time_s,east_m,north_m,up_m\n0,10,-10,3.1\n2,27,2,0.4\n4,46,15,3.9\n6,66,30,4.7\n"
    )
    said = json.loads(
        run(
            app,
            [
                "lay",
                str(tmp_path / "p.zip"),
                "--shot",
                "dawn",
                "--file",
                str(tmp_path / "line.csv"),
                "--out",
                str(tmp_path / "q.zip"),
            ],
            catch_exceptions=False,
        ).stdout
    )
    assert said["stations"] == 4 and load(tmp_path / "q.zip")[0].shot("dawn").route.timing == "by stations"
    report = json.loads(run(app, ["check", str(tmp_path / "q.zip"), "--shot", "dawn"], catch_exceptions=False).stdout)
    assert "under" in {f["kind"] for f in report["found"]} and report["found"][0]["repairs"]
    report = json.loads(
        run(
            app,
            ["check", str(tmp_path / "q.zip"), "--shot", "dawn", "--mend", "--out", str(tmp_path / "r.zip")],
            catch_exceptions=False,
        ).stdout
    )
    assert "under" not in {f["kind"] for f in report["after"]["found"]} and report["done"]
    for name in ("cams.usda", "cams.glb"):
        run(app, ["export", str(tmp_path / "r.zip"), "--out", str(tmp_path / name)], catch_exceptions=False)
        back = run(
            app,
            [
                "lay",
                str(tmp_path / "p.zip"),
                "--shot",
                "sunset",
                "--file",
                str(tmp_path / name),
                "--path",
                "dawn",
                "--out",
                str(tmp_path / "s.zip"),
            ],
            catch_exceptions=False,
        )
        assert (
            json.loads(back.stdout)["way"] == "brought"
            and load(tmp_path / "s.zip")[0].shot("sunset").route.track is not None
        )
    assert run(app, ["export", str(tmp_path / "r.zip"), "--out", str(tmp_path / "c.mov")]).exit_code != 0


def test_six_views_are_suggested_on_dry_ground_and_apart(marsh: Ground) -> None:
    setting = Setting(small_place(), marsh)
    views = suggest(setting, setting.place.shots[0])
    assert len(views) == 6
    p = np.array([[v.east, v.north, v.up] for v in views])
    floor = setting.floor(p[:, 0], p[:, 1])
    assert p[:, 2] - floor == pytest.approx(np.full(6, 1.6), abs=0.01) and (floor > 0.25).all()
    gaps = np.linalg.norm(p[:, None] - p[None], axis=2)[np.triu_indices(6, 1)]
    assert gaps.min() > 8 and [v.id for v in suggest(setting, setting.place.shots[0])] == [v.id for v in views]


def test_camera_matrices_with_scale_are_taken_apart() -> None:
    turn = Rotation.from_euler("ZXY", [20, 10, 5], degrees=True).as_matrix()
    m = np.eye(4)
    m[:3, :3] = np.stack([turn[:, 0], turn[:, 2], -turn[:, 1]], 1) * 3
    track = camera_track(np.zeros(1), m[None], np.array([35.0]))
    assert track.at([0])[1].as_matrix()[0] == pytest.approx(turn) and track.roll[0] == pytest.approx(5)
