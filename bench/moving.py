"""Figures of what moves: thousands of keyed channels, keys dragged in a long lane, playing what is ready."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from scipy.interpolate import CubicSpline

from bench.engine import figure
from bench.pages import WORKSPACE, studio, visitor


def _best(act: Callable[[], Any], times: int = 7) -> float:
    took = []
    for _ in range(times):
        start = time.perf_counter()
        act()
        took.append(time.perf_counter() - start)
    return min(took)


def channels() -> list[dict[str, Any]]:
    """A place with 5 000 keyed channels at one time; 1 000 channels over 240 frames, against scipy's own splines of
    the same keys."""
    from lumwick.motion.channel import Channel, Key
    from lumwick.place.document import Place, Shot
    from lumwick.place.fields import Asset
    from lumwick.place.instant import Motions
    from lumwick.place.nature import Land
    from lumwick.place.objects import Lamp

    rng = np.random.default_rng(1)
    knots = [np.sort(rng.uniform(0, 10, 12)) for _ in range(5000)]
    values = [rng.uniform(1, 9, 12) for _ in range(5000)]
    names = ("east", "north", "up", "bearing", "pitch", "amount", "inner", "outer", "width", "height")
    made = [
        Channel(keys=tuple(Key(t=float(t), v=float(v), join="spline") for t, v in zip(k, val, strict=True)))
        for k, val in zip(knots, values, strict=True)
    ]
    lamps = [
        Lamp(id=f"l{i}", name="L", kind="spot", **dict(zip(names, made[10 * i : 10 * i + 10], strict=True)))
        for i in range(500)
    ]
    place = Place(
        name="Many",
        land=Land(elevation=Asset(sha256="0" * 64, name="g.tif", bytes=1)),
        lamps=lamps,
        shots=[Shot(id="a", name="A", frames=240)],
    )
    motions = Motions(place, place.shots[0])
    assert len(motions.movers) == 5000
    motions.at(0.1)
    one = _best(lambda: motions.at(3.3))
    few = Motions(place.model_copy(update={"lamps": lamps[:100]}), place.shots[0])
    times = np.arange(240) / 24
    many = _best(lambda: few.over(times))
    splines = [CubicSpline(k, v, bc_type="natural") for k, v in zip(knots[:1000], values[:1000], strict=True)]
    reference = _best(lambda: [s(times) for s in splines])
    return [
        figure("5 000 keyed channels at one time", one, "s", 0.010, "lower"),
        figure("1 000 channels over 240 frames", many, "s", 1.0, "lower"),
        figure("the same, over scipy's own evaluation", many / reference, "x", 3.0, "lower"),
    ]


DRAGGED = f"""(count) => new Promise((done) => {{
  const w = {WORKSPACE}, path = w.lanesNow()[0].path, lane = w.lane(path), key = lane.keys[Math.floor(count / 2)];
  w.toggleLane(path);
  setTimeout(() => {{
    w.setPicked({{ [path]: ctx.keys.map((k) => k.t) }});
    const canvas = document.querySelector('#lanecanvas'), r = canvas.getBoundingClientRect(),
        x = r.left + w.lineX(key.t), y = r.top + w.openScale.Y(key.v), drawn0 = Number(canvas.dataset.drawn),
        start = performance.now();
    canvas.dispatchEvent(new PointerEvent('pointerdown', {{ clientX: x, clientY: y, button: 0, bubbles: true }}));
    let n = 0;
    const move = () => {{
      n += 1; window.dispatchEvent(new PointerEvent('pointermove', {{ clientX: x + 40 * Math.sin(n / 9), clientY:
          y + 20 * Math.cos(n / 7) }}));
      if (performance.now() - start < 4000) requestAnimationFrame(move);
          else {{ const fps = (Number(canvas.dataset.drawn) - drawn0) / (performance.now() - start) * 1000;
          window.__ticks = n; window.dispatchEvent(new PointerEvent('pointermove', {{ clientX: x, clientY: y }}));
          window.dispatchEvent(new PointerEvent('pointerup', {{}})); done(fps); }}
    }};
    requestAnimationFrame(move);
  }}, 600);
}})"""


def lanes() -> list[dict[str, Any]]:
    """Dragging all keys of a lane with 2 000 keys in the browser, its curve open: pictures of the lane a second."""
    with studio(worker=False) as (url, _), visitor(url) as page:
        page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4")
        keys = [
            {"t": round(k * 0.01, 4), "v": float(v), "join": "spline"}
            for k, v in enumerate(np.random.default_rng(2).uniform(8, 14, 2000))
        ]
        page.evaluate("document.querySelector('#look').dataset.step = -1")
        page.evaluate(
            "(keys) => "
            f"{WORKSPACE}.command({{ op: 'set', path: '/shots/' + {WORKSPACE}.s.shot.id + '/exposure/ev100', "
            f"value: {{ keys }} }})",
            keys,
        )
        page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4")
        rate = page.evaluate(DRAGGED, 2000)
    return [figure("keys dragged in a lane of 2 000, pictures a second", rate, "Hz", 30, "higher")]


def playing() -> list[dict[str, Any]]:
    """Playing ready frames at 1280x720 in the browser for 20 s: share of frames that came late, and frames a second.

    The pictures are the fine stills of docs/screenshots/, shifted a little from frame to frame: playing does not know
    what they show.
    """
    from PIL import Image

    stills = [
        np.asarray(Image.open(f"docs/screenshots/fine-{name}.png").convert("RGB").resize((1280, 720)))
        for name in ("noon", "golden", "fog")
    ]
    with studio(worker=False) as (url, media), visitor(url) as page:
        page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4")
        page.evaluate(f"{WORKSPACE}.setRehearsalSize('1280x720')")
        shot = page.evaluate(f"{WORKSPACE}.s.shot.frames")
        keys = _keys_of_first_shot(page)
        for n, key in enumerate(keys[:shot]):
            path = Path(media) / "frames" / key[:2] / f"{key}.png"
            path.parent.mkdir(parents=True, exist_ok=True)
            Image.fromarray(np.roll(stills[n // 64 % 3], 3 * n, axis=1)).save(path, compress_level=1)
        page.evaluate(f"{WORKSPACE}.refreshReady()")
        page.wait_for_function(
            "(() => "
            f"{{ const w = {WORKSPACE}, k = Object.values(w.frames); return k.length >= {shot} && k.every((x) "
            f"=> w.blobs.get(x)); }})()",
            timeout=300_000,
        )
        time.sleep(3)
        page.evaluate(f"{WORKSPACE}.play()")
        time.sleep(20)
        passed, late = page.evaluate(f"[{WORKSPACE}.passed, {WORKSPACE}.late]")
    return [
        figure("playing ready frames at 1280x720: late", late / max(passed, 1), "share", 0.01, "lower"),
        figure("playing ready frames at 1280x720: pictures shown a second", passed / 20, "Hz", 23.5, "higher"),
    ]


def _keys_of_first_shot(page: Any) -> list[str]:
    """The names that the frames of the shown shot have in the store, worked out as the studio does."""
    import django

    from lumwick.demo import saltmere
    from lumwick.picture import load_setting

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    django.setup()
    from lumwick.frame_keys import frame_keys

    setting = load_setting(saltmere())
    shot = setting.place.shot(page.evaluate(f"{WORKSPACE}.s.shot.id"))
    return frame_keys(setting, shot, range(1, shot.frames + 1), (1280, 720), "sketch")
