"""How a point of a surface scatters light: evaluating, sampling, and pdfs, of its lobes.

An opaque surface is up to four lobes: a clear coat and a gloss (both GGX), a matt part, and, for leaves, a part
that passes through. Each lower layer gets what the layers above it leave, by their directional albedo, so that a
surface that absorbs nothing returns all light whatever its roughness. A glossy lobe's light that single
scattering loses between facets is given back by a factor.

References
----------
Khronos Group, glTF 2.0 specification, appendix B (metallic-roughness model, clear coat, transmission).
Walter et al., Microfacet models for refraction through rough surfaces, EGSR 2007 (GGX).
Heitz, Sampling the GGX distribution of visible normals, JCGT 7 (2018).
Turquin, Practical multiple scattering compensation for microfacet models (2019).
"""

from __future__ import annotations

from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.disk_cache import cached
from lumwick.motion.quick import turn
from lumwick.trace.integrator.compiling import PART, WITHIN
from lumwick.trace.integrator.facets import facet_pdf, hidden, schlick
from lumwick.trace.sampling import INNER, SOBOL, pair

COAT_F0 = 0.04
"""Reflectance straight on of a clear coat: n = 1.5 (glTF 2.0)."""
MIRROR = 0.0015
"""Gloss narrower than this (GGX alpha) mirrors exactly."""
TABLE = 32
MIN_SURVIVAL, ROULETTE = 0.15, 2.2
"""Russian roulette: a path survives with a probability of this many times its throughput, and at least so often
(practice)."""
# numbers of the dimensions that choose within a step; each step has eight
GLOSS_DIMENSION, LOBE_DIMENSION = 5, 6


@lru_cache(1)
def albedo_table() -> NDArray[np.float32]:
    """Directional albedo of GGX, shape (TABLE, TABLE, 2): by sqrt(cosine) and roughness; all of it, and its share
    at grazing (Schlick).

    Computed here by the same laws, with Sobol points on the visible facets.
    """
    return cached("gloss", "albedo", lambda: {"albedo": _albedo_table()})["albedo"]


def _albedo_table() -> NDArray[np.float32]:
    u = (SOBOL[:1024].astype(float) + 2**31 / 1024) / 2**32 % 1.0
    mu = np.maximum(np.linspace(0, 1, TABLE) ** 2, 1e-3)[:, None, None]
    alpha = np.maximum(np.linspace(0, 1, TABLE) ** 2, MIRROR)[None, :, None]
    # Heitz's sampling, vectorised
    x, z = np.sqrt(1 - mu * mu) * alpha, mu * np.ones_like(alpha)
    q = np.hypot(x, z)
    x, z = x / q, z / q
    r, phi = np.sqrt(u[:, 0]), 2 * np.pi * u[:, 1]
    p1, p2 = r * np.cos(phi), r * np.sin(phi)
    s = 0.5 * (1 + z)
    p2 = (1 - s) * np.sqrt(1 - p1 * p1) + s * p2
    # view in the x z plane: t1 = y, t2 = v x t1 = (-z, 0, x)
    p3 = np.sqrt(np.maximum(0, 1 - p1 * p1 - p2 * p2))
    h = np.stack(np.broadcast_arrays(alpha * (-z * p2 + x * p3), alpha * p1, np.maximum(1e-9, x * p2 + z * p3)))
    h = h / np.linalg.norm(h, axis=0)
    v = np.stack(np.broadcast_arrays(np.sqrt(1 - mu * mu), 0.0 * mu, mu))
    dot = (v * h).sum(0)
    cos_i = 2 * dot * h[2] - mu
    a2 = alpha**2

    def shadowed(c: NDArray[np.float64]) -> NDArray[np.float64]:
        return 0.5 * (np.sqrt(1 + a2 * (1 - c * c) / (c * c)) - 1)

    seen = np.where(cos_i > 1e-6, (1 + shadowed(mu)) / (1 + shadowed(mu) + shadowed(np.maximum(cos_i, 1e-6))), 0)
    return np.stack([seen.mean(-1), (seen * np.maximum(0, 1 - dot) ** 5).mean(-1)], -1).astype(np.float32)


@nb.njit(**INNER)
def _albedo(table, cos, alpha):
    """All of the lobe's directional albedo at unit reflectance, and its Schlick share."""
    fi, fj = np.sqrt(min(1.0, max(cos, 0.0))) * (TABLE - 1), np.sqrt(min(1.0, alpha)) * (TABLE - 1)
    i, j = min(int(fi), TABLE - 2), min(int(fj), TABLE - 2)
    a, b = fi - i, fj - j
    w00, w10, w01, w11 = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    e = table[i, j, 0] * w00 + table[i + 1, j, 0] * w10 + table[i, j + 1, 0] * w01 + table[i + 1, j + 1, 0] * w11
    s = table[i, j, 1] * w00 + table[i + 1, j, 1] * w10 + table[i, j + 1, 1] * w01 + table[i + 1, j + 1, 1] * w11
    return e, s


@nb.njit(**INNER)
def _directional_albedos(table, lobes, cos_o):
    """What coat and gloss send back of light from one direction; returns the gloss's mean."""
    lobes.e_coat = 0.0
    if lobes.coat > 0:
        e, s = _albedo(table, cos_o, lobes.coat_alpha)
        lobes.coat_boost = 1 + COAT_F0 * (1 - e) / e
        lobes.e_coat = lobes.coat * (COAT_F0 * (e - s) + s) * lobes.coat_boost
    lobes.boost = 1.0
    mean = 0.0
    if lobes.f0[0] + lobes.f0[1] + lobes.f0[2] > 0:
        e, s = _albedo(table, cos_o, lobes.alpha)
        lobes.boost = (1 - e) / e
        for c in range(3):
            f0 = lobes.f0[c]
            lobes.e_gloss[c] = min(1.0, (f0 * (e - s) + s) * (1 + f0 * lobes.boost))
            mean += lobes.e_gloss[c] / 3
    else:
        for c in range(3):
            lobes.e_gloss[c] = 0.0
    return mean


@nb.njit(**INNER)
def _share_out(lobes, coat, gloss, matt, back):
    """Chances of the next ray in proportion to four amounts."""
    total = coat + gloss + matt + back
    q = 1 / total if total > 0 else 0.0
    lobes.p_coat, lobes.p_gloss, lobes.p_matt, lobes.p_back = coat * q, gloss * q, matt * q, back * q


@nb.njit(**INNER)
def prepare(table, lobes, cos_o, gloss, matt):
    """Share out the lobes of a point seen under ``cos_o``.

    Parameters
    ----------
    gloss : bool
        Whether coat and gloss are lobes of their own; else their light is returned matt, all of it.
    matt : bool
        Whether the matt part may be chosen for the next ray.
    """
    mean = _directional_albedos(table, lobes, max(cos_o, 1e-3))
    under = 1 - lobes.e_coat
    front = back = 0.0
    for c in range(3):
        rest = under * (1 - lobes.e_gloss[c])
        lobes.through[c] *= rest
        if gloss:
            lobes.albedo[c] *= rest
        else:
            lobes.albedo[c] = lobes.e_coat + under * lobes.e_gloss[c] + rest * lobes.albedo[c]
        front += lobes.albedo[c] / 3
        back += lobes.through[c] / 3
    if not gloss:
        plain(lobes, back > 0, matt)
    elif matt:
        _share_out(lobes, lobes.e_coat, under * mean, front, back)
    else:
        _share_out(lobes, lobes.e_coat, under * mean, 0.0, 0.0)


@nb.njit(**INNER)
def plain(lobes, leaf, matt):
    """Share out the lobes of a point that is matt alone, on one side or both."""
    lobes.p_coat = lobes.p_gloss = 0.0
    lobes.p_matt = (0.5 if leaf else 1.0) if matt else 0.0
    lobes.p_back = 0.5 if leaf and matt else 0.0


@nb.njit(**INNER)
def _gloss_lobe(alpha, cos_o, cos_i, cos_h):
    """A GGX lobe at unit reflectance [1/sr, times the cosine], and the pdf with which it is sampled."""
    a2 = alpha * alpha
    d, lo, li = facet_pdf(cos_h, a2), hidden(cos_o, a2), hidden(max(cos_i, 1e-4), a2)
    return d / (4 * cos_o * (1 + lo + li)), d / (4 * cos_o * (1 + lo))


@nb.njit(**INNER)
def evaluate(lobes, n, d, direction):
    """Light sent from a direction back along a ray, times the cosine, into the lobes' ``matt`` and ``gloss``.

    Parameters
    ----------
    d : ndarray, shape (3,)
        The ray's direction, to the point.
    direction : ndarray, shape (3,)
        Direction that light comes from, away from the point.

    Returns
    -------
    tuple of float
        Densities [1/sr] with which the next ray takes that direction: of all lobes, and of coat and gloss alone.
    """
    cos_i = n[0] * direction[0] + n[1] * direction[1] + n[2] * direction[2]
    for c in range(3):
        lobes.gloss[c] = 0.0
    if cos_i <= 0:
        for c in range(3):
            lobes.matt[c] = lobes.through[c] * -cos_i / np.pi
        return lobes.p_back * -cos_i / np.pi, 0.0
    flat = cos_i / np.pi
    for c in range(3):
        lobes.matt[c] = lobes.albedo[c] * flat
    pdf = 0.0
    if lobes.p_coat + lobes.p_gloss > 0:
        cos_o = max(1e-3, -(n[0] * d[0] + n[1] * d[1] + n[2] * d[2]))
        hx, hy, hz = direction[0] - d[0], direction[1] - d[1], direction[2] - d[2]
        q = 1 / np.sqrt(max(1e-20, hx * hx + hy * hy + hz * hz))
        cos_h = min(1.0, (n[0] * hx + n[1] * hy + n[2] * hz) * q)
        edge = schlick(-(d[0] * hx + d[1] * hy + d[2] * hz) * q)
        if lobes.p_coat > 0 and lobes.coat_alpha > MIRROR:
            lobe, sampled = _gloss_lobe(lobes.coat_alpha, cos_o, cos_i, cos_h)
            k = lobes.coat * lobes.coat_boost * (COAT_F0 + (1 - COAT_F0) * edge) * lobe
            for c in range(3):
                lobes.gloss[c] += k
            pdf += lobes.p_coat * sampled
        if lobes.p_gloss > 0 and lobes.alpha > MIRROR:
            lobe, sampled = _gloss_lobe(lobes.alpha, cos_o, cos_i, cos_h)
            k = (1 - lobes.e_coat) * lobe
            for c in range(3):
                f0 = lobes.f0[c]
                lobes.gloss[c] += k * (f0 + (1 - f0) * edge) * (1 + f0 * lobes.boost)
            pdf += lobes.p_gloss * sampled
    return pdf + lobes.p_matt * flat, pdf


@nb.njit(**INNER)
def evaluate_matt(lobes, cos_i):
    """The same for a point without gloss: its lobes' ``matt``, and the pdf of the next ray."""
    flat = abs(cos_i) / np.pi
    if cos_i > 0:
        for c in range(3):
            lobes.matt[c] = lobes.albedo[c] * flat
        return flat * lobes.p_matt
    for c in range(3):
        lobes.matt[c] = lobes.through[c] * flat
    return flat * lobes.p_back


@nb.njit(**INNER)
def basis(n, t, b):
    """Two unit vectors across ``n`` (Duff et al., JCGT 6, 2017)."""
    s = 1.0 if n[2] >= 0 else -1.0
    a = -1.0 / (s + n[2])
    k = n[0] * n[1] * a
    t[0], t[1], t[2] = 1 + s * n[0] * n[0] * a, s * k, -s * n[0]
    b[0], b[1], b[2] = k, s + n[1] * n[1] * a, -n[1]


@nb.njit(**INNER)
def facet(alpha, n, lobes, d, u, v):
    """The normal of a facet that a ray along ``d`` sees about a normal ``n``, by Heitz's sampling."""
    t, b = lobes.tangent, lobes.bitangent
    basis(n, t, b)
    x = -alpha * (d[0] * t[0] + d[1] * t[1] + d[2] * t[2])
    y = -alpha * (d[0] * b[0] + d[1] * b[1] + d[2] * b[2])
    z = max(1e-3, -(d[0] * n[0] + d[1] * n[1] + d[2] * n[2]))
    q = 1 / np.sqrt(x * x + y * y + z * z)
    x, y, z = x * q, y * q, z * q
    flat = np.sqrt(x * x + y * y)
    if flat > 1e-7:
        ax, ay = -y / flat, x / flat
    else:
        ax, ay = 1.0, 0.0
    bx, by, bz = -z * ay, z * ax, x * ay - y * ax
    r, phi = np.sqrt(u), 2 * np.pi * v
    p1, p2 = r * np.cos(phi), r * np.sin(phi)
    s = 0.5 * (1 + z)
    p2 = (1 - s) * np.sqrt(max(0.0, 1 - p1 * p1)) + s * p2
    p3 = np.sqrt(max(0.0, 1 - p1 * p1 - p2 * p2))
    hx, hy = alpha * (p1 * ax + p2 * bx + p3 * x), alpha * (p1 * ay + p2 * by + p3 * y)
    hz = max(1e-6, p2 * bz + p3 * z)
    q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * q, hy * q, hz * q
    return hx * t[0] + hy * b[0] + hz * n[0], hx * t[1] + hy * b[1] + hz * n[1], hx * t[2] + hy * b[2] + hz * n[2]


@nb.njit(**INNER)
def mirror(d, hx, hy, hz):
    """Reflect a direction at a facet."""
    k = 2 * (d[0] * hx + d[1] * hy + d[2] * hz)
    d[0], d[1], d[2] = d[0] - k * hx, d[1] - k * hy, d[2] - k * hz


@nb.njit(**INNER)
def refract(d, hx, hy, hz, cos_h, ior):
    """Bend a direction through a facet into what is ``ior`` times as dense (Snell's law)."""
    k = cos_h / ior - np.sqrt(max(0.0, 1 - (1 - cos_h * cos_h) / (ior * ior)))
    d[0], d[1], d[2] = d[0] / ior + k * hx, d[1] / ior + k * hy, d[2] / ior + k * hz


@nb.njit(**INNER)
def leave(path, hit, side):
    """Start the next ray a little off the surface, on the side of its geometric normal or (-1) the other."""
    for c in range(3):
        path.origin[c] = hit.position[c] + side * hit.lift * hit.geometric[c]
    path.near = 0.0


@nb.njit(**PART)
def choose_direction(limits, body, path, hit, lobes):
    """Sample the next ray by the lobes' probabilities; False if the path ends here."""
    chances = lobes.p_coat + lobes.p_gloss
    if chances + lobes.p_matt + lobes.p_back <= 0:
        return False
    base = 8 * path.step
    xi, luck = pair(path.pixel, path.sample, base + LOBE_DIMENSION)
    u, v = pair(path.pixel, path.sample, base + GLOSS_DIMENSION)
    matt = path.depth < limits.bounces
    if xi < chances:
        if path.reflected >= limits.reflections or not _by_gloss(path, hit, lobes, xi < lobes.p_coat, matt, u, v):
            return False
        path.reflected += 1
        if hit.first:
            path.mirrored = 1
        leave(path, hit, 1.0)
    else:
        back = xi >= 1 - lobes.p_back
        if not matt or not _by_matt(limits, body, path, hit, lobes, back, u, v):
            return False
        # Russian roulette: dark surfaces pass little on, so few of their rays are worth following
        carried = path.throughput
        probability = min(1.0, max(MIN_SURVIVAL, ROULETTE * max(carried[0], max(carried[1], carried[2]))))
        if luck >= probability:
            return False
        for c in range(3):
            carried[c] /= probability
        leave(path, hit, -1.0 if back else 1.0)
    for c in range(3):
        path.chosen_at[c] = hit.position[c]
    path.in_water = 0
    path.inside = -1
    return True


@nb.njit(**WITHIN)
def _by_gloss(path, hit, lobes, coat, matt, u, v):
    """A direction by coat or gloss."""
    d, n, g = path.direction, hit.normal, hit.geometric
    alpha = lobes.coat_alpha if coat else lobes.alpha
    hx, hy, hz = n[0], n[1], n[2]
    rough = alpha > MIRROR
    if rough:
        hx, hy, hz = facet(alpha, n, lobes, d, u, v)
    for c in range(3):
        lobes.incoming[c] = d[c]
    mirror(d, hx, hy, hz)
    if rough:
        whole, gloss_alone = evaluate(lobes, n, lobes.incoming, d)
        pdf = whole if matt else gloss_alone
        if pdf <= 1e-9:
            return False
        for c in range(3):
            path.throughput[c] *= ((lobes.matt[c] if matt else 0.0) + lobes.gloss[c]) / pdf
        path.pdf = pdf
        path.plain = 0
    else:
        for c in range(3):
            share = lobes.e_coat / lobes.p_coat if coat else (1 - lobes.e_coat) * lobes.e_gloss[c] / lobes.p_gloss
            path.throughput[c] *= share
        path.pdf = 0.0
        path.plain = 1
    outward = d[0] * g[0] + d[1] * g[1] + d[2] * g[2]
    if outward <= 0:
        if rough:
            return False
        for c in range(3):  # a mirror whose bump would send it inward: along the surface
            d[c] += (1e-3 - outward) * g[c]
    return True


@nb.njit(**WITHIN)
def _by_matt(limits, body, path, hit, lobes, back, u, v):
    """A direction by the cosine, on this side or through a leaf."""
    d, n, g = path.direction, hit.normal, hit.geometric
    path.depth += 1
    path.limit = limits.clamp
    basis(n, lobes.tangent, lobes.bitangent)
    r, h = np.sqrt(u), np.sqrt(max(0.0, 1 - u))
    ca, sa = turn(v)
    if back:
        h = -h
    for c in range(3):
        lobes.incoming[c] = d[c]
        d[c] = r * ca * lobes.tangent[c] + r * sa * lobes.bitangent[c] + h * n[c]
    if h * (d[0] * g[0] + d[1] * g[1] + d[2] * g[2]) <= 0:
        return False
    path.plain = 0
    if hit.glossy:
        whole, _ = evaluate(lobes, n, lobes.incoming, d)
        if whole <= 1e-9:
            return False
        path.pdf = whole
        for c in range(3):
            path.throughput[c] *= (lobes.matt[c] + lobes.gloss[c]) / whole
    else:
        probability = lobes.p_back if back else lobes.p_matt
        path.pdf = abs(h) / np.pi * probability
        for c in range(3):
            path.throughput[c] *= (lobes.through[c] if back else lobes.albedo[c]) / probability
    if hit.submerged > 0:
        for c in range(3):  # down to it and up again
            path.throughput[c] *= np.exp(-body.fading[c] * hit.submerged * 2)
    return True
