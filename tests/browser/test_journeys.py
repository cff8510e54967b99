"""What a person does, start to end, in the browser."""

import re
from typing import Any

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from studio.places.models import Place
from tests.browser.conftest import box_of, looked, new_look, picture, sign_in, ws

pytestmark = pytest.mark.django_db(transaction=True)


def revision(page: Page, number: int) -> None:
    page.wait_for_function(f"Alpine.$data(document.querySelector('[x-data^=workspace]')).s.rev === {number}")


def set_field(page: Page, label: str, text: str) -> None:
    field = page.locator("#slip").get_by_label(label, exact=True)
    field.fill(text)
    field.press("Tab")


def test_direct_a_place(page: Page, live_server: Any, place: Any) -> None:
    sign_in(page, live_server.url)
    page.get_by_role("link", name="Small").first.click()
    first = looked(page, 2)
    assert picture(page)[0] > 20 and picture(page)[1] > 8  # a picture: neither black nor flat
    expect(page.locator("[data-station]")).to_have_count(3)
    expect(page.locator("[data-wedge]")).to_have_count(1)
    # drag a station on the chart: the look follows, the step is named
    box = box_of(page, "[data-station=s2] rect")
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + 45, box["y"] + 35, steps=4)
    page.mouse.up()
    revision(page, 2)
    expect(page.get_by_role("button", name="undo: moved station 2")).to_be_visible()
    assert Place.objects.get().head.parsed().shots[0].route.stations[1].east > 5
    seen = new_look(page, first)
    # turn in the look, walk, dolly; Enter sets a station there
    before = ws(page, "w.camera().bearing")
    look = page.locator("#look").bounding_box()
    assert look
    page.mouse.move(look["x"] + 300, look["y"] + 150)
    page.mouse.down()
    page.mouse.move(look["x"] + 200, look["y"] + 150, steps=3)
    page.mouse.up()
    assert abs(ws(page, "w.camera().bearing") - before) > 3
    spot = ws(page, "({...w.camera()})")
    page.keyboard.press("w")
    page.keyboard.press("d")
    page.mouse.wheel(0, -100)
    moved = ws(page, "({...w.camera()})")
    assert abs(moved["x"] - spot["x"]) + abs(moved["y"] - spot["y"]) > 1
    seen = new_look(page, seen)
    page.keyboard.press("Enter")
    revision(page, 3)
    expect(page.locator("[data-station]")).to_have_count(4)
    # date and hour, fog, wind, sea wind
    page.keyboard.press("4")
    set_field(page, "Starts", "20:45")
    revision(page, 4)
    set_field(page, "Fog visibility", "0.6 km")
    revision(page, 5)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="3 Growth").click()
    set_field(page, "Wind", "18 kn")
    revision(page, 6)
    page.get_by_role("button", name="2 Water").click()
    set_field(page, "Sea wind", "11")
    revision(page, 7)
    d = Place.objects.get().head.parsed()
    assert (d.shots[0].clock.start.hour, d.air.fog_visibility, round(d.wind.speed, 2), d.sea.wind_speed) == (
        20,
        600,
        9.26,
        11,
    )
    seen = new_look(page, seen)
    # a number that is none: a sentence, and nothing changed
    set_field(page, "Sea wind", "strong")
    expect(page.get_by_role("alert")).to_contain_text("Sea wind must be a number")
    assert Place.objects.get().head.number == 7
    # undo and redo, named, by key
    page.locator("#look").focus()
    page.keyboard.press("Control+z")
    page.wait_for_function("Alpine.$data(document.querySelector('[x-data^=workspace]')).s.redo === 'sea wind 11 m/s'")
    page.keyboard.press("Control+Shift+z")
    revision(page, 7)
    # scrub and step and play
    timeline = page.get_by_role("slider", name="Playhead")
    line = timeline.bounding_box()
    assert line
    page.mouse.click(line["x"] + line["width"] * 0.5, line["y"] + 10)
    assert 10 <= ws(page, "w.frame()") <= 15
    seen = new_look(page, seen)
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    assert ws(page, "w.frame()") == 2
    page.keyboard.press("Shift+ArrowRight")
    assert ws(page, "w.frame()") == 12
    page.locator("#look").focus()
    page.keyboard.press(" ")
    page.wait_for_function("Alpine.$data(document.querySelector('[x-data^=workspace]')).frame() > 16")
    page.keyboard.press(" ")
    assert not ws(page, "w.playing")
    # a pin keys the value; the lane appears
    page.get_by_role("button", name="4 Air").click()
    page.get_by_role("button", name="Key Exposure at the playhead").click()
    revision(page, 8)
    expect(page.get_by_label("Timeline").get_by_text("Exposure", exact=True)).to_be_visible()


def test_two_tabs_and_an_ended_session(page: Page, live_server: Any, place: Any) -> None:
    sign_in(page, live_server.url)
    url = f"{live_server.url}/places/{place.pk}/"
    page.goto(url)
    looked(page)
    second = page.context.new_page()
    second.goto(url)
    looked(second)
    second.get_by_role("button", name="2 Water").click()
    set_field(second, "Sea wind", "9")
    revision(second, 2)
    page.get_by_role("button", name="2 Water").click()
    set_field(page, "Sea wind", "3")
    expect(page.get_by_role("alert")).to_contain_text("changed elsewhere")
    revision(page, 2)
    assert Place.objects.get().head.parsed().sea.wind_speed == 9
    page.context.clear_cookies(name="sessionid")
    page.get_by_role("button", name="3 Growth").click()  # a drawing and a slip, asked for in vain
    expect(page.get_by_role("alert")).to_contain_text("session has ended")
    page.get_by_role("button", name="2 Water").click()
    expect(page.get_by_label("Password")).to_have_count(0)  # no page for signing in inside this one
    page.context.clear_cookies()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("alert")).to_contain_text("session has ended")


def test_stand_drawn_on_the_chart(page: Page, live_server: Any, place: Any) -> None:
    sign_in(page, live_server.url)
    page.goto(f"{live_server.url}/places/{place.pk}/")
    looked(page)
    page.keyboard.press("3")
    page.locator("[data-stand=reeds]").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#slip")).to_contain_text("Reeds")
    page.get_by_role("button", name="Draw a stand").click()
    box = page.get_by_role("application", name="Chart of the place").bounding_box()
    assert box
    for x, y in ((0.3, 0.3), (0.5, 0.3), (0.5, 0.5)):
        page.mouse.click(box["x"] + box["width"] * x, box["y"] + box["height"] * y)
    page.mouse.dblclick(box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.5)
    revision(page, 2)
    assert Place.objects.get().head.parsed().growth[-1].id == "stand1"


@pytest.mark.parametrize("theme", ["", "dim"])
def test_everybody_can_use_it(page: Page, live_server: Any, place: Any, theme: str) -> None:
    axe = Axe()
    page.add_init_script(f"localStorage.setItem('lw-theme', '{theme}')")

    def fine(where: str) -> None:
        found = [v for v in axe.run(page).response["violations"] if v["impact"] in ("serious", "critical")]
        assert not found, where + ": " + "; ".join(f"{v['id']} {v['nodes'][0]['html'][:160]}" for v in found)

    page.goto(live_server.url + "/sign-in/")
    fine("sign-in")
    sign_in(page, live_server.url)
    fine("plan chest")
    page.goto(f"{live_server.url}/places/{place.pk}/")
    looked(page)
    page.wait_for_selector("#slip .field")
    fine("place")
    page.goto(f"{live_server.url}/places/{place.pk}/takes/")
    fine("takes")


def open_place(page: Page, live_server: Any, place: Any) -> None:
    sign_in(page, live_server.url)
    page.goto(f"{live_server.url}/places/{place.pk}/")
    looked(page, 1)
    page.wait_for_selector("#slip .field")


def test_a_slip_that_arrives_under_a_selected_value_leaves_it_selected(
    page: Page, live_server: Any, place: Any
) -> None:
    open_place(page, live_server, place)
    page.keyboard.press("4")
    field = page.locator("#slip").get_by_label("Fog visibility", exact=True)
    field.select_text()
    page.evaluate(
        """() => new Promise((done) => { document.body.addEventListener('htmx:afterSwap', () => setTimeout(done, 0),
            { once: true }); Alpine.$data(document.querySelector('[x-data^=workspace]')).slip(); })"""
    )
    page.keyboard.insert_text("0.6 km")
    page.keyboard.press("Tab")
    revision(page, 2)
    assert Place.objects.get().head.parsed().air.fog_visibility == pytest.approx(600)
    # a caret stays where it is
    field.fill("700 m")
    field.press("Tab")
    revision(page, 3)
    expect(field).to_have_attribute("data-was", re.compile("700"))
    page.wait_for_load_state("networkidle")
    field.evaluate("(n) => { n.focus(); n.setSelectionRange(1, 1); }")
    page.evaluate(
        """() => new Promise((done) => { document.body.addEventListener('htmx:afterSwap', () => setTimeout(done, 0),
            { once: true }); Alpine.$data(document.querySelector('[x-data^=workspace]')).slip(); })"""
    )
    assert field.evaluate("(n) => document.activeElement === n && n.selectionStart") == 1


def test_the_chart_by_hand_and_by_keyboard(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    chart = page.get_by_role("application", name="Chart of the place")
    box = chart.bounding_box()
    assert box
    wide = ws(page, "w.view.wide")
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.wheel(0, -240)
    assert ws(page, "w.view.wide") < wide
    corner = ws(page, "[w.view.x, w.view.y]")
    page.mouse.move(box["x"] + 30, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + 110, box["y"] + 80, steps=3)
    page.mouse.up()
    moved = ws(page, "[w.view.x, w.view.y]")
    assert moved[0] < corner[0] and moved[1] > corner[1]
    page.get_by_role("button", name="fit").click()
    assert ws(page, "w.view.wide") == pytest.approx(wide)
    # a station by keyboard: picked, moved a metre, removed; each step undoable by name
    page.locator("[data-station=s2]").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#slip")).to_contain_text("Station 2")
    page.locator("[data-station=s2]").focus()
    page.keyboard.press("ArrowRight")
    revision(page, 2)
    assert Place.objects.get().head.parsed().shots[0].route.stations[1].east == pytest.approx(1.0)
    # its aim by the amber knob
    before = Place.objects.get().head.parsed().shots[0].route.stations[1].aim
    knob = box_of(page, "[data-aim=s2]")
    page.mouse.move(knob["x"] + 5, knob["y"] + 5)
    page.mouse.down()
    page.mouse.move(knob["x"] + 60, knob["y"] + 30, steps=3)
    page.mouse.up()
    revision(page, 3)
    station = Place.objects.get().head.parsed().shots[0].route.stations[1]
    assert station.aim[:2] != before[:2] and station.east == pytest.approx(1.0)
    page.locator("[data-station=s2]").focus()
    page.keyboard.press("Delete")
    revision(page, 4)
    expect(page.locator("[data-station]")).to_have_count(2)
    page.locator("#look").focus()
    page.keyboard.press("Control+z")
    expect(page.locator("[data-station]")).to_have_count(3)


def test_a_mark_that_has_the_focus_keeps_it_when_the_drawing_is_made_anew(
    page: Page, live_server: Any, place: Any
) -> None:
    open_place(page, live_server, place)
    for mark in ("[data-station=s2]", "[data-aim=s2]", "[data-station=s3]"):
        if not page.locator(f"{mark}[tabindex]").count():
            continue
        page.locator(mark).focus()
        first = page.locator(mark).element_handle()
        ws(page, "w.drawChart()")
        assert not first.is_visible()  # it was made anew
        assert page.evaluate("(m) => document.activeElement.matches(m)", mark), mark
    # an edit's answer that arrives between two keys
    page.locator("[data-station=s2]").focus()
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowRight")
    revision(page, 2)
    page.keyboard.press("ArrowRight")
    revision(page, 3)
    page.keyboard.press("Delete")
    revision(page, 4)
    expect(page.locator("[data-station]")).to_have_count(2)


def test_keys_by_the_keyboard_and_what_the_lanes_show(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    page.keyboard.press("k")  # nothing was touched yet: what can be keyed is offered
    offer = page.get_by_role("status").filter(has_text="Which value")
    expect(offer).to_be_visible()
    offer.get_by_role("button", name="leave it").click()
    expect(offer).to_be_hidden()
    page.keyboard.press("4")
    page.locator("#slip").get_by_label("Fog visibility", exact=True).focus()
    page.locator("#look").focus()
    page.keyboard.press("k")
    revision(page, 2)
    page.keyboard.press("End")
    page.wait_for_function("Alpine.$data(document.querySelector('[x-data^=workspace]')).frame() === 24")
    set_field(page, "Fog visibility", "400 m")
    page.get_by_role("button", name="Key it at frame 24").click()
    revision(page, 3)
    channel = Place.objects.get().head.parsed().air.fog_visibility
    assert [round(k.v) for k in channel.keys] == [20000, 400] and channel.keys[1].t == pytest.approx(23 / 24, abs=0.01)
    expect(page.get_by_role("button", name="undo: key: fog visibility 400 m at 0.96 s")).to_be_visible()
    # half way the slip tells the value of that instant
    page.locator("#look").focus()
    page.keyboard.press("Home")
    for _ in range(1):
        page.keyboard.press("Shift+ArrowRight")
    page.wait_for_function(
        "(() => { const f = document.querySelector('#slip [data-path=\"/air/fog_visibility\"]'); "
        "return f && Number(f.dataset.value) > 401 && Number(f.dataset.value) < 19999; })()"
    )


def test_a_shot_may_have_its_own_air(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    page.keyboard.press("4")
    page.get_by_role("button", name="Give this shot its own air").click()
    revision(page, 2)
    expect(page.locator("#slip")).to_contain_text("Haze of this shot")
    set_field(page, "Haze", "0.4")
    revision(page, 3)
    d = Place.objects.get().head.parsed()
    assert d.shots[0].air is not None and d.shots[0].air.haze == 0.4 and d.air.haze != 0.4
    page.get_by_role("button", name="Use the place's air").click()
    revision(page, 4)
    assert Place.objects.get().head.parsed().shots[0].air is None


def test_a_sky_is_chosen_thickens_by_keys_and_is_seen(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    clear = picture(page)
    page.keyboard.press("4")
    page.get_by_role("tab", name="Clouds").click()
    slip = page.locator("#slip")
    slip.get_by_role("button", name="Closed sheet").click()
    revision(page, 2)
    air = Place.objects.get().head.parsed().air
    assert air.low.oktas == 8 and air.low.closed == 1
    looked(page, 2)
    covered = picture(page)
    assert abs(covered[0] - clear[0]) + abs(covered[1] - clear[1]) > 2  # dimmer, and grey over blue
    set_field(page, "Base", "700")
    revision(page, 3)
    assert Place.objects.get().head.parsed().air.low.base == 700
    # it comes over time: a key here, another later
    slip.get_by_role("button", name="Key Cover at the playhead").click()
    revision(page, 4)
    set_field(page, "Cover", "9")
    expect(page.get_by_text("'9' is outside", exact=False).first).to_be_visible()
    assert Place.objects.get().head.number == 4


def test_history_restores_and_nothing_is_lost(page: Page, live_server: Any, place: Any) -> None:
    place.edit(1, {"op": "set", "path": "/sea/wind_speed", "value": 12})
    place.edit(2, {"op": "set", "path": "/wind/speed", "value": 9})
    open_place(page, live_server, place)
    page.get_by_role("button", name="history").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("sea wind 12 m/s")
    dialog.locator("li", has_text="made for a test").get_by_role("button", name="restore").click()
    revision(page, 4)
    d = Place.objects.get().head.parsed()
    assert d.sea.wind_speed == 7.0 and d.wind.speed == 4.0
    expect(page.get_by_role("button", name="undo: restored revision 1")).to_be_visible()
    page.get_by_role("button", name="undo: restored revision 1").click()
    page.wait_for_function("Alpine.$data(document.querySelector('[x-data^=workspace]')).s.rev === 3")


def test_the_section_the_dividers_and_the_units_of_time(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    drawing = page.get_by_role("img", name="Drawing of the bench").bounding_box()
    assert drawing
    page.mouse.click(drawing["x"] + drawing["width"] * 0.75, drawing["y"] + 30)
    assert ws(page, "w.t") == pytest.approx(0.75, abs=0.06)
    clock = page.get_by_title("Frames, seconds or timecode")
    expect(clock).to_contain_text("frame 19 of 24")
    clock.click()
    expect(clock).to_contain_text("s of 1.00")
    clock.click()
    expect(clock).to_contain_text("00:00:00:18")
    divider = page.get_by_role("separator", name="Divider between chart and look")
    was = page.get_by_role("application", name="Chart of the place").bounding_box()
    divider.focus()
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    now = page.get_by_role("application", name="Chart of the place").bounding_box()
    assert was and now and now["width"] > was["width"] + 20
    page.get_by_role("button", name="dim").click()
    assert page.evaluate("document.documentElement.dataset.theme") == "dim"
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("the six benches")
    page.keyboard.press("Escape")
    # it stays usable on a small screen and a large one: nothing lies outside the window
    for size in ((1024, 700), (1920, 1080)):
        page.set_viewport_size({"width": size[0], "height": size[1]})
        for name in ("Chart", "Look", "Drawing", "Slip", "Timeline"):
            region = page.get_by_role("region", name=name, exact=True).bounding_box()
            assert region and region["width"] > 150 and region["height"] > 60, (size, name)
            assert region["x"] + region["width"] <= size[0] + 1 and region["y"] + region["height"] <= size[1] + 1, (
                size,
                name,
            )
