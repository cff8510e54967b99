"""The loop: a sample's way from the camera to the light."""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.trace import records
from lumwick.trace.integrator import beams, film, lights, media, port, rays, scattering, shafts, together
from lumwick.trace.integrator.camera_ray import camera_ray
from lumwick.trace.integrator.compiling import WITHIN
from lumwick.trace.integrator.dielectric import scatter_dielectric
from lumwick.trace.integrator.surfaces import meeting
from lumwick.trace.integrator.surfaces.water import EVENT_DIMENSION
from lumwick.trace.sampling import INNER, ONE_THREAD, pair
from lumwick.trace.world import CloudLattice

STEPS = 24
"""Surfaces that a path meets at most (practice: none that carries anything is as long)."""
UNLIMITED = 1e30


class Context(NamedTuple):
    """What one row of the picture works in (`lumwick.trace.records`), and where it leaves its sums and counts."""

    ray: NDArray[np.uint32]
    f: NDArray[np.float32]  # the same bytes
    path: np.void
    hit: np.void
    lobes: np.void
    light_sample: np.void
    cut: np.void
    work: np.void
    out: NDArray[np.float64]
    ids: NDArray[np.int32]
    ahead: together.Ahead
    cloud_lattice: CloudLattice
    counts: NDArray[np.int64]
    log: NDArray[np.float32]


class Scratch(NamedTuple):
    """What a thread works in: one of each record."""

    ray: NDArray[np.uint32]
    f: NDArray[np.float32]
    path: NDArray[np.void]
    hit: NDArray[np.void]
    lobes: NDArray[np.void]
    light_sample: NDArray[np.void]
    cut: NDArray[np.void]
    work: NDArray[np.void]
    out: NDArray[np.float64]
    ids: NDArray[np.int32]
    ahead: together.Ahead


def new_scratch() -> Scratch:
    """Room for one thread."""
    ray = rays.buffers(1)[0]
    return Scratch(
        ray,
        ray.view(np.float32),
        np.zeros(1, records.PATH),
        np.zeros(1, records.HIT),
        np.zeros(1, records.LOBES),
        np.zeros(1, records.LIGHT_SAMPLE),
        np.zeros(1, records.CUT),
        np.zeros(1, records.WORK),
        np.zeros(film.CHANNELS + film.PASSES),
        np.zeros((2, film.IDS, 2), np.int32),
        together.new_ahead(),
    )


@nb.njit(**WITHIN)
def context_of(scratch, cloud_lattice, counts, log):
    """The context of a row, in a thread's scratch."""
    return Context(
        scratch.ray,
        scratch.f,
        scratch.path[0],
        scratch.hit[0],
        scratch.lobes[0],
        scratch.light_sample[0],
        scratch.cut[0],
        scratch.work[0],
        scratch.out,
        scratch.ids,
        scratch.ahead,
        cloud_lattice,
        counts,
        log,
    )


class Exposure(NamedTuple):
    """What samples are added to, and how many.

    Attributes
    ----------
    sums : ndarray of float32, shape (height, width, CHANNELS)
        Sums of radiance [cd/m2], albedo, normal, distance [m] and what else `film` says.
    passes : ndarray of float32, shape (height, width, PASSES) or (0, 0, PASSES)
        Sums of the radiance by its source [cd/m2], of the first surface's position [m] and of coverage, if wanted.
    mattes : ndarray of int32, shape (height, width, 2, IDS, 2) or (0, 0, 2, IDS, 2)
        Numbers of things and of surfaces, each with its samples, if wanted.
    wanted : ndarray of int32, shape (height, width)
        Samples to add to each pixel.
    planned : int
        How many samples each pixel gets, if that is known and all get equally many; else 0.
    cloud_lattice : CloudLattice
        On which clouds are looked up.
    """

    sums: NDArray[np.float32]
    passes: NDArray[np.float32]
    mattes: NDArray[np.int32]
    wanted: NDArray[np.int32]
    seed: int
    planned: int
    cloud_lattice: CloudLattice


@nb.njit(**WITHIN)
def _begin(view, px, py, path):
    path.by[:] = 0.0
    path.aside[:] = 0.0
    path.throughput[:] = 1.0
    path.travelled = path.pdf = path.near = 0.0
    path.limit, path.spread = UNLIMITED, 2 * view.tan_x / view.width
    path.inside, path.body = -1, 0
    path.plain = 1  # only mirrors and clear things between here and the camera
    path.depth = path.reflected = path.passed = path.in_water = path.skims = path.seen = path.mirrored = 0
    colour = camera_ray(view, px, py, path)
    if colour >= 0:
        for c in range(3):
            path.throughput[c] = 3.0 if c == colour else 0.0


@nb.njit(**WITHIN)
def follow(w, view, limits, ctx, px, py):
    """Follow one sample; adds its light and features to the context's sums."""
    path, hit, lobes = ctx.path, ctx.hit, ctx.lobes
    _begin(view, px, py, path)
    if view.port > 0:
        port.start(w, view, ctx)
    for step in range(STEPS):
        path.step = step
        rays.find_surface(w.geometry, ctx)
        if len(w.lights.lamp) > 0:
            shafts.add(w, limits, ctx)
        lit, sunned = lights.on_the_air(w, limits, ctx), 1.0
        if path.depth == 0 and not path.in_water and path.inside < 0:
            sunned = beams.before_surface(w, ctx, lit)
        media.cross(w.air, w.waters, w.lights, ctx, lit, sunned)
        if hit.missed:
            if not (path.in_water or limits.flat):
                if step == 0 or (path.plain and path.depth == 0 and not path.mirrored and not path.skims):
                    media.background(w.air, w.lights, ctx, sunned)
                else:
                    lights.escaped_sky_mis(w.air, w.lights, ctx)
            break
        event = meeting.evaluate_surface(w, view, limits, ctx)
        if event == meeting.END:
            break
        if event == meeting.ONWARD:
            continue
        meeting.orient_and_record(w, ctx)
        if lights.has_glow(hit.kind, lobes):
            lights.emitted(w.materials, w.geometry.row[hit.part], w.lights.lamp, ctx)
        if limits.flat:
            break
        if lobes.transmission > 0:
            xi, _ = pair(path.pixel, path.sample, EVENT_DIMENSION + step)
            if xi < lobes.transmission:
                if scatter_dielectric(w.air, w.lights, w.geometry, limits, ctx, xi / lobes.transmission):
                    continue
                break
        matt = path.depth < limits.bounces
        if hit.glossy or lobes.f0[0] + lobes.f0[1] + lobes.f0[2] + lobes.coat > 0:
            scattering.prepare(w.materials.gloss_albedo, lobes, hit.cos_out, hit.glossy, matt)
        else:
            scattering.plain(lobes, hit.leaf, matt)
        lights.direct(w, limits, ctx)
        if not scattering.choose_direction(limits, w.waters.body[path.body], path, hit, lobes):
            break
    film.deposit(ctx)


@nb.njit(**INNER)
def _copy(ids, to):
    for which in range(2):
        for k in range(film.IDS):
            to[which, k, 0], to[which, k, 1] = ids[which, k, 0], ids[which, k, 1]


@nb.njit(**WITHIN)
def _render_row(w, view, limits, exposure, ctx, y):
    """Add samples to a row."""
    ahead = ctx.ahead.taken
    ahead[0] = ahead[1] = 0
    for x in range(exposure.sums.shape[1]):
        for c in range(film.CHANNELS + film.PASSES):
            ctx.out[c] = 0.0
        if len(exposure.mattes):
            _copy(exposure.mattes[y, x], ctx.ids)
        first = int(exposure.sums[y, x, film.COUNTED])
        sums, out = exposure.sums[y, x], ctx.out
        out[film.OPEN], out[film.SQUARED] = sums[film.OPEN], sums[film.SQUARED]
        before = sums[0] + sums[1] + sums[2]
        for s in range(exposure.wanted[y, x]):
            if ahead[0] == ahead[1] and view.port <= 0:  # a port bends each ray on its way out
                together.look_ahead(w.geometry.scene, view, exposure, ctx, x, y, s)
            together.number_sample(view, exposure, ctx.path, x, y, first + s)
            follow(w, view, limits, ctx, x, y)
            film.close_block(out, first + s + 1, before + out[0] + out[1] + out[2])
        sums[film.OPEN] = sums[film.SQUARED] = 0.0
        for c in range(film.CHANNELS):
            sums[c] += out[c]
        if len(exposure.passes):
            for c in range(film.PASSES):
                exposure.passes[y, x, c] += ctx.out[film.CHANNELS + c]
        if len(exposure.mattes):
            _copy(ctx.ids, exposure.mattes[y, x])


@nb.njit(**ONE_THREAD)
def render_rows(w, view, limits, exposure, rows, scratch, counts, log):
    """Add samples to some rows of an exposure, on the thread that calls it.

    Parameters
    ----------
    w : World
    view : View
    limits : Limits
    exposure : Exposure
    rows : ndarray of int64, shape (n,)
    scratch : Scratch
        The thread's own.
    counts : ndarray of int64, shape (height, 2)
        Takes the numbers of closest-hit and shadow rays of each row.
    log : ndarray of float32, shape (height, m, REPLAY) or (1, 0, REPLAY)
        Takes the first m rays of each row, in their order.
    """
    for y in rows:
        ctx = context_of(scratch, exposure.cloud_lattice, counts[y], log[y % len(log)])
        _render_row(w, view, limits, exposure, ctx, y)
