"""Figures of a fresh server: its places opened one after another, and five people on five places."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

import django

from bench.engine import figure
from bench.pages import ROOT, signed_in, studio
from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from lumwick.picture import load_setting
from lumwick.place.document import Place
from lumwick.snapshot.evaluate import evaluate
from lumwick.trace.cleaning import clean
from lumwick.trace.film import blank
from lumwick.trace.render import MANY, Sight, expose
from lumwick.trace.stage import Stage

MAKERS = {"Saltmere Reach": saltmere, "Harrow Down": down, "Saltmere Yard": yard}
FIRST_S, FINISHED_S = (3.0, 3.0, 5.0), 15.0
PEOPLE, LOOKS, SHARE = 5, 30, 3.0


def opening() -> list[dict[str, Any]]:
    """The demo's places in a fresh server, in a browser: seconds to the first picture of each, and to the finished
    one."""
    out, finished = [], {}
    with studio(worker=True) as (url, _), signed_in(url) as page:
        for name, bar in zip(MAKERS, FIRST_S, strict=True):
            page.goto(url + "/")
            begun = time.perf_counter()
            page.click(f"text={name}")
            page.wait_for_selector("#look[data-step]")
            first = time.perf_counter() - begun
            page.wait_for_function("Number(document.querySelector('#look').dataset.step) >= 4")
            done = time.perf_counter() - begun
            finished[name] = done
            out += [
                figure(f"{name}: first picture of a fresh server", first, "s", bar, "lower"),
                figure(f"{name}: finished picture of a fresh server", done, "s", FINISHED_S, "lower"),
            ]
        out.append(_idle(page))
    for name, make in MAKERS.items():
        alone = _traced_alone(make)
        out.append(figure(f"{name}: finished over its samples traced alone", finished[name] / alone, "x", 1.5, "lower"))
    return out


def _traced_alone(make: Callable[[], tuple[Place, dict[str, bytes]]]) -> float:
    """Seconds that a look's samples and their cleaning take by themselves, with the place set up: what a machine that
    is slow today costs whoever waits, whatever the server does."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    django.setup()
    from studio.looks.engine import STEPS

    setting = load_setting(make())
    stage, snapshot = Stage(setting), evaluate(setting, setting.place.shots[0], 0.0)
    stage.set(snapshot)
    expose(stage, blank(32, 18), 1)
    begun, film = time.perf_counter(), blank(*STEPS[0][0])
    for size, samples, grade in STEPS:
        if film.sums.shape[1::-1] != size:
            film = blank(*size)
        planned = sum(n for of_size, n, _ in STEPS if of_size == size)
        expose(stage, film, samples, sight=Sight(many=samples >= MANY, planned=planned))
        clean(film, snapshot.camera.ev100, grade)
    return time.perf_counter() - begun


def _cpu(of: str) -> float:
    """Seconds that processes of a command took so far."""
    total = 0.0
    for path in Path("/proc").glob("[0-9]*"):
        try:
            if of in (path / "cmdline").read_text():
                told = (path / "stat").read_text().rpartition(")")[2].split()
                total += (int(told[11]) + int(told[12])) / os.sysconf("SC_CLK_TCK")
        except OSError:
            continue
    return total


def _idle(page: Any) -> dict[str, Any]:
    """What a page that is left open and untouched costs the web process."""
    page.wait_for_timeout(5000)
    before, begun = _cpu("gunicorn"), time.perf_counter()
    page.wait_for_timeout(60_000)
    share = 100 * (_cpu("gunicorn") - before) / (time.perf_counter() - begun)
    return figure("web process while a page lies open for a minute", share, "%", 2.0, "lower")


SEED = """
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY, get_user_model
from django.contrib.sessions.backends.db import SessionStore
from lumwick.demo import saltmere
from lumwick.demo_meadow import down
from lumwick.demo_yard import yard
from studio.places.models import Place
import json
out = []
for k, make in enumerate((saltmere, yard, down, saltmere, down)):
    user = get_user_model().objects.create_user(f"v{k}@bench.example", password="x" * 12)
    place = Place.start(user, *make(), "bench")
    session = SessionStore()
    session[SESSION_KEY], session[BACKEND_SESSION_KEY] = str(user.pk), "django.contrib.auth.backends.ModelBackend"
    session[HASH_SESSION_KEY] = user.get_session_auth_hash()
    session.save()
    out.append([session.session_key, place.pk, place.head.parsed().shots[0].id])
print("SEEDED " + json.dumps(out))
"""


def _resident(of: str) -> float:
    """Gigabytes that a command's processes take, the largest."""
    most = 0
    for path in Path("/proc").glob("[0-9]*"):
        try:
            if of in (path / "cmdline").read_text():
                most = max(most, int((path / "statm").read_text().split()[1]) * 4096)
        except OSError:
            continue
    return most / 1e9


def visitors() -> list[dict[str, Any]]:
    """Five people on five places, thirty looks each in turn, each at another time: the longest wait against a fair
    share of the whole, and the web process's memory, its peak and how it grows."""
    with studio(worker=False) as (url, media):
        name = f"bench_{os.getpid()}"
        env = {**os.environ, "LUMWICK_DB": name, "LUMWICK_MEDIA": media}
        shell = [sys.executable, "manage.py", "shell", "-v", "0", "-c", SEED]
        done = subprocess.run(shell, cwd=ROOT, env=env, capture_output=True, text=True, check=True)
        found = re.search(r"SEEDED (.*)", done.stdout)
        assert found
        people = json.loads(found[1])
        waits: list[list[float]] = [[] for _ in people]
        memory: list[float] = []

        def visit(k: int, key: str, place: int, shot: str) -> None:
            for n in range(LOOKS):
                begun = time.perf_counter()
                for _ in range(200):
                    asked = f"{url}/places/{place}/look/?shot={shot}&t={0.1 * n:.1f}&step=1&wish={n + 1}&tab=a"
                    try:
                        with urllib.request.urlopen(
                            urllib.request.Request(asked, headers={"Cookie": f"sessionid={key}"}), timeout=300
                        ) as reply:
                            reply.read()
                            if reply.status == 200:
                                break
                    except urllib.error.HTTPError as error:
                        if error.code != 503:
                            raise
                    time.sleep(0.5)
                waits[k].append(time.perf_counter() - begun)

        begun = time.perf_counter()
        threads = [threading.Thread(target=visit, args=(k, *told)) for k, told in enumerate(people)]
        for thread in threads:
            thread.start()
        while any(thread.is_alive() for thread in threads):
            memory.append(_resident("gunicorn"))
            time.sleep(0.5)
        whole = time.perf_counter() - begun
    share = whole / LOOKS  # of five looks, one of each visitor
    later = [w for one in waits for w in one[1:]]
    half = len(memory) // 2
    grows = max(memory[half:]) / max(memory[:half])
    return [
        figure("five people: longest wait over a fair share", max(later) / share, "x", SHARE, "lower"),
        figure("five people: web process's memory, peak", max(memory), "GB", 3.0, "lower"),
        figure("five people: memory of the second half over the first", grows, "x", 1.1, "lower"),
        figure("five people: seconds a look", whole / (LOOKS * PEOPLE), "s", 6.0, "lower"),
    ]
