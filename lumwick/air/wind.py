"""Wind: its mean over height, and gusts carried downwind, as sums of harmonics in closed form."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

OPEN_LAND = 0.03
"""Roughness length [m] of open land (Davenport's classes)."""


def log_profile(speed_10: float, height: ArrayLike, roughness: float) -> NDArray[np.float64]:
    """Mean speed [m/s] at a height [m] over ground of a roughness length [m] (log law), from that at 10 m."""
    z = np.maximum(np.asarray(height, float), roughness * 1.001)
    return np.asarray(speed_10 * np.log(z / roughness) / np.log(10.0 / roughness))


def kaimal(n: ArrayLike, speed: float, height: float, sigma: float) -> NDArray[np.float64]:
    """Spectral density [m2/s] of the along-wind speed at frequency ``n`` [Hz], of variance ``sigma`` squared.

    References
    ----------
    Kaimal et al., Spectral characteristics of surface-layer turbulence (1972): 105 f / (1 + 33 f)^(5/3) in
    f = n z / U, scaled to the variance asked for (its integral over ln n is 105/33 * 3/2 of the form's unit).
    """
    n = np.asarray(n, float)
    f = n * height / speed
    return sigma**2 * 22.0 * (height / speed) / (1 + 33 * f) ** (5 / 3)


@dataclass(frozen=True)
class Gusts:
    """Harmonics of the gusts.

    Attributes
    ----------
    omega : ndarray, shape (m,) [rad/s]
    amplitude : ndarray, shape (m,) [m/s]
    phase : ndarray, shape (m,) [rad]
    wave : ndarray, shape (m, 2) [rad/m]
        Wavenumber east and north: a gust is carried downwind with the mean wind (Taylor's hypothesis).
    mean : float [m/s]
        At 10 m.
    toward : ndarray, shape (2,)
        East and north, of length 1.
    roughness : float [m]
        Roughness length of the ground.
    """

    omega: NDArray[np.float64]
    amplitude: NDArray[np.float64]
    phase: NDArray[np.float64]
    wave: NDArray[np.float64]
    mean: float
    toward: NDArray[np.float64]
    roughness: float = OPEN_LAND

    def reaching(self, height: float) -> Gusts:
        """What of it reaches a height [m], against what would reach it over open land; 10 m up, all of it.

        Plants' compliances are told for the wind at 10 m over open land, so that is what they are given here.
        """
        share = float(log_profile(1.0, height, self.roughness) / log_profile(1.0, height, OPEN_LAND))
        return replace(self, mean=self.mean * share, amplitude=self.amplitude * share)


def gusts(
    speed: float,
    from_bearing: float,
    gustiness: float,
    seed: int,
    loop: float | None = None,
    count: int = 28,
    roughness: float = OPEN_LAND,
) -> Gusts:
    """Harmonics of a wind's gusts.

    Parameters
    ----------
    speed : float [m/s]
    from_bearing : float [degrees]
    gustiness : float
        Standard deviation over mean.
    loop : float or None [s]
        Length over which all must close: every frequency becomes a whole multiple of 1 / loop.
    roughness : float [m]
        Roughness length of the ground.
    """
    rng = np.random.Generator(np.random.Philox(key=[seed, 77]))
    edges = np.geomspace(0.02, 3.0, count + 1)
    n = np.sqrt(edges[1:] * edges[:-1])
    u = max(speed, 0.5)
    amplitude = np.sqrt(2 * kaimal(n, u, 10.0, 1.0) * np.diff(edges))
    amplitude *= gustiness * speed / max(np.sqrt(np.sum(amplitude**2) / 2), 1e-9)
    omega = 2 * np.pi * n
    if loop:
        turn = 2 * np.pi / loop
        omega = np.maximum(np.round(omega / turn), 1) * turn
    toward = np.radians(from_bearing + 180.0)
    spread = rng.normal(0, 0.5, count)
    k = omega / u
    wave = np.stack([k * np.sin(toward + spread), k * np.cos(toward + spread)], axis=1)
    return Gusts(
        omega,
        amplitude,
        2 * np.pi * rng.random(count),
        wave,
        speed,
        np.array([np.sin(toward), np.cos(toward)]),
        roughness,
    )
