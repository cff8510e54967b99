"""What covers the ground: sand, mud, turf and rock chosen by height, slope and nearness of the sea."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage

from lumwick.land.ground import Ground

# Linear Rec.709 albedos, after broad-band soil and vegetation albedos in common use (practice, no source).
SAND, WET_SAND, MUD = (0.46, 0.38, 0.27), (0.23, 0.185, 0.13), (0.115, 0.092, 0.068)
TURF, DRY, SALTGRASS, ROCK, SCREE = (
    (0.075, 0.105, 0.030),
    (0.21, 0.175, 0.085),
    (0.13, 0.125, 0.048),
    (0.120, 0.109, 0.095),
    (0.165, 0.148, 0.128),
)
SNOW = (0.80, 0.81, 0.84)
MEADOW, LUSH, HEATH, EARTH = (0.115, 0.118, 0.042), (0.052, 0.088, 0.022), (0.078, 0.062, 0.040), (0.165, 0.125, 0.085)


def _step(x: NDArray[np.float64], low: float, high: float) -> NDArray[np.float64]:
    s = np.clip((x - low) / (high - low), 0, 1)
    return s * s * (3 - 2 * s)


def _mix(a: NDArray[np.float64], b: tuple[float, float, float], share: NDArray[np.float64]) -> NDArray[np.float64]:
    return a + (np.array(b) - a) * share[..., None]


def sea_nearness(ground: Ground, level: float) -> NDArray[np.float64]:
    """Share of open sea within some tens of metres, 0 inland to 1 at sea; tells a beach from a creek's bank."""
    open_sea = (ground.heights < level - 1.6).astype(float)
    return np.asarray(ndimage.gaussian_filter(open_sea, 45 / ground.spacing, mode="nearest"))


SANDY = (0.03, 0.12)
"""Nearness of the sea from which there is some sand on a shore, and from which nothing else (practice)."""
FLATTEST, STEEPEST = 0.02, 0.5
"""Slopes of a beach between which its wash is reckoned."""


def beach_slope(
    heights: NDArray[np.float32], slope: NDArray[np.float64], near_sea: NDArray[np.float64], level: float
) -> float | None:
    """Mean slope of the ground about the sea's edge on open shores, or None where it has none.

    Parameters
    ----------
    slope : ndarray, shape (ny, nx) [degrees]
    level : float [m]
        Of still water.
    """
    edge = (np.abs(heights - level) < 0.6) & (near_sea > 0.1)
    return float(np.clip(np.tan(np.radians(slope[edge])).mean(), FLATTEST, STEEPEST)) if edge.any() else None


def open_water(ground: Ground, level: float, near_sea: NDArray[np.float64]) -> NDArray[np.float32]:
    """How much of the sea's waves comes to each point of the ground: shares of long waves, of ripples and of a shore.

    Parameters
    ----------
    level : float [m]
        Of still water.
    near_sea : ndarray, shape (ny, nx)
        As `sea_nearness` gives it.

    Returns
    -------
    ndarray of float32, shape (ny, nx, 3)
    """
    depth = level - ground.heights.astype(float)
    comes = np.clip(near_sea * 2.2 - 0.15, 0, 1)
    shoal = np.clip(ndimage.gaussian_filter(np.clip(depth, 0, None), 6 / ground.spacing) / 2.2, 0, 1)
    # long waves die away over a shoal; ripples keep on to the shore, and a little in the creek
    short = np.clip(depth / 0.25, 0, 1) * (0.22 + 0.78 * comes * (0.7 + 0.3 * shoal))
    shore = _step(near_sea, *SANDY)  # where there is sand there is wash
    return np.stack([comes * shoal, short, shore], -1).astype(np.float32)


def lie_of(ground: Ground) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How far each grid point lies in a hollow, and how far its slope faces the pole from a low sun: both about 0 on
    level open ground, and 1 where they are marked.

    A hollow lies under the mean height about it (its topographic position: A. Weiss 2001), by its slope's own measure.
    """
    h = ground.heights.astype(float)
    about = ndimage.gaussian_filter(h, HOLLOW / ground.spacing, mode="nearest")
    hollow = np.clip((about - h) / (0.06 * HOLLOW), -1.5, 1.5)
    north, _ = np.gradient(ndimage.gaussian_filter(h, 12 / ground.spacing, mode="nearest"), ground.spacing)
    return hollow, np.clip(-north / 0.35, -1, 1)


HOLLOW, STEEP_OVER = 110.0, 12.0
"""Size [m] of the hollows and knolls by which wet and dry ground are told apart, and over which slopes are told
(practice)."""


def _upland(
    ground: Ground,
    h: NDArray[np.float64],
    sea_level: float | None,
    grain: list[NDArray[np.float64]],
    rng: np.random.Generator,
    snow_line: float | None,
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Colours, share of sward and share of rock of hills: lush in hollows and away from the sun, dry on knolls and
    towards it, heath on high open ground, earth, scree and rock as it is steeper, snow above its line. Where one
    becomes the other is practice."""
    hollow, away = lie_of(ground)
    # earth and rock go by the slope of some metres, not by each bump
    slope = Ground(
        np.asarray(ndimage.gaussian_filter(h, STEEP_OVER / ground.spacing, mode="nearest"), np.float32),
        ground.spacing,
        ground.west,
        ground.south,
    ).slope()
    broad = ndimage.gaussian_filter(rng.standard_normal(h.shape), 130 / ground.spacing, mode="reflect")
    broad /= max(float(broad.std()), 1e-9)
    ragged = 0.5 * grain[0] + 0.35 * grain[1] + 0.3 * grain[2]
    lush = 0.8 * hollow + 0.5 * away + 0.35 * broad + 0.3 * ragged
    c = _mix(np.broadcast_to(np.array(TURF), (*h.shape, 3)).copy(), MEADOW, _step(-lush + 0.2 * grain[1], -0.7, 0.6))
    c = _mix(c, DRY, _step(-lush + 0.25 * grain[2], 0.5, 1.7) * 0.6)
    c = _mix(c, LUSH, _step(lush, 0.5, 1.4) * 0.7)
    over = h if sea_level is None or not (h > sea_level).any() else h[h > sea_level]
    rise = (h - np.percentile(over, 30)) / max(float(np.ptp(over)), 60.0)
    heath = _step(rise * 2.2 + 0.5 * broad + 0.45 * ragged - 0.35 * hollow, 0.75, 1.25) * (1 - _step(slope, 20, 30))
    c = _mix(c, HEATH, heath * 0.85)
    steep = slope + 4.5 * ragged - 5 * hollow
    earth, scree, rock = _step(steep, 30, 39) * 0.75, _step(steep, 37, 47) * 0.85, _step(steep + 2 * grain[2], 43, 53)
    c = _mix(_mix(_mix(c, EARTH, earth), SCREE, scree), ROCK, rock)
    if snow_line is not None:
        # it lies lower on shaded slopes and in hollows, slides off what is steep, and lies in patches at its edge
        lies = (h - snow_line) / 120.0 + 0.45 * away + 0.35 * hollow + 0.4 * ragged
        snow = _step(lies, -0.35, 0.25) * (1 - _step(slope + 3 * grain[2], 38, 50))
        c = _mix(c, SNOW, snow)
    else:
        snow = np.zeros_like(h)
    bare = 1 - snow
    return (
        c,
        (1 - 0.8 * earth) * (1 - scree) * (1 - rock) * bare,
        np.maximum(np.maximum(rock, scree), 0.35 * earth) * bare,
    )


def albedo(
    ground: Ground, kind: str, sea_level: float | None, beach_top: float, seed: int, snow_line: float | None = None
) -> NDArray[np.float32]:
    """Colour of the ground at each grid point, its wetness and how much of it is sward and rock.

    Parameters
    ----------
    snow_line : float or None [m]
        Height about which snow begins to lie, on hills.

    Returns
    -------
    ndarray of float32, shape (ny, nx, 6)
        Linear Rec.709 albedo, then wetness 0 to 1, then the shares of sward (turf and its like) and of rock 0 to 1.
    """
    h = ground.heights.astype(float)
    rng = np.random.default_rng(seed)
    grain = [
        ndimage.gaussian_filter(rng.standard_normal(h.shape), g / ground.spacing, mode="reflect") for g in (30, 8, 2.5)
    ]
    grain = [g / max(g.std(), 1e-9) for g in grain]
    wet = np.zeros_like(h)
    sward, rock = np.ones_like(h), np.zeros_like(h)
    if kind == "saltmarsh":
        level = sea_level if sea_level is not None else h.min() - 10
        near = _step(sea_nearness(ground, level), *SANDY)
        c = np.broadcast_to(np.array(SALTGRASS), (*h.shape, 3)).copy()
        c = _mix(c, TURF, _step(grain[0] + 0.4 * grain[1], -0.4, 0.9) * 0.75)
        c = _mix(c, DRY, _step(grain[1] - 0.3 * grain[0], 0.4, 1.6) * 0.6)
        c = _mix(c, TURF, _step(h - level, 3, 7) * (1 - near) * 0.8)
        dune = near * _step(h - level, beach_top - 0.7, beach_top + 0.3)
        marram = dune * _step(grain[1] + 0.7 * grain[2], -0.2, 1.1) * _step(h - level, beach_top + 0.2, beach_top + 1.6)
        bare = near * (1 - 0.45 * marram)
        c = _mix(c, SAND, bare)
        sward -= bare
        mud = (1 - near) * (1 - _step(h - level + 0.12 * grain[2], 0.55, 0.95))
        c = _mix(c, MUD, mud)
        sward *= 1 - mud
        line = _step(-(h - level), -0.12, 0.15)  # what the wash wets over it is told for each instant
        c = _mix(c, WET_SAND, near * line)
        wet = np.maximum(near * line, mud * (1 - 0.6 * _step(h - level, 0.2, 0.8)))
    else:
        c, sward, rock = _upland(ground, h, sea_level, grain, rng, snow_line)
        if sea_level is not None:
            beach = 1 - _step(h - sea_level, beach_top * 0.5, beach_top)
            c = _mix(c, SAND, beach)
            sward *= 1 - beach
            rock *= 1 - beach
            line = 1 - _step(h - sea_level, 0.1, 0.6)
            c = _mix(c, WET_SAND, line)
            wet = line
    c *= np.exp(0.10 * grain[2] + 0.06 * grain[1])[..., None]
    shares = np.stack([wet, np.clip(sward, 0, 1), np.clip(rock, 0, 1)], -1)
    return np.concatenate([np.clip(c, 0.01, 0.9), shares], axis=-1).astype(np.float32)


def worn(
    cover: NDArray[np.float32], ground: Ground, ways: Sequence[tuple[shapely.LineString, float, float]]
) -> NDArray[np.float32]:
    """The same covers with ways worn in, down to earth.

    Parameters
    ----------
    cover : ndarray of float32, shape (ny, nx, 6)
        As `albedo` gives it.
    ways : sequence of (line, width [m], share)
        How far each is worn: 0 not at all, 1 bare.
    """
    if not ways:
        return cover
    out = cover.copy()
    ny, nx = ground.heights.shape
    for line, width, share in ways:
        reach = width / 2 + ground.spacing
        west, south, east, north = line.bounds
        j = slice(
            *np.clip(
                [
                    int((west - reach - ground.west) / ground.spacing),
                    int((east + reach - ground.west) / ground.spacing) + 2,
                ],
                0,
                nx,
            )
        )
        i = slice(
            *np.clip(
                [
                    int((south - reach - ground.south) / ground.spacing),
                    int((north + reach - ground.south) / ground.spacing) + 2,
                ],
                0,
                ny,
            )
        )
        if i.start >= i.stop or j.start >= j.stop:
            continue
        x, y = np.meshgrid(
            ground.west + np.arange(j.start, j.stop) * ground.spacing,
            ground.south + np.arange(i.start, i.stop) * ground.spacing,
        )
        shapely.prepare(line)
        off = shapely.distance(line, shapely.points(x, y))
        # of a way that is narrower than the grid's cells its share of them is worn
        bare = np.clip((reach - off) / ground.spacing, 0, 1) * min(1.0, width / ground.spacing) * share
        part = out[i, j]
        part[..., :3] = _mix(part[..., :3].astype(float), EARTH, bare)
        part[..., 4] *= 1 - bare
        part[..., 5] = np.maximum(part[..., 5], 0.5 * bare)
    return out
