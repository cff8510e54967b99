"""Clouds as a ray meets them: a marched body of low ones, a thin sheet of high ones, and their shadow.

The grid says how dense the low ones are at each spot, how much lies between it and the sun, and how much under it; what
is finer than the grid is eaten off their edges by noise. Light that is scattered once goes by the drops' phase
function; what is scattered often, by Eddington's approximation along the sun's way, with depths scaled by 1 - g
(`lumwick.air.clouds`).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.sampling import INNER, cell, noise2

FORWARD, PEAK, REST = 0.82, 0.95, 0.467
SCALED = 1 - 0.863
"""As `lumwick.air.clouds` has them."""
BROAD = 0.7
"""Asymmetry of what has been scattered forward often (practice)."""
STEPS, COARSE = 56, 2.0
"""Steps through the layer at most, and how much longer they are where there is no cloud."""
SHORTEST, LONGEST = 35.0, 900.0
"""Of a step [m]."""
FARTHEST = 90_000.0
"""Distance to which low clouds are looked for [m]."""
SEEN_THROUGH = 0.004
"""What is left of light where a cloud counts as closed."""
ICE_FORWARD, ICE_PEAK, ICE_REST = 0.7, 0.82, 0.1
"""Of ice crystals' phase function (practice)."""
CREASED = 2.4
"""Grains of cloud that lie over the depth of a crease, more than over the middle of a lobe (practice)."""
NEAR_LOBES = 14.0
"""Times the grain up to which the finest lobes are seen."""
FLATTEST = 0.015
"""Sine of the elevation under which high clouds are taken as at it."""


@nb.njit(**INNER)
def noise3(x, y, z, salt):
    """Value noise in [0, 1] in three dimensions."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = np.int64(fx), np.int64(fy), np.int64(fz)
    u, v, w = x - fx, y - fy, z - fz
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    s = k * 57 + salt * 131
    a = cell(i, j, s) * (1 - u) + cell(i + 1, j, s) * u
    b = cell(i, j + 1, s) * (1 - u) + cell(i + 1, j + 1, s) * u
    c = cell(i, j, s + 57) * (1 - u) + cell(i + 1, j, s + 57) * u
    d = cell(i, j + 1, s + 57) * (1 - u) + cell(i + 1, j + 1, s + 57) * u
    return (a * (1 - v) + b * v) * (1 - w) + (c * (1 - v) + d * v) * w


@nb.njit(**INNER)
def _henyey(g, cosine):
    return (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cosine) ** 1.5)


@nb.njit(**INNER)
def drops(cosine):
    """Share of light that drops scatter into an angle [1/sr]."""
    return FORWARD * _henyey(PEAK, cosine) + (1 - FORWARD) * _henyey(REST, cosine)


@nb.njit(**INNER)
def deck_at(cloud, deck, x, y, z, first, last, told):
    """What the grid says at a spot, into ``told`` (4), from ``first`` and before ``last``: how dense, and optical
    depths to the sun, down, and of all that lies over and under it."""
    layers, rows, columns = deck.shape[0], deck.shape[1], deck.shape[2]
    fz = (z - cloud.base) / (cloud.top - cloud.base) * layers - 0.5
    fx = (x - cloud.offset[0]) / cloud.side * columns - 0.5
    fy = (y - cloud.offset[1]) / cloud.side * rows - 0.5
    gx, gy = np.floor(fx), np.floor(fy)
    a, b = fx - gx, fy - gy
    j, i = int(gx) % columns, int(gy) % rows
    j2, i2 = (j + 1) % columns, (i + 1) % rows
    fz = min(max(fz, 0.0), layers - 1.001)
    k = int(fz)
    c = fz - k
    w00, w01, w10, w11 = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    for q in range(first, last):
        low = deck[k, i, j, q] * w00 + deck[k, i, j2, q] * w01 + deck[k, i2, j, q] * w10 + deck[k, i2, j2, q] * w11
        k2 = k + 1
        high = deck[k2, i, j, q] * w00 + deck[k2, i, j2, q] * w01 + deck[k2, i2, j, q] * w10 + deck[k2, i2, j2, q] * w11
        told[q] = low * (1 - c) + high * c


@nb.njit(**INNER)
def shade(cloud, deck, sun, x, y, z, told):
    """What low clouds leave of the sun's light at a spot."""
    s = sun.direction
    if cloud.top <= cloud.base or z >= cloud.top:
        return 1.0
    if z < cloud.base:
        far = (cloud.base - z) / max(s[2], 0.02)
        x, y, z = x + s[0] * far, y + s[1] * far, cloud.base
    deck_at(cloud, deck, x, y, z, 1, 2, told)
    return np.exp(-told[1])


@nb.njit(**INNER)
def _dense(cloud, told, x, y, z, far):
    """How dense cloud is where the grid says ``told[0]``: its edges are eaten away by what is finer, as far as that is
    seen from so far. Leaves there how far out of its creases the spot is, from 0 to 1."""
    value = told[0]
    if value <= 0.0:
        return 0.0
    told[0] = 0.5
    eaten = cloud.detail * (1 - value)
    if eaten > 0.01 and far < 400 * cloud.grain:
        x, y = x - cloud.grain_offset[0], y - cloud.grain_offset[1]
        z -= cloud.shift
        g = cloud.grain
        # creases between lobes, as heaps have them
        n = 0.5 * abs(2 * noise3(x / g, y / g, z / g, 11) - 1)
        n += 0.3 * abs(2 * noise3(2.3 * x / g, 2.3 * y / g, 2.3 * z / g, 12) - 1)
        if far < 120 * g:
            n += 0.2 * abs(2 * noise3(5.1 * x / g, 5.1 * y / g, 5.1 * z / g, 13) - 1)
        else:
            n += 0.1
        if far < NEAR_LOBES * g:
            near = 1 - far / (NEAR_LOBES * g)
            n += 0.14 * near * (abs(2 * noise3(11.9 * x / g, 11.9 * y / g, 11.9 * z / g, 14) - 1) - 0.5)
        value -= eaten * (1 - 1.9 * n)
        told[0] = min(1.0, 1.3 * n)
    return min(1.0, max(0.0, value * cloud.crisp))


@nb.njit(**INNER)
def march(cloud, deck, haze, sun, origin, d, reach, xi, told, air, light):
    """Light [cd/m2] that low clouds send along a ray, into ``light`` (3); returns what is left of what lies behind.

    Parameters
    ----------
    haze : ndarray, shape (3,) [1/m]
        Extinction of the air at the ground, which veils clouds that are far.
    reach : float [m]
        How far along the ray.
    xi : float
        From 0 to 1: where in its first step the ray is looked at.
    told : ndarray, shape (4,)
        Room for working.
    air : ndarray, shape (3,) [cd/m2]
        Light of the clear sky along the ray, which the air before a far cloud has.
    """
    for c in range(3):
        light[c] = 0.0
    if cloud.top <= cloud.base:
        return 1.0
    dz = d[2] if abs(d[2]) > 1e-5 else (1e-5 if d[2] >= 0 else -1e-5)
    a, b = (cloud.base - origin[2]) / dz, (cloud.top - origin[2]) / dz
    near, far = max(0.0, min(a, b)), min(min(reach, FARTHEST), max(a, b))
    # the air under a closed deck does not glow as it does under a clear sky, up to the horizon
    shut = cloud.closed_over if origin[2] < cloud.base else 0.0
    if far <= near:
        if reach < FARTHEST:
            return 1.0
        for c in range(3):
            light[c] = shut * cloud.beneath[c]
        return 1.0 - shut
    cos_sun = d[0] * sun.direction[0] + d[1] * sun.direction[1] + d[2] * sun.direction[2]
    narrow, broad = drops(cos_sun), _henyey(BROAD, cos_sun)
    step = min(LONGEST, max(SHORTEST, (far - near) / (STEPS * 0.6)))
    keep, scaled, t = 1.0, 1.0, near + xi * step
    empty = False
    for _ in range(STEPS):
        if t >= far:
            break
        x, y, z = origin[0] + t * d[0], origin[1] + t * d[1], origin[2] + t * d[2]
        deck_at(cloud, deck, x, y, z, 0, 1, told)
        long = step
        dense = _dense(cloud, told, x, y, z, t)
        if dense > 0.0:
            deck_at(cloud, deck, x, y, z, 1, 4, told)
            depth = dense * cloud.extinction * long
            passed, passed_scaled = np.exp(-depth), np.exp(-SCALED * depth)
            # what goes on nearly straight, again and again: it is spread the wider the deeper it has come; its sum over
            # a layer is just what the sun's own light falls short of that of the scaled layer
            over, under = SCALED * told[1], SCALED * told[2]
            # lobes too fine for the grid shade their creases
            over = max(0.0, over + CREASED * SCALED * cloud.extinction * cloud.grain * (0.5 - told[0]))
            alone = np.exp(-told[1])
            straight = (1 - SCALED) * np.exp(-over) * (narrow * alone + broad * (1 - alone))
            # what is scattered every way: Eddington's layer along the sun's way
            # (where more lies over it than towards the sun it is lit from its side, as a layer is that faces the sun)
            up, slant = SCALED * max(told[3] - told[2], 0.0), max(sun.direction[2], 0.05)
            slant += (1 - slant) * min(1.0, max(0.0, 1 - over * slant / max(up, 1e-4)))
            whole = over * slant + under
            flux = (2.0 / 3 + slant + (2.0 / 3 - slant) * np.exp(-whole / slant)) / (4.0 / 3 + whole)
            often = max(0.0, 3 * slant * flux * (under + 2.0 / 3) - np.exp(-over)) * (1 - np.exp(-3 * whole))
            often = (often + np.exp(-over)) / (4 * np.pi)
            sky, ground = 1 / (1 + 0.75 * up), 1 / (1 + 0.75 * under)
            for c in range(3):
                veiled = np.exp(-haze[c] * _column(cloud.haze_height, origin[2], dz, t))
                every_way = cloud.sunlight[c] * often + 0.5 * (cloud.above[c] * sky + cloud.below[c] * ground)
                given = keep * (1 - passed) * cloud.sunlight[c] * straight
                given += scaled * (1 - passed_scaled) * every_way
                before = air[c] + shut * (cloud.beneath[c] - air[c])
                light[c] += given * veiled + keep * (1 - passed) * before * (1 - veiled)
            keep *= passed
            scaled *= passed_scaled
            empty = False
            if scaled < SEEN_THROUGH:
                return 0.0
        elif empty:
            long = step * COARSE
        else:
            empty = True
        t += long
    return keep


@nb.njit(**INNER)
def _column(height, z, dz, t):
    """Length of ground air [m] that a ray goes through, for air that thins over a height."""
    s = dz * t / height
    k = np.exp(-max(z, 0.0) / height)
    if abs(s) < 1e-4:
        return k * t
    return k * t * (1 - np.exp(-min(50.0, s))) / s


@nb.njit(**INNER)
def veil(cloud, sun, origin, d, light):
    """Light [cd/m2] of high clouds along a ray, into ``light`` (3); returns what is left of what lies behind."""
    for c in range(3):
        light[c] = 0.0
    over = cloud.veil_height - origin[2]
    if cloud.veil_depth <= 0 or over <= 0 or d[2] <= 0:
        return 1.0
    rise = max(d[2], FLATTEST)
    t = over / rise
    x, y = origin[0] + t * d[0] - cloud.veil_offset[0], origin[1] + t * d[1] - cloud.veil_offset[1]
    ex, ey = cloud.veil_direction[0], cloud.veil_direction[1]
    along, across = (x * ex + y * ey) / 1000, (-x * ey + y * ex) / 1000
    salt = int(cloud.veil_seed) % 1000 * 8
    # where they lie, in tens of kilometres; then fibres, that bend
    broad, _, _ = noise2(along / 21 + 3.1, across / 13 - 1.7, salt)
    middle, _, _ = noise2(along / 7.3, across / 5.1, salt + 1)
    bend, _, _ = noise2(along / 9, across / 6, salt + 2)
    f = cloud.veil_fibrous
    u, v = along / (1 + 5 * f) + 0.8 * bend, across * (1 + 0.6 * f) + 1.3 * f * bend
    fine = hair = 0.0
    weight = total = 1.0
    for octave in range(5):
        n, _, _ = noise2(u * 0.55 * 2.1**octave, v * 0.9 * 2.1**octave, salt + 3 + octave)
        hair += weight * (1 - abs(n))
        fine += weight * n
        weight *= 0.55
        total += weight
    texture = (f * (2 * hair / total - 0.9) + (1 - f) * 0.5 * fine / total) * 0.8
    level = 0.62 * broad + 0.38 * middle + texture
    share = cloud.veil_amount / 8
    amount = min(1.0, max(0.0, (level - (0.75 - 1.5 * share)) / 0.9))
    depth = cloud.veil_depth * amount * amount * (3 - 2 * amount)
    if depth <= 1e-5:
        return 1.0
    keep = np.exp(-depth / rise)
    cosine = d[0] * sun.direction[0] + d[1] * sun.direction[1] + d[2] * sun.direction[2]
    p = ICE_FORWARD * _henyey(ICE_PEAK, cosine) + (1 - ICE_FORWARD) * _henyey(ICE_REST, cosine)
    away = np.exp(-0.00001 * t)
    for c in range(3):
        light[c] = (1 - keep) * (cloud.veil_light[c] * (p + 0.035) + 0.5 * cloud.above[c]) * away
    return 1 - (1 - keep) * away
