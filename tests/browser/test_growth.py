"""Growth in the browser: a coarse survey begins with woods in groves, which are then directed."""

import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from scipy import ndimage

from lumwick.land.elevation import read_ground
from studio.places.models import AssetFile, Place
from tests.browser.conftest import box_of, looked, new_look, picture, sign_in, ws
from tests.browser.test_journeys import revision, set_field
from tests.browser.test_things import opened
from tests.browser.test_water import clicked_at
from tests.plants import leaf_picture, sapling_file

pytestmark = pytest.mark.django_db(transaction=True)


def survey(path: Path) -> Path:
    """Hills of 40 by 40 points at 30 m, as an ESRI ASCII grid."""
    heights = ndimage.gaussian_filter(np.random.default_rng(2).standard_normal((40, 40)), 5)
    rows = "\n".join(" ".join(f"{v:.2f}" for v in row) for row in 60 + 25 * heights / heights.std())
    path.write_text(f"ncols 40\nnrows 40\nxllcorner 0\nyllcorner 0\ncellsize 30\n{rows}\n")
    return path


def spacing_of(place: Place) -> float:
    document = place.head.parsed()
    return read_ground(AssetFile.read(document.land.elevation)).spacing


def bring(page: Page, url: str, path: Path, name: str, as_surveyed: bool = False) -> Place:
    page.goto(url + "/")
    page.locator("input[type=file]").set_input_files(str(path))
    page.get_by_label("Name").fill(name)
    page.get_by_label("Latitude").fill("52")
    if as_surveyed:
        page.get_by_label("Only what was surveyed").check()
    page.get_by_role("button", name="Bring it in").click()
    page.wait_for_url("**/places/*/")
    looked(page, 1)
    return Place.objects.get(name=name)


def test_a_survey_begins_with_woods_which_are_directed(
    page: Page, live_server: Any, place: Any, tmp_path: Path
) -> None:
    path = survey(tmp_path / "hills.asc")
    sign_in(page, live_server.url)
    hills = bring(page, live_server.url, path, "Hills")
    assert spacing_of(hills) == pytest.approx(30 / 8)
    assert "below 30 m made up" in hills.head.label
    mean, spread = picture(page)
    assert 20 < mean < 235 and spread > 12  # neither black nor burnt out nor flat
    first = hills.head.parsed().shots[0]
    assert first.seconds == 12.0
    page.keyboard.press("3")
    ws(page, "w.select('wood')")
    slip = page.locator("#slip")
    seen = looked(page, 0)
    slip.get_by_label("Kind").select_option("willow")
    revision(page, 2)
    new_look(page, seen)
    page.get_by_role("tab", name="Where").click()
    expect(slip.get_by_label("Groves cover")).to_be_visible()
    set_field(page, "Groves", "0 m")
    revision(page, 3)
    expect(slip.get_by_label("Groves cover")).to_have_count(0)
    wood = next(one for one in Place.objects.get(pk=hills.pk).head.parsed().growth if one.id == "wood")
    assert wood.kind == "willow" and wood.groves == 0
    plain = bring(page, live_server.url, path, "As it is", as_surveyed=True)
    assert spacing_of(plain) == 30.0


def sheet_of(page: Page) -> tuple[float, float, float]:
    """Mean, spread and greenness of the plant sheet's finished picture."""
    page.wait_for_selector('[data-sheet="picture"][data-step="1"]', timeout=120_000)
    mean, spread, green = page.evaluate("""async () => {
        const image = new Image();
        image.src = document.querySelector('[data-sheet="picture"]').getAttribute('href');
        await image.decode();
        const c = document.createElement('canvas'), x = c.getContext('2d');
        [c.width, c.height] = [image.width, image.height];
        x.drawImage(image, 0, 0);
        const d = x.getImageData(0, 0, c.width, c.height).data;
        let s = 0, q = 0, g = 0;
        for (let i = 0; i < d.length; i += 4) {
            const v = (d[i] + d[i + 1] + d[i + 2]) / 3;
            s += v; q += v * v; g += d[i + 1] - (d[i] + d[i + 2]) / 2;
        }
        const n = d.length / 4;
        return [s / n, Math.sqrt(q / n - (s / n) ** 2), g / n];
    }""")
    return mean, spread, green


def growing(place: Any) -> Any:
    return Place.objects.get(pk=place.pk).head.parsed()


def test_a_stand_is_formed_turned_through_the_year_and_kept(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("3")
    page.locator('[aria-label="Stand Pines"], [data-stand="pines"]').first.focus()
    page.keyboard.press("Enter")
    slip = page.locator("#slip")
    slip.get_by_role("button", name="oak", exact=True).click()
    revision(page, 2)
    assert growing(place).growth[0].kind == "oak"
    expect(page.get_by_text("oak, 13.0 m")).to_be_visible()
    summer = sheet_of(page)
    assert 60 < summer[0] < 220 and summer[1] > 8 and summer[2] > 0.4
    # a form of its own
    page.get_by_role("tab", name="Form").click()
    slip.get_by_role("button", name="Give it a form of its own").click()
    revision(page, 3)
    slip.get_by_label("Crown", exact=True).select_option("column")
    revision(page, 4)
    set_field(page, "Crown width", "0.3")
    revision(page, 5)
    wood = growing(place).growth[0].wood
    assert wood.crown == "column" and wood.spread == 0.3 and wood.outline == "lobed"
    # the season's dial, dragged back to the first of January
    dial = box_of(page, '[data-handle="month"]')
    page.mouse.move(dial["x"] + dial["width"] / 2, dial["y"] + dial["height"] / 2)
    page.mouse.down()
    page.mouse.move(dial["x"] - 400, dial["y"] + 4, steps=4)
    page.mouse.up()
    revision(page, 6)
    stand = growing(place).growth[0]
    assert stand.leaves == "by the dial" and stand.month == 1.0
    assert sheet_of(page)[2] < 0.5 * summer[2]  # bare
    # its wind, and where it may stand
    page.get_by_role("tab", name="Wind and touch").click()
    expect(slip.get_by_text("branches 1.4 Hz")).to_be_visible()
    set_field(page, "Stiffness", "4")
    revision(page, 7)
    expect(slip.get_by_text("branches 2.8 Hz")).to_be_visible()
    # a plant set by hand, and a mown way
    page.get_by_role("button", name="Set a plant").click()
    clicked_at(page, 60.0, 90.0)
    revision(page, 8)
    spot = growing(place).growth[0].singles[0]
    assert spot.east == pytest.approx(60, abs=3) and spot.north == pytest.approx(90, abs=3)
    page.get_by_role("button", name="Brush", exact=True).click()
    was = growing(place).growth[0].area
    box = page.get_by_role("application", name="Chart of the place").bounding_box()
    x, y, wide, high = ws(page, "w.viewBox()")
    assert box

    def at(east: float, north: float) -> tuple[float, float]:
        return box["x"] + (east - x) / wide * box["width"], box["y"] + (-north - y) / high * box["height"]

    page.mouse.move(*at(75, 103))
    page.mouse.down()
    page.mouse.move(*at(75, 80), steps=5)
    page.mouse.up()
    revision(page, 9)
    grown = growing(place).growth[0].area
    assert min(north for _, north in grown) < min(north for _, north in was) - 10
    ws(page, "w.setChartMode('')")
    page.get_by_role("button", name="A mown way").click()
    for east, north in ((0.0, 10.0), (20.0, 40.0)):
        clicked_at(page, east, north)
        page.wait_for_timeout(600)
    ws(page, "w.endDraft()")
    revision(page, 10)
    expect(slip.get_by_label("Growth left")).to_be_visible()
    assert len(growing(place).ways[0].line) == 2
    page.get_by_label("Way Way 1").focus()
    slip.get_by_role("button", name="remove").click()
    revision(page, 11)
    assert not growing(place).ways
    # growing behind a front, keyed by its pin
    ws(page, "w.select('pines')")
    page.get_by_role("tab", name="Season and colour").click()
    slip.get_by_role("button", name="From its middle").click()
    revision(page, 12)
    set_field(page, "Has come", "30 m")
    revision(page, 13)
    assert growing(place).growth[0].front.reach == 30.0
    was = growing(place).growth[0].front.points[0]
    ws(page, "(w.view.x = 75, w.view.y = 140, w.drawChart())")
    spot = box_of(page, "[data-front-spot='0']")
    page.mouse.move(spot["x"] + spot["width"] / 2, spot["y"] + spot["height"] / 2)
    page.mouse.down()
    page.mouse.move(spot["x"] + 40, spot["y"] + spot["height"] / 2, steps=4)
    page.mouse.up()
    revision(page, 14)
    assert growing(place).growth[0].front.points[0][0] > was[0] + 3
    # it moves, and its silhouette is taken away as frames
    page.get_by_role("button", name="let it move").click()
    expect(page.get_by_role("button", name="hold it still")).to_be_visible()
    first = page.locator('[data-sheet="picture"]').get_attribute("href")
    page.wait_for_function(f"document.querySelector('[data-sheet=\"picture\"]').getAttribute('href') !== {first!r}")
    page.get_by_role("button", name="hold it still").click()
    with page.expect_download(timeout=180_000) as kept:
        page.get_by_role("button", name="silhouette").click()
    with zipfile.ZipFile(io.BytesIO(Path(kept.value.path()).read_bytes())) as frames:
        names = frames.namelist()
        black = np.asarray(Image.open(io.BytesIO(frames.read(names[0]))))
    assert len(names) == 96 and black.ndim == 2
    assert (black == 255).mean() > 0.5 and (black < 128).mean() > 0.002  # bare twigs, black on white


def test_a_plant_of_ones_own_is_sown_told_apart_mixed_and_swayed(
    page: Page, live_server: Any, place: Any, tmp_path: Path
) -> None:
    model, leaf = tmp_path / "sapling.glb", tmp_path / "leaf.png"
    model.write_bytes(sapling_file())
    leaf_picture().save(leaf)
    opened(page, live_server.url)
    page.keyboard.press("3")
    slip = page.locator("#slip")
    slip.get_by_label("Bring a plant …").set_input_files(str(model))
    revision(page, 2)
    expect(page.get_by_text("Sown 3 m high; green taken for leaves.")).to_be_visible()
    sown = growing(place).growth[-1]
    assert sown.own.leaves == ["green"] and sown.name == "sapling"
    ws(page, f"w.select('{sown.id}')")
    mean, spread, _ = sheet_of(page)
    assert 60 < mean < 220 and spread > 8
    # leaves and wood are told apart by hand, and another kind is mixed in
    page.get_by_role("tab", name="Form").click()
    slip.get_by_label("green", exact=True).select_option("wood")
    revision(page, 3)
    assert growing(place).growth[-1].own.leaves == []
    page.get_by_role("tab", name="Stand", exact=True).click()
    slip.get_by_role("button", name="Mix in hawthorn").click()
    revision(page, 4)
    set_field(page, "Share", "0.4")
    revision(page, 5)
    assert [(one.kind, one.share) for one in growing(place).growth[-1].among] == [("hawthorn", 0.4)]
    # leaves of another stand as in a picture
    ws(page, "w.select('pines')")
    slip.get_by_role("button", name="birch", exact=True).click()
    revision(page, 6)
    page.get_by_role("tab", name="Form").click()
    slip.get_by_role("button", name="Give it a form of its own").click()
    revision(page, 7)
    slip.get_by_label("Leaf by a picture …").set_input_files(str(leaf))
    revision(page, 8)
    pines = next(one for one in growing(place).growth if one.id == "pines")
    assert pines.wood.outline == "own" and pines.wood.broad == pytest.approx(0.48, abs=0.02)
    # as wild as it must be to be seen moving by so much
    page.get_by_role("tab", name="Wind and touch").click()
    slip.get_by_label("Moves by").fill("0.3")
    slip.get_by_role("button", name="Let it move so").click()
    revision(page, 9)
    assert "seen moving" in Place.objects.get(pk=place.pk).head.label
    # a model that stands in the place already is sown where it stands
    page.keyboard.press("1")
    slip.get_by_label("Bring in models …").set_input_files(str(model))
    revision(page, 10)
    thing = growing(place).things[-1]
    ws(page, f"w.select('{thing.id}')")
    slip.get_by_role("button", name="Sow it as a plant").click()
    revision(page, 11)
    assert not growing(place).things and growing(place).growth[-1].own is not None
