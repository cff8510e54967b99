"""Growth in the browser: a coarse survey begins with woods in groves, which are then directed."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from scipy import ndimage

from lumwick.land.elevation import read_ground
from studio.places.models import AssetFile, Place
from tests.browser.conftest import looked, new_look, picture, sign_in, ws
from tests.browser.test_journeys import revision, set_field

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
    expect(slip.get_by_label("Groves cover")).to_be_visible()
    seen = looked(page, 0)
    slip.get_by_label("Kind").select_option("willow")
    revision(page, 2)
    new_look(page, seen)
    set_field(page, "Groves", "0 m")
    revision(page, 3)
    expect(slip.get_by_label("Groves cover")).to_have_count(0)
    wood = next(one for one in Place.objects.get(pk=hills.pk).head.parsed().growth if one.id == "wood")
    assert wood.kind == "willow" and wood.groves == 0
    plain = bring(page, live_server.url, path, "As it is", as_surveyed=True)
    assert spacing_of(plain) == 30.0
