"""Figures of the Route bench: the ride check of a minute's walk, dragging a station, constant speed."""

from __future__ import annotations

import os
import tempfile
import time
from typing import Any

import numpy as np

from bench.engine import figure
from bench.moving import _best
from bench.pages import WORKSPACE, studio, visitor

# Drags the third station round and round for some seconds: one pointer event a frame, as a mouse gives them.
DRAG = """async ([shot, seconds]) => {
  const w = WORKSPACE, look = document.querySelector('#look'),
      chart = document.querySelector('[aria-label="Chart of the place"]');
  const mark = document.querySelector('[data-station=s3]'), r = mark.querySelector('rect').getBoundingClientRect(),
      x = r.x + 5, y = r.y + 5;
  const at = (k) => ({ clientX: x + 40 * Math.sin(k / 19), clientY: y + 30 * Math.cos(k / 17), bubbles: true, button:
      0 });
  chart.dataset.drawn = chart.dataset.drafts = 0;
  const looks = [], seen = new MutationObserver(() => looks.push(performance.now()));
  seen.observe(look, { attributes: true, attributeFilter: ['data-wish'] });
  mark.querySelector('rect').dispatchEvent(new PointerEvent('pointerdown', at(0)));
  const begun = performance.now();
  let k = 0;
  while (performance.now() - begun < seconds * 1000) { await new Promise(requestAnimationFrame);
      window.dispatchEvent(new PointerEvent('pointermove', at(k++))); }
  const took = (performance.now() - begun) / 1000, drawn = Number(chart.dataset.drawn),
      drafts = Number(chart.dataset.drafts);
  seen.disconnect();
  window.dispatchEvent(new PointerEvent('pointerup', at(k)));
  const gaps = looks.map((t, i) => t - (i ? looks[i - 1] : begun)).sort((a, b) => a - b);
  return [drawn / took, drafts / took, gaps.length ? gaps[Math.floor(gaps.length / 2)] / 1000 : 99, took];
}""".replace("WORKSPACE", WORKSPACE)


def route() -> list[dict[str, Any]]:
    """The ride check of 60 s in the demo; how even the speed along a curve is; a station dragged while the look
    follows."""
    from lumwick.demo import saltmere
    from lumwick.picture import load_setting
    from lumwick.snapshot.lay import suggest
    from lumwick.snapshot.ride import check, with_route
    from lumwick.snapshot.surroundings import _KEPT

    setting = load_setting(saltmere())
    walk = setting.place.shot("boardwalk")
    minute = walk.model_copy(update={"frames": 1440})
    flight = setting.place.shot("dawn").model_copy(update={"frames": 1440})
    check(setting, minute)
    _KEPT.clear()
    opened = load_setting(saltmere())
    opened.still(minute)  # the page has told its state before it asks for the ride check
    begun = time.perf_counter()
    check(opened, minute)
    first = time.perf_counter() - begun
    kernels = os.environ["NUMBA_CACHE_DIR"]
    with tempfile.TemporaryDirectory() as folder:  # kept plants and forms lie beside the kernels: here are none
        os.environ["NUMBA_CACHE_DIR"] = f"{folder}/kernels"
        _KEPT.clear()
        opened = load_setting(saltmere())
        opened.still(minute)
        begun = time.perf_counter()
        check(opened, minute)
        never = time.perf_counter() - begun
        os.environ["NUMBA_CACHE_DIR"] = kernels
    begun = time.perf_counter()
    views = suggest(setting, minute)
    suggested = time.perf_counter() - begun
    assert len(views) == 6
    seconds = max(_best(lambda s=s: check(setting, with_route(s, keep_clear=0.3)), 3) for s in (minute, flight))
    way = setting.camera_path(
        flight.model_copy(update={"route": flight.route.model_copy(update={"eased_start": 0.0, "eased_end": 0.0})})
    )
    steps = (
        np.linalg.norm(np.diff(way.at(np.linspace(0, 60, 60_001)).position, axis=0), axis=1).reshape(600, 100).sum(1)
    )
    uneven = float(np.abs(steps / steps.mean() - 1).max()) * 100
    with studio(worker=False) as (url, _), visitor(url) as page:
        page.evaluate(f"{WORKSPACE}.pickShot('dawn')")
        page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4", timeout=300_000)
        time.sleep(1)
        drawn, drafts, look, _ = page.evaluate(DRAG, ["dawn", 6])
    return [
        figure("route: ride check of 60 s", seconds, "s", 1.0, "lower"),
        figure("route: first check of a place just opened", first, "s", 1.0, "lower"),
        figure("route: first check of a place that no machine has set out", never, "s", 1.0, "lower"),
        figure("route: six good views", suggested, "s", 5.0, "lower"),
        figure("route: speed along the curve, worst", uneven, "%", 0.1, "lower"),
        figure("route: dragging, drawn", drawn, "/s", 30, "higher"),
        figure("route: dragging, the true way", drafts, "/s", 1, "higher"),
        figure("route: dragging, look after", look, "s", 0.5, "lower"),
    ]
