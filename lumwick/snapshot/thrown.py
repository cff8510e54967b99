"""A thing of a place thrown from where it is: the edit that keys its flight and bounces, and its roll, or its tumbling
and sliding if it is not round."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumwick.built.floors import model_of, walkable_of
from lumwick.built.meshes import Mesh
from lumwick.errors import PlaceError
from lumwick.motion.channel import SAME_TIME, Channel, Curve
from lumwick.motion.throwing import Floor, Throw, thrown
from lumwick.motion.tumbling import body_of, tumbled
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import WALKED_COPIES, Setting

Floats = NDArray[np.float64]
ROUND = 0.05
"""Share by which a ball's sides may differ."""
OF_A_BALL = ("drag",)
OF_OTHERS = ("spin", "grip")
"""What a throw says of what is round alone, and of what is not."""


def is_round(mesh: Mesh) -> bool:
    """Whether a model rolls as a ball does: all its sides alike, and its corners no further out."""
    low, high = mesh.bounds
    sides = high - low
    if sides.max() - sides.min() >= ROUND * sides.max():
        return False
    furthest = max(float(np.linalg.norm(part.vertices - (low + high) / 2, axis=1).max()) for part in mesh.parts)
    return furthest < (1 + ROUND) * float(sides.max()) / 2


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
    scale = float(standing.values(thing, "things", "scale", now)[0])
    frame = standing.frames(thing, now)[0]
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

    ball = is_round(mesh)
    if ball:
        keyed = _rolled(mesh, scale, frame, throw, t, floor)
    else:
        vertices = np.concatenate([part.vertices for part in mesh.parts]).astype(float) * scale
        body, turned = body_of(vertices), frame[:3, :3]
        at = frame[:3, 3] + turned @ body.centre
        keyed = tumbled(throw, body, at, turned, t, floor, setting.place.site.north_turn)
    document = next(x for x in setting.place.things if x.id == thing_id)
    for name, curve in keyed.items():
        keyed[name] = _after(getattr(document, name), curve, t)
    sets: list[dict[str, Any]] = [
        {"op": "set", "path": f"/things/{thing_id}/{name}", "value": curve.model_dump(mode="json")}
        for name, curve in keyed.items()
    ]
    if thing.rolls != ball:
        sets.append({"op": "set", "path": f"/things/{thing_id}/rolls", "value": ball})
    return {"op": "several", "edits": sets, "label": f"threw {thing.name}"}


def _rolled(mesh: Mesh, scale: float, frame: Floats, throw: Throw, t: float, floor: Floor) -> dict[str, Channel]:
    """Keys of a ball, by its middle; its height by its own zero."""
    low, high = mesh.bounds
    middle = (low + high) / 2 * scale
    at, foot = frame[:3, :3] @ middle + frame[:3, 3], float(high[2] - low[2]) / 2 * scale
    keyed = thrown(throw, at, t, floor, foot)
    keys = tuple(k.model_copy(update={"v": round(k.v - float(middle[2]), 6)}) for k in keyed["up"].keys)
    return {**keyed, "up": keyed["up"].model_copy(update={"keys": keys})}


def _after(before: float | Curve, curve: Channel, t: float) -> Channel:
    """A channel with what was keyed before it."""
    earlier = [k for k in before.keys if k.t < t - SAME_TIME] if isinstance(before, Channel) else []
    return curve.model_copy(update={"keys": (*earlier, *curve.keys)})
