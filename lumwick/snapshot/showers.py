"""What falls at an instant of a place, and what has fallen before: how wet and how white it is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumwick.air.clouds import drifted
from lumwick.air.falling import Kind, covered, kinds_of, soaked, veil
from lumwick.place.document import Shot
from lumwick.place.instant import Motions
from lumwick.place.nature import Air, FogBank, Wind

Floats = NDArray[np.float64]
HISTORY = 240
"""Steps at most in which what fell since a shot's start is added up."""
SNOW_WATER = 1.0
"""Millimetres of water in a centimetre of fresh snow (handbooks: a tenth)."""
DRIFTERS: dict[str, tuple[float, float, float, float, str]] = {
    # radius [m], fall [m/s], sway [m], opacity, colour
    "seeds": (0.006, 0.25, 0.25, 0.55, "#f2efe4"),
    "leaves": (0.022, 0.9, 0.35, 1.0, "#a9702f"),
    "petals": (0.009, 0.6, 0.3, 1.0, "#f3d3da"),
    "dust": (0.0012, 0.02, 0.1, 0.6, "#d9cfbd"),
    "midges": (0.0014, 0.0, 0.3, 0.9, "#191715"),
}
"""What the wind carries (practice)."""
STEEP = 0.5
"""Metres that rain and snow go sideways for a metre down where something shelters from them, at most: near things the
wind is less (practice)."""
NEAR_GROUND = 0.65
"""Wind where one films against that at 10 m (practice)."""


@dataclass(frozen=True)
class Showers:
    """What falls, and what it has left.

    Attributes
    ----------
    rain, snow : float [mm/h]
    wet, white : float
        How wet open surfaces are, and how much of what faces up is under snow, 0 to 1.
    kinds : tuple of Kind
    slants : tuple of (float, float)
        Metres east and north that each goes for a metre down.
    colour : str
        Of what drifts.
    streaks : float
        How plain drops are made, against how they are.
    veil : float [1/m]
        Light that what falls takes.
    shafts : bool
    seed : int
    """

    rain: float = 0.0
    snow: float = 0.0
    wet: float = 0.0
    white: float = 0.0
    kinds: tuple[Kind, ...] = ()
    slants: tuple[tuple[float, float], ...] = ()
    colour: str = "#ffffff"
    streaks: float = 1.0
    veil: float = 0.0
    shafts: bool = True
    seed: int = 1

    @property
    def slant(self) -> tuple[float, float]:
        """Of what wets and whitens."""
        if not self.slants:
            return (0.0, 0.0)
        east, north = self.slants[0]
        much = max(1.0, float(np.hypot(east, north)) / STEEP)
        return (east / much, north / much)


def showers_of(air: Air, wind: Wind, motions: Motions, shot: Shot, t: float, north: float) -> Showers:
    """The weather at clip time ``t`` [s].

    Parameters
    ----------
    air, wind : Air, Wind
        With constants alone.
    north : float [degrees]
        From true north to the model's.
    """
    rain, snow = float(air.rain), float(air.snowing)
    kinds = kinds_of(rain, snow)
    blows = NEAR_GROUND * float(wind.speed)
    toward = np.radians(float(wind.from_bearing) + 180.0 + north)
    many = float(air.drifting_many)
    if air.drifting != "nothing" and many > 0:
        radius, fall, sway, covers, _ = DRIFTERS[air.drifting]
        reach = float(np.clip(radius * 1500, 3.0, 28.0))
        kinds.append(Kind(many, radius, max(fall, 0.02), sway, covers, reach, 2))
    slants = []
    for kind in kinds:
        lean = min(blows / kind.speed, 6.0)
        slants.append((float(lean * np.sin(toward)), float(lean * np.cos(toward))))
    wet, white = _left(air, motions, shot, t)
    colour = DRIFTERS[air.drifting][4] if air.drifting != "nothing" else "#ffffff"
    taken, seed = veil(rain, snow), air.low.seed
    return Showers(rain, snow, wet, white, tuple(kinds), tuple(slants), colour, air.streaks, taken, air.shafts, seed)


def _left(air: Air, motions: Motions, shot: Shot, t: float) -> tuple[float, float]:
    """How wet and how white it is, by all that fell since the shot began: before that the same rain fell for ever. A
    clip that closes is as wet at its end as at its start, and its snow lies as it did there."""
    base, keyed = f"/shots/{shot.id}/air" if shot.air is not None else "/air", {m.path for m in motions.movers}
    pace = max(abs(shot.clock.speed), 1.0)

    def fell(name: str, now: float, times: Floats) -> Floats:
        path = f"{base}/{name}"
        return np.maximum(motions.value(path, times), 0.0) if path in keyed else np.full(times.shape, now)

    def over(end: float) -> Floats:
        steps = HISTORY if {f"{base}/rain", f"{base}/snowing"} & keyed else 2
        return np.linspace(0.0, max(end, 0.0), steps)

    times, loop, dries = over(t), shot.closes_over, air.dries * 60.0
    wet = {"wet": 1.0, "dry": 0.0}.get(air.wetted)
    if wet is None:
        before = None
        if loop and f"{base}/rain" in keyed:
            whole = over(loop)
            rain = fell("rain", float(air.rain), whole)
            from_dry, from_wet = (float(soaked(pace * whole, rain, dries, one)[-1]) for one in (0.0, 1.0))
            before = from_dry / (1 - (from_wet - from_dry))  # what comes out as it went in
        wet = float(soaked(pace * times, fell("rain", float(air.rain), times), dries, before)[-1])
    lay = float(air.lying) * SNOW_WATER
    snow = np.zeros(times.shape) if loop else fell("snowing", float(air.snowing), times)
    return wet, float(covered(pace * times, snow, lay)[-1])


@dataclass(frozen=True)
class Bank:
    """A bank of fog at an instant, with constants alone, and how far its lumps have drifted: of two sets, east and
    north [m], with the share of the first, and how far they have turned into others."""

    bank: FogBank
    offset: tuple[tuple[float, float], tuple[float, float]]
    share: float
    turned: float


def banks_of(banks: list[FogBank], wind: Wind, t: float, loop: float | None, north: float) -> tuple[Bank, ...]:
    """Banks of fog at clip time ``t`` [s]; those that are gone are left out."""
    out = []
    for one in banks:
        if float(one.amount) <= 0.001:
            continue
        offset, share = drifted(one.drift * float(wind.speed), float(wind.from_bearing) + 180.0 + north, t, loop)
        out.append(Bank(one, offset, share, 0.0 if loop else t / one.life))
    return tuple(out)
