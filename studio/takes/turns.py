"""Whose turn it is: of which take a worker makes the next frame.

What somebody waits for at the screen goes first. A rehearsal goes before takes; the newest wish of a visitor before
older ones; and visitors take turns, a frame each.
"""

from __future__ import annotations

import datetime as dt

from django.db.models import Exists, OuterRef, QuerySet
from django.utils import timezone

from studio.takes.models import Frame, Take, progress

WISHED, OVERTAKEN, ORDERED = range(3)
"""Ranks: a visitor's newest rehearsal, older ones, and takes."""
NEVER = dt.datetime(2000, 1, 1, tzinfo=dt.UTC)


def open_takes() -> QuerySet[Take]:
    """Takes that have frames to make."""
    waiting = Frame.objects.filter(take=OuterRef("pk"), state=Frame.State.WAITING)
    running = Take.objects.filter(state__in=[Take.State.WAITING, Take.State.RENDERING])
    return running.filter(Exists(waiting)).select_related("place")


def in_turn() -> list[tuple[int, Take]]:
    """Takes that have frames to make, with their ranks, in the order in which a worker looks for one."""
    newest: dict[int, Take] = {}
    takes = list(open_takes())
    for take in takes:
        owner = take.place.owner_id
        if take.kind == "rehearsal" and (owner not in newest or take.wished > newest[owner].wished):
            newest[owner] = take

    def place_in_line(take: Take) -> tuple[int, dt.datetime, int]:
        if take.kind != "rehearsal":
            return ORDERED, take.made, take.pk
        if newest[take.place.owner_id].pk == take.pk:
            return WISHED, take.served or NEVER, take.pk
        return OVERTAKEN, NEVER + (timezone.now() - take.wished), take.pk

    return [(place_in_line(take)[0], take) for take in sorted(takes, key=place_in_line)]


def waits_behind(take: Take) -> str:
    """What a take waits for and about how long, in words; empty if it is its turn."""
    seconds = 0.0
    first = ""
    for rank, other in in_turn():
        if other.pk == take.pk:
            break
        if rank == WISHED and take.kind == "rehearsal":
            continue  # of another visitor: frames come in turn
        left = progress(other)["seconds_left"]
        seconds += left or 0.0
        first = first or f"{other.kind} {other.number} of {other.shot_name}"
    else:
        return ""
    if not first:
        return ""
    return f"waits for {first}" + (f", about {_words(seconds)}" if seconds else "")


def _words(seconds: float) -> str:
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return f"{round(seconds / 60)} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"
