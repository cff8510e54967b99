"""How a picture is traced."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Limit:
    """How far a path is followed.

    Attributes
    ----------
    bounces, reflections, transmissions : int
        Off matt surfaces, off glossy ones and water, and through clear things.
    flat : bool
        Only which things are where, for mattes.
    """

    bounces: int = 1
    reflections: int = 4
    transmissions: int = 8
    flat: bool = False


@dataclass(frozen=True)
class Quality:
    """How a picture is traced.

    Attributes
    ----------
    samples : int
        A pixel, in the mean.
    bounces, reflections, transmissions : int
        Off matt surfaces, off glossy ones and water, and through clear things.
    denoise : str
        fast, balanced, high, or none.
    moments : int
        At how many moments of the open shutter things are drawn, where they move so far that two would be seen
        (`lumwick.trace.moments`; the camera moves through all of it).
    noise : float
        Where a pixel's relative error is under this it gets no more samples; 0 gives every pixel the same.
    even : float
        Share of the samples that every pixel gets; the rest goes where noise is. Where a noisy sample costs six times
        a clean one, as leaves do over sky, evenly comes nearer the truth (docs/decisions/0025).
    most : int
        Samples that no pixel exceeds, whatever its noise.
    vary : bool
        Whether each frame has noise of its own; else all frames share it, so that it does not crawl.
    flat : bool
        Only which things are where, for mattes.
    """

    samples: int
    bounces: int
    denoise: str
    moments: int = 1
    reflections: int = 4
    transmissions: int = 8
    noise: float = 0.0
    even: float = 0.5
    most: int = 0
    vary: bool = False
    flat: bool = False

    @property
    def limit(self) -> Limit:
        return Limit(self.bounces, self.reflections, self.transmissions, self.flat)


REHEARSAL = "rehearsal"
"""The quality of what is made to be played at once: everything moves in it as in a take."""
QUALITIES = {
    REHEARSAL: Quality(1, 1, "fast", reflections=2, transmissions=3),
    "sketch": Quality(4, 1, "balanced"),
    "study": Quality(16, 1, "high", 6, noise=0.02, even=1.0, most=48),
    "fine": Quality(64, 2, "high", 10, noise=0.01, even=0.75, most=192),
    "matte": Quality(32, 0, "none", 6, flat=True),
}
