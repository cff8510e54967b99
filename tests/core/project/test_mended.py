"""Small things that were wrong, each with what showed it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from typer.testing import CliRunner

from lumwick.cli import app
from lumwick.errors import LumwickError
from lumwick.land.elevation import read_elevation, write_elevation
from lumwick.land.ground import Ground
from lumwick.place.describe import fields, whole_at
from lumwick.place.document import Place
from lumwick.place.edits import apply, command
from lumwick.place.files import asset_of, needed, pack, parse, unpack
from lumwick.place.growing import Stand
from lumwick.place.nature import Land
from lumwick.place.objects import Lamp
from lumwick.trace.amount import _judged, middle_and_most, verdict
from lumwick.water.stream import hydraulic_radius, manning_speed, normal_depth
from scripts.guide_tables import GUIDE, written
from tests.conftest import small_place, write_geotiff


def test_a_leafs_outline_of_the_first_days_of_version_3_opens() -> None:
    """`leaf_half` was a list of points before an outline was typed: such files were refused."""
    data = small_place().model_dump(mode="json")
    wood = Stand(id="o", name="O", kind="oak", area=[(0, 0), (9, 0), (9, 9)], wood={}).model_dump(mode="json")  # type: ignore[arg-type]
    wood["wood"].pop("own_outline")
    wood["wood"]["leaf_half"] = [[0, 0], [0.4, 0.5], [1, 0]]
    data["growth"].append(wood)
    assert parse(data).growth[-1].wood.own_outline == "0 0, 0.4 0.5, 1 0"
    wood["wood"]["leaf_half"] = []
    assert parse(data).growth[-1].wood is not None


@pytest.mark.parametrize("version", [1, 2, 3, 4])
def test_places_of_every_version_open(version: int) -> None:
    """Built by hand as each version wrote them: easings without a family, one easing for both ends, stands that are
    "limp", today's."""
    data = small_place().model_dump(mode="json")
    data["version"] = version
    if version < 4:
        data["growth"][0]["limp"] = 3.0
        del data["growth"][0]["stiffness"]
        follows = [{"kind": "follow", "path": "/growth/pines/limp"}]
        data["growth"][1]["lean"] = {"keys": [{"t": 0, "v": 2}], "terms": follows}
    route = data["shots"][0]["route"]
    if version < 3:
        route["ease"] = route.pop("eased_start")
        route.pop("eased_end")
    if version == 1:
        keys = [{"t": 0, "v": 40, "join": "ease_both"}, {"t": 1, "v": 30, "join": "straight"}]
        data["shots"][0]["exposure"]["shutter"] = {"keys": keys}
    place = parse(data)
    assert isinstance(place, Place) and place.version == 4
    if version < 4:
        assert place.growth[0].stiffness == 3.0 and place.growth[1].lean.terms[0].path == "/growth/pines/stiffness"
    if version == 1:
        assert place.shots[0].exposure.shutter.keys[0].join == "cubic_both"  # type: ignore[union-attr]


def test_a_shot_may_have_a_wind_of_its_own() -> None:
    place = small_place()
    place.wind.speed = 7.0
    own, said = apply(place, command({"op": "own_wind", "shot": "a", "own": True}))
    assert own.shots[0].wind is not None and own.shots[0].wind.speed == 7.0 and "wind of its own" in said
    back, _ = apply(own, command({"op": "own_wind", "shot": "a", "own": False}))
    assert back.shots[0].wind is None


def test_lamps_are_called_what_they_are() -> None:
    place = small_place(lamps=[Lamp(id="l", name="L", kind="window")])
    (kind,) = fields(place.lamps[0], "/lamps/l", whole_at(place, place.shots[0], 0.0), ("kind",))
    assert dict(kind.choices)["window"] == "opening" and dict(kind.choices)["parallel"] == "from afar"


def test_the_guides_table_of_qualities_is_the_codes() -> None:
    text = GUIDE.read_text()
    assert text == written(text), "run python -m scripts.guide_tables"


def test_a_narrow_beds_hydraulic_radius_is_less_than_its_depth() -> None:
    """Chow, Open-Channel Hydraulics (1959), table 2-1: a parabola of width 2 m and depth 0.5 m has a wetted perimeter
    of T + 8 y^2 / (3 T) = 2.333 m within 1 %, an area of 2 T y / 3, so R = 0.286 m; a wide one's is its mean depth."""
    mean = 2 / 3 * 0.5
    assert hydraulic_radius(mean, 2.0) == pytest.approx(2 / 3 * 2.0 * 0.5 / (2.0 + 8 * 0.25 / 6), rel=0.02)
    assert hydraulic_radius(0.5, 500.0) == pytest.approx(0.5, rel=1e-3)
    slopes = np.array([0.001, 0.02, 0.2])
    for width in (1.0, 4.0):
        depth = normal_depth(0.3, slopes, 0.04, width)
        speed = manning_speed(hydraulic_radius(depth, width), slopes, 0.04)
        assert depth * speed == pytest.approx(0.3, rel=1e-6)
        assert (depth > normal_depth(0.3, slopes, 0.04)).all()  # its banks hold it back: deeper, and slower


def test_holes_and_peaks_of_a_survey_are_said(tmp_path: Path) -> None:
    """46 % of one was nodata, and nobody was told; a turned byte made peaks of 3 937 m beside 88."""
    x, y = np.meshgrid(np.arange(80), np.arange(80))
    z = (60 + 5 * np.sin(x / 9) * np.cos(y / 7)).astype(np.float32)
    z[:36] = -9999.0
    z[60, 20], z[70, 55] = 3937.0, -2500.0
    path = write_geotiff(tmp_path / "s.tif", z, 500000, 5800000, 5.0, 5.0, "EPSG:32631", nodata=-9999.0)
    survey = read_elevation(path)
    assert "45.00% of it held no heights" in survey.note and "2 points stood far out alone" in survey.note
    assert survey.ground.heights.min() > 40 and survey.ground.heights.max() < 80
    plain = read_elevation(write_geotiff(tmp_path / "p.tif", z[40:58], 500000, 5800000, 5.0, 5.0, "EPSG:32631"))
    assert plain.note == ""


def test_sizes_and_months_that_are_none(tmp_path: Path, marsh: Ground) -> None:
    elevation = write_elevation(marsh)
    asset = asset_of("g.tif", elevation)
    file = tmp_path / "p.place.zip"
    file.write_bytes(pack(small_place(land=Land(elevation=asset)), {asset.sha256: elevation}))
    run = CliRunner().invoke
    said = run(app, ["render", str(file), "--shot", "a", "--size", "0x0", "--out", str(tmp_path / "o")])
    assert said.exit_code != 0 and isinstance(said.exception, LumwickError | SystemExit)
    said = run(app, ["plant", str(file), "pines", "--out", str(tmp_path / "o.png"), "--month", "13"])
    assert said.exit_code != 0


def test_what_the_page_can_the_command_can(tmp_path: Path, marsh: Ground) -> None:
    """Tables, skies, lamps' light and gobos had no command, nor had a shot from nothing."""
    elevation = write_elevation(marsh)
    asset = asset_of("g.tif", elevation)
    file, out = tmp_path / "p.place.zip", tmp_path / "q.place.zip"
    lamp = Lamp(id="l", name="L", kind="spot", gobo={"kind": "picture"})  # type: ignore[arg-type]
    place = small_place(land=Land(elevation=asset), lamps=[lamp])
    file.write_bytes(pack(place, {asset.sha256: elevation}))
    (tmp_path / "t.cube").write_text("LUT_3D_SIZE 2\n" + "0.5 0.5 0.5\n" * 8)
    Image.new("L", (8, 8), 200).save(tmp_path / "leaf.png")
    run = CliRunner().invoke
    for path, name in (("/cut/develop/lut", "t.cube"), ("/lamps/l/gobo/picture", "leaf.png")):
        said = run(app, ["attach", str(file), path, str(tmp_path / name), "--out", str(out)], catch_exceptions=False)
        assert said.exit_code == 0, said.output
        made, files = unpack(out.read_bytes())
        assert name in [one.name for one in needed(made)] and len(files) == 2
    said = run(
        app, ["add-shot", str(file), "From nothing", "--out", str(out), "--seconds", "5"], catch_exceptions=False
    )
    assert said.exit_code == 0 and unpack(out.read_bytes())[0].shots[-1].frames == 120
    assert run(app, ["attach", str(file), "/cut/develop/lut", str(tmp_path / "leaf.png"), "--out", str(out)]).exit_code


def test_a_survey_with_a_flat_sea_offers_its_level(tmp_path: Path) -> None:
    z = np.maximum(np.linspace(-40, 60, 60)[None, :] + np.zeros((60, 1)), 1.5).astype(np.float32)
    note = read_elevation(write_geotiff(tmp_path / "s.tif", z, 500000, 5800000, 5.0, 5.0, "EPSG:32631")).note
    assert "of it lies at 1.5 m" in note and "level of the sea" in note


def test_a_motion_is_judged_by_what_can_be_followed() -> None:
    """The sunset's sea was said to strobe by one spot in a hundred, at 2 783 pixels a frame; its middle is 0.06."""
    sea = np.concatenate([np.full(880, 0.06), np.full(120, 2783.0)])
    middle, most = middle_and_most(sea)
    assert (
        middle == pytest.approx(0.06) and most < 1.0 and verdict(_judged(middle, most), 24.0) != verdict(2783.0, 24.0)
    )
    few_quick = np.concatenate([np.full(880, 0.06), np.full(120, 200.0)])
    assert _judged(*middle_and_most(few_quick)) == pytest.approx(0.06)
    assert middle_and_most(np.array([9e9])) == (0.0, 0.0)
    assert _judged(1.0, 4.0) == 4.0
