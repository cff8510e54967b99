"""Files brought into a place: models, textures, environment pictures, look-up tables."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse

from lumwick.built.meshes import read_mesh
from lumwick.develop.view import tabled
from lumwick.errors import LumwickError, PlaceError
from lumwick.place.edits import fresh_id
from lumwick.place.files import asset_of
from lumwick.trace.textures import read_image, read_panorama
from studio.places.models import AssetFile, Place, StaleRevision
from studio.places.views.owned import newest, place_view
from studio.places.views.workspace import state_of

BROUGHT_AT_MOST = 300_000_000


@place_view("POST")
def bring(request: HttpRequest, place: Place) -> HttpResponse:
    """Take in a file: a model to set down, or a texture, environment picture or look-up table for a field."""
    upload, what, path = request.FILES.get("file"), request.POST.get("what", ""), request.POST.get("path", "")
    assert place.head is not None
    try:
        if upload is None:
            raise PlaceError("Choose a file first.")
        if (upload.size or 0) > BROUGHT_AT_MOST:
            raise PlaceError(
                f"{upload.name} has {(upload.size or 0) / 1e6:,.0f} MB: at most "
                f"{BROUGHT_AT_MOST / 1e6:,.0f} MB can be brought in."
            )
        name, data = Path(upload.name or "file").name[:200], upload.read()
        note = checked(what, name, data, path)
        asset = asset_of(name, data).model_dump()
        if what == "model":
            document = place.head.parsed()
            ids = [x.id for x in document.things]
            item = {
                "id": fresh_id(ids, "model"),
                "name": Path(name).stem[:80] or "Model",
                "mesh": asset,
                **{k: float(request.POST.get(k) or 0) for k in ("east", "north", "up")},
            }
            command = {"op": "add", "to": "things", "item": item}
        else:
            command = {"op": "set", "path": path, "value": asset}
        AssetFile.keep(data)
        place.edit(int(request.POST.get("rev") or 0), command)
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    except ValueError:
        return JsonResponse({"error": "This file cannot be set down: its place cannot be read."}, status=400)
    fresh = newest(place)
    return JsonResponse(
        {
            "state": state_of(fresh, request.POST.get("shot")),
            "note": note,
            "id": command["item"]["id"] if what == "model" else "",
        }
    )


def checked(what: str, name: str, data: bytes, path: str) -> str:
    """Try a file before it is kept; returns a word on what was mended.

    Raises
    ------
    LumwickError
        It cannot be used for this.
    """
    if what == "model":
        return "; ".join(read_mesh(data, name).notes)
    if path.endswith("/picture"):
        return read_panorama(data, name)[1]
    if path.endswith("/lut"):
        tabled(np.zeros((1, 1, 3), np.float32), data, 1.0)
        return ""
    return read_image(data, name)[1]
