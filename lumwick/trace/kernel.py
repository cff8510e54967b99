"""The integrator: one kernel that follows each sample from the camera to the light.

At every diffuse surface the sun's disc and the sky are sampled directly, the sky with multiple importance
sampling against the scattered ray. Water reflects by Fresnel and lets light through to the bed. Leaves
pass light. Radiances are in cd/m2.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from lumwick.trace.embree import MASK_WATER, NO_HIT, SCATTERED, SEEN, rtcIntersect1, rtcOccluded1
from lumwick.trace.sampling import FAST, mix32, noise2, pair
from lumwick.trace.world import FAR, GROUND, PLANT, TIMBER, WATER

RAY_WORDS = 32
CHANNELS = 10  # radiance rgb, albedo rgb, normal xyz, distance
PASSES = 16  # radiance by its source: sun rgb, sky rgb, air and water rgb, background rgb; position xyz; coverage
IOR = 1.333


@nb.njit(inline="always")
def _set_ray(buf, f, ox, oy, oz, dx, dy, dz, near, far, mask):
    f[0], f[1], f[2], f[3] = ox, oy, oz, near
    f[4], f[5], f[6], f[7] = dx, dy, dz, 0.0
    f[8] = far
    buf[9], buf[10], buf[11] = mask, 0, 0
    buf[17], buf[18], buf[19], buf[20] = NO_HIT, NO_HIT, NO_HIT, NO_HIT


@nb.njit(fastmath=FAST)
def fresnel(cos_in, n):
    """Reflectance of unpolarised light at a smooth dielectric, from the thin side (Fresnel's equations)."""
    s2 = (1 - cos_in * cos_in) / (n * n)
    cos_t = np.sqrt(max(0.0, 1 - s2))
    rs = (cos_in - n * cos_t) / (cos_in + n * cos_t)
    rp = (n * cos_in - cos_t) / (n * cos_in + cos_t)
    return 0.5 * (rs * rs + rp * rp)


@nb.njit(fastmath=FAST)
def _sky(table, dx, dy, dz, sun_az, c):
    """Radiance of a sky table in a direction (at the horizon for those below it), channel ``c``."""
    el = np.arcsin(min(1.0, max(dz, 0.0)))
    az = abs(np.arctan2(dx, dy) - sun_az)
    if az > np.pi:
        az = abs(2 * np.pi - az)
    fi = np.sqrt(el / (0.5 * np.pi)) * (table.shape[0] - 1)
    fj = np.sqrt(az / np.pi) * (table.shape[1] - 1)
    i, j = min(int(fi), table.shape[0] - 2), min(int(fj), table.shape[1] - 2)
    a, b = fi - i, fj - j
    w00, w10, w01, w11 = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    for k in range(3):
        c[k] = table[i, j, k] * w00 + table[i + 1, j, k] * w10 + table[i, j + 1, k] * w01 + table[i + 1, j + 1, k] * w11


@nb.njit(fastmath=FAST)
def _sky_density(share, dx, dy, dz, sun_az):
    """Density [1/sr] with which `_pick_sky` chooses a direction."""
    if dz <= 0:
        return 0.0
    rows, cols = share.shape
    az = np.arctan2(dx, dy) - sun_az
    az -= 2 * np.pi * np.floor(az / (2 * np.pi))
    i, j = min(int(dz * rows), rows - 1), min(int(az / (2 * np.pi) * cols), cols - 1)
    return share[i, j] * rows * cols / (2 * np.pi)


@nb.njit(fastmath=FAST, inline="always")
def _pick_sky(pick, share, u, v, sun_az, d):
    """Choose a direction of the upper half-space by its light (alias table); returns its density [1/sr]."""
    rows, cols = share.shape
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
    dz = (row + min(k, 0.999999)) / rows
    az = 2 * np.pi * (col + v) / cols + sun_az
    r = np.sqrt(max(0.0, 1 - dz * dz))
    d[0], d[1], d[2] = r * np.sin(az), r * np.cos(az), dz
    return share[row, col] * rows * cols / (2 * np.pi)


@nb.njit(fastmath=FAST)
def fog_depth(fog, z, dz, length):
    """Optical depth of fog of density exp(-(z - base) / H) along a ray, in closed form."""
    k = fog[0] * np.exp(min(20.0, -(z - fog[2]) / fog[1]))
    s = dz / fog[1] * length
    if abs(s) < 1e-4:
        return k * length
    return k * length * (1 - np.exp(min(50.0, -s))) / s


@nb.njit(fastmath=FAST)
def _fog_light(fog, cos_sun, c):
    g = fog[9]
    phase = (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cos_sun) ** 1.5)
    for k in range(3):
        c[k] = fog[3 + k] * phase + fog[6 + k]


@nb.njit(fastmath=FAST, inline="always")
def _grid_cell(heights, grid, x, y):
    ny, nx = heights.shape
    fx = min(max((x - grid[0]) / grid[2], 0.0), nx - 1.001)
    fy = min(max((y - grid[1]) / grid[2], 0.0), ny - 1.001)
    i, j = int(fy), int(fx)
    return i, j, fy - i, fx - j


@nb.njit(fastmath=FAST)
def _tile(tex, length, x, y, c):
    n = tex.shape[0]
    fx, fy = x / length * n, y / length * n
    gx, gy = np.floor(fx), np.floor(fy)
    a, b = fx - gx, fy - gy
    j, i = int(gx) % n, int(gy) % n
    j2, i2 = (j + 1) % n, (i + 1) % n
    return ((tex[i, j, c] * (1 - a) + tex[i, j2, c] * a) * (1 - b) + (tex[i2, j, c] * (1 - a) + tex[i2, j2, c] * a) * b)


@nb.njit(fastmath=FAST)
def _water_normal(tile, slope0, slope1, slope2, slope3, x, y, footprint, long, short, n):
    """Normal of the water from its tiles' slopes, by the shares of long and short waves; returns the variance of the slopes too fine to see."""
    sx = sy = 0.0
    short = max(long, short)
    # what no tile carries, as strong as the shortest waves here
    left = max(0.0, tile[8] - tile[4] - tile[5] - tile[6] - tile[7]) * short * short
    for c in range(4):
        length = tile[c]
        points = slope0.shape[0] if c == 0 else (slope1.shape[0] if c == 1 else (slope2.shape[0] if c == 2 else slope3.shape[0]))
        seen = min(1.0, max(0.0, 1.6 - footprint * points / (length * 5.0)))
        amount = long if c == 0 else short
        left += amount * amount * (1 - seen * seen) * tile[4 + c]
        k = seen * amount
        if k > 0:
            if c == 0:
                sx += k * _tile(slope0, length, x, y, 0)
                sy += k * _tile(slope0, length, x, y, 1)
            elif c == 1:
                sx += k * _tile(slope1, length, x, y, 0)
                sy += k * _tile(slope1, length, x, y, 1)
            elif c == 2:
                sx += k * _tile(slope2, length, x, y, 0)
                sy += k * _tile(slope2, length, x, y, 1)
            else:
                sx += k * _tile(slope3, length, x, y, 0)
                sy += k * _tile(slope3, length, x, y, 1)
    q = 1 / np.sqrt(1 + sx * sx + sy * sy)
    n[0], n[1], n[2] = -sx * q, -sy * q, q
    return max(left, 0.0004)


@nb.njit(fastmath=FAST)
def _basis(n, t, b):
    s = 1.0 if n[2] >= 0 else -1.0
    a = -1.0 / (s + n[2])
    k = n[0] * n[1] * a
    t[0], t[1], t[2] = 1 + s * n[0] * n[0] * a, s * k, -s * n[0]
    b[0], b[1], b[2] = k, s + n[1] * n[1] * a, -n[1]


@nb.njit(fastmath=FAST)
def _ground_surface(normals, colours, grid, x, y, footprint, away, n, albedo):
    """Normal and colour of the ground at a point, with grain too fine for the grid.

    Sward shows dead straw between its blades close by (``away`` [m] from the eye) and its own green further
    off, where blades are too small to be drawn; sand has wind ripples; wet ground is smooth.
    """
    i, j, a, b = _grid_cell(colours[:, :, 0], grid, x, y)
    w00, w01, w10, w11 = (1 - a) * (1 - b), (1 - a) * b, a * (1 - b), a * b
    for c in range(3):
        n[c] = normals[i, j, c] * w00 + normals[i, j + 1, c] * w01 + normals[i + 1, j, c] * w10 + normals[i + 1, j + 1, c] * w11
        albedo[c] = colours[i, j, c] * w00 + colours[i, j + 1, c] * w01 + colours[i + 1, j, c] * w10 + colours[i + 1, j + 1, c] * w11
    wet = colours[i, j, 3] * w00 + colours[i, j + 1, 3] * w01 + colours[i + 1, j, 3] * w10 + colours[i + 1, j + 1, 3] * w11
    sward = colours[i, j, 4] * w00 + colours[i, j + 1, 4] * w01 + colours[i + 1, j, 4] * w10 + colours[i + 1, j + 1, 4] * w11
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


@nb.njit(fastmath=FAST)
def _plant_surface(m, cut, look, shade, prim, x, y, z, n, albedo, through):
    """Colour of a plant's surface; ``n`` comes in its own frame and leaves in the place's."""
    # a normal goes with the cofactors of the placement
    kx, ky, kz = m[1] * m[5] - m[2] * m[4], m[2] * m[3] - m[0] * m[5], m[0] * m[4] - m[1] * m[3]
    nx = n[0] * (m[4] * m[8] - m[5] * m[7]) + n[1] * (m[7] * m[2] - m[8] * m[1]) + n[2] * kx
    ny = n[0] * (m[5] * m[6] - m[3] * m[8]) + n[1] * (m[8] * m[0] - m[6] * m[2]) + n[2] * ky
    nz = n[0] * (m[3] * m[7] - m[4] * m[6]) + n[1] * (m[6] * m[1] - m[7] * m[0]) + n[2] * kz
    n[0], n[1], n[2] = nx, ny, nz
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
        through[c] = min(0.85, look[6 * s + 3 + c] * k)
    return s


@nb.njit(fastmath=FAST)
def _timber_surface(tone, look, x, y, z, albedo):
    v1, _, _ = noise2(x * 3 + z * 41, y * 3 + z * 37, 91)
    v2, _, _ = noise2((x + z) * 55, (y - z) * 55, 92)
    k = tone * (1 + 0.16 * v1 + 0.12 * v2)
    for c in range(3):
        albedo[c] = min(0.8, look[c] * k)


@nb.njit(fastmath=FAST, inline="always")
def _visible(scene, buf, f, px, py, pz, dx, dy, dz, mask, counts):
    _set_ray(buf, f, px, py, pz, dx, dy, dz, 0.0, 1e9, mask)
    rtcOccluded1(scene, buf.ctypes.data, 0)
    counts[1] += 1
    return f[8] > 0.0


@nb.njit(fastmath=FAST)
def _sample(w, view, px, py, pixel, sample, width, height, buf, f, room, out, counts, bounces, clamp):
    """Follow one sample; adds radiance, albedo, normal and distance to ``out``."""
    n, ng, t1, t2, albedo, through = room[0], room[1], room[2], room[3], room[4], room[5]
    thr, col, sd, d, o = room[6], room[7], room[8], room[9], room[10]
    # light by where it comes from; their sum is the picture
    by_sun, by_sky, by_air, behind = room[11], room[12], room[13], room[14]
    thr[:] = 1.0
    room[11:15] = 0.0
    ju, jv = pair(pixel, sample, 0)
    # a tent of one pixel's radius
    ju = np.sqrt(2 * ju) - 0.5 if ju < 0.5 else 1.5 - np.sqrt(2 - 2 * ju)
    jv = np.sqrt(2 * jv) - 0.5 if jv < 0.5 else 1.5 - np.sqrt(2 - 2 * jv)
    sx = (2 * (px + ju) / width - 1) * view.tan_x
    sy = (1 - 2 * (py + jv) / height) * view.tan_y
    for c in range(3):
        d[c] = view.forward[c] + sx * view.right[c] + sy * view.up[c]
        o[c] = view.origin[c]
    if view.moving:  # each sample at its own moment of the open shutter
        moment, _ = pair(pixel, sample, 90)
        for c in range(3):
            d[c] += moment * (view.forward_moves[c] + sx * view.right_moves[c] + sy * view.up_moves[c])
            o[c] += moment * view.origin_moves[c]
    if view.lens_radius > 0:
        lu, lv = pair(pixel, sample, 1)
        r, a = view.lens_radius * np.sqrt(lu), 2 * np.pi * lv
        lx, ly = r * np.cos(a), r * np.sin(a)
        for c in range(3):
            shift = lx * view.right[c] + ly * view.up[c]
            o[c] += shift
            d[c] = d[c] * view.focus - shift
    q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    for c in range(3):
        d[c] *= q
    pixel_angle = 2 * view.tan_x / width
    travelled = 0.0
    specular = True
    in_water = False
    skim = False
    density = 0.0
    depth = 0  # diffuse surfaces met
    seen = False  # features stored
    near = 0.0
    limit = 1e30
    for step in range(8):
        mask = SCATTERED if not specular else (SEEN if in_water or skim else SEEN | MASK_WATER)
        _set_ray(buf, f, o[0], o[1], o[2], d[0], d[1], d[2], near, 1e9, mask)
        rtcIntersect1(w.scene, buf.ctypes.data, 0)
        counts[0] += 1
        missed = buf[18] == NO_HIT
        dist = 1e9 if missed else float(f[8])
        cos_sun = d[0] * w.sun[0] + d[1] * w.sun[1] + d[2] * w.sun[2]
        if in_water:
            reach = min(dist, 60.0)
            for c in range(3):
                keep = np.exp(-w.water[c] * reach)
                by_air[c] += thr[c] * w.water[3 + c] * (1 - keep)
                thr[c] *= keep
            if missed:
                break
        elif missed:
            if specular and step == 0:
                _sky(w.sky, d[0], d[1], d[2], w.sun[7], col)
                sun_edge = np.cos(np.arctan(w.sun[6]))
                if cos_sun > sun_edge and d[2] > -0.01:
                    # the disc, darker to its limb: 1 - 0.6 (1 - mu), of unit mean when divided by 0.8
                    mu = np.sqrt(max(0.0, 1 - (1 - cos_sun) / (1 - sun_edge)))
                    k = (0.4 + 0.6 * mu) / 0.8 / (np.pi * w.sun[6] * w.sun[6])
                    for c in range(3):
                        col[c] += k * w.sun[3 + c]
                tau = fog_depth(w.fog, o[2], max(d[2], 0.0), 60000.0)
                keep = np.exp(-tau)
                _fog_light(w.fog, cos_sun, sd)
                for c in range(3):
                    behind[c] += thr[c] * col[c] * keep
                    by_air[c] += thr[c] * sd[c] * (1 - keep)
            else:
                _sky(w.lit_sky, d[0], d[1], d[2], w.sun[7], col)
                weight = 1.0
                if not specular:
                    other = _sky_density(w.sky_share, d[0], d[1], d[2], w.sun[7])
                    weight = density / (density + other)
                for c in range(3):
                    by_sky[c] += min(limit, thr[c] * col[c] * weight)
            break
        x, y, z = o[0] + d[0] * dist, o[1] + d[1] * dist, o[2] + d[2] * dist
        travelled += dist
        # haze and fog between the eye and the surface
        if specular and not in_water:
            _sky(w.sky, d[0], d[1], max(0.03, d[2]), w.sun[7], col)
            tau = fog_depth(w.fog, o[2], d[2], dist)
            keep = np.exp(-tau)
            _fog_light(w.fog, cos_sun, sd)
            for c in range(3):
                clear = np.exp(-w.air[c] * dist)
                by_air[c] += thr[c] * (col[c] * (1 - clear) * keep + sd[c] * (1 - keep))
                thr[c] *= clear * keep
        inst, prim = int(buf[19]), int(buf[17])
        g = w.owner[inst]
        kind = w.kind[g]
        ng[0], ng[1], ng[2] = f[12], f[13], f[14]
        footprint = travelled * pixel_angle if depth == 0 else 3.0  # scattered light needs no grain
        leaf = False
        if kind == WATER:
            i, j, a, b = _grid_cell(w.heights, w.grid, x, y)
            long = (w.open_water[i, j, 0] * (1 - b) + w.open_water[i, j + 1, 0] * b) * (1 - a) + (w.open_water[i + 1, j, 0] * (1 - b) + w.open_water[i + 1, j + 1, 0] * b) * a
            short = (w.open_water[i, j, 1] * (1 - b) + w.open_water[i, j + 1, 1] * b) * (1 - a) + (w.open_water[i + 1, j, 1] * (1 - b) + w.open_water[i + 1, j + 1, 1] * b) * a
            inside = w.grid[0] < x < w.grid[0] + w.grid[2] * (w.heights.shape[1] - 1) and w.grid[1] < y < w.grid[1] + w.grid[2] * (w.heights.shape[0] - 1)
            if not inside:
                long = short = 1.0
            grazing = max(0.05, -d[2])
            left = _water_normal(w.tile, w.slope0, w.slope1, w.slope2, w.slope3, x, y, footprint / np.sqrt(grazing), long, short, n)
            fold = 1 - (1 - _tile(w.fold, w.tile[0], x, y, 3)) * long
            foam = min(1.0, max(0.0, (0.44 - fold) / 0.35))
            if inside:
                bed = (w.heights[i, j] * (1 - a) + w.heights[i + 1, j] * a) * (1 - b) + (w.heights[i, j + 1] * (1 - a) + w.heights[i + 1, j + 1] * a) * b
                thin = z - bed
                if thin < 0.012:  # a film at the water's edge, too thin to see: on to the bed
                    o[0], o[1], o[2] = x + 0.01 * d[0], y + 0.01 * d[1], z + 0.01 * d[2]
                    near = 0.0
                    skim = True
                    continue
                near_sea = w.open_water[i, j, 2]
                lace, _, _ = noise2(x * 1.9 + n[0] * 6 + w.water[6], y * 1.9 + n[1] * 6 + w.water[7], 31)
                lace2, _, _ = noise2(x * 6.7 - n[1] * 9, y * 6.7 + 2 * w.water[7], 32)
                edge = min(1.0, max(0.0, 1 - thin / 0.30)) * near_sea
                foam = max(foam, min(1.0, max(0.0, edge * 1.5 + 0.55 * lace * edge + 0.5 * lace2 * edge - 0.35)))
            else:
                lace, _, _ = noise2(x * 1.9, y * 1.9, 31)
            foam *= min(1.0, 0.7 + 0.6 * lace) if foam < 0.95 else 1.0
            cos_v = -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2])
            if cos_v < 0.02:  # a wave's back, hidden at this grazing angle: lean the normal to the eye
                k = 0.02 - cos_v
                for c in range(3):
                    n[c] -= d[c] * k
                q = 1 / np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
                for c in range(3):
                    n[c] *= q
                cos_v = max(0.02, -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2]))
            ru, rv = pair(pixel, sample, 2 + 4 * step)
            if not seen:
                for c in range(3):
                    out[3 + c] += 0.5 + 0.5 * foam
                    out[6 + c] += n[c]
                out[9] += travelled
                _stand(out, x, y, z)
                seen = True
            if rv >= foam:
                rv = (rv - foam) / (1 - foam)
                # sun on the facets that are too fine to see (Beckmann, by the slopes' variance)
                hx, hy, hz = w.sun[0] - d[0], w.sun[1] - d[1], w.sun[2] - d[2]
                q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
                hx, hy, hz = hx * q, hy * q, hz * q
                cos_l = n[0] * w.sun[0] + n[1] * w.sun[1] + n[2] * w.sun[2]
                cos_h = n[0] * hx + n[1] * hy + n[2] * hz
                cos_vh = -(d[0] * hx + d[1] * hy + d[2] * hz)
                if cos_l > 0 and cos_h > 0 and w.sun[3] + w.sun[4] > 0 and w.sun[2] > -0.01:
                    tan2 = (1 - cos_h * cos_h) / (cos_h * cos_h)
                    m2 = left + w.sun[6] * w.sun[6]
                    dn = np.exp(-tan2 / m2) / (np.pi * m2 * cos_h**4)
                    if dn > 1e-4:
                        shade = 1.0 / (1 + 0.5 * m2 / max(cos_v * cos_v, 1e-3)) / (1 + 0.5 * m2 / max(cos_l * cos_l, 1e-3))
                        k = fresnel(cos_vh, IOR) * dn * shade / (4 * cos_v)
                        if _visible(w.scene, buf, f, x, y, z + 0.02, w.sun[0], w.sun[1], w.sun[2], SEEN, counts):
                            fade = np.exp(-fog_depth(w.fog, z, max(w.sun[2], 0.02), 60000.0))
                            for c in range(3):
                                by_sun[c] += thr[c] * k * w.sun[3 + c] * fade
                # a facet of the fine slopes for the mirrored or bent ray
                r = np.sqrt(max(0.0, -left * np.log(max(1e-7, 1 - ru)))) * 0.7
                pa = 2 * np.pi * (rv * 7.31 - np.floor(rv * 7.31))
                _basis(n, t1, t2)
                hx = n[0] + r * (np.cos(pa) * t1[0] + np.sin(pa) * t2[0])
                hy = n[1] + r * (np.cos(pa) * t1[1] + np.sin(pa) * t2[1])
                hz = n[2] + r * (np.cos(pa) * t1[2] + np.sin(pa) * t2[2])
                q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
                hx, hy, hz = hx * q, hy * q, hz * q
                cos_vh = -(d[0] * hx + d[1] * hy + d[2] * hz)
                if cos_vh < 0.01:
                    hx, hy, hz, cos_vh = n[0], n[1], n[2], cos_v
                fr = fresnel(cos_vh, IOR)
                pick = min(0.85, max(0.15, fr))
                if rv < pick:
                    for c in range(3):
                        thr[c] *= fr / pick
                    d[0], d[1], d[2] = d[0] + 2 * cos_vh * hx, d[1] + 2 * cos_vh * hy, d[2] + 2 * cos_vh * hz
                    if d[2] < 0.003:
                        d[2] = 0.003 + 0.3 * abs(d[2])
                    z += 0.01
                else:
                    for c in range(3):
                        thr[c] *= (1 - fr) / (1 - pick)
                    k = cos_vh / IOR - np.sqrt(max(0.0, 1 - (1 - cos_vh * cos_vh) / (IOR * IOR)))
                    d[0], d[1], d[2] = d[0] / IOR + k * hx, d[1] / IOR + k * hy, d[2] / IOR + k * hz
                    in_water = True
                    z -= 0.002
                q = 1 / np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
                for c in range(3):
                    d[c] *= q
                o[0], o[1], o[2] = x, y, z
                near = 1e-3
                continue
            for c in range(3):
                albedo[c] = 0.72
                ng[c] = n[c]
        elif kind == GROUND:
            _ground_surface(w.normals, w.albedo, w.grid, x, y, footprint, travelled if depth == 0 else 200.0, n, albedo)
        elif kind == FAR:
            i, j, a, b = _grid_cell(w.heights, w.grid, x, y)
            v, _, _ = noise2(x / 90, y / 90, 3)
            v2, _, _ = noise2(x / 23, y / 23, 4)
            for c in range(3):
                albedo[c] = w.albedo[i, j, c] * 0.4 + 0.6 * w.look[g, c] * (1 + 0.3 * v + 0.2 * v2)
                n[c] = ng[c]
        elif kind == PLANT:
            for c in range(3):
                n[c] = ng[c]
            _plant_surface(w.transform[inst], w.cut[g], w.look[g], float(w.shade[inst]), prim, x, y, z, n, albedo, through)
            leaf = through[1] > 0
            for c in range(3):
                ng[c] = n[c]
        elif kind == TIMBER:
            for c in range(3):
                n[c] = ng[c]
            _timber_surface(w.tone[w.offset[g] + prim], w.look[g], x, y, z, albedo)
        else:
            for c in range(3):
                n[c] = ng[c]
                albedo[c] = w.look[g, c]
        q = 1 / max(1e-20, np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]))
        for c in range(3):
            n[c] *= q
        q = 1 / max(1e-20, np.sqrt(ng[0] * ng[0] + ng[1] * ng[1] + ng[2] * ng[2]))
        side = -1.0 if d[0] * ng[0] + d[1] * ng[1] + d[2] * ng[2] > 0 else 1.0
        for c in range(3):
            ng[c] *= q * side
        if n[0] * ng[0] + n[1] * ng[1] + n[2] * ng[2] < 0:
            for c in range(3):
                n[c] = -n[c]
        if not leaf:
            for c in range(3):
                through[c] = 0.0
        if not seen:
            for c in range(3):
                out[3 + c] += albedo[c]
                out[6 + c] += n[c]
            out[9] += travelled
            _stand(out, x, y, z)
            seen = True
        # a point under the water's level gets its light through it
        drown = 0.0
        if kind == GROUND and in_water:
            drown = max(0.0, w.grid[3] - z)
        lift = 1e-3 + 1e-5 * (abs(x) + abs(y))
        px_, py_, pz_ = x + ng[0] * lift, y + ng[1] * lift, z + ng[2] * lift
        # sun
        su, sv = pair(pixel, sample, 3 + 4 * step)
        if w.sun[4] > 0:
            r, a = w.sun[6] * np.sqrt(su), 2 * np.pi * sv
            cx, cy = r * np.cos(a), r * np.sin(a)
            lx = w.sun[0] + cx * w.sun[8] + cy * w.sun[11]
            ly = w.sun[1] + cx * w.sun[9] + cy * w.sun[12]
            lz = w.sun[2] + cx * w.sun[10] + cy * w.sun[13]
            cos_l = n[0] * lx + n[1] * ly + n[2] * lz
            cos_g = ng[0] * lx + ng[1] * ly + ng[2] * lz
            opened = (cos_l > 0 and cos_g > 0) or leaf
            if opened and lz > 0:
                if leaf and cos_g < 0:
                    px2, py2, pz2 = x - ng[0] * lift, y - ng[1] * lift, z - ng[2] * lift
                else:
                    px2, py2, pz2 = px_, py_, pz_
                if _visible(w.scene, buf, f, px2, py2, pz2, lx, ly, lz, SEEN if depth == 0 else SCATTERED, counts):
                    fade = np.exp(-fog_depth(w.fog, z, lz, 60000.0)) * abs(cos_l) / np.pi
                    if drown > 0:
                        fade *= 1 - fresnel(lz, IOR)
                        slant = drown / np.sqrt(1 - (1 - lz * lz) / (IOR * IOR))
                    for c in range(3):
                        k = fade * (albedo[c] if cos_g > 0 else through[c])
                        if drown > 0:
                            k *= np.exp(-w.water[c] * slant)
                        by_sun[c] += min(limit, thr[c] * k * w.sun[3 + c])
        # sky
        su, sv = pair(pixel, sample, 4 + 4 * step)
        pick = _pick_sky(w.sky_pick, w.sky_share, su, sv, w.sun[7], sd)
        cos_l = n[0] * sd[0] + n[1] * sd[1] + n[2] * sd[2]
        cos_g = ng[0] * sd[0] + ng[1] * sd[1] + ng[2] * sd[2]
        if pick > 0 and ((cos_l > 0 and cos_g > 0) or leaf):
            if leaf and cos_g < 0:
                px2, py2, pz2 = x - ng[0] * lift, y - ng[1] * lift, z - ng[2] * lift
            else:
                px2, py2, pz2 = px_, py_, pz_
            if _visible(w.scene, buf, f, px2, py2, pz2, sd[0], sd[1], sd[2], SCATTERED, counts):
                _sky(w.lit_sky, sd[0], sd[1], sd[2], w.sun[7], col)
                scattered = abs(cos_l) / np.pi * (0.5 if leaf else 1.0)
                weight = abs(cos_l) / np.pi / (pick + scattered) if depth < bounces else abs(cos_l) / np.pi / pick
                for c in range(3):
                    k = weight * (albedo[c] if cos_g > 0 else through[c])
                    if drown > 0:
                        k *= 0.93 * np.exp(-w.water[c] * drown * 1.15)
                    by_sky[c] += min(limit, thr[c] * k * col[c])
        if depth >= bounces:
            break
        depth += 1
        bu, bv = pair(pixel, sample, 5 + 4 * step)
        limit = clamp
        back = False
        if leaf:
            if bu < 0.5:
                bu *= 2
            else:
                bu, back = 2 * bu - 1, True
        if back:
            for c in range(3):
                n[c] = -n[c]
                thr[c] *= 2 * through[c]
            px_, py_, pz_ = x - ng[0] * lift, y - ng[1] * lift, z - ng[2] * lift
        else:
            for c in range(3):
                thr[c] *= albedo[c] * (2.0 if leaf else 1.0)
        if drown > 0:
            for c in range(3):
                thr[c] *= np.exp(-w.water[c] * drown * 2)
        # Russian roulette: dark surfaces pass little on, so few of their rays are worth following
        chance = min(1.0, max(0.15, 2.2 * max(thr[0], max(thr[1], thr[2]))))
        lot, _ = pair(pixel, sample, 60 + step)
        if lot >= chance:
            break
        for c in range(3):
            thr[c] /= chance
        _basis(n, t1, t2)
        r, a = np.sqrt(bu), 2 * np.pi * bv
        ca, sa, h = r * np.cos(a), r * np.sin(a), np.sqrt(max(0.0, 1 - bu))
        for c in range(3):
            d[c] = ca * t1[c] + sa * t2[c] + h * n[c]
        density = h / np.pi * (0.5 if leaf else 1.0)
        o[0], o[1], o[2] = px_, py_, pz_
        near = 0.0
        specular = False
        in_water = False
    if not seen:
        for c in range(3):
            out[3 + c] += 1.0
        out[9] += 1e5
    for k in range(4):
        for c in range(3):
            v = room[11 + k, c]
            if v == v:  # a degenerate surface may give no number: that sample is dark
                out[c] += v
                out[CHANNELS + 3 * k + c] += v


@nb.njit(inline="always")
def _stand(out, x, y, z):
    """Note where the first surface of a sample lies."""
    out[CHANNELS + 12] += x
    out[CHANNELS + 13] += y
    out[CHANNELS + 14] += z
    out[CHANNELS + 15] += 1.0


@nb.njit(parallel=True, fastmath=FAST, cache=True, nogil=True)
def render_rows(w, view, film, passes, first, samples, bounces, clamp, seed, rows, counts):
    """Add ``samples`` samples a pixel, from number ``first``, to the sums in ``film``.

    Parameters
    ----------
    w : World
    view : View
    film : ndarray of float32, shape (height, width, CHANNELS)
        Sums of radiance [cd/m2], albedo, normal and distance [m].
    passes : ndarray of float32, shape (height, width, PASSES) or (0, 0, PASSES)
        Sums of the radiance by its source [cd/m2], of the first surface's position [m] and of coverage, if wanted.
    rows : ndarray of int64, shape (n,)
        The rows to render, in an order that spreads the costly ones over the threads.
    counts : ndarray of int64, shape (n, 2)
        Takes the numbers of closest-hit and shadow rays of each row.
    """
    height, width = film.shape[0], film.shape[1]
    for i in nb.prange(len(rows)):
        y = rows[i]
        room = np.zeros(RAY_WORDS + 16, np.uint32)
        start = (64 - (room.ctypes.data % 64)) % 64 // 4
        buf = room[start : start + RAY_WORDS]
        f = buf.view(np.float32)
        out = np.zeros(CHANNELS + PASSES)
        vectors = np.zeros((15, 3))
        for x in range(width):
            out[:] = 0
            pixel = y * 65536 + x + seed * 40503
            for s in range(samples):
                _sample(w, view, x, y, pixel, first + s, width, height, buf, f, vectors, out, counts[i], bounces, clamp)
            for c in range(CHANNELS):
                film[y, x, c] += out[c]
            if len(passes):
                for c in range(PASSES):
                    passes[y, x, c] += out[CHANNELS + c]
