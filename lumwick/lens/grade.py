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
    curve_deep, curve_dark, curve_middle, curve_light, curve_bright : float [EV]
        What the curve adds 6 and 3 stops under middle grey, at it, and 3 and 6 stops over.
    view, screen : str
    lut : bytes or None
        A .cube file's bytes; laid over the display picture by ``lut_strength``.
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
    curve_deep: float = 0.0
    curve_dark: float = 0.0
    curve_middle: float = 0.0
    curve_light: float = 0.0
    curve_bright: float = 0.0
    lut_strength: float = 1.0
    view: str = "filmic"
    screen: str = "sRGB"
    lut: bytes | None = None

    @property
    def curve(self) -> tuple[float, ...]:
        """What the curve adds [EV], from deep to bright."""
        return (self.curve_deep, self.curve_dark, self.curve_middle, self.curve_light, self.curve_bright)

    @property
    def graded(self) -> bool:
        """Whether the grading curve is left at all."""
        return (self.contrast, self.saturation, self.lift, self.gamma, self.gain) != (1.0, 1.0, 0.0, 1.0, 1.0)
