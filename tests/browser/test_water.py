"""The Water bench in the browser: a sea to begin with, a swell, a tide, and something that floats."""

from typing import Any

import av
import pytest
from playwright.sync_api import Page, expect

from studio.places.models import Place
from tests.browser.conftest import box_of, looked, new_look, settled, ws
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
    page.get_by_role("tab", name="Swell and tide").click()
    set_field(page, "Swell", "1.2 m")
    revision(page, 3)
    set_field(page, "Swell period", "11 s")
    revision(page, 4)
    expect(page.get_by_text("swell of 1.20 m every 11.0 s").first).to_be_visible()
    page.get_by_role("tab", name="Sea", exact=True).click()
    slip.get_by_label("Waves by").select_option("height")
    revision(page, 5)
    set_field(page, "Wave height", "9 m")
    revision(page, 6)
    expect(page.get_by_text("lowered to").first).to_be_visible()  # it does not stand in 14 m
    seen = looked(page, 0)
    page.get_by_role("tab", name="Swell and tide").click()
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


def clicked_at(page: Page, east: float, north: float) -> None:
    """Press the chart at a place [m]."""
    box = page.get_by_role("application", name="Chart of the place").bounding_box()
    x, y, w, h = ws(page, "w.viewBox()")
    assert box
    page.mouse.click(box["x"] + (east - x) / w * box["width"], box["y"] + (-north - y) / h * box["height"])


def dragged(page: Page, name: str, dx: float, dy: float) -> None:
    """Drag a mark of the bench's drawing by pixels."""
    box = box_of(page, f"[data-handle={name}]")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()


def test_draw_a_pond_let_a_stream_run_dig_it_deeper_and_throw_it_out(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("2")
    ws(page, "(w.setView({ x: 100, y: 100, wide: 900 }), w.drawChart())")
    page.get_by_role("button", name="Let one run").click()
    clicked_at(page, 250, 300)
    revision(page, 2)
    expect(page.get_by_text("l/s").first).to_be_visible()
    document = Place.objects.get().head.parsed()
    stream = document.waters[0]
    assert stream.kind == "stream" and len(stream.line) > 3
    dragged(page, "depth", 0, -6)
    revision(page, 3)
    assert Place.objects.get().head.parsed().waters[0].depth > stream.depth
    set_field(page, "Width", "6 m")
    revision(page, 4)
    # uphill is refused in a sentence, and nothing is changed
    ws(
        page,
        "w.command({op: 'set', path: '/waters/stream1/line', value: w.chart.waters[0].line.slice().reverse()})",
    )
    expect(page.get_by_text("water does not run uphill").first).to_be_visible()
    assert Place.objects.get().head.number == 4
    page.get_by_role("button", name="A pond").click()
    for east, north in ((0, 250), (60, 250), (60, 310)):
        clicked_at(page, east, north)
        page.wait_for_timeout(500)  # two presses in half a second are a double click
    clicked_at(page, 0, 310)
    clicked_at(page, 0, 310)
    revision(page, 5)
    expect(page.get_by_text("3600 m²").first).to_be_visible()
    settled(page)
    page.locator("#slip").get_by_label("Water", exact=True).select_option("peaty")
    revision(page, 6)
    page.get_by_role("button", name="The sea", exact=True).click()
    page.get_by_role("tab", name="Other waters").click()
    set_field(page, "Rain", "8 mm/h")
    revision(page, 7)
    settled(page)
    page.locator("#slip").get_by_role("button", name="Stream 1").click()
    page.locator("#slip").get_by_role("button", name="remove").click()
    revision(page, 8)
    document = Place.objects.get().head.parsed()
    assert [w.kind for w in document.waters] == ["pond"] and document.waters[0].water == "peaty"
    assert document.air.rain == 8


def test_drag_the_tide_and_draw_a_beach_that_is_filmed_with_alpha(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("2")
    page.get_by_role("tab", name="Swell and tide").click()
    set_field(page, "Tide", "2 m")
    revision(page, 2)
    high = Place.objects.get().head.parsed().sea.tide_high
    dragged(page, "tide", -20, 0)
    revision(page, 3)
    assert Place.objects.get().head.parsed().sea.tide_high < high
    page.get_by_role("tab", name="Other waters").click()
    page.get_by_role("button", name="Draw a beach").click()
    revision(page, 4)
    page.locator("#slip").get_by_role("button", name="Drawn beach 1").click()
    expect(page.locator("[data-beach] image")).to_have_count(1)
    page.get_by_role("button", name="Run up, hold, pull back").click()
    revision(page, 5)
    expect(page.get_by_text("Drawn beach 1: reach").first).to_be_visible()
    with page.expect_download() as found:
        page.get_by_role("link", name="film with alpha").click()
    with av.open(str(found.value.path())) as film:
        frames = [frame.to_ndarray(format="rgba") for frame in film.decode(video=0)]
    assert len(frames) == Place.objects.get().head.parsed().shots[0].frames
    seen = [frame[..., 3] > 128 for frame in frames]
    water = [(there & (frame[..., 2] + 30.0 > frame[..., 0])).mean() for there, frame in zip(seen, frames, strict=True)]
    assert max(water) > 0.55 and min(water) < 0.4  # it runs up and back
    wet = [there.mean() for there in seen]
    assert min(wet) > 0.6 and max(wet) < 0.8  # sand stays wet for longer than a second; what is never reached is clear
