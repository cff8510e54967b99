"""What kinds of water do with light: absorption, scattering, how deep day reaches, and the colour that comes out.

References
----------
Water itself: R. M. Pope and E. S. Fry, Absorption spectrum (380-700 nm) of pure water, Applied Optics 36 (1997); its
scattering: A. Morel, in Optical Aspects of Oceanography (1974). Dissolved colour: A. Bricaud, A. Morel and L. Prieur,
Limnology and Oceanography 26 (1981), falling by 0.014 a nanometre. What grows in it: A. Bricaud et al., J. Geophys.
Res. 100 (1995), absorption 0.0403 Chl^0.67 at 440 nm; H. R. Gordon and A. Morel (1983), scattering 0.30 Chl^0.62 at
550 nm. Daylight with depth: J. T. O. Kirk, Limnology and Oceanography 29 (1984). What comes out: A. Morel and L.
Prieur, Limnology and Oceanography 22 (1977). Figures from memory; how much of each a kind of water holds is practice.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
BANDS = np.array([650.0, 550.0, 450.0])
"""Wavelengths [nm] that stand for red, green and blue."""
PURE_ABSORPTION = np.array([0.340, 0.0565, 0.00922])
PURE_SCATTERING = np.array([0.0010, 0.0019, 0.0045])
PIGMENT = np.array([0.28, 0.20, 0.95])
"""Absorption of what grows in water against that at 440 nm (Bricaud et al. 1995, from memory)."""
BACK_OF_PURE, BACK_OF_PARTICLES = 0.5, 0.0183
"""Share of the scattering that goes back: of water (by symmetry), of particles (Petzold 1972)."""
INTO_AIR = 0.54
"""Radiance that comes out over that which comes up (Austin 1974)."""


@dataclass(frozen=True)
class Held:
    """What a water holds: chlorophyll [mg/m3], absorption of what is dissolved at 440 nm [1/m], scattering of silt
    [1/m]."""

    chlorophyll: float
    dissolved: float
    silt: float = 0.0


HELD = {
    "clear ocean": Held(0.05, 0.005),
    "coastal": Held(1.5, 0.12, 0.3),
    "green": Held(18.0, 0.6, 0.5),
    "peaty": Held(1.0, 7.0, 0.2),
    "silty": Held(2.0, 0.6, 8.0),
    "spring": Held(0.05, 0.02),
}


@dataclass(frozen=True)
class Optics:
    """A water's coefficients by colour (3,) [1/m]: absorbed, scattered, what a ray loses, what day loses with depth;
    and the share of the light on it that comes out again (irradiance reflectance)."""

    absorbed: Floats
    scattered: Floats
    fading: Floats
    returned: Floats

    @property
    def lost(self) -> Floats:
        """What an image loses on its way [1/m]; what is scattered forwards still carries it (practice: a quarter
        does not)."""
        return self.absorbed + 0.25 * self.scattered

    @property
    def colour(self) -> Floats:
        """Radiance that comes out over the light that falls on it [1/sr]."""
        return self.returned * INTO_AIR / np.pi

    @property
    def disc(self) -> float:
        """Depth [m] at which a white disc is lost to sight, 1.7 / K (Poole and Atkins 1929), where it is clearest."""
        return float(1.7 / self.fading.min())


def optics(held: Held) -> Optics:
    """What a water that holds so much does with light."""
    chlorophyll = max(held.chlorophyll, 1e-3)
    absorbed = PURE_ABSORPTION + 0.0403 * chlorophyll**0.67 * PIGMENT
    absorbed = absorbed + held.dissolved * np.exp(-0.014 * (BANDS - 440.0))
    particles = (0.30 * chlorophyll**0.62 + held.silt) * 550.0 / BANDS
    scattered = PURE_SCATTERING + particles
    back = BACK_OF_PURE * PURE_SCATTERING + BACK_OF_PARTICLES * particles
    fading = np.sqrt(absorbed**2 + 0.256 * absorbed * scattered)
    return Optics(absorbed, scattered, fading, 0.33 * back / (absorbed + back))


KINDS = {name: optics(held) for name, held in HELD.items()}
"""The kinds of water that a place may have, by name."""


def by_clarity(clarity: float) -> tuple[Floats, Floats]:
    """Loss [1/m] and radiance that comes out over the light [1/sr] of a coastal water told by the depth [m] at which a
    white disc is lost: absorption by colour, deepened by what makes it murky (practice)."""
    k = 1.7 / clarity
    lost = np.array([0.34, 0.07, 0.055]) * 0.6 + k * np.array([0.62, 0.40, 0.62])
    return lost, np.array([0.012, 0.042, 0.046]) / np.pi * (0.8 + 0.6 * min(1.0, 3.0 / clarity))
