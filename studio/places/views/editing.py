"""Edits: made on a stated revision, typed, dragged or stored from the look."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from pydantic import ValidationError

from lumwick.built.floors import model_of
from lumwick.built.gltf_out import glb_of
from lumwick.built.reduced import moves_by_itself, reduced, triangles_of
from lumwick.errors import LumwickError, PlaceError
from lumwick.lens.lens import Lens
from lumwick.motion.channel import Channel, Curve
from lumwick.motion.throwing import Throw
from lumwick.motion.timebase import RATES
from lumwick.place.describe import typed
from lumwick.place.document import Place as Document
from lumwick.place.document import Shot
from lumwick.place.edits import apply, fresh_id
from lumwick.place.edits import command as command_of
from lumwick.place.fields import least
from lumwick.place.files import asset_of, explain
from lumwick.place.instant import place_clock
from lumwick.place.objects import Lamp, Thing
from lumwick.place.paths import find
from lumwick.route.camera_path import station_from
from lumwick.snapshot.sowing import sow_edit
from lumwick.snapshot.thrown import throw_edit
from lumwick.snapshot.transforms import kept_where_it_is, moving_of
from lumwick.snapshot.waters import beds_of
from lumwick.water.stream import fall_line
from studio.looks.engine import ENGINE_OF_LOOKS
from studio.looks.settings import revision_setting
from studio.places.models import AssetFile, Place, StaleRevision
from studio.places.request_bodies import Edit, Typed, Unreadable, read
from studio.places.views.owned import newest, place_view
from studio.places.views.workspace import shot_of, state_of


@place_view("POST")
def edit(request: HttpRequest, place: Place) -> HttpResponse:
    """One edit, undo, redo or restore, made on a stated revision."""
    asked = read(request, Edit)
    way = next((act for name, act in _WAYS.items() if getattr(asked, name) is not None), None)
    if way is None:
        raise Unreadable("This edit does not say what to do.")
    try:
        question = way(place, asked)
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale), "state": state_of(newest(place), asked.shot)}, status=409)
    return JsonResponse(state_of(newest(place), asked.shot) if question is None else question)


Question = dict[str, Any] | None
"""What is asked back before anything is changed; nothing if the edit was made."""


def _move(place: Place, asked: Edit) -> Question:
    {"undo": place.undo, "redo": place.redo}[str(asked.move)](asked.rev)
    return None


def _restore(place: Place, asked: Edit) -> Question:
    assert asked.restore is not None
    place.restore(asked.rev, asked.restore)
    return None


def _type_key(place: Place, asked: Edit) -> Question:
    """The value of a key, typed."""
    assert place.head is not None and asked.typed_key is not None
    path, t = asked.typed_key.path, asked.typed_key.t
    value = typed(revision_setting(place.head.pk).place, path, asked.typed_key.text)
    place.edit(asked.rev, {"op": "place_key", "path": path, "t": t, "to": t, "value": value})
    return None


def _type(place: Place, asked: Edit) -> Question:
    """A field's value, typed."""
    assert place.head is not None and asked.typed is not None
    document, shot = revision_setting(place.head.pk).place, shot_of(place, asked.shot)
    value = typed(document, asked.typed.path, asked.typed.text, place_clock(shot, asked.typed.t))
    if asked.typed.path.endswith("/held"):
        place.edit(asked.rev, _carried(place, asked.typed, shot, value))
        return None
    found = _typed_edit(document, shot, asked.typed, value)
    if "ask" in found:
        return found
    _keep_waters_whole(place, found)
    place.edit(asked.rev, found)
    return None


def _keep_waters_whole(place: Place, data: dict[str, Any]) -> None:
    """Refuse an edit after which a water could not lie where it is drawn.

    Raises
    ------
    PlaceError
        Says what is wrong with it.
    """
    if "waters" not in (data.get("to"), *str(data.get("path", "")).split("/")):
        return
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    assert setting.survey is not None
    after, _ = apply(setting.place, command_of(data))
    before = {bed.trouble for bed in setting.beds()} if setting.place.waters else set()
    for bed in beds_of(setting.survey, after.waters)[1]:
        if bed.trouble and bed.trouble not in before:
            raise PlaceError(bed.trouble)


def _carried(place: Place, said: Typed, shot: Shot, held: str) -> dict[str, Any]:
    """The edit that gives a model or a lamp another carrier, and leaves it where it is at the playhead."""
    assert place.head is not None
    standing = revision_setting(place.head.pk).standing(shot, said.t)
    base = said.path.removesuffix("/held")
    item, _, _ = find(standing.place, said.path)
    item_now, _, _ = find(revision_setting(place.head.pk).place, said.path)
    others: list[Thing | Lamp] = [*standing.place.things, *standing.place.lamps]
    carries = next((x.name for x in others if x.id == held), held)
    sets: list[dict[str, Any]] = [{"op": "set", "path": said.path, "value": held}]
    with suppress(LumwickError):  # a ring or a way that cannot be gone is told by the edit itself
        for name, value in kept_where_it_is(standing, item, held).items():
            if not isinstance(getattr(item_now, name), Curve):
                sets.append({"op": "set", "path": f"{base}/{name}", "value": value})
    words = f"{item.name} carried by {carries}" if held else f"{item.name} set down"
    return {"op": "several", "edits": sets, "label": words}


def _command(place: Place, asked: Edit) -> Question:
    """A command as the core knows it, or one that leaves to us where the look is."""
    command = dict(asked.command or {})
    op = command.get("op")
    try:
        if op in _COMPLETED:
            command = _COMPLETED[op](place, command)
        if op == "add_station" and "stand" in command:
            command = _station_stood(place, command)
        if op in ("add_station", "update_station") and "view" in command:
            command = _station_from_look(place, command)
        question = _moves_what_is_keyed(place, command, asked.shot) if op == "move" and not asked.auto else None
    except (KeyError, TypeError, ValueError):
        raise Unreadable("This edit cannot be read.") from None
    if not question:
        _keep_waters_whole(place, command)
        place.edit(asked.rev, command)
    return question or None


_WAYS: dict[str, Callable[[Place, Edit], Question]] = {
    "move": _move,
    "restore": _restore,
    "typed_key": _type_key,
    "typed": _type,
    "command": _command,
}
"""Ways to say an edit, by the word that it has."""


def _typed_edit(document: Document, shot: Shot, said: Typed, value: Any) -> dict[str, Any]:
    """The edit that a typed value asks for; or, where it is keyed elsewhere and nobody said that changes set keys,
    the question what to do."""
    path = said.path
    owner, name, info = find(document, path)
    old = getattr(owner, name)
    if path.endswith((f"/shots/{shot.id}/frames", f"/shots/{shot.id}/fps")):
        frames, fps = (
            (int(value), shot.fps)
            if name == "frames"
            else (max(1, round(shot.frames * RATES[value] / RATES[shot.fps])), value)
        )
        return {"op": "retime", "shot": shot.id, "frames": frames, "fps": fps, "keep": said.keep}
    if not isinstance(old, Curve):
        return {"op": "set", "path": path, "value": value}
    t, half = said.t, 0.5 / float(RATES[shot.fps])
    here = min(old.keys, key=lambda key: abs(key.t - t))
    if abs(here.t - t) <= half:
        return {"op": "key", "path": path, "t": here.t, "value": value}
    how = said.how or ("key" if said.auto else "")
    if how in ("key", "raise"):
        return {"op": how, "path": path, "t": t, "value": value}
    return {
        "ask": {
            "path": path,
            "text": said.text,
            "t": t,
            "raise": isinstance(old, Channel),
            "title": info.title,
            "words": (
                f"{info.title} is keyed, and no key stands here. Changes do not "
                "set keys at the moment, so nothing was changed yet."
            ),
        }
    }


def _moves_what_is_keyed(place: Place, command: dict[str, Any], shot_id: str | None) -> dict[str, Any] | None:
    """The question that is asked before a drag on the chart sets keys, where none stand yet."""
    assert place.head is not None
    document, shot = revision_setting(place.head.pk).place, shot_of(place, shot_id)
    item = next((x for x in getattr(document, str(command.get("of")), []) if x.id == command.get("id")), None)
    curves = [c for c in (getattr(item, "east", 0), getattr(item, "north", 0)) if isinstance(c, Curve)]
    t, half = float(command.get("t", 0)), 0.5 / float(RATES[shot.fps])
    if all(any(abs(key.t - t) <= half for key in c.keys) for c in curves):
        return None
    return {
        "ask": {
            "command": command,
            "t": t,
            "raise": False,
            "title": getattr(item, "name", ""),
            "words": (
                f"The place of {getattr(item, 'name', 'this')} is keyed, and no key stands "
                "here. Changes do not set keys at the moment, so nothing was moved yet."
            ),
        }
    }


def _thrown(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """A throw of a model, from where it is at the playhead, as the keys that it makes."""
    shot, t = shot_of(place, command["shot"]), float(command["t"])
    assert place.head is not None
    said = {name: command[name] for name in Throw.model_fields if name in command}
    try:
        throw = Throw.model_validate(said)
    except ValidationError as error:
        raise PlaceError(f"It cannot be thrown so: {explain(error)}") from None
    return throw_edit(revision_setting(place.head.pk), shot, str(command["id"]), throw, t)


def _with_fewer_triangles(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """A model with fewer triangles: its new file, and the edit that gives it to it."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    thing = next((x for x in setting.place.things if x.id == command["id"]), None)
    if thing is None or thing.mesh is None:
        raise PlaceError("That model is not there any more.")
    if thing.mesh.name.lower().endswith(".glb") and moving_of(setting.read, thing).motions:
        raise PlaceError(moves_by_itself(thing.name))
    mesh = reduced(model_of(setting.read, thing), int(command["to"]))
    name, data = f"{Path(thing.mesh.name).stem}.glb", glb_of(mesh, thing.name)
    AssetFile.keep(data, place.owner)
    sets = [("mesh", asset_of(name, data).model_dump()), ("upright", "by the file")]
    edits = [{"op": "set", "path": f"/things/{thing.id}/{field}", "value": value} for field, value in sets]
    return {"op": "several", "edits": edits, "label": f"reduced {thing.name} to {triangles_of(mesh):,} triangles"}


def _run_down(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """The edit that adds a stream from a spot on, down the land's own fall."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    sea, ground = setting.place.sea, setting.ground
    ends = float(least(sea.level)) if sea.present else -np.inf
    spot = (float(command["east"]), float(command["north"]))
    line = fall_line(ground.height, spot, ground.bounds, ends)
    return {"op": "add", "to": "waters", "item": {**command["item"], "kind": "stream", "line": line}}


def _sown(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """The edit that makes a model that stands in the place a stand of plants."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    thing = next((x for x in setting.place.things if x.id == command["id"]), None)
    if thing is None:
        raise PlaceError("That model is not there any more.")
    return sow_edit(setting, thing)


def _seen_swaying(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """The edit that lets a stand be as wild as it must be to be seen moving by so much."""
    assert place.head is not None
    wanted, t, stand = float(command["pixels"]), float(command["t"]), str(command["id"])
    if not 0 < wanted <= 200:
        raise PlaceError("What is seen to move is more than 0 and at most 200 pixels a frame.")
    shot = shot_of(place, command["shot"])
    wild, seen = ENGINE_OF_LOOKS.wild_for(place.pk, place.head.pk, shot.id, t, stand, wanted)
    edit = {"op": "set", "path": f"/growth/{stand}/wild", "value": wild}
    return {"op": "several", "edits": [edit], "label": f"seen moving {seen:.2g} pixels a frame: {wild:g} times as wild"}


_COMPLETED: dict[Any, Callable[[Place, dict[str, Any]], dict[str, Any]]] = {
    "throw": _thrown,
    "reduce": _with_fewer_triangles,
    "run_down": _run_down,
    "sow": _sown,
    "seen_swaying": _seen_swaying,
}
"""Edits that need more than the document: what is made of them before they are stored."""


def _station_stood(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """A station from a press on the chart: where to stand, and where to look; its height is the floor's and, for a
    flight, what the station before it has over the floor."""
    stand = command.pop("stand")
    shot = shot_of(place, command["shot"])
    assert place.head is not None
    still = revision_setting(place.head.pk).still(shot)
    at = np.array(
        [[float(stand["east"]), float(stand["north"])], [float(stand["aim_east"]), float(stand["aim_north"])]]
    )
    if shot.route.stations:
        last = shot.route.stations[-1]
        at = np.concatenate([at, [[last.east, last.north]]])
    floor = still.floor(at[:, 0], at[:, 1])
    if still.place.sea.present:
        floor = np.maximum(floor, still.place.sea.surface)
    over = (
        shot.route.eye_height
        if shot.route.way == "walk" or len(at) < 3
        else max(0.5, shot.route.stations[-1].up - float(floor[2]))
    )
    up = float(floor[0]) + over
    if np.hypot(*(at[1] - at[0])) < 0.5:
        at[1] = at[0] + [0.0, 10.0]
    return {
        **command,
        "station": {
            "id": fresh_id([s.id for s in shot.route.stations], "s"),
            "east": round(at[0, 0], 3),
            "north": round(at[0, 1], 3),
            "up": round(up, 3),
            "aim": [round(at[1, 0], 3), round(at[1, 1], 3), round(up, 3)],
            "focal": shot.route.stations[-1].focal if shot.route.stations else 28.0,
        },
    }


def _station_from_look(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """`Set station`: store the look's view as a station after the one before the playhead, or in one there is."""
    view = command.pop("view")
    shot = shot_of(place, command["shot"])
    sid = fresh_id([s.id for s in shot.route.stations], "s")
    station = station_from(
        sid,
        [float(view["x"]), float(view["y"]), float(view["z"])],
        float(view["bearing"]),
        float(view["pitch"]),
        round(Lens(float(view["focal"])).on(shot.exposure.sensor).focal_mm, 3),
    )
    roll = float(view.get("roll") or 0.0)
    roll = 0.0 if abs(roll) <= shot.route.level_within else roll
    if command["op"] == "update_station":
        return {
            **command,
            "east": station.east,
            "north": station.north,
            "up": station.up,
            "aim": station.aim,
            "focal": station.focal,
            "roll": roll,
        }
    if shot.route.timing == "by stations" and "t" in command:
        station = station.model_copy(update={"time": float(command["t"])})
    return {
        **{k: v for k, v in command.items() if k != "t"},
        "station": station.model_copy(update={"roll": roll or None}).model_dump(),
    }
