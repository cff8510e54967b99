"""Lamps: from lumens, candelas and kelvins to light.

References
----------
CIE S 017 (international lighting vocabulary): a point source of one intensity I sends out 4 pi I; a spot whose
edge falls off between two angles what its solid angle says; a flat lamp that obeys Lambert's law sends out
pi times its luminance times its area.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lumwick.built.gobos import moves
from lumwick.errors import PlaceError
from lumwick.lens.camera import direction_of
from lumwick.lens.colour import temperature_rgb
from lumwick.place.fields import Asset
from lumwick.place.objects import Gobo, Lamp

SMALLEST_AREA = 1e-8


@dataclass(frozen=True)
class LampLight:
    """A lamp at an instant.

    Attributes
    ----------
    kind : str
        point, spot, rectangle, disc, line, parallel or window.
    position : ndarray, shape (3,) [m]
    direction : ndarray, shape (3,)
        Unit vector in which it shines.
    amount : float
        In ``unit``.
    unit : str
        lm or cd: all of its light, or its intensity straight ahead.
    kelvin : float
    inner, outer : float [degrees]
        Of a spot: half angles at which its edge starts to fall off and is dark.
    width, height : float [m]
        Of a rectangle; ``width`` is a disc's diameter.
    turn : float [degrees]
        Of a rectangle about its way.
    source : float [m]
        Diameter of a spot's shining part.
    gobo : Gobo or None
        What a spot's light is thrown through.
    t, loop : float, float or None [s]
        When, and the length over which it closes, if the gobo moves by itself.
    spread : float [degrees]
        How wide parallel light's source is seen.
    distribution : Asset or None
        An IES file that says how much light goes where.
    top : ndarray, shape (3,)
        Unit vector upright to its way: where a distribution's angles about it start.
    """

    id: str
    name: str
    kind: str
    position: NDArray[np.float64]
    direction: NDArray[np.float64]
    amount: float
    unit: str = "lm"
    kelvin: float = 2700.0
    inner: float = 20.0
    outer: float = 30.0
    width: float = 0.3
    height: float = 0.3
    turn: float = 0.0
    source: float = 0.0
    gobo: Gobo | None = None
    t: float = 0.0
    loop: float | None = None
    spread: float = 0.53
    distribution: Asset | None = None
    top: NDArray[np.float64] = field(default_factory=lambda: np.array([0.0, 0.0, 1.0]))

    def across(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Unit vectors across a lamp's way, turned about it, such that a x b points its way."""
        up = np.array([0.0, 0.0, 1.0]) if abs(self.direction[2]) < 0.999 else np.array([0.0, 1.0, 0.0])
        a = np.cross(up, self.direction)
        a /= np.linalg.norm(a)
        b = np.cross(self.direction, a)
        c, s = np.cos(np.radians(self.turn)), np.sin(np.radians(self.turn))
        return c * a + s * b, c * b - s * a

    def sides(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Half sides of a flat lamp [m], such that a x b points its way."""
        a, b = self.across()
        high = self.width if self.kind == "disc" else self.height
        return a * self.width / 2, b * high / 2

    @property
    def area(self) -> float:
        """Area [m2] of a flat lamp or a line's tube."""
        if self.kind == "line":
            return float(np.pi * self.width * self.height)
        return float(np.pi * self.width**2 / 4) if self.kind == "disc" else self.width * self.height

    def spot_angle(self) -> float:
        """Solid angle [sr] by which a spot's intensity straight ahead makes its lumens.

        The edge falls off as 3 s^2 - 2 s^3 of the cosine, whose mean is a half.
        """
        c1, c2 = np.cos(np.radians(min(self.inner, self.outer))), np.cos(np.radians(self.outer))
        return float(2 * np.pi * (1 - (c1 + c2) / 2))

    def intensity(self) -> float:
        """Straight ahead [cd]."""
        if self.unit == "cd":
            return self.amount
        if self.distribution is not None:
            return self.amount / (4 * np.pi)
        return self.amount / {"point": 4 * np.pi, "spot": max(self.spot_angle(), 1e-9)}.get(self.kind, np.pi)

    def light(self) -> NDArray[np.float64]:
        """Intensity [cd] of points and spots, luminance [cd/m2] of flat lamps and lines, illuminance [lx] of parallel
        light; linear Rec.709.

        Raises
        ------
        PlaceError
            A flat lamp without an area.
        """
        colour = temperature_rgb(self.kelvin)
        if self.kind in ("point", "spot"):
            return self.intensity() * colour
        if self.kind == "parallel":
            return self.amount * colour
        if self.area < SMALLEST_AREA:
            raise PlaceError(
                f"The lamp {self.name} has no area: give it a "
                f"width{' and a length' if self.kind != 'disc' else ''}, or "
                "make it a point."
            )
        if self.kind == "line" and self.unit == "cd":  # seen from the side, it is as wide as its tube
            return self.amount / (self.width * self.height) * colour
        return self.intensity() / self.area * colour


def dusk_share(sun: float, below: float) -> float:
    """Share of its light that a lamp gives that comes on at dusk: half when the sun [degrees] is as high as said.

    It comes up over one degree, as the lamps of a street do one after the other (practice).
    """
    s = float(np.clip(below + 0.5 - sun, 0.0, 1.0))
    return s * s * (3 - 2 * s)


def lamp_at(
    lamp: Lamp,
    north_turn: float = 0.0,
    t: float = 0.0,
    loop: float | None = None,
    share: float = 1.0,
    pose: tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]] | None = None,
) -> LampLight:
    """The light of a lamp at its instant, of clip time ``t`` [s].

    Parameters
    ----------
    share : float
        Of its own light, by its group and the hour.
    pose : tuple of ndarray, shape (3,)
        Where it is, where it shines to and what is up to it, if it is carried or turns.
    """
    runs = lamp.kind == "spot" and lamp.gobo is not None and moves(lamp.gobo)
    if pose is None:
        bearing = lamp.bearing + north_turn
        pose = (
            np.array([lamp.east, lamp.north, lamp.up]),
            direction_of(bearing, lamp.pitch),
            direction_of(bearing, lamp.pitch + 90),
        )
    return LampLight(
        lamp.id,
        lamp.name,
        lamp.kind,
        *pose[:2],
        lamp.amount * share,
        lamp.unit,
        lamp.kelvin,
        lamp.inner,
        lamp.outer,
        lamp.width,
        lamp.height,
        source=lamp.source,
        gobo=lamp.gobo if lamp.kind == "spot" else None,
        t=t if runs else 0.0,
        loop=loop if runs else None,
        spread=lamp.spread,
        distribution=lamp.distribution if lamp.kind == "point" else None,
        top=pose[2],
    )
