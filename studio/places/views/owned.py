"""What all views of a place share: who may see it, and how errors are answered."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_http_methods

from lumwick.errors import LumwickError
from lumwick.wanted import NoLongerWanted, while_wanted
from studio.looks.request_queue import Busy, asked_by, connected, newest_of
from studio.places.models import Place, StaleRevision
from studio.places.request_bodies import Unreadable

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


def place_view(
    *methods: str, one_at_a_time: bool = False
) -> Callable[[Callable[..., HttpResponseBase]], Callable[..., HttpResponseBase]]:
    """Make a view of a place that the visitor owns: signed in, asked by one of some methods, given the place itself.

    What the core refuses, a request that cannot be read, and an edit of a revision that is no longer the newest, are
    answered in a sentence. What is only read ends when its client has left.

    Parameters
    ----------
    one_at_a_time : bool
        It ends also when the same visitor asks for it anew.
    """

    def made(view: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
        @wraps(view)
        @login_required
        @require_http_methods(methods)
        def guarded(request: HttpRequest, place_id: int, **more: Any) -> HttpResponseBase:
            try:
                place = own_place(request, place_id)
                if request.method != "GET":
                    return view(request, place, **more)
                visitor, what = str(request.session.session_key), f"{view.__module__}.{view.__name__}"
                who = f"{visitor}:{what}"
                still_there = connected(request)
                newest = newest_of(f"{who}:{place_id}") if one_at_a_time else None

                def wanted() -> bool:
                    return (newest is None or newest()) and still_there()

                with asked_by(visitor, wanted, f"{what}?{request.META['QUERY_STRING']}"), while_wanted(wanted):
                    return view(request, place, **more)
            except NoLongerWanted:
                return HttpResponse(status=204)
            except Busy as error:
                return JsonResponse({"error": str(error)}, status=503, headers={"Retry-After": "1"})
            except StaleRevision as stale:
                return JsonResponse({"error": str(stale)}, status=409)
            except Unreadable as error:
                return JsonResponse({"error": str(error)}, status=400)
            except LumwickError as error:
                return JsonResponse({"error": str(error)}, status=422)

        return guarded

    return made
