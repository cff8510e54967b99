"""A lens on a sensor: what a focal length sees is said by the sensor behind it.

Stations tell their focal length on their shot's sensor, as the engraving on a lens does. A `Camera`, the look, and the
paths that are brought in and handed on tell it for 36 mm, so that one number is one angle everywhere.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

FULL_FRAME_MM = 36.0
"""Width of the sensor that angles are told for where no other is named."""


@dataclass(frozen=True)
class Lens:
    """A focal length with the width of the sensor behind it.

    Attributes
    ----------
    focal_mm : float, or ndarray of any shape [mm]
    sensor_mm : float [mm]
    """

    focal_mm: Any
    sensor_mm: float = FULL_FRAME_MM

    @classmethod
    def of_angle(cls, degrees: float, sensor_mm: float = FULL_FRAME_MM) -> Lens:
        """The lens that sees an angle [degrees] across a sensor."""
        return cls(float(sensor_mm / 2 / np.tan(np.radians(degrees) / 2)), sensor_mm)

    @property
    def tangent(self) -> Any:
        """Half the picture's width at unit distance."""
        return self.sensor_mm / (2 * self.focal_mm)

    @property
    def angle(self) -> Any:
        """Angle of view across [degrees], 2 atan(w / 2f)."""
        return np.degrees(2 * np.arctan(self.tangent))

    def on(self, sensor_mm: float) -> Lens:
        """The lens that sees the same angle on another sensor."""
        return Lens(self.focal_mm * sensor_mm / self.sensor_mm, sensor_mm)

    @property
    def full_frame_mm(self) -> Any:
        """Focal length [mm] that sees the same angle on 36 mm."""
        return self.on(FULL_FRAME_MM).focal_mm
