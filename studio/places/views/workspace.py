"""The workspace: what its page needs to know of the newest revision."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from lumwick.place.document import Shot
from studio.looks.settings import revision_setting
from studio.places import charts, days
from studio.places.models import Place
from studio.places.slips import BENCHES, groups_of
from studio.places.views.owned import place_view


@place_view("GET")
def workspace(request: HttpRequest, place: Place) -> HttpResponse:
    """One place."""
    return render(
        request,
        "place.html",
        {
            "place": place,
            "benches": [(name, bench.title) for name, bench in BENCHES.items()],
            "state": state_of(place, request.GET.get("shot")),
        },
    )


def shot_of(place: Place, shot_id: str | None) -> Shot:
    """A shot of the newest state; its first if there is none of this id."""
    assert place.head is not None
    document = revision_setting(place.head.pk).place
    return next((s for s in document.shots if s.id == shot_id), document.shots[0])


def state_of(place: Place, shot_id: str | None) -> dict[str, Any]:
    """What the page needs to know of the newest revision and one shot."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    shot = shot_of(place, shot_id)
    motions = setting.motions(shot)
    return {
        "place": place.pk,
        "name": place.name,
        "rev": place.head.number,
        "revision": place.head.pk,
        "undo": place.head.label if place.head.parent_id else "",
        "redo": place.redo_label,
        "shots": [{"id": s.id, "name": s.name} for s in setting.place.shots],
        "chart": charts.chart_key(setting),
        "shot": {
            "id": shot.id,
            "name": shot.name,
            "frames": shot.frames,
            "fps": shot.fps,
            "seconds": shot.seconds,
            "loop": shot.loop,
            "seam": shot.seam,
            "seam_frames": shot.seam_frames,
            "way": shot.route.way,
        },
        "beaches": [{"id": one.id, "name": one.name} for one in setting.place.beaches],
        "film": charts.film_drawing(setting.place),
        "route": charts.route_drawing(setting, shot),
        "day": days.day_band(setting, shot),
        "lanes": charts.lanes(setting, shot, motions),
    }


@place_view("GET")
def state(request: HttpRequest, place: Place) -> HttpResponse:
    return JsonResponse(state_of(place, request.GET.get("shot")))


@place_view("GET")
def chart(request: HttpRequest, place: Place) -> HttpResponse:
    assert place.head is not None
    return JsonResponse(charts.chart(revision_setting(place.head.pk)))


@place_view("GET")
def slip(request: HttpRequest, place: Place) -> HttpResponse:
    """The properties of what is selected."""
    shot = shot_of(place, request.GET.get("shot"))
    try:
        t = float(request.GET.get("t", 0))
    except ValueError:
        t = 0.0
    bench = request.GET.get("bench", "route")
    assert place.head is not None
    return render(
        request,
        "partials/slip.html",
        {
            "groups": groups_of(
                revision_setting(place.head.pk).place,
                shot,
                bench,
                request.GET.get("selected", ""),
                t,
                request.GET.get("tab", ""),
            ),
            "bench": bench,
            "shot": shot,
        },
    )
