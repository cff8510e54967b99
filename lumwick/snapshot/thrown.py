"""A thing of a place thrown from where it is: the edit that keys its flight, its bounces and its roll."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.floors import model_of, walkable_of
from lumwick.errors import PlaceError
from lumwick.motion.channel import SAME_TIME, Channel, Curve
from lumwick.motion.throwing import Throw, thrown
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import WALKED_COPIES, Setting

ROUND = 0.05
"""Share by which a ball's sides may differ."""


def throw_edit(setting: Setting, shot: Shot, thing_id: str, throw: Throw, t: float) -> dict[str, Any]:
    """The edit that throws a thing at a clip time [s] of a shot; what is round rolls as it bounces and comes to rest.

    Raises
    ------
    PlaceError
        It is gone, carried, or cannot be thrown from where it is.
    """
    standing = setting.standing(shot, t)
    thing = next((x for x in standing.place.things if x.id == thing_id), None)
    if thing is None:
        raise PlaceError("That model is not there any more.")
    if thing.held:
        raise PlaceError(f"{thing.name} is carried: set it down first, then throw it.")
    now = np.array([t])
    mesh = model_of(setting.read, thing)
    low, high = mesh.bounds
    sides = high - low
    is_round = bool(sides.max() - sides.min() < ROUND * sides.max())
    scale = float(standing.values(thing, "things", "scale", now)[0])
    frame = standing.frames(thing, now)[0]
    middle = (low + high) / 2 * scale
    corners = np.stack(np.meshgrid(*np.stack([low, high], 1) * scale, indexing="ij"), -1).reshape(-1, 3)
    if is_round:
        at, foot = frame[:3, :3] @ middle + frame[:3, 3], float(sides[2]) / 2 * scale
    else:
        at, foot = frame[:3, 3], -float((corners @ frame[:3, :3].T)[:, 2].min())
    still = setting.still(shot, t)
    others = [
        walkable_of(model_of(setting.read, other), one)
        for other, placed in setting.stood(shot, t)
        if other.id != thing_id
        for one in placed[:WALKED_COPIES]
    ]

    def floor(x: NDArray[np.float64], y: NDArray[np.float64], z: NDArray[np.float64]) -> NDArray[np.float64]:
        out = np.asarray(still.floor(x, y), float)
        for model in others:
            out = np.maximum(out, model.height(x, y, z))
        return out

    keyed = thrown(throw, at, t, floor, foot)
    if is_round:  # what rolls is told by its middle, but its height by its own zero
        keyed["up"] = keyed["up"].model_copy(
            update={
                "keys": tuple(k.model_copy(update={"v": round(k.v - float(middle[2]), 6)}) for k in keyed["up"].keys)
            }
        )
    document = next(x for x in setting.place.things if x.id == thing_id)
    for name, curve in keyed.items():
        keyed[name] = _after(getattr(document, name), curve, t)
    sets: list[dict[str, Any]] = [
        {"op": "set", "path": f"/things/{thing_id}/{name}", "value": curve.model_dump(mode="json")}
        for name, curve in keyed.items()
    ]
    if is_round:
        sets.append({"op": "set", "path": f"/things/{thing_id}/rolls", "value": True})
    return {"op": "several", "edits": sets, "label": f"threw {thing.name}"}


def _after(before: float | Curve, curve: Channel, t: float) -> Channel:
    """A channel with what was keyed before it."""
    earlier = [k for k in before.keys if k.t < t - SAME_TIME] if isinstance(before, Channel) else []
    return curve.model_copy(update={"keys": (*earlier, *curve.keys)})
