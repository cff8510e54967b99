"""The Growth bench's plant sheet: a stand's plant, its swings against the gusts, and its silhouette."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse

from lumwick.air.wind import kaimal
from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.seasons import month_of
from lumwick.growth.natural_frequency import natural_frequencies
from lumwick.place.document import Shot
from lumwick.place.growing import Stand
from lumwick.place.instant import Motions, place_clock
from lumwick.plant_sheet import Sheet, frames_zip, sheet, silhouettes, stand_at
from lumwick.snapshot.evaluate import Setting
from studio.looks.plants import SHEETS
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.places.views.owned import place_view
from studio.places.views.workspace import shot_of

HZ = np.geomspace(0.02, 10.0, 60)
SILHOUETTE = (256, 256)


def _asked(request: HttpRequest, place: Place, name: str) -> tuple[Setting, Shot, Stand, Sheet]:
    """The stand as it is at the playhead, and how it is looked at."""
    assert place.head is not None
    setting, shot = revision_setting(place.head.pk), shot_of(place, request.GET.get("shot"))
    try:
        t, turn = float(request.GET.get("t", 0)), float(request.GET.get("turn", 0))
    except ValueError:
        raise PlaceError("This sheet cannot be read.") from None
    stand = stand_at(setting.place, shot, name, t)
    now = Motions(setting.place, shot).at(t)
    month = float(stand.month)
    if stand.leaves == "by the date":
        month = month_of(place_clock(shot, t), float(now[0].site.latitude))
    elif stand.leaves == "in summer":
        month = 7.0
    speed = float((now[1].wind or now[0].wind).speed)
    return setting, shot, stand, Sheet(round(month, 3), float(stand.grown), turn % 360, speed)


@place_view("GET")
def plant(request: HttpRequest, place: Place, name: str) -> HttpResponse:
    """What the sheet says of a stand at the playhead: its season, its swings, and the gusts that meet them."""
    setting, _, stand, asked = _asked(request, place, name)
    swings, kind = natural_frequencies(stand), KINDS[stand.kind]
    density = HZ * kaimal(HZ, max(asked.wind, 0.5), 10.0, 1.0)
    told: dict[str, Any] = {
        "name": stand.name,
        "kind": kind.said or stand.kind,
        "height": float(stand.height),
        "month": asked.month,
        "season": stand.leaves,
        "grown": asked.grown,
        "wind": asked.wind,
        "woody": stand.single,
        "swings": {part: hz for part, hz in vars(swings).items() if hz > 0 and not kind.still},
        "gusts": [[round(float(n), 4), round(float(v), 4)] for n, v in zip(HZ, density / density.max(), strict=True)],
        "seconds": sheet(stand, asked, setting)[1].seconds,
    }
    return JsonResponse(told)


@place_view("GET")
def plant_picture(request: HttpRequest, place: Place, name: str) -> HttpResponse:
    """The plant on grey, at a time of its own clip and a step of its refinement."""
    setting, _, stand, asked = _asked(request, place, name)
    try:
        at, step = float(request.GET.get("at", 0)), int(request.GET.get("step", 0))
    except ValueError:
        raise PlaceError("This sheet cannot be read.") from None
    return HttpResponse(SHEETS.picture(place.pk, setting, stand, asked, at, step), content_type="image/jpeg")


@place_view("GET")
def plant_silhouette(request: HttpRequest, place: Place, name: str) -> HttpResponse:
    """Its moving silhouette, black on white, as a zip of frames that a gobo takes."""
    setting, _, stand, asked = _asked(request, place, name)
    answer = HttpResponse(frames_zip(silhouettes(stand, asked, SILHOUETTE, setting)), content_type="application/zip")
    answer["Content-Disposition"] = f'attachment; filename="{stand.id}-silhouette.zip"'
    return answer
