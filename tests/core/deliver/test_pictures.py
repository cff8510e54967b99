"""Frames are pure functions of their place, and the command line makes them."""

import json
import time
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from lumwick import cli
from lumwick.deliver.stills import frame_name, read_png, write_png
from lumwick.errors import LumwickError, RenderError, RouteError
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.motion.quick import turn
from lumwick.picture import frame_picture, quality
from lumwick.place.document import Place, Shot
from lumwick.place.files import asset_of, pack
from lumwick.place.filming import Route, Station
from lumwick.place.nature import Land
from lumwick.place.objects import Built
from lumwick.route.camera_path import camera_path_of
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.ride import check
from lumwick.trace.film import blank
from lumwick.trace.quality import Quality
from lumwick.trace.render import Stop, expose
from lumwick.trace.sampling import bearing, elevation, pair
from lumwick.trace.stage import Stage
from tests.conftest import small_place

QUICK = Quality(2, 1, "fast")


@pytest.fixture
def place_file(tmp_path: Path, marsh: Ground) -> Path:
    data = write_elevation(marsh)
    asset = asset_of("g.tif", data)
    path = tmp_path / "small.place.zip"
    path.write_bytes(pack(small_place(land=Land(elevation=asset)), {asset.sha256: data}))
    return path


def test_a_frame_alone_is_the_frame_in_a_range(setting: Setting) -> None:
    shot, size = setting.place.shots[0], (96, 54)
    ran = Stage(setting)
    in_order = [frame_picture(ran, shot, n, size, QUICK) for n in (1, 7, 13)]
    alone = frame_picture(Stage(setting), shot, 13, size, QUICK)
    assert in_order[2] is not None and alone is not None and in_order[0] is not None
    assert np.array_equal(in_order[2].film.sums, alone.film.sums)
    assert np.array_equal(in_order[2].pixels, alone.pixels)
    assert not np.array_equal(in_order[0].pixels, alone.pixels)


def test_samples_added_in_parts_are_the_samples_at_once(setting: Setting) -> None:
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.2))
    whole, parts = blank(64, 36), blank(64, 36)
    expose(stage, whole, 4)
    for n in (1, 3):
        expose(stage, parts, n)
    assert np.allclose(whole.sums, parts.sums, rtol=1e-4, atol=1e-2)
    before = parts.sums.copy()
    assert not expose(stage, parts, 64, stop=Stop(lambda: True))  # stopped: the film is as it was
    assert parts.samples == 4 and np.array_equal(parts.sums, before)


def test_an_edit_gives_what_a_fresh_stage_gives(setting: Setting) -> None:
    shot = setting.place.shots[0]
    stage = Stage(setting)
    stage.set(evaluate(setting, shot, 0.0))
    place = setting.place.model_copy(
        update={
            "growth": setting.place.growth[:1],
            "built": [Built(id="b", name="B", kind="jetty", line=[(0, 20), (10, 30)])],
        }
    )
    edited = Setting(place, setting.ground)
    stage.change(edited)
    one, two = (frame_picture(s, shot, 1, (64, 36), QUICK) for s in (stage, Stage(edited)))
    assert one is not None and two is not None and np.array_equal(one.pixels, two.pixels)


def test_plants_keep_their_feet_still(setting: Setting) -> None:
    stage = Stage(setting)
    camera = Camera(np.array([0.0, -20.0, 8.0]), direction_of(20.0, -5.0))
    states = []
    for t in (0.0, 0.4):
        stage.set(evaluate(setting, setting.place.shots[0], t, camera))
        name = next(n for n in stage.parts() if n.startswith("stand pines"))
        shape = next(iter(stage.stands.stand_states[0].batches[0].shapes.values()))
        states.append((stage.parts()[name].transforms.copy(), shape.vertices.copy(), shape.form))
    (ta, va, form), (tb, vb, _) = states
    assert np.array_equal(ta[:, 9:], tb[:, 9:]) and not np.array_equal(ta[:, 6:8], tb[:, 6:8])  # feet still, stems lean
    foot = form.weight == 0
    assert np.allclose(va[foot & (form.flutter == 0)], vb[foot & (form.flutter == 0)]) and np.abs(va - vb).max() > 1e-4


def test_sample_pairs_fill_the_square_evenly() -> None:
    points = np.array([pair(77, s, 3) for s in range(256)])
    assert points.min() >= 0 and points.max() < 1
    counts, _, _ = np.histogram2d(points[:, 0], points[:, 1], bins=16, range=[[0, 1], [0, 1]])
    assert counts.min() == counts.max() == 1  # a (0, 8, 2)-net


@pytest.mark.parametrize(("one", "two"), [((0, 0), (2, 0)), ((0, 1), (2, 1)), ((3, 0), (5, 1)), ((3, 0), (11, 0))])
def test_the_choices_of_one_sample_have_nothing_to_do_with_each_other(
    one: tuple[int, int], two: tuple[int, int]
) -> None:
    # a mean over two choices of a pixel must go to the product of the means as samples are added
    wrong = []
    for pixel in range(60):
        a, b = (np.array([pair(pixel, s, dimension)[k] for s in range(1024)]) - 0.5 for dimension, k in (one, two))
        wrong.append(12 * (a * b).mean())
    assert np.sqrt(np.mean(np.square(wrong))) < 2 / np.sqrt(1024)


def test_the_quick_angles_are_near_enough() -> None:
    v = np.random.default_rng(1).random((2000, 2))
    turns = np.array([turn(x) for x in np.append(v[:, 0], [0.0, 0.125, 0.25, 0.5, 0.75, 0.9999999])])
    angle = 2 * np.pi * np.append(v[:, 0], [0.0, 0.125, 0.25, 0.5, 0.75, 0.9999999])
    assert np.abs(turns - np.stack([np.cos(angle), np.sin(angle)], 1)).max() < 4e-7
    assert max(abs(bearing(a, b) - np.arctan2(a, b)) for a, b in 2 * v - 1) < 1.2e-5
    assert max(abs(elevation(z) - np.arcsin(z)) for z in 2 * v[:, 0] - 1) < 3e-8


def test_more_samples_than_the_table_are_new_samples() -> None:
    first, later = (np.array([pair(5, s, 0) for s in range(k, k + 256)]) for k in (0, 4096))
    assert np.abs(first - later).max() > 0.1 and later.mean(0) == pytest.approx([0.5, 0.5], abs=0.01)


def test_route_runs_evenly_and_passes_its_stations(setting: Setting) -> None:
    shot = setting.place.shots[0]
    w = setting.camera_path(shot)
    poses = w.at(np.linspace(0, shot.seconds, 2001))
    steps = np.linalg.norm(np.diff(poses.position, axis=0), axis=1)
    assert steps.std() / steps.mean() < 1e-3
    for station, t in zip(shot.route.stations, w.arrive, strict=True):
        assert np.allclose(w.at(t).position[0], [station.east, station.north, station.up], atol=0.001)
    assert np.abs(np.diff(poses.bearing)).max() < 1


def test_a_circle_of_stations_has_nearly_a_circles_length() -> None:
    a = np.linspace(0, 2 * np.pi, 33)
    stations = [
        Station(id=f"s{i}", east=10 * np.cos(k), north=10 * np.sin(k), up=3, aim=(0, 0, 3)) for i, k in enumerate(a)
    ]
    assert camera_path_of(Route(stations=stations), 4.0).length == pytest.approx(2 * np.pi * 10, rel=1e-3)


def test_walk_keeps_eye_height_on_a_deck(marsh: Ground) -> None:
    deck = Built(id="w", name="Walk", kind="boardwalk", line=[(-20, 40), (20, 40)], deck=3.0)
    stations = [
        Station(id="a", east=-10, north=40, up=0, aim=(30, 40, 4)),
        Station(id="b", east=10, north=40, up=0, aim=(40, 40, 4)),
    ]
    setting = Setting(
        small_place(
            built=[deck], shots=[Shot(id="a", name="A", frames=240, route=Route(way="walk", stations=stations))]
        ),
        marsh,
    )
    p = setting.camera_path(setting.place.shots[0]).at(np.linspace(0, 10, 50)).position
    assert np.allclose(p[:, 2], 4.6, atol=0.02)
    report = check(setting, setting.place.shots[0])
    assert (
        report["clean"]
        and report["clearance"]["least"] == pytest.approx(1.6, abs=0.02)
        and report["speed"]["mean"] == pytest.approx(2.0, rel=0.01)
    )


def test_routes_that_are_wrong_are_told(marsh: Ground) -> None:
    def ridden(*stations: Station, way_: str = "fly") -> list[str]:
        s = Setting(small_place(shots=[Shot(id="a", name="A", route=Route(way=way_, stations=list(stations)))]), marsh)
        return [f["kind"] for f in check(s, s.place.shots[0])["found"]]

    a, b = (
        Station(id="a", east=0, north=0, up=30, aim=(0, 9, 30)),
        Station(id="b", east=0, north=0, up=30, aim=(9, 0, 30)),
    )
    assert ridden(a) == ["still"]
    assert "same spot" in ridden(a, b)
    assert "under" in ridden(Station(id="z", east=0, north=0, up=-9, aim=(0, 9, 0)), a)
    assert "fast" in ridden(a, Station(id="c", east=0, north=200, up=30, aim=(0, 300, 0)), way_="walk")
    with pytest.raises(RouteError, match="no station"):
        camera_path_of(Route(), 4.0)


def test_stills(tmp_path: Path) -> None:
    pixels = np.random.default_rng(1).integers(0, 255, (20, 30, 3), dtype=np.uint8)
    write_png(tmp_path / frame_name("a", 7), pixels)
    assert np.array_equal(read_png(tmp_path / "a.00007.png"), pixels)
    assert len(list(tmp_path.iterdir())) == 1
    with pytest.raises(RenderError):
        write_png(tmp_path / "none" / "a.png", pixels)
    with pytest.raises(RenderError):
        quality("best")


def run(*args: object) -> object:
    return CliRunner().invoke(cli.app, [str(a) for a in args])


def test_who_is_told_to_stop_leaves_at_the_next_strip(setting: Setting) -> None:
    stage, film = Stage(setting), blank(96, 64)
    stage.set(evaluate(setting, setting.place.shots[0], 0.0))
    asked: list[float] = []

    def third_time() -> bool:
        asked.append(time.perf_counter())
        return len(asked) == 3

    assert not expose(stage, film, 16, stop=Stop(third_time, every=96 * 64))
    assert len(asked) == 3 and film.samples == 0  # two strips were made, none after it was told, and none is kept
    asked.clear()
    assert expose(stage, film, 16, stop=Stop(lambda: bool(asked.append(0.0)), every=96 * 64))
    assert len(asked) == 16 and film.samples == 16  # a strip is as many samples as it says


def test_command_line(place_file: Path, tmp_path: Path) -> None:
    out = tmp_path / "frames"
    made = run(
        "render", place_file, "--shot", "A", "--frames", "2-3,5", "--size", "64x36", "--quality", "sketch", "--out", out
    )
    assert made.exit_code == 0, made.output
    assert sorted(p.name for p in out.glob("*.png")) == ["a.00002.png", "a.00003.png", "a.00005.png"]
    assert json.loads(run("check", place_file, "--shot", "a").stdout)["clearance"]["least"] > 1
    told = json.loads(run("sun", "--lat", "54.6", "--lon", "-3.5", "--at", "2026-06-05T13:12+01:00").stdout)
    assert told["elevation"] == pytest.approx(58, abs=0.2) and told["sunrise"].startswith("2026-06-05T04:4")
    assert json.loads(run("schema").stdout)["title"] == "Lumwick place"
    assert run("demo", "--out", tmp_path / "demo.zip").exit_code == 0
    closes = run("seam", place_file, "--shot", "a")
    assert closes.exit_code == 1 and not json.loads(closes.stdout)["closes"]
    assert {a["name"] for a in json.loads(run("motion", place_file, "--shot", "a").stdout)} >= {"camera"}
    assert json.loads(run("lapse", "--event", "3h", "--clip", "10s", "--fps", "24").stdout)["interval"] == 45
    assert json.loads(
        run(
            "meet", "--lat", "54.6", "--lon", "-3.5", "--offset", "1", "--date", "2026-06-05", "--bearing", "180"
        ).stdout
    )[0]["when"].startswith("2026-06-05T13:1")
    assert run("compare", place_file, place_file).stdout == ""


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (["render", "{place}", "--shot", "z", "--out", "x"], "no shot 'z'"),
        (["render", "{place}", "--shot", "a", "--frames", "9-2", "--out", "x"], "not in order"),
        (["render", "{place}", "--shot", "a", "--frames", "1-99", "--out", "x"], "past the shot's last"),
        (["render", "{place}", "--shot", "a", "--size", "huge", "--out", "x"], "1280x720"),
        (["render", "{place}", "--shot", "a"], "--out FOLDER"),
        (["render", "{place}", "--shot", "a", "--quality", "best", "--out", "x"], "choose sketch"),
        (["render", "gone.zip", "--shot", "a", "--out", "x"], "no file"),
        (["sun", "--lat", "99", "--lon", "0", "--at", "2026-01-01"], "Latitude"),
        (["sun", "--lat", "9", "--lon", "0", "--at", "noon"], "written like"),
        (["sun", "--lat", "9", "--lon", "0", "--at", "1800-01-01"], "1900 to 2100"),
        (["import-land", "{place}", "--out", "x"], "not an elevation file"),
        (["frobnicate"], "No such command"),
        (["render"], "Missing"),
    ],
)
def test_bad_input_is_one_line_and_exit_code_2(
    args: list[str], says: str, place_file: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr("sys.argv", ["lumwick", *(a.format(place=place_file) for a in args)])
    with pytest.raises(SystemExit) as left:
        cli.main()
    told = capsys.readouterr().err.strip()
    assert left.value.code == 2 and says in told and len(told.splitlines()) == 1
    assert issubclass(cli.BadInput, LumwickError) and isinstance(small_place(), Place)
