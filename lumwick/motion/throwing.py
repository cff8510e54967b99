"""A throw as ordinary keys: flights, bounces, and the roll until it lies.

A flight under gravity alone is a parabola, and a cubic Bezier whose handles stand at thirds of its time is one
exactly; a body that is slowed evenly goes as the join ``quad_out`` does. So the keys say the motion without
approximation between them, and can be edited as any others.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field
from scipy.optimize import brentq

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Key

GRAVITY = 9.80665
"""m/s2: standard gravity, CGPM 1901."""
GRIPPED = 5.0 / 7.0
"""Of its speed along the ground what a solid ball keeps that comes without spin and leaves rolling: its moment of
inertia is 2/5 m r2, and its angular momentum about the point of contact stays (Goldstein, Classical Mechanics; any
textbook's worked example)."""
SETTLED = 0.25
"""Speed off the ground [m/s] under which it bounces no more (practice: 3 mm)."""
BOUNCES_AT_MOST = 40
EVEN = 0.001
"""Metres within which a floor is level."""
SOUGHT = 1 / 240
"""Steps [s] by which the ground is looked for."""
LONGEST = 600.0
"""Seconds after which a flight is given up."""

Floor = Callable[[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]], NDArray[np.float64]]
"""Height [m] of what lies under spots: east, north and height of shape (n,) [m]."""
REACH = 0.05
"""Metres by which a spot may be under a floor that still bears it."""


class Throw(BaseModel):
    """How something is thrown."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    speed: float = Field(6.0, title="Speed", ge=0, le=300, description="As it leaves the hand.")
    bearing: float = Field(0.0, title="Towards", ge=-360, le=360)
    rise: float = Field(35.0, title="Upwards", ge=-90, le=90, description="Over the level; below 0 downwards.")
    bounce: float = Field(0.55, title="Bounce", ge=0, le=0.95, description="Of its speed off the ground, what is left.")
    drag: float = Field(
        0.04,
        title="Rolling drag",
        ge=0.001,
        le=2,
        description="Of its weight, where it is round: a ball on turf 0.05, on boards 0.01.",
    )
    spin: float = Field(
        1.0, title="Spin", ge=-20, le=20, description="Forwards, where it is not round: how it leaves the hand."
    )
    grip: float = Field(
        0.5,
        title="Grip",
        ge=0.0,
        le=2,
        description="Of its weight, where it is not round: what holds it as it slides. Wood on stone 0.5, on ice 0.05.",
    )

    @property
    def level(self) -> NDArray[np.float64]:
        """Unit vector (3,) over the level ground in which it goes."""
        bearing = np.radians(self.bearing)
        return np.array([np.sin(bearing), np.cos(bearing), 0.0])

    @property
    def velocity(self) -> NDArray[np.float64]:
        """With which it leaves the hand (3,) [m/s]."""
        rise = np.radians(self.rise)
        return np.asarray(self.speed * (np.cos(rise) * self.level + [0.0, 0.0, np.sin(rise)]))


@dataclass(frozen=True)
class Flight:
    """A stretch of a throw, from rest to rest of its keys.

    Attributes
    ----------
    t, seconds : float [s]
    start, end : ndarray, shape (3,) [m]
        Of the point that is followed.
    velocity : ndarray, shape (3,) [m/s]
        With which it begins.
    rolls : bool
        Along the ground, slowed evenly; else it flies.
    """

    t: float
    seconds: float
    start: NDArray[np.float64]
    end: NDArray[np.float64]
    velocity: NDArray[np.float64]
    rolls: bool = False


def flights(throw: Throw, start: NDArray[np.float64], t: float, floor: Floor, foot: float) -> list[Flight]:
    """The flights and the last roll of something thrown.

    Parameters
    ----------
    start : ndarray, shape (3,) [m]
        East, north and height of the point that is followed, when it leaves the hand.
    t : float [s]
        When it does.
    foot : float [m]
        How far under that point its lowest is.

    Raises
    ------
    PlaceError
        It begins under the floor, or never comes down.
    """
    velocity = throw.velocity
    at = np.asarray(start, float)
    if at[2] - foot < _under(floor, at) - 0.05:
        raise PlaceError("It cannot be thrown from under the ground: lift it first.")
    at = at.copy()
    at[2] = max(at[2], _under(floor, at) + foot)
    out: list[Flight] = []
    for number in range(BOUNCES_AT_MOST):
        seconds, end = _flown(at, velocity, floor, foot)
        if seconds > 0:
            out.append(Flight(t, seconds, at, end, velocity))
            t += seconds
        normal = normals_of(floor, end[None])[0]
        met = velocity - [0.0, 0.0, GRAVITY * seconds]
        off = float(met @ normal)
        along = (met - off * normal) * (GRIPPED if number == 0 else 1.0)
        at, velocity = end, along - throw.bounce * off * normal
        if -throw.bounce * off < SETTLED:
            break
    rolling = np.array([velocity[0], velocity[1], 0.0])
    speed = float(np.hypot(*rolling[:2]))
    slowed = throw.drag * GRAVITY
    if speed > 0.02:
        seconds = speed / slowed
        end = at + rolling * seconds / 2
        out.append(Flight(t, seconds, at, end, rolling, True))
    if not out:
        raise PlaceError("It lies where it is: give the throw some speed, or lift it first.")
    return out


def _under(floor: Floor, at: NDArray[np.float64]) -> float:
    return float(floor(at[:1], at[1:2], at[2:] + REACH)[0])


def normals_of(floor: Floor, at: NDArray[np.float64], step: float = 0.1) -> NDArray[np.float64]:
    """Unit vectors (n, 3) upright to the floor at spots (n, 3)."""
    spots = np.repeat(at, 4, 0) + np.tile(step * np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0]]), (len(at), 1))
    h = np.asarray(floor(spots[:, 0], spots[:, 1], spots[:, 2] + REACH), float).reshape(-1, 4)
    n = np.stack([(h[:, 1] - h[:, 0]) / (2 * step), (h[:, 3] - h[:, 2]) / (2 * step), np.ones(len(at))], -1)
    # an edge is no slope: what is steeper than two to one is taken for a step, and it falls past it
    steep = ~(np.hypot(n[:, 0], n[:, 1]) <= 2)
    n[steep] = [0.0, 0.0, 1.0]
    return np.asarray(n / np.linalg.norm(n, axis=1, keepdims=True))


def _flown(
    at: NDArray[np.float64], velocity: NDArray[np.float64], floor: Floor, foot: float
) -> tuple[float, NDArray[np.float64]]:
    """How long something flies until it meets the floor [s], and where it is then (3,) [m]."""

    def where(s: NDArray[np.float64]) -> NDArray[np.float64]:
        fallen = np.stack([0 * s, 0 * s, -GRAVITY / 2 * s * s], -1)
        return np.asarray(at + velocity * s[:, None] + fallen)

    def over(s: NDArray[np.float64]) -> NDArray[np.float64]:
        p = where(s)
        # from a step higher, so that it falls through no thin board
        reach = REACH + SOUGHT * np.abs(velocity[2] - GRAVITY * s)
        return np.asarray(p[:, 2] - foot - floor(p[:, 0], p[:, 1], p[:, 2] - foot + reach))

    begin = 0.0
    while begin < LONGEST:
        s = (begin + SOUGHT * np.arange(1, 2401)).astype(np.float64)
        under = np.flatnonzero(over(s) < 0)
        if len(under):
            k = int(under[0])
            low = s[k] - SOUGHT
            height = float(over(np.array([low]))[0])
            # what starts on the floor and is driven into it does not fly at all
            meets = low if height <= 1e-9 else brentq(lambda v: float(over(np.array([v]))[0]), low, s[k], xtol=1e-10)
            return float(meets), where(np.array([meets]))[0]
        begin = float(s[-1])
    raise PlaceError("It never comes down on anything: throw it over ground.")


def thrown(throw: Throw, start: NDArray[np.float64], t: float, floor: Floor, foot: float) -> dict[str, Channel]:
    """East, north and height of something thrown, as channels (`flights`).

    Raises
    ------
    PlaceError
    """
    made = flights(throw, start, t, floor, foot)
    keys: dict[str, list[Key]] = {"east": [], "north": [], "up": []}
    for one in made:
        gone = GRAVITY * one.seconds
        for axis, name in enumerate(keys):
            first = {"t": round(one.t, 6), "v": round(float(one.start[axis]), 6)}
            if one.rolls:
                keys[name].append(Key(**first, join="quad_out"))
            elif name != "up":
                keys[name].append(Key(**first, join="straight"))
            else:
                # the first handle from this key's value, the second from the next key's
                rising, falling = float(one.velocity[2]), float(one.velocity[2]) - gone
                third = one.seconds / 3
                keys[name].append(Key(**first, join="free", handles=(1 / 3, rising * third, 2 / 3, -falling * third)))
    last = made[-1]
    for axis, name in enumerate(keys):
        keys[name].append(Key(t=round(last.t + last.seconds, 6), v=round(float(last.end[axis]), 6), join="straight"))
    if last.rolls:
        keys["up"] = _on_the_floor(keys["up"], last, floor, foot)
    return {name: Channel(keys=tuple(some)) for name, some in keys.items()}


def _on_the_floor(keys: list[Key], roll: Flight, floor: Floor, foot: float, steps: int = 12) -> list[Key]:
    """The heights of a roll: those of the floor under it, at even steps of its way."""
    share = np.arange(1, steps + 1) / steps
    away = 1 - np.sqrt(1 - share)  # when it has gone so much of its way, slowed evenly
    p = roll.start + (roll.end - roll.start) * share[:, None]
    heights = np.asarray(floor(p[:, 0], p[:, 1], p[:, 2] - foot + 10 * REACH), float) + foot
    if np.ptp([keys[-2].v, *heights]) < EVEN:
        return keys
    first = keys[-2].model_copy(update={"join": "straight"})
    later = [
        Key(t=round(roll.t + roll.seconds * float(a), 6), v=round(float(h), 6), join="straight")
        for a, h in zip(away, heights, strict=True)
    ]
    return [*keys[:-2], first, *later]
