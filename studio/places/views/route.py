"""The Route bench: the ride check and its repairs, ways drawn, suggested and brought in, spots picked in the look,
cameras handed on."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from PIL import Image

from lumwick.deliver.paths_in import METRES, AskHere, AskUnit, AskWhich, read_path
from lumwick.deliver.paths_out import export as files_of
from lumwick.errors import LumwickError, PlaceError
from lumwick.lens.lens import Lens
from lumwick.motion.timebase import RATES
from lumwick.place.document import Shot
from lumwick.place.edits import station_of
from lumwick.place.edits.shots import Reshoot
from lumwick.place.files import asset_of
from lumwick.place.filming import Station
from lumwick.route.camera_path import goes
from lumwick.route.drawn import Drawn
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.lay import CLOCKS, AskClock, along_line, as_stations, as_track, suggest
from lumwick.snapshot.mend import mend, mend_all
from lumwick.snapshot.ride import check, with_route
from studio.looks.engine import ENGINE_OF_LOOKS
from studio.looks.settings import revision_setting
from studio.places import charts
from studio.places.models import AssetFile, Place
from studio.places.request_bodies import Draft, DrawnWay, Mend, read, share, whole
from studio.places.views.owned import newest, place_view
from studio.places.views.workspace import shot_of, state_of

PATH_BYTES_AT_MOST = 200_000_000
QUICKER = ("10x", "30x", "60x")
"""How many times quicker than it was recorded a walk is offered."""


def _setting(place: Place) -> Setting:
    assert place.head is not None
    return revision_setting(place.head.pk)


def _reshot(place: Place, rev: int, shot: Shot, label: str, **more: Any) -> JsonResponse:
    """Put a shot in place of its older self, as one edit."""
    place.edit(rev, Reshoot(op="reshoot", shot=shot, label=label[:160]).model_dump(mode="json"))
    fresh = newest(place)
    return JsonResponse({"state": state_of(fresh, shot.id), **more})


@place_view("GET", one_at_a_time=True)
def ride(request: HttpRequest, place: Place) -> JsonResponse:
    """What is wrong with a shot's camera move."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    return JsonResponse(
        {
            "rev": place.head.number,
            "shot": shot.id,
            **(check(_setting(place), shot) if goes(shot.route) else {"found": [], "clean": True}),
        }
    )


@place_view("POST")
def mended(request: HttpRequest, place: Place) -> JsonResponse:
    """Repair one fault, or all that can be repaired."""

    asked = read(request, Mend)
    shot = shot_of(place, asked.shot)
    if asked.how == "all":
        new, done = mend_all(_setting(place), shot)
        if not done:
            raise PlaceError("Nothing here can be mended by itself: see what each line says.")
        return _reshot(place, asked.rev, new, f"mended the ride: {len(done)} repairs", done=done)
    new, label = mend(_setting(place), shot, asked.how, asked.begins, asked.ends, asked.kind)
    return _reshot(place, asked.rev, new, label, done=[label])


@place_view("POST")
def draft(request: HttpRequest, place: Place) -> JsonResponse:
    """The route as it would be with one station elsewhere; nothing is changed."""

    asked = read(request, Draft)
    shot = shot_of(place, asked.shot)
    i, station = station_of(shot, asked.station)
    held = asked.model_dump(include={"east", "north", "up", "aim"}, exclude_none=True)
    moved = station.model_copy(update=held)
    stations = list(shot.route.stations)
    stations[i] = moved
    return JsonResponse(charts.route_drawing(_setting(place), with_route(shot, stations=stations)))


@place_view("POST")
def drawn(request: HttpRequest, place: Place) -> JsonResponse:
    """A route along a line that was drawn on the chart."""

    asked = read(request, DrawnWay)
    shot, walk = shot_of(place, asked.shot), asked.way == "walk"
    if len(asked.points) < 2:
        raise PlaceError("A way needs two points at least: press where it starts, and where it goes.")
    points = np.array([[x, y, 0.0] for x, y in asked.points])
    height = asked.height or (shot.route.eye_height if walk else 2.5)
    new = along_line(_setting(place), shot, Drawn(points), "walk" if walk else "fly", height)
    return _reshot(place, asked.rev, new, f"drew a way of {len(new.route.stations)} stations")


@place_view("GET", one_at_a_time=True)
def suggested(request: HttpRequest, place: Place) -> JsonResponse:
    """Six good views of the place."""
    shot = shot_of(place, request.GET.get("shot"))

    def view(station: Station) -> dict[str, Any]:
        seen = Lens(station.focal, shot.exposure.sensor).full_frame_mm
        return {**station.model_dump(mode="json"), "seen_focal": seen}

    return JsonResponse({"views": [view(s) for s in suggest(_setting(place), shot)]})


@place_view("POST")
def laid(request: HttpRequest, place: Place) -> JsonResponse:
    """A path from a file as the shot's route; what the file does not say is asked for."""
    upload, post = request.FILES.get("file"), request.POST

    if upload is None:
        raise PlaceError("Choose a file first.")
    if (upload.size or 0) > PATH_BYTES_AT_MOST:
        raise PlaceError(
            f"{upload.name} has {(upload.size or 0) / 1e6:,.0f} MB: a path has at most {PATH_BYTES_AT_MOST / 1e6:,.0f}."
        )
    setting, shot = _setting(place), shot_of(place, post.get("shot"))
    name, data = Path(upload.name or "path").name[:120], upload.read()
    try:
        found = read_path(
            data,
            name,
            setting.still(shot).place.site,
            post.get("unit", ""),
            post.get("which", ""),
            float(RATES[shot.fps]),
            bool(post.get("here")),
        )
    except AskUnit as error:
        return JsonResponse({"ask": "unit", "words": str(error), "choices": list(METRES)})
    except AskWhich as error:
        return JsonResponse({"ask": "which", "words": str(error), "choices": error.names[:200]})
    except AskHere as error:
        return JsonResponse({"ask": "here", "words": str(error), "choices": ["here, as it lies"]})
    if found.track is not None and post.get("as") != "walk":
        if post.get("as") == "stations":
            new = as_stations(shot, found.track)
        else:
            csv = found.track.csv()
            AssetFile.keep(csv, place.owner)
            new = as_track(shot, asset_of(f"{Path(name).stem}.csv", csv), found.track)
    else:
        walk = post.get("as") == "walk"
        height, clock = 1.6 if walk else 2.5, post.get("clock", "")
        try:
            new = along_line(setting, shot, found.drawn, "walk" if walk else "fly", height, clock)
        except AskClock as error:
            return JsonResponse({"ask": "clock", "words": str(error), "choices": [*CLOCKS, *QUICKER]})
    exact = new.route.way == "brought"
    laid = f"a path run exactly, {new.seconds:.1f} s" if exact else f"{len(new.route.stations)} stations"
    revision = whole(post.get("rev"))
    return _reshot(
        place, revision, new, f"way from {name}", note=f"{found.name}: {laid}{'; ' if found.note else ''}{found.note}"
    )


@place_view("GET")
def spot(request: HttpRequest, place: Place) -> JsonResponse:
    """The spot of the place that a spot of the look shows."""

    u, v = (share(request.GET.get(name)) for name in ("u", "v"))
    point, distance = ENGINE_OF_LOOKS.point(place.pk, u, v)
    return JsonResponse({"point": [round(float(c), 3) for c in point], "distance": round(distance, 3)})


@place_view("GET")
def cameras(request: HttpRequest, place: Place) -> HttpResponse:
    """Cameras as a file that other programs read."""
    setting = _setting(place)
    kind = request.GET.get("kind", "glb")
    try:
        shots = [
            s
            for s in setting.place.shots
            if goes(s.route) and (not request.GET.get("shot") or s.id == request.GET["shot"])
        ]
        if not shots:
            raise PlaceError("There is no route to hand on.")
        stem = shots[0].id if len(shots) == 1 else "cameras"
        files = files_of(setting, shots, f"{stem}.{kind}")
    except LumwickError as error:
        return HttpResponse(str(error), status=422, content_type="text/plain; charset=utf-8")
    name, data = next(iter(files.items()))
    if len(files) > 1:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
            for each, bytes_ in files.items():
                z.writestr(each, bytes_)
        name, data = "cameras.zip", out.getvalue()
    return HttpResponse(
        data, content_type="application/octet-stream", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


@place_view("GET")
def still(request: HttpRequest, place: Place) -> HttpResponse:
    """A panorama or a stereo pair at the playhead, as PNG."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    try:
        t = min(max(float(request.GET.get("t", 0)), 0.0), shot.seconds)
        kind = request.GET.get("kind", "")
        pixels = ENGINE_OF_LOOKS.still(place.pk, place.head.pk, shot.id, t, kind)
    except ValueError:
        return HttpResponse("This moment cannot be read.", status=400, content_type="text/plain; charset=utf-8")
    except LumwickError as error:
        return HttpResponse(str(error), status=422, content_type="text/plain; charset=utf-8")
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=4)
    return HttpResponse(
        out.getvalue(),
        content_type="image/png",
        headers={"Content-Disposition": f'attachment; filename="{shot.id}-{kind}.png"'},
    )
