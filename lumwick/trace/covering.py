"""The colours of ground, plants and timber where a ray meets them, for kernels."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER, mix32, noise2
from lumwick.trace.waters import grid_cell


@nb.njit(**INNER)
def ground_surface(normals, colours, grid, x, y, footprint, away, n, albedo):
    """Normal and colour of the ground at a point, with grain too fine for the grid.

    Sward shows dead straw between its blades close by (``away`` [m] from the eye) and its own green further
    off, where blades are too small to be drawn; sand has wind ripples; wet ground is smooth. Returns how wet it is, 0
    to 1.
    """
    i, j, a, b = grid_cell(colours[:, :, 0], grid, x, y)
    w00, w01, w10, w11 = (1 - a) * (1 - b), (1 - a) * b, a * (1 - b), a * b
    for c in range(3):
        n[c] = (
            normals[i, j, c] * w00
            + normals[i, j + 1, c] * w01
            + normals[i + 1, j, c] * w10
            + normals[i + 1, j + 1, c] * w11
        )
        albedo[c] = (
            colours[i, j, c] * w00
            + colours[i, j + 1, c] * w01
            + colours[i + 1, j, c] * w10
            + colours[i + 1, j + 1, c] * w11
        )
    wet = (
        colours[i, j, 3] * w00
        + colours[i, j + 1, 3] * w01
        + colours[i + 1, j, 3] * w10
        + colours[i + 1, j + 1, 3] * w11
    )
    sward = (
        colours[i, j, 4] * w00
        + colours[i, j + 1, 4] * w01
        + colours[i + 1, j, 4] * w10
        + colours[i + 1, j + 1, 4] * w11
    )
    dry = 1 - 0.75 * wet
    tone = 0.0
    grain = 2.6
    for octave in range(6):
        fade = min(1.0, max(0.0, 1.5 - footprint / (0.5 * grain)))
        if fade > 0:
            v, du, dv = noise2(x / grain + octave * 17.3, y / grain - octave * 9.1, octave)
            # sward is rough at every size; sand is smooth but for its small unevenness
            rough = grid[4] * dry * (0.5 * sward + (1 - sward) * (0.12 if octave < 3 else 0.30))
            tone += fade * v * (0.13 * sward + 0.055 * (1 - sward))
            n[0] -= fade * rough * du
            n[1] -= fade * rough * dv
        grain *= 0.42
    sand = (1 - sward) * (1 - min(1.0, 2 * wet))
    if sand > 0.02 and footprint < 0.06:
        fade = min(1.0, 1.5 - footprint / 0.04) * sand
        if fade > 0:
            v, du, dv = noise2(x / 0.9, y / 0.9, 41)
            u, _, _ = noise2(x / 7.0, y / 7.0, 42)
            phase = (0.82 * x + 0.57 * y) * 62.0 + 2.6 * v
            s = 0.20 * fade * max(0.0, 0.55 + u) * np.cos(phase)
            n[0] -= s * 0.82
            n[1] -= s * 0.57
    q = 1 / np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
    near = sward * min(1.0, max(0.0, 1.4 - away / 60.0)) * 0.55
    for c in range(3):
        n[c] *= q
        straw = 0.095 if c == 0 else (0.078 if c == 1 else 0.042)
        albedo[c] = min(0.9, max(0.0, (albedo[c] * (1 - near) + straw * near) * (1 + tone)))
    return wet * (1 - 0.7 * sward)


@nb.njit(**INNER)
def plant_surface(m, cut, look, shade, prim, x, y, z, dx, dy, dz, n, albedo, through):
    """Colour of a plant's surface; ``n`` comes in its own frame and leaves in the place's. Returns which of its
    surfaces it is.

    A leaf seen from its under side (by a ray along ``d``) is paler and greyer than above.
    """
    # a normal goes with the cofactors of the placement
    kx, ky, kz = m[1] * m[5] - m[2] * m[4], m[2] * m[3] - m[0] * m[5], m[0] * m[4] - m[1] * m[3]
    nx = n[0] * (m[4] * m[8] - m[5] * m[7]) + n[1] * (m[7] * m[2] - m[8] * m[1]) + n[2] * kx
    ny = n[0] * (m[5] * m[6] - m[3] * m[8]) + n[1] * (m[8] * m[0] - m[6] * m[2]) + n[2] * ky
    nz = n[0] * (m[3] * m[7] - m[4] * m[6]) + n[1] * (m[6] * m[1] - m[7] * m[0]) + n[2] * kz
    n[0], n[1], n[2] = nx, ny, nz
    under = dx * nx + dy * ny + dz * nz > 0
    s, first = 0, 0
    for k in range(3):
        if prim >= cut[k]:
            s, first = k + 1, cut[k]
    # leaf from leaf: a hash of its number; plant from plant: its own shade
    leaf_number = (prim - first) // int(look[26 + s])
    q = mix32(np.uint32(leaf_number * 4 + s) ^ np.uint32(shade * 1e6))
    leaf = ((q >> np.uint32(8)) & np.uint32(0xFFFF)) / 65535.0 - 0.5
    warm = 1 + 0.34 * leaf + 0.30 * (shade - 0.5)
    value = 1 + 0.36 * ((q & np.uint32(0xFF)) / 255.0 - 0.5)
    # height over the plant's own foot, whichever way the ground lies
    high = (kx * (x - m[9]) + ky * (y - m[10]) + kz * (z - m[11])) / (kx * m[6] + ky * m[7] + kz * m[8])
    high = min(1.0, max(0.0, high / look[24]))
    root = 0.72 + 0.28 * high if look[25] > 0 else 1.0
    for c in range(3):
        k = value * root * (warm if c == 0 else (1.0 if c == 1 else 1 - 0.5 * (warm - 1)))
        albedo[c] = min(0.85, look[6 * s + c] * k)
        if under and s == 1:
            albedo[c] = 0.7 * albedo[c] + 0.55 * (look[6 * s] + look[6 * s + 1] + look[6 * s + 2]) / 3
        through[c] = min(0.85, look[6 * s + 3 + c] * k)
    return s


@nb.njit(**INNER)
def timber_surface(tone, look, x, y, z, n, footprint, albedo):
    """Colour of sawn timber: on upright faces the grain runs level, as boards do."""
    if abs(n[2]) < 0.5:
        u, v = x * abs(n[1]) + y * abs(n[0]), z
    else:
        u, v = x, y
    broad, _, _ = noise2(u * 2.1 + v * 0.7, v * 9.0, 91)
    seen = min(1.0, max(0.0, 1.6 - footprint / 0.012))
    fine = 0.0
    if seen > 0:
        fine, _, _ = noise2(u * 5.0, v * (170.0 if abs(n[2]) < 0.5 else 60.0), 92)
    k = tone * (1 + 0.14 * broad + 0.16 * seen * fine)
    for c in range(3):
        albedo[c] = min(0.8, max(0.0, look[c] * k))
