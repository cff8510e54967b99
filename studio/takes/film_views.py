"""The Cut bench: the film as it is laid out, what of it lies ready, and taking the whole."""

from __future__ import annotations

import re
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse

from lumwick.errors import LumwickError, RenderError
from lumwick.frame_keys import film_keys
from lumwick.once import once
from lumwick.trace.quality import REHEARSAL
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.places.views.owned import place_view
from studio.takes.models import Take, progress
from studio.takes.store import stored


@once(24)
def _keys(revision_id: int, size: tuple[int, int], quality: str) -> tuple[str, ...]:
    return tuple(film_keys(revision_setting(revision_id), size, quality))


def _size(text: str) -> tuple[int, int]:
    found = re.fullmatch(r"(\d{2,5})x(\d{2,5})", text)
    if not found:
        raise RenderError("A size is written like 1280x720.")
    return int(found[1]), int(found[2])


@place_view("GET")
def ready(request: HttpRequest, place: Place) -> HttpResponse:
    """Which frames of the film, as it is cut now, are in the store."""
    assert place.head is not None
    try:
        size = _size(request.GET.get("size", "384x216"))
        keys = _keys(place.head.pk, size, request.GET.get("quality", REHEARSAL))
    except (LumwickError, KeyError) as error:
        return JsonResponse({"error": str(error)}, status=422)
    take = (
        Take.objects.filter(place=place, kind="film", revision=place.head, width=size[0], height=size[1])
        .order_by("-number")
        .first()
    )
    known: dict[str, Any] = progress(take) if take else {}
    return JsonResponse(
        {
            "rev": place.head.number,
            "frames": {n: key for n, key in enumerate(keys, 1) if stored(key).exists()},
            "running": bool(take and take.running),
            "seconds_left": known.get("seconds_left"),
        }
    )


@place_view("POST")
def take(request: HttpRequest, place: Place) -> HttpResponse:
    """Take the whole film."""
    try:
        made = Take.begin_film(place, _size(request.POST.get("size", "")), request.POST.get("quality", "study"))
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse({"id": made.pk, "number": made.number, "frames": made.count})
