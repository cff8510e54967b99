"""The camera's way against closed forms, scipy, trimesh, usd-core, gpxpy, ezdxf and the Khronos validator."""

import datetime as dt
import json
from pathlib import Path

import gpxpy.gpx
import numpy as np
import pytest
from pyproj import Geod
from scipy.interpolate import CubicSpline, PchipInterpolator
from scipy.spatial.transform import Rotation, Slerp
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.deliver.paths_in import read_path
from lumwick.land.elevation import read_elevation
from lumwick.land.ground import Ground
from lumwick.lens.camera import hyperfocal
from lumwick.lens.lens import Lens
from lumwick.newplace import place_from_survey
from lumwick.place.files import load, pack
from lumwick.place.filming import Route, Station
from lumwick.route.camera_path import camera_path_of, turned
from lumwick.route.line import circling, through
from lumwick.route.pacing import by_stations, minimum_jerk
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.lay import CLOCKS, along_line, suggest
from tests.conftest import small_place, write_geotiff


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
    made = camera_path_of(
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
    assert camera_path_of(r, 5.0).at(t).position[:, 1] == pytest.approx(
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
    shot = along_line(setting, place.shots[0].model_copy(update={"frames": 20000}), path.drawn, "walk", 1.62, CLOCKS[1])
    p = setting.camera_path(shot).at(np.linspace(0, shot.seconds, 20_000)).position
    over = p[:, 2] - survey.ground.height(p[:, 0], p[:, 1])
    assert np.abs(over - 1.62).max() < 0.02
    assert np.ptp(p[:, 2]) > 30  # it went up and down


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
                "--clock",
                "whole",
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
