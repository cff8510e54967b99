"""Editing keyframes: each function takes a channel and gives another; nothing is changed in place.

Keys are named by their clip times. Where a moved key lands on one that stays, the moved one takes its place.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, TypeVar

from lumwick.errors import PlaceError
from lumwick.motion.channel import (
    SAME_TIME,
    Channel,
    ColourChannel,
    ColourKey,
    Curve,
    Key,
    MomentChannel,
    MomentKey,
    Stop,
)

CurveT = TypeVar("CurveT", bound=Curve)
NEAR = 1e-4
"""A key is meant if it stands this near [s] to the time that was said (times travel as rounded numbers)."""


def channel_of(value: Any, t: float, **rules: Any) -> Curve:
    """A channel with one key, of a constant of any kind; a channel stays what it is."""
    if isinstance(value, Curve):
        return value
    if isinstance(value, str):
        return ColourChannel(keys=(ColourKey(t=t, v=value),), **rules)
    if isinstance(value, int | float):
        return Channel(keys=(Key(t=t, v=float(value)),), **rules)
    return MomentChannel(keys=(MomentKey(t=t, v=value),), **rules)


def remade(curve: CurveT, keys: Iterable[Stop], **rules: Any) -> CurveT:
    """A channel with other keys, checked.

    Raises
    ------
    ValueError
        It would not be sound.
    """
    return type(curve)(
        **{**{name: getattr(curve, name) for name in type(curve).model_fields}, "keys": tuple(keys), **rules}
    )


def key_at(curve: Curve, t: float) -> Stop | None:
    """The key that stands at a time, if there is one."""
    nearest = min(curve.keys, key=lambda key: abs(key.t - t))
    return nearest if abs(nearest.t - t) <= NEAR else None


def chosen(curve: Curve, times: Iterable[float]) -> list[Stop]:
    """The keys that stand at these times.

    Raises
    ------
    PlaceError
        One is not there any more.
    """
    found = []
    for t in times:
        key = key_at(curve, t)
        if key is None:
            raise PlaceError(f"There is no key at {t:.3f} s any more: it may have been moved.")
        found.append(key)
    return found


def set_key(curve: CurveT, t: float, value: Any, join: str | None = None) -> CurveT:
    """Set a key; one that stands there keeps its way on, a new one goes on as the key before it does."""
    here = key_at(curve, t)
    if here is not None:
        changed = here.model_copy(update={"v": value, **({"join": join} if join else {})})
        return remade(curve, [changed if key is here else key for key in curve.keys])
    before = [key for key in curve.keys if key.t < t]
    like = before[-1] if before else curve.keys[0]
    new = like.model_copy(
        update={"t": t, "v": value, "join": join or ("cubic_both" if like.join == "free" else like.join)}
    )
    return remade(curve, [*curve.keys, new])


def moved(
    curve: CurveT, times: Iterable[float], to: Callable[[float], float], value: Callable[[Any], Any] | None = None
) -> tuple[CurveT, int]:
    """The channel with some keys moved, and how many that stood in their way were replaced.

    Parameters
    ----------
    to : callable
        New time of a time [s].
    value : callable
        New value of a value.

    Raises
    ------
    PlaceError
        Two of the moved keys would stand at one time.
    """
    movers: list[Any] = list(chosen(curve, times))
    landed = [
        key.model_copy(update={"t": round(to(key.t), 9), **({"v": value(key.v)} if value else {})}) for key in movers
    ]
    for a, b in zip(sorted(k.t for k in landed), sorted(k.t for k in landed)[1:], strict=False):
        if b - a < SAME_TIME:
            raise PlaceError(f"Two keys would stand at the same time, {a:.3f} s: squeeze them less.")
    kept = [key for key in curve.keys if key not in movers]
    free = [key for key in kept if all(abs(key.t - new.t) > NEAR for new in landed)]
    return remade(curve, [*free, *landed]), len(kept) - len(free)


def shifted(curve: CurveT, times: Iterable[float], by: float, rise: float = 0.0) -> tuple[CurveT, int]:
    """Keys moved in time [s], and numbers in value too."""
    return moved(curve, times, lambda t: t + by, (lambda v: v + rise) if rise and isinstance(curve, Channel) else None)


def stretched(curve: CurveT, times: Iterable[float], about: float, by: float) -> tuple[CurveT, int]:
    """Keys spread about a time (slower, ``by`` over 1) or drawn together (faster).

    Raises
    ------
    PlaceError
        The factor is not above 0.
    """
    if not by > 0:
        raise PlaceError("A stretch is a factor above 0: 2 makes it twice as slow, 0.5 twice as fast.")
    return moved(curve, times, lambda t: about + (t - about) * by)


def mirrored(curve: CurveT, times: Iterable[float], about: float | None = None) -> tuple[CurveT, int]:
    """Keys turned round in time, about the middle of their span unless another time is said; the ways between them
    turn with them."""
    movers = sorted(chosen(curve, times), key=lambda key: key.t)
    pivot = (movers[0].t + movers[-1].t) / 2 if about is None else about
    turned = []
    for i, key in enumerate(movers):  # the way from a to b becomes the way from b to a: it belongs to b
        way = movers[i - 1] if i else movers[-1]
        turned.append(key.model_copy(update={"t": round(2 * pivot - key.t, 9), **_turned_way(way)}))
    kept = [key for key in curve.keys if key not in movers]
    free = [key for key in kept if all(abs(key.t - new.t) > NEAR for new in turned)]
    return remade(curve, [*free, *turned]), len(kept) - len(free)


def _turned_way(key: Stop) -> dict[str, Any]:
    """How a key's way to the next looks when it is run backwards."""
    x1, y1, x2, y2 = key.bezier
    h1, d1, h2, d2 = key.handles
    other = {"in": "out", "out": "in"}
    family, _, side = key.join.partition("_")
    return {
        "join": f"{family}_{other.get(side, side)}" if side else key.join,
        "bezier": (1 - x2, 1 - y2, 1 - x1, 1 - y1),
        "handles": (1 - h2, d2, 1 - h1, d1),
        "steps": key.steps,
        "jump": {"start": "end", "end": "start"}.get(key.jump, key.jump),
    }


def removed(curve: CurveT, times: Iterable[float]) -> CurveT | None:
    """The channel without some keys; None if none is left."""
    gone = chosen(curve, times)
    kept = [key for key in curve.keys if key not in gone]
    return remade(curve, kept) if kept else None


def joined(curve: CurveT, times: Iterable[float], **way: Any) -> CurveT:
    """Keys with another way on: ``join``, and ``bezier``, ``handles``, ``steps`` or ``jump`` with it.

    Raises
    ------
    PlaceError
        Free handles on what is no number.
    """
    if way.get("join") == "free" and not isinstance(curve, Channel):
        raise PlaceError("Free handles stand at values, and only numbers have them: choose an easing instead.")
    wanted = chosen(curve, times)
    return remade(curve, [type(key)(**{**key.model_dump(), **way}) if key in wanted else key for key in curve.keys])


def copied(source: Curve, times: Iterable[float], onto: CurveT, at: float) -> tuple[CurveT, int]:
    """Keys of one channel set into another of the same kind, the first of them at a time [s].

    Raises
    ------
    PlaceError
        The kinds differ.
    """
    if type(source) is not type(onto):
        raise PlaceError("These keys are of another kind: numbers go to numbers, colours to colours, dates to dates.")
    some = sorted(chosen(source, times), key=lambda key: key.t)
    landed = [key.model_copy(update={"t": round(at + key.t - some[0].t, 9)}) for key in some]
    free = [key for key in onto.keys if all(abs(key.t - new.t) > NEAR for new in landed)]
    return remade(onto, [*free, *landed]), len(onto.keys) - len(free)


def retimed(curve: CurveT, to: Callable[[float], float]) -> CurveT:
    """All keys at other times."""
    return moved(curve, [key.t for key in curve.keys], to)[0]


def nearest_turn(typed: float, near: float) -> float:
    """The angle that points where ``typed`` does and is reached from ``near`` by the shorter turn; a typed angle
    outside 0 to 360 means itself."""
    if not 0 <= typed <= 360:
        return typed
    way = (typed - near + 180.0) % 360.0 - 180.0
    return round(near + (180.0 if way == -180.0 else way), 9)
