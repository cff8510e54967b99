"""The look: the rendered picture of the workspace, and what is picked in it."""

from __future__ import annotations

import json

from django.http import HttpRequest, HttpResponse, JsonResponse

from lumwick.develop.view import white_from_grey
from lumwick.errors import LumwickError, PlaceError
from lumwick.lens.camera import Camera
from lumwick.place.document import Shot
from lumwick.snapshot.evaluate import Setting
from studio.looks.engine import ENGINE_OF_LOOKS, PreviewRequest
from studio.looks.request_queue import Busy, Superseded, asked_by, connected
from studio.places.models import Place, StaleRevision
from studio.places.views.chest import thumbnail_path
from studio.places.views.owned import newest, place_view
from studio.places.views.workspace import shot_of, state_of


def own_view(request: HttpRequest) -> dict[str, float] | None:
    """The look's own view, if it has left the route.

    Raises
    ------
    ValueError
        It cannot be read.
    """
    if "cam" not in request.GET:
        return None
    x, y, z, bearing, pitch, focal, *rest = (float(v) for v in request.GET["cam"].split(","))
    return {
        "x": x,
        "y": y,
        "z": z,
        "bearing": bearing % 360,
        "pitch": max(-89.0, min(89.0, pitch)),
        "focal": max(4.0, min(1200.0, focal)),
        "roll": rest[0] if rest else 0.0,
    }


def look_camera(request: HttpRequest, setting: Setting, shot: Shot) -> tuple[float, Camera | None]:
    """The look's clip time and its own camera, or None where it is on the route.

    Raises
    ------
    PlaceError
        They cannot be read.
    """
    try:
        t = max(0.0, min(float(request.GET.get("t", 0)), shot.seconds))
        return t, ENGINE_OF_LOOKS.camera(setting, shot, t, own_view(request))
    except ValueError:
        raise PlaceError("This view cannot be read.") from None


@place_view("GET")
def look(request: HttpRequest, place: Place) -> HttpResponse:
    """The rendered picture of the workspace, at one step of its refinement."""
    try:
        camera = own_view(request)
    except ValueError:
        return JsonResponse({"error": "This view cannot be read."}, status=400)
    return looked(request, place, f"{request.session.session_key}:{request.GET.get('tab', '')}", camera, keeps=True)


@place_view("GET")
def waits(request: HttpRequest, place: Place) -> JsonResponse:
    """What the look that was asked for waits for."""
    return JsonResponse({"say": ENGINE_OF_LOOKS.waits_for(str(request.session.session_key), place.pk)})


def looked(
    request: HttpRequest, place: Place, viewer: str, camera: dict[str, float] | None, keeps: bool = False
) -> HttpResponse:
    """The picture that a request wishes for.

    Parameters
    ----------
    viewer : str
        Whose wishes replace one another.
    camera : dict or None
        Its own view; the shot's camera if None.
    keeps : bool
        Whether a finished picture becomes the place's print in the plan chest.
    """
    assert place.head is not None
    try:
        t, step, wish = float(request.GET.get("t", 0)), int(request.GET.get("step", 0)), int(request.GET.get("wish", 0))
    except ValueError:
        return JsonResponse({"error": "This view cannot be read."}, status=400)
    shot = shot_of(place, request.GET.get("shot"))
    noise, shows_tones = request.GET.get("noise") == "1", request.GET.get("tones") == "1"
    t = max(0.0, min(t, shot.seconds))
    asked = PreviewRequest(viewer, place.pk, place.head.pk, shot.id, t, camera, max(0, step), wish, noise, shows_tones)
    try:
        with asked_by(viewer.rpartition(":")[0], connected(request), "look"):
            picture, known = ENGINE_OF_LOOKS.look(asked)
    except Superseded:
        return HttpResponse(status=204)
    except Busy as error:
        return JsonResponse({"error": str(error)}, status=503, headers={"Retry-After": "1"})
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    if keeps and known["last"] and known["samples"] >= 8:
        path = thumbnail_path(place.pk)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(picture)
    return HttpResponse(
        picture,
        content_type="image/jpeg",
        headers={
            "Cache-Control": "no-store",
            "X-Samples": str(known["samples"]),
            "X-Last": "1" if known["last"] else "0",
            "X-Step": str(known["step"]),
            "X-Revision": str(place.head.number),
            "X-Note": json.dumps(known["note"]),
            **({"X-Tones": json.dumps(known["tones"])} if "tones" in known else {}),
        },
    )


@place_view("POST")
def grey(request: HttpRequest, place: Place) -> HttpResponse:
    """White balance from a spot of the look that should be grey."""
    try:
        u, v = (min(1.0, max(0.0, float(request.POST[k]))) for k in ("u", "v"))
        kelvin, tint = white_from_grey(ENGINE_OF_LOOKS.spot(place.pk, u, v))
        place.edit(
            int(request.POST.get("rev") or 0),
            {"op": "white", "shot": request.POST.get("shot", ""), "kelvin": kelvin, "tint": tint},
        )
    except (KeyError, ValueError):
        return JsonResponse({"error": "This spot cannot be read."}, status=400)
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    fresh = newest(place)
    return JsonResponse({"state": state_of(fresh, request.POST.get("shot"))})
