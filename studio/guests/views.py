"""What a link shows, and nothing else: takes, a walk in the look, and the client's answers."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

import numpy as np
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from lumwick.built.floors import walked_on
from lumwick.errors import LumwickError
from lumwick.snapshot.evaluate import camera_at
from studio.guests.models import ANSWERS_AT_MOST, DAYS, DAYS_AT_MOST, LINKS_AT_MOST, Answer, Link
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.places.views.look import looked, own_view
from studio.places.views.owned import own_place
from studio.places.views.workspace import shot_of
from studio.takes.file_views import ranged
from studio.takes.models import Frame, Take

EYE = 1.6
"""Metres over the floor at which a guest walks."""
SHOWN = ("take", "film")
"""Kinds of take that a client sees: rehearsals are one's own."""


def guest_view(*methods: str) -> Callable[[Callable[..., HttpResponseBase]], Callable[..., HttpResponseBase]]:
    """Make a view that a link opens while it holds; any other address is as good as none."""

    def made(view: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
        @wraps(view)
        @require_http_methods(methods)
        def guarded(request: HttpRequest, token: str, **more: Any) -> HttpResponseBase:
            link = Link.objects.select_related("place__head", "place__head__parent").filter(token=token).first()
            if link is None:
                raise Http404
            if not link.holds:
                return render(request, "guests/ended.html", status=410)
            return view(request, link, **more)

        return guarded

    return made


def _takes(link: Link) -> Any:
    return Take.objects.filter(place=link.place, kind__in=SHOWN, state=Take.State.DONE).order_by("-number")


@guest_view("GET")
def shown(request: HttpRequest, link: Link) -> HttpResponse:
    """The page: its takes, and the place to walk in."""
    Link.objects.filter(pk=link.pk).update(seen=timezone.now())
    assert link.place.head is not None
    setting = revision_setting(link.place.head.pk)
    shots = [{"id": s.id, "name": s.name} for s in setting.place.shots]
    takes = [{"take": take, "answers": take.answers.filter(link=link)} for take in _takes(link)[:40]]
    told = {"link": link, "place": link.place, "takes": takes, "shots": shots, "verdicts": Answer.Verdict.choices}
    return render(request, "guests/shown.html", told)


def _take(link: Link, number: int) -> Take:
    take: Take = get_object_or_404(_takes(link), number=number)
    return take


@guest_view("GET")
def film(request: HttpRequest, link: Link, number: int) -> HttpResponseBase:
    """A take's film."""
    take = _take(link, number)
    if not take.film_path.exists():
        raise Http404
    return ranged(request, take.film_path, "video/mp4", download=False)


@guest_view("GET")
def poster(request: HttpRequest, link: Link, number: int) -> HttpResponseBase:
    """A take's first frame."""
    found = _take(link, number).frames.filter(state=Frame.State.DONE).order_by("number").first()
    if found is None or not found.path.exists():
        raise Http404
    return FileResponse(found.path.open("rb"), content_type="image/png")


@guest_view("GET")
def look(request: HttpRequest, link: Link) -> HttpResponse:
    """The look from where a guest walks, on the floor there is."""
    assert link.place.head is not None
    viewer = f"guest:{link.pk}:{request.GET.get('tab', '')[:40]}"
    try:
        camera = own_view(request)
    except ValueError:
        return JsonResponse({"error": "This view cannot be read."}, status=400)
    if camera is not None and request.GET.get("walk") == "1":
        try:
            camera["z"] = _eye(link.place, camera)
        except LumwickError as error:
            return JsonResponse({"error": str(error)}, status=422)
    reply = looked(request, link.place, viewer, camera)
    if camera is not None:
        reply["X-Eye"] = f"{camera['z']:.3f}"
    elif reply.status_code == 200:
        shot = shot_of(link.place, request.GET.get("shot"))
        c = camera_at(revision_setting(link.place.head.pk), shot, 0.0)
        numbers = (*c.position, c.bearing, c.pitch, c.focal_mm)
        reply["X-Camera"] = ",".join(f"{float(v):.4f}" for v in numbers)
    return reply


def _eye(place: Place, camera: dict[str, float]) -> float:
    """Height [m] of the eye of who walks at a spot, having come from a height."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    x, y = np.array([camera["x"]]), np.array([camera["y"]])
    still = setting.still()
    floor = walked_on(still.floor(x, y), still.walkable(), x, y, np.array([camera["z"]]))
    level = still.place.sea.surface if still.place.sea.present else -np.inf
    return float(max(floor[0], level)) + EYE


@guest_view("POST")
def answer(request: HttpRequest, link: Link, number: int) -> HttpResponse:
    """What the client says of a take."""
    take, post = _take(link, number), request.POST
    verdict, name, text = (post.get(k, "").strip() for k in ("verdict", "name", "text"))
    if verdict not in Answer.Verdict.values or not name or len(name) > 80 or len(text) > 1000:
        return HttpResponse("Say who you are, and whether it is approved or what should change.", status=422)
    if link.answers.count() >= ANSWERS_AT_MOST:
        return HttpResponse("This link has been answered as often as it may be.", status=422)
    Answer.objects.create(link=link, take=take, verdict=verdict, name=name, text=text)
    return redirect("shown-by-link", link.token)


@login_required
@require_POST
def make(request: HttpRequest, place_id: int) -> HttpResponse:
    """A new link to a place of one's own."""
    place = own_place(request, place_id)
    name = request.POST.get("name", "").strip()
    text = request.POST.get("days", str(DAYS)).strip()
    if not name or len(name) > 80:
        return HttpResponse("Say whom the link is for.", status=422)
    if not text.isdecimal() or not 1 <= int(text) <= DAYS_AT_MOST:
        return HttpResponse(f"A link holds for 1 to {DAYS_AT_MOST} days.", status=422)
    if place.links.count() >= LINKS_AT_MOST:
        return HttpResponse(f"A place has at most {LINKS_AT_MOST} links.", status=422)
    Link.make(place, name, int(text))
    return redirect("takes", place.pk)


@login_required
@require_POST
def end(request: HttpRequest, link_id: int) -> HttpResponse:
    """Take a link back at once."""
    link = get_object_or_404(Link, pk=link_id, place__owner=request.user, place__thrown_out=None)
    if link.ended is None:
        link.ended = timezone.now()
        link.save(update_fields=["ended"])
    return redirect("takes", link.place_id)
