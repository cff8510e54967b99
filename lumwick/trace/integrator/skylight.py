"""Sun, sky and environment picture as a ray meets them, and choosing directions by the sky's light."""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.motion.quick import turn
from lumwick.trace.sampling import INNER, bearing, elevation


@nb.njit(**INNER)
def _dome(table, dx, dy, dz, sun_az, c):
    """Radiance of a sky table, told about a bearing, in a direction (at the horizon for those below it)."""
    el = elevation(max(dz, 0.0))
    az = (bearing(dx, dy) - sun_az) / np.pi
    az -= 2 * np.floor(0.5 * az + 0.5)  # -1 to 1
    fi = np.sqrt(el / (0.5 * np.pi)) * (table.shape[0] - 1)
    fj = 0.5 * (1 + np.sqrt(abs(az)) * (1.0 if az >= 0 else -1.0)) * (table.shape[1] - 1)
    i, j = min(int(fi), table.shape[0] - 2), min(int(fj), table.shape[1] - 2)
    a, b = fi - i, fj - j
    w00, w10, w01, w11 = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    for k in range(3):
        c[k] = table[i, j, k] * w00 + table[i + 1, j, k] * w10 + table[i, j + 1, k] * w01 + table[i + 1, j + 1, k] * w11


@nb.njit(**INNER)
def _panorama(picture, dx, dy, dz, middle, c):
    """Radiance of an equirectangular picture whose middle column looks along ``middle`` [radians from north]."""
    rows, cols = picture.shape[0], picture.shape[1]
    az = (bearing(dx, dy) - middle) / (2 * np.pi) + 0.5
    fi = (0.5 - elevation(dz) / np.pi) * rows - 0.5
    fj = (az - np.floor(az)) * cols - 0.5
    gi, gj = np.floor(fi), np.floor(fj)
    a, b = fi - gi, fj - gj
    i, i2 = min(max(int(gi), 0), rows - 1), min(max(int(gi) + 1, 0), rows - 1)
    j, j2 = int(gj) % cols, (int(gj) + 1) % cols
    w00, w10, w01, w11 = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    for k in range(3):
        c[k] = picture[i, j, k] * w00 + picture[i2, j, k] * w10 + picture[i, j2, k] * w01 + picture[i2, j2, k] * w11


@nb.njit(**INNER)
def sky_light(panorama, table, sun, dx, dy, dz, c):
    """Radiance [cd/m2] of the sky, or of the environment picture if there is one, in a direction."""
    if panorama.shape[0] > 1:
        _panorama(panorama, dx, dy, dz, sun.azimuth, c)
    else:
        _dome(table, dx, dy, dz, sun.azimuth, c)


@nb.njit(**INNER)
def sky_from(lights, table, origin, direction, c):
    """As `sky_light`, from a point: an environment picture that is taken to be so far off shows another part of it from
    another point."""
    sun, dx, dy, dz = lights.sun[0], direction[0], direction[1], direction[2]
    if lights.panorama.shape[0] > 1 and sun.far > 0:
        x, y, z = origin[0] - sun.centre[0], origin[1] - sun.centre[1], origin[2] - sun.centre[2]
        along = x * dx + y * dy + z * dz
        within = sun.far * sun.far - (x * x + y * y + z * z)
        if within > 0:  # from outside of it, it is endlessly far
            t = np.sqrt(along * along + within) - along
            dx, dy, dz = (x + t * dx) / sun.far, (y + t * dy) / sun.far, (z + t * dz) / sun.far
    sky_light(lights.panorama, table, sun, dx, dy, dz, c)


@nb.njit(**INNER)
def sky_pdf(pmf, low, azimuth, dx, dy, dz):
    """Density [1/sr] with which `pick_sky` chooses a direction."""
    rows, cols = pmf.shape
    if dz <= low:
        return 0.0
    az = bearing(dx, dy) - azimuth
    az -= 2 * np.pi * np.floor(az / (2 * np.pi))
    i, j = min(int((dz - low) / (1 - low) * rows), rows - 1), min(int(az / (2 * np.pi) * cols), cols - 1)
    return pmf[i, j] * rows * cols / (2 * np.pi * (1 - low))


@nb.njit(**INNER)
def pick_sky(pick, pmf, low, azimuth, u, v, d):
    """Choose a direction by the light that comes from it (alias table); returns its pdf [1/sr].

    The table's rows are bands of equal height in ``z`` from ``low`` (0 for a sky, -1 for a whole sphere) to 1.
    """
    rows, cols = pmf.shape
    cells = rows * cols
    k = u * cells
    i = min(int(k), cells - 1)
    k -= i
    keep = pick[i, 0]
    if k < keep:
        k = k / keep
    else:
        k = (k - keep) / max(1e-9, 1 - keep)
        i = int(pick[i, 1])
    row, col = i // cols, i % cols
    dz = low + (1 - low) * (row + min(k, 0.999999)) / rows
    az = (col + v) / cols + azimuth / (2 * np.pi)
    north, east = turn(az - np.floor(az))
    r = np.sqrt(max(0.0, 1 - dz * dz))
    d[0], d[1], d[2] = r * east, r * north, dz
    return pmf[row, col] * rows * cols / (2 * np.pi * (1 - low))


@nb.njit(**INNER)
def sun_disc(sun, d, c):
    """Add the sun's disc [cd/m2] along a direction, darker to its limb: 1 - 0.6 (1 - mu), of unit mean when divided by
    0.8; as flat as the air makes it."""
    s, a, b = sun.direction, sun.across, sun.up
    lean = d[0] * s[0] + d[1] * s[1] + d[2] * s[2]
    if lean < 0.5:
        return
    x = (d[0] * a[0] + d[1] * a[1] + d[2] * a[2]) / lean
    y = (d[0] * b[0] + d[1] * b[1] + d[2] * b[2]) / (lean * sun.flat)
    out = (x * x + y * y) / (sun.tan_radius * sun.tan_radius)
    if out < 1:
        k = (0.4 + 0.6 * np.sqrt(1 - out)) / 0.8 / (np.pi * sun.tan_radius * sun.tan_radius * sun.flat)
        for i in range(3):
            c[i] += k * sun.illuminance[i]
