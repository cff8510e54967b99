"""Takes side by side: their frames in lock step, notes on them, contact sheets, and going back to what they were made
from."""

from __future__ import annotations

import io
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST
from PIL import Image, ImageDraw, ImageFont

from lumwick.motion.timebase import RATES
from lumwick.place.compare import changes
from studio.places.models import Place, StaleRevision
from studio.places.request_bodies import Pin, Unreadable, read
from studio.places.views.owned import place_view
from studio.takes.models import Frame, Note, Take
from studio.takes.views import own_take

SHEET_WIDE = 1600
NOTE_AT_MOST = 500


def _told(take: Take) -> dict[str, Any]:
    """A take as the page plays it."""
    return {
        "id": take.pk,
        "number": take.number,
        "kind": take.kind,
        "shot": take.shot_name,
        "fps": float(RATES[take.fps]),
        "first": take.first,
        "last": take.last,
        "width": take.width,
        "height": take.height,
        "quality": take.quality,
        "revision": take.revision.number,
        "label": take.revision.called or take.revision.label,
        "keys": dict(take.frames.filter(state=Frame.State.DONE).values_list("number", "key")),
        "notes": [_note(n) for n in take.notes.all()],
    }


def _note(note: Note) -> dict[str, Any]:
    return {
        "id": note.pk,
        "take": note.take_id,
        "t": note.t,
        "x": note.x,
        "y": note.y,
        "text": note.text,
        "settled": note.settled,
    }


@place_view("GET")
def compare(request: HttpRequest, place: Place) -> HttpResponse:
    """One take, or two in lock step."""
    chosen = [
        get_object_or_404(Take.objects.select_related("revision"), pk=int(pk), place=place)
        for name in ("a", "b")
        if (pk := request.GET.get(name, "")).isdecimal()
    ]
    if not chosen:
        return redirect("takes", place.pk)
    words = (
        changes(chosen[0].revision.parsed(), chosen[1].revision.parsed())
        if len(chosen) == 2 and chosen[0].revision_id != chosen[1].revision_id
        else []
    )
    others = Take.objects.filter(place=place).order_by("-number")[:60]
    return render(
        request,
        "compare.html",
        {
            "place": place,
            "takes": chosen,
            "others": others,
            "changes": words,
            "data": {"place": place.pk, "a": _told(chosen[0]), "b": _told(chosen[1]) if len(chosen) == 2 else None},
        },
    )


@login_required
@require_POST
def pin(request: HttpRequest, take_id: int) -> JsonResponse:
    """Pin a note to a time and a spot of a take."""
    take = own_take(request, take_id)
    try:
        said = read(request, Pin)
    except Unreadable as error:
        return JsonResponse({"error": str(error)}, status=400)
    t, x, y, text = said.t, said.x, said.y, " ".join(said.text.split())
    if not text:
        return JsonResponse({"error": "Write what there is to say, then pin it."}, status=422)
    if len(text) > NOTE_AT_MOST or not (0 <= x <= 1 and 0 <= y <= 1 and -1e6 < t < 1e6):
        return JsonResponse(
            {"error": f"A note has at most {NOTE_AT_MOST} letters, and lies in the picture."}, status=422
        )
    return JsonResponse({"note": _note(Note.objects.create(take=take, t=t, x=x, y=y, text=text))})


@login_required
@require_POST
def settle(request: HttpRequest, note_id: int) -> JsonResponse:
    """Mark a note as settled, or as open again; or take it off."""
    note = get_object_or_404(Note, pk=note_id, take__place__owner=request.user)
    if request.POST.get("remove"):
        note.delete()
        return JsonResponse({"gone": note_id})
    note.settled = not note.settled
    note.save(update_fields=["settled"])
    return JsonResponse({"note": _note(note)})


@login_required
@require_POST
def restore(request: HttpRequest, take_id: int) -> HttpResponse:
    """Make the state that a take was made from the newest one; nothing in between is lost."""
    take = own_take(request, take_id)
    assert take.place.head is not None
    try:
        take.place.restore(take.place.head.number, take.revision.number)
    except StaleRevision as stale:
        return HttpResponse(str(stale), status=409)
    return redirect(f"/places/{take.place_id}/?shot={take.shot}")


@login_required
@require_GET
def sheet(request: HttpRequest, take_id: int) -> HttpResponse:
    """A contact sheet: frames of a take in a grid, with their numbers and times, as one PNG."""
    take = own_take(request, take_id)
    done = list(take.frames.filter(state=Frame.State.DONE))
    if not done:
        return HttpResponse(
            "This take has no finished frame yet.", status=422, content_type="text/plain; charset=utf-8"
        )
    count = min(len(done), 20)
    shown = [done[round(i * (len(done) - 1) / max(count - 1, 1))] for i in range(count)]
    columns = 5 if count > 12 else 4 if count > 6 else max(1, min(3, count))
    gap, caption, head = 12, 22, 44
    wide = (SHEET_WIDE - gap) // columns - gap
    high = round(wide * take.height / take.width)
    rows = -(-count // columns)
    page = Image.new("RGB", (SHEET_WIDE, head + rows * (high + caption + gap) + gap), (119, 119, 119))
    draw, font, large = ImageDraw.Draw(page), ImageFont.load_default(14), ImageFont.load_default(20)
    draw.text(
        (gap, 12),
        f"{take.place.name} - {take.kind} {take.number}: {take.shot_name}, "
        f"{take.width}x{take.height}, {take.quality}, revision {take.revision.number}",
        fill=(240, 236, 226),
        font=large,
    )
    rate = float(RATES[take.fps])
    for k, frame in enumerate(shown):
        x, y = gap + (k % columns) * (wide + gap), head + (k // columns) * (high + caption + gap)
        if frame.path.exists():
            page.paste(Image.open(frame.path).convert("RGB").resize((wide, high), Image.Resampling.LANCZOS), (x, y))
        draw.text(
            (x, y + high + 3),
            f"frame {frame.number}   {(frame.number - 1) / rate:.2f} s",
            fill=(240, 236, 226),
            font=font,
        )
    out = io.BytesIO()
    page.save(out, "PNG", compress_level=5)
    return HttpResponse(
        out.getvalue(),
        content_type="image/png",
        headers={"Content-Disposition": f'inline; filename="{take.shot}-take-{take.number:03d}-sheet.png"'},
    )
