"""The moving surface of the sea: a spectrum turned into heights, slopes and folds by FFT at a time t.

Four tiles of different length carry four bands of waves, the last down to a centimetre. Phases come from the seed
alone and each wave
turns at its own frequency, so any instant is made alone; in a loop the frequencies are rounded to whole
turns of its length.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

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

    @cached_property
    def parts(self) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any]]:
        """Both amplitudes, omega, and kx and ky of a row and of a column, as the spectra's loops read them."""
        return (
            self.up.astype(np.complex64),
            self.down.astype(np.complex64),
            self.omega,
            self.kx[0].astype(np.float32),
            self.ky[:, 0].astype(np.float32),
        )

    @cached_property
    def fold_spread(self) -> float:
        """Standard deviation of the fold at a choppiness of 1."""
        return float(np.sqrt(2 * np.sum(np.abs(self.up) ** 2 * (self.kx**2 + self.ky**2))))


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
        _spectra(*w.parts, t / (2 * np.pi), np.float32(choppiness), spectra)
        fields = fft.ifft2(spectra, workers=2, norm="forward", overwrite_x=True)
        slopes.append(fields[0].view(np.float32).reshape(n, n, 2))
        if number == 0:
            displaced = np.empty((n, n, 4), np.float32)
            _displaced(fields, displaced)
    return Surface(displaced, tuple(slopes))


FAST = {"contract", "reassoc", "nsz"}
SINE = tuple(np.float32(v) for v in (6.2831855, -41.3417, 81.60513, -76.70302, 42.02593, -14.899847, 3.2381375))
COSINE = tuple(np.float32(v) for v in (1.0, -19.739204, 64.93912, -85.45014, 60.16763, -25.9676, 6.5286584))
"""Polynomials in the square of a part of a turn: sin(2 pi f) / f and cos(2 pi f), to 3e-7 over half a turn each way
(fitted at Chebyshev's points)."""


@nb.njit(fastmath=FAST, cache=True, inline="always")
def _turned(omega, turns, c, s):
    """Cosine and sine (n,) of a row's angles at a time in turns of 1 rad/s; without a branch, so that it goes in
    vectors."""
    for j in range(len(omega)):
        whole = omega[j] * turns
        f = np.float32(whole - np.floor(whole + 0.5))
        q = f * f
        s[j] = f * (
            SINE[0] + q * (SINE[1] + q * (SINE[2] + q * (SINE[3] + q * (SINE[4] + q * (SINE[5] + q * SINE[6])))))
        )
        c[j] = COSINE[0] + q * (
            COSINE[1] + q * (COSINE[2] + q * (COSINE[3] + q * (COSINE[4] + q * (COSINE[5] + q * COSINE[6]))))
        )


@nb.njit(fastmath=FAST, cache=True, inline="always")
def _wave(up, down, c, s):
    """The height's spectrum where a wave has turned: up exp(-i angle) + down exp(i angle)."""
    return (
        (up.real + down.real) * c + (up.imag - down.imag) * s,
        (up.imag + down.imag) * c + (down.real - up.real) * s,
    )


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def _spectra(up, down, omega, kx, ky, turns, choppiness, out):
    """Spectra (m, n, n) of a tile's fields at a time; two real fields go through one complex transform, a + i b.

    First the slopes east and north; then, if there is room, the displacements sideways, height and the mixed slope of
    the displacements, and the displacements' own slopes.
    """
    n = up.shape[0]
    for i in nb.prange(n):
        y = ky[i]
        c, s = np.empty(n, np.float32), np.empty(n, np.float32)
        _turned(omega[i], turns, c, s)
        for j in range(n):
            re, im = _wave(up[i, j], down[i, j], c[j], s[j])
            x = kx[j]
            east, north = -re * y - im * x, re * x - im * y
            out[0, i, j] = complex(east, north)
            if out.shape[0] > 1:
                k = np.sqrt(x * x + y * y)
                to = choppiness / k if k > 0 else np.float32(0.0)
                out[1, i, j] = complex(east * to, north * to)
                xx, xy, yy = -x * x * to, -x * y * to, -y * y * to
                out[2, i, j] = complex(re - im * xy, im + re * xy)
                out[3, i, j] = complex(re * xx - im * yy, im * xx + re * yy)


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def _fold_spectra(up, down, omega, kx, ky, turns, choppiness, out):
    """Spectra (2, n, n) of the displacements' own slopes, both of them in one transform, and of the mixed one."""
    n = up.shape[0]
    for i in nb.prange(n):
        y = ky[i]
        c, s = np.empty(n, np.float32), np.empty(n, np.float32)
        _turned(omega[i], turns, c, s)
        for j in range(n):
            re, im = _wave(up[i, j], down[i, j], c[j], s[j])
            x = kx[j]
            k = np.sqrt(x * x + y * y)
            to = choppiness / k if k > 0 else np.float32(0.0)
            xx, xy, yy = -x * x * to, -x * y * to, -y * y * to
            out[0, i, j] = complex(re * xx - im * yy, im * xx + re * yy)
            out[1, i, j] = complex(re * xy, im * xy)


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def _displaced(fields, out):
    """Displacement east, north, up, and fold (n, n, 4) from the fields' transforms."""
    for i in nb.prange(out.shape[0]):
        for j in range(out.shape[1]):
            out[i, j, 0], out[i, j, 1] = fields[1, i, j].real, fields[1, i, j].imag
            out[i, j, 2] = fields[2, i, j].real
            mixed, own = fields[2, i, j].imag, fields[3, i, j]
            out[i, j, 3] = (1 + own.real) * (1 + own.imag) - mixed * mixed


def fold_at(wave: Swell, t: float, choppiness: float) -> NDArray[np.float32]:
    """The fold (n, n) of a tile at a time [s]: 1 flat, under 0 overturned."""
    n = len(wave.up)
    spectra = np.empty((2, n, n), np.complex64)
    _fold_spectra(*wave.parts, t / (2 * np.pi), np.float32(choppiness), spectra)
    both, mixed = fft.ifft2(spectra, workers=2, norm="forward", overwrite_x=True)
    return np.asarray((1 + both.real) * (1 + both.imag) - mixed.real**2, np.float32)


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


@nb.njit(parallel=True, fastmath=FAST, cache=True)
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


@nb.njit(parallel=True, fastmath=FAST, cache=True)
def raise_tile(rest, tile, lift, out):
    """Displace a whole tile's points ``rest`` ((n + 1) (n + 1), 3) [m] by its waves (n, n, m), and all of them by
    ``lift`` [m], into ``out``."""
    n = tile.shape[0]
    for i in nb.prange(n + 1):
        for j in range(n + 1):
            k = i * (n + 1) + j
            for c in range(3):
                out[k, c] = rest[k, c] + tile[i % n, j % n, c]
            out[k, 2] += lift


def lace_drift(t: float, loop: float | None) -> tuple[float, float]:
    """How far the lace of the shore's foam has drifted at clip time ``t`` [s]: onwards, or round a circle in a loop."""
    if not loop:
        return 0.21 * t, 0.20 * t
    turn = 2 * np.pi * t / loop
    radius = 0.29 * loop / (2 * np.pi)
    return radius * float(np.cos(turn)), radius * float(np.sin(turn))


@nb.njit(parallel=True, fastmath=FAST, cache=True)
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
