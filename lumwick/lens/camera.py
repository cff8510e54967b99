"""A real camera: sensor, focal length, opening, focus and exposure."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.lens.lens import Lens

INCIDENT_CONSTANT = 250.0


def ev100(f_number: float, seconds: float, iso: float = 100.0) -> float:
    """Exposure value at ISO 100: log2(N^2 / t * 100 / S)."""
    return float(np.log2(f_number**2 / seconds * 100.0 / iso))


def incident_illuminance(ev: float) -> float:
    """Illuminance [lx] that an incident-light meter asks for: 2.5 * 2^EV100 (ISO 2720, C = 250)."""
    return float(INCIDENT_CONSTANT / 100.0 * 2.0**ev)


def exposure_scale(ev: float) -> float:
    """Scene value per cd/m2, such that a matt surface lit as the meter asks comes out at its own reflectance."""
    return float(np.pi / incident_illuminance(ev))


def hyperfocal(focal_mm: float, f_number: float, circle_mm: float = 0.03) -> float:
    """Hyperfocal distance [m], f^2 / (N c) + f."""
    return (focal_mm**2 / (f_number * circle_mm) + focal_mm) / 1000.0


def circle_of_confusion(focal_mm: float, f_number: float, focus: float, distance: float) -> float:
    """Diameter [mm] on the sensor of a point's image at ``distance`` [m], by the thin lens."""
    s, d = focus * 1000.0, distance * 1000.0
    return abs(d - s) / d * focal_mm**2 / (f_number * (s - focal_mm))


@dataclass(frozen=True)
class Camera:
    """Where a camera is and how it is set.

    Attributes
    ----------
    position : ndarray, shape (3,) [m]
    forward : ndarray, shape (3,)
        Unit vector.
    focal_mm, f_number : float
        For a sensor 36 mm wide (`lumwick.lens.lens`).
    roll : float [degrees]
    blades : int
        Sides of the opening; 0 for a round one.
    distortion : float [%]
        By how much the lens draws the corners out, against the same lens without it.
    dispersion : float [thousandths]
        By how much red is drawn larger than green in the corners, and blue smaller.
    shift : float
        Of the picture's middle to the right of the axis, as a tangent.
    around : bool
        Whether it sees the whole sphere, equirectangular.
    eye : float [m]
        How far rays of such a picture start to the right of where they go.
    """

    position: NDArray[np.float64]
    forward: NDArray[np.float64]
    focal_mm: float = 28.0
    f_number: float = 8.0
    focus: float = 30.0
    ev100: float = 14.0
    kelvin: float = 6500.0
    roll: float = 0.0
    blades: int = 0
    distortion: float = 0.0
    dispersion: float = 0.0
    shift: float = 0.0
    around: bool = False
    eye: float = 0.0

    def axes(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Right and up unit vectors; the horizon is level if ``roll`` is 0, else the camera is turned clockwise by
        it."""
        right = np.cross(self.forward, [0.0, 0.0, 1.0])
        if np.linalg.norm(right) < 1e-9:
            right = np.array([1.0, 0.0, 0.0])
        right /= np.linalg.norm(right)
        up = np.cross(right, self.forward)
        c, k = np.cos(np.radians(self.roll)), np.sin(np.radians(self.roll))
        return c * right - k * up, c * up + k * right

    @property
    def lens(self) -> Lens:
        return Lens(self.focal_mm)

    @property
    def bearing(self) -> float:
        """Degrees from the model's north through east."""
        return float(np.degrees(np.arctan2(self.forward[0], self.forward[1])) % 360)

    @property
    def pitch(self) -> float:
        return float(np.degrees(np.arcsin(np.clip(self.forward[2], -1, 1))))


def look_at(position: NDArray[np.float64], aim: NDArray[np.float64]) -> NDArray[np.float64]:
    """Unit vector from a position to an aim."""
    d = np.asarray(aim, float) - np.asarray(position, float)
    return np.asarray(d / np.linalg.norm(d))


def direction_of(bearing: float, pitch: float) -> NDArray[np.float64]:
    """Unit vector of a bearing (from north through east) and pitch [degrees]."""
    b, p = np.radians(bearing), np.radians(pitch)
    return np.array([np.sin(b) * np.cos(p), np.cos(b) * np.cos(p), np.sin(p)])
