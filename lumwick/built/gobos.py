"""What a lamp's light is thrown through: how much of it passes, as pictures that are functions of the instant.

A gobo is a square, seen from the lamp, its first row on top; a value of 1 lets all light through. Leaves sway and
ripples run by sums of sines whose periods fit into the clip where it closes, so a shadow loops with it.

Numbers of leaves and waves, and how they sway, are practice: chosen by eye.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from lumwick.built.gltf_motion import played_at
from lumwick.built.gobo_film import read_gobo_film
from lumwick.place.fields import Asset
from lumwick.place.objects import Gobo

CELLS = 256
LEAF_HZ, WAVE_HZ = (0.25, 0.9), (0.4, 1.6)
"""Frequencies [Hz] at which leaves sway, and ripples run."""
WAVES = 14
MOVING = ("leaves", "ripple", "film")
Pixels = NDArray[np.float32]


def moves(gobo: Gobo) -> bool:
    """Whether a gobo moves by itself."""
    return gobo.kind in MOVING and gobo.rate > 0


def _open_share(at: NDArray[np.float64], edges: NDArray[np.float64], half: float) -> NDArray[np.float64]:
    """How much of cells (n,) of a half width is not covered by bars from edges[k, 0] to edges[k, 1]."""
    low, high = at[:, None] - half, at[:, None] + half
    covered = np.clip(np.minimum(high, edges[None, :, 1]) - np.maximum(low, edges[None, :, 0]), 0, None).sum(1)
    return np.asarray(1 - np.clip(covered / (2 * half), 0, 1))


def _middles() -> NDArray[np.float64]:
    return (np.arange(CELLS) + 0.5) / CELLS


def _blinds(gobo: Gobo) -> NDArray[np.float64]:
    k = np.arange(gobo.count)
    edges = np.stack([k / gobo.count, (k + gobo.cover) / gobo.count], 1)
    return np.repeat(_open_share(_middles(), edges, 0.5 / CELLS)[:, None], CELLS, 1)


def _window(gobo: Gobo) -> NDArray[np.float64]:
    """Panes across and one more high, in bars that cover ``cover`` of the width."""

    def panes(count: int) -> NDArray[np.float64]:
        bar = gobo.cover / (count + 1)
        middle = bar / 2 + np.arange(count + 1) * (1 - bar) / count
        return _open_share(_middles(), np.stack([middle - bar / 2, middle + bar / 2], 1), 0.5 / CELLS)

    return panes(gobo.count + 1)[:, None] * panes(gobo.count)[None, :]


def _frequencies(rng: np.random.Generator, hz: tuple[float, float], n: int, loop: float | None) -> NDArray[np.float64]:
    f = rng.uniform(*hz, n)
    return f if loop is None else np.maximum(np.round(f * loop), 1) / loop


@lru_cache(64)
def _leaf_size(count: int, cover: float, seed: int) -> float:
    """How large leaves are, beside their usual size, that cover as much as is asked when they hang still."""
    low, high = 0.2, 6.0
    for _ in range(7):
        size = float(np.sqrt(low * high))
        if 1 - _drawn_leaves(count, seed, size, 0.0, None).mean() < cover:
            low = size
        else:
            high = size
    return float(np.sqrt(low * high))


def _leaves(gobo: Gobo, t: float, loop: float | None) -> NDArray[np.float64]:
    """Leaves on twigs that sway."""
    size = _leaf_size(gobo.count, gobo.cover, gobo.seed)
    return _drawn_leaves(gobo.count, gobo.seed, size, t, loop)


LEAVES_A_TWIG, LEAF_LONG, LEAF_SLIM = 8, 0.03, 0.38
"""Leaves on a twig; half of one's length, as a share of the gobo's width; its width as a share of its length."""


def _drawn_leaves(count: int, seed: int, size: float, t: float, loop: float | None) -> NDArray[np.float64]:
    """Drawn twice as large, and made smaller."""
    rng = np.random.Generator(np.random.Philox(key=[seed, 611]))
    n, fine = count * LEAVES_A_TWIG, 2 * CELLS
    twig = np.arange(n) % count
    heart = rng.uniform(-0.05, 1.05, (count, 2))
    spread = rng.normal(0, 0.12, (n, 2))
    sway = rng.uniform(0.006, 0.022, (count, 2))
    flutter = rng.uniform(0.05, 0.35, n)
    phase, phase2 = rng.uniform(0, 2 * np.pi, (count, 2)), rng.uniform(0, 2 * np.pi, n)
    slow = _frequencies(rng, LEAF_HZ, count, loop)
    quick = _frequencies(rng, (1.0, 2.6), n, loop)
    turn = rng.uniform(0, np.pi, n) + flutter * np.sin(2 * np.pi * quick * t + phase2)
    at = (heart + sway * np.sin(2 * np.pi * slow[:, None] * t + phase))[twig] + spread
    long = size * LEAF_LONG * rng.uniform(0.8, 1.2, n)
    image = Image.new("L", (fine, fine), 255)
    pen = ImageDraw.Draw(image)
    a = np.linspace(0, 2 * np.pi, 14, endpoint=False)
    shape = np.stack([np.cos(a), LEAF_SLIM * np.sin(a) * (0.75 + 0.25 * np.cos(a))], 1)
    for k in range(n):
        c, s = np.cos(turn[k]), np.sin(turn[k])
        ring = (at[k] + long[k] * shape @ np.array([[c, s], [-s, c]])) * fine
        pen.polygon([tuple(p) for p in ring.tolist()], fill=0)
    return np.asarray(image.resize((CELLS, CELLS), Image.Resampling.BOX), float) / 255


def _ripple(gobo: Gobo, t: float, loop: float | None) -> NDArray[np.float64]:
    """Light gathered by small waves: one over how much a thin sheet of it is spread, its mean 1."""
    rng = np.random.Generator(np.random.Philox(key=[gobo.seed, 613]))
    y, x = np.meshgrid(_middles(), _middles(), indexing="ij")
    way, length = rng.uniform(0, 2 * np.pi, WAVES), rng.uniform(0.5, 2.0, WAVES) / gobo.count
    k = 2 * np.pi / length
    f = _frequencies(rng, WAVE_HZ, WAVES, loop)
    phase = rng.uniform(0, 2 * np.pi, WAVES)
    bend = np.zeros_like(x)
    for j in range(WAVES):
        bend += np.cos(k[j] * (np.cos(way[j]) * x + np.sin(way[j]) * y) - 2 * np.pi * f[j] * t + phase[j])
    light = 1 / np.maximum(1 + gobo.cover * bend / np.sqrt(WAVES / 2) * 0.9, 0.12)
    return np.asarray(light / light.mean())


def _picture(gobo: Gobo, read: Callable[[Asset], NDArray[np.float64]]) -> NDArray[np.float64]:
    """A picture's light, fitted into the square; what lies beside it is dark."""
    assert gobo.picture is not None
    pixels = read(gobo.picture)
    high, wide = pixels.shape[:2]
    k = CELLS / max(high, wide)
    small = [max(1, round(s * k)) for s in (wide, high)]
    rgb = (np.clip(pixels[..., :3] * pixels[..., 3:], 0, 1) * 255).round().astype(np.uint8)
    fitted = np.asarray(Image.fromarray(rgb).resize((small[0], small[1]), Image.Resampling.BOX), float) / 255
    fitted = np.where(fitted <= 0.04045, fitted / 12.92, ((fitted + 0.055) / 1.055) ** 2.4)
    out = np.zeros((CELLS, CELLS, 3))
    top, left = (CELLS - small[1]) // 2, (CELLS - small[0]) // 2
    out[top : top + small[1], left : left + small[0]] = fitted
    return out


def _film(gobo: Gobo, t: float, loop: float | None, data: Callable[[Asset], bytes]) -> NDArray[np.float64]:
    """The light of a film's frame that is shown at a clip time [s]."""
    assert gobo.film is not None
    film = read_gobo_film(data(gobo.film), gobo.film.name)
    return film.light(played_at(gobo.how, gobo.rate, gobo.start, film.seconds, t, loop))


def passed(
    gobo: Gobo,
    t: float,
    loop: float | None,
    read: Callable[[Asset], NDArray[np.float64]],
    data: Callable[[Asset], bytes] | None = None,
) -> Pixels:
    """How much light a gobo lets through at a clip time, by colour, shape (256, 256, 3).

    Parameters
    ----------
    loop : float or None [s]
        Length over which what moves in it closes.
    read : callable
        RGBA codes (0 to 1) of a picture.
    data : callable
        A file's bytes.
    """
    if gobo.kind == "film":
        whole = gobo.film is None or data is None
        light = np.ones((CELLS, CELLS, 3)) if whole else _film(gobo, t, loop, data)  # type: ignore[arg-type]
        return _let_through(gobo, light)
    t = t * gobo.rate
    loop = None if loop is None else loop * gobo.rate
    if gobo.kind == "picture":
        light = _picture(gobo, read) if gobo.picture is not None else np.ones((CELLS, CELLS, 3))
    elif gobo.kind == "blinds":
        light = _blinds(gobo)
    elif gobo.kind == "window":
        light = _window(gobo)
    elif gobo.kind == "leaves":
        light = _leaves(gobo, t, loop)
    else:
        light = _ripple(gobo, t, loop)
    return _let_through(gobo, light)


def _let_through(gobo: Gobo, light: NDArray[np.float64]) -> Pixels:
    if light.ndim == 2:
        light = np.repeat(light[..., None], 3, 2)
    if gobo.inverted:
        light = 1 - np.minimum(light, 1)
    return np.asarray(1 - gobo.contrast * (1 - light), np.float32)
