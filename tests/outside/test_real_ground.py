"""Real ground: the elevation model of the Jacksboro fault, Tennessee, that matplotlib ships (USGS data)."""

from pathlib import Path

import av
import numpy as np
import pvlib
import pytest
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.land.elevation import read_elevation
from lumwick.picture import load_setting
from lumwick.place.files import load
from lumwick.snapshot.sun_moon import sun_at
from tests.conftest import write_geotiff


@pytest.fixture
def ridge(tmp_path: Path, sample_elevation: dict) -> Path:
    d = sample_elevation
    z = d["elevation"].astype(np.float32)
    return write_geotiff(
        tmp_path / "ridge.tif", z, float(d["xmin"]), float(d["ymax"]), float(d["dx"]), float(d["dy"]), "EPSG:4326"
    )


def test_highest_point_is_where_it_is_on_the_earth(ridge: Path, sample_elevation: dict) -> None:
    from pyproj import Geod

    d = sample_elevation
    survey = read_elevation(ridge)
    row, col = np.unravel_index(int(d["elevation"].argmax()), d["elevation"].shape)
    lon, lat = float(d["xmin"]) + (col + 0.5) * float(d["dx"]), float(d["ymax"]) - (row + 0.5) * float(d["dy"])
    g = survey.ground
    j, i = np.unravel_index(int(g.heights.argmax()), g.heights.shape)
    assert survey.latitude is not None and survey.longitude is not None
    azimuth, _, distance = Geod(ellps="WGS84").inv(survey.longitude, survey.latitude, lon, lat)
    x, y = g.west + i * g.spacing, g.south + j * g.spacing
    assert abs(x - distance * np.sin(np.radians(azimuth))) < 1.5 * g.spacing
    assert abs(y - distance * np.cos(np.radians(azimuth))) < 1.5 * g.spacing
    assert g.heights.max() == pytest.approx(d["elevation"].max(), abs=8)


def test_flown_over_and_decoded_again(ridge: Path, tmp_path: Path) -> None:
    place_file, film = tmp_path / "ridge.place.zip", tmp_path / "ridge.mp4"
    run = CliRunner().invoke(app, ["import-land", str(ridge), "--out", str(place_file)])
    assert run.exit_code == 0, run.output
    setting = load_setting(load(place_file))
    shot = setting.place.shots[0]
    ours = sun_at(setting.place, shot.clock.start)
    import datetime as dt

    import pandas as pd

    utc = shot.clock.start - dt.timedelta(hours=setting.place.site.utc_offset)
    ref = pvlib.solarposition.spa_python(
        pd.DatetimeIndex([utc], tz="UTC"),
        setting.place.site.latitude,
        setting.place.site.longitude,
        altitude=setting.place.site.altitude,
        pressure=98000,
        temperature=10,
    ).iloc[0]
    assert ours.elevation == pytest.approx(ref.apparent_elevation, abs=0.02)
    run = CliRunner().invoke(
        app,
        [
            "render",
            str(place_file),
            "--shot",
            "first",
            "--frames",
            "1-6",
            "--size",
            "160x90",
            "--quality",
            "sketch",
            "--film",
            str(film),
        ],
    )
    assert run.exit_code == 0, run.output
    with av.open(str(film)) as box:
        stream = box.streams.video[0]
        assert (stream.width, stream.height, stream.average_rate, stream.pix_fmt, stream.codec_context.name) == (
            160,
            90,
            24,
            "yuv420p",
            "h264",
        )
        frames = [f.to_ndarray(format="rgb24").astype(int) for f in box.decode(stream)]
    assert len(frames) == 6
    assert all(f.mean() > 25 and f.std() > 8 for f in frames)  # neither black nor flat
    assert all(np.abs(a - b).mean() > 0.15 for a, b in zip(frames, frames[1:], strict=False))  # no two alike
