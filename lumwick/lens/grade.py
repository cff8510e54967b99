"""What a picture is developed with, besides exposure and white balance."""

from __future__ import annotations

from dataclasses import dataclass

VIEWS = ("filmic", "plain")
"""How scene light is brought to the screen: by the ACES output transform, or by the sRGB curve alone."""


@dataclass(frozen=True)
class Grade:
    """Settings of `lumwick.develop.view.develop`; the defaults change nothing.

    Attributes
    ----------
    tint : float
        Shift of the white across the daylight locus, in thousandths of CIE 1960 u v; positive takes green out.
    contrast, saturation : float
        1 is neutral.
    lift, gamma, gain : float
        On the grading curve: shadows up by ``lift``, middles by ``gamma``, lights by ``gain``.
    bloom : float
        Share of the light that the lens scatters.
    vignette : float
        Loss of light [EV] in the corners.
    grain, sharpen : float
        0 is none.
    view : str
    """

    tint: float = 0.0
    contrast: float = 1.0
    saturation: float = 1.0
    lift: float = 0.0
    gamma: float = 1.0
    gain: float = 1.0
    bloom: float = 0.0
    vignette: float = 0.0
    grain: float = 0.0
    sharpen: float = 0.0
    view: str = "filmic"

    @property
    def graded(self) -> bool:
        """Whether the grading curve is left at all."""
        return (self.contrast, self.saturation, self.lift, self.gamma, self.gain) != (1.0, 1.0, 0.0, 1.0, 1.0)
