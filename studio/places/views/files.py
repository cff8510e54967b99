"""Files brought into a place: models, textures, environment pictures, look-up tables."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict

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
    post = request.POST
    try:
        name, data = _upload(request)
        note = checked(post.get("what", ""), name, data, post.get("path", ""))
        command = _laid(place, post, name, asset_of(name, data).model_dump())
        AssetFile.keep(data)
        place.edit(int(post.get("rev") or 0), command)
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    except ValueError:
        return JsonResponse({"error": "This file cannot be set down: its place cannot be read."}, status=400)
    fresh = newest(place)
    laid = command.get("item", {}).get("id", "")
    return JsonResponse({"state": state_of(fresh, post.get("shot")), "note": note, "id": laid})


def _upload(request: HttpRequest) -> tuple[str, bytes]:
    """The name and the bytes of a file that was brought."""
    upload = request.FILES.get("file")
    if upload is None:
        raise PlaceError("Choose a file first.")
    if (upload.size or 0) > BROUGHT_AT_MOST:
        raise PlaceError(
            f"{upload.name} has {(upload.size or 0) / 1e6:,.0f} MB: at most "
            f"{BROUGHT_AT_MOST / 1e6:,.0f} MB can be brought in."
        )
    return Path(upload.name or "file").name[:200], upload.read()


def _laid(place: Place, post: QueryDict, name: str, asset: dict[str, Any]) -> dict[str, Any]:
    """The edit that sets a model down, or gives a field its file."""
    if post.get("what") != "model":
        return {"op": "set", "path": post.get("path", ""), "value": asset}
    assert place.head is not None
    item = {
        "id": fresh_id([thing.id for thing in place.head.parsed().things], "model"),
        "name": Path(name).stem[:80] or "Model",
        "mesh": asset,
        **{k: float(post.get(k) or 0) for k in ("east", "north", "up")},
    }
    return {"op": "add", "to": "things", "item": item}


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
