"""Time in the workspace: a clip's length and clock, the seam, and the amount of motion."""

from __future__ import annotations

import base64
import datetime as dt
import io
from collections.abc import Callable
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from PIL import Image

from lumwick.air.sun import Meeting, sun_at_bearing, sun_day, sun_over_skyline, twilights
from lumwick.errors import LumwickError, PlaceError
from lumwick.motion.timebase import RATES, clip_frames, plan_lapse, rate
from lumwick.place.describe import numbers as numbers_of
from lumwick.place.document import Place as Document
from lumwick.place.document import Shot
from lumwick.place.instant import place_clock
from lumwick.place.quantities import read
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.amount import CROSSING, PICTURE
from studio.looks.engine import ENGINE_OF_LOOKS
from studio.looks.settings import revision_setting
from studio.places.models import Place, StaleRevision
from studio.places.views.look import look_camera
from studio.places.views.owned import newest, place_view
from studio.places.views.workspace import shot_of, state_of

EVENTS = {
    "sunset": "sunset",
    "sunrise": "sunrise",
    "noon": "the sun's highest",
    "dawn": "first light (civil)",
    "dusk": "last light (civil)",
}


def _head(place: Place, shot_id: str | None) -> tuple[Place, Document, Shot]:
    assert place.head is not None
    return place, revision_setting(place.head.pk).place, shot_of(place, shot_id)


def _whole(request: HttpRequest, name: str) -> int:
    """A whole number that the page itself sends.

    Raises
    ------
    PlaceError
    """
    text = request.POST.get(name, "")
    if not text.isdecimal():
        raise PlaceError(f"This request does not say its {name}: reload the page.")
    return int(text)


def said(request: HttpRequest, place: Place, make: Callable[[], dict[str, Any]]) -> JsonResponse:
    """Make one edit from a form, and answer with the newest state or a sentence."""
    shot_id = request.POST.get("shot")
    try:
        place.edit(_whole(request, "rev"), make())
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale), "state": state_of(newest(place), shot_id)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse({"state": state_of(newest(place), shot_id)})


def _seconds(text: str, title: str) -> float:
    return read(text, "s", title)


def events_of(document: Document, day: dt.date) -> dict[str, dt.datetime | None]:
    """The sun's events of a date on the place's clock; None for what it does not do that day."""
    site = document.site
    where = (site.latitude, site.longitude, site.utc_offset)
    sun, light = sun_day(day, *where), twilights(day, *where)
    return {
        "sunrise": sun.sunrise,
        "sunset": sun.sunset,
        "noon": sun.noon,
        "dawn": light["civil"][0],
        "dusk": light["civil"][1],
    }


@place_view("GET")
def clock(request: HttpRequest, place: Place) -> HttpResponse:
    """The clip and its clock: length, rate, the day, time-lapses and the sun's events."""
    _, document, shot = _head(place, request.GET.get("shot"))
    start = place_clock(shot, 0.0)
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    document = setting.still(shot).place
    site = document.site
    day = sun_day(start.date(), site.latitude, site.longitude, site.utc_offset)
    return render(
        request,
        "partials/clock.html",
        {
            "place": place,
            "shot": shot,
            "rates": RATES,
            "start": start,
            "events": [(name, words, events_of(document, start.date())[name]) for name, words in EVENTS.items()],
            "always": day.always,
            "keyed": any(m.path.endswith("/clock/start") for m in setting.motions(shot).movers),
            "event": shot.seconds * abs(shot.clock.speed),
            "interval": shot.seconds * abs(shot.clock.speed) / shot.frames,
        },
    )


@place_view("POST")
def clip(request: HttpRequest, place: Place) -> HttpResponse:
    """Another length or rate for a shot."""
    _, _, shot = _head(place, request.POST.get("shot"))

    def command() -> dict[str, Any]:
        fps = request.POST.get("fps") or shot.fps
        return {
            "op": "retime",
            "shot": shot.id,
            "frames": clip_frames(request.POST.get("length") or str(shot.frames), rate(fps)),
            "fps": fps,
            "keep": request.POST.get("keep") or "seconds",
        }

    return said(request, place, command)


@place_view("POST")
def lapse(request: HttpRequest, place: Place) -> HttpResponse:
    """The time-lapse planner: any three of event, clip, rate and interval; with ``use`` the shot takes it on."""
    _, _, shot = _head(place, request.POST.get("shot"))
    try:
        given = {name: request.POST.get(name, "").strip() for name in ("event", "clip", "fps", "interval")}
        plan = plan_lapse(
            **{
                name: (
                    _seconds(text, name.capitalize())
                    if name != "fps"
                    else float(rate(text))
                    if text in RATES
                    else read(text, "", "Rate")
                )
                if text
                else None
                for name, text in given.items()
            }
        )
        fps = next((name for name, exact in RATES.items() if abs(float(exact) - plan.fps) < 0.002), None)
        if request.POST.get("use"):
            if fps is None:
                raise PlaceError(
                    f"{plan.fps:.4g} frames a second is not a rate in use: choose one of {', '.join(RATES)}."
                )
            clock = {
                "op": "clock",
                "shot": shot.id,
                "start": place_clock(shot, 0.0).isoformat(),
                "speed": round(plan.speed, 6),
                "frames": plan.frames,
            }
            retime = {"op": "retime", "shot": shot.id, "frames": plan.frames, "fps": fps, "keep": "scale"}
            label = f"{shot.name}: {_long(plan.event)} in {plan.clip:.4g} s at {fps}, {plan.speed:.4g} times as fast"
            act = {"op": "several", "edits": [retime, clock], "label": label}
            place.edit(_whole(request, "rev"), act if fps != shot.fps else clock)
            return JsonResponse({"state": state_of(newest(place), shot.id)})
    except StaleRevision as stale:
        return JsonResponse({"error": str(stale)}, status=409)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse(
        {
            "event": plan.event,
            "clip": plan.clip,
            "fps": plan.fps,
            "interval": plan.interval,
            "frames": plan.frames,
            "speed": plan.speed,
            "text": (
                f"{_long(plan.event)} in {plan.clip:.4g} s at {plan.fps:.5g} frames a second: {plan.frames} "
                f"frames, one each {_long(plan.interval)}; the day runs {plan.speed:.4g} times as fast."
            ),
        }
    )


def _long(seconds: float) -> str:
    """A length of time as somebody would say it."""
    if seconds >= 2 * 3600:
        return f"{seconds / 3600:.4g} h"
    return f"{seconds / 60:.4g} min" if seconds >= 120 else f"{seconds:.4g} s"


@place_view("POST")
def around(request: HttpRequest, place: Place) -> HttpResponse:
    """From so long before an event of the sun to so long after it, in a clip of a given length."""
    _, _, shot = _head(place, request.POST.get("shot"))
    assert place.head is not None
    document = revision_setting(place.head.pk).still(shot).place

    def command() -> dict[str, Any]:
        event = request.POST.get("event", "sunset")
        if event not in EVENTS:
            raise PlaceError(f"The sun's events are {', '.join(EVENTS.values())}.")
        day = place_clock(shot, 0.0).date()
        when = events_of(document, day)[event]
        if when is None:
            sun = sun_day(day, document.site.latitude, document.site.longitude, document.site.utc_offset)
            why = (
                f"the sun is {'up' if sun.always == 'up' else 'down'} all day"
                if sun.always
                else "it does not get as dark as that"
            )
            raise PlaceError(f"There is no {EVENTS[event]} here on {day:%d %B %Y}: {why}. Choose another date.")
        before, after = (
            read(request.POST.get("before", ""), "h", "Before"),
            read(request.POST.get("after", ""), "h", "After"),
        )
        seconds = _seconds(request.POST.get("clip", ""), "Clip length")
        if before + after <= 0 or seconds <= 0:
            raise PlaceError(
                "The stretch of the day and the clip are longer than nothing: check the hours and the length."
            )
        frames = clip_frames(f"{seconds} s", RATES[shot.fps])
        return {
            "op": "clock",
            "shot": shot.id,
            "start": (when - dt.timedelta(hours=before)).replace(microsecond=0).isoformat(),
            "speed": round((before + after) * 3600 / seconds, 6),
            "frames": frames,
        }

    return said(request, place, command)


@place_view("GET")
def meet(request: HttpRequest, place: Place) -> HttpResponse:
    """When the sun meets a bearing, or the skyline of the view in the look."""
    _, _, shot = _head(place, request.GET.get("shot"))
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    site = setting.still(shot).place.site
    day = place_clock(shot, 0.0).date()
    where = (day, site.latitude, site.longitude, site.utc_offset)
    try:
        if request.GET.get("bearing", "").strip():
            bearing = read(request.GET["bearing"], "°", "Bearing") % 360
            found, what = sun_at_bearing(*where, bearing), f"stands at bearing {bearing:.0f}°"
            none = f"On {day:%d %B} the sun is never at bearing {bearing:.0f}° while it is up."
        else:
            t, camera = look_camera(request, setting, shot)
            azimuth, height = ENGINE_OF_LOOKS.skyline(place.pk, place.head.pk, shot.id, t, camera)
            found, what = sun_over_skyline(*where, azimuth - site.north_turn, height), "meets the skyline"
            none = (
                f"On {day:%d %B} the sun does not meet the skyline of this "
                "view: turn the look to where it rises or sets."
            )
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse({"none": "" if found else none, "found": [_meeting(m, what) for m in found]})


def _meeting(m: Meeting, what: str) -> dict[str, Any]:
    return {
        "start": m.when.replace(microsecond=0).isoformat(),
        "azimuth": round(m.azimuth, 2),
        "elevation": round(m.elevation, 2),
        "text": (
            f"{m.when:%H:%M:%S}: the sun "
            f"{what}{f' at bearing {m.azimuth:.0f}°' if 'skyline' in what else ''}, "
            f"{m.elevation:.1f}° up, {'rising' if m.rising else 'going down'}"
        ),
    }


@place_view("GET", one_at_a_time=True)
def seam(request: HttpRequest, place: Place) -> HttpResponse:
    """The seam check, with its repairs."""
    _, _, shot = _head(place, request.GET.get("shot"))
    assert place.head is not None
    gaps = seam_gaps(revision_setting(place.head.pk), shot)
    return render(
        request,
        "partials/seam.html",
        {"place": place, "shot": shot, "gaps": gaps, "open": [g for g in gaps if not g.closes], "words": REPAIR_WORDS},
    )


@place_view("GET")
def numbers(request: HttpRequest, place: Place) -> HttpResponse:
    """Every number of the shot and its place that can move, or be followed."""
    _, document, shot = _head(place, request.GET.get("shot"))
    return JsonResponse({"numbers": numbers_of(document, shot)})


REPAIR_WORDS = {
    "match": "match the last key to the first",
    "add": "add a matching key at the end",
    "cycle_offset": "come round and go on",
    "round": "fit its rounds into the loop",
    "mirror": "run this there and back",
    "cross-fade": "fade the picture over",
    "there and back": "run the clip there and back",
    "loop": "make the clip a loop",
    "still": "let the day stand still",
}


@place_view("POST")
def seam_step(request: HttpRequest, place: Place) -> HttpResponse:
    """Compare the rendered step from last frame to first with the clip's usual one."""
    _, _, shot = _head(place, request.POST.get("shot"))
    assert place.head is not None
    try:
        step = ENGINE_OF_LOOKS.seam_step(place.pk, place.head.pk, shot.id)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse({"text": step.text, "usual": step.usual, "greatest": step.greatest, "seam": step.seam})


@place_view("GET", one_at_a_time=True)
def amount(request: HttpRequest, place: Place) -> HttpResponse:
    """How much moves in the look's view: a map to lay over it, and words."""
    _, _, shot = _head(place, request.GET.get("shot"))
    assert place.head is not None
    setting = revision_setting(place.head.pk)
    try:
        t, camera = look_camera(request, setting, shot)
        motion = ENGINE_OF_LOOKS.amount(place.pk, place.head.pk, shot.id, t, camera)
    except LumwickError as error:
        return JsonResponse({"error": str(error)}, status=422)
    return JsonResponse(
        {
            "map": motion_map(motion.map),
            "amounts": [
                {
                    "name": a.name,
                    "middle": round(a.middle, 3),
                    "most": round(a.most, 3),
                    "text": a.text,
                    "share": round(a.share, 3),
                }
                for a in motion.amounts
            ],
        }
    )


def motion_map(pixels: Any) -> str:
    """A picture of pixels a frame as a data address: clear where nothing moves, blue, then amber, then red where it
    strobes."""
    limit = PICTURE / CROSSING
    level = np.clip(np.log10(np.maximum(np.nan_to_num(pixels), 1e-4) / 0.04) / np.log10(limit / 0.04), 0, 1.25)
    stops, colours = (
        [0.0, 0.5, 0.95, 1.0, 1.25],
        np.array([[60, 120, 150, 0], [47, 110, 140, 150], [200, 140, 50, 190], [170, 50, 40, 220], [150, 20, 20, 230]]),
    )
    rgba = np.stack([np.interp(level, stops, colours[:, c]) for c in range(4)], -1).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(rgba, "RGBA").save(out, "PNG")
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()
