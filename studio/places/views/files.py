"""Files brought into a place: models, textures, environment pictures, look-up tables."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict

from lumwick.built.bring.bundle import Bundle, gathered, only_pictures
from lumwick.built.bring.importing import ImportedModel, import_model, set_down, standing
from lumwick.built.bring.scale import Sized, length
from lumwick.built.bring.texture_set import texture_sets
from lumwick.built.outline import FRONT, outline
from lumwick.errors import LumwickError, PlaceError
from lumwick.growth.form_cache import leaf_edit
from lumwick.growth.leaf_picture import LEAF_SIDE, read_leaf
from lumwick.place.edits import fresh_id
from lumwick.place.files import asset_of
from lumwick.place.objects import Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.sowing import sown_from
from lumwick.taking_in import checked
from lumwick.trace.textures import read_image
from studio.looks.settings import revision_setting
from studio.places.models import AssetFile, Place, StaleRevision
from studio.places.views.owned import newest, place_view
from studio.places.views.workspace import state_of

BROUGHT_AT_MOST = 300_000_000


@place_view("POST")
def bring(request: HttpRequest, place: Place) -> HttpResponse:
    """Take in files: models to set down, or a texture, environment picture or look-up table for a field."""
    post = request.POST
    try:
        files = _uploads(request)
        if post.get("what") == "model":
            command, data, told = _models(place, post, files)
        elif post.get("what") == "plant":
            command, data, told = _plant(place, post, files)
        elif post.get("what") == "leaf":
            command, data, told = _leaf(place, post, files), [], {"note": "", "id": "", "sizes": []}
        else:
            name, held = next(iter(files.items()))
            note = checked(name, held, post.get("path", ""))
            command = {"op": "set", "path": post.get("path", ""), "value": asset_of(name, held).model_dump()}
            data, told = [held], {"note": note, "id": "", "sizes": []}
        for one in data:
            AssetFile.keep(one, place.owner)
        place.edit(int(post.get("rev") or 0), command)
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    except ValueError:
        return JsonResponse({"error": "This file cannot be set down: its place cannot be read."}, status=400)
    return JsonResponse({"state": state_of(newest(place), post.get("shot")), **told})


def _uploads(request: HttpRequest) -> Bundle:
    """The files that were brought, by their paths; a browser tells a folder's paths in ``names``."""
    uploads = request.FILES.getlist("file")
    if not uploads:
        raise PlaceError("Choose a file first.")
    total = sum(upload.size or 0 for upload in uploads)
    if total > BROUGHT_AT_MOST:
        what = uploads[0].name if len(uploads) == 1 else "What you brought"
        raise PlaceError(
            f"{what} has {total / 1e6:,.0f} MB: at most {BROUGHT_AT_MOST / 1e6:,.0f} MB can be brought in."
        )
    names = request.POST.getlist("names")
    if len(names) != len(uploads):
        names = [Path(upload.name or "file").name for upload in uploads]
    return {name[:400]: upload.read() for name, upload in zip(names, uploads, strict=True)}


def _models(place: Place, post: QueryDict, files: Bundle) -> tuple[dict[str, Any], list[bytes], dict[str, Any]]:
    """The edit that sets models down side by side, their files, and what is told of them: in words, and which sizes
    are asked about."""
    assert place.head is not None
    setting = revision_setting(place.head.pk).still()
    files = gathered(files)
    if only_pictures(files):
        return _surfaces(setting, files)
    taken = import_model(files)
    ids = [thing.id for thing in setting.place.things]
    for _ in taken:
        ids.append(fresh_id(ids, "model"))
    new = ids[-len(taken) :]
    east, north = (float(post.get(k) or 0) for k in ("east", "north"))
    things = set_down(taken, new, setting.stands_on, east, north)
    adds = [{"op": "add", "to": "things", "item": thing.model_dump(mode="json")} for thing in things]
    names = ", ".join(thing.name for thing in things)[:120]
    command = adds[0] if len(adds) == 1 else {"op": "several", "edits": adds, "label": f"added models {names}"}
    told = {
        "note": " ".join(one.line() for one in taken),
        "id": new[-1],
        "sizes": [_size(one, thing, setting) for one, thing in zip(taken, things, strict=True) if one.guess.question],
    }
    return command, [one.data for one in taken], told


def _plant(place: Place, post: QueryDict, files: Bundle) -> tuple[dict[str, Any], list[bytes], dict[str, Any]]:
    """The edit that sows a model that was brought as plants, its file, and what is told of it."""
    assert place.head is not None
    setting = revision_setting(place.head.pk).still()
    taken = import_model(gathered(files))
    stand, told = sown_from(setting, taken, float(post.get("east") or 0), float(post.get("north") or 0))
    command = {"op": "add", "to": "growth", "item": stand.model_dump(mode="json")}
    return command, [one.data for one in taken], {"note": told, "id": stand.id, "sizes": []}


def _leaf(place: Place, post: QueryDict, files: Bundle) -> dict[str, Any]:
    """The edit that gives a stand's leaves the outline and colour of a picture's."""
    assert place.head is not None
    stand = next((x for x in revision_setting(place.head.pk).place.growth if x.id == post.get("path")), None)
    if stand is None:
        raise PlaceError("That stand is not there any more.")
    name, data = next(iter(files.items()))
    return leaf_edit(stand, read_leaf(read_image(data, name, LEAF_SIDE)[0].astype(float)), name)


def _surfaces(setting: Setting, files: Bundle) -> tuple[dict[str, Any], list[bytes], dict[str, Any]]:
    """The edit that makes surfaces of pictures, by their names."""
    made = texture_sets(files, [s.id for s in setting.place.surfaces])
    adds = [{"op": "add", "to": "surfaces", "item": one.surface.model_dump(mode="json")} for one in made]
    names = ", ".join(one.surface.name for one in made)
    command = adds[0] if len(adds) == 1 else {"op": "several", "edits": adds, "label": f"added surfaces {names[:120]}"}
    words = " ".join(
        f"{one.surface.name}: a surface of {len(one.files)} textures{''.join(f'; {n}' for n in one.notes)}."
        for one in made
    )
    data = [file for one in made for file in one.files.values()]
    return command, data, {"note": words, "id": made[-1].surface.id, "sizes": []}


def _size(one: ImportedModel, thing: Thing, setting: Setting) -> dict[str, Any]:
    """A question about a model's size: its front, and the edit that each answer makes, which keeps it where it is."""
    low, high = one.mesh.bounds
    middle = (low + high) / 2 * thing.scale
    east, north = float(thing.east) + float(middle[0]), float(thing.north) + float(middle[1])

    def answer(size: Sized) -> dict[str, Any]:
        new = {"scale": size.scale, **standing(one.mesh, size.scale, east, north, setting.stands_on(east, north))}
        sets = [{"op": "set", "path": f"/things/{thing.id}/{k}", "value": v} for k, v in new.items()]
        return {
            "text": f"{length(size.longest)} ({size.unit})",
            "scale": size.scale,
            "command": {"op": "several", "edits": sets, "label": f"{thing.name} is {length(size.longest)} long"},
        }

    return {
        "id": thing.id,
        "name": one.name,
        "question": one.guess.question,
        "front": [[[round(x, 4), round(z - float(low[2]), 4)] for x, z in ring] for ring in outline(one.mesh, FRONT)],
        "taken": answer(one.guess.taken),
        "others": [answer(size) for size in one.guess.others],
    }
