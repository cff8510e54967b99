"""The states of a place: listed, named, compared."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from lumwick.place.compare import changes
from studio.places.models import Place, Revision
from studio.places.views.owned import place_view


@place_view("GET")
def compare(request: HttpRequest, place: Place) -> HttpResponse:
    """Two states of a place, as a list of changes in plain words."""
    try:
        before, after = (get_object_or_404(Revision, place=place, number=int(request.GET[name])) for name in ("a", "b"))
    except (KeyError, ValueError):
        return render(request, "partials/fault.html", {"fault": "Choose two states to compare."}, status=422)
    if before.number > after.number:
        before, after = after, before
    return render(
        request,
        "partials/changes.html",
        {"before": before, "after": after, "changes": changes(before.parsed(), after.parsed())},
    )


@place_view("POST")
def name_state(request: HttpRequest, place: Place) -> HttpResponse:
    """Give a state a name, or take it away."""
    number = request.POST.get("number", "")
    revision = get_object_or_404(Revision, place=place, number=int(number) if number.isdecimal() else 0)
    revision.called = " ".join(request.POST.get("called", "").split())[:80]
    revision.save(update_fields=["called"])
    return render(request, "partials/history.html", history_of(place))


@place_view("GET")
def history(request: HttpRequest, place: Place) -> HttpResponse:
    return render(request, "partials/history.html", history_of(place))


def history_of(place: Place) -> dict[str, Any]:
    """The newest states, and all that were given a name."""
    newest = place.revisions.order_by("-number")
    named = newest.exclude(called="")
    return {"place": place, "named": named, "revisions": newest[:80]}
