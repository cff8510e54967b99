"""A place at an instant: every channel replaced by its value at a clip time.

What moves in a place is found once and laid out as one table; an instant is then one call of that table, and a
copy of the few models that hold something that moves. Whatever comes after evaluation sees plain values only.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray
from pydantic import BaseModel

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, ColourChannel, Curve, MomentChannel, colour_of, moment_of, with_terms
from lumwick.motion.table import lay_out
from lumwick.motion.terms import Follow
from lumwick.motion.tide import tide_height, tide_rises
from lumwick.place.document import Place, Shot
from lumwick.place.fields import TURNS_AT_MOST
from lumwick.place.nature import Sea, SeaNow
from lumwick.place.paths import described, find

TIDE_STEP = 0.001
"""Metres by which the tide is told: finer than is seen, so that still water is the same object for a while."""


def place_clock(shot: Shot, t: float) -> dt.datetime:
    """Date and hour of the place at a clip time."""
    moment: Any = shot.clock.start
    if isinstance(moment, Curve):
        return moment_of(moment.table.at(t)[0, 0])
    start: dt.datetime = moment
    return start + dt.timedelta(seconds=shot.clock.speed * t)


def tide_at(sea: Sea, shot: Shot, t: float) -> tuple[float, float]:
    """The tide over mean water [m], and how quickly it rises [m/s], at a clip time; high water is told on the day on
    which the shot begins."""
    midnight = dt.datetime.combine(place_clock(shot, 0.0).date(), dt.time())
    hours = (place_clock(shot, t) - midnight).total_seconds() / 3600
    told = hours, float(sea.tide_high), float(sea.tide_range)
    return round(tide_height(*told) / TIDE_STEP) * TIDE_STEP, float(f"{tide_rises(*told):.2g}")


LONGEST_CHAIN = 50
"""Values that may follow one another in a row."""


@dataclass(frozen=True)
class Mover:
    """One value that moves: where it is, what it is called, and its channel.

    Attributes
    ----------
    low, high : float
        What it never leaves: its field's range, or for a turn a thousand turns.
    row, count : int
        Its rows in the table.
    """

    path: str
    title: str
    unit: str
    curve: Curve
    low: float
    high: float
    turn: bool
    row: int
    count: int


Plan = dict[Any, Any]
"""For each field (or place in a list) that moves: a number's row, another value's mover, or the plan of what it
holds."""


def _walk(model: BaseModel, prefix: str, skip: tuple[str, ...] = ()) -> Iterator[tuple[list[Any], str, Any, Any]]:
    """Each channel in a model: the keys that lead to it, its path, its field and itself."""
    for name, info in type(model).model_fields.items():
        value = model.__dict__[name]
        if name in skip:
            continue
        if isinstance(value, Curve):
            yield [name], f"{prefix}/{name}", info, value
        elif isinstance(value, BaseModel):
            for keys, path, found, curve in _walk(value, f"{prefix}/{name}"):
                yield [name, *keys], path, found, curve
        elif isinstance(value, list):
            for i, item in enumerate(value):
                if isinstance(item, BaseModel) and hasattr(item, "id"):
                    for keys, path, found, curve in _walk(item, f"{prefix}/{name}/{item.id}"):
                        yield [name, i, *keys], path, found, curve


class Motions:
    """All that moves in a shot of a place: the shot's own values first, then the place's.

    Parameters
    ----------
    loop : float or None [s]
        Length that small motions close over; the shot's own if it is a loop.
    """

    def __init__(self, place: Place, shot: Shot) -> None:
        self.place, self.shot = place, shot
        self.loop = shot.seconds if shot.loop else None
        self.movers: list[Mover] = []
        self._plans: tuple[Plan, Plan] = ({}, {})
        self._tided: tuple[tuple[int, float, float], Sea, SeaNow] | None = None
        rows: list[tuple[Curve, NDArray[np.float64]]] = []
        hidden = ("shots", *(name for name in ("air", "wind") if getattr(shot, name) is not None))
        for plan, found in (
            (self._plans[0], _walk(shot, f"/shots/{shot.id}")),
            (self._plans[1], _walk(place, "", hidden)),
        ):
            for keys, path, info, curve in found:
                own, extra = curve.rows(), described(info)
                turn = extra.get("quantity") == "turn"
                low, high = (
                    (-TURNS_AT_MOST, TURNS_AT_MOST)
                    if turn
                    else (float(extra.get("low", -np.inf)), float(extra.get("high", np.inf)))
                )
                mover = Mover(
                    path,
                    str(info.title or keys[-1]),
                    str(extra.get("unit", "")),
                    curve,
                    low,
                    high,
                    turn,
                    len(rows),
                    len(own),
                )
                self.movers.append(mover)
                rows += own
                step = plan
                for key in keys[:-1]:
                    step = step.setdefault(key, {})
                step[keys[-1]] = mover.row if isinstance(curve, Channel) else mover
        self.table = lay_out(rows)
        # no value leaves its field's range, whatever lies over its keys
        self._low, self._high = np.full(len(rows), -np.inf), np.full(len(rows), np.inf)
        for mover in self.movers:
            if isinstance(mover.curve, Channel):
                self._low[mover.row], self._high[mover.row] = mover.low, mover.high
        self._by_path = {mover.path: mover for mover in self.movers}
        self._termed = [m for m in self.movers if isinstance(m.curve, Channel) and m.curve.terms]

    def value(self, path: str, times: ArrayLike, depth: int = 0) -> NDArray[np.float64]:
        """One number's values at clip times (n,) [s], whether it moves or not.

        Raises
        ------
        PlaceError
            There is no such number, or it follows itself.
        """
        t = np.atleast_1d(np.asarray(times, float))
        mover = self._by_path.get(path)
        if mover is None:
            held = find(self.place, path)
            number = getattr(held[0], held[1])
            if isinstance(number, bool) or not isinstance(number, int | float):
                raise PlaceError(f"{held[2].title} is no number of this shot that another value could follow.")
            return np.full(len(t), float(number))
        if depth > LONGEST_CHAIN:
            raise PlaceError(f"{mover.title} follows itself, by way of what it follows.")
        return self._complete(mover, mover.curve.table.at(t)[0], t, depth)

    def _complete(
        self, mover: Mover, value: NDArray[np.float64], t: NDArray[np.float64], depth: int = 0
    ) -> NDArray[np.float64]:
        """A keyed value with its small motions, held in its field's range."""
        if isinstance(mover.curve, Channel):
            for term in mover.curve.terms:
                if isinstance(term, Follow):
                    value = value + term.gain * (self.value(term.path, t - term.lag, depth + 1) - term.level)
                else:
                    value = with_terms(value, (term,), t, self.loop)
            value = np.clip(value, mover.low, mover.high)
        return value

    def over(self, times: ArrayLike) -> NDArray[np.float64]:
        """Values of every row at clip times (n,) [s], shape (rows, n), as numbers."""
        t = np.atleast_1d(np.asarray(times, float))
        out = self.table.at(t)
        for mover in self.movers if len(t) > 1 else self._termed:
            if isinstance(mover.curve, Channel):
                out[mover.row] = self._complete(mover, out[mover.row], t)
        return out

    def at(self, t: float) -> tuple[Place, Shot]:
        """The place and the shot at a clip time [s], with constants alone."""
        place, shot = self.place, self.shot
        if self.movers:
            values = self.over([t])[:, 0]
            numbers = np.clip(values, self._low, self._high).tolist()
            place = _patched(place, self._plans[1], numbers, values)
            shot = _patched(shot, self._plans[0], numbers, values)
        return (self._with_tide(place, t) if place.sea.present and place.sea.tide_range > 0 else place), shot

    def _with_tide(self, place: Place, t: float) -> Place:
        """A place at an instant with its tide; the same sea as the last time if it stands as high
        and runs as quickly."""
        key = (id(place.sea), *tide_at(place.sea, self.shot, t))
        if self._tided is None or self._tided[0] != key:
            sea = SeaNow.model_construct(**{**place.sea.__dict__, "tide": key[1], "rises": key[2]})
            self._tided = (key, place.sea, sea)
        return place.model_copy(update={"sea": self._tided[2]})


def plain(mover: Mover, values: NDArray[np.float64]) -> float | str | dt.datetime:
    """A mover's value, as the document writes it, from the numbers of all rows at one time."""
    if isinstance(mover.curve, ColourChannel):
        return colour_of(values[mover.row : mover.row + 3])
    if isinstance(mover.curve, MomentChannel):
        return moment_of(values[mover.row])
    return min(max(float(values[mover.row]), mover.low), mover.high)


def _patched(old: Any, plan: Plan, numbers: list[float], values: NDArray[np.float64]) -> Any:
    """A copy with what the plan names replaced; everything else is shared."""
    if not plan:
        return old
    if isinstance(old, list):
        new = list(old)
        for i, part in plan.items():
            new[i] = _patched(old[i], part, numbers, values)
        return new
    fields = dict(old.__dict__)
    for name, part in plan.items():
        if type(part) is int:
            fields[name] = numbers[part]
        else:
            fields[name] = (
                plain(part, values) if isinstance(part, Mover) else _patched(fields[name], part, numbers, values)
            )
    copy = object.__new__(type(old))  # what pydantic's own copy does, without asking each time what there is to copy
    for slot, value in (
        ("__dict__", fields),
        ("__pydantic_fields_set__", old.__pydantic_fields_set__),
        ("__pydantic_extra__", None),
        ("__pydantic_private__", None),
    ):
        object.__setattr__(copy, slot, value)
    return copy


def check_following(place: Place) -> None:
    """Refuse values that follow what is not there, or one another in a ring.

    Raises
    ------
    PlaceError
    """
    if not any(
        isinstance(curve, Channel) and any(isinstance(term, Follow) for term in curve.terms)
        for _, _, _, curve in _walk(place, "")
    ):
        return
    for shot in place.shots:
        motions = Motions(place, shot)
        for mover in motions.movers:
            if isinstance(mover.curve, Channel) and any(isinstance(term, Follow) for term in mover.curve.terms):
                motions.value(mover.path, [0.0])
