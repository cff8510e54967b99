"""What leaves for other programs, read by other readers than ours: a small sensor, north turned, a clock off UTC.

glTF is read from its JSON by the standard library, and its camera by trimesh; USD by Pixar's own classes; GPX as XML.
"""

import datetime as dt
import io
import json
import struct
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from pxr import Gf, Usd, UsdGeom
from pyproj import Geod

from lumwick.deliver.paths_in import read_path
from lumwick.deliver.paths_out import export
from lumwick.land.ground import Ground
from lumwick.place.document import Shot
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.nature import Site
from lumwick.snapshot.evaluate import Setting, camera_at
from lumwick.snapshot.lay import as_stations, as_track
from tests.conftest import small_place

SENSOR, FOCAL = 24.0, 28.0
ACROSS = 2 * np.degrees(np.arctan(SENSOR / 2 / FOCAL))
"""46.4 degrees: what 28 mm sees on a sensor 24 mm wide."""
TURN, OFFSET = 30.0, 5.5


@pytest.fixture(scope="module")
def setting() -> Setting:
    stations = [
        Station(id="s1", east=0, north=0, up=6, aim=(0, 60, 6), focal=FOCAL),
        Station(id="s2", east=0, north=100, up=6, aim=(0, 160, 6), focal=FOCAL),
    ]
    shot = Shot(
        id="a",
        name="A",
        frames=24,
        clock=Clock(start="2026-06-05T10:00"),
        exposure=Exposure(sensor=SENSOR, f_number=4.0, focus=12.5),
        route=Route(stations=stations),
    )
    site = Site(latitude=54.6, longitude=-3.5, utc_offset=OFFSET, north_turn=TURN)
    return Setting(
        small_place(growth=[], shots=[shot], site=site), Ground(np.zeros((65, 65), np.float32), 8.0, -256, -256)
    )


def made(setting: Setting, name: str) -> bytes:
    return export(setting, setting.place.shots, name)[name]


def gltf_json(data: bytes) -> dict[str, Any]:
    length, kind = struct.unpack("<I4s", data[12:20])
    assert data[:4] == b"glTF" and kind == b"JSON"
    return dict(json.loads(data[20 : 20 + length]))


def test_gltf_has_the_vertical_angle_of_view(setting: Setting, tmp_path: Path) -> None:
    data = made(setting, "c.glb")
    lens = gltf_json(data)["cameras"][0]["perspective"]
    assert lens["aspectRatio"] == pytest.approx(16 / 9)
    vertical = 2 * np.degrees(np.arctan(np.tan(np.radians(ACROSS / 2)) * 9 / 16))
    assert np.degrees(lens["yfov"]) == pytest.approx(vertical, abs=1e-4)
    # and to trimesh's reader of cameras, which needs something to see beside it
    scene = trimesh.load(io.BytesIO(data), file_type="glb", force="scene")
    assert scene.camera.fov[1] == pytest.approx(vertical, abs=1e-3)


def test_usd_has_lens_focus_and_stop(setting: Setting, tmp_path: Path) -> None:
    (tmp_path / "c.usda").write_bytes(made(setting, "c.usda"))
    stage = Usd.Stage.Open(str(tmp_path / "c.usda"))
    camera = UsdGeom.Camera(stage.GetPrimAtPath("/cameras/a")).GetCamera(Usd.TimeCode(1))
    assert isinstance(camera, Gf.Camera)
    assert camera.GetFieldOfView(Gf.Camera.FOVHorizontal) == pytest.approx(ACROSS, abs=1e-3)
    assert camera.focusDistance == pytest.approx(12.5)
    # the opening is f / N on the shot's own sensor, and as wide on the one that was written
    assert camera.focalLength / camera.fStop == pytest.approx(FOCAL / 4.0)
    seen = camera.frustum.ComputeViewDirection()
    assert tuple(seen) == pytest.approx((0.0, 1.0, 0.0), abs=1e-6)


def test_gpx_says_where_on_earth_and_at_what_hour_of_the_world(setting: Setting) -> None:
    root = ET.fromstring(made(setting, "c.gpx"))
    points = list(root.iter("{http://www.topografix.com/GPX/1/1}trkpt"))
    times = [dt.datetime.fromisoformat(p.findtext("{*}time").replace("Z", "+00:00")) for p in points]
    # ten in the morning of a clock 5.5 h ahead of UTC
    assert times[0] == dt.datetime(2026, 6, 5, 4, 30, tzinfo=dt.UTC)
    assert (times[-1] - times[0]).total_seconds() == pytest.approx(23 / 24, abs=1e-3)
    # along the model's north, which lies 30 degrees west of true north where true north is 30 degrees east of it:
    # bearings of the model are true ones and the turn
    at = [(float(p.get("lon", "")), float(p.get("lat", ""))) for p in points]
    bearing, _, length = Geod(ellps="WGS84").inv(*at[0], *at[-1])
    assert bearing == pytest.approx(-TURN, abs=0.05)
    assert length == pytest.approx(100 * 23 / 24, abs=0.05)
    assert at[0] == pytest.approx((-3.5, 54.6), abs=1e-6)


@pytest.mark.parametrize("name", ["c.glb", "c.usda", "c.csv"])
def test_a_lens_comes_back_as_it_went_as_a_track_and_as_stations(setting: Setting, name: str) -> None:
    shot = setting.place.shots[0]
    path = read_path(made(setting, name), name, setting.place.site, rate=24.0)
    assert path.track is not None
    laid = as_stations(shot, path.track)
    assert [s.focal for s in laid.route.stations] == pytest.approx([FOCAL] * len(laid.route.stations), abs=0.01)
    assert camera_at(setting, laid, 0.5).lens.angle == pytest.approx(ACROSS, abs=0.02)
    csv = path.track.csv()
    exact = as_track(shot, small_place().land.elevation, path.track)
    run = Setting(setting.place.model_copy(update={"shots": [exact]}), setting.ground, lambda _: csv)
    assert camera_at(run, exact, 0.5).lens.angle == pytest.approx(ACROSS, abs=1e-3)
