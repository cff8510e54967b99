"""Rehearsals, budgets and takes."""

from __future__ import annotations

import os
import re
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST
from PIL import Image

from lumwick.atomic import part_of
from lumwick.deliver.beside import BESIDE
from lumwick.errors import LumwickError, RenderError
from lumwick.frame_keys import frame_keys
from lumwick.motion.timebase import RATES
from lumwick.once import once
from lumwick.route.camera_path import goes
from lumwick.trace.film import blank
from lumwick.trace.quality import QUALITIES, REHEARSAL
from studio.looks.engine import ENGINE_OF_LOOKS
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.places.views.owned import place_view
from studio.takes.models import (
    FRAMES_AT_MOST,
    Frame,
    Order,
    Take,
    bytes_beside,
    progress,
)
from studio.takes.store import stored
from studio.takes.turns import waits_behind

REHEARSAL_SIZES = ("384x216", "640x360", "1280x720")
SIZES = ("640x360", "960x540", "1280x720", "1920x1080")


def own_take(request: HttpRequest, take_id: int) -> Take:
    """The take, if the visitor owns its place.

    Raises
    ------
    Http404
    """
    return get_object_or_404(
        Take.objects.select_related("place", "revision"), pk=take_id, place__owner=request.user, place__thrown_out=None
    )


def _whole(request: HttpRequest, name: str, otherwise: int) -> int:
    text = request.POST.get(name, "").strip()
    if not text:
        return otherwise
    if not re.fullmatch(r"-?\d{1,9}", text):
        raise RenderError(f"The {name} frame must be a whole number, and {text!r} is none.")
    return int(text)


def _settings(request: HttpRequest, place: Any) -> dict[str, Any]:
    """What was asked for, checked."""
    shot_id = request.POST.get("shot", "")
    try:
        shot = place.head.parsed().shot(shot_id)
    except LookupError as error:
        raise RenderError(str(error.args[0])) from None
    try:
        shot = shot.at_rate(request.POST.get("fps", ""))
    except ValueError as error:
        raise RenderError(f"{error}.") from None
    found = re.fullmatch(r"\s*(\d{1,5})\s*[x×]\s*(\d{1,5})\s*", request.POST.get("size", "1280x720"))
    if not found:
        raise RenderError("A size is written like 1280x720.")
    size = (int(found[1]), int(found[2]))
    blank(*size)
    quality = request.POST.get("quality", "study")
    if quality not in QUALITIES:
        raise RenderError(f"There is no quality {quality!r}: choose sketch, study or fine.")
    first, last = _whole(request, "first", 1), _whole(request, "last", shot.frames)
    if last < first or first < 1:
        raise RenderError("A take needs at least one frame: the last frame lies before the first.")
    if last - first + 1 > FRAMES_AT_MOST:
        raise RenderError(
            f"{last - first + 1:,} frames are too many for one take: at most {FRAMES_AT_MOST:,}. Split the shot."
        )
    return {
        "shot_id": shot.id,
        "size": size,
        "quality": quality,
        "first": first,
        "last": last,
        "fps": shot.fps,
        "outputs": tuple(name for name in BESIDE if name in request.POST),
    }


def _refused(request: HttpRequest, error: RenderError) -> HttpResponse:
    return render(request, "partials/fault.html", {"fault": str(error)}, status=422)


@place_view("GET")
def take_form(request: HttpRequest, place: Place) -> HttpResponse:
    assert place.head is not None
    document = place.head.parsed()
    shot = next((s for s in document.shots if s.id == request.GET.get("shot")), document.shots[0])
    return render(
        request,
        "partials/take_form.html",
        {
            "place": place,
            "shot": shot,
            "first": request.GET.get("first") or 1,
            "last": request.GET.get("last") or shot.frames,
            "sizes": SIZES,
            "rates": RATES,
            "qualities": QUALITIES,
            "beside": BESIDE,
        },
    )


@place_view("POST")
def budget(request: HttpRequest, place: Place) -> HttpResponse:
    """What a take will cost, measured on a sample of its frames."""
    assert place.head is not None
    try:
        asked = _settings(request, place)
        cost = ENGINE_OF_LOOKS.measure(
            place.pk, place.head.pk, asked["shot_id"], asked["size"], QUALITIES[asked["quality"]]
        )
    except RenderError as error:
        return _refused(request, error)
    count = asked["last"] - asked["first"] + 1
    return render(
        request,
        "partials/budget.html",
        {
            "count": count,
            "each": cost["seconds"],
            "total": cost["seconds"] * count,
            "least": cost["least"] * count,
            "most": cost["most"] * count,
            "bytes": count
            * (1.15 * cost["bytes"] + asked["size"][0] * asked["size"][1] * bytes_beside(asked["outputs"])),
        },
    )


@place_view("POST")
def begin(request: HttpRequest, place: Place) -> HttpResponse:
    try:
        asked = _settings(request, place)
        take = Take.begin(
            place,
            asked["shot_id"],
            Order(
                "take",
                asked["size"],
                asked["quality"],
                asked["first"],
                asked["last"],
                asked["fps"],
                asked["outputs"],
            ),
        )
    except RenderError as error:
        return _refused(request, error)
    return HttpResponse(f"take {take.number}", headers={"HX-Redirect": reverse("takes", args=[place.pk])})


@place_view("POST")
def rehearse(request: HttpRequest, place: Place) -> HttpResponse:
    """A quick run of the shot, frame by frame in the cache, from the playhead on.

    A second run of the same finds all its frames; one that an edit overtook while it was running gives way.
    """
    assert place.head is not None
    try:
        shot = revision_setting(place.head.pk).place.shot(request.POST.get("shot", ""))
        size = _rehearsal_size(request.POST.get("size", ""))
        begins_at = max(1, min(_whole(request, "from", 1), shot.frames))
        runs = Take.objects.filter(
            place=place,
            kind="rehearsal",
            shot=shot.id,
            width=size[0],
            height=size[1],
            first=1,
            last=shot.frames,
            fps=shot.fps,
        ).exclude(state__in=[Take.State.CANCELLED, Take.State.FAILED])
        take = runs.filter(revision=place.head).first()
        if take is None:
            runs.filter(state__in=[Take.State.WAITING, Take.State.RENDERING, Take.State.FILM]).update(
                state=Take.State.CANCELLED, reason="an edit overtook it"
            )
            take = Take.begin(place, shot.id, Order("rehearsal", size, REHEARSAL, 1, shot.frames, begins_at=begins_at))
        elif take.running:
            Take.objects.filter(pk=take.pk).update(begins_at=begins_at, wished=timezone.now())
    except LookupError as error:
        return JsonResponse({"error": str(error.args[0])}, status=422)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse({"id": take.pk, "number": take.number})


@place_view("POST")
def rest(request: HttpRequest, place: Place) -> HttpResponse:
    """Stop the rehearsals of a shot: a worker leaves them at its next strip; what is made stays."""
    running = Take.objects.filter(place=place, kind="rehearsal", shot=request.POST.get("shot", ""))
    stopped = running.filter(state__in=[Take.State.WAITING, Take.State.RENDERING, Take.State.FILM]).update(
        state=Take.State.CANCELLED, reason="stopped"
    )
    return JsonResponse({"stopped": stopped})


def _rehearsal_size(text: str) -> tuple[int, int]:
    if text not in REHEARSAL_SIZES and text:
        raise RenderError(f"A rehearsal is {', '.join(REHEARSAL_SIZES)}.")
    w, h = (text or REHEARSAL_SIZES[0]).split("x")
    return int(w), int(h)


@once(64)
def _shot_keys(revision_id: int, shot_id: str, size: tuple[int, int]) -> tuple[str, ...]:
    setting = revision_setting(revision_id)
    shot = setting.place.shot(shot_id)
    return tuple(frame_keys(setting, shot, range(1, shot.frames + 1), size, REHEARSAL))


@place_view("GET")
def ready(request: HttpRequest, place: Place) -> HttpResponse:
    """Which frames of a shot, as it is now, are in the store, whoever had them made; and the run that makes the
    rest."""
    assert place.head is not None
    try:
        shot = revision_setting(place.head.pk).place.shot(request.GET.get("shot", ""))
        size = _rehearsal_size(request.GET.get("size", ""))
    except (LookupError, RenderError) as error:
        return JsonResponse({"error": str(error.args[0])}, status=422)
    if not goes(shot.route):
        return JsonResponse({"rev": place.head.number, "frames": {}, "running": False, "say": ""})
    frames = {n: key for n, key in enumerate(_shot_keys(place.head.pk, shot.id, size), 1) if stored(key).exists()}
    take = (
        Take.objects.filter(
            place=place, kind="rehearsal", revision=place.head, shot=shot.id, width=size[0], height=size[1]
        )
        .order_by("-number")
        .first()
    )
    known = progress(take) if take else None
    return JsonResponse(
        {
            "rev": place.head.number,
            "frames": frames,
            "running": bool(take and take.running),
            "seconds_left": known["seconds_left"] if known else None,
            "say": take.reason if take and take.state == Take.State.FAILED else "",
            "behind": waits_behind(take) if take and take.running else "",
            "take": take.pk if take else None,
        }
    )


@place_view("GET")
def stored_frame(request: HttpRequest, place: Place, key: str) -> HttpResponseBase:
    """A frame of the store by its key, as a JPEG that plays quickly.

    A key is a digest of all that the picture is made from: only who has the place can know it.
    """
    source = stored(key)
    if not re.fullmatch("[0-9a-f]{64}", key) or not source.exists():
        raise Http404
    quick = source.with_suffix(".play.jpg")
    if not quick.exists():
        part = part_of(quick)
        Image.open(source).save(part, "JPEG", quality=90)
        os.replace(part, quick)
    return FileResponse(
        quick.open("rb"), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000, immutable"}
    )


@place_view("GET")
def takes(request: HttpRequest, place: Place) -> HttpResponse:
    """Every test and final render of a place, newest first."""
    rows = [
        {"take": t, "progress": progress(t), "strip": _strip(t)}
        for t in place.takes.select_related("revision").order_by("-number")[:200]
    ]
    links = place.links.prefetch_related("answers__take")
    return render(request, "takes.html", {"place": place, "rows": rows, "links": links})


def _strip(take: Take) -> list[int]:
    done = list(take.frames.filter(state=Frame.State.DONE).values_list("number", flat=True))
    return [done[round(i * (len(done) - 1) / 4)] for i in range(5)] if len(done) >= 5 else done


@login_required
@require_GET
def row(request: HttpRequest, take_id: int) -> HttpResponse:
    take = own_take(request, take_id)
    return render(request, "partials/take_row.html", {"take": take, "progress": progress(take), "strip": _strip(take)})


@login_required
@require_POST
def cancel(request: HttpRequest, take_id: int) -> HttpResponse:
    take = own_take(request, take_id)
    take.cancel()
    return render(request, "partials/take_row.html", {"take": take, "progress": progress(take), "strip": _strip(take)})


@login_required
@require_POST
def resume(request: HttpRequest, take_id: int) -> HttpResponse:
    """Go on with a take, whatever it is at: what is missing of it is made."""
    take = own_take(request, take_id)
    take.resume()
    return render(request, "partials/take_row.html", {"take": take, "progress": progress(take), "strip": _strip(take)})
