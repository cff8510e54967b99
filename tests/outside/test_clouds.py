"""Clouds against published optics and observations: drops' scattering, two streams through a layer, light by oktas."""

from __future__ import annotations

from dataclasses import replace

import miepython
import numba as nb
import numpy as np
import pytest

from lumwick.air.atmosphere import ClearSky, clear_sky, sky_illuminance
from lumwick.air.bands import LUMA
from lumwick.air.clouds import ASYMMETRY, Deck, dimmed, phase_of_drops, transmitted
from lumwick.trace import records
from lumwick.trace.integrator.clouds import deck_at, drops, march, shade
from lumwick.trace.sections.clouds import LAYERS, Daystar, clouds, grid_of, laid_over, side_of

HEAPS = Deck(3.0, 1100.0, 900.0, 0.02, 0.25, 1500.0, 0.0, 1, 0.0, ((0.0, 0.0), (0.0, 0.0)), 1.0)
SHEET = replace(HEAPS, oktas=8.0, closed=1.0, extinction=0.04)


def toward(elevation: float, azimuth: float = 90.0) -> np.ndarray:
    e, a = np.radians([elevation, azimuth])
    return np.array([np.cos(e) * np.sin(a), np.cos(e) * np.cos(a), np.sin(e)])


def daystar(sky: ClearSky, way: np.ndarray) -> Daystar:
    above = sky_illuminance(sky)
    below = 0.14 * (above + sky.sun_lux * way[2]) * 0.7 / np.pi
    return Daystar(way, sky.sun_lux, sky.sun_lux, above / np.pi, below, np.array([2.5e-5, 3e-5, 4.5e-5]))


@nb.njit
def down(cloud, deck, sun, mu, weight, around):
    """Light on level ground under a layer."""
    told, light, d, eye = np.zeros(4), np.zeros(3), np.zeros(3), np.zeros(3)
    haze, air, out = np.zeros(3), np.zeros(3), 0.0
    for i in range(len(mu)):
        s = np.sqrt(1 - mu[i] ** 2)
        for j in range(around):
            a = 2 * np.pi * (j + 0.5) / around
            d[0], d[1], d[2] = s * np.sin(a), s * np.cos(a), mu[i]
            march(cloud, deck, haze, sun, eye, d, 1e9, 0.5, told, air, light)
            out += light[1] * mu[i] * weight[i] * 2 * np.pi / around
    return out


@nb.njit
def left_of(cloud, deck, sun, ways, eyes, out):
    """What clouds leave of what lies behind, by directions and eyes."""
    told, light, haze, air = np.zeros(4), np.zeros(3), np.zeros(3), np.zeros(3)
    for k in range(len(ways)):
        out[k] = march(cloud, deck, haze, sun, eyes[k], ways[k], 1e9, 0.5, told, air, light)


def test_drops_scatter_as_mie_says() -> None:
    # cloud drops of 10 micrometres in green light, n = 1.333: gamma-distributed radii wash the ripples out
    cosine = np.cos(np.radians(np.linspace(0, 180, 721)))
    radius = np.linspace(4, 18, 60)
    number = radius**6 * np.exp(-9 * radius / 10 * 0.9)
    total, lobe, asymmetry = 0.0, np.zeros(len(cosine)), 0.0
    for r, n in zip(radius, number, strict=True):
        x = 2 * np.pi * r / 0.55
        _, scattered, _, g = miepython.efficiencies_mx(1.333, x)
        share = n * scattered * np.pi * r**2
        total += share
        asymmetry += share * g
        lobe += share * miepython.i_unpolarized(1.333, x, cosine, norm="one")
    lobe, asymmetry = lobe / total, asymmetry / total
    assert asymmetry == pytest.approx(ASYMMETRY, abs=0.01)
    ours = phase_of_drops(cosine)
    step = np.gradient(-cosine)
    assert (ours * step).sum() * 2 * np.pi == pytest.approx(1, abs=0.02)
    assert (ours * cosine * step).sum() * 2 * np.pi == pytest.approx(ASYMMETRY, abs=0.02)
    # shares of the light that goes into thirds of the sphere
    for low, high in ((0, 30), (30, 90), (90, 180)):
        some = (np.degrees(np.arccos(cosine)) >= low) & (np.degrees(np.arccos(cosine)) < high)
        a, b = ((p * step)[some].sum() * 2 * np.pi for p in (ours, lobe))
        assert a == pytest.approx(b, abs=0.06)
    for c in (-1.0, 0.0, 0.7, 0.99):
        assert drops(c) == pytest.approx(float(phase_of_drops(np.array(c))))


@pytest.mark.parametrize("depth", [1.0, 5.0, 20.0])
def test_a_plane_layer_passes_what_two_streams_say(depth: float) -> None:
    # J. Meador and W. Weaver's Eddington solution for a layer that takes nothing, scaled by 1 - g: see G. Petty (2006)
    grid = np.ones((LAYERS, 4, 4, 4), np.float32)
    z = ((np.arange(LAYERS) + 0.5) / LAYERS)[:, None, None]
    grid[..., 1], grid[..., 2], grid[..., 3] = (1 - z) * depth, z * depth, depth
    cloud, sun = np.zeros(1, records.CLOUD), np.zeros(1, records.SUN)
    for name, value in {"base": 1000, "top": 2000, "extinction": depth / 1000, "side": 1e4, "sunlight": 1, "grain": 100,
                        "crisp": 1, "haze_height": 2500}.items():  # fmt: skip
        cloud[name] = value
    sun["direction"] = toward(90)
    node, weight = np.polynomial.legendre.leggauss(200)
    diffuse = down(cloud[0], grid, sun[0], (node + 1) / 2, weight / 2, 24)
    assert diffuse + np.exp(-depth) == pytest.approx(transmitted(depth), rel=0.1)


def test_closed_layers_dim_more_the_thicker_they_are() -> None:
    depth = np.array([0.0, 0.5, 1.0, 5.0, 20.0, 60.0])
    assert transmitted(0.0) == pytest.approx(1) and (np.diff(transmitted(depth)) < 0).all()
    # thick layers go as 1 over their scaled depth
    assert transmitted(400.0) * (400.0 * (1 - ASYMMETRY) + 4 / 3) == pytest.approx(5 / 3, rel=1e-3)


@pytest.mark.parametrize(("deck", "within"), [(replace(HEAPS, oktas=2.0), 0.15), (replace(HEAPS, oktas=5.0), 0.2),
                                              (SHEET, 0.1)])  # fmt: skip
def test_light_on_the_ground_by_oktas_is_as_kasten_and_czeplak_saw(deck: Deck, within: float) -> None:
    # their fit is a mean over ten years and every kind of cloud; ours is one kind, so it may be so far off
    sky, way = clear_sky(90.0, 45.0), toward(45)
    made = clouds(deck, None, daystar(sky, way))
    before = sky_illuminance(sky) @ LUMA + sky.sun_lux @ LUMA * way[2]
    covered = replace(sky, table=laid_over(sky.table, made))
    after = sky_illuminance(covered) @ LUMA + sky.sun_lux @ LUMA * way[2] * made.sun
    assert after / before == pytest.approx(dimmed(deck.oktas), abs=within)


@pytest.mark.parametrize("oktas", [1.0, 3.0, 5.0, 7.0])
@pytest.mark.parametrize("seed", [1, 2])
def test_oktas_are_counted_in_a_picture_upwards(oktas: float, seed: int) -> None:
    deck = replace(HEAPS, oktas=oktas, seed=seed)
    made = clouds(deck, None, daystar(clear_sky(90.0, 45.0), toward(45)))
    rng = np.random.default_rng(3)
    n = 4000
    # where an observer looks: everything higher than 30 degrees, by area
    z, a = rng.uniform(0.5, 1, n), rng.uniform(0, 2 * np.pi, n)
    ways = np.stack([np.sqrt(1 - z * z) * np.sin(a), np.sqrt(1 - z * z) * np.cos(a), z], 1)
    eyes = np.concatenate([rng.uniform(0, side_of(deck), (n, 2)), np.zeros((n, 1))], 1)
    left, sun = np.zeros(n), np.zeros(1, records.SUN)
    sun["direction"] = toward(45)
    left_of(made.record[0], made.grid, sun[0], ways, eyes, left)
    assert 8 * float((left < 0.5).mean()) == pytest.approx(oktas, abs=0.5)


def test_the_shadow_of_a_cloud_goes_over_the_ground_as_the_cloud_does() -> None:
    way, at = toward(40, 120.0), np.stack([np.linspace(0, 20_000, 900), np.full(900, 3000.0)], 1)
    sun = np.zeros(1, records.SUN)
    sun["direction"] = way

    def shadow(offset: float) -> np.ndarray:
        deck = replace(HEAPS, oktas=4.0, offset=((offset, 0.0), (offset, 0.0)))
        made = clouds(deck, None, daystar(clear_sky(120.0, 40.0), way))
        told = np.zeros(4)
        return np.array(
            [shade(made.record[0], made.grid, sun[0], float(x), float(y), 0.0, told) for x, y in at]
        )  # fmt: skip

    first, later = shadow(0.0), shadow(600.0)
    step = 20_000 / 899
    moved = np.arange(0, 60) * step
    error = [np.abs(later[k:] - first[: len(first) - k]).mean() for k in range(60)]
    assert moved[int(np.argmin(error))] == pytest.approx(600.0, abs=step) and first.std() > 0.1
    # and it lies where the sun throws it: under the cloud, moved away from the sun by base over tangent
    deck = replace(HEAPS, oktas=4.0)
    grid, told = grid_of(deck, way), np.zeros(4)
    record = clouds(deck, None, daystar(clear_sky(120.0, 40.0), way)).record
    far = deck.base / way[2]
    for x, y in at[::90]:
        deck_at(record[0], grid, x + far * way[0], y + far * way[1], deck.base, 0, 4, told)
        assert shade(record[0], grid, sun[0], x, y, 0.0, np.zeros(4)) == pytest.approx(np.exp(-told[1]), rel=1e-6)
