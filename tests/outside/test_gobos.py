"""Shadows thrown through a gobo: their edges by the penumbra's geometry, their light by what is left open."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
from PIL import Image

from lumwick.built.gobos import CELLS, passed
from lumwick.built.lamps import LampLight, lamp_at
from lumwick.errors import PlaceError
from lumwick.place.edits import apply, command
from lumwick.place.fields import Asset
from lumwick.place.files import needed, parse
from lumwick.place.objects import Gobo, Lamp
from tests.conftest import small_place
from tests.outside.test_lamps import DOWN, dark_stage, lux

PICTURE = Asset(sha256="4" * 64, name="half.png", bytes=1)


def picture(pixels: np.ndarray) -> Any:
    return lambda asset: np.concatenate([pixels, np.ones_like(pixels[..., :1])], -1)


def png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray((pixels * 255).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


def spot(east: float = 0.0, north: float = 0.0, above: float = 3.0, **more: object) -> LampLight:
    at = np.array([east, north, 300.0 + above])
    return LampLight("l", "L", "spot", at, DOWN, 1000.0, "cd", 6500.0, 40.0, 45.0, **more)  # type: ignore[arg-type]


def stage_with(pixels: np.ndarray) -> Any:
    stage = dark_stage()
    stage.furnishing._read = lambda asset: png(pixels)
    return stage


HALF = np.zeros((64, 64, 3))
HALF[:, 32:] = 1.0
"""Dark on its left, light on its right."""


@pytest.mark.parametrize(("source", "far", "above"), [(0.2, 1.0, 3.0), (0.1, 0.5, 3.0), (0.4, 2.0, 3.0)])
def test_an_edge_is_as_wide_as_its_penumbra(source: float, far: float, above: float) -> None:
    """A disc of diameter s behind an edge at distance g throws a penumbra s (L - g) / g wide on a wall at distance L;
    within it light grows as the disc's segment (similar triangles; the segment's area is elementary geometry)."""
    stage, gobo = stage_with(HALF), Gobo(kind="picture", picture=PICTURE, far=far, size=2.0)
    width = source * (above - far) / far
    open_light = lux(stage, spot(above=above, source=source), samples=256)
    for q in (-1.15, -0.6, -0.2, 0.2, 0.6, 1.15):
        # the wall's spot lies to the right of the edge by q half penumbras when the lamp stands as far to its left
        got = lux(stage, spot(-q * width / 2, 0.0, above, source=source, gobo=gobo), samples=1024) / open_light
        k = np.clip(q, -1, 1)
        share = 0.5 + (k * np.sqrt(1 - k * k) + np.arcsin(k)) / np.pi
        assert got == pytest.approx(share, abs=0.03), q  # with the cosine, which the open reading lacks aside


def test_a_picture_is_seen_the_right_way_round_by_who_looks_along_its_light() -> None:
    quarter = np.zeros((64, 64, 3))
    quarter[:32, 32:, 0] = 1.0  # red, on top and to the right
    stage, gobo = stage_with(quarter), Gobo(kind="picture", picture=PICTURE, far=1.0, size=2.0)
    # a lamp that shines down has north on top; the card lies under the lamp, which moves about it
    by_place = {(e, n): lux(stage, spot(-e, -n, gobo=gobo)) for e in (-0.5, 0.5) for n in (-0.5, 0.5)}
    assert by_place[(0.5, 0.5)] > 10 and max(v for k, v in by_place.items() if k != (0.5, 0.5)) < 0.5
    turned = gobo.model_copy(update={"turn": 90.0})
    lit = max(by_place, key=lambda k: lux(stage, spot(-k[0], -k[1], gobo=turned)))
    assert lit in ((-0.5, 0.5), (0.5, -0.5))
    # beside the picture nothing passes; its red is red
    assert lux(stage, spot(-3.5, 0.0, gobo=gobo)) < 0.1
    (told,) = [r for r in [stage.world.lights.gobo[0, 10, 200]]]
    assert told == pytest.approx([1, 0, 0])


def test_contrast_and_inversion() -> None:
    read = picture(HALF)
    gobo = Gobo(kind="picture", picture=PICTURE)
    light = passed(gobo, 0.0, None, read)
    assert light[:, 40].max() == 0 and light[:, 200].min() == 1
    soft = passed(gobo.model_copy(update={"contrast": 0.25}), 0.0, None, read)
    assert soft[:, 40] == pytest.approx(0.75) and soft[:, 200] == pytest.approx(1.0)
    assert passed(gobo.model_copy(update={"inverted": True}), 0.0, None, read) == pytest.approx(1 - light)


@pytest.mark.parametrize("cover", [0.2, 0.45, 0.8])
def test_as_much_is_covered_as_is_said(cover: float) -> None:
    blinds = passed(Gobo(kind="blinds", count=7, cover=cover), 0.0, None, picture(HALF))
    assert blinds.mean() == pytest.approx(1 - cover, abs=1e-6)
    window = passed(Gobo(kind="window", count=3, cover=cover), 0.0, None, picture(HALF))
    assert window.mean() == pytest.approx((1 - cover) ** 2, abs=1e-6)
    for seed in range(4):  # leaves are as large as covers what is asked
        leaves = Gobo(kind="leaves", count=20, cover=cover, seed=seed)
        assert passed(leaves, 0.0, None, picture(HALF)).mean() == pytest.approx(1 - cover, abs=0.02)
        assert passed(leaves, 7.3, None, picture(HALF)).mean() == pytest.approx(1 - cover, abs=0.06)
    assert passed(Gobo(kind="ripple", cover=cover), 0.3, None, picture(HALF)).mean() == pytest.approx(1, abs=1e-5)


def test_bars_are_where_they_are_counted() -> None:
    rows = passed(Gobo(kind="blinds", count=4, cover=0.5), 0.0, None, picture(HALF))[:, 0, 0]
    edges = np.flatnonzero(np.abs(np.diff(rows)) > 0.5)
    assert len(rows) == CELLS and (edges + 1).tolist() == [32, 64, 96, 128, 160, 192, 224]


@pytest.mark.parametrize("kind", ["leaves", "ripple"])
def test_what_moves_by_itself_closes_with_the_clip(kind: str) -> None:
    gobo = Gobo(kind=kind, rate=2.0)  # type: ignore[arg-type]
    read = picture(HALF)
    first, last, half = (passed(gobo, t, 4.0, read) for t in (0.0, 4.0, 1.9))
    assert np.abs(first - last).max() < 1e-3 and np.abs(first - half).mean() > 0.01
    still = gobo.model_copy(update={"rate": 0.0})
    assert np.array_equal(passed(still, 0.0, None, read), passed(still, 3.0, None, read))
    lamp = Lamp(id="l", name="L", kind="spot", gobo=gobo)
    assert lamp_at(lamp, 0.0, 1.5, 4.0).t == 1.5 and lamp_at(lamp.model_copy(update={"gobo": still}), 0.0, 1.5).t == 0.0
    assert lamp_at(lamp.model_copy(update={"kind": "point"})).gobo is None


def test_a_gobo_is_an_edit_and_its_picture_goes_with_the_place() -> None:
    place = small_place(lamps=[Lamp(id="l", name="L", kind="spot")])
    value = Gobo(kind="picture", picture=PICTURE).model_dump(mode="json")
    thrown, _ = apply(place, command({"op": "set", "path": "/lamps/l/gobo", "value": value}))
    assert PICTURE.sha256 in {asset.sha256 for asset in needed(thrown)}
    gone, _ = apply(thrown, command({"op": "set", "path": "/lamps/l/gobo", "value": None}))
    assert gone.lamps[0].gobo is None
    raw = thrown.model_dump(mode="json")
    raw["lamps"][0]["gobo"]["count"] = 900
    with pytest.raises(PlaceError, match="count"):
        parse(raw)


def test_a_gobo_is_made_once_while_it_only_turns_and_anew_when_it_is_another(monkeypatch: pytest.MonkeyPatch) -> None:
    from lumwick.trace import furnish

    made = []
    monkeypatch.setattr(
        furnish, "passed", lambda gobo, t, loop, read: made.append(gobo.cover) or passed(gobo, t, loop, read)
    )
    stage, gobo = stage_with(HALF), Gobo(kind="blinds", cover=0.3)
    for turn in (0.0, 10.0, 20.0):
        lux(stage, spot(gobo=gobo.model_copy(update={"turn": turn})), samples=1)
    assert made == [0.3]
    lux(stage, spot(gobo=gobo.model_copy(update={"cover": 0.7})), samples=1)
    assert made == [0.3, 0.7] and stage.world.lights.gobo[0].mean() == pytest.approx(0.3, abs=1e-4)
