"""The whole place handed on: its size told, and its files in a zip."""

from __future__ import annotations

import tempfile
import zipfile
from pathlib import Path

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase

from lumwick.deliver.whole import ENDINGS, KINDS, Range, gather, hand_on, told_size
from lumwick.errors import LumwickError, PlaceError
from lumwick.place.document import Shot
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.places.views.owned import place_view
from studio.places.views.workspace import shot_of

BYTES_AT_MOST = 1_500_000_000


def _asked(request: HttpRequest, shot: Shot) -> tuple[Range, str]:
    """Which range of a shot is asked for, and as what.

    Raises
    ------
    LumwickError
    """
    said = request.GET
    suffix = f".{said.get('as', 'usd')}"
    if suffix not in ENDINGS:
        raise PlaceError(f"A place is handed on as {', '.join(e[1:] for e in ENDINGS)}.")
    try:
        first, last = int(said.get("first") or 1), int(said.get("last") or shot.frames)
        within = float(said["within"]) if said.get("within") else None
    except ValueError:
        raise PlaceError("Frames are whole numbers, and a distance is one in metres.") from None
    kinds = tuple(k for k in said.get("parts", "").split(",") if k) or KINDS
    if last > shot.frames:
        raise PlaceError(f"{shot.name} ends at frame {shot.frames}: frame {last} is past it.")
    return Range(first, last, within, kinds), suffix


@place_view("GET", one_at_a_time=True)
def told(request: HttpRequest, place: Place) -> JsonResponse:
    """How large what is asked for will be."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    span, suffix = _asked(request, shot)
    size = told_size(revision_setting(place.head.pk), shot, span, suffix)
    return JsonResponse({"bytes": size.bytes, "words": f"{size.words}."})


@place_view("GET")
def handed(request: HttpRequest, place: Place) -> HttpResponseBase:
    """The place as files, in a zip."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    try:
        span, suffix = _asked(request, shot)
        setting = revision_setting(place.head.pk)
        size = told_size(setting, shot, span, suffix)
        if size.bytes > BYTES_AT_MOST:
            raise PlaceError(
                f"This would be about {size.bytes / 1e9:,.1f} GB: take fewer frames or what is nearer, or use the "
                "command lumwick hand-on, which writes any size."
            )
        with tempfile.TemporaryDirectory() as folder:
            hand_on(gather(setting, shot, span), Path(folder) / f"{shot.id}{suffix}")
            held = tempfile.TemporaryFile()  # noqa: SIM115 - closed by the response
            with zipfile.ZipFile(held, "w", zipfile.ZIP_STORED) as z:
                for path in sorted(Path(folder).rglob("*")):
                    if path.is_file():
                        z.write(path, str(path.relative_to(folder)))
    except LumwickError as error:
        return HttpResponse(str(error), status=422, content_type="text/plain; charset=utf-8")
    held.seek(0)
    return FileResponse(held, as_attachment=True, filename=f"{shot.id}.zip", content_type="application/zip")
