"""Figures of the running studio: looks from input to pixels, pages under load, the worker's memory."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from bench.engine import figure

ROOT = Path(__file__).resolve().parent.parent
WORKSPACE = "Alpine.$data(document.querySelector('[x-data^=workspace]'))"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@contextmanager
def studio(worker: bool) -> Iterator[tuple[str, str]]:
    """The studio on a database of its own, with the demo, and a render worker if asked: its address and its folder of
    files."""
    import psycopg

    from scripts.base import free_port
    from scripts.cluster import Cluster
    from scripts.dev import web_command

    notes = Cluster().notes
    name = f"bench_{os.getpid()}"
    admin = psycopg.connect(
        host="127.0.0.1",
        port=(notes / "port").read_text().strip(),
        user="lumwick",
        password=(notes / "password").read_text().strip(),
        dbname="postgres",
        autocommit=True,
    )
    admin.execute(f"create database {name}")
    port = free_port()
    started: list[subprocess.Popen[bytes]] = []
    with tempfile.TemporaryDirectory() as media:
        env = {**os.environ, "LUMWICK_DB": name, "LUMWICK_MEDIA": media}
        try:
            for command in ("migrate", "seed_demo"):
                subprocess.run(
                    [sys.executable, "manage.py", command, "--verbosity", "0"], cwd=ROOT, env=env, check=True
                )
            started.append(
                subprocess.Popen(
                    web_command(port),
                    cwd=ROOT,
                    env=env,
                    stderr=subprocess.DEVNULL,
                )
            )
            if worker:
                started.append(
                    subprocess.Popen(
                        [sys.executable, "manage.py", "render_worker"], cwd=ROOT, env=env, stderr=subprocess.DEVNULL
                    )
                )
            url = f"http://127.0.0.1:{port}"
            for _ in range(100):
                try:
                    urllib.request.urlopen(url + "/healthz", timeout=2)
                    break
                except OSError:
                    time.sleep(0.2)
            else:
                raise RuntimeError(f"the web server does not answer at {url}")
            yield url, media
        finally:
            for p in started:
                p.terminate()
            for p in started:
                p.wait(90)
            admin.execute(f"drop database {name} with (force)")


@contextmanager
def signed_in(url: str) -> Iterator[Any]:
    """A page of a real browser that has signed in."""
    from playwright.sync_api import sync_playwright

    from scripts.dev import SIGN_IN

    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.set_default_timeout(180_000)
        page.goto(url + "/")
        page.fill("[name=username]", SIGN_IN[0])
        page.fill("[name=password]", SIGN_IN[1])
        page.click("main button")
        yield page
        browser.close()


@contextmanager
def visitor(url: str) -> Iterator[Any]:
    """A signed-in page of a real browser, in the demo place."""
    with signed_in(url) as page:
        page.click("text=Saltmere Reach")
        page.wait_for_selector("#look[data-step]")
        yield page


TIMED = """(act) => new Promise((done) => {
  const w = Alpine.$data(document.querySelector('[x-data^=workspace]')), c = document.querySelector('#look'),
      start = performance.now(), wish = w.wish; let first = 0;
  const watch = () => { if (Number(c.dataset.wish) > wish) { if (!first) first = performance.now() - start;
      if (Number(c.dataset.step) >= 1) { done([first, performance.now() - start]); return;
      } } requestAnimationFrame(watch); };
  act === 'drag' ? (w.free().bearing += 4, w.look()) : act === 'walk' ? w.walk(0.4, 0.6) : act === 'edit' ? w.send({
      typed: { path: '/sea/clarity', text: String(2 + Math.random() * 2), t: w.t } }) : w.toFrame(w.frame() + 7);
  watch();
})"""


def _p95(values: list[float]) -> float:
    return sorted(values)[int(0.95 * (len(values) - 1))]


def look() -> list[dict[str, Any]]:
    """From input to pixels in the browser: the first picture, and 480x270 denoised; medians over drags, walks, edits
    and scrubs in all four shots."""
    firsts, cleans = [], []
    with studio(worker=False) as (url, _), visitor(url) as page:
        for shot in ("dawn", "boardwalk", "sunset", "pine"):
            page.evaluate("(id) => Alpine.$data(document.querySelector('[x-data^=workspace]')).pickShot(id)", shot)
            page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 2")
            page.evaluate(TIMED, "drag")
            for act in ("drag", "walk", "edit", "scrub") * 2:
                page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 1")
                time.sleep(0.3)
                first, clean = page.evaluate(TIMED, act)
                firsts.append(first / 1000)
                cleans.append(clean / 1000)
    return [
        figure("look: first picture after an input, median", statistics.median(firsts), "s", 0.4, "lower"),
        figure("look: 480x270 denoised after an input, median", statistics.median(cleans), "s", 1.2, "lower"),
        # drags, walks, edits and scrubs are pooled above: the slowest of them are told too
        figure("look: first picture after an input, 95th percentile", _p95(firsts), "s", 0.8, "lower"),
        figure("look: 480x270 denoised after an input, 95th percentile", _p95(cleans), "s", 2.4, "lower"),
    ]


def pages() -> list[dict[str, Any]]:
    """Pages while a take is rendering, 95th percentile over several pages."""
    times = []
    with studio(worker=True) as (url, _), visitor(url) as page:
        page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4")
        page.evaluate("""async () => { const b = new FormData();
            for (const [k, v] of Object.entries({ shot: 'dawn', size: '1280x720', quality: 'study', first: 1, last:
            20 })) b.set(k, v);
            await fetch(location.pathname + 'take/', { method: 'POST', headers: { 'X-CSRFToken':
                document.cookie.match(/csrftoken=([^;]*)/)[1] }, body: b }); }""")
        time.sleep(15)  # the worker is well into its first frame
        for _ in range(40):
            for path in ("/", "", "state/", "slip/?bench=air&shot=dawn", "takes/", "history/"):
                times.append(
                    page.evaluate(
                        "async (p) => { const u = p === '/' ? '/' : location.pathname + p, t = "
                        "performance.now(); const r = await fetch(u); await r.text(); return r.ok ? "
                        "performance.now() - t : 1e9; }",
                        path,
                    )
                    / 1000
                )
    times.sort()
    return [figure("pages while a take renders, 95th percentile", _p95(times), "s", 0.2, "lower")]


def worker_memory() -> list[dict[str, Any]]:
    """The most memory a worker held over frames of the demo's shots at 1280x720 (resident, peak)."""
    code = """
import resource
from lumwick.demo import saltmere
from lumwick.picture import frame_picture, load_setting
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage
s = load_setting(saltmere()); stage = Stage(s)
for shot in s.place.shots:
    for n in (1, shot.frames // 2):
        frame_picture(stage, shot, n, (1280, 720), Quality(1, 1, 'high'))
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6)
"""
    done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True)
    return [figure("worker's memory on the demo, peak", float(done.stdout.strip()), "GB", 1.5, "lower")]
