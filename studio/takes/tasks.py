"""The work behind takes: frames claimed one by one, rendered, and put together.

A frame in work is held by a PostgreSQL advisory lock on the worker's connection. A worker that dies loses its
connection, and with it the lock, so another takes the frame up; a frame that is done is never made again.
"""

from __future__ import annotations

import logging
import threading
import time
from typing import Any

import numpy as np
from django.db import connection, transaction
from django.db.models import Case, F, When
from django.utils import timezone
from numpy.typing import NDArray
from procrastinate.contrib.django import app

from lumwick.deliver.beside import BESIDE, Rendered
from lumwick.deliver.film import write_film
from lumwick.deliver.stills import read_png, write_png
from lumwick.errors import LumwickError
from lumwick.motion.timebase import RATES
from lumwick.picture import drift_of, film_picture, frame_picture
from lumwick.place.film import Part
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
from studio.looks.settings import revision_setting
from studio.takes.models import Frame, Take, frame_keys, stored

log = logging.getLogger("studio.takes")
ATTEMPTS = 3
STOPPING = threading.Event()
"""Set when this worker was told to stop: it leaves its frame for another and goes."""

_STAGES: dict[int, Stage] = {}


@app.task(queue="takes", pass_context=False)
def render_take(take_id: int) -> None:
    """Render a take's waiting frames until none is left, then make its film."""
    take = Take.objects.filter(pk=take_id).first()
    if take is None or not take.running:
        return
    Take.objects.filter(pk=take_id, state=Take.State.WAITING).update(state=Take.State.RENDERING, started=timezone.now())
    stop = _Stop(take_id)
    while not stop(now=True):
        frame = _claim(take_id)
        if frame is None:
            break
        try:
            _render(take, frame, stop)
        finally:
            _release(frame)
    if STOPPING.is_set():
        render_take.defer(take_id=take_id)  # another worker, or this one when it is back, goes on
    else:
        _finish(take_id)


class _Stop:
    """Whether to stop: this worker was told to, or (asked of the database at most twice a second) the take was
    cancelled."""

    def __init__(self, take_id: int) -> None:
        self.take_id, self.asked, self.answer = take_id, 0.0, False

    def __call__(self, now: bool = False) -> bool:

        if now or time.monotonic() - self.asked > 0.5:
            self.asked = time.monotonic()
            state = Take.objects.filter(pk=self.take_id).values_list("state", flat=True).first()
            self.answer = state in (None, Take.State.CANCELLED)
        return self.answer or STOPPING.is_set()


def _claim(take_id: int) -> Any:
    """The first waiting frame, from where the take begins on, that nobody holds."""
    waiting = Frame.objects.filter(take_id=take_id, state=Frame.State.WAITING)
    later = Case(When(number__lt=F("take__begins_at"), then=1), default=0)
    for frame in waiting.order_by("attempts", later, "number")[:200]:
        with connection.cursor() as cursor:
            cursor.execute("select pg_try_advisory_lock(%s, %s)", [take_id, frame.number])
            held = cursor.fetchone()[0]
        if held:
            frame.refresh_from_db()
            if frame.state == Frame.State.WAITING:
                return frame
            _release(frame)
    return None


def _release(frame: Any) -> None:
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_unlock(%s, %s)", [frame.take_id, frame.number])


def _stage(revision_id: int) -> Stage:
    """One stage is kept: the next frame is most likely of the same place."""
    setting = revision_setting(revision_id)
    if revision_id not in _STAGES:
        kept = next(iter(_STAGES.values()), None)
        _STAGES.clear()
        if kept is not None and kept.setting.ground is setting.ground:
            kept.change(setting)
            _STAGES[revision_id] = kept
        else:
            _STAGES[revision_id] = Stage(setting)
    return _STAGES[revision_id]


def _render(take: Any, frame: Any, stop: Any) -> None:

    start = time.perf_counter()
    try:
        files = frame.files()
        if take.kind == "film" and not frame.path.exists():
            if not _film_frame(take, frame, stop):
                return
            frame.seconds = time.perf_counter() - start
        elif not all(path.exists() for path in files.values()):
            frame.path.parent.mkdir(parents=True, exist_ok=True)
            stage = _stage(take.revision_id)
            shot = stage.setting.place.shot(take.shot).at_rate(take.fps)
            picture = frame_picture(
                stage,
                shot,
                frame.number,
                (take.width, take.height),
                QUALITIES[take.quality],
                stop=stop,
                passes=bool(take.outputs),
            )
            if picture is None:
                return
            size = (take.width, take.height)
            made = Rendered(
                picture.film,
                picture.light,
                picture.snapshot,
                frame.number,
                RATES[take.fps],
                lambda: drift_of(stage, shot, picture.snapshot.t, size),
            )
            for output in (BESIDE[name] for name in take.outputs):
                output.write(files[output.ending], made)
            write_png(frame.path, picture.pixels)
            frame.seconds = time.perf_counter() - start
        frame.state, frame.reason = Frame.State.DONE, ""
    except (LumwickError, OSError, MemoryError, ValueError, ArithmeticError, RuntimeError, LookupError) as error:
        frame.attempts += 1
        frame.reason = (str(error) or type(error).__name__)[:400]
        frame.state = Frame.State.FAILED if frame.attempts >= ATTEMPTS else Frame.State.WAITING
        log.exception("frame %s of take %s failed (attempt %s)", frame.number, take.pk, frame.attempts)
    frame.save(update_fields=["state", "attempts", "reason", "seconds"])


def _film_frame(take: Any, frame: Any, stop: Any) -> bool:
    """Make a frame of the film from its shots' frames, which are kept under their own names; False if it was
    stopped."""
    stage, size = _stage(take.revision_id), (take.width, take.height)
    place = stage.setting.place

    def made(part: Part) -> NDArray[np.uint8] | None:
        shot = place.shot(part.shot).at_rate(take.fps)
        path = stored(frame_keys(stage.setting, shot, range(part.frame, part.frame + 1), size, take.quality)[0])
        if path.exists():
            return read_png(path)
        picture = frame_picture(stage, shot, part.frame, size, QUALITIES[take.quality], stop=stop)
        if picture is None:
            return None
        path.parent.mkdir(parents=True, exist_ok=True)
        write_png(path, picture.pixels)
        return picture.pixels

    pixels = film_picture(stage, frame.number, size, QUALITIES[take.quality], made=made)
    if pixels is None:
        return False
    if not frame.path.exists():
        frame.path.parent.mkdir(parents=True, exist_ok=True)
        write_png(frame.path, pixels)
    return True


def _finish(take_id: int) -> None:
    """Make the film when no frame is left; only one worker gets to."""
    with transaction.atomic():
        take = Take.objects.select_for_update().filter(pk=take_id).first()
        if (
            take is None
            or take.state not in (Take.State.RENDERING, Take.State.FILM)
            or take.frames.filter(state=Frame.State.WAITING).exists()
        ):
            return
        if take.state == Take.State.FILM and not _film_orphaned(take_id):
            return
        take.state = Take.State.FILM
        take.save(update_fields=["state"])
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_lock(%s, 0)", [take_id])
        if not cursor.fetchone()[0]:
            return
    try:
        reason = _write_film(take)
        state = Take.State.FAILED if reason else Take.State.DONE
        still_ours = Take.objects.filter(pk=take_id, state=Take.State.FILM)
        still_ours.update(state=state, reason=reason[:400], finished=timezone.now())
    finally:
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_unlock(%s, 0)", [take_id])


def _write_film(take: Take) -> str:
    """Write a take's frames as a film; what went wrong with it or with them, in words."""
    done = list(take.frames.filter(state=Frame.State.DONE))
    failed = list(take.frames.filter(state=Frame.State.FAILED))
    reason = ""
    if done:
        take.folder.mkdir(parents=True, exist_ok=True)
        try:
            write_film(take.film_path, (read_png(f.path) for f in done), RATES[take.fps])
        except LumwickError as error:
            reason = str(error)
    if failed:
        reason = f"{len(failed)} of {take.count} frames failed; frame {failed[0].number}: {failed[0].reason}"
    return reason


def _film_orphaned(take_id: int) -> bool:
    """Whether nobody is at work on a film that was begun."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_lock(%s, 0)", [take_id])
        if cursor.fetchone()[0]:
            cursor.execute("select pg_advisory_unlock(%s, 0)", [take_id])
            return True
    return False
