"""The work behind takes: frames claimed one by one, rendered, and put together.

A frame in work is held by a PostgreSQL advisory lock on the worker's connection. A worker that dies loses its
connection, and with it the lock, so another takes the frame up; a frame that is done is never made again.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from django.db import InterfaceError, OperationalError, connection, transaction
from django.db.models import Case, F, When
from django.db.models.functions import Mod
from django.utils import timezone
from numpy.typing import NDArray
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from lumwick.deliver.beside import BESIDE, Rendered
from lumwick.deliver.film import write_film
from lumwick.deliver.stills import read_png, write_png
from lumwick.errors import LumwickError
from lumwick.frame_keys import frame_keys
from lumwick.motion.timebase import RATES
from lumwick.picture import Picture, film_picture, frame_picture, motion_vectors_of
from lumwick.place.film import Part
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
from studio.looks.settings import revision_setting
from studio.takes.models import Frame, Take, enqueue, enqueue_film
from studio.takes.store import StoredFile, stored
from studio.takes.turns import ORDERED, OVERTAKEN, WISHED, in_turn

log = logging.getLogger("studio.takes")
ATTEMPTS = 3
"""Times that a frame is begun before an error of it is told as final."""
CLAIMS_AT_MOST = 6
"""Times that a frame is begun at all: one that takes its worker's life each time must not keep others from theirs."""
STOPPING = threading.Event()
"""Set when this worker was told to stop: it leaves its frame for another and goes."""

_STAGES: dict[int, Stage] = {}
LOOK_UP_EVERY = 0.25
"""Seconds after which a worker looks up from its frame."""
WISHES = (WISHED, OVERTAKEN)
"""Ranks of what somebody waits for at the screen."""
ANSWERING, FILM = (0, 1), 0
"""Locks beside frames' own (a take's and a frame's number): of who answers wishes, and of a take's film."""
COARSE = 4
"""Of a rehearsal, one frame in so many comes first."""


AGAIN = RetryStrategy(max_attempts=20, wait=2)
"""How a job that broke off, since the database was away, is begun again; what the sweep finds later has no end."""


@app.task(queue="takes", pass_context=False, retry=AGAIN)
def render_take(take_id: int) -> None:
    """Work while there are frames to make, each of the take whose turn it is.

    A job says that there is work, and for which take a worker came; it does not say what comes first (`turns`).
    """
    with _alone():
        comes_back = False
        while not (STOPPING.is_set() or comes_back):
            _answer()
            # nothing ordered: with what is wished one can help
            claimed = _next_frame((ORDERED,)) or _next_frame(WISHES)
            if claimed is None:
                break
            _make(*claimed)
            comes_back = Take.objects.filter(state=Take.State.FILM).exists()  # its job goes first
        _end(take_id)
        if STOPPING.is_set() or comes_back:
            render_take.defer(take_id=take_id)  # another worker, or this one when it is back, goes on


@app.task(queue="takes", pass_context=False, retry=AGAIN)
def make_film(take_id: int) -> None:
    """Write a take's frames as a film, once none is left to make; frames that were damaged are made again first."""
    with _alone():
        take = Take.objects.filter(pk=take_id, state=Take.State.FILM).first()
        if take is None or not _hold(take_id, FILM):
            return
        try:
            if take.wait_for_damaged():
                if Take.objects.filter(pk=take_id, state=Take.State.FILM).update(state=Take.State.RENDERING):
                    enqueue(take)
                return
            reason = _write_film(take)
            if reason is None:  # left: this worker was told to go, or the take was cancelled
                if STOPPING.is_set():
                    enqueue_film(take)
                return
            state = Take.State.FAILED if reason else Take.State.DONE
            still_ours = Take.objects.filter(pk=take_id, state=Take.State.FILM)
            still_ours.update(state=state, reason=reason[:400], finished=timezone.now())
        finally:
            _let_go(take_id, FILM)


_ALONE = threading.Lock()


@contextlib.contextmanager
def _alone() -> Iterator[None]:
    """One job at a time in this process: where the database went away under one, the next may come before it has
    ended. A connection that broke is put away, so that the next begins with a new one."""
    with _ALONE:
        try:
            yield
        except (OperationalError, InterfaceError):
            connection.close()
            raise


def sweep() -> int:
    """Ask for workers for takes that have work and no job, as after a crash; how many there were."""
    waiting = ProcrastinateJob.objects.filter(status__in=["todo", "doing"])
    asked = {(job.task_name, job.args.get("take_id")) for job in waiting}
    found = 0
    for take in Take.objects.filter(state__in=[Take.State.WAITING, Take.State.RENDERING, Take.State.FILM]):
        of_film = take.state == Take.State.FILM
        if ((make_film if of_film else render_take).name, take.pk) not in asked:
            log.warning("take %s has work and no job: one is asked for", take.pk)
            enqueue_film(take) if of_film else enqueue(take)
            found += 1
    return found


def _next_frame(ranks: tuple[int, ...] = (WISHED, OVERTAKEN, ORDERED)) -> tuple[Take, Frame, int] | None:
    """The frame whose turn it is among takes of some ranks, claimed; with its take and that rank."""
    for rank, take in in_turn():
        frame = _claim(take) if rank in ranks else None
        if frame is not None:
            return take, frame, rank
    return None


def _answer() -> bool:
    """Make the frames that somebody waits for at the screen, if no other worker does; whether there were any.

    One worker answers, whichever comes first: with two, takes go on meanwhile.
    """
    if not _hold(*ANSWERING):
        return False
    used = False
    try:
        while not STOPPING.is_set() and (claimed := _next_frame(WISHES)) is not None:
            _make(*claimed)
            used = True
    finally:
        _let_go(*ANSWERING)
    return used


def _make(take: Take, frame: Frame, rank: int) -> None:
    """Render a claimed frame; and the take's film, if it was the last."""
    now = timezone.now()
    Take.objects.filter(pk=take.pk).update(served=now)
    Take.objects.filter(pk=take.pk, state=Take.State.WAITING).update(state=Take.State.RENDERING, started=now)
    try:
        if not _render(take, frame, _Stop(take.pk, rank)):  # it was left: that was no try
            Frame.objects.filter(pk=frame.pk, attempts__gt=0).update(attempts=F("attempts") - 1)
    finally:
        _release(frame)
    _end(take.pk)


class _Stop:
    """Whether to leave a frame, asked between two strips of it.

    It is left when this worker was told to go, when its take was cancelled and, if it is of a rehearsal, when its
    visitor has a newer wish. A frame of a take is not left for a wish: it steps aside, and goes on afterwards. What has
    no rank, a film, is left for neither.
    """

    def __init__(self, take_id: int, rank: int | None) -> None:
        self.take_id, self.rank, self.asked, self.answer = take_id, rank, time.monotonic(), False

    def __call__(self) -> bool:
        if time.monotonic() - self.asked > LOOK_UP_EVERY and not self.answer:
            state = Take.objects.filter(pk=self.take_id).values_list("state", flat=True).first()
            self.answer = state in (None, Take.State.CANCELLED)
            if not self.answer and self.rank == ORDERED:
                _step_aside()
            elif not self.answer and self.rank == WISHED:
                self.answer = any(rank == OVERTAKEN and take.pk == self.take_id for rank, take in in_turn())
            self.asked = time.monotonic()
        return self.answer or STOPPING.is_set()


def _step_aside() -> None:
    """Make the frames that somebody waits for at the screen; the stage is given back as it was."""
    before = [(stage, stage.stood) for stage in _STAGES.values()]
    stages = dict(_STAGES)
    if _answer():
        _STAGES.clear()
        _STAGES.update(stages)
        for stage, stood in before:
            stage.set(*stood)


def _claim(take: Take) -> Frame | None:
    """The first waiting frame of a take, from where it begins on, that nobody holds; of a rehearsal every fourth frame
    comes first, so that it can soon be seen as a whole."""
    waiting = Frame.objects.filter(take_id=take.pk, state=Frame.State.WAITING)
    begins, order = take.begins_at, []
    if take.kind == "rehearsal":
        order.append(Case(When(fourth=take.first % COARSE, then=0), default=1))
        begins -= COARSE - 1  # the playhead shows the last frame that is ready
    if begins > 1:
        order.append(Case(When(number__lt=begins, then=1), default=0))
    for frame in waiting.alias(fourth=Mod("number", COARSE)).order_by("attempts", *order, "number")[:200]:
        if not _hold(take.pk, frame.number):
            continue
        frame.refresh_from_db()
        if frame.state == Frame.State.WAITING and frame.attempts >= CLAIMS_AT_MOST:
            frame.state = Frame.State.FAILED
            frame.reason = frame.reason or f"its worker stopped at it {frame.attempts} times, and it is let be"
            frame.save(update_fields=["state", "reason"])
            _end(take.pk)
        elif frame.state == Frame.State.WAITING:
            frame.attempts += 1  # before it is begun: what ends this worker can no longer count
            frame.save(update_fields=["attempts"])
            return frame
        _release(frame)
    return None


def _release(frame: Any) -> None:
    _let_go(frame.take_id, frame.number)


def _hold(first: int, second: int) -> bool:
    """Take a lock that all workers know; False if another worker has it. One that dies loses what it holds."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_lock(%s, %s)", [first, second])
        return bool(cursor.fetchone()[0])


def _let_go(first: int, second: int) -> None:
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_unlock(%s, %s)", [first, second])


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


def _render(take: Any, frame: Any, stop: Any) -> bool:
    """Make a frame and what its take wants beside it, or find them in the store; False if it was left."""
    start = time.perf_counter()
    try:
        files = frame.files()
        lost = [path for path in files.values() if not StoredFile.intact(path)]
        for path in lost:
            StoredFile.discard(path)
        if take.kind == "film" and lost:
            if not _film_frame(take, frame, stop):
                return False
            frame.seconds = time.perf_counter() - start
        elif lost:
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
                return False
            _write_beside(take, frame, picture, files)
            _keep(frame.path, picture.pixels)
            frame.seconds = time.perf_counter() - start
        frame.state, frame.reason = Frame.State.DONE, ""
    except (OperationalError, InterfaceError):
        raise  # the database is away: no fault of the frame's
    except (LumwickError, OSError, MemoryError, ValueError, ArithmeticError, RuntimeError, LookupError) as error:
        frame.reason = (str(error) or type(error).__name__)[:400]
        frame.state = Frame.State.FAILED if frame.attempts >= ATTEMPTS else Frame.State.WAITING
        log.exception("frame %s of take %s failed (attempt %s)", frame.number, take.pk, frame.attempts)
    frame.save(update_fields=["state", "reason", "seconds"])
    return True


def _keep(path: Path, pixels: NDArray[np.uint8]) -> None:
    """Put a picture into the store, with its digest."""
    path.parent.mkdir(parents=True, exist_ok=True)
    write_png(path, pixels)
    StoredFile.record(path)


def _write_beside(take: Take, frame: Frame, picture: Picture, files: dict[str, Path]) -> None:
    """What a take wants beside a frame's picture."""
    if not take.outputs:
        return
    stage, size = _stage(take.revision_id), (take.width, take.height)
    shot, seen = stage.setting.place.shot(take.shot).at_rate(take.fps), picture.snapshot
    motion = partial(motion_vectors_of, stage, shot, seen.t, size)
    made = Rendered(picture.film, picture.light, seen, frame.number, RATES[take.fps], motion)
    for output in (BESIDE[name] for name in take.outputs):
        output.write(files[output.ending], made)
        StoredFile.record(files[output.ending])


def _film_frame(take: Any, frame: Any, stop: Any) -> bool:
    """Make a frame of the film from its shots' frames, which are kept under their own names; False if it was
    stopped."""
    stage, size = _stage(take.revision_id), (take.width, take.height)
    place = stage.setting.place

    def made(part: Part) -> NDArray[np.uint8] | None:
        shot = place.shot(part.shot).at_rate(take.fps)
        path = stored(frame_keys(stage.setting, shot, range(part.frame, part.frame + 1), size, take.quality)[0])
        if StoredFile.intact(path):
            return read_png(path)
        picture = frame_picture(stage, shot, part.frame, size, QUALITIES[take.quality], stop=stop)
        if picture is None:
            return None
        _keep(path, picture.pixels)
        return picture.pixels

    pixels = film_picture(stage, frame.number, size, QUALITIES[take.quality], made=made)
    if pixels is None:
        return False
    if not StoredFile.intact(frame.path):
        _keep(frame.path, pixels)
    return True


def _end(take_id: int) -> None:
    """Ask for a take's film when no frame of it is left to make."""
    with transaction.atomic():
        take = Take.objects.select_for_update().filter(pk=take_id).first()
        begun = (Take.State.WAITING, Take.State.RENDERING)
        if take is None or take.state not in begun or take.frames.filter(state=Frame.State.WAITING).exists():
            return
        take.state = Take.State.FILM
        take.save(update_fields=["state"])
        enqueue_film(take)


class _Left(Exception):
    """A film is left before it is written."""


def _write_film(take: Take) -> str | None:
    """Write a take's frames as a film; what went wrong with it or with them, in words; None if it was left."""
    done = list(take.frames.filter(state=Frame.State.DONE))
    failed = list(take.frames.filter(state=Frame.State.FAILED))
    stop = _Stop(take.pk, None)
    reason = ""

    def pictures() -> Iterator[NDArray[np.uint8]]:
        for frame in done:
            if stop():
                raise _Left
            yield read_png(frame.path)

    if done:
        take.folder.mkdir(parents=True, exist_ok=True)
        try:
            write_film(take.film_path, pictures(), RATES[take.fps])
        except _Left:
            return None
        except LumwickError as error:
            reason = str(error)
    if failed:
        reason = f"{len(failed)} of {take.count} frames failed; frame {failed[0].number}: {failed[0].reason}"
    return reason
