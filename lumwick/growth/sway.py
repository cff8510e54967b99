"""How plants answer the wind: damped modes driven by the gusts' harmonics, in closed form.

Each plant's stem is one mode. A gust harmonic of frequency w moves it by |H(w)| with the phase lag arg H(w),
so the motion at any time is a sum, loops when the gusts do, and leaves the foot where it is.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lumwick.air.wind import Gusts
from lumwick.motion.quick import turn

TURNS = 1 / (2 * np.pi)
FIRST_MODE = 1.8751040687**2  # 3.516, of a clamped-free beam


def cantilever_frequency(youngs_pa: float, radius: float, length: float, density: float) -> float:
    """First natural frequency [Hz] of a uniform round stem: 3.516 / (2 pi) sqrt(E I / (rho A L^4)).

    Parameters
    ----------
    youngs_pa : float [Pa]
    radius, length : float [m]
    density : float [kg/m3]
    """
    return float(FIRST_MODE / (2 * np.pi) * np.sqrt(youngs_pa * radius**2 / 4 / (density * length**4)))


class Push(NamedTuple):
    """The wind at an instant, as compiled code reads it: harmonics (m,), their waves (m, 2), mean [m/s], time [s]."""

    omega: NDArray[np.float64]
    amplitude: NDArray[np.float64]
    wave: NDArray[np.float64]
    phase: NDArray[np.float64]
    mean: float
    t: float


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def _lean(places, natural, phase, push, damping):
    n, m = len(places), len(push.omega)
    out = np.zeros((n, 2))
    for i in nb.prange(n):
        along, across = 0.0, 0.0
        w0 = 2 * np.pi * natural[i]
        for j in range(m):
            r = push.omega[j] / w0
            re, im = 1 - r * r, 2 * damping * r
            d = re * re + im * im
            carried = places[i, 0] * push.wave[j, 0] + places[i, 1] * push.wave[j, 1]
            a = push.omega[j] * push.t - carried + push.phase[j] + phase[i] * (j % 5)
            a *= TURNS
            c, s = turn(a - np.floor(a))
            along += push.amplitude[j] * (c * re + s * im) / d
            # across the wind a fifth as much, a quarter turn behind, on other harmonics
            if j % 2 == 0:
                across += 0.35 * push.amplitude[j] * (s * re - c * im) / d
        out[i, 0] = push.mean * push.mean + 2 * push.mean * along
        out[i, 1] = 2 * push.mean * across
    return out


def lean(
    places: NDArray[np.float64],
    natural_hz: NDArray[np.float64],
    phase: NDArray[np.float64],
    compliance: float,
    gusts: Gusts,
    t: float,
    damping: float = 0.12,
) -> NDArray[np.float64]:
    """Sideways slope of each stem, as a shear: displacement per metre of height.

    The push of wind goes as the square of its speed, U^2 + 2 U u' for small gusts u'.

    Parameters
    ----------
    places : ndarray, shape (n, 2) [m]
        East and north.
    natural_hz, phase : ndarray, shape (n,) [Hz], [rad]
        Each plant's own, so that no two move alike.
    compliance : float [1 / (m/s)^2]
        Slope for a steady wind of 1 m/s.

    Returns
    -------
    ndarray, shape (n, 2)
        Slope east and north; zero at the foot by construction.
    """
    push = Push(gusts.omega, gusts.amplitude, gusts.wave, gusts.phase, float(gusts.mean), float(t))
    r = _lean(
        np.ascontiguousarray(places, float),
        np.ascontiguousarray(natural_hz, float),
        np.ascontiguousarray(phase, float),
        push,
        damping,
    )
    ex, ey = gusts.toward
    s = np.tanh(compliance * r * 1.6) / 1.6  # stems streamline: no slope grows without end
    return np.stack([s[:, 0] * ex - s[:, 1] * ey, s[:, 0] * ey + s[:, 1] * ex], axis=1)


@nb.njit(parallel=True, fastmath={"contract", "reassoc", "nsz"}, cache=True)
def bend(rest, weight, group, branch_move, flutter, flutter_group, flutter_move, out):
    """Move a plant's vertices: branches by ``branch_move`` (groups, 3) times ``weight``, leaves by ``flutter_move``."""
    for i in nb.prange(len(rest)):
        g, f = group[i], flutter_group[i]
        for c in range(3):
            out[i, c] = rest[i, c] + weight[i] * branch_move[g, c] + flutter[i] * flutter_move[f, c]


def branch_motion(
    count: int, seed: int, natural_hz: float, gusts: Gusts, t: float, strength: float, loop: float | None = None
) -> NDArray[np.float64]:
    """Displacement of the tips of ``count`` branches (or leaf groups) [m per unit weight], shape (count, 3).

    Every group has its own frequency (within a fifth of ``natural_hz``), phase and direction. The strength
    goes with the square of the mean wind.
    """
    sideways, pace, phase = _groups(count, seed)
    direction = sideways.copy()
    direction[:, :2] += gusts.toward * 0.8
    f = natural_hz * pace
    if loop:
        f = np.maximum(np.round(f * loop), 1) / loop
    wave = np.sin(2 * np.pi * f * t + phase) @ np.array([0.6, 0.5])
    return np.asarray(direction * (strength * gusts.mean**2 * wave)[:, None])


@lru_cache(512)
def _groups(count: int, seed: int) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """What is each group's own: the way it moves, shape (count, 3), its two frequencies over the natural one and
    their phases [rad], shape (count, 2)."""
    rng = np.random.Generator(np.random.Philox(key=[seed, 5]))
    direction = rng.normal(size=(count, 3)) * np.array([0.6, 0.6, 0.8])
    pace = rng.uniform(0.8, 1.2, (count, 2)) * np.array([1.0, 0.43])
    return direction, pace, 2 * np.pi * rng.random((count, 2))
