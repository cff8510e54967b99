"""Takes and their frames. A take is a kept render, numbered, never overwritten."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from lumwick.deliver.beside import BESIDE
from lumwick.deliver.stills import frame_name
from lumwick.errors import RenderError
from lumwick.frame_keys import film_keys, frame_keys
from lumwick.place.document import Shot
from lumwick.place.film import laid_out
from lumwick.route.camera_path import goes
from lumwick.trace.film import blank
from lumwick.trace.quality import QUALITIES
from studio.looks.settings import revision_setting
from studio.places.models import Place, Revision
from studio.takes.store import StoredFile, stored

FRAMES_AT_MOST = 20_000
SPARE_BYTES = 300_000_000

JOBS_PER_TAKE = 2
"""Jobs enqueued for a take: as many workers may share its frames."""
RENDER, FILM = "studio.takes.tasks.render_take", "studio.takes.tasks.make_film"
FILM_FIRST = 10
"""Priority of a film's job: it is short, and somebody waits for it."""


def enqueue(take: Take) -> None:
    """Ask for a worker; by the job's name, since the job's own module knows of takes."""
    app.configure_task(RENDER).defer(take_id=take.pk)


def enqueue_film(take: Take) -> None:
    """Ask for a worker that makes a take's film, if that was not asked for yet."""
    lock = f"film of take {take.pk}"
    with contextlib.suppress(AlreadyEnqueued), transaction.atomic():
        app.configure_task(FILM, queueing_lock=lock, priority=FILM_FIRST).defer(take_id=take.pk)


@dataclass(frozen=True)
class Order:
    """What is to be rendered of a shot.

    Attributes
    ----------
    kind : str
        take or rehearsal.
    first, last : int
        Frames, from 1.
    fps : str
        Rate, if it is not the shot's own.
    outputs : tuple of str
        What is made beside each picture: names of `lumwick.deliver.beside.BESIDE`.
    begins_at : int
        The frame that is made first.
    """

    kind: str
    size: tuple[int, int]
    quality: str
    first: int
    last: int
    fps: str = ""
    outputs: tuple[str, ...] = ()
    begins_at: int = 1

    def check(self, shot: Shot) -> None:
        """Refuse what cannot be rendered of a shot.

        Raises
        ------
        RenderError
        """
        check_quality(self.quality)
        blank(*self.size)
        count = self.last - self.first + 1
        if count < 1 or self.first < 1:
            raise RenderError("A take needs at least one frame: the last frame lies before the first.")
        if count > FRAMES_AT_MOST:
            raise RenderError(
                f"{count:,} frames are too many for one take: at most {FRAMES_AT_MOST:,}. Split the shot."
            )
        if self.last > shot.frames:
            raise RenderError(f"The shot ends at frame {shot.frames}: frame {self.last} is past it.")


def bytes_beside(outputs: Sequence[str]) -> float:
    """What is made beside a picture takes on disk, for each of its pixels."""
    return sum(BESIDE[name].bytes_a_pixel for name in outputs)


def check_quality(name: str) -> None:
    """Refuse a quality that is not known.

    Raises
    ------
    RenderError
    """
    if name not in QUALITIES:
        raise RenderError(f"There is no quality {name!r}: choose sketch, study or fine.")


class Take(models.Model):
    """A rehearsal or a final render of a shot."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RENDERING = "rendering"
        FILM = "film", "making the film"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed", "done but for some frames"

    place = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="takes")
    revision = models.ForeignKey(Revision, on_delete=models.RESTRICT, related_name="+")
    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=10, choices=[("rehearsal", "rehearsal"), ("take", "take"), ("film", "film")])
    shot = models.CharField(max_length=40)
    shot_name = models.CharField(max_length=80)
    first, last = models.PositiveIntegerField(), models.PositiveIntegerField()
    fps = models.CharField(max_length=8)
    width, height = models.PositiveIntegerField(), models.PositiveIntegerField()
    quality = models.CharField(max_length=12)
    outputs = models.JSONField(default=list)
    """What is made beside each picture: names of `lumwick.deliver.beside.BESIDE`."""
    begins_at = models.PositiveIntegerField(default=1)
    """The frame that is made first; those after it follow, then those before."""
    wished = models.DateTimeField(default=timezone.now)
    """When somebody asked for it last."""
    served = models.DateTimeField(null=True)
    """When a frame of it was begun last."""
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    reason = models.CharField(max_length=400, blank=True)
    made = models.DateTimeField(auto_now_add=True)
    started, finished = models.DateTimeField(null=True), models.DateTimeField(null=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["place", "number"], name="one_take_a_number")]

    def __str__(self) -> str:
        return f"{self.kind} {self.number} of {self.shot_name}"

    def lay_out_frames(self, keys: Sequence[str]) -> None:
        """Its frames, waiting, each with the key of what it depends on."""
        Frame.objects.bulk_create(
            [Frame(take=self, number=n, key=key) for n, key in zip(range(self.first, self.last + 1), keys, strict=True)]
        )

    @property
    def folder(self) -> Path:
        return Path(settings.MEDIA_ROOT) / "takes" / str(self.pk)

    @property
    def film_path(self) -> Path:
        return self.folder / f"{self.shot}-take-{self.number:03d}.mp4"

    @property
    def beside(self) -> list[str]:
        """What is made beside each picture, in words."""
        return [BESIDE[name].title for name in self.outputs]

    @property
    def running(self) -> bool:
        return self.state in (self.State.WAITING, self.State.RENDERING, self.State.FILM)

    def cancel(self, reason: str = "") -> None:
        """Stop it, whatever it is at; a worker leaves it within half a second."""
        running = [self.State.WAITING, self.State.RENDERING, self.State.FILM]
        Take.objects.filter(pk=self.pk, state__in=running).update(state=self.State.CANCELLED, reason=reason)
        self.refresh_from_db()

    @transaction.atomic
    def resume(self) -> None:
        """Go on with it, whatever it is at: a cancelled one, failed frames, files that are gone or damaged; and ask for
        a worker, should none have been asked."""
        take = Take.objects.select_for_update().get(pk=self.pk)
        take.frames.filter(state=Frame.State.FAILED).update(state=Frame.State.WAITING, attempts=0, reason="")
        whole = take.state != self.State.DONE or take.film_path.is_file()
        lost = take.wait_for_damaged() if not take.running else 0
        if take.state in (self.State.CANCELLED, self.State.FAILED) or lost or not whole:
            take.state, take.reason = self.State.WAITING, ""
            take.save(update_fields=["state", "reason"])
        if take.state == self.State.FILM:
            enqueue_film(take)
        elif take.running:
            enqueue(take)
        self.refresh_from_db()

    def wait_for_damaged(self) -> int:
        """Set frames whose files are gone or damaged back to waiting; how many there were."""
        lost = 0
        for frame in self.frames.filter(state=Frame.State.DONE):
            damaged = [path for path in frame.files().values() if not StoredFile.intact(path)]
            if not damaged:
                continue
            for path in damaged:
                StoredFile.discard(path)
            frame.state, frame.reason = Frame.State.WAITING, "its file was gone or damaged, and it is made again"
            frame.save(update_fields=["state", "reason"])
            lost += 1
        return lost

    @property
    def count(self) -> int:
        return self.last - self.first + 1

    @classmethod
    def begin(cls, place: Place, shot_id: str, order: Order) -> Take:
        """Make a take with all its frames waiting, and enqueue the work, in one transaction.

        Raises
        ------
        RenderError
            The settings cannot be rendered.
        """
        assert place.head is not None
        setting = revision_setting(place.head.pk)
        shot = setting.place.shot(shot_id)
        if not goes(shot.route):
            raise RenderError("This shot's route has no station: set at least one before rendering.")
        shot = shot.at_rate(order.fps)
        order.check(shot)
        numbers = range(order.first, order.last + 1)
        return cls._begun(
            place,
            frame_keys(setting, shot, numbers, order.size, order.quality),
            round(order.size[0] * order.size[1] * (2 + bytes_beside(order.outputs))),
            kind=order.kind,
            shot=shot.id,
            shot_name=shot.name,
            first=order.first,
            last=order.last,
            fps=shot.fps,
            width=order.size[0],
            height=order.size[1],
            quality=order.quality,
            outputs=list(order.outputs),
            begins_at=order.begins_at,
        )

    @classmethod
    def begin_film(cls, place: Place, size: tuple[int, int], quality: str) -> Take:
        """Make a take of the whole film as it is cut.

        Raises
        ------
        RenderError, PlaceError
            It cannot be rendered.
        """

        assert place.head is not None
        setting = revision_setting(place.head.pk)
        check_quality(quality)
        blank(*size)
        spliced = laid_out(setting.place)
        for piece in spliced:
            if not goes(piece.shot.route):
                raise RenderError(
                    f"The route of {piece.shot.name} has no station: set one, or leave the shot out of the film."
                )
        total = spliced[-1].ends - 1
        if total > FRAMES_AT_MOST:
            raise RenderError(f"The film has {total:,} frames: at most {FRAMES_AT_MOST:,} can be made at once.")
        return cls._begun(
            place,
            film_keys(setting, size, quality),
            size[0] * size[1] * 2,
            kind="film",
            shot="film",
            shot_name="The film",
            first=1,
            last=total,
            fps=setting.place.cut.fps,
            width=size[0],
            height=size[1],
            quality=quality,
        )

    @classmethod
    def _begun(cls, place: Place, keys: Sequence[str], bytes_each: int, **fields: Any) -> Take:

        Path(settings.MEDIA_ROOT).mkdir(parents=True, exist_ok=True)
        free = shutil.disk_usage(settings.MEDIA_ROOT).free
        need = bytes_each * len(keys) + SPARE_BYTES
        if free < need:
            raise RenderError(
                f"The disk is too full for this take: about {need / 1e6:,.0f} MB are needed and "
                f"{free / 1e6:,.0f} MB are free. Make room, or choose a smaller size or fewer frames."
            )
        with transaction.atomic():
            locked = Place.objects.select_for_update().get(pk=place.pk)
            number = (locked.takes.aggregate(models.Max("number"))["number__max"] or 0) + 1
            take = cls.objects.create(place=locked, revision=place.head, number=number, **fields)
            take.lay_out_frames(keys)
            for _ in range(min(JOBS_PER_TAKE, take.count)):
                enqueue(take)
        return take


class Frame(models.Model):
    """One frame of a take."""

    class State(models.TextChoices):
        WAITING = "waiting"
        DONE = "done"
        FAILED = "failed"

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="frames")
    number = models.PositiveIntegerField()
    key = models.CharField(max_length=64)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    attempts = models.PositiveSmallIntegerField(default=0)
    """How often it was begun, and not left for something else."""
    seconds = models.FloatField(null=True)
    reason = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["take", "number"], name="one_frame_a_number")]
        indexes = [models.Index(fields=["take", "state"])]

    def __str__(self) -> str:
        return frame_name(self.take.shot, self.number)

    @property
    def path(self) -> Path:
        return stored(self.key)

    def files(self) -> dict[str, Path]:
        """All files that this frame's take asks for, by their endings."""
        endings = [".png", *(BESIDE[name].ending for name in self.take.outputs)]
        return {ending: self.path.with_suffix(ending) for ending in endings}


def progress(take: Take) -> dict[str, Any]:
    """How far a take is, and the time left from what its frames took so far."""
    rows = take.frames.values_list("state", "seconds")
    done = [s for state, s in rows if state == Frame.State.DONE]
    failed = sum(state == Frame.State.FAILED for state, _ in rows)
    rendered = [s for s in done if s]
    left = take.count - len(done) - failed
    each = sorted(rendered)[len(rendered) // 2] if rendered else None
    return {
        "done": len(done),
        "failed": failed,
        "left": left,
        "count": take.count,
        "share": round(100 * (len(done) + failed) / take.count, 1),
        "seconds_each": each,
        "seconds_left": each * left if each and take.running else None,
        "seconds_spent": sum(rendered),
    }


class Note(models.Model):
    """A remark pinned to a time and a spot of a take's picture."""

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="notes")
    t = models.FloatField()
    """Clip time [s]."""
    x, y = models.FloatField(), models.FloatField()
    """Shares of the picture's width and height, from its upper left corner."""
    text = models.CharField(max_length=500)
    settled = models.BooleanField(default=False)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["t", "pk"]

    def __str__(self) -> str:
        return f"{self.t:.2f} s: {self.text}"
