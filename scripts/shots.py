"""``make shots``: one picture of each main view, from the demo, into docs/screenshots/ (ONLY=name for one)."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from bench.pages import WORKSPACE, studio, visitor

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


class Photographer:
    """Brings a page to each view in turn."""

    def __init__(self, page: Any, url: str) -> None:
        self.page, self.url, self.place = page, url, page.url

    def look(self, shot: str, t: float, bench: str, selected: str = "") -> None:
        """The place at a moment of a shot, on a bench, once the look is finished."""
        if self.page.url != self.place:
            self.page.goto(self.place)
            self.page.wait_for_selector("#look[data-step]")
        self.page.evaluate(
            "([id, t]) => "
            f"{{ const w = {WORKSPACE}; document.querySelector('#look').dataset.step = -1; return "
            f"w.pickShot(id).then(() => w.go(t)); }}",
            [shot, t],
        )
        self.page.keyboard.press(bench)
        self.page.evaluate(f"(id) => {WORKSPACE}.select(id)", selected)
        time.sleep(1)
        self.page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4", timeout=300_000)
        self.page.wait_for_selector("#slip .field")
        time.sleep(0.6)

    def route(self) -> None:
        self.look("dawn", 1.2, "5", "s2")

    def land(self) -> None:
        self.look("boardwalk", 5.0, "1")

    def air(self) -> None:
        """A view with small looks through its day."""
        self.look("sunset", 5.4, "4")
        self.page.get_by_role("button", name="looks through the day").click()
        self.page.wait_for_function("document.querySelectorAll('.day-look').length >= 16", timeout=300_000)
        self.page.evaluate("document.querySelector('#look').dataset.step = -1")
        self.page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4", timeout=300_000)

    def aloft(self) -> None:
        """The creek by moonlight, and the air by its height."""
        self.look("moonlit", 7.0, "4")
        self.page.get_by_role("tab", name="Clouds").click()
        self.page.wait_for_selector("[data-air]", timeout=60_000)
        time.sleep(1)

    def water(self) -> None:
        self.look("shore", 3.0, "2")

    def growth(self) -> None:
        """A meadow in flower, and one of its plants."""
        home = self.place
        self.page.goto(self.url + "/")
        self.page.click("text=Harrow Down")
        self.page.wait_for_selector("#look[data-step]")
        self.place = self.page.url
        self.look("wheel", 3.0, "3", "oak")
        self.page.wait_for_selector('[data-sheet="picture"][data-step="1"]', timeout=120_000)
        self.place = home

    def cut_dim(self) -> None:
        """The Cut bench with a lane open in its curve, in the dim theme."""
        self.look("sunset", 4.4, "6")
        self.page.evaluate(f"{WORKSPACE}.toggleLane('/shots/sunset/exposure/ev100')")
        time.sleep(0.6)
        self.page.evaluate(f"{WORKSPACE}.setPicked({{ '/shots/sunset/exposure/ev100': [3, 5.6] }})")
        self.page.evaluate(f"{WORKSPACE}.setTheme()")
        self.page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4", timeout=300_000)
        time.sleep(0.8)

    def ride(self) -> None:
        """A spoilt flight, with what the ride check says of it."""
        from lumwick.demo import saltmere, spoilt

        self.look("dawn", 0.0, "5")
        shot = spoilt(saltmere()[0]).model_dump(mode="json")
        self.page.evaluate(
            f"(shot) => {WORKSPACE}.command({{ op: 'reshoot', shot, label: 'spoilt the flight' }})", shot
        )
        self.page.click("#ride-tab")
        self.page.wait_for_function(
            f"(() => {{ const w = {WORKSPACE}; return w.ride && w.ride.rev === w.s.rev && w.wrong().length > 4; }})()",
            timeout=60_000,
        )
        self.page.evaluate(
            f"{WORKSPACE}.frameChart(); {WORKSPACE}.drawChart(); "
            "document.querySelector('#look').dataset.step = -1; "
            f"{WORKSPACE}.go(4.3)"
        )
        self.page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4", timeout=300_000)
        time.sleep(0.6)

    def take_budget(self) -> None:
        self.page.evaluate("localStorage.removeItem('lw-theme')")
        self.page.goto(self.place)
        self.look("dawn", 0.0, "5")
        self.page.keyboard.press("t")
        self.page.wait_for_selector("#budget dl", timeout=120_000)

    def takes(self) -> None:
        self.take_budget()
        self.page.fill("[name=size]", "640x360")
        self.page.select_option("[name=quality]", "sketch")
        self.page.fill("[name=last]", "10")
        self.page.click("text=Begin the take")
        self.page.wait_for_url("**/takes/")
        self.page.wait_for_function("document.querySelector('.take-state')?.textContent === 'Done'", timeout=600_000)
        time.sleep(1)

    def compare(self) -> None:
        """Two small takes, before and after a change of the fog."""
        for visibility in ("480 m", "160 m"):
            self.take_budget()
            self.page.evaluate(
                f"(text) => {WORKSPACE}.send({{ typed: {{ path: '/shots/dawn/air/fog_visibility', text, t: 0 }} }})",
                visibility,
            )
            time.sleep(1.5)
            self.page.fill("[name=size]", "640x360")
            self.page.select_option("[name=quality]", "sketch")
            self.page.fill("[name=last]", "4")
            self.page.click("text=Begin the take")
            self.page.wait_for_url("**/takes/")
            self.page.wait_for_function(
                "document.querySelector('.take-state')?.textContent === 'Done'", timeout=600_000
            )
        for box in self.page.locator(".compared").all()[:2]:
            box.check()
        self.page.click("#compare-two")
        self.page.wait_for_selector("#stage[data-drawn='1']")
        box = self.page.locator("#stage").bounding_box()
        self.page.keyboard.press("n")
        self.page.mouse.click(box["x"] + box["width"] * 0.72, box["y"] + box["height"] * 0.52)
        self.page.fill("#note-text", "The pines are nearly gone: too thick")
        self.page.click("text=Pin it")
        time.sleep(1)

    def yard(self) -> None:
        """The second place, of things and lamps, as its lamps come on."""
        home = self.place
        self.page.goto(self.url + "/")
        self.page.click("text=Saltmere Yard")
        self.page.wait_for_selector("#look[data-step]")
        self.place = self.page.url
        self.look("yard", 5.9, "1", "house")
        self.page.get_by_role("tab", name="Form and surfaces").click()
        time.sleep(1)
        self.place = home

    def plan_chest(self) -> None:
        self.page.goto(self.url + "/")
        time.sleep(0.6)

    def help(self) -> None:
        self.page.goto(self.url + "/help/")
        time.sleep(0.4)

    def client(self) -> None:
        """What a client's link shows, with the takes that were made above."""
        self.page.goto(self.place + "takes/")
        self.page.get_by_label("For", exact=True).fill("The Harbour Trust")
        self.page.get_by_role("button", name="Make a link").click()
        address = self.page.locator("a[href*='/seen/']").first.get_attribute("href")
        self.page.goto(f"{self.url}{address}")
        self.page.wait_for_function("document.querySelector('#guest-info').textContent === 'finished'", timeout=300_000)
        time.sleep(0.5)


VIEWS: dict[str, Callable[[Photographer], None]] = {
    "route": Photographer.route,
    "land": Photographer.land,
    "air": Photographer.air,
    "aloft": Photographer.aloft,
    "water": Photographer.water,
    "growth": Photographer.growth,
    "cut-dim": Photographer.cut_dim,
    "take-budget": Photographer.take_budget,
    "takes": Photographer.takes,
    "compare": Photographer.compare,
    "plan-chest": Photographer.plan_chest,
    "help": Photographer.help,
    "ride": Photographer.ride,
    "client": Photographer.client,
    "yard": Photographer.yard,
}


def main() -> None:
    chosen = sys.argv[1:] or list(VIEWS)
    unknown = [name for name in chosen if name not in VIEWS]
    if unknown:
        raise SystemExit(f"There is no view {', '.join(unknown)}: choose from {', '.join(VIEWS)}.")
    OUT.mkdir(parents=True, exist_ok=True)
    with studio(worker=True) as (url, _), visitor(url) as page:
        photographer = Photographer(page, url)
        for name in chosen:
            VIEWS[name](photographer)
            page.screenshot(path=str(OUT / f"{name}.png"))
            print(name, flush=True)


main()
