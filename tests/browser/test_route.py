"""The Route and Cut benches as a person uses them: stations on the chart and in the section, pacing by hand, the ride
check, paths, the film, takes compared."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from lumwick.motion.channel import Channel
from studio.places.models import Place
from studio.takes.models import Note
from tests.browser.conftest import ws
from tests.browser.test_journeys import open_place, revision
from tests.studio.test_route_bench import film_of, finished

pytestmark = pytest.mark.django_db(transaction=True)


def route() -> Any:
    return Place.objects.get().head.parsed().shots[0].route


def middle(page: Page, selector: str) -> tuple[float, float]:
    box = None
    while box is None:  # it may be drawn anew just now
        box = page.locator(selector).bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page: Page, selector: str, dx: float, dy: float) -> None:
    x, y = middle(page, selector)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2, steps=4)
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()


def test_stations_by_chart_section_look_and_keys(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    page.wait_for_selector("#over [data-station]")
    # on the chart: the way follows while it is dragged, and lands where it was let go
    before = ws(page, "w.s.route.samples[60][1]")
    x, y = middle(page, "[data-station=s2] rect")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y + 15, steps=5)
    page.wait_for_function(
        "Number(document.querySelector('[aria-label=\"Chart of the place\"]').dataset.drafts || 0) > 0"
    )
    assert ws(page, "w.s.route.samples[60][1]") != before and Place.objects.get().head.number == 1
    page.mouse.up()
    revision(page, 2)
    assert route().stations[1].east > 2
    # its height, in the section
    up = route().stations[1].up
    drag(page, "[data-height=s2]", 0, -14)
    revision(page, 3)
    assert route().stations[1].up > up + 0.2
    # from the look, with one key, rolled on purpose
    page.locator("#look").click(position={"x": 200, "y": 100})
    page.keyboard.press("w")
    for _ in range(4):
        page.keyboard.press("x")
    page.keyboard.press("u")
    revision(page, 4)
    assert route().stations[1].roll == pytest.approx(4) and route().stations[1].id == "s2"
    # one more, stood on the chart and looking where it was dragged
    page.get_by_role("button", name="Stand here").click()
    box = page.locator("[aria-label='Chart of the place']").bounding_box()
    assert box
    page.mouse.move(box["x"] + 120, box["y"] + 80)
    page.mouse.down()
    page.mouse.move(box["x"] + 220, box["y"] + 80, steps=4)
    page.mouse.up()
    revision(page, 5)
    last = route().stations[-1]
    assert len(route().stations) == 4 and last.aim[0] - last.east > 5 and abs(last.aim[1] - last.north) < 2
    # earlier in the order, and met when the playhead stands
    expect(page.locator("#slip")).to_contain_text("Station 4 of 4")
    page.get_by_role("button", name="earlier").click()
    revision(page, 6)
    assert route().stations[2].id == last.id
    expect(page.locator("#slip")).to_contain_text("Station 3 of 4")
    page.evaluate("Alpine.$data(document.querySelector('[x-data^=workspace]')).go(0.5)")
    page.get_by_role("button", name="met at the playhead").click()
    revision(page, 7)
    assert route().timing == "by stations" and route().stations[2].time == pytest.approx(0.5)
    # a lens by its angle, and what is left to the shot
    field = page.locator("#slip [data-path$='/focal']")
    field.fill("60°")
    field.press("Enter")
    revision(page, 8)
    assert route().stations[2].focal == pytest.approx(18 / np.tan(np.radians(30)), abs=0.01)
    expect(page.locator("#slip [data-path$='/focus']")).to_have_attribute("placeholder", "as the shot")


def test_pacing_drawn_by_hand_and_the_ride_check_mended(page: Page, live_server: Any, place: Any) -> None:
    place.edit(1, {"op": "move_station", "shot": "a", "station": "s2", "east": 0, "north": -10, "up": -9})
    open_place(page, live_server, place)
    page.wait_for_selector("#over [data-station]")
    expect(page.locator("#ride-tab")).to_contain_text("Ride check: ", timeout=20_000)
    page.locator("#ride-tab").click()
    expect(page.locator("#ride")).to_contain_text("under the ground")
    assert (
        page.locator("#over [data-fault=under]").count() == 1
        and page.locator("[x-ref=timeline] [data-fault=under]").count() == 1
        and page.locator("[x-ref=drawing] path[data-fault=under]").count() == 1
    )
    page.locator("#ride > div", has_text="under the ground").get_by_role("button", name="Lift over it").first.click()
    revision(page, 3)
    expect(page.locator("#ride")).not_to_contain_text("under the ground", timeout=20_000)
    assert min(s.up for s in route().stations) > -9
    page.locator("#ride >> text=undo it").click()
    revision(page, 2)
    page.get_by_role("button", name="mend what can be mended").click()
    revision(page, 4)
    expect(page.locator("#ride")).to_contain_text("Done:", timeout=60_000)
    # one stroke: slow in the middle
    page.get_by_role("button", name="draw the pace").click()
    box = None
    while box is None:
        box = page.locator("[x-ref=drawing] [data-pacing]").bounding_box()
    page.mouse.move(box["x"] + 4, box["y"] + 22)
    page.mouse.down()
    for k in range(1, 21):
        page.mouse.move(
            box["x"] + 4 + (box["width"] - 8) * k / 20,
            box["y"] + 22 + (box["height"] - 30) * np.sin(np.pi * k / 20) * 0.85,
        )
    page.mouse.up()
    revision(page, 5)
    pace = route().pace
    assert isinstance(pace, Channel) and min(k.v for k in pace.keys) < 0.6 * pace.keys[0].v
    expect(page.locator("[data-lane$='/route/pace']")).to_be_visible()
    page.get_by_role("button", name="even pace").click()
    revision(page, 6)
    assert route().pace == 1.0


def test_ways_drawn_suggested_and_brought_in(page: Page, live_server: Any, place: Any, tmp_path: Any) -> None:
    open_place(page, live_server, place)
    page.wait_for_selector("#over [data-station]")
    page.get_by_role("button", name="Draw a way").click()
    box = page.locator("[aria-label='Chart of the place']").bounding_box()
    assert box
    for n, (x, y) in enumerate(((120, 250), (200, 200), (300, 230)), 1):
        page.mouse.click(box["x"] + x, box["y"] + y)
        page.wait_for_function(
            "(n) => document.querySelectorAll('#over circle[fill=\"var(--marsh)\"]').length >= n", arg=n
        )
    page.mouse.dblclick(box["x"] + 380, box["y"] + 180)
    revision(page, 2)
    assert len(route().stations) >= 3
    page.get_by_role("button", name="Good views").click()
    page.wait_for_selector("#over [data-view]", timeout=60_000)
    assert page.locator("#over [data-view]").count() == 6
    # names that are shown lie over no other name
    boxes = page.evaluate(
        "[...document.querySelectorAll('#over [data-label]')].filter((n) => n.getAttribute('visibility') === "
        "'visible').map((n) => { const r = n.getBoundingClientRect(); return [r.left, r.top, r.right, r.bottom]; "
        "})"
    )
    assert len(boxes) >= 6 and not [
        1
        for i, a in enumerate(boxes)
        for b in boxes[:i]
        if min(a[2], b[2]) - max(a[0], b[0]) > 3 and min(a[3], b[3]) - max(a[1], b[1]) > 6
    ]
    page.locator("#over [data-view] circle").first.dblclick()
    revision(page, 3)
    assert route().stations[-1].focus is not None and page.locator("#over [data-view]").count() == 5
    page.get_by_role("button", name="no views").click()
    # a table without a unit: it is asked once
    (tmp_path / "walk.csv").write_text("time,east,north,up\n0,0,0,60\n0.5,30,20,62\n1,60,10,61\n")
    page.get_by_role("button", name="Files…").click()
    page.locator("#path-file").set_input_files(tmp_path / "walk.csv")
    expect(page.get_by_role("alertdialog", name="Something the file")).to_contain_text(
        "does not say in what it is measured"
    )
    page.locator("#path-answer").select_option("ft")
    page.get_by_role("button", name="Go on").click()
    revision(page, 4)
    assert [s.east for s in route().stations] == pytest.approx([0, 9.144, 18.288]) and route().timing == "by stations"
    page.get_by_role("button", name="Files…").click()
    with page.expect_download() as got:
        page.locator("a[download]", has_text="glb").first.click()
    assert got.value.suggested_filename == "a.glb"
    page.keyboard.press("Escape")
    # the way in words of its kind: circle a spot picked in the look
    page.locator("[role=tab]", has_text="Way").click()
    page.locator("#slip [data-path$='/route/way']").select_option("orbit")
    revision(page, 5)
    # the field that was changed is gone from the slip by now; the look of what it changed comes all the same
    page.wait_for_function(
        "(() => { const d = document.querySelector('#look').dataset; "
        "return d.revision === '5' && Number(d.step) >= 1; })()"
    )
    page.get_by_role("button", name="Pick the spot in the look").click()
    look = page.locator("#look").bounding_box()
    assert look
    page.mouse.click(look["x"] + look["width"] / 2, look["y"] + look["height"] * 0.9)
    revision(page, 6)  # subject and spot are one act
    assert route().way == "orbit" and route().spot is not None and ws(page, "w.s.route.samples.length") == 121
    # framing marks lie over the look
    page.get_by_role("button", name="thirds").click()
    page.get_by_label("Frame of another aspect").select_option("2.39")
    assert page.locator("#marks path").first.get_attribute("d").startswith("M0 0H1600")


def test_the_film_is_cut_played_and_taken(page: Page, live_server: Any, account: Any) -> None:
    place = film_of(account)
    open_place(page, live_server, place)
    page.wait_for_selector("#over [data-station]")
    page.get_by_role("button", name="6 Cut").click()
    expect(page.locator("[data-piece]")).to_have_count(2)
    page.locator("[data-piece=p] rect").click()
    page.locator("#slip [data-path$='/join']").select_option("fade")
    revision(page, 2)
    assert Place.objects.get().head.parsed().cut.pieces[0].join == "fade" and ws(page, "w.s.film.frames") == 11
    page.locator("#slip").get_by_role("button", name="B", exact=True).click()
    revision(page, 3)
    expect(page.locator("[data-piece]")).to_have_count(3)
    x, y = middle(page, "[data-piece=q] rect")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 300, y, steps=6)
    page.mouse.up()
    revision(page, 4)
    assert Place.objects.get().head.parsed().cut.pieces[0].id == "q"
    page.get_by_role("button", name="rehearse the film").click()
    expect(page.get_by_role("alert")).to_contain_text("frames are being made")


def test_takes_are_compared_and_noted(page: Page, live_server: Any, place: Any) -> None:
    a = finished(place, 90)
    b = finished(place, 150)
    from studio.takes.models import Frame
    from studio.takes.store import stored

    for frame in b.frames.all():  # a picture of its own
        key = "b" * 60 + f"{frame.number:04d}"
        stored(key).parent.mkdir(parents=True, exist_ok=True)
        from lumwick.deliver.stills import write_png

        write_png(stored(key), np.full((36, 64, 3), 150, np.uint8))
        Frame.objects.filter(pk=frame.pk).update(key=key)
    for frame in a.frames.all():
        from lumwick.deliver.stills import write_png as again

        again(frame.path, np.full((36, 64, 3), 90, np.uint8))
    open_place(page, live_server, place)
    page.wait_for_selector("#over [data-station]")
    page.get_by_role("link", name="Takes").click()
    page.get_by_role("button", name="Compare two").click()
    expect(page.locator("#compare-say")).to_contain_text("0 are ticked")
    for box in page.locator(".compared").all():
        box.check()
    page.get_by_role("button", name="Compare two").click()
    page.wait_for_selector("#stage[data-drawn='1']")
    page.keyboard.press("ArrowRight")
    page.wait_for_function("document.querySelector('#stage').dataset.frame === '2'")
    page.get_by_role("tab", name="difference").click()
    expect(page.locator("text=of white apart")).to_contain_text("23.5")  # (150 - 90) / 255
    page.get_by_role("tab", name="sliding edge").click()
    drag(page, "#stage", 100, 0)
    page.keyboard.press("n")
    stage = page.locator("#stage").bounding_box()
    assert stage
    page.mouse.click(stage["x"] + stage["width"] * 0.4, stage["y"] + stage["height"] * 0.5)
    page.locator("#note-text").fill("Look here")
    page.get_by_role("button", name="Pin it").click()
    expect(page.locator(".pinned")).to_have_count(1)
    assert (
        Note.objects.get().text == "Look here"
        and Note.objects.get().take_id == a.pk
        and Note.objects.get().t == pytest.approx(1 / 24, abs=1e-3)
    )
    page.get_by_role("button", name="settled").click()
    expect(page.locator(".pinned")).to_have_count(0)
    page.get_by_role("button", name="play", exact=True).click()
    page.wait_for_function("document.querySelector('#stage').dataset.frame === '6'")


def test_a_recorded_walk_asks_whose_time_counts(page: Page, live_server: Any, place: Any, tmp_path: Path) -> None:
    open_place(page, live_server, place)
    (tmp_path / "slow.csv").write_text("time,east [m],north [m],up [m]\n0,0,0,60\n3,3,2,61\n6,7,3,61\n")
    page.get_by_role("button", name="Files…").click()
    page.locator("#path-file").set_input_files(tmp_path / "slow.csv")
    asked = page.get_by_role("alertdialog", name="Something the file")
    expect(asked).to_contain_text("does not say in what it is measured")
    page.get_by_role("button", name="Go on").click()  # metres are what stands there
    expect(asked).to_contain_text("This track lasts 6 s, the shot 1 s")
    place.refresh_from_db()
    assert place.head.number == 1  # nothing is changed before it is answered
    page.locator("#path-answer").select_option("as long as the track")
    page.get_by_role("button", name="Go on").click()
    revision(page, 2)
    place.refresh_from_db()
    shot = place.head.parsed().shots[0]
    assert shot.seconds == pytest.approx(6.0, abs=0.1)
    assert [s.east for s in shot.route.stations] == pytest.approx([0, 3, 7])
