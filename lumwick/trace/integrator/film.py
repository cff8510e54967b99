"""Where a sample's light and features are summed."""

from __future__ import annotations

import numba as nb

from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.records import SOURCES
from lumwick.trace.sampling import INNER

# channels of a film's sums
RADIANCE, ALBEDO, NORMAL, DISTANCE, SQUARED, COUNTED, ASIDE = 0, 3, 6, 9, 10, 11, 12
OPEN = 15
SHORT_BLOCK, LONG_BLOCK = 4, 8
"""Samples of the blocks by which noise is told: the first two of a pixel, and the others."""
CHANNELS = 16
"""Radiance rgb, albedo rgb, normal xyz, distance, squared brightness of whole blocks over their length, number of
samples, light set aside rgb, brightness of the block that is not whole yet."""
SUN, SKY, LAMPS, MIRRORED, GLOWING, AIR, BEHIND, CLOUDS = range(SOURCES)
POSITION, COVERAGE, SHADOW = 3 * SOURCES, 3 * SOURCES + 3, 3 * SOURCES + 4
PASSES = 3 * SOURCES + 7
"""Radiance by its source, rgb each: sun, sky, lamps, reflection, emission, air and water, background, clouds before it;
then position xyz and coverage, and the sun's light that shadows keep off the first surface, rgb."""
IDS = 6
"""Things, and surfaces, that one pixel can tell apart."""
NOTHING = 1e5
"""Distance [m] that is noted where no surface is met."""


@nb.njit(**INNER)
def add(path, row, c, light):
    """Add light [cd/m2] of one colour to a source, up to the sample's limit; the rest is set aside."""
    if light > path.limit:
        path.aside[c] += light - path.limit
        light = path.limit
    path.by[row, c] += light


@nb.njit(**INNER)
def _count(ids, which, number):
    """Count a sample for a thing (row 0) or a surface (row 1) of its pixel."""
    for k in range(IDS):
        if ids[which, k, 0] == number or ids[which, k, 0] == 0:
            ids[which, k, 0] = number
            ids[which, k, 1] += 1
            return


@nb.njit(**WITHIN)
def note_surface(things, ctx, red, green, blue):
    """Note the features of a sample's first surface: albedo, normal, distance, place, and what it is."""
    out, hit = ctx.out, ctx.hit
    out[ALBEDO] += red
    out[ALBEDO + 1] += green
    out[ALBEDO + 2] += blue
    for c in range(3):
        out[NORMAL + c] += hit.normal[c]
        out[CHANNELS + POSITION + c] += hit.position[c]
    out[DISTANCE] += ctx.path.travelled
    out[CHANNELS + COVERAGE] += 1.0
    _count(ctx.ids, 0, things[hit.part, hit.layer])
    _count(ctx.ids, 1, things[hit.part, 4 + hit.layer])
    ctx.path.seen = 1


@nb.njit(**INNER)
def close_block(out, n, total):
    """After a pixel's n-th sample: if a block of them is whole, take it up into what tells how far blocks are apart.

    Samples of one block are spread over what they sample, so that long blocks tell the noise of all samples best; the
    first eight are two short blocks, so that there are two to compare, until there are two long ones.
    ``total`` is the brightness of all samples.
    """
    if n == SHORT_BLOCK or n == 2 * SHORT_BLOCK:
        out[SQUARED] += out[OPEN] * out[OPEN] / SHORT_BLOCK
        out[OPEN] = 0.0
    elif n % LONG_BLOCK == 0:
        if n == 2 * LONG_BLOCK:
            out[SQUARED] = (total - out[OPEN]) ** 2 / LONG_BLOCK
        out[SQUARED] += out[OPEN] * out[OPEN] / LONG_BLOCK
        out[OPEN] = 0.0


@nb.njit(**PART)
def deposit(ctx):
    """Add a finished sample's light to the pixel's sums."""
    path, out = ctx.path, ctx.out
    if not path.seen:
        for c in range(3):
            out[ALBEDO + c] += 1.0
        out[DISTANCE] += NOTHING
    brightness = 0.0
    for k in range(SOURCES):
        for c in range(3):
            light = path.by[k, c]
            if abs(light) < 1e30:  # a degenerate surface may give no number: that sample is dark
                out[c] += light
                brightness += light
                out[CHANNELS + 3 * k + c] += light
    out[OPEN] += brightness
    out[COUNTED] += 1.0
    for c in range(3):
        if path.aside[c] < 1e30:
            out[ASIDE + c] += path.aside[c]
