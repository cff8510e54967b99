"""Files of takes: frames, films, zips."""

from __future__ import annotations

import re
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from lumwick.built.gobo_film import FPS_OF_FRAMES, silhouettes, zipped
from lumwick.deliver.manifest import Told, beside_frames, name_of
from lumwick.errors import LumwickError
from lumwick.motion.timebase import RATES
from lumwick.place.edits import fresh_id
from lumwick.place.files import asset_of
from lumwick.snapshot.evaluate import camera_at
from studio.looks.settings import revision_setting
from studio.places.models import AssetFile, StaleRevision
from studio.takes.models import (
    Frame,
)
from studio.takes.views import own_take


@login_required
@require_GET
def frame(request: HttpRequest, take_id: int, number: int) -> HttpResponseBase:
    take = own_take(request, take_id)
    found = get_object_or_404(Frame, take=take, number=number, state=Frame.State.DONE)
    if not found.path.exists():
        raise Http404
    return FileResponse(
        found.path.open("rb"),
        content_type="image/png",
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )


@login_required
@require_GET
def film(request: HttpRequest, take_id: int) -> HttpResponseBase:
    """The film, in ranges where the player asks for them."""
    take = own_take(request, take_id)
    if not take.film_path.exists():
        raise Http404
    return ranged(request, take.film_path, "video/mp4", download="download" in request.GET)


def ranged(request: HttpRequest, path: Path, kind: str, download: bool) -> HttpResponseBase:
    """A file, or the range of it that is asked for."""
    size = path.stat().st_size
    file = path.open("rb")
    found = re.fullmatch(r"bytes=(\d*)-(\d*)", request.headers.get("Range", ""))
    if not found or not (found[1] or found[2]):
        return FileResponse(
            file, content_type=kind, as_attachment=download, filename=path.name, headers={"Accept-Ranges": "bytes"}
        )
    start = int(found[1]) if found[1] else max(0, size - int(found[2]))
    end = min(int(found[2]), size - 1) if found[1] and found[2] else size - 1
    if start > end or start >= size:
        file.close()
        return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    file.seek(start)
    length = end - start + 1
    reply = FileResponse(_stretch(file, length), status=206, content_type=kind)
    reply["Content-Range"], reply["Accept-Ranges"] = f"bytes {start}-{end}/{size}", "bytes"
    reply["Content-Length"] = str(length)
    return reply


PIECE = 1 << 16


def _stretch(file: IO[bytes], length: int) -> Iterator[bytes]:
    """So many bytes of an open file from where it stands, a piece at a time; it is closed afterwards."""
    with file:
        while length > 0 and (data := file.read(min(PIECE, length))):
            length -= len(data)
            yield data


@login_required
@require_POST
def use_as_gobo(request: HttpRequest, take_id: int) -> HttpResponseBase:
    """Hang a lamp that throws a take's moving shadow from where its camera stood: silhouettes of what stands before the
    sky where that was cut out, else its pictures."""
    take = own_take(request, take_id)
    done = take.frames.filter(state=Frame.State.DONE).select_related("take").order_by("number")
    if not done:
        return HttpResponse("This take has no frames yet.", status=422)
    cut = "cut_sky" in take.outputs
    frames = ((f"{f.number:05d}.png", f.files()[".cut.png"] if cut else f.path) for f in done)
    data = silhouettes((name, path.read_bytes()) for name, path in frames if path.exists()) if cut else zipped(frames)
    place = take.place
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    shots = setting.place.shots
    shot = next((s for s in shots if s.id == take.shot), shots[0])
    camera = camera_at(setting, shot, 0.0)
    name = f"{take.shot}-take-{take.number:03d}.zip"
    gobo = {"kind": "film", "film": asset_of(name, data).model_dump(), "rate": float(RATES[take.fps]) / FPS_OF_FRAMES}
    ids = [lamp.id for lamp in setting.place.lamps]
    where = dict(zip(("east", "north", "up"), (round(float(v), 3) for v in camera.position), strict=True))
    lamp = {
        "id": fresh_id(ids, "shadow"),
        "name": f"Shadow of {take.shot_name}"[:80],
        "kind": "spot",
        **where,
        "bearing": round(camera.bearing - setting.place.site.north_turn, 2),
        "pitch": round(camera.pitch, 2),
        "amount": 4000.0,
        "gobo": gobo,
    }
    try:
        AssetFile.keep(data, place.owner)
        place.edit(place.head.number, {"op": "add", "to": "lamps", "item": lamp})
    except (LumwickError, StaleRevision) as error:
        return HttpResponse(str(error), status=422)
    return redirect(f"{reverse('place', args=[place.pk])}?pick={lamp['id']}")


@login_required
@require_GET
def frames_zip(request: HttpRequest, take_id: int) -> HttpResponseBase:
    """All finished frames, numbered, in a zip, with their cameras and a manifest."""
    take = own_take(request, take_id)
    setting = revision_setting(take.revision_id)
    shot = None if take.kind == "film" else setting.place.shot(take.shot).at_rate(take.fps)
    done = take.frames.filter(state=Frame.State.DONE).select_related("take")
    files = {f.number: {ending: path for ending, path in f.files().items() if path.exists()} for f in done}
    told = Told(shot, (take.width, take.height), take.quality, files)
    file = tempfile.TemporaryFile()  # noqa: SIM115 - without a name: gone with the response, or with what goes wrong
    try:
        with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as z:
            for number, held in files.items():
                for ending, path in held.items():
                    z.write(path, name_of(told, number, ending))
            for beside, data in beside_frames(setting, told).items():
                z.writestr(beside, data)
        file.seek(0)
    except BaseException:
        file.close()
        raise
    return FileResponse(
        file,
        as_attachment=True,
        filename=f"{take.shot}-take-{take.number:03d}-frames.zip",
        content_type="application/zip",
    )
