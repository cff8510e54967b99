"""The Water bench's drawings and films."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.http import HttpRequest, HttpResponse, JsonResponse

from lumwick.deliver.alpha import write_alpha_film
from lumwick.deliver.stills import write_png
from lumwick.motion.timebase import RATES
from lumwick.snapshot.beaches import beach_of, drawn_frames
from lumwick.water.drawn import draw
from studio.looks.settings import revision_setting
from studio.places import waterlines
from studio.places.models import Place
from studio.places.views.owned import place_view
from studio.places.views.workspace import shot_of

BEACH_SIZE, BEACH_FILM = (640, 360), (1280, 720)
"""Pixels of a drawn beach as the bench shows it, and of its film."""


def _playhead(request: HttpRequest) -> float:
    try:
        return float(request.GET.get("t", 0))
    except ValueError:
        return 0.0


@place_view("GET")
def waves(request: HttpRequest, place: Place) -> HttpResponse:
    """What the Water bench draws at the playhead: the selected water, or the sea."""
    assert place.head is not None
    setting, shot = revision_setting(place.head.pk), shot_of(place, request.GET.get("shot"))
    t, name = _playhead(request), request.GET.get("selected", "")
    if any(one.id == name for one in setting.place.beaches):
        return JsonResponse({"beach": name, "words": f"drawn over {shot.seconds:g} s, with alpha"})
    own = waterlines.water_drawing(setting, shot, t, name)
    return JsonResponse(own or waterlines.sea_drawing(setting, shot, t))


@place_view("GET")
def beach(request: HttpRequest, place: Place, name: str) -> HttpResponse:
    """A drawn beach at the playhead, as PNG with alpha."""
    assert place.head is not None
    shot = shot_of(place, request.GET.get("shot"))
    pixels = draw(beach_of(revision_setting(place.head.pk), shot, name, _playhead(request)), *BEACH_SIZE)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "beach.png"
        write_png(path, pixels)
        return HttpResponse(path.read_bytes(), content_type="image/png")


@place_view("GET")
def beach_film(request: HttpRequest, place: Place, name: str) -> HttpResponse:
    """A drawn beach over a shot, as a film with alpha."""
    assert place.head is not None
    setting, shot = revision_setting(place.head.pk), shot_of(place, request.GET.get("shot"))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "beach.mov"
        write_alpha_film(path, drawn_frames(setting, shot, name, BEACH_FILM), RATES[shot.fps])
        answer = HttpResponse(path.read_bytes(), content_type="video/quicktime")
    answer["Content-Disposition"] = f'attachment; filename="{name}.mov"'
    return answer
