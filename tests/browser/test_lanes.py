"""The lanes in more hands: colours and dates, zooming, copying into another value, playing a range, following."""

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from lumwick.motion.channel import Channel, ColourChannel, Key, MomentChannel
from lumwick.place.objects import Lamp, Surface
from studio.places.models import Place
from tests.browser.conftest import ws
from tests.browser.test_journeys import open_place, revision, set_field
from tests.browser.test_time import EV, W, drag, keyed, keys, spot
from tests.studio.conftest import kept_place

pytestmark = pytest.mark.django_db(transaction=True)


def step_to(page: Page, frame: int) -> None:
    page.evaluate(f"{W}.toFrame({frame})")
    assert ws(page, "w.frame()") == frame


def test_a_colour_and_the_hour_are_keyed_from_the_slip(page: Page, live_server: Any, account: Any) -> None:
    place = kept_place(account, surfaces=[Surface(id="paint", name="Paint", colour="#804020")])
    open_place(page, live_server, place)
    page.get_by_role("button", name="1 Land").click()
    page.evaluate(f"{W}.select('paint')")
    page.get_by_role("button", name="Key Colour at the playhead").click()
    revision(page, 2)
    colour_field = "#slip [data-path='/surfaces/paint/colour']"
    page.locator(colour_field).evaluate("(e) => { e.dataset.before = 1; }")
    step_to(page, 13)  # the slip tells the new instant's values, in fields of their own
    expect(page.locator(f"{colour_field}:not([data-before])")).to_be_visible()
    # a keyed colour that is changed elsewhere asks, as any value does
    page.locator(colour_field).evaluate(
        "(e) => { e.value = '#2040c0'; e.dispatchEvent(new Event('change', { bubbles: true })); }"
    )
    page.get_by_role("alertdialog").get_by_role("button", name="Key it at frame 13").click()
    revision(page, 3)
    colour = Place.objects.get().head.parsed().surfaces[0].colour
    assert isinstance(colour, ColourChannel) and [k.v for k in colour.keys] == ["#804020", "#2040c0"]
    # the date: keyed, and an hour typed alone keeps the date of the instant
    page.get_by_role("button", name="4 Air").click()
    step_to(page, 1)
    page.get_by_role("button", name="Key Starts at the playhead").click()
    revision(page, 4)
    with page.expect_response(lambda r: "/slip/" in r.url):
        step_to(page, 24)
    set_field(page, "Starts", "17:45")
    page.get_by_role("alertdialog").get_by_role("button", name="Key it at frame 24").click()
    revision(page, 5)
    start = Place.objects.get().head.parsed().shots[0].clock.start
    assert isinstance(start, MomentChannel) and f"{start.keys[-1].v:%Y-%m-%d %H:%M}" == "2026-06-05 17:45"
    assert ws(page, "w.clockAt(0)") == "10:00" and ws(page, "w.clockAt(w.s.shot.seconds * 0.9999)") in (
        "17:44",
        "17:45",
    )
    expect(page.locator("[data-lane='/shots/a/clock/start']")).to_contain_text("2 keys")
    set_field(page, "Starts", "1800-01-01 10:00")
    expect(page.get_by_role("alert")).to_contain_text("1900 to 2100")
    # show a moment at the playhead: the keys are told to be moved instead
    page.evaluate(f"{W}.startAt('2026-06-05T12:00:00')")
    expect(page.get_by_role("alert")).to_contain_text("move its keys")


def test_zooming_free_drags_and_picking_by_shift(page: Page, live_server: Any, place: Any) -> None:
    keyed(place, (0.0, 14.0), (0.25, 13.0), (0.5, 12.0))
    open_place(page, live_server, place)
    line = page.get_by_role("slider", name="Playhead").bounding_box()
    assert line
    page.mouse.move(line["x"] + line["width"] * 0.25, line["y"] + 10)
    before = ws(page, "w.span().b - w.span().a")
    under = ws(page, f"w.lineT({line['width'] * 0.25})")
    page.mouse.wheel(0, -100)
    page.mouse.wheel(0, -100)
    page.wait_for_function(f"{W}.win !== null && {W}.win.b - {W}.win.a < {before * 0.7}")
    assert ws(page, f"w.lineT({line['width'] * 0.25})") == pytest.approx(
        under, abs=1e-3
    )  # what is under the pointer stays there
    page.keyboard.down("Shift")
    page.mouse.wheel(0, 100)
    page.keyboard.up("Shift")
    page.wait_for_function(f"{W}.lineT({line['width'] * 0.25}) > {under + 0.01}")
    page.get_by_role("button", name="whole clip").click()
    assert ws(page, "w.win") is None
    # alt leaves frames alone; without it a key lands on one
    x, y = spot(page, 0.25)
    page.keyboard.down("Alt")
    drag(page, (x, y), (spot(page, 0.31)[0], y))
    page.keyboard.up("Alt")
    revision(page, 5)
    free = keys()[1][0]
    assert 0.29 < free < 0.33 and abs(free * 24 - round(free * 24)) > 0.02
    # shift adds and takes away; escape lets go
    page.keyboard.press("Escape")
    page.mouse.click(*spot(page, 0.0))
    page.keyboard.down("Shift")
    page.mouse.click(*spot(page, 0.5))
    expect(page.locator("#picked")).to_contain_text("2 keys")
    page.mouse.click(*spot(page, 0.5))
    page.keyboard.up("Shift")
    expect(page.locator("#picked")).to_have_text("a key of Exposure")
    page.locator("#look").focus()
    page.keyboard.press("Escape")
    expect(page.locator("#picked")).to_have_count(0)
    # steps: how many is typed
    page.mouse.click(*spot(page, 0.0))
    page.get_by_label("Way to the next key").select_option("steps")
    revision(page, 6)
    page.get_by_label("Steps").fill("3")
    page.get_by_label("Steps").press("Enter")
    revision(page, 7)
    key = Place.objects.get().head.parsed().shots[0].exposure.ev100.keys[0]
    assert (key.join, key.steps) == ("steps", 3)
    page.get_by_label("Time of the key").fill("soon")
    page.get_by_label("Time of the key").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("A time is a number of frames")


def test_keys_go_into_another_value_of_the_same_kind(page: Page, live_server: Any, place: Any) -> None:
    keyed(place, (0.0, 14.0), (0.5, 12.0))
    open_place(page, live_server, place)
    page.get_by_role("button", name="6 Cut").click()
    page.get_by_role("tab", name="Print").click()
    page.evaluate(f"{W}.selectLane('{EV}')")
    page.get_by_role("button", name="copy", exact=True).click()
    page.locator("#slip").get_by_label("Contrast", exact=True).focus()
    page.locator("#look").focus()
    page.get_by_role("button", name="paste into the touched value").click()
    expect(page.get_by_role("alert")).to_contain_text("Exposure is in EV and Contrast in")
    assert Place.objects.get().head.number == 3
    page.get_by_role("tab", name="Finish").click()
    page.locator("#slip").get_by_label("Vignette", exact=True).focus()
    page.locator("#look").focus()
    page.get_by_role("button", name="paste into the touched value").click()
    expect(page.get_by_role("alert")).to_contain_text(
        "Vignette is 14 EV: it must lie from 0 to 4"
    )  # the same unit, another range
    # at a later time in the same lane
    step_to(page, 19)
    page.get_by_role("button", name="paste", exact=True).click()
    revision(page, 4)
    assert keys() == [(0.0, 14.0), (0.5, 12.0), (0.75, 14.0), (1.25, 12.0)]  # keys past the clip count too
    page.get_by_role("button", name="all keys").click()
    assert ws(page, "w.span().b") > 1.25


def test_a_lamp_follows_another_and_is_carried_on_the_chart(page: Page, live_server: Any, account: Any) -> None:
    leads = Channel(keys=(Key(t=0, v=0, join="straight"), Key(t=0.9, v=90)))
    place = kept_place(
        account,
        lamps=[
            Lamp(id="lead", name="Leader", kind="spot", bearing=leads),
            Lamp(id="tail", name="Tail", kind="spot", east=Channel(keys=(Key(t=0, v=-10), Key(t=0.9, v=10))), north=5),
        ],
    )
    open_place(page, live_server, place)
    page.evaluate(f"{W}.openMover('/lamps/tail/bearing')")
    page.get_by_label("follow another value").check()
    page.get_by_label("Follows").select_option("/lamps/lead/bearing")
    page.get_by_role("textbox", name="Gain").fill("-1")
    page.get_by_role("button", name="Make it move", exact=True).click()
    revision(page, 2)
    expect(page.get_by_role("button", name="undo: shines to follows leader: shines to")).to_be_visible()
    term = Place.objects.get().head.parsed().lamps[1].bearing.terms[0]
    assert (term.path, term.gain, term.lag) == ("/lamps/lead/bearing", -1, 0.5)
    # the leader is taken away: what followed it lets go
    page.evaluate(f"{W}.command({{ op: 'remove', of: 'lamps', id: 'lead' }})")
    revision(page, 3)
    assert Place.objects.get().head.parsed().lamps[0].bearing.terms == ()
    # the chart shows the lamp where it is at the playhead
    a = page.locator("[data-mark=tail] circle").get_attribute("cx")
    step_to(page, 22)
    page.wait_for_function(f"document.querySelector('[data-mark=tail] circle').getAttribute('cx') !== '{a}'")
    assert float(page.locator("[data-mark=tail] circle").get_attribute("cx") or 0) > 5


def test_playing_once_and_in_a_range(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    page.evaluate(f"(() => {{ const w = {W}; w.range = [5, 9]; w.drawTimeline(); }})()")
    expect(page.locator("[data-range]")).to_have_count(1)
    page.get_by_role("button", name="round", exact=True).click()
    page.locator("#look").focus()
    page.keyboard.press(" ")
    page.wait_for_function(f"!{W}.playing && {W}.frame() === 9")  # once, and stops at the range's end
    page.get_by_role("button", name="once", exact=True).click()
    page.evaluate(f"{W}.play()")
    page.wait_for_function(f"{W}.passed > 9")  # round and round, within it
    assert 5 <= ws(page, "w.frame()") <= 9
    page.evaluate(f"{W}.play()")
    page.get_by_role("button", name="no range").click()
    assert ws(page, "w.range") is None and not ws(page, "w.playing")
    # the units go round: frames, seconds, timecode
    text = page.get_by_title("Frames, seconds or timecode")
    for units in ("of 1.00", "00:00:00:", "of 24"):
        text.click()
        expect(text).to_contain_text(units)
