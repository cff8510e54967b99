"""A real browser on the real pages, with a worker beside it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

from tests.studio.conftest import account, kept_place, media, other, place, until, worker  # noqa: F401

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
]


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as p:
        b = p.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield b
        b.close()


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A page of its own session; a script error on it fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda e: errors.append(str(e)))
    page.set_default_timeout(60_000)
    yield page
    context.close()
    assert not errors, errors


def sign_in(page: Page, url: str, name: str = "a@b.example", password: str = "long-enough-1") -> None:
    page.goto(url + "/")
    page.get_by_label("E-mail address").fill(name)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url(url + "/")


def looked(page: Page, step: int = 0) -> Any:
    """Wait for a look of at least this refinement; its canvas's data."""
    page.wait_for_function(
        f"(() => {{ const c = document.querySelector('#look'); return c && Number(c.dataset.step) >= {step}; }})()"
    )
    return page.evaluate("({...document.querySelector('#look').dataset})")


def new_look(page: Page, since: Any) -> Any:
    """Wait for a look of a newer wish than one seen before."""
    page.wait_for_function(f"Number(document.querySelector('#look').dataset.wish) > {int(since['wish'])}")
    return page.evaluate("({...document.querySelector('#look').dataset})")


def settled(page: Page) -> None:
    """Wait until no slip is on its way, which would take a press's place."""
    page.wait_for_timeout(50)
    page.wait_for_function("!document.querySelector('.htmx-request')")


def box_of(page: Page, selector: str) -> dict[str, float]:
    """Where something lies that may be drawn anew at any moment, read in one go."""
    return page.wait_for_function(
        "(s) => { const n = document.querySelector(s), r = n && n.getBoundingClientRect(); return "
        "r && r.width ? { x: r.x, y: r.y, width: r.width, height: r.height } : null; }",
        arg=selector,
    ).json_value()


def picture(page: Page) -> list[float]:
    """Mean and spread of the look's pixels."""
    return page.evaluate("""() => { const c = document.querySelector('#look'), d = c.getContext('2d').getImageData(0,
        0, c.width, c.height).data; let s = 0, q = 0, n = 0;
        for (let i = 0; i < d.length; i += 64) { const v = d[i] + d[i + 1] + d[i + 2]; s += v; q += v * v; n++;
            } return [s / n / 3, Math.sqrt(q / n - (s / n) ** 2) / 3]; }""")


def ws(page: Page, expression: str) -> Any:
    """Something of the workspace's state."""
    return page.evaluate(
        f"(() => {{ const w = Alpine.$data(document.querySelector('[x-data^=workspace]')); return {expression}; }})()"
    )
