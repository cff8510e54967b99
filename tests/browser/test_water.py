"""The Water bench in the browser: a sea to begin with, a swell, a tide, and something that floats."""

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from studio.places.models import Place
from tests.browser.conftest import looked, new_look, ws
from tests.browser.test_journeys import revision, set_field
from tests.browser.test_things import opened

pytestmark = pytest.mark.django_db(transaction=True)


def test_set_the_sea_swell_and_tide_and_let_a_box_float(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("2")
    slip = page.locator("#slip")
    slip.get_by_role("button", name="moderate breeze, Beaufort 4").click()
    revision(page, 2)
    expect(page.get_by_text("Beaufort 4").first).to_be_visible()
    set_field(page, "Swell", "1.2 m")
    revision(page, 3)
    set_field(page, "Swell period", "11 s")
    revision(page, 4)
    expect(page.get_by_text("swell of 1.20 m every 11.0 s").first).to_be_visible()
    slip.get_by_label("Waves by").select_option("height")
    revision(page, 5)
    set_field(page, "Wave height", "9 m")
    revision(page, 6)
    expect(page.get_by_text("lowered to").first).to_be_visible()  # it does not stand in 14 m
    seen = looked(page, 0)
    set_field(page, "Tide", "3 m")
    revision(page, 7)
    new_look(page, seen)
    set_field(page, "High water at", "10 h")
    revision(page, 8)
    expect(page.get_by_text("water at +1.50 m").first).to_be_visible()
    page.keyboard.press("1")
    ws(page, "w.select('')")
    slip.get_by_role("button", name="box", exact=True).click()
    revision(page, 9)
    slip.get_by_label("Floats").select_option("yes")
    revision(page, 10)
    place.refresh_from_db()
    document = Place.objects.get().head.parsed()
    assert document.things[0].floats and document.sea.tide_range == 3.0 and document.sea.swell_period == 11.0
