"""The plan chest and the workspace."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_required
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import connection
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from lumwick.built.meshes import read_mesh
from lumwick.develop.view import tabled, white_from_grey
from lumwick.errors import LumwickError, PlaceError
from lumwick.lens.camera import Camera
from lumwick.lens.lens import Lens
from lumwick.motion.channel import Channel, Curve
from lumwick.motion.timebase import RATES
from lumwick.place.describe import typed
from lumwick.place.document import Place as Document
from lumwick.place.document import Shot
from lumwick.place.edits import fresh_id
from lumwick.place.files import asset_of, pack, unpack
from lumwick.place.paths import find
from lumwick.snapshot.evaluate import Setting, place_clock
from lumwick.trace.textures import read_image, read_panorama
from studio.looks.engine import ENGINE_OF_LOOKS, Superseded, revision_setting
from studio.places import charts
from studio.places.models import AssetFile, Place, StaleRevision, assets_for
from studio.places.slips import groups_of

BENCHES = (
    ("land", "Land"),
    ("water", "Water"),
    ("growth", "Growth"),
    ("air", "Air"),
    ("route", "Route"),
    ("cut", "Cut"),
)


def healthz(request: HttpRequest) -> HttpResponse:
    """Whether the server and its database answer."""
    with connection.cursor() as cursor:
        cursor.execute("select 1")
    return HttpResponse("ok")


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    return render(request, "not_found.html", status=404)


def join(request: HttpRequest) -> HttpResponse:
    """Make an account."""
    faults: list[str] = []
    if request.method == "POST":
        name, password = request.POST.get("username", "").strip().lower(), request.POST.get("password", "")
        users = get_user_model()
        try:
            validate_password(password)
            if "@" not in name or len(name) > 150:
                faults.append("Give an e-mail address to sign in with.")
            elif users.objects.filter(username=name).exists():
                faults.append("There is an account with this address already: sign in instead.")
            else:
                login(request, users.objects.create_user(username=name, email=name, password=password))
                return redirect("chest")
        except ValidationError as error:
            faults += error.messages
    return render(request, "join.html", {"faults": faults})


def own_place(request: HttpRequest, place_id: int) -> Place:
    """The place, if the visitor owns it; another's is as good as none.

    Raises
    ------
    Http404
    """
    return get_object_or_404(
        Place.objects.select_related("head", "head__parent"), pk=place_id, owner=request.user, thrown_out=None
    )


@login_required
def chest(request: HttpRequest) -> HttpResponse:
    """The plan chest: all places one may open."""
    mine = Place.objects.filter(owner=request.user).select_related("head")
    places = list(mine.filter(thrown_out=None))
    for place in places:
        place.last_take = place.takes.order_by("-number").first()  # type: ignore[attr-defined]
        place.has_print = print_path(place.pk).exists()  # type: ignore[attr-defined]
    return render(
        request,
        "chest.html",
        {
            "places": places,
            "gone": mine.exclude(thrown_out=None).order_by("-thrown_out")[:6],
            "fault": request.session.pop("fault", ""),
        },
    )


def print_path(place_id: int) -> Path:
    """Where the small picture of a place on the plan chest lies."""
    return Path(settings.MEDIA_ROOT) / "prints" / f"{place_id}.jpg"


@login_required
@require_GET
def place_print(request: HttpRequest, place_id: int) -> HttpResponse:
    own_place(request, place_id)
    if not print_path(place_id).exists():
        raise Http404
    return FileResponse(
        print_path(place_id).open("rb"), content_type="image/jpeg", headers={"Cache-Control": "no-cache"}
    )


def _number(request: HttpRequest, name: str) -> float | None:
    text = request.POST.get(name, "").strip().replace(",", ".")
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        raise PlaceError(f"{name.replace('_', ' ').capitalize()} must be a number, and {text!r} is none.") from None


@login_required
@require_POST
def bring_in(request: HttpRequest) -> HttpResponse:
    """A new place from a place file, a survey file or the demo starter."""
    from lumwick.demo import saltmere
    from lumwick.land.elevation import BYTES_AT_MOST, read_elevation, too_large
    from lumwick.newplace import place_from_survey

    try:
        upload = request.FILES.get("file")
        if request.POST.get("starter") == "saltmarsh":
            document, assets = saltmere()
            label = "started from the saltmarsh"
        elif upload is None:
            raise PlaceError(
                "Choose a file first: an elevation file (GeoTIFF, ESRI ASCII "
                "grid, 16-bit PNG) or a place file (.zip, .json)."
            )
        elif upload.name and upload.name.lower().endswith((".zip", ".json")):
            document, assets = unpack(upload.read())
            label = f"brought in from {upload.name}"
        else:
            if upload.size and upload.size > BYTES_AT_MOST and not request.POST.get("reduce"):
                raise PlaceError(too_large(upload.name or "The file", upload.size))
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / Path(upload.name or "survey").name
                with path.open("wb") as out:
                    for chunk in upload.chunks():
                        out.write(chunk)
                survey = read_elevation(
                    path,
                    size_m=_number(request, "size"),
                    lowest=_number(request, "lowest"),
                    highest=_number(request, "highest"),
                    reduce=bool(request.POST.get("reduce")),
                    latitude=_number(request, "latitude"),
                    longitude=_number(request, "longitude"),
                )
            document, assets = place_from_survey(
                survey, request.POST.get("name", "").strip() or path.stem, sea_level=_number(request, "sea_level")
            )
            label = f"ground from {upload.name}"
        place = Place.start(request.user, document, assets, label)
    except LumwickError as error:
        if request.htmx:  # type: ignore[attr-defined]
            return render(request, "partials/fault.html", {"fault": str(error)}, status=422)
        request.session["fault"] = str(error)
        return redirect("chest")
    if request.htmx:  # type: ignore[attr-defined]
        return HttpResponse(headers={"HX-Redirect": reverse("place", args=[place.pk])})
    return redirect("place", place.pk)


@login_required
@require_POST
def throw_out(request: HttpRequest, place_id: int) -> HttpResponse:
    """Put a place away; its revisions and takes are kept, what was rendering stops, and it can be brought back."""
    place = own_place(request, place_id)
    place.takes.filter(state__in=["waiting", "rendering"]).update(state="cancelled")  # type: ignore[attr-defined]
    Place.objects.filter(pk=place.pk).update(thrown_out=timezone.now())
    return redirect("chest")


@login_required
@require_POST
def bring_back(request: HttpRequest, place_id: int) -> HttpResponse:
    """Undo throwing a place out."""
    place = get_object_or_404(Place, pk=place_id, owner=request.user)
    Place.objects.filter(pk=place.pk).update(thrown_out=None)
    return redirect("chest")


@login_required
@require_GET
def workspace(request: HttpRequest, place_id: int) -> HttpResponse:
    """One place."""
    place = own_place(request, place_id)
    return render(
        request, "place.html", {"place": place, "benches": BENCHES, "state": state_of(place, request.GET.get("shot"))}
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
        "film": charts.film_drawing(setting.place),
        "route": charts.route_drawing(setting, shot),
        "day": charts.day_band(setting, shot),
        "lanes": charts.lanes(setting, shot, motions),
    }


@login_required
@require_GET
def state(request: HttpRequest, place_id: int) -> HttpResponse:
    return JsonResponse(state_of(own_place(request, place_id), request.GET.get("shot")))


@login_required
@require_GET
def chart(request: HttpRequest, place_id: int) -> HttpResponse:
    place = own_place(request, place_id)
    assert place.head is not None
    return JsonResponse(charts.chart(revision_setting(place.head.pk)))


@login_required
@require_POST
def edit(request: HttpRequest, place_id: int) -> HttpResponse:
    """One edit, undo, redo or restore, made on a stated revision."""
    place = own_place(request, place_id)
    try:
        data = json.loads(request.body)
        made_on, shot = int(data["rev"]), data.get("shot")
    except (ValueError, KeyError, TypeError):
        return JsonResponse({"error": "This edit does not say which revision it was made on."}, status=400)
    try:
        if data.get("move") == "undo":
            place.undo(made_on)
        elif data.get("move") == "redo":
            place.redo(made_on)
        elif "restore" in data:
            place.restore(made_on, int(data["restore"]))
        elif "typed_key" in data:
            assert place.head is not None
            path, t = str(data["typed_key"]["path"]), float(data["typed_key"]["t"])
            value = typed(revision_setting(place.head.pk).place, path, str(data["typed_key"]["text"]))
            place.edit(made_on, {"op": "place_key", "path": path, "t": t, "to": t, "value": value})
        elif "typed" in data:
            assert place.head is not None
            document = revision_setting(place.head.pk).place
            path, text = str(data["typed"]["path"]), str(data["typed"]["text"])
            t = float(data["typed"].get("t", 0))
            value = typed(document, path, text, place_clock(shot_of(place, shot), t))
            asked = _typed_edit(place, document, path, value, data["typed"], shot)
            if "ask" in asked:
                return JsonResponse(asked)
            place.edit(made_on, asked)
        else:
            command = dict(data["command"])
            if command.get("op") == "add_station" and "stand" in command:
                command = _station_stood(place, command)
            if command.get("op") in ("add_station", "update_station") and "view" in command:
                command = _station_from_look(place, command)
            if (
                command.get("op") == "move"
                and not data.get("auto")
                and (question := _moves_what_is_keyed(place, command, shot))
            ):
                return JsonResponse(question)
            place.edit(made_on, command)
    except StaleRevision as stale:
        fresh = own_place(request, place_id)
        return JsonResponse({"error": str(stale), "state": state_of(fresh, shot)}, status=409)
    except (KeyError, TypeError, ValueError):
        return JsonResponse({"error": "This edit cannot be read."}, status=400)
    fresh = own_place(request, place_id)
    return JsonResponse(state_of(fresh, shot))


def _typed_edit(
    place: Place, document: Document, path: str, value: Any, said: dict[str, Any], shot_id: str | None
) -> dict[str, Any]:
    """The edit that a typed value asks for; or, where it is keyed elsewhere and nobody said that changes set keys,
    the question what to do."""
    owner, name, info = find(document, path)
    old, shot = getattr(owner, name), shot_of(place, shot_id)
    if path.endswith((f"/shots/{shot.id}/frames", f"/shots/{shot.id}/fps")):
        frames, fps = (
            (int(value), shot.fps)
            if name == "frames"
            else (max(1, round(shot.frames * RATES[value] / RATES[shot.fps])), value)
        )
        return {"op": "retime", "shot": shot.id, "frames": frames, "fps": fps, "keep": said.get("keep", "seconds")}
    if not isinstance(old, Curve):
        return {"op": "set", "path": path, "value": value}
    t, half = float(said.get("t", 0)), 0.5 / float(RATES[shot.fps])
    here = min(old.keys, key=lambda key: abs(key.t - t))
    if abs(here.t - t) <= half:
        return {"op": "key", "path": path, "t": here.t, "value": value}
    how = said.get("how") or ("key" if said.get("auto") else "")
    if how in ("key", "raise"):
        return {"op": how, "path": path, "t": t, "value": value}
    return {
        "ask": {
            "path": path,
            "text": str(said["text"]),
            "t": t,
            "raise": isinstance(old, Channel),
            "title": info.title,
            "words": (
                f"{info.title} is keyed, and no key stands here. Changes do not "
                "set keys at the moment, so nothing was changed yet."
            ),
        }
    }


def _moves_what_is_keyed(place: Place, command: dict[str, Any], shot_id: str | None) -> dict[str, Any] | None:
    """The question that is asked before a drag on the chart sets keys, where none stand yet."""
    assert place.head is not None
    document, shot = revision_setting(place.head.pk).place, shot_of(place, shot_id)
    item = next((x for x in getattr(document, str(command.get("of")), []) if x.id == command.get("id")), None)
    curves = [c for c in (getattr(item, "east", 0), getattr(item, "north", 0)) if isinstance(c, Curve)]
    t, half = float(command.get("t", 0)), 0.5 / float(RATES[shot.fps])
    if all(any(abs(key.t - t) <= half for key in c.keys) for c in curves):
        return None
    return {
        "ask": {
            "command": command,
            "t": t,
            "raise": False,
            "title": getattr(item, "name", ""),
            "words": (
                f"The place of {getattr(item, 'name', 'this')} is keyed, and no key stands "
                "here. Changes do not set keys at the moment, so nothing was moved yet."
            ),
        }
    }


def _station_stood(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """A station from a press on the chart: where to stand, and where to look; its height is the floor's and, for a
    flight, what the station before it has over the floor."""
    stand = command.pop("stand")
    shot = shot_of(place, command["shot"])
    assert place.head is not None
    still = revision_setting(place.head.pk).still(shot)
    at = np.array(
        [[float(stand["east"]), float(stand["north"])], [float(stand["aim_east"]), float(stand["aim_north"])]]
    )
    if shot.route.stations:
        last = shot.route.stations[-1]
        at = np.concatenate([at, [[last.east, last.north]]])
    floor = still.floor(at[:, 0], at[:, 1])
    if still.place.sea.present:
        floor = np.maximum(floor, still.place.sea.level)
    over = (
        shot.route.eye_height
        if shot.route.way == "walk" or len(at) < 3
        else max(0.5, shot.route.stations[-1].up - float(floor[2]))
    )
    up = float(floor[0]) + over
    if np.hypot(*(at[1] - at[0])) < 0.5:
        at[1] = at[0] + [0.0, 10.0]
    return {
        **command,
        "station": {
            "id": fresh_id([s.id for s in shot.route.stations], "s"),
            "east": round(at[0, 0], 3),
            "north": round(at[0, 1], 3),
            "up": round(up, 3),
            "aim": [round(at[1, 0], 3), round(at[1, 1], 3), round(up, 3)],
            "focal": shot.route.stations[-1].focal if shot.route.stations else 28.0,
        },
    }


def _station_from_look(place: Place, command: dict[str, Any]) -> dict[str, Any]:
    """`Set station`: store the look's view as a station after the one before the playhead, or in one there is."""
    from lumwick.motion.route import station_from

    view = command.pop("view")
    shot = shot_of(place, command["shot"])
    sid = fresh_id([s.id for s in shot.route.stations], "s")
    station = station_from(
        sid,
        [float(view["x"]), float(view["y"]), float(view["z"])],
        float(view["bearing"]),
        float(view["pitch"]),
        round(Lens(float(view["focal"])).on(shot.exposure.sensor).focal_mm, 3),
    )
    roll = float(view.get("roll") or 0.0)
    roll = 0.0 if abs(roll) <= shot.route.level_within else roll
    if command["op"] == "update_station":
        return {
            **command,
            "east": station.east,
            "north": station.north,
            "up": station.up,
            "aim": station.aim,
            "focal": station.focal,
            "roll": roll,
        }
    if shot.route.timing == "by stations" and "t" in command:
        station = station.model_copy(update={"time": float(command["t"])})
    return {
        **{k: v for k, v in command.items() if k != "t"},
        "station": station.model_copy(update={"roll": roll or None}).model_dump(),
    }


@login_required
@require_POST
def bring(request: HttpRequest, place_id: int) -> HttpResponse:
    """Take in a file: a model to set down, or a texture, environment picture or look-up table for a field."""
    place = own_place(request, place_id)
    upload, what, path = request.FILES.get("file"), request.POST.get("what", ""), request.POST.get("path", "")
    assert place.head is not None
    try:
        if upload is None:
            raise PlaceError("Choose a file first.")
        if (upload.size or 0) > BROUGHT_AT_MOST:
            raise PlaceError(
                f"{upload.name} has {(upload.size or 0) / 1e6:,.0f} MB: at most "
                f"{BROUGHT_AT_MOST / 1e6:,.0f} MB can be brought in."
            )
        name, data = Path(upload.name or "file").name[:200], upload.read()
        note = checked(what, name, data, path)
        asset = asset_of(name, data).model_dump()
        if what == "model":
            document = place.head.parsed()
            ids = [x.id for x in document.things]
            item = {
                "id": fresh_id(ids, "model"),
                "name": Path(name).stem[:80] or "Model",
                "mesh": asset,
                **{k: float(request.POST.get(k) or 0) for k in ("east", "north", "up")},
            }
            command = {"op": "add", "to": "things", "item": item}
        else:
            command = {"op": "set", "path": path, "value": asset}
        AssetFile.keep(data)
        place.edit(int(request.POST.get("rev") or 0), command)
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    except ValueError:
        return JsonResponse({"error": "This file cannot be set down: its place cannot be read."}, status=400)
    fresh = own_place(request, place_id)
    return JsonResponse(
        {
            "state": state_of(fresh, request.POST.get("shot")),
            "note": note,
            "id": command["item"]["id"] if what == "model" else "",
        }
    )


BROUGHT_AT_MOST = 300_000_000


def checked(what: str, name: str, data: bytes, path: str) -> str:
    """Try a file before it is kept; returns a word on what was mended.

    Raises
    ------
    LumwickError
        It cannot be used for this.
    """
    if what == "model":
        return "; ".join(read_mesh(data, name).notes)
    if path.endswith("/picture"):
        return read_panorama(data, name)[1]
    if path.endswith("/lut"):
        tabled(np.zeros((1, 1, 3), np.float32), data, 1.0)
        return ""
    return read_image(data, name)[1]


@login_required
@require_POST
def grey(request: HttpRequest, place_id: int) -> HttpResponse:
    """White balance from a spot of the look that should be grey."""
    place = own_place(request, place_id)
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
    fresh = own_place(request, place_id)
    return JsonResponse({"state": state_of(fresh, request.POST.get("shot"))})


@login_required
@require_GET
def slip(request: HttpRequest, place_id: int) -> HttpResponse:
    """The properties of what is selected."""
    place = own_place(request, place_id)
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


@login_required
@require_GET
def waves(request: HttpRequest, place_id: int) -> HttpResponse:
    """The sea's spectrum at the playhead, for the drawing of the Water bench."""
    place = own_place(request, place_id)
    assert place.head is not None
    try:
        t = float(request.GET.get("t", 0))
    except ValueError:
        t = 0.0
    return JsonResponse(
        charts.spectrum_drawing(revision_setting(place.head.pk), shot_of(place, request.GET.get("shot")), t)
    )


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


@login_required
@require_GET
def look(request: HttpRequest, place_id: int) -> HttpResponse:
    """The rendered picture of the workspace, at one step of its refinement."""
    place = own_place(request, place_id)
    assert place.head is not None
    try:
        t, step, wish = float(request.GET.get("t", 0)), int(request.GET.get("step", 0)), int(request.GET.get("wish", 0))
        camera = own_view(request)
    except ValueError:
        return JsonResponse({"error": "This view cannot be read."}, status=400)
    shot = shot_of(place, request.GET.get("shot"))
    viewer = f"{request.session.session_key}:{request.GET.get('tab', '')}"
    try:
        picture, known = ENGINE_OF_LOOKS.look(
            viewer,
            place.pk,
            place.head.pk,
            shot.id,
            max(0.0, min(t, shot.seconds)),
            camera,
            max(0, step),
            wish,
            request.GET.get("noise") == "1",
        )
    except Superseded:
        return HttpResponse(status=204)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    if known["last"] and known["samples"] >= 8:
        path = print_path(place.pk)
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
        },
    )


@login_required
@require_GET
def export(request: HttpRequest, place_id: int) -> HttpResponse:
    """The place as an open place file."""
    place = own_place(request, place_id)
    assert place.head is not None
    document = place.head.parsed()
    name = "".join(c if c.isalnum() else "-" for c in place.name.lower()).strip("-") or "place"
    return HttpResponse(
        pack(document, assets_for(document)),
        content_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{name}.place.zip"'},
    )


@login_required
@require_GET
def help_page(request: HttpRequest) -> HttpResponse:
    return render(request, "help.html")
