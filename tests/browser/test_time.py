"""Keys by hand, curves in place, motions by recipe, the clip's clock and its seam, as a person uses them."""

from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from lumwick.motion.channel import Channel, Key, evaluate
from lumwick.place.objects import Lamp
from studio.places.models import Place
from tests.browser.conftest import looked, ws
from tests.browser.test_journeys import open_place, revision, set_field
from tests.studio.conftest import kept_place

pytestmark = pytest.mark.django_db(transaction=True)
EV = "/shots/a/exposure/ev100"
W = "Alpine.$data(document.querySelector('[x-data^=workspace]'))"


def keys(path: str = EV) -> list[tuple[float, float]]:
    shot = Place.objects.get().head.parsed().shots[0]
    return [(round(k.t, 4), round(k.v, 4)) for k in shot.exposure.ev100.keys]


def keyed(place: Any, *points: tuple[float, float]) -> None:
    for number, (t, v) in enumerate(points, 1):
        place.edit(number, {"op": "key", "path": EV, "t": t, "value": v, "join": "straight"})


def spot(page: Page, t: float, v: float | None = None) -> tuple[float, float]:
    """Where a key of the exposure's lane is on the page."""
    return tuple(
        page.evaluate(
            "([path, t, v]) => { const w = "
            + W
            + """, r = document.querySelector('#lanecanvas').getBoundingClientRect(),
                row = w.rows().find((q) => q.lane.path === path);
        const y = row.high > 22 && v !== null ? w.openScale.Y(v) : row.y - w.$refs.lanes.scrollTop + 8;
            return [r.left + w.lineX(t), r.top + y]; }""",
            [EV, t, v],
        )
    )


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=2)
    page.mouse.move(*end, steps=3)
    page.mouse.up()


def test_keys_by_hand(page: Page, live_server: Any, place: Any) -> None:
    keyed(place, (0.0, 14.0), (0.25, 13.0), (0.5, 12.0))
    open_place(page, live_server, place)
    page.get_by_role("button", name="6 Cut").click()
    # one key is dragged, and lands on a frame
    drag(page, spot(page, 0.25), (spot(page, 0.375)[0] + 2, spot(page, 0.375)[1]))
    revision(page, 5)
    assert keys() == [(0.0, 14.0), (0.375, 13.0), (0.5, 12.0)]
    expect(page.locator("#picked")).to_contain_text("a key of Exposure")
    # its exact time and value are typed
    page.get_by_label("Time of the key").fill("7")
    page.get_by_label("Time of the key").press("Enter")
    revision(page, 6)
    page.get_by_label("Value of the key").fill("13.5 EV")
    page.get_by_label("Value of the key").press("Enter")
    revision(page, 7)
    assert keys() == [(0.0, 14.0), (0.25, 13.5), (0.5, 12.0)]
    page.get_by_label("Value of the key").fill("bright")
    page.get_by_label("Value of the key").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Exposure must be a number")
    # a band picks several; the bracket's end stretches them; arrows move them by frames
    a, b = spot(page, 0.25), spot(page, 0.5)
    drag(page, (a[0] - 14, a[1] + 30), (b[0] + 14, b[1] - 6))
    expect(page.locator("#picked")).to_contain_text("2 keys of Exposure")
    canvas = page.locator("#lanecanvas").bounding_box()
    assert canvas
    drag(page, (b[0], canvas["y"] + 3), (spot(page, 0.75)[0], canvas["y"] + 3))
    revision(page, 8)
    assert keys() == [(0.0, 14.0), (0.25, 13.5), (0.75, 12.0)]
    page.locator("[aria-label=Lanes]").focus()
    page.keyboard.press("ArrowRight")
    revision(page, 9)
    assert keys()[1:] == [(0.2917, 13.5), (0.7917, 12.0)]
    page.get_by_label("slower by").fill("0.5")
    page.get_by_label("slower by").press("Enter")
    revision(page, 10)
    assert keys()[1:] == [(0.2917, 13.5), (0.5417, 12.0)]
    page.get_by_role("button", name="reverse").click()
    revision(page, 11)
    assert keys()[1:] == [(0.2917, 12.0), (0.5417, 13.5)]
    # copied and set at the playhead, removed, and each step can be taken back by its name
    page.locator("#look").focus()
    page.keyboard.press("Control+c")
    page.keyboard.press("Home")
    for _ in range(15):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Control+v")
    revision(page, 12)
    assert len(keys()) == 5 and keys()[3][0] == pytest.approx(0.625)
    page.keyboard.press("Delete")
    revision(page, 13)
    assert len(keys()) == 3
    page.keyboard.press("Control+z")
    page.wait_for_function(f"{W}.s.redo === 'removed 2 keys of exposure'")


def test_keys_by_the_keyboard_alone(page: Page, live_server: Any, place: Any) -> None:
    keyed(place, (0.0, 14.0), (0.25, 13.0), (0.5, 12.0))
    place.edit(4, {"op": "key", "path": "/air/haze", "t": 0.0, "value": 0.2})
    open_place(page, live_server, place)
    lanes = page.locator("[aria-label=Lanes]")
    lanes.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#picked")).to_have_text("a key of Exposure")
    page.keyboard.press("Control+ArrowRight")
    assert ws(page, "Object.values(w.picked)[0]") == [0.25] and ws(page, "w.frame()") == 7  # the playhead goes along
    page.keyboard.press("ArrowRight")
    revision(page, 6)
    assert keys()[1] == (0.2917, 13.0)
    page.keyboard.press("Control+Shift+ArrowRight")
    expect(page.locator("#picked")).to_contain_text("2 keys of Exposure")
    page.keyboard.press("Shift+ArrowRight")
    revision(page, 7)
    assert [t for t, _ in keys()] == [0.0, 0.7083, 0.9167]
    page.keyboard.press("Enter")
    expect(page.get_by_label("before the first key")).to_have_count(0)  # keys are picked: their tools stand there
    assert ws(page, "w.openLane") == EV
    page.keyboard.press("ArrowDown")
    expect(page.locator("#picked")).to_have_text("a key of Haze")
    page.keyboard.press("Delete")
    revision(page, 8)
    assert Place.objects.get().head.parsed().air.haze == 0.2


def test_a_lane_opens_into_its_curve(page: Page, live_server: Any, place: Any) -> None:
    keyed(place, (0.0, 14.0), (0.5, 10.0))
    open_place(page, live_server, place)
    page.locator(f"[data-lane='{EV}'] button").first.click()
    page.wait_for_function(f"{W}.openScale")
    expect(page.get_by_label("before the first key")).to_have_value("hold")
    page.get_by_label("after the last key").select_option("mirror")
    revision(page, 4)
    # free handles: chosen, then one is dragged
    x, y = spot(page, 0.0, 14.0)
    page.mouse.click(x, y)
    page.get_by_label("Way to the next key").select_option("free")
    revision(page, 5)
    grip = page.evaluate(
        "(() => "
        f"{{ const w = {W}, r = document.querySelector('#lanecanvas').getBoundingClientRect(), g = "
        f"w.grips.find((q) => q.at === 0); return [r.left + g.x, r.top + g.y]; }})()"
    )
    drag(page, tuple(grip), (grip[0] + 30, grip[1] - 25))
    revision(page, 6)
    key = Place.objects.get().head.parsed().shots[0].exposure.ev100.keys[0]
    assert key.join == "free" and key.handles[0] > 0.34 and key.handles[1] > -4 / 3
    # dragged up, a key changes its value; a double click sets one on the curve
    x, y = spot(page, 0.5, 10.0)
    drag(page, (x, y), (x + 1, y - 30))
    revision(page, 7)
    assert keys()[1][0] == 0.5 and keys()[1][1] > 10.3
    page.keyboard.press("Escape")
    x, y = spot(page, 0.25, float(ws(page, "w.curve(w.lane('/shots/a/exposure/ev100')).at(0.25)")))
    page.mouse.dblclick(x + 60, y)
    revision(page, 8)
    assert len(keys()) == 3
    # time zooms, fits and frames
    page.mouse.move(x, y)
    page.get_by_role("button", name="frame them").click()
    assert ws(page, "w.span().b - w.span().a") < 1.0
    page.keyboard.press("Escape")
    page.get_by_role("button", name="whole clip").click()
    assert ws(page, "w.win") is None
    page.get_by_role("button", name="remove animation").click()
    revision(page, 9)
    assert isinstance(Place.objects.get().head.parsed().shots[0].exposure.ev100, float)


def test_a_keyed_value_asks_before_it_sets_a_key(page: Page, live_server: Any, place: Any) -> None:
    keyed(place, (0.0, 14.0), (0.5, 12.0))
    open_place(page, live_server, place)
    page.get_by_role("button", name="4 Air").click()
    page.locator("#look").focus()
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    set_field(page, "Exposure", "11")
    asked = page.get_by_role("alertdialog")
    expect(asked).to_contain_text("nothing was changed yet")
    assert Place.objects.get().head.number == 3
    asked.get_by_role("button", name="Move the whole curve").click()
    revision(page, 4)
    assert keys() == [(0.0, 12.0), (0.5, 10.0)]
    page.get_by_role(
        "button", name="changes set no keys"
    ).click()  # from now on changes set keys, and the button says so
    expect(page.get_by_role("button", name="changes set keys")).to_have_attribute("aria-pressed", "true")
    set_field(page, "Exposure", "13")
    revision(page, 5)
    assert keys() == [(0.0, 12.0), (0.25, 13.0), (0.5, 10.0)]


def test_the_curve_that_is_drawn_is_the_curve_that_is_kept(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    rng = np.random.default_rng(5)
    joins = [
        "step",
        "steps",
        "straight",
        *(f"{f}_{s}" for f in ("quad", "cubic", "sine") for s in ("in", "out", "both")),
        "smooth",
        "spline",
        "bezier",
        "free",
    ]
    beyond = ["hold", "straight_on", "cycle", "cycle_offset", "mirror"]
    t = np.linspace(-3, 9, 241)
    for case in range(60):
        n, one = int(rng.integers(1, 8)), str(rng.choice(joins))
        times = np.sort(rng.choice(np.arange(0, 60), n, replace=False)) / 10
        pick = (lambda one=one: one) if case % 3 == 0 else (lambda: str(rng.choice(joins)))
        channel = Channel(
            keys=tuple(
                Key(
                    t=float(a),
                    v=float(v),
                    join=pick(),
                    bezier=tuple(rng.uniform(0, 1, 4)),
                    handles=(
                        float(rng.uniform(0, 1)),
                        float(rng.uniform(-3, 3)),
                        float(rng.uniform(0, 1)),
                        float(rng.uniform(-3, 3)),
                    ),
                    steps=int(rng.integers(2, 6)),
                    jump=str(rng.choice(["end", "start", "none", "both"])),
                )
                for a, v in zip(times, rng.uniform(1, 9, n), strict=True)
            ),
            before=str(rng.choice(beyond)),
            after=str(rng.choice(beyond)),
            blend="ratio" if case % 4 == 0 else "even",
        )
        drawn = np.array(
            page.evaluate(
                "async ([lane, ts]) => { const { readied } = await import('/static/kit/curves.js');"
                " const c = readied({ kind: 'number', ...lane }); return ts.map((t) => c.at(t)); }",
                [channel.model_dump(), t.tolist()],
            ),
            float,
        )
        kept = evaluate(channel, t)
        # where it jumps the two may part by one sample's rounding
        off = np.abs(drawn - kept) > 2e-3 * (np.abs(kept) + 1)
        assert off.sum() <= 2, f"case {case}: {channel} at {t[off]}: {drawn[off]}, not {kept[off]}"


def test_easings_are_the_browsers_own(page: Page, live_server: Any, place: Any) -> None:
    # reference: CSS Easing Functions as Chromium computes them for an animation's progress
    open_place(page, live_server, place)
    x = np.linspace(0.01, 0.99, 37)
    cases: dict[str, dict[str, Any]] = {
        f"cubic-bezier({', '.join(map(str, c))})": {"join": "bezier", "bezier": c}
        for c in ((0.25, 0.1, 0.25, 1.0), (0.42, 0.0, 0.58, 1.0), (0.1, 1.4, 0.7, -0.5), (1.0, 0.0, 0.0, 1.0))
    }
    cases |= {
        f"steps({n}, jump-{jump})": {"join": "steps", "steps": n, "jump": jump}
        for n in (2, 5)
        for jump in ("start", "end", "none", "both")
    }
    for css, way in cases.items():
        reference = page.evaluate(
            """([easing, xs]) => { const e = new KeyframeEffect(document.body, [{ opacity: 1 }, { opacity: 1 }], {
                duration: 1000, easing, fill: 'both' }), a = new Animation(e);
                return xs.map((x) => { a.currentTime = 1000 * x; return e.getComputedTiming().progress; }); }""",
            [css, x.tolist()],
        )
        assert evaluate(Channel(keys=(Key(t=0, v=0, **way), Key(t=1, v=1))), x) == pytest.approx(reference, abs=2e-4), (
            css
        )


def test_motions_by_recipe_the_loop_and_its_seam(page: Page, live_server: Any, account: Any) -> None:
    place = kept_place(account, lamps=[Lamp(id="beam", name="Beam", kind="spot", east=5, north=5, up=8)])
    open_place(page, live_server, place)
    page.get_by_role("button", name="4 Air").click()
    page.evaluate(f"{W}.select('beam')")
    bearing = page.locator("#slip").get_by_label("Shines to", exact=True)
    bearing.focus()
    page.locator("#look").focus()
    page.keyboard.press("m")
    expect(page.get_by_role("dialog")).to_contain_text("Make it move: Beam: shines to")
    page.get_by_label("Turns in the clip").fill("one and a half")
    page.get_by_role("button", name="Make it move", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("must be a number")
    page.get_by_label("Turns in the clip").fill("1.5")
    page.get_by_role("button", name="Make it move", exact=True).click()
    revision(page, 2)
    expect(page.get_by_role("button", name="undo: shines to turns 1.5 times a clip")).to_be_visible()
    # a flicker over its light, changed afterwards
    page.evaluate(f"{W}.openMover('/lamps/beam/amount')")
    page.get_by_label("flicker").check()
    page.get_by_role("button", name="Make it move", exact=True).click()
    revision(page, 3)
    page.get_by_role("button", name="flicker, candle").click()
    page.get_by_label("Depth, 0 to 1").fill("0.8")
    page.get_by_role("button", name="Change it").click()
    revision(page, 4)
    lamp = Place.objects.get().head.parsed().lamps[0]
    assert lamp.amount.terms[0].depth == 0.8 and lamp.bearing.keys[1].v == 540
    # the seam: what does not close is listed with its repairs
    page.get_by_role("button", name="seam", exact=True).click()
    gaps = page.locator("#gaps")
    expect(gaps).to_contain_text("do not close: the clip is not declared a loop")
    gaps.get_by_role("button", name="make the clip a loop").first.click()
    revision(page, 5)
    expect(gaps).to_contain_text("Beam: shines to jumps by 180")
    expect(gaps).to_contain_text("Beam: light closes")
    gaps.get_by_role("button", name="fit its rounds into the loop").click()
    revision(page, 6)
    expect(gaps).to_contain_text("Beam: shines to closes")
    expect(gaps).to_contain_text("The camera ends")
    gaps.get_by_role("button", name="run the clip there and back").first.click()
    revision(page, 7)
    expect(page.get_by_role("dialog")).to_contain_text("Everything closes")
    page.get_by_role("button", name="Compare the pictures").click()
    expect(page.locator("#seam-said")).to_contain_text("times the usual one", timeout=90_000)


def test_clip_and_clock_in_one_step_what_moves_and_states_by_name(page: Page, live_server: Any, place: Any) -> None:
    open_place(page, live_server, place)
    page.get_by_title("Clip and clock").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("One frame each").fill("30 s")
    dialog.get_by_label("Event").nth(1).fill("1 h")
    dialog.get_by_label("Clip", exact=True).fill("")
    dialog.get_by_role("button", name="Plan").click()
    expect(page.locator("#plan")).to_contain_text("120 frames, one each 30 s")
    dialog.get_by_label("Clip length").fill("2 s")
    dialog.locator("form", has_text="Around an event").get_by_role("button", name="Set").click()
    revision(page, 2)
    shot = Place.objects.get().head.parsed().shots[0]
    assert (shot.frames, shot.clock.speed) == (48, 5400)
    expect(page.locator("svg[aria-label=Playhead]")).to_contain_text("sunset")
    # how much moves, over the look
    page.get_by_role("button", name="motion", exact=True).click()
    expect(page.locator("#amounts")).to_contain_text("px a frame", timeout=90_000)
    expect(page.locator("#amounts")).to_contain_text("camera")
    page.get_by_role("button", name="hide motion").click()
    expect(page.locator("#amounts")).to_have_count(0)
    # a state gets a name, and is told apart from the one before
    page.get_by_role("button", name="history").click()
    page.get_by_label("Name of state 2").fill("evening")
    page.get_by_label("Name of state 2").press("Enter")
    expect(page.locator("#history")).to_contain_text("Named: evening")
    page.get_by_role("button", name="What is different?").click()
    expect(page.locator("#changes")).to_contain_text("A: frames 24 → 48")
    page.keyboard.press("Escape")
    # a range on the ruler is what a take offers
    line = page.get_by_role("slider", name="Playhead").bounding_box()
    assert line
    page.keyboard.down("Shift")
    drag(page, (line["x"] + line["width"] * 0.25, line["y"] + 8), (line["x"] + line["width"] * 0.5, line["y"] + 8))
    page.keyboard.up("Shift")
    first, last = ws(page, "w.range")
    assert 10 <= first <= 15 and 22 <= last <= 27
    page.locator("#look").focus()
    page.keyboard.press("t")
    expect(page.get_by_label("First frame")).to_have_value(str(first))
    looked(page)
