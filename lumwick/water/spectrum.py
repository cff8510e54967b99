"""Wave spectra: how much of the sea's height lies at which frequency and direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import gammaln

G = 9.81


@dataclass(frozen=True)
class SeaState:
    """A wind sea.

    Attributes
    ----------
    wind_speed : float [m/s]
        Ten metres above the sea.
    fetch : float [m]
    depth : float [m]
    toward : float [degrees]
        Bearing that the waves run to.
    """

    wind_speed: float
    fetch: float
    depth: float
    toward: float


def dispersion(k: ArrayLike, depth: float) -> NDArray[np.float64]:
    """Angular frequency [rad/s] of waves of wavenumber ``k`` [rad/m]: omega^2 = g k tanh(k d)."""
    k = np.asarray(k, float)
    return np.sqrt(G * k * np.tanh(np.minimum(k * depth, 50.0)))


def group_speed(k: ArrayLike, depth: float) -> NDArray[np.float64]:
    """d omega / d k [m/s]."""
    k = np.asarray(k, float)
    kd = np.minimum(k * depth, 50.0)
    th = np.tanh(kd)
    return np.asarray(G * (th + kd * (1 - th * th)) / (2 * np.maximum(dispersion(k, depth), 1e-9)))


FULL_SEA = 0.855
"""Peak of a fully grown sea, as a share of g / U10 (Pierson and Moskowitz 1964: 0.877 g / U19.5)."""


def effective_fetch(state: SeaState) -> float:
    """Fetch [m] that the sea has grown over: no more than makes it fully grown, where its peak is the full sea's."""
    u = max(state.wind_speed, 0.3)
    return float(min(state.fetch, (22.0 / FULL_SEA) ** 3 * u * u / G))


def peak_frequency(state: SeaState) -> float:
    """Peak angular frequency [rad/s], 22 (g^2 / (U F))^(1/3), never below the full sea's.

    References
    ----------
    Hasselmann et al., Measurements of wind-wave growth and swell decay during the Joint North Sea Wave
    Project (1973); Pierson and Moskowitz (1964) for the limit.
    """
    u = max(state.wind_speed, 0.3)
    return float(22.0 * (G * G / (u * effective_fetch(state))) ** (1 / 3))


def jonswap(omega: ArrayLike, state: SeaState, gamma: float = 3.3) -> NDArray[np.float64]:
    """Spectral density [m2 s/rad] of a fetch-limited sea, with TMA's factor for limited depth.

    References
    ----------
    Hasselmann et al. (1973): alpha = 0.076 (U^2 / (F g))^0.22. Bouws et al. (1985), TMA; Kitaigorodskii's
    depth factor in the form of Thompson and Vincent (1983).
    """
    w = np.maximum(np.asarray(omega, float), 1e-6)
    u = max(state.wind_speed, 0.3)
    wp = peak_frequency(state)
    alpha = 0.076 * (u * u / (effective_fetch(state) * G)) ** 0.22
    sigma = np.where(w <= wp, 0.07, 0.09)
    r = np.exp(-((w - wp) ** 2) / (2 * sigma**2 * wp**2))
    s = alpha * G**2 / w**5 * np.exp(-1.25 * (wp / w) ** 4) * gamma**r
    wh = w * np.sqrt(state.depth / G)
    return np.asarray(s * np.where(wh <= 1, 0.5 * wh**2, np.where(wh < 2, 1 - 0.5 * (2 - np.minimum(wh, 2)) ** 2, 1.0)))


def spreading_power(omega: ArrayLike, state: SeaState) -> NDArray[np.float64]:
    """Exponent s of the cos^2s spreading: narrow at the peak, wide above (Mitsuyasu et al. 1975, shape only)."""
    x = np.asarray(omega, float) / peak_frequency(state)
    return np.clip(np.where(x < 1, 9.8 * x**5, 9.8 * np.maximum(x, 1e-6) ** -2.5), 0.8, 16)


def spreading(theta: ArrayLike, s: ArrayLike) -> NDArray[np.float64]:
    """Directional density [1/rad], cos^2s(theta/2), of unit integral; ``theta`` [rad] off the mean direction."""
    s = np.asarray(s, float)
    norm = np.exp(gammaln(s + 1) - gammaln(s + 0.5)) / (2 * np.sqrt(np.pi))
    return np.asarray(norm * np.abs(np.cos(np.asarray(theta, float) / 2)) ** (2 * s))


def moment(state: SeaState, n: int = 0) -> float:
    """Spectral moment of order ``n`` over all frequencies [m2 rad^n / s^n]."""
    w = np.geomspace(0.05 * peak_frequency(state), 60 * peak_frequency(state), 20000)
    return float(np.trapezoid(jonswap(w, state) * w**n, w))


def significant_height(state: SeaState) -> float:
    """Significant wave height [m], 4 sqrt(m0)."""
    return 4.0 * float(np.sqrt(moment(state)))


def slope_variance(wind_speed: float) -> float:
    """Mean-square slope of a clean sea, all directions: 0.003 + 0.00512 U (Cox and Munk 1954)."""
    return 0.003 + 0.00512 * wind_speed


def beaufort(wind_speed: float) -> int:
    """Beaufort number of a wind [m/s], (U / 0.836)^(2/3)."""
    return int(min(12, round((wind_speed / 0.836) ** (2 / 3))))


def sea_name(height: float) -> str:
    """WMO sea-state name of a significant height [m] (WMO code table 3700)."""
    for most, name in (
        (0.0, "glassy"),
        (0.1, "rippled"),
        (0.5, "smooth wavelets"),
        (1.25, "slight"),
        (2.5, "moderate"),
        (4, "rough"),
        (6, "very rough"),
        (9, "high"),
        (14, "very high"),
    ):
        if height <= most:
            return name
    return "phenomenal"
