"""Shadows thrown through a gobo: their edges by the penumbra's geometry, their light by what is left open."""

from __future__ import annotations

import io
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from lumwick.built.gobo_film import read_gobo_film, silhouettes
from lumwick.built.gobos import CELLS, passed
from lumwick.built.lamps import LampLight, lamp_at
from lumwick.deliver.film import write_film
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

    made = []
    from lumwick.trace import lamp_list

    monkeypatch.setattr(lamp_list, "passed", lambda gobo, *more: made.append(gobo.cover) or passed(gobo, *more))
    stage, gobo = stage_with(HALF), Gobo(kind="blinds", cover=0.3)
    for turn in (0.0, 10.0, 20.0):
        lux(stage, spot(gobo=gobo.model_copy(update={"turn": turn})), samples=1)
    assert made == [0.3]
    lux(stage, spot(gobo=gobo.model_copy(update={"cover": 0.7})), samples=1)
    assert made == [0.3, 0.7] and stage.world.lights.gobo[0].mean() == pytest.approx(0.3, abs=1e-4)


# -- films -----------------------------------------------------------------------------------------------------


def frames_zip(*frames: np.ndarray, names: tuple[str, ...] = ()) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as z:
        for k, pixels in enumerate(frames):
            z.writestr(names[k] if names else f"shadow.{k + 1:04d}.png", png(pixels))
    return out.getvalue()


def shade(value: float, size: int = 64) -> np.ndarray:
    return np.full((size, size, 3), value)


FILM = Asset(sha256="8" * 64, name="shadow.zip", bytes=1)


def through(data: bytes, t: float, loop: float | None = None, **more: Any) -> float:
    """How much light the middle of a film lets through at a clip time."""
    gobo = Gobo(kind="film", film=FILM, **more)
    return float(passed(gobo, t, loop, lambda asset: np.ones((2, 2, 4)), lambda asset: data)[128, 128, 0])


def test_a_zip_of_numbered_frames_runs_at_its_rate_and_comes_round() -> None:
    codes = np.array([0.0, 0.2, 0.4, 0.6, 0.8, 1.0])
    data = frames_zip(*(shade(c) for c in codes), names=tuple(f"a/f{k}.png" for k in (1, 2, 3, 9, 10, 11)))
    light = np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)  # IEC 61966-2-1
    at = [through(data, k / 24) for k in range(7)]
    assert at == pytest.approx([*light, light[0]], abs=0.005)
    assert through(data, 2.5 / 24) == pytest.approx(light[2], abs=0.005)
    assert through(data, 1 / 24, rate=2.0) == pytest.approx(light[2], abs=0.005)
    assert through(data, 1.0, how="once") == pytest.approx(1.0)
    assert through(data, 8 / 24, how="to and fro") == pytest.approx(light[4], abs=0.01)
    # in a loop of a second and a bit it runs a whole number of times: the seam is not seen
    assert through(data, 0.0, 1.1) == through(data, 1.1, 1.1)
    assert through(data, 0.0, inverted=True) == pytest.approx(1.0)


def test_a_film_of_ones_own_is_read(tmp_path: Path) -> None:
    path = tmp_path / "wave.mp4"
    write_film(path, [(shade(v) * 255).astype(np.uint8) for v in (0.1, 0.5, 0.9)], Fraction(12))
    film = read_gobo_film(path.read_bytes(), "wave.mp4")
    assert film.fps == pytest.approx(12) and len(film.frames) == 3 and film.seconds == pytest.approx(0.25)
    codes = [float(f[128, 128].mean()) / 255 for f in film.frames]
    assert codes == pytest.approx([0.1, 0.5, 0.9], abs=0.03)


def test_silhouettes_are_black_where_something_stands_before_the_sky() -> None:
    rgba = np.zeros((40, 60, 4), np.uint8)
    rgba[:, :20] = (200, 10, 10, 255)
    held = io.BytesIO()
    Image.fromarray(rgba).save(held, "PNG")
    film = read_gobo_film(silhouettes(iter([("00001.png", held.getvalue())])), "s.zip")
    assert film.frames.shape[-1] == 1  # grey takes a third of the room
    light = film.light(0.0)
    assert light[128, 40].max() < 0.02 and light[128, 200].min() > 0.98
    assert light[2].max() == 0  # beside the picture it is dark


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (frames_zip(shade(1), shade(1, 32)), "s.zip", "two sizes, 64 x 64 and 32 x 32"),
        (b"PK nothing", "s.zip", "damaged"),
        (b"nothing", "s.mp4", "cannot be read as a film"),
        (frames_zip(), "s.zip", "no frames"),
    ],
)
def test_films_that_cannot_be_thrown_are_refused_in_words(data: bytes, name: str, words: str) -> None:
    with pytest.raises(PlaceError, match=words):
        read_gobo_film(data, name)
