"""The Air bench: looks through the day, the light meter along a shot, a day and a night in a clip."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict

from lumwick.develop.meter import METERS
from lumwick.errors import PlaceError
from lumwick.metering import MOST_READINGS, Reading, metered_edit, offered, whole_day
from studio.looks.engine import ENGINE_OF_LOOKS
from studio.looks.metering import at_an_hour, metered_at
from studio.looks.settings import revision_setting
from studio.places.days import air_by_height
from studio.places.models import Place
from studio.places.views.look import look_camera
from studio.places.views.owned import place_view
from studio.places.views.time import said
from studio.places.views.workspace import shot_of


def _number(told: QueryDict, name: str, low: float, high: float) -> float:
    """A number of the page, within its range.

    Raises
    ------
    PlaceError
    """
    try:
        value = float(told.get(name, ""))
    except ValueError:
        raise PlaceError(f"This request does not say its {name}: reload the page.") from None
    if not low <= value <= high:
        raise PlaceError(f"{name.capitalize()} goes from {low:g} to {high:g}, not to {value:g}.")
    return value


@place_view("GET")
def hour(request: HttpRequest, place: Place) -> HttpResponse:
    """A small picture of the look's view at an hour of the shot's day."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    t, camera = look_camera(request, revision_setting(place.head.pk), shot)
    picture, ev = at_an_hour(place.pk, place.head.pk, shot.id, t, _number(request.GET, "hour", 0, 24), camera)
    return HttpResponse(
        picture, content_type="image/jpeg", headers={"Cache-Control": "no-store", "X-Exposure": f"{ev:.2f}"}
    )


@place_view("GET")
def skyline(request: HttpRequest, place: Place) -> HttpResponse:
    """The skyline of the look's view: bearings from true north and heights [degrees]."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    shot = shot_of(place, request.GET.get("shot"))
    t, camera = look_camera(request, setting, shot)
    bearing, height = ENGINE_OF_LOOKS.skyline(place.pk, place.head.pk, shot.id, t, camera)
    north = float(setting.still(shot).place.site.north_turn)
    step = max(1, len(bearing) // 160)
    told = [
        [round(float(b) - north, 2), round(float(h), 2)] for b, h in zip(bearing[::step], height[::step], strict=True)
    ]
    return JsonResponse({"skyline": told})


@place_view("GET")
def aloft(request: HttpRequest, place: Place) -> HttpResponse:
    """The air by its height at a clip time of a shot: wind, clouds and fog, how far one sees, how bright it is."""
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    shot = shot_of(place, request.GET.get("shot"))
    t, camera = look_camera(request, setting, shot)
    told = air_by_height(setting, shot, t, camera)
    return JsonResponse(told)


@place_view("GET")
def meter(request: HttpRequest, place: Place) -> HttpResponse:
    """What a meter reads at a clip time of a shot."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    t = _number(request.GET, "t", 0, shot.seconds)
    spot = (_number(request.GET, "u", 0, 1), _number(request.GET, "v", 0, 1))
    ev = metered_at(place.pk, place.head.pk, shot.id, t, request.GET.get("meter", METERS[0]), spot)
    return JsonResponse({"t": t, "ev": round(ev, 3)})


def _reading(post: QueryDict) -> Reading:
    try:
        told = np.array(json.loads(post.get("read", "")), float)
    except ValueError:
        raise PlaceError("What was read cannot be understood: read along the shot again.") from None
    if told.ndim != 2 or told.shape[1] != 2 or not 2 <= len(told) <= MOST_READINGS or not np.isfinite(told).all():
        raise PlaceError("There is nothing read yet: read along the shot first.")
    return Reading(told[:, 0], told[:, 1])


@place_view("POST")
def exposed(request: HttpRequest, place: Place) -> HttpResponse:
    """Keys of the exposure by what was read along a shot: offered, or with ``use`` set."""
    shot = shot_of(place, request.POST.get("shot"))
    reading = _reading(request.POST)
    stays, smooth = _number(request.POST, "stays", 0, 1), _number(request.POST, "smooth", 0, 60)
    if not request.POST.get("use"):
        return JsonResponse({"keys": [[round(t, 4), round(v, 3)] for t, v in offered(shot, reading, stays, smooth)]})

    def command() -> dict[str, Any]:
        return metered_edit(shot, reading, stays, smooth)

    return said(request, place, command)


@place_view("POST")
def a_day(request: HttpRequest, place: Place) -> HttpResponse:
    """A day and a night in a clip of some seconds."""
    shot = shot_of(place, request.POST.get("shot"))
    return said(request, place, lambda: whole_day(shot, _number(request.POST, "seconds", 0.5, 600)))
