"""Elevation files, good and bad."""

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from lumwick.errors import LandError
from lumwick.land import elevation
from lumwick.land.covers import albedo
from lumwick.land.elevation import read_elevation, read_ground, write_elevation
from lumwick.land.ground import Ground, far_ring
from lumwick.newplace import place_from_survey
from tests.conftest import write_geotiff


def hill(n: int = 40) -> np.ndarray:
    y, x = np.mgrid[0:n, 0:n]
    return (50 * np.exp(-((x - 10) ** 2 + (y - 8) ** 2) / 60)).astype(np.float32)


def png16(path: Path, z: np.ndarray, channels: int = 1, kind: str = "uint16") -> Path:
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(z.shape[1], z.shape[0], channels, kind))
    out.write_image(np.repeat(z[..., None], channels, 2))
    out.close()
    return path


def test_projected_geotiff(tmp_path: Path) -> None:
    survey = read_elevation(write_geotiff(tmp_path / "a.tif", hill(), 400000, 6000000, 10, 10, "EPSG:32631"))
    g = survey.ground
    j, i = np.unravel_index(int(g.heights.argmax()), g.heights.shape)
    # ten columns from the west of forty and eight rows from the north: north-west of the middle
    assert (g.west + i * g.spacing) == pytest.approx(-95, abs=15) and (g.south + j * g.spacing) == pytest.approx(
        115, abs=15
    )
    assert g.spacing == pytest.approx(10, rel=0.01)
    assert survey.latitude == pytest.approx(54.14, abs=0.05) and survey.longitude == pytest.approx(1.47, abs=0.05)


def test_ascii_grid(tmp_path: Path) -> None:
    z = hill(12)
    z[0, 0] = -9999
    path = tmp_path / "a.asc"
    path.write_text(
        "ncols 12\nnrows 12\nxllcorner 0\nyllcorner 0\ncellsize 5\nNODATA_value -9999\n"
        + "\n".join(" ".join(f"{v:.2f}" for v in row) for row in z)
    )
    survey = read_elevation(path)
    assert survey.latitude is None and "latitude" in survey.note
    assert survey.ground.spacing == pytest.approx(5) and survey.ground.heights.min() > -1  # the hole is filled


def test_png_needs_its_size_and_heights(tmp_path: Path) -> None:
    path = png16(tmp_path / "a.png", (hill() / 50 * 65535).astype(np.uint16))
    with pytest.raises(LandError, match="give its size"):
        read_elevation(path)
    survey = read_elevation(path, size_m=390, lowest=10, highest=60, latitude=40.0, longitude=9.0)
    assert (
        survey.ground.heights.max() == pytest.approx(60, abs=0.1)
        and survey.ground.spacing == pytest.approx(10)
        and survey.latitude == 40.0
    )


def test_files_that_cannot_be_used(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(path: Path, says: str, **more: object) -> None:
        with pytest.raises(LandError, match=says):
            read_elevation(path, **more)

    (tmp_path / "empty.tif").write_bytes(b"")
    refused(tmp_path / "empty.tif", "is empty")
    whole = write_geotiff(tmp_path / "whole.tif", hill(200), 400000, 6000000, 10, 10, "EPSG:32631")
    (tmp_path / "cut.tif").write_bytes(whole.read_bytes()[:9000])
    refused(tmp_path / "cut.tif", "cut short or damaged")
    refused(
        write_geotiff(tmp_path / "none.tif", np.full((20, 20), -9999, np.float32), 0, 0, 1, 1, "EPSG:32631", -9999),
        "no heights at all",
    )
    refused(write_geotiff(tmp_path / "bare.tif", hill(), 0, 40, 1, 1, None), "does not say where on the earth")
    (tmp_path / "lie.tif").write_bytes(b"this is no picture at all" * 10)
    refused(tmp_path / "lie.tif", "not an elevation file")
    refused(
        png16(tmp_path / "rgb.png", (hill() * 5).astype(np.uint16), 3),
        "colour picture",
        size_m=100,
        lowest=0,
        highest=9,
    )
    refused(
        png16(tmp_path / "8.png", (hill() * 5).astype(np.uint8), 1, "uint8"), "16 bits", size_m=100, lowest=0, highest=9
    )
    refused(tmp_path / "gone.tif", "no file")
    monkeypatch.setattr(elevation, "SIDE_AT_MOST", 100)
    refused(whole, "Tick 'reduce'")
    assert read_elevation(whole, reduce=True).ground.heights.max() > 30
    monkeypatch.setattr(elevation, "BYTES_AT_MOST", 1000)
    refused(whole, "are read whole. Tick 'reduce'")
    assert read_elevation(whole, reduce=True).ground.heights.max() > 30


def test_ground_keeps_its_place_through_its_file(marsh: Ground) -> None:
    again = read_ground(write_elevation(marsh))
    assert np.array_equal(again.heights, marsh.heights) and (again.west, again.south, again.spacing) == (
        marsh.west,
        marsh.south,
        marsh.spacing,
    )
    with pytest.raises(LandError):
        read_ground(b"nonsense")
    assert marsh.height(marsh.west, marsh.south) == pytest.approx(float(marsh.heights[0, 0]))


def test_contours_lie_at_their_height(marsh: Ground) -> None:
    lines = marsh.contours(1.0, 0)
    assert lines and all(np.abs(marsh.height(line[:, 0], line[:, 1]) - z).max() < 0.02 for z, line in lines)


def test_covers_and_the_ring_beyond(marsh: Ground) -> None:
    c = albedo(marsh, "saltmarsh", 0.0, 2.2, 1)
    assert (
        c.shape == (97, 97, 6)
        and c[..., 3:].min() >= 0
        and c[..., 3:].max() <= 1
        and c[..., :3].min() > 0
        and c[..., :3].max() <= 0.9
    )
    v, q = far_ring(marsh, 0.0)
    assert q.max() < len(v) and np.abs(v[:, :2]).max() > 10000


def test_new_place_in_high_country_gets_its_own_datum(tmp_path: Path) -> None:
    survey = read_elevation(write_geotiff(tmp_path / "a.tif", hill() + 1830, 400000, 6000000, 10, 10, "EPSG:32631"))
    place, _ = place_from_survey(survey, "High")
    assert (
        place.site.altitude == 1830
        and place.site.latitude == pytest.approx(54.1, abs=0.1)
        and len(place.shots[0].route.stations) == 2
    )


def test_contours_go_round_a_level_sea_and_not_through_it() -> None:
    y, x = np.mgrid[0:120, 0:120].astype(float)
    away = np.hypot(x - 60, y - 60)
    # a sounded hole, a level sea about it, and land about that
    heights = 7 + np.maximum(0, away - 40) * 0.5 - np.maximum(0, 12 - away)
    # as it comes from a survey that was projected anew: level but for its last digits
    heights = (heights + 2e-6 * np.random.default_rng(1).standard_normal(heights.shape)).astype(np.float32)
    lines = [line for level, line in Ground(heights, 1.0, 0.0, 0.0).contours(1.0, 1.6) if level == 7.0]
    length = sum(float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) for line in lines)
    assert length < 1.1 * 2 * np.pi * (40 + 12)
