"""Trace a stage into film, and clean the film."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from lumwick.air.bands import LUMA
from lumwick.lens.camera import Camera
from lumwick.trace.film import Film
from lumwick.trace.framing import Window
from lumwick.trace.integrator.path import Exposure, Scratch, new_scratch, render_rows
from lumwick.trace.integrator.rays import REPLAY
from lumwick.trace.lock import ENGINE
from lumwick.trace.quality import Limit
from lumwick.trace.stage import Stage
from lumwick.trace.world import NO_CLOUD_LATTICE, Limits, View, World

MANY = 8
"""Samples of a pixel from which on clouds cost less on a lattice than one by one (docs/decisions/0025)."""


@dataclass(frozen=True)
class Sight:
    """From where film is exposed.

    Attributes
    ----------
    opens, closes : Camera or None
        Where the camera is when the shutter opens and closes; at rest in the snapshot's place if not given.
    window : Window or None
        Which part of a larger picture the film shows.
    held : Camera or None
        By which clouds are seen while the shutter is open.
    many : bool
        Whether pixels get so many samples that clouds are better looked up on a lattice than marched for each.
    planned : int
        How many samples each pixel is going to get, all moments of the shutter together; 0 if that is not known.
    """

    opens: Camera | None = None
    closes: Camera | None = None
    window: Window | None = None
    held: Camera | None = None
    many: bool = False
    planned: int = 0


@dataclass(frozen=True)
class Stop:
    """Whether to leave off, asked between strips.

    Attributes
    ----------
    every : int
        Samples between two questions; fewer answer sooner and spread the work a little less evenly.
    """

    asked: Callable[[], bool]
    every: int = 300_000


def expose(
    stage: Stage,
    film: Film,
    samples: int | NDArray[np.int32],
    limit: Limit = Limit(),
    seed: int = 1,
    sight: Sight = Sight(),
    stop: Stop | None = None,
    log: NDArray[np.float32] | None = None,
) -> bool:
    """Add samples to a film. The n-th sample of a pixel is the same whenever it is added.

    Parameters
    ----------
    samples : int, or ndarray of int32 of shape (height, width)
        To add to every pixel, or to each.
    stop : Stop
        When it says so the film is left as it was before this call.
    log : ndarray of float32, shape (height, m, REPLAY)
        Takes the first rays of each row.

    Returns
    -------
    bool
        Whether it was finished.
    """
    height, width = film.sums.shape[:2]
    view = stage.view(width, height, sight.opens, sight.closes, sight.window)
    cloud_lattice = (
        stage.cloud_lattice((width, height), sight.held or sight.opens, sight.window)
        if sight.many
        else NO_CLOUD_LATTICE
    )
    wanted = np.ascontiguousarray(np.broadcast_to(samples, (height, width)), np.int32)
    card, lux = _open_light(stage)
    indoors = stage.snapshot.indoors()
    lux *= DAYLIGHT_FACTOR if indoors else 1.0
    brightest = BRIGHTEST * max(card, 1e-3)
    limits = Limits(limit.bounces, limit.reflections, limit.transmissions, brightest, limit.flat, lux, indoors)
    order = np.concatenate([np.arange(0, height, 2), np.arange(1, height, 2)])
    counts = np.zeros((height, 2), np.int64)
    sums, by_source, mattes = film.sums, film.passes, film.mattes
    if stop:
        sums, by_source, mattes = sums.copy(), by_source.copy(), mattes.copy()
    strips = np.array_split(order, max(1, min(height // 4, int(wanted.sum()) // stop.every)) if stop else 1)
    for chosen in strips:
        if stop and stop.asked():
            return False
        with ENGINE:
            exposure = Exposure(sums, by_source, mattes, wanted, seed, sight.planned, cloud_lattice)
            _on_threads(stage.world, view, limits, exposure, chosen, counts, NO_LOG if log is None else log)
    film.sums, film.passes, film.mattes, film.names = sums, by_source, mattes, (stage.things, stage.surfaces)
    film.rays += int(counts[:, 0].sum())
    film.shadow_rays += int(counts[:, 1].sum())
    return True


BRIGHTEST = 12.0
"""Indirect light of one sample may be at most this many times what a white card in the open sends back (practice)."""


DAYLIGHT_FACTOR = 0.02
"""Of the open's light, about what a room has (practice: BS 8206-2 asks for 2 % on average in living rooms)."""


def _open_light(stage: Stage) -> tuple[float, float]:
    """What a white card in the open sends back [cd/m2]: by day, or by lamps two metres from the strongest; and what
    daylight alone puts on it [lx]."""
    up = max(float(stage.snapshot.key_direction[2]), 0.0)
    lux = float(LUMA @ (stage.light.sky_lux + stage.clear.sun_lux * up))
    card = lux / np.pi
    lamps = stage.world.lights.lamp
    if len(lamps):
        card = max(card, float(lamps["power"].max()) / (4 * np.pi))
    return card, max(lux, 1e-3)


ROWS_AT_ONCE = 2
"""Rows that a thread takes on at once: few, since some cost ten times as much as others."""


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 1, "trace")


def _on_threads(
    world: World,
    view: View,
    limits: Limits,
    exposure: Exposure,
    rows: NDArray[np.int64],
    counts: NDArray[np.int64],
    log: NDArray[np.float32],
) -> None:
    """Deal rows out to the machine's cores: whoever is done takes the next few."""
    todo = iter(np.array_split(rows, max(1, len(rows) // ROWS_AT_ONCE)))

    def work(scratch: Scratch) -> None:
        for some in todo:
            render_rows(world, view, limits, exposure, some, scratch, counts, log)

    pool = _threads()
    for task in [pool.submit(work, new_scratch()) for _ in range(os.cpu_count() or 1)]:
        task.result()


NO_LOG = np.zeros((1, 0, REPLAY), np.float32)


def more_samples(film: Film, budget: float, noise: float, most: int) -> NDArray[np.int32]:
    """Where the next samples go: to pixels whose error is above ``noise``, by the samples they still need.

    Parameters
    ----------
    budget : float
        Samples a pixel to spend, in the mean.
    noise : float
        Relative error to reach.
    most : int
        Samples that no pixel exceeds.

    Returns
    -------
    ndarray of int32, shape (height, width)
    """
    error, n = film.error(), film.counted[..., 0]
    # the error falls with the root of the number
    need = np.clip(n * ((error / noise) ** 2 - 1), 0, np.maximum(most - n, 0))
    total = float(need.sum())
    if total <= 0:
        return np.zeros(n.shape, np.int32)
    share = min(1.0, budget * n.size / total)
    wanted = need * share
    # the remainders are dealt out by an ordered pattern, so that no sample of the budget is lost
    pattern = np.tile(
        np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]]) / 16.0 + 1 / 32,
        (n.shape[0] // 4 + 1, n.shape[1] // 4 + 1),
    )[: n.shape[0], : n.shape[1]]
    return np.asarray(np.floor(wanted + pattern), np.int32)


def unreached(film: Film, noise: float) -> str:
    """A word about where a noise threshold was not reached; empty if it was, but for a hundredth of the picture."""
    above = float((film.error() > noise).mean())
    return (
        f"Noise is still above {100 * noise:g} % in {100 * above:.0f} % of the "
        "picture: more samples, or a higher threshold, would meet it."
        if above > 0.01
        else ""
    )
