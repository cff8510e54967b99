"""Blocking a place out, lighting it, handing it on and showing it to a client, in the browser."""

import io
import zipfile
from typing import Any

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from lumwick.built.bring.importing import import_model
from studio.guests.models import Answer, Link
from studio.places.models import Place
from tests.browser.conftest import looked, new_look, sign_in, ws
from tests.browser.test_journeys import revision, set_field
from tests.core.built.test_moving_models import moved
from tests.studio.test_guests import done_take

pytestmark = pytest.mark.django_db(transaction=True)


def opened(page: Page, url: str) -> None:
    sign_in(page, url)
    page.get_by_role("link", name="Small").first.click()
    looked(page, 0)
    page.keyboard.press("1")


def document() -> Any:
    return Place.objects.get().head.parsed()


def test_block_a_place_out_with_shapes_and_ready_made_surfaces(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    slip = page.locator("#slip")
    slip.get_by_role("button", name="Brass", exact=True).click()
    revision(page, 2)
    ws(page, "w.select('')")
    slip.get_by_role("button", name="room", exact=True).click()
    revision(page, 3)
    room = document().things[0]
    assert room.shape.kind == "room" and (room.east, room.north) != (0.0, 0.0)  # on the ground ahead
    seen = looked(page, 0)
    slip.get_by_label("Surface").select_option(label="Brass")
    revision(page, 4)
    new_look(page, seen)
    page.get_by_role("tab", name="Form and surfaces").click()
    slip.get_by_role("button", name="Cut an opening").click()
    revision(page, 5)
    set_field(page, "Sill", "0.4")
    revision(page, 6)
    assert document().things[0].shape.openings[0].up == pytest.approx(0.4)
    page.get_by_role("tab", name="Copies").click()
    slip.get_by_role("button", name="Set out copies").click()
    revision(page, 7)
    set_field(page, "Later each by", "0.5")
    revision(page, 8)
    made = document().things[0]
    assert made.copies.later == 0.5 and made.copies.step > made.shape.width  # clear of one another
    expect(page.get_by_role("button", name="undo:")).to_be_visible()


def test_throw_a_ball_from_the_playhead(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    slip = page.locator("#slip")
    slip.get_by_role("button", name="ball", exact=True).click()
    revision(page, 2)
    page.get_by_role("tab", name="Motion").click()
    slip.get_by_label("Speed").fill("7")
    slip.get_by_label("Bounce").fill("1.5")
    slip.get_by_role("button", name="Throw it").click()
    expect(page.get_by_text("It cannot be thrown so: bounce")).to_be_visible()
    slip.get_by_label("Bounce").fill("0.5")
    slip.get_by_label("Upwards").focus()
    with page.expect_response("**/slip/**"):  # a new slip while the form is being filled in wipes nothing
        ws(page, "w.slip()")
    page.wait_for_timeout(200)
    assert slip.get_by_label("Speed").input_value() == "7" and slip.get_by_label("Bounce").input_value() == "0.5"
    slip.get_by_role("button", name="Throw it").click()
    revision(page, 3)
    ball = document().things[0]
    assert ball.rolls and len(ball.up.keys) > 4 and ball.north.keys[-1].v > ball.north.keys[0].v + 2
    expect(page.get_by_role("button", name="undo: threw Ball 1")).to_be_visible()


def test_hang_lamps_with_one_switch_and_let_a_model_carry_one(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    slip = page.locator("#slip")
    slip.get_by_role("button", name="box", exact=True).click()
    revision(page, 2)
    page.keyboard.press("4")
    ws(page, "w.select('')")
    slip.get_by_role("button", name="Hang a lamp here").click()
    revision(page, 3)
    slip.get_by_label("Kind").select_option("spot")
    revision(page, 4)
    slip.get_by_role("button", name="Make a group").click()
    revision(page, 5)
    set_field(page, "Dimmed to", "0.5")
    revision(page, 6)
    slip.get_by_label("Comes on at dusk").select_option("yes")
    revision(page, 7)
    before = document().lamps[0]
    slip.get_by_label("Carried by").select_option(label="Box 1")
    revision(page, 8)
    lamp = document().lamps[0]
    assert lamp.held == document().things[0].id and lamp.dusk and document().lamp_groups[0].dim == 0.5
    box = document().things[0]
    # it hangs where it hung, told from the box now
    assert (box.east + lamp.east, box.north + lamp.north) == pytest.approx((before.east, before.north), abs=0.01)
    page.get_by_role("tab", name="Thrown shadow").click()
    slip.get_by_role("button", name="Throw a shadow").click()
    revision(page, 9)
    slip.get_by_label("Shadow of").select_option("window")
    revision(page, 10)
    assert document().lamps[0].gobo.kind == "window"


def test_a_model_that_moves_plays_and_the_place_goes_out_with_it(page: Page, live_server: Any, place: Any) -> None:
    opened(page, live_server.url)
    data = moved([(0, "translation", "LINEAR", [0, 1], [[0, 0, 0], [2, 0, 0]])])
    page.get_by_label("Bring in models …").set_input_files(
        {"name": "flag.glb", "mimeType": "model/gltf-binary", "buffer": data}
    )
    revision(page, 2)
    expect(page.get_by_text("1 motion")).to_be_visible()
    assert document().things[0].plays.clip == "go"
    ws(page, f"w.select('{document().things[0].id}')")
    slip = page.locator("#slip")
    page.get_by_role("tab", name="Motion").click()
    slip.get_by_label("Plays", exact=True).select_option("to and fro")
    revision(page, 3)
    assert document().things[0].plays.how == "to and fro"
    # handed on: its size told, then the files
    page.keyboard.press("5")
    page.get_by_role("button", name="Files…").click()
    page.get_by_label("to", exact=True).fill("3")
    page.get_by_role("button", name="How large?").click()
    expect(page.get_by_text("3 frames: about")).to_be_visible(timeout=120_000)
    for part in ("plants", "water", "ground"):
        page.get_by_label(part, exact=True).uncheck()
    with page.expect_download(timeout=120_000) as got:
        page.get_by_role("link", name="Hand it on").click()
    with zipfile.ZipFile(got.value.path()) as z:
        (name,) = [n for n in z.namelist() if n.endswith(".usd")]
        (taken,) = import_model({"place.usd": z.read(name)})
    assert taken.motions and taken.motions[0].seconds == pytest.approx(2 / 24)


def test_a_client_walks_in_and_signs_off(page: Page, browser: Browser, live_server: Any, place: Any) -> None:
    sign_in(page, live_server.url)
    take = done_take(place)
    page.goto(f"{live_server.url}/places/{place.pk}/takes/")
    page.get_by_label("For", exact=True).fill("Harbour Trust")
    page.get_by_role("button", name="Make a link").click()
    expect(page.get_by_text("Harbour Trust")).to_be_visible()
    link = Link.objects.get()
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    guest = context.new_page()
    guest.goto(f"{live_server.url}/seen/{link.token}/")
    guest.wait_for_function("document.querySelector('#guest-look').dataset.step !== undefined", timeout=120_000)
    first = guest.screenshot(clip=_box(guest))
    guest.locator("#guest-look").focus()
    for _ in range(4):
        guest.keyboard.press("ArrowUp")
    guest.wait_for_timeout(3000)
    a, b = (np.asarray(_image(p), float) for p in (first, guest.screenshot(clip=_box(guest))))
    assert np.abs(a - b).mean() > 1  # one has gone ahead
    card = guest.locator(f"#take-{take.number}")
    card.get_by_label("Your name").fill("Ada")
    card.get_by_label("What you say of it").fill("The light is right.")
    card.get_by_role("button", name="Sign it off").click()
    expect(guest.get_by_text("The light is right.")).to_be_visible()
    assert Answer.objects.get().verdict == "approved"
    page.reload()
    expect(page.get_by_text("The light is right.")).to_be_visible()
    page.get_by_role("button", name="end it").click()
    guest.reload()
    expect(guest.get_by_role("heading", name="This link has ended")).to_be_visible()
    context.close()


def _box(page: Page) -> Any:
    return page.locator("#guest-look").bounding_box()


def _image(data: bytes) -> Any:
    return Image.open(io.BytesIO(data)).convert("RGB")
