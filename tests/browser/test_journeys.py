"""What a person does, start to end, in the browser."""

import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from studio.places.models import Place
from studio.takes.models import Take
from tests.browser.conftest import looked, new_look, picture, sign_in, ws
from tests.conftest import write_geotiff

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
    box = page.locator("[data-station=s2] rect").bounding_box()
    assert box
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
    assert (d.shots[0].clock.start.hour, d.air.fog_visibility, round(d.wind.speed, 2), d.sea.wind_speed) == (20, 600, 9.26, 11)
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
    page.mouse.click(line["x"] + line["width"] * 0.5, line["y"] + 60)
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


def test_real_ground_to_a_film(page: Page, live_server: Any, account: Any, worker: Any, tmp_path: Path, sample_elevation: dict) -> None:
    d = sample_elevation
    ridge = write_geotiff(tmp_path / "ridge.tif", d["elevation"].astype(np.float32), float(d["xmin"]), float(d["ymax"]), float(d["dx"]), float(d["dy"]), "EPSG:4326")
    worker()
    sign_in(page, live_server.url)
    bad = tmp_path / "cut.tif"
    bad.write_bytes(ridge.read_bytes()[:3000])
    page.locator("input[type=file]").set_input_files(str(bad))
    page.get_by_role("button", name="Bring it in").click()
    expect(page.locator("#fault")).to_contain_text("cut short or damaged")
    page.locator("input[type=file]").set_input_files(str(ridge))
    page.get_by_label("Name").fill("Fault ridge")
    page.get_by_role("button", name="Bring it in").click()
    page.wait_for_url("**/places/*/")
    looked(page, 1)
    site = Place.objects.get().head.parsed().site
    assert site.latitude == pytest.approx(36.6, abs=0.3) and site.longitude == pytest.approx(-84.3, abs=0.5)
    assert ws(page, "w.chart.lines.length") > 5
    # four stations from the look
    n = 1
    for _ in range(4):
        for _ in range(3):
            page.keyboard.press("e")
            page.keyboard.press("w")
        page.keyboard.press("Enter")
        n += 1
        revision(page, n)
    expect(page.locator("[data-station]")).to_have_count(6)
    page.get_by_role("button", name="Cut").click()
    set_field(page, "Frames", "8")
    revision(page, n + 1)
    page.locator("#look").focus()
    page.keyboard.press("t")
    expect(page.locator("#budget")).to_contain_text("Measured just now", timeout=90_000)
    page.get_by_label("Size").fill("160x90")
    page.get_by_label("Quality").select_option("sketch")
    page.get_by_label("Last frame").fill("0")
    page.get_by_role("button", name="Begin the take").click()
    expect(page.locator("#take-fault")).to_contain_text("at least one frame")
    page.get_by_label("Last frame").fill("8")
    page.get_by_role("button", name="Begin the take").click()
    page.wait_for_url("**/takes/")
    expect(page.locator("article")).to_contain_text("of 8 frames")
    page.goto("about:blank")  # close the page and come back: the take goes on
    page.goto(f"{live_server.url}/places/{Place.objects.get().pk}/takes/")
    expect(page.locator(".take-state")).to_have_text("Done", timeout=120_000)
    video = page.locator("video")
    video.evaluate("v => { v.muted = true; v.preload = 'auto'; v.load(); return v.play(); }")
    page.wait_for_function("document.querySelector('video').currentTime > 0.05")
    assert video.evaluate("v => [v.videoWidth, v.videoHeight]") == [160, 90]
    assert video.evaluate("v => v.duration") == pytest.approx(8 / 24, abs=0.05)
    with page.expect_download() as got:
        page.get_by_role("link", name="Frames, zip of PNG").click()
    with zipfile.ZipFile(io.BytesIO(Path(got.value.path()).read_bytes())) as z:
        assert z.namelist() == [f"first.{i:05d}.png" for i in range(1, 9)]


def test_rehearse_and_play_at_true_speed(page: Page, live_server: Any, place: Any, worker: Any) -> None:
    place.edit(1, {"op": "set", "path": "/shots/a/frames", "value": 12})
    worker()
    sign_in(page, live_server.url)
    page.goto(f"{live_server.url}/places/{place.pk}/")
    looked(page, 1)
    page.get_by_role("button", name="Rehearse").click()
    page.wait_for_function("(() => { const w = Alpine.$data(document.querySelector('[x-data^=workspace]')); return w.rehearsal && w.rehearsal.state === 'done' && [...w.images.values()].every((i) => i.complete); })()", timeout=180_000)
    page.locator("#look").focus()
    page.keyboard.press(" ")
    shown = page.evaluate("""() => new Promise((done) => { const seen = []; const start = performance.now(); const tick = () => { const f = document.querySelector('#look').dataset.rehearsal; if (seen.at(-1) !== f) seen.push(f); performance.now() - start < 2000 ? requestAnimationFrame(tick) : done(seen); }; tick(); })""")
    assert 36 <= len(shown) <= 62  # 2 s at 24 frames a second, on a busy machine
    page.keyboard.press(" ")
    # the same again is there at once
    page.reload()
    looked(page)
    page.get_by_role("button", name="Rehearse").click()
    page.wait_for_function("(() => { const w = Alpine.$data(document.querySelector('[x-data^=workspace]')); return w.rehearsal && w.rehearsal.ready.length === 12; })()", timeout=5_000)
    assert Take.objects.count() == 1


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
    page.context.clear_cookies()
    set_field(page, "Sea wind", "4")
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
