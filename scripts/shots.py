"""``make shots``: one picture of each main view, from the demo, into docs/screenshots/."""

from __future__ import annotations

import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from bench.pages import studio, visitor

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with studio(worker=True) as (url, _), visitor(url) as page:

        def shoot(name: str) -> None:
            page.screenshot(path=str(OUT / f"{name}.png"))
            print(name, flush=True)

        def ready(step: int = 4) -> None:
            page.wait_for_function(f"Number(document.querySelector('#look').dataset.step) >= {step}", timeout=300_000)
            page.wait_for_selector("#slip .field")
            time.sleep(0.4)

        def pick(shot: str, t: float) -> None:
            page.evaluate("([id, t]) => { const w = Alpine.$data(document.querySelector('[x-data^=workspace]')); document.querySelector('#look').dataset.step = -1; return w.pickShot(id).then(() => w.go(t)); }", [shot, t])
            time.sleep(1)
            ready()

        pick("dawn", 1.2)
        page.evaluate("Alpine.$data(document.querySelector('[x-data^=workspace]')).select('s2')")
        time.sleep(0.6)
        shoot("route")
        pick("boardwalk", 5.0)
        page.keyboard.press("1")
        time.sleep(0.6)
        shoot("land")
        pick("sunset", 5.4)
        page.keyboard.press("4")
        time.sleep(0.6)
        shoot("air")
        pick("sunset", 3.0)
        page.keyboard.press("2")
        time.sleep(1)
        shoot("water")
        pick("pine", 1.0)
        page.keyboard.press("3")
        page.evaluate("Alpine.$data(document.querySelector('[x-data^=workspace]')).select('pines')")
        time.sleep(0.6)
        shoot("growth")
        page.keyboard.press("6")
        page.evaluate("Alpine.$data(document.querySelector('[x-data^=workspace]')).setTheme()")
        time.sleep(0.8)
        shoot("cut-dim")
        page.evaluate("Alpine.$data(document.querySelector('[x-data^=workspace]')).setTheme()")
        page.keyboard.press("5")
        pick("dawn", 0.0)
        page.keyboard.press("t")
        page.wait_for_selector("#budget dl", timeout=120_000)
        shoot("take-budget")
        page.fill("[name=size]", "640x360")
        page.select_option("[name=quality]", "sketch")
        page.fill("[name=last]", "10")
        page.click("text=Begin the take")
        page.wait_for_url("**/takes/")
        page.wait_for_function("document.querySelector('.take-state')?.textContent === 'Done'", timeout=600_000)
        time.sleep(1)
        shoot("takes")
        page.goto(url + "/")
        time.sleep(0.6)
        shoot("plan-chest")
        page.goto(url + "/help/")
        time.sleep(0.4)
        shoot("help")
        page.context.clear_cookies()
        page.goto(url + "/sign-in/")
        time.sleep(0.4)
        shoot("sign-in")


main()
