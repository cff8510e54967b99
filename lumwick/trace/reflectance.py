"""How a surface scatters light: the laws of one point, for kernels.

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

from lumwick.keep import kept
from lumwick.trace.sampling import INNER, SOBOL

# Where each number lies in a point's list of properties.
ALBEDO, THROUGH, F0, ALPHA, COAT, COAT_ALPHA = 0, 3, 6, 9, 10, 11
TRANSMISSION, IOR, THIN, EMISSION, TINT, ABSORB = 12, 13, 14, 15, 18, 21
P_COAT, P_GLOSS, P_MATT, P_BACK = 24, 25, 26, 27
E_GLOSS, E_COAT, BOOST, COAT_BOOST = 28, 31, 32, 33
PROPERTIES = 36
COAT_F0 = 0.04
MIRROR = 0.0015
"""Gloss narrower than this (GGX alpha) mirrors exactly."""
LEVELS = 32


@nb.njit(**INNER)
def fresnel(cos_in, n):
    """Reflectance of unpolarised light at a smooth dielectric, from the thin side (Fresnel's equations)."""
    s2 = (1 - cos_in * cos_in) / (n * n)
    if s2 >= 1:
        return 1.0
    cos_t = np.sqrt(max(0.0, 1 - s2))
    rs = (cos_in - n * cos_t) / (cos_in + n * cos_t)
    rp = (n * cos_in - cos_t) / (n * cos_in + cos_t)
    return 0.5 * (rs * rs + rp * rp)


@nb.njit(**INNER)
def _density(cos_h, a2):
    k = cos_h * cos_h * (a2 - 1) + 1
    return a2 / (np.pi * k * k)


@nb.njit(**INNER)
def _hidden(cos, a2):
    """Smith's Lambda of GGX."""
    return 0.5 * (np.sqrt(1 + a2 * (1 - cos * cos) / (cos * cos)) - 1)


@nb.njit(**INNER)
def _schlick(cos):
    k = max(0.0, 1 - cos)
    return k * k * k * k * k


@lru_cache(1)
def albedo_table() -> NDArray[np.float32]:
    """Directional albedo of GGX, shape (LEVELS, LEVELS, 2): by sqrt(cosine) and roughness; all of it, and its share
    at grazing (Schlick).

    Computed here by the same laws, with Sobol points on the visible facets.
    """
    return kept("gloss", "albedo", lambda: {"albedo": _albedo_table()})["albedo"]


def _albedo_table() -> NDArray[np.float32]:
    u = (SOBOL[:1024].astype(float) + 2**31 / 1024) / 2**32 % 1.0
    mu = np.maximum(np.linspace(0, 1, LEVELS) ** 2, 1e-3)[:, None, None]
    alpha = np.maximum(np.linspace(0, 1, LEVELS) ** 2, MIRROR)[None, :, None]
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

    def hidden(c: NDArray[np.float64]) -> NDArray[np.float64]:
        return 0.5 * (np.sqrt(1 + a2 * (1 - c * c) / (c * c)) - 1)

    seen = np.where(cos_i > 1e-6, (1 + hidden(mu)) / (1 + hidden(mu) + hidden(np.maximum(cos_i, 1e-6))), 0)
    return np.stack([seen.mean(-1), (seen * np.maximum(0, 1 - dot) ** 5).mean(-1)], -1).astype(np.float32)


@nb.njit(**INNER)
def _albedo(table, cos, alpha):
    """All of the lobe's directional albedo at unit reflectance, and its Schlick share."""
    fi, fj = np.sqrt(min(1.0, max(cos, 0.0))) * (LEVELS - 1), np.sqrt(min(1.0, alpha)) * (LEVELS - 1)
    i, j = min(int(fi), LEVELS - 2), min(int(fj), LEVELS - 2)
    a, b = fi - i, fj - j
    w00, w10, w01, w11 = (1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b
    e = table[i, j, 0] * w00 + table[i + 1, j, 0] * w10 + table[i, j + 1, 0] * w01 + table[i + 1, j + 1, 0] * w11
    s = table[i, j, 1] * w00 + table[i + 1, j, 1] * w10 + table[i, j + 1, 1] * w01 + table[i + 1, j + 1, 1] * w11
    return e, s


@nb.njit(**INNER)
def prepare(table, m, cos_o, gloss, matt):
    """Share out the lobes of a point seen under ``cos_o``.

    Parameters
    ----------
    m : ndarray, shape (PROPERTIES,)
        The point's properties; takes the lobes' chances and directional albedos.
    gloss : bool
        Whether coat and gloss are lobes of their own; else their light is returned matt, all of it.
    matt : bool
        Whether the matt part may be chosen for the next ray.
    """
    cos_o = max(cos_o, 1e-3)
    m[E_COAT] = 0.0
    if m[COAT] > 0:
        e, s = _albedo(table, cos_o, m[COAT_ALPHA])
        m[COAT_BOOST] = 1 + COAT_F0 * (1 - e) / e
        m[E_COAT] = m[COAT] * (COAT_F0 * (e - s) + s) * m[COAT_BOOST]
    m[BOOST] = 1.0
    shiny = m[F0] + m[F0 + 1] + m[F0 + 2] > 0
    mean = 0.0
    if shiny:
        e, s = _albedo(table, cos_o, m[ALPHA])
        m[BOOST] = (1 - e) / e
        for c in range(3):
            m[E_GLOSS + c] = min(1.0, (m[F0 + c] * (e - s) + s) * (1 + m[F0 + c] * m[BOOST]))
            mean += m[E_GLOSS + c] / 3
    else:
        for c in range(3):
            m[E_GLOSS + c] = 0.0
    under = 1 - m[E_COAT]
    front = back = 0.0
    for c in range(3):
        if gloss:
            m[ALBEDO + c] *= under * (1 - m[E_GLOSS + c])
            m[THROUGH + c] *= under * (1 - m[E_GLOSS + c])
        else:
            m[ALBEDO + c] = m[E_COAT] + under * (m[E_GLOSS + c] + (1 - m[E_GLOSS + c]) * m[ALBEDO + c])
            m[THROUGH + c] *= under * (1 - m[E_GLOSS + c])
        front += m[ALBEDO + c] / 3
        back += m[THROUGH + c] / 3
    if not gloss:
        m[P_COAT] = m[P_GLOSS] = 0.0
        if back > 0:
            m[P_MATT] = m[P_BACK] = 0.5
        else:
            m[P_MATT], m[P_BACK] = 1.0, 0.0
        if not matt:
            m[P_MATT] = m[P_BACK] = 0.0
        return
    coat, spec = m[E_COAT], under * mean
    if not matt:
        front = back = 0.0
    total = coat + spec + front + back
    if total <= 0:
        m[P_COAT] = m[P_GLOSS] = m[P_MATT] = m[P_BACK] = 0.0
        return
    m[P_COAT], m[P_GLOSS], m[P_MATT], m[P_BACK] = coat / total, spec / total, front / total, back / total


@nb.njit(**INNER)
def scattered(m, n, ox, oy, oz, ix, iy, iz, dull, shine):
    """Light sent from direction ``i`` to direction ``o`` (both away from the point), times the cosine.

    Parameters
    ----------
    dull, shine : ndarray, shape (3,)
        Take the matt and through parts, and coat and gloss [1/sr].

    Returns
    -------
    tuple of float
        Densities [1/sr] with which the next ray takes that direction: of all lobes, and of coat and gloss alone.
    """
    cos_i = n[0] * ix + n[1] * iy + n[2] * iz
    if cos_i <= 0:
        for c in range(3):
            dull[c] = m[THROUGH + c] * -cos_i / np.pi
            shine[c] = 0.0
        return m[P_BACK] * -cos_i / np.pi, 0.0
    flat = cos_i / np.pi
    for c in range(3):
        dull[c] = m[ALBEDO + c] * flat
        shine[c] = 0.0
    density = 0.0
    if m[P_COAT] + m[P_GLOSS] > 0:
        cos_o = max(1e-3, n[0] * ox + n[1] * oy + n[2] * oz)
        hx, hy, hz = ox + ix, oy + iy, oz + iz
        q = 1 / np.sqrt(max(1e-20, hx * hx + hy * hy + hz * hz))
        cos_h = min(1.0, (n[0] * hx + n[1] * hy + n[2] * hz) * q)
        cos_d = (ox * hx + oy * hy + oz * hz) * q
        edge = _schlick(cos_d)
        if m[P_COAT] > 0 and m[COAT_ALPHA] > MIRROR:
            a2 = m[COAT_ALPHA] * m[COAT_ALPHA]
            d, lo, li = _density(cos_h, a2), _hidden(cos_o, a2), _hidden(max(cos_i, 1e-4), a2)
            k = m[COAT] * m[COAT_BOOST] * (COAT_F0 + (1 - COAT_F0) * edge) * d / (4 * cos_o * (1 + lo + li))
            for c in range(3):
                shine[c] += k
            density += m[P_COAT] * d / (4 * cos_o * (1 + lo))
        if m[P_GLOSS] > 0 and m[ALPHA] > MIRROR:
            a2 = m[ALPHA] * m[ALPHA]
            d, lo, li = _density(cos_h, a2), _hidden(cos_o, a2), _hidden(max(cos_i, 1e-4), a2)
            k = (1 - m[E_COAT]) * d / (4 * cos_o * (1 + lo + li))
            for c in range(3):
                shine[c] += k * (m[F0 + c] + (1 - m[F0 + c]) * edge) * (1 + m[F0 + c] * m[BOOST])
            density += m[P_GLOSS] * d / (4 * cos_o * (1 + lo))
    return density + m[P_MATT] * flat, density


@nb.njit(**INNER)
def basis(n, t, b):
    """Two unit vectors across ``n`` (Duff et al., JCGT 6, 2017)."""
    s = 1.0 if n[2] >= 0 else -1.0
    a = -1.0 / (s + n[2])
    k = n[0] * n[1] * a
    t[0], t[1], t[2] = 1 + s * n[0] * n[0] * a, s * k, -s * n[0]
    b[0], b[1], b[2] = k, s + n[1] * n[1] * a, -n[1]


@nb.njit(**INNER)
def facet(alpha, n, t, b, ox, oy, oz, u, v):
    """A facet's normal, as seen from direction ``o``."""
    x, y, z = (
        ox * t[0] + oy * t[1] + oz * t[2],
        ox * b[0] + oy * b[1] + oz * b[2],
        max(1e-3, ox * n[0] + oy * n[1] + oz * n[2]),
    )
    x, y = alpha * x, alpha * y
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
    hx, hy, hz = alpha * (p1 * ax + p2 * bx + p3 * x), alpha * (p1 * ay + p2 * by + p3 * y), max(1e-6, p2 * bz + p3 * z)
    q = 1 / np.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * q, hy * q, hz * q
    return hx * t[0] + hy * b[0] + hz * n[0], hx * t[1] + hy * b[1] + hz * n[1], hx * t[2] + hy * b[2] + hz * n[2]
