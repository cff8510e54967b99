"""The moving surface of the sea: a spectrum turned into heights, slopes and folds by FFT at a time t.

Four tiles of different length carry four bands of waves, the last down to a centimetre. Phases come from the seed
alone and each wave
turns at its own frequency, so any instant is made alone; in a loop the frequencies are rounded to whole
turns of its length.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray
from scipy import fft

from lumwick.water.spectrum import (
    SeaState,
    dispersion,
    group_speed,
    jonswap,
    spreading,
    spreading_power,
    swell_density,
    swell_power,
)

# length [m] and points a side; each tile takes over where the one before can carry no shorter wave
TILES = ((1024.0, 512), (37.1, 128), (5.3, 128), (0.83, 128))


@dataclass(frozen=True)
class Swell:
    """One tile's waves at t = 0, of fixed amplitude and seeded phase.

    Attributes
    ----------
    up, down : ndarray of complex, shape (n, n) [m]
        Amplitudes of waves running along +k, and of those running along -k conjugated.
    omega : ndarray, shape (n, n) [rad/s]
    kx, ky : ndarray, shape (n, n) [rad/m]
    """

    length: float
    up: NDArray[np.complex128]
    down: NDArray[np.complex128]
    omega: NDArray[np.float64]
    kx: NDArray[np.float64]
    ky: NDArray[np.float64]


Waves = tuple[NDArray[np.complex128], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]
"""Amplitudes (n,) [m], kx and ky [rad/m] and omega [rad/s] of single waves: each the real part of
a exp(i (kx x + ky y - omega t))."""


@lru_cache(8)
def swells(state: SeaState, seed: int, loop: float | None) -> tuple[Swell, ...]:
    """The tiles of a sea state.

    Parameters
    ----------
    loop : float or None [s]
        Length that the motion must close over.
    """
    out = []
    below = 0.0
    for number, (length, n) in enumerate(TILES):
        dk = 2 * np.pi / length
        axis = np.fft.fftfreq(n, 1 / n) * dk
        kx, ky = np.meshgrid(axis, axis)
        k = np.hypot(kx, ky)
        top = np.pi * n / length * 0.95
        band = (k > below) & (k <= top)
        safe = np.where(band, k, 1.0)
        omega = dispersion(safe, state.depth)
        density = _density(state, kx, ky, safe, band, dk, (below, top))
        amplitude = np.where(band, np.sqrt(0.5 * density) * dk, 0.0)
        rng = np.random.Generator(np.random.Philox(key=[seed, number]))
        up = amplitude * np.exp(2j * np.pi * rng.random((n, n)))
        omega = omega * state.rate
        if loop:
            turn = 2 * np.pi / loop
            omega = np.round(omega / turn) * turn
        reverse = np.roll(up[::-1, ::-1], 1, axis=(0, 1))
        out.append(Swell(length, up, np.conj(reverse), np.where(band, omega, 0.0), kx, ky))
        below = top
    return tuple(out)


def _density(
    state: SeaState,
    kx: NDArray[np.float64],
    ky: NDArray[np.float64],
    k: NDArray[np.float64],
    band: NDArray[np.bool_],
    dk: float,
    limits: tuple[float, float],
) -> NDArray[np.float64]:
    """Spectral density over wave numbers (n, n) [m4] of a tile's waves; a swell's few waves are made to carry all the
    energy that it has between the tile's limits [rad/m]."""
    omega = dispersion(k, state.depth)
    way, to_k = np.arctan2(kx, ky), group_speed(k, state.depth) / k
    off = np.angle(np.exp(1j * (way - np.radians(state.toward))))
    out = jonswap(omega, state) * to_k * spreading(off, spreading_power(omega, state))
    swell = state.swell
    if swell is None or swell.height <= 0:
        return np.asarray(out)
    off = np.angle(np.exp(1j * (way - np.radians(swell.toward))))
    more = np.where(band, swell_density(omega, swell) * to_k * spreading(off, swell_power(swell)), 0.0)
    low, high = dispersion(np.maximum(limits, 1e-4), state.depth).tolist()
    w = np.linspace(low, high, 4000)
    energy, here = float(np.trapezoid(swell_density(w, swell), w)), float(more.sum()) * dk * dk
    return np.asarray(out + (more * (energy / here) if here > 1e-12 else 0.0))


def tile_variance(swell: Swell) -> float:
    """Variance of the surface that one tile carries [m2]."""
    return float(2 * np.sum(np.abs(swell.up) ** 2))


@dataclass(frozen=True)
class Surface:
    """The surface at one instant.

    Attributes
    ----------
    displaced : ndarray of float32, shape (n, n, 4)
        Of the longest tile: displacement east, north, up [m], and the fold (1 flat, below 0 overturned).
    slopes : tuple of ndarray of float32, each (n, n, 2)
        d up / d east and d up / d north of every tile.
    """

    displaced: NDArray[np.float32]
    slopes: tuple[NDArray[np.float32], ...]


def surface(waves: tuple[Swell, ...], t: float, choppiness: float = 1.0) -> Surface:
    """Heights, slopes and folds of a sea at clip time ``t`` [s]."""
    slopes = []
    displaced = np.zeros(0, np.float32)
    for number, w in enumerate(waves):
        n = len(w.up)
        spectra = np.empty((4 if number == 0 else 1, n, n), np.complex64)
        _spectra(w.up, w.down, w.omega, w.kx, w.ky, t, choppiness, spectra)
        fields = fft.ifft2(spectra, workers=2, norm="forward", overwrite_x=True)
        slopes.append(fields[0].view(np.float32).reshape(n, n, 2))
        if number == 0:
            displaced = np.empty((n, n, 4), np.float32)
            displaced[..., :2] = fields[1].view(np.float32).reshape(n, n, 2)
            height, dxy, dxx_dyy = fields[2].real, fields[2].imag, fields[3]
            displaced[..., 2] = height
            displaced[..., 3] = (1 + dxx_dyy.real) * (1 + dxx_dyy.imag) - dxy * dxy
    return Surface(displaced, tuple(slopes))


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def _spectra(up, down, omega, kx, ky, t, choppiness, out):
    """Spectra (m, n, n) of a tile's fields at a time [s]; two real fields go through one complex transform, a + i b.

    First the slopes east and north; then, if there is room, the displacements sideways, height and the mixed slope of
    the displacements, and the displacements' own slopes.
    """
    n = up.shape[0]
    for i in nb.prange(n):
        for j in range(n):
            if omega[i, j] == 0.0 and up[i, j] == 0.0:  # no wave of this tile's
                for field in range(out.shape[0]):
                    out[field, i, j] = 0.0
                continue
            angle = omega[i, j] * t
            turn = complex(np.cos(angle), -np.sin(angle))
            h = up[i, j] * turn + down[i, j] * turn.conjugate()
            x, y = kx[i, j], ky[i, j]
            out[0, i, j] = h * complex(-y, x)
            if out.shape[0] > 1:
                k = np.sqrt(x * x + y * y)
                to = choppiness / k if k > 0 else 0.0
                out[1, i, j] = h * complex(-y * to, x * to)
                out[2, i, j] = h * complex(1.0, -x * y * to)
                out[3, i, j] = h * complex(-x * x * to, -y * y * to)


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def fold_spectra(up, down, omega, kx, ky, t, choppiness, out):
    """Spectra (2, n, n) of the displacements' own slopes at a time [s], both of them in one transform, and of the mixed
    one."""
    n = up.shape[0]
    for i in nb.prange(n):
        for j in range(n):
            angle = omega[i, j] * t
            turn = complex(np.cos(angle), -np.sin(angle))
            h = up[i, j] * turn + down[i, j] * turn.conjugate()
            x, y = kx[i, j], ky[i, j]
            k = np.sqrt(x * x + y * y)
            to = choppiness / k if k > 0 else 0.0
            out[0, i, j] = h * complex(-x * x * to, -y * y * to)
            out[1, i, j] = h * complex(-x * y * to, 0.0)


def heights_at(
    waves: tuple[Swell, ...],
    x: NDArray[np.float64],
    y: NDArray[np.float64],
    t: NDArray[np.float64],
    share: float = 0.98,
) -> NDArray[np.float64]:
    """Height of the long waves (the first tile's) at points and clip times, all (n,), by summing the largest waves.

    Parameters
    ----------
    share : float
        Of the tile's variance that the waves summed must carry.
    """
    amplitude, kx, ky, omega = largest(waves[0], share)
    out = np.zeros(len(t))
    _sum_waves(amplitude, kx, ky, omega, np.asarray(x, float), np.asarray(y, float), np.asarray(t, float), out)
    return out


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def _sum_waves(amplitude, kx, ky, omega, x, y, t, out):
    for i in nb.prange(len(out)):
        total = 0.0
        for j in range(len(amplitude)):
            phase = kx[j] * x[i] + ky[j] * y[i] - omega[j] * t[i]
            total += amplitude[j].real * np.cos(phase) - amplitude[j].imag * np.sin(phase)
        out[i] = total


def largest(w: Swell, share: float = 0.995) -> Waves:
    """The largest waves of a tile, that together carry a share of its variance."""
    a, b = (np.flatnonzero(np.abs(v.ravel()) > 0) for v in (w.up, w.down))
    amplitude = np.concatenate([w.up.ravel()[a], w.down.ravel()[b]])
    kx, ky = (np.concatenate([v.ravel()[a], v.ravel()[b]]) for v in (w.kx, w.ky))
    omega = np.concatenate([w.omega.ravel()[a], -w.omega.ravel()[b]])
    order = np.argsort(-np.abs(amplitude))
    carried = np.cumsum(np.abs(amplitude[order]) ** 2)
    most = order[: int(np.searchsorted(carried, share * carried[-1])) + 1] if len(order) else order
    return amplitude[most], kx[most], ky[most], omega[most]


def lace_drift(t: float, loop: float | None) -> tuple[float, float]:
    """How far the lace of the shore's foam has drifted at clip time ``t`` [s]: onwards, or round a circle in a loop."""
    if not loop:
        return 0.21 * t, 0.20 * t
    turn = 2 * np.pi * t / loop
    radius = 0.29 * loop / (2 * np.pi)
    return radius * float(np.cos(turn)), radius * float(np.sin(turn))


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def raise_sheet(x, y, share, tile, length, level, out):
    """Displace a sheet's points (x, y) by a tile's waves, each by its share, about a level [m], into ``out`` (n, 3)."""
    n = tile.shape[0]
    for i in nb.prange(len(x)):
        fx, fy = x[i] / length * n, y[i] / length * n
        gx, gy = np.floor(fx), np.floor(fy)
        a, b = fx - gx, fy - gy
        c0, r0 = int(gx) % n, int(gy) % n
        c1, r1 = (c0 + 1) % n, (r0 + 1) % n
        k = share[i]
        for c in range(3):
            v = (tile[r0, c0, c] * (1 - a) + tile[r0, c1, c] * a) * (1 - b) + (
                tile[r1, c0, c] * (1 - a) + tile[r1, c1, c] * a
            ) * b
            out[i, c] = k * v + (x[i] if c == 0 else (y[i] if c == 1 else level))
