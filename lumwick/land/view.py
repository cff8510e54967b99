"""Where to look at a survey from first: an outlook over it, with a way to fly that keeps clear of the ground.

What makes an outlook is practice: land at many distances, a skyline that is uneven, open ground close by, and water if
there is any.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.land.ground import Ground

Floats = NDArray[np.float64]
SPOTS, HEADINGS, RAYS = 15, 24, 9
"""Spots a side that are tried, bearings at each, and rays across a view."""
HALF_VIEW = 30.0
"""Half the angle of view that is looked at [degrees]."""
SAMPLES = 56
CLEARS = 0.55
"""Share of its height over the ground by which a flight clears what lies under and before it, at least."""


@dataclass(frozen=True)
class Outlook:
    """A first view of a survey.

    Attributes
    ----------
    begins, ends : tuple of float [m]
        East, north and height of a straight flight that is level.
    bearing : float [degrees]
    drop : float [degrees]
        By how much the aim lies under the horizon.
    """

    begins: tuple[float, float, float]
    ends: tuple[float, float, float]
    bearing: float
    drop: float


def outlook(ground: Ground, sea_level: float | None, seconds: float) -> Outlook:
    """The best of many views, and a calm flight into it of so many seconds."""
    w, s, e, n = ground.bounds
    size = min(e - w, n - s)
    height = float(np.clip(0.035 * size, 5.0, 70.0))
    x, y = (v.ravel() for v in np.meshgrid(*(_inner(a, b) for a, b in ((w, e), (s, n)))))
    bearings = np.arange(HEADINGS) * (360.0 / HEADINGS)
    score = np.stack([_scores(ground, sea_level, x, y, float(b), height) for b in bearings], 1)
    spot, way = np.unravel_index(int(np.argmax(score)), score.shape)
    bearing = float(bearings[way])
    a = np.radians(bearing)
    # so slow that what lies straight below takes some seconds to pass
    length = float(np.clip(0.3 * height * seconds, 2.0, 0.2 * size))
    begins = np.array([x[spot], y[spot]])
    ends = begins + length * np.array([np.sin(a), np.cos(a)])
    along = np.linspace(-0.1, 1.6, 60)[:, None] * (ends - begins) + begins
    floor = ground.height(along[:, 0], along[:, 1])
    if sea_level is not None:
        floor = np.maximum(floor, sea_level)
    up = max(float(floor[0]) + height, float(floor.max()) + CLEARS * height)
    return Outlook((*begins.tolist(), up), (*ends.tolist(), up), bearing, 6.0)


def _inner(low: float, high: float) -> Floats:
    return np.linspace(low + 0.12 * (high - low), high - 0.12 * (high - low), SPOTS)


def _scores(ground: Ground, sea_level: float | None, x: Floats, y: Floats, bearing: float, height: float) -> Floats:
    """How good a view is from spots (n,) towards a bearing [degrees]."""
    w, s, e, n = ground.bounds
    size = min(e - w, n - s)
    far = np.geomspace(0.6 * height, size, SAMPLES)
    way = np.radians(bearing + np.linspace(-HALF_VIEW, HALF_VIEW, RAYS))
    px = x[:, None, None] + far * np.sin(way)[:, None]
    py = y[:, None, None] + far * np.cos(way)[:, None]
    inside = (px > w) & (px < e) & (py > s) & (py < n)
    land = ground.height(px, py)
    water = np.zeros_like(inside)
    floor = ground.height(x, y)
    if sea_level is not None:
        water = land < sea_level
        land, floor = np.maximum(land, sea_level), np.maximum(floor, sea_level)
    eye = floor + height
    angle = np.where(inside, (land - eye[:, None, None]) / far, -1.0)
    seen = inside & (angle >= np.maximum.accumulate(angle, -1) - 1e-9)
    # land at many distances: each factor of the distance counts as much
    depth = seen.mean((1, 2))
    skyline = np.degrees(np.arctan(angle.max(-1)))
    uneven = np.clip(skyline.std(1) / 2.5, 0, 1) + 0.6 * np.clip((skyline.mean(1) + 1.0) / 4.0, 0, 1)
    walled = np.clip((skyline.max(1) - 12) / 10, 0, 1) + np.clip(
        (angle[..., : SAMPLES // 3].max((1, 2)) - 0.05) / 0.2, 0, 1
    )
    wet = (seen & water).sum((1, 2)) / np.maximum(seen.sum((1, 2)), 1)
    mirrors = np.clip(wet / 0.15, 0, 1) * np.clip((0.75 - wet) / 0.3, 0, 1)
    # the survey goes on as far as one sees
    reach = inside[:, RAYS // 2].mean(-1)
    stands_in_sea = (ground.height(x, y) < sea_level).astype(float) if sea_level is not None else 0.0
    return np.asarray(1.4 * depth + uneven + 0.9 * mirrors + 1.2 * reach - 1.5 * walled - 0.3 * stands_in_sea)


def lit_share(ground: Ground, view: Outlook, azimuth: float, elevation: float) -> float:
    """Share of the land before a view that the sun reaches, by bearing and height of the sun [degrees]."""
    way = np.radians(view.bearing + np.linspace(-HALF_VIEW, HALF_VIEW, RAYS))
    far = np.geomspace(60.0, 2500.0, 14)
    x = (view.begins[0] + far * np.sin(way)[:, None]).ravel()
    y = (view.begins[1] + far * np.cos(way)[:, None]).ravel()
    back = np.geomspace(1.5 * ground.spacing, 4000.0, 40)
    a = np.radians(azimuth)
    rise = ground.height(x[:, None] + back * np.sin(a), y[:, None] + back * np.cos(a)) - ground.height(x, y)[:, None]
    return float((rise / back < np.tan(np.radians(elevation))).all(1).mean())
