"""Wave spectra: how much of the sea's height lies at which frequency and direction."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import gammaln

G = 9.81


@dataclass(frozen=True)
class Train:
    """A swell: waves that come from far.

    Attributes
    ----------
    height : float [m]
        Significant.
    period : float [s]
        Of its peak.
    toward : float [degrees]
        Bearing that it runs to.
    spread : float [degrees]
        Standard deviation of its waves' bearings.
    """

    height: float
    period: float
    toward: float
    spread: float = 12.0


@dataclass(frozen=True)
class SeaState:
    """A wind sea, and a swell under it if there is one.

    Attributes
    ----------
    wind_speed : float [m/s]
        Ten metres above the sea.
    fetch : float [m]
    depth : float [m]
    toward : float [degrees]
        Bearing that the waves run to.
    height, period : float or None [m, s]
        Significant height and peak period of its wind waves, if they are told and not raised by wind and fetch.
    rate : float
        Seconds that pass for its waves in one of the clip's.
    """

    wind_speed: float
    fetch: float
    depth: float
    toward: float
    height: float | None = None
    period: float | None = None
    swell: Train | None = None
    rate: float = 1.0


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
    if state.period is not None:
        return 2 * np.pi / state.period
    u = max(state.wind_speed, 0.3)
    return float(22.0 * (G * G / (u * effective_fetch(state))) ** (1 / 3))


def _peaked(w: NDArray[np.float64], wp: float, gamma: float) -> NDArray[np.float64]:
    """JONSWAP's form about a peak, for an alpha of 1."""
    sigma = np.where(w <= wp, 0.07, 0.09)
    r = np.exp(-((w - wp) ** 2) / (2 * sigma**2 * wp**2))
    return np.asarray(G**2 / w**5 * np.exp(-1.25 * (wp / w) ** 4) * gamma**r)


def _shoaled(w: NDArray[np.float64], depth: float) -> NDArray[np.float64]:
    """Kitaigorodskii's factor for limited depth."""
    wh = w * np.sqrt(depth / G)
    return np.asarray(np.where(wh <= 1, 0.5 * wh**2, np.where(wh < 2, 1 - 0.5 * (2 - np.minimum(wh, 2)) ** 2, 1.0)))


def jonswap(omega: ArrayLike, state: SeaState, gamma: float = 3.3) -> NDArray[np.float64]:
    """Spectral density [m2 s/rad] of a fetch-limited sea, with TMA's factor for limited depth; of the told height and
    period if it has them.

    References
    ----------
    Hasselmann et al. (1973): alpha = 0.076 (U^2 / (F g))^0.22. Bouws et al. (1985), TMA; Kitaigorodskii's
    depth factor in the form of Thompson and Vincent (1983).
    """
    w = np.maximum(np.asarray(omega, float), 1e-6)
    u = max(state.wind_speed, 0.3)
    if state.height is not None:
        alpha = _alpha_of(state.height, peak_frequency(state), state.depth, gamma)
    else:
        alpha = 0.076 * (u * u / (effective_fetch(state) * G)) ** 0.22
    return np.asarray(alpha * _peaked(w, peak_frequency(state), gamma) * _shoaled(w, state.depth))


@lru_cache(64)
def _alpha_of(height: float, wp: float, depth: float, gamma: float) -> float:
    """JONSWAP's alpha by which a sea has a significant height [m]."""
    w = np.geomspace(0.05 * wp, 60 * wp, 20000)
    return float((height / 4) ** 2 / np.trapezoid(_peaked(w, wp, gamma) * _shoaled(w, depth), w))


SWELL_PEAK = 7.0
"""Gamma of a swell: its waves' periods lie close together (Goda 2010 gives 7 to 10 for long swell)."""


def swell_density(omega: ArrayLike, train: Train) -> NDArray[np.float64]:
    """Spectral density [m2 s/rad] of a swell."""
    w = np.maximum(np.asarray(omega, float), 1e-6)
    wp = 2 * np.pi / train.period
    return np.asarray(_alpha_of(train.height, wp, 1e9, SWELL_PEAK) * _peaked(w, wp, SWELL_PEAK))


def swell_power(train: Train) -> float:
    """Exponent s of cos^2s spreading with a standard deviation [degrees]: sigma^2 = 2 / (s + 1) (Kuik et al. 1988)."""
    return float(max(0.5, 2 / np.radians(train.spread) ** 2 - 1))


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
    """Spectral moment of order ``n`` over all frequencies [m2 rad^n / s^n], its swell's with it."""
    w = np.geomspace(0.05 * peak_frequency(state), 60 * peak_frequency(state), 20000)
    out = float(np.trapezoid(jonswap(w, state) * w**n, w))
    if state.swell is not None and state.swell.height > 0:
        w = np.geomspace(0.05, 60.0, 20000) * 2 * np.pi / state.swell.period
        out += float(np.trapezoid(swell_density(w, state.swell) * w**n, w))
    return out


def significant_height(state: SeaState) -> float:
    """Significant wave height [m], 4 sqrt(m0)."""
    return 4.0 * float(np.sqrt(moment(state)))


BREAKING = 0.78
"""Height of the highest wave that stands, as a share of the depth (McCowan 1894)."""
HIGHEST = 1.86
"""Highest of a thousand waves over the significant height (Longuet-Higgins 1952)."""


def limited(state: SeaState) -> tuple[SeaState, str]:
    """A sea whose told waves stand in its depth, and in words what was lowered."""
    most = BREAKING / HIGHEST * state.depth
    said = []
    if state.height is not None and state.height > most:
        state = replace(state, height=most)
        said.append("waves")
    if state.swell is not None and state.swell.height > most:
        state = replace(state, swell=replace(state.swell, height=most))
        said.append("swell")
    return state, f"{' and '.join(said)} lowered to {most:.2f} m: more breaks in {state.depth:g} m" if said else ""


def slope_variance(wind_speed: float) -> float:
    """Mean-square slope of a clean sea, all directions: 0.003 + 0.00512 U (Cox and Munk 1954)."""
    return 0.003 + 0.00512 * wind_speed


def beaufort(wind_speed: float) -> int:
    """Beaufort number of a wind [m/s], (U / 0.836)^(2/3)."""
    return int(min(12, round((wind_speed / 0.836) ** (2 / 3))))


def wind_of(number: int) -> float:
    """Mean wind [m/s] of a Beaufort number, 0.836 B^(3/2) (WMO, Commission for Maritime Meteorology 1970)."""
    return float(0.836 * number**1.5)


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
