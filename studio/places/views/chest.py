"""The plan chest: places started, brought in, put away and handed on."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from lumwick.demo import saltmere
from lumwick.errors import LumwickError, PlaceError
from lumwick.land.detail import parts_of
from lumwick.land.elevation import BYTES_AT_MOST, read_elevation, too_large
from lumwick.newplace import place_from_survey
from lumwick.place.document import Place as Document
from lumwick.place.files import pack, unpack
from lumwick.strangers import inside
from lumwick.taking_in import taken_in
from studio.places.models import Place, assets_for
from studio.places.views.owned import place_view


@login_required
def chest(request: HttpRequest) -> HttpResponse:
    """The plan chest: all places one may open."""
    mine = Place.objects.filter(owner=request.user.pk).select_related("head")
    places = list(mine.filter(thrown_out=None))
    for place in places:
        place.last_take = place.takes.order_by("-number").first()  # type: ignore[attr-defined]
        place.has_print = thumbnail_path(place.pk).exists()  # type: ignore[attr-defined]
    return render(
        request,
        "chest.html",
        {
            "places": places,
            "gone": mine.exclude(thrown_out=None).order_by("-thrown_out")[:6],
            "fault": request.session.pop("fault", ""),
        },
    )


def thumbnail_path(place_id: int) -> Path:
    """Where the small picture of a place on the plan chest lies."""
    return Path(settings.MEDIA_ROOT) / "prints" / f"{place_id}.jpg"


@place_view("GET")
def place_print(request: HttpRequest, place: Place) -> HttpResponseBase:
    if not thumbnail_path(place.pk).exists():
        raise Http404
    return FileResponse(
        thumbnail_path(place.pk).open("rb"), content_type="image/jpeg", headers={"Cache-Control": "no-cache"}
    )


def _number(request: HttpRequest, name: str) -> float | None:
    text = request.POST.get(name, "").strip().replace(",", ".")
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        raise PlaceError(f"{name.replace('_', ' ').capitalize()} must be a number, and {text!r} is none.") from None


def _brought(request: HttpRequest) -> tuple[Document, dict[str, bytes], str]:
    """The place that somebody wishes to begin with, its files, and how it came to be."""
    upload = request.FILES.get("file")
    if request.POST.get("starter") == "saltmarsh":
        return *saltmere(), "started from the saltmarsh"
    if upload is None:
        raise PlaceError(
            "Choose a file first: an elevation file (GeoTIFF, ESRI ASCII "
            "grid, 16-bit PNG) or a place file (.zip, .json)."
        )
    name = upload.name or "survey"
    if name.lower().endswith((".zip", ".json")):
        return *taken_in(*unpack(upload.read())), f"brought in from {name}"
    reduce = bool(request.POST.get("reduce"))
    if (upload.size or 0) > BYTES_AT_MOST and not reduce:
        raise PlaceError(too_large(name, upload.size or 0))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / inside(Path(name).name)
        with path.open("wb") as out:
            out.writelines(upload.chunks())
        survey = read_elevation(
            path,
            size_m=_number(request, "size"),
            lowest=_number(request, "lowest"),
            highest=_number(request, "highest"),
            reduce=reduce,
            latitude=_number(request, "latitude"),
            longitude=_number(request, "longitude"),
        )
    called = request.POST.get("name", "").strip() or path.stem
    as_it_is = bool(request.POST.get("as_surveyed"))
    place, files = place_from_survey(survey, called, _number(request, "sea_level"), refine=not as_it_is)
    parts = 1 if as_it_is else parts_of(survey.ground)
    made = f", relief below {survey.ground.spacing:.3g} m made up" if parts > 1 else ""
    return place, files, f"ground from {name}{made}{'. ' if survey.note else ''}{survey.note}"


@login_required
@require_POST
def bring_in(request: HttpRequest) -> HttpResponse:
    """A new place from a place file, a survey file or the demo starter."""
    try:
        document, assets, label = _brought(request)
        place = Place.start(request.user, document, assets, label)
    except LumwickError as error:
        if request.htmx:  # type: ignore[attr-defined]
            return render(request, "partials/fault.html", {"fault": str(error)}, status=422)
        request.session["fault"] = str(error)
        return redirect("chest")
    if request.htmx:  # type: ignore[attr-defined]
        return HttpResponse(headers={"HX-Redirect": reverse("place", args=[place.pk])})
    return redirect("place", place.pk)


@place_view("POST")
def throw_out(request: HttpRequest, place: Place) -> HttpResponse:
    """Put a place away; its revisions and takes are kept, what was rendering stops, and it can be brought back."""
    place.takes.filter(state__in=["waiting", "rendering", "film"]).update(state="cancelled")
    Place.objects.filter(pk=place.pk).update(thrown_out=timezone.now())
    return redirect("chest")


@login_required
@require_POST
def bring_back(request: HttpRequest, place_id: int) -> HttpResponse:
    """Undo throwing a place out."""
    place = get_object_or_404(Place, pk=place_id, owner=request.user)
    Place.objects.filter(pk=place.pk).update(thrown_out=None)
    return redirect("chest")


@place_view("GET")
def export(request: HttpRequest, place: Place) -> HttpResponse:
    """The place as an open place file."""
    assert place.head is not None
    document = place.head.parsed()
    name = "".join(c if c.isalnum() else "-" for c in place.name.lower()).strip("-") or "place"
    return HttpResponse(
        pack(document, assets_for(document)),
        content_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{name}.place.zip"'},
    )
