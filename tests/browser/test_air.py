"""The Air bench in the browser: the day, the meter, weather, banks of fog, sun and moon by hand."""

import math
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from lumwick.motion.channel import Channel
from studio.places.models import Place
from tests.browser.conftest import box_of, settled, ws
from tests.browser.test_journeys import revision, set_field
from tests.browser.test_things import opened
from tests.browser.test_water import clicked_at

pytestmark = pytest.mark.django_db(transaction=True)


def document() -> Any:
    return Place.objects.get().head.parsed()


def dragged_to(page: Page, what: str, dx: float, dy: float) -> None:
    """Drag sun or moon in the drawing by so many pixels."""
    box = box_of(page, f"[data-heaven={what}]")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()


def test_look_through_the_day_take_the_sun_by_hand_and_meter_a_day_in_ten_seconds(
    page: Page, live_server: Any, place: Any
) -> None:
    opened(page, live_server.url)
    page.keyboard.press("4")
    page.get_by_role("button", name="looks through the day").click()
    looks = page.locator(".day-look")
    expect(looks).to_have_count(16, timeout=120_000)
    expect(page.get_by_text("looking at")).to_have_count(0, timeout=20_000)
    shades = page.evaluate(
        """async () => { const out = []; for (const img of document.querySelectorAll('.day-look img')) {
        const c = new OffscreenCanvas(16, 9), x = c.getContext('2d'); await img.decode(); x.drawImage(img, 0, 0, 16, 9);
        const d = x.getImageData(0, 0, 16, 9).data; let s = 0; for (let i = 0; i < d.length; i += 4) s += d[i + 1];
        out.push(s / (d.length / 4)); } return out; }"""
    )
    assert min(shades) > 30 and max(shades) < 220  # night and noon are both exposed
    page.get_by_role("button", name="The view at 18:00").click()
    revision(page, 2)
    assert f"{document().shots[0].clock.start:%H:%M}" == "18:00"
    page.get_by_role("button", name="put the looks away").click()
    expect(looks).to_have_count(0)
    dragged_to(page, "sun", 40, 30)
    revision(page, 3)
    assert 18 < document().shots[0].clock.start.hour + document().shots[0].clock.start.minute / 60 < 22
    page.get_by_role("button", name="a day in 10 s").click()
    revision(page, 4)
    shot = document().shots[0]
    assert shot.loop and shot.frames == 240 and shot.clock.speed == 8640
    expect(page.locator("#meter-said")).to_have_text("25 of 25 read", timeout=180_000)
    page.locator("#meter-stays").fill("0.2")
    button = page.get_by_role("button", name="keys", exact=False).and_(page.locator("#meter-use"))
    expect(button).to_be_enabled()
    button.click()
    revision(page, 5)
    told = document().shots[0].exposure.ev100
    assert isinstance(told, Channel)
    values = [key.v for key in told.keys]
    assert max(values) - min(values) > 6  # noon to midnight
    assert values[0] == pytest.approx(values[-1])


def test_weather_a_bank_of_fog_and_a_moon_by_hand(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("4")
    slip = page.locator("#slip")
    page.get_by_role("tab", name="Rain and snow").click()
    slip.get_by_role("button", name="Thick snowfall").click()
    revision(page, 2)
    assert document().air.snowing == 3 and document().air.lying == 6
    settled(page)
    page.get_by_role("tab", name="Hour and air").click()
    slip.get_by_role("button", name="Draw a bank on the chart").click()
    ws(page, "(w.setView({ x: 0, y: 60, wide: 400 }), w.drawChart())")
    for east, north in ((-60, 0), (60, 0), (60, 90)):
        clicked_at(page, east, north)
        page.wait_for_timeout(500)  # two presses in half a second are a double click
    clicked_at(page, -60, 90)
    clicked_at(page, -60, 90)
    revision(page, 3)
    bank = document().banks[0]
    assert bank.id == "bank1" and len(bank.area) == 4
    expect(page.locator("[data-bank=bank1]")).to_have_count(1)
    expect(slip.get_by_text("How it lies")).to_be_visible()
    settled(page)
    slip.get_by_label("In", exact=True).select_option("a")
    revision(page, 4)
    assert document().banks[0].only == "a"
    page.wait_for_function(
        "Alpine.$data(document.querySelector('[x-data^=workspace]')).chart.banks[0].only === 'a'"
    )  # the chart is there anew
    expect(page.locator("[data-bank=bank1]")).to_have_count(1)
    settled(page)
    elsewhere = "w.chart.banks.map((b) => ({ ...b, only: 'another' }))"
    ws(page, f"(w.setSelected(''), w.chart = {{ ...w.chart, banks: {elsewhere} }}, w.drawChart())")
    expect(page.locator("[data-bank]")).to_have_count(0)  # it is in another shot alone
    ws(page, "(w.select('bank1'), w.drawChart())")
    settled(page)
    slip.get_by_role("button", name="remove").click()
    revision(page, 5)
    assert document().banks == []
    settled(page)
    page.get_by_role("tab", name="Sun, moon, stars").click()
    slip.get_by_role("button", name="A full moon, high").click()
    revision(page, 6)
    assert document().air.heavens.moon_by == "hand"
    before = document().air.heavens
    settled(page)
    dragged_to(page, "moon", 30, 10)
    revision(page, 7)
    after = document().air.heavens
    assert after.moon_bearing > before.moon_bearing and after.moon_height < before.moon_height


def test_clouds_dragged_against_the_section_and_the_air_read_off(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("4")
    slip = page.locator("#slip")
    page.get_by_role("tab", name="Clouds").click()
    drawing = page.locator("svg[x-ref=drawing]")
    expect(drawing).to_contain_text("ground ", timeout=20_000)
    expect(drawing).to_contain_text("wind, m/s")
    assert page.locator("[data-air]").count() == 0  # no cloud yet
    slip.get_by_role("button", name="Heaps and hair").click()
    revision(page, 2)
    expect(page.locator("[data-air]")).to_have_count(3, timeout=20_000)
    before = document().air.low
    box = box_of(page, "[data-air=base]")
    x, y = box["x"] + box["width"] / 3, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 6)
    page.mouse.move(x, y + 12)
    expect(page.get_by_text("over the datum")).to_be_visible()
    page.mouse.up()
    revision(page, 3)
    after = document().air.low
    assert 20 < after.base < before.base and after.thick == before.thick
    expect(drawing).to_contain_text(f"base {after.base:.0f} m", timeout=20_000)


def test_a_far_ridge_is_set_up_where_the_shot_looks(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    page.keyboard.press("1")
    slip = page.locator("#slip")
    slip.get_by_role("button", name="Mountains").click()
    revision(page, 2)
    expect(slip.get_by_role("heading", name="Mountains")).to_be_visible()
    one = document().shots[0].route.stations[0]
    bearing = math.degrees(math.atan2(one.aim[0] - one.east, one.aim[1] - one.north)) % 360
    assert document().ridges[0].bearing == pytest.approx(bearing, abs=0.1)
    set_field(page, "Distance", "6 km")
    revision(page, 3)
    assert document().ridges[0].away == 6000
    settled(page)
    slip.get_by_role("button", name="remove").click()
    revision(page, 4)
    assert document().ridges == []
