"""Rehearsals, takes, films and files, as somebody makes them in the browser."""

from __future__ import annotations

import base64
import io
import re
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from studio.places.models import Place
from studio.takes.models import Order, Take
from tests.browser.conftest import box_of, looked, new_look, sign_in, ws
from tests.browser.test_journeys import revision, set_field
from tests.conftest import write_geotiff
from tests.core.built.test_bringing_in import zipped


def test_real_ground_to_a_film(
    page: Page, live_server: Any, account: Any, worker: Any, tmp_path: Path, sample_elevation: dict
) -> None:
    d = sample_elevation
    ridge = write_geotiff(
        tmp_path / "ridge.tif",
        d["elevation"].astype(np.float32),
        float(d["xmin"]),
        float(d["ymax"]),
        float(d["dx"]),
        float(d["dy"]),
        "EPSG:4326",
    )
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
    page.get_by_role("button", name="6 Cut").click()
    page.get_by_role("tab", name="Shot", exact=True).click()
    set_field(page, "Frames", "8")
    revision(page, n + 1)
    page.locator("#look").focus()
    page.keyboard.press("t")
    expect(page.locator("#budget")).to_contain_text("Measured just now", timeout=90_000)
    page.get_by_role("combobox", name="Size", exact=True).fill("160x90")
    page.locator("[name=quality]").select_option("sketch")
    page.get_by_label("Last frame").fill("0")
    page.get_by_role("button", name="Begin the take").click()
    expect(page.locator("#take-fault")).to_contain_text("at least one frame")
    page.get_by_label("Last frame").fill("8")
    page.get_by_role("button", name="Begin the take").click()
    page.wait_for_url("**/takes/")
    expect(page.locator("article")).to_contain_text("of 8 frames")
    page.goto("about:blank")  # close the page and come back: the take goes on
    page.goto(f"{live_server.url}/places/{Place.objects.get().pk}/takes/")
    expect(page.locator(".take-state")).to_have_text("Done", timeout=300_000)
    video = page.locator("video")
    video.evaluate("v => { v.muted = true; v.preload = 'auto'; v.load(); return v.play(); }")
    page.wait_for_function("document.querySelector('video').currentTime > 0.05")
    assert video.evaluate("v => [v.videoWidth, v.videoHeight]") == [160, 90]
    assert video.evaluate("v => v.duration") == pytest.approx(8 / 24, abs=0.05)
    with page.expect_download() as got:
        page.get_by_role("link", name="Frames, zip").click()
    with zipfile.ZipFile(io.BytesIO(Path(got.value.path()).read_bytes())) as z:
        assert [n for n in z.namelist() if n.endswith(".png")] == [f"first.{i:05d}.png" for i in range(1, 9)]


def ready(page: Page, count: int, timeout: int = 180_000) -> None:
    """Wait until so many frames of the shot lie ready, fetched and all."""
    page.wait_for_function(
        "(() => "
        f"{{ const w = Alpine.$data(document.querySelector('[x-data^=workspace]')), keys = "
        f"Object.values(w.frames); return keys.length === {count} && keys.every((k) => w.blobs.get(k)); }})()",
        timeout=timeout,
    )


def test_rehearse_and_play_at_true_speed(page: Page, live_server: Any, place: Any, worker: Any) -> None:
    place.edit(1, {"op": "set", "path": "/shots/a/frames", "value": 12})
    for number, (t, v) in enumerate(((0.0, 14.0), (0.25, 14.0)), 2):
        place.edit(number, {"op": "key", "path": "/shots/a/exposure/ev100", "t": t, "value": v})
    worker()
    sign_in(page, live_server.url)
    page.goto(f"{live_server.url}/places/{place.pk}/")
    looked(page, 1)
    page.get_by_role("button", name="Rehearse").click()
    ready(page, 12)
    expect(page.locator("[data-ready='12']")).to_have_count(1)
    page.locator("#look").focus()
    page.keyboard.press(" ")
    # what is shown, and when: however seldom a busy machine draws, each drawing is of the frame of its moment
    seen = page.evaluate(
        """() => new Promise((done) => { const seen = []; const start = performance.now();
            const tick = (now) => { const f = Number(document.querySelector('#look').dataset.rehearsal);
            if (f && seen.at(-1)?.[1] !== f) seen.push([now, f]); now - start < 2000 ? requestAnimationFrame(tick) :
            done(seen); }; requestAnimationFrame(tick); })"""
    )
    when, frame = np.array(seen).T
    passed = np.concatenate([[0], np.cumsum(np.diff(frame) % 12)])
    assert len(seen) > 4 and set(frame) <= set(range(1, 13))
    assert np.polyfit(when / 1000, passed, 1)[0] == pytest.approx(24, rel=0.08)
    page.keyboard.press(" ")
    # at a quarter of the pace a quarter as many are passed
    page.get_by_label("Pace of playing").select_option("0.25")
    page.locator("#look").focus()
    page.keyboard.press(" ")
    page.wait_for_function("Number(document.querySelector('#look').dataset.passed) >= 3")
    page.keyboard.press(" ")
    assert ws(page, "w.pace") == 0.25
    # an edit makes anew only what it touches: a key after a quarter of a second leaves the frames before it
    kept = ws(page, "Object.values(w.frames).slice(0, 6)")
    page.evaluate(
        "Alpine.$data(document.querySelector('[x-data^=workspace]')).command({ "
        "op: 'key', path: '/shots/a/exposure/ev100', t: 0.4, value: 13 })"
    )
    revision(page, 5)
    page.wait_for_function(
        "(() => { const n = "
        "Object.keys(Alpine.$data(document.querySelector('[x-data^=workspace]')).frames).length; "
        "return n > 5 && n < 12; })()",
        timeout=9_000,
    )
    assert ws(page, "Object.values(w.frames)")[:6] == kept
    ready(page, 12)  # and the rest is filled by itself
    # the same again is there at once, without asking for it
    page.reload()
    looked(page)
    ready(page, 12, 5_000)
    assert Take.objects.count() == 2


def test_a_take_is_cancelled_and_gone_on_with(page: Page, live_server: Any, place: Any, worker: Any) -> None:
    worker()
    sign_in(page, live_server.url)
    take = Take.begin(place, "a", Order("take", (480, 270), "study", 1, 24))
    page.goto(f"{live_server.url}/places/{place.pk}/takes/")
    row = page.locator(f"#take-{take.pk}")
    expect(row.locator(".num", has_text="of 24")).to_contain_text(re.compile(r"[1-9]\d? of 24"), timeout=300_000)
    row.get_by_role("button", name="Cancel").click()
    expect(row.locator(".take-state")).to_have_text("Cancelled")
    assert take.frames.filter(state="waiting").count() >= 3
    row.get_by_role("button", name="Go on", exact=True).click()
    expect(row.locator(".take-state")).to_have_text("Done", timeout=300_000)
    assert take.frames.filter(state="done").count() == 24


def drop(page: Page, onto: str, name: str, data: bytes, east: float, north: float) -> None:
    """Let a file go over the chart, over a spot of the place."""
    page.evaluate(
        """([onto, name, data, east, north]) => {
            const w = Alpine.$data(document.querySelector('[x-data^=workspace]')), b = w.viewBox();
            const target = document.querySelector(onto), r = target.getBoundingClientRect();
            const held = new DataTransfer();
            held.items.add(new File([Uint8Array.from(atob(data), (c) => c.charCodeAt(0))], name));
            const at = { clientX: r.left + ((east - b[0]) / b[2]) * r.width,
                clientY: r.top + ((-north - b[1]) / b[3]) * r.height };
            for (const kind of ['dragover', 'drop'])
                target.dispatchEvent(
                    new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: held, ...at }));
        }""",
        [onto, name, base64.b64encode(data).decode(), east, north],
    )


def test_a_zip_dropped_on_the_chart_is_asked_how_large_it_is(page: Page, live_server: Any, place: Any) -> None:
    hull = trimesh.creation.box((309, 60, 120))
    sign_in(page, live_server.url)
    page.goto(f"{live_server.url}/places/{place.pk}/")
    first = looked(page, 1)
    drop(page, "[x-ref=chart]", "boat.zip", zipped({"boat/hull.glb": hull.export(file_type="glb")}), 12.0, -8.0)
    revision(page, 2)
    asked = page.get_by_role("alertdialog", name="How large it is meant to be")
    expect(asked).to_contain_text("hull is 309 m long by its file: 3.09 m (centimetres) or 31 cm (millimetres)?")
    expect(asked.locator("svg [data-person]")).to_have_count(4)
    thing = Place.objects.get(pk=place.pk).head.parsed().things[0]
    assert (float(thing.east), float(thing.north)) == pytest.approx((12.0, -8.0), abs=0.5)
    assert page.locator("[data-mark=model1] [data-outline]").get_attribute("d")
    small = page.locator("[data-mark=model1] [data-outline]").bounding_box()
    seen = new_look(page, first)
    asked.get_by_role("button", name="7.85 m (inches)").click()
    revision(page, 3)
    expect(asked).to_have_count(0)
    expect(page.get_by_role("button", name="undo: hull is 7.85 m long")).to_be_visible()
    thing = Place.objects.get(pk=place.pk).head.parsed().things[0]
    assert float(thing.scale) == 0.0254
    page.wait_for_function(
        "(was) => document.querySelector('[data-mark=model1] path').getBoundingClientRect().width > 1.8 * was",
        arg=small["width"],
    )
    new_look(page, seen)


def test_a_place_file_goes_out_and_comes_in_by_the_browser(
    page: Page, live_server: Any, place: Any, tmp_path: Path
) -> None:
    sign_in(page, live_server.url)
    with page.expect_download() as got:
        page.get_by_role("link", name="Place file").click()
    path = tmp_path / "small.place.zip"
    got.value.save_as(path)
    page.get_by_role("button", name="Throw out").click()
    expect(page.get_by_text("There is no place yet")).to_be_visible()
    page.get_by_role("button", name="bring Small back").click()
    expect(page.get_by_role("link", name="Small")).to_be_visible()
    page.locator("input[type=file]").set_input_files(str(path))
    page.get_by_role("button", name="Bring it in").click()
    page.wait_for_url("**/places/*/")
    looked(page)
    assert Place.objects.count() == 2 and Place.objects.first().head.parsed() == place.head.parsed()
    path.write_bytes(path.read_bytes()[:2000])
    page.goto(live_server.url + "/")
    page.locator("input[type=file]").set_input_files(str(path))
    page.get_by_role("button", name="Bring it in").click()
    expect(page.locator("#fault")).to_contain_text("cut short or damaged")


def test_furnish_a_place(page: Page, live_server: Any, place: Any, tmp_path: Path) -> None:
    """A model is brought in, given a surface, lit by a lamp, and moved on the chart; white is taken from a grey."""
    model = tmp_path / "crate.glb"
    model.write_bytes(trimesh.Scene([trimesh.creation.box((1.2, 1.2, 1.2))]).export(file_type="glb"))
    sign_in(page, live_server.url)
    page.get_by_role("link", name="Small").first.click()
    first = looked(page, 2)
    page.get_by_role("button", name="1 Land").click()
    page.get_by_label("Bring in models …").set_input_files(model)
    revision(page, 2)
    expect(page.locator("#slip")).to_contain_text("crate")
    expect(page.locator("[data-mark=model1]")).to_have_count(1)
    seen = new_look(page, first)
    # drag it on the chart
    box = box_of(page, "[data-mark=model1] path")
    page.mouse.move(box["x"] + 4, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(box["x"] + 24, box["y"] + 14, steps=4)
    page.mouse.up()
    revision(page, 3)
    expect(page.get_by_role("button", name="undo: moved model crate")).to_be_visible()
    # a surface of its own
    ws(page, "w.select('')")
    page.get_by_role("button", name="Make a surface").click()
    revision(page, 4)
    page.locator("#slip").get_by_label("Pattern", exact=True).select_option("brick")
    revision(page, 5)
    page.locator("[data-mark=model1]").press("Enter")
    page.locator("#slip").get_by_label("Surface", exact=True).select_option("surface1")
    revision(page, 6)
    seen = new_look(page, seen)
    # a lamp, by kelvin and lumen
    page.get_by_role("button", name="4 Air").click()
    page.get_by_role("button", name="Hang a lamp here").click()
    revision(page, 7)
    set_field(page, "Light", "1200")
    revision(page, 8)
    d = Place.objects.get().head.parsed()
    assert d.things[0].surface == "surface1" and d.surfaces[0].pattern == "brick" and d.lamps[0].amount == 1200
    seen = new_look(page, seen)
    # where the look still needs samples
    page.get_by_role("button", name="noise", exact=True).click()
    expect(page.get_by_role("button", name="hide noise")).to_be_visible()
    page.get_by_role("button", name="hide noise").click()
    # a file that is none: a sentence, and nothing changed
    bad = tmp_path / "words.glb"
    bad.write_text("not a model")
    page.get_by_role("button", name="1 Land").click()
    ws(page, "w.select('')")
    page.get_by_label("Bring in models …").set_input_files(bad)
    expect(page.get_by_role("alert")).to_contain_text("cannot be read as a model")
    # white from a grey spot of the look
    page.get_by_role("button", name="6 Cut").click()
    page.get_by_role("tab", name="Print").click()
    page.get_by_role("button", name="White from a grey in the look").click()
    box = page.locator("#look").bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + 12)
    page.wait_for_function("/white from a grey|coloured/.test(document.body.innerText)")
    found = Axe().run(page).response["violations"]
    assert not found, [(v["id"], n["html"]) for v in found for n in v["nodes"]]
