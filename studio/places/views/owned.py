"""What all views of a place share: who may see it, and how errors are answered."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_http_methods

from lumwick.errors import LumwickError
from studio.places.asked import Unreadable
from studio.places.models import Place, StaleRevision

WITH_HEAD = ("head", "head__parent")


def own_place(request: HttpRequest, place_id: int) -> Place:
    """The place, if the visitor owns it; another's is as good as none.

    Raises
    ------
    Http404
    """
    return get_object_or_404(Place.objects.select_related(*WITH_HEAD), pk=place_id, owner=request.user, thrown_out=None)


def newest(place: Place) -> Place:
    """The same place as it is now, after an edit of this or another tab."""
    return Place.objects.select_related(*WITH_HEAD).get(pk=place.pk)


def place_view(*methods: str) -> Callable[[Callable[..., HttpResponseBase]], Callable[..., HttpResponseBase]]:
    """Make a view of a place that the visitor owns: signed in, asked by one of some methods, given the place itself.

    What the core refuses, a request that cannot be read, and an edit of a revision that is no longer the newest, are
    answered in a sentence.
    """

    def made(view: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
        @wraps(view)
        @login_required
        @require_http_methods(methods)
        def guarded(request: HttpRequest, place_id: int, **more: Any) -> HttpResponseBase:
            try:
                return view(request, own_place(request, place_id), **more)
            except StaleRevision as stale:
                return JsonResponse({"error": str(stale)}, status=409)
            except Unreadable as error:
                return JsonResponse({"error": str(error)}, status=400)
            except LumwickError as error:
                return JsonResponse({"error": str(error)}, status=422)

        return guarded

    return made
