"""Takes through real workers: killed, cancelled, failing."""

import contextlib
import hashlib
import io
import json
import os
import signal
import threading
import zipfile
from types import SimpleNamespace
from typing import Any

import av
import numpy as np
import pytest
from django.db import connection
from django.test import Client

from lumwick.errors import RenderError
from studio.looks.settings import revision_setting
from studio.takes import tasks
from studio.takes.models import Frame, Order, Take, progress
from tests.studio.conftest import until, words

pytestmark = pytest.mark.django_db(transaction=True)


def done(take: Take) -> int:
    return take.frames.filter(state=Frame.State.DONE).count()


def state(take: Take) -> str:
    take.refresh_from_db()
    return take.state


def test_a_killed_workers_take_is_finished_by_another(place: Any, worker: Any, client: Client) -> None:
    take = Take.begin(place, "a", Order("take", (160, 90), "study", 1, 10))
    first = worker()
    until(lambda: done(take) >= 2, what="two frames")
    os.kill(first.pid, signal.SIGKILL)
    first.wait()
    before = {f.number: f.path.stat().st_mtime_ns for f in take.frames.filter(state="done")}
    assert done(take) < 10
    worker()
    until(lambda: state(take) == Take.State.DONE, what="the take")
    assert done(take) == 10 and list(take.frames.values_list("number", flat=True)) == list(range(1, 11))
    for number, made in before.items():  # none was made twice
        assert take.frames.get(number=number).path.stat().st_mtime_ns == made
    with av.open(str(take.film_path)) as film:
        assert sum(1 for _ in film.decode(video=0)) == 10
    client.force_login(place.owner)
    with zipfile.ZipFile(io.BytesIO(b"".join(client.get(f"/takes/{take.pk}/frames.zip").streaming_content))) as z:
        pictures = [n for n in z.namelist() if n.endswith(".png")]
        told = json.loads(z.read("manifest.json"))
        assert len(pictures) == 10 and {"cameras.usda", "cameras.glb", "cameras.csv"} < set(z.namelist())
        for one in told["frames"]:
            (file,) = one["files"]
            assert hashlib.sha256(z.read(file["name"])).hexdigest() == file["sha256"]
    # a second take of the same finds every frame made
    again = Take.begin(place, "a", Order("take", (160, 90), "study", 1, 10))
    until(lambda: state(again) == Take.State.DONE, what="the second take")
    assert progress(again)["seconds_spent"] == 0


def test_cancel_stops_within_a_frame_and_going_on_finishes(place: Any, worker: Any, client: Client) -> None:
    take = Take.begin(place, "a", Order("take", (320, 180), "study", 1, 12))
    worker()
    until(lambda: done(take) >= 1, what="a frame")
    client.force_login(place.owner)
    assert client.post(f"/takes/{take.pk}/cancel/").status_code == 200
    at = done(take)
    other = Take.begin(place, "a", Order("rehearsal", (64, 36), "sketch", 1, 1))  # the worker is free again
    until(lambda: state(other) == Take.State.DONE, what="the next take")
    assert done(take) <= at + 1 and state(take) == Take.State.CANCELLED
    Take.objects.filter(pk=take.pk).update(last=3)
    take.frames.filter(number__gt=3).delete()
    client.post(f"/takes/{take.pk}/resume/")
    until(lambda: state(take) == Take.State.DONE, what="the rest")


def test_a_frame_that_fails_is_retried_then_told_while_the_others_go_on(
    place: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 3))
    real, tries = tasks.frame_picture, []

    def failing(stage: Any, shot: Any, number: int, *args: Any, **more: Any) -> Any:
        if number == 2:
            tries.append(number)
            raise RenderError("the film snapped")
        return real(stage, shot, number, *args, **more)

    monkeypatch.setattr(tasks, "frame_picture", failing)
    tasks.render_take(take.pk)
    tasks.make_film(take.pk)
    assert len(tries) == 3 and state(take) == Take.State.FAILED
    assert (
        "1 of 3 frames failed; frame 2: the film snapped" in take.reason and done(take) == 2 and take.film_path.exists()
    )


def test_two_hands_claim_each_frame_once_and_make_each_file_once(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 14))
    setting, claim = revision_setting(take.revision_id), tasks._claim
    claimed: list[int] = []
    made: dict[str, list[int]] = {"one": [], "two": []}
    together = threading.Barrier(2, timeout=60)

    def claiming(take: Any) -> Any:
        frame = claim(take)
        if frame is not None:
            claimed.append(frame.number)
        return frame

    def counted(stage: Any, shot: Any, number: int, *_: Any, **__: Any) -> Any:
        mine = made[threading.current_thread().name]
        if not mine:
            together.wait()  # both are at work before either goes on
        mine.append(number)
        return SimpleNamespace(pixels=np.full((36, 64, 3), number, np.uint8), snapshot=SimpleNamespace(camera=None))

    def hand() -> None:
        tasks.render_take(take.pk)
        connection.close()

    monkeypatch.setattr(tasks, "_ALONE", contextlib.nullcontext())  # as if each were a process
    monkeypatch.setattr(tasks, "_claim", claiming)
    monkeypatch.setattr(tasks, "frame_picture", counted)
    monkeypatch.setattr(tasks, "_stage", lambda _: SimpleNamespace(setting=setting))
    monkeypatch.setattr(tasks, "_end", lambda *_: None)
    hands = [threading.Thread(target=hand, name=name) for name in made]
    for one in hands:
        one.start()
    for one in hands:
        one.join(60)
    assert made["one"] and made["two"]
    assert sorted(claimed) == sorted(made["one"] + made["two"]) == list(range(1, 15))
    assert done(take) == 14 and len({frame.path for frame in take.frames.all()}) == 14


def test_two_hands_share_a_take_without_making_a_frame_twice(place: Any, worker: Any) -> None:
    take = Take.begin(place, "a", Order("take", (96, 54), "sketch", 1, 14))
    worker()
    worker()
    until(lambda: state(take) == Take.State.DONE, what="the take")
    assert done(take) == 14


@pytest.mark.parametrize(
    ("first", "last", "says"),
    [
        ("1", "0", "at least one frame"),
        ("1", "100000", "too many"),
        ("0", "3", "at least one frame"),
        ("1", "30", "past it"),
        ("x", "3", "whole number"),
    ],
)
def test_takes_that_cannot_be(place: Any, client: Client, first: str, last: str, says: str) -> None:
    client.force_login(place.owner)
    reply = client.post(
        f"/places/{place.pk}/take/", {"shot": "a", "size": "64x36", "quality": "sketch", "first": first, "last": last}
    )
    assert reply.status_code == 422 and says in reply.content.decode() and not Take.objects.exists()


def test_other_refusals(place: Any, client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    client.force_login(place.owner)
    for settings, says in (
        ({"size": "9x9"}, "from 16 to 8192"),
        ({"size": "big"}, "written like"),
        ({"quality": "best"}, "choose sketch"),
        ({"shot": "z"}, "no shot"),
        ({"fps": "31"}, "frame rate"),
    ):
        reply = client.post(
            f"/places/{place.pk}/budget/", {"shot": "a", "size": "64x36", "quality": "sketch", **settings}
        )
        assert reply.status_code == 422 and says in reply.content.decode()
    monkeypatch.setattr("shutil.disk_usage", lambda _: type("U", (), {"free": 1000})())
    with pytest.raises(RenderError, match="disk is too full"):
        Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 2))
    assert not Take.objects.exists()


def test_a_take_begins_and_leads_to_the_takes(place: Any, client: Client) -> None:
    client.force_login(place.owner)
    reply = client.post(
        f"/places/{place.pk}/take/", {"shot": "a", "size": "64x36", "quality": "sketch", "first": "1", "last": "2"}
    )
    assert reply.status_code == 200 and reply["HX-Redirect"] == f"/places/{place.pk}/takes/"
    assert Take.objects.get().frames.count() == 2
    assert "Waiting" in words(client.get(f"/places/{place.pk}/takes/"))


def test_budget_is_measured(place: Any, client: Client) -> None:
    client.force_login(place.owner)
    text = client.post(
        f"/places/{place.pk}/budget/", {"shot": "a", "size": "160x90", "quality": "sketch"}
    ).content.decode()
    assert "Measured just now" in text and "All 24" in text


def test_a_worker_that_is_told_to_stop_leaves_at_once_and_another_goes_on(place: Any, worker: Any) -> None:
    take = Take.begin(place, "a", Order("take", (480, 270), "study", 1, 3))
    first = worker()
    until(lambda: state(take) == Take.State.RENDERING, what="the start")
    os.kill(first.pid, signal.SIGTERM)
    first.wait(timeout=60)  # far less than its frame would take
    assert first.returncode == 0
    assert state(take) == Take.State.RENDERING and done(take) < 3
    Take.objects.filter(pk=take.pk).update(last=2)
    take.frames.filter(number=3).delete()
    worker()
    until(lambda: state(take) == Take.State.DONE, what="the take")
    assert done(take) == 2 and take.frames.filter(attempts__gt=1).count() == 0


def test_a_disk_that_fills_while_rendering_is_told_on_the_take(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 2))

    def full(path: Any, pixels: Any, **_: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(tasks, "write_png", full)
    tasks.render_take(take.pk)
    tasks.make_film(take.pk)
    assert state(take) == Take.State.FAILED and "No space left on device" in take.reason
    assert not take.frames.first().path.exists() and not take.film_path.exists()  # nothing half-made


def test_another_rate_keeps_the_length_of_the_shot(place: Any) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 12, "48"))
    assert take.fps == "48"
    shot = place.head.parsed().shot("a")
    assert shot.at_rate("48").frames == 2 * shot.frames and shot.at_rate("48").seconds == pytest.approx(shot.seconds)
    assert shot.at_rate("23.976").seconds == pytest.approx(shot.seconds, abs=1 / 24) and shot.at_rate("") is shot
    with pytest.raises(ValueError, match="not a frame rate in use"):
        shot.at_rate("31")
    with pytest.raises(RenderError, match="ends at frame 48"):
        Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 60, "48"))


def test_a_cancelled_place_renders_no_more(place: Any, client: Client) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 2))
    client.force_login(place.owner)
    client.post(f"/places/{place.pk}/throw-out/")
    tasks.render_take(take.pk)
    assert state(take) == Take.State.CANCELLED and done(take) == 0
    assert client.get(f"/takes/{take.pk}/").status_code == 404
    client.post(f"/places/{place.pk}/bring-back/")
    assert client.get(f"/takes/{take.pk}/").status_code == 200


def test_a_take_with_passes_and_cut_sky_hands_all_of_them_over(place: Any, worker: Any, client: Client) -> None:
    import OpenImageIO as oiio

    take = Take.begin(place, "a", Order("take", (96, 54), "sketch", 1, 2, outputs=("passes", "cut_sky")))
    worker()
    until(lambda: state(take) == Take.State.DONE, what="the take")
    client.force_login(place.owner)
    with zipfile.ZipFile(io.BytesIO(b"".join(client.get(f"/takes/{take.pk}/frames.zip").streaming_content))) as z:
        names = [n for n in z.namelist() if n.startswith("a.")]
        assert sorted(names) == sorted(f"a.0000{n}{ending}" for n in (1, 2) for ending in (".png", ".exr", ".cut.png"))
    frame = take.frames.get(number=1)
    image = oiio.ImageInput.open(str(frame.files()[".exr"]))
    channels = image.spec().channelnames
    image.close()
    assert {"motion.X", "motion.Y", "reflection.R", "lamps.G", "CryptoObject00.R", "Z"} <= set(channels)
    cut = oiio.ImageInput.open(str(frame.files()[".cut.png"]))
    pixels = cut.read_image("uint8")
    cut.close()
    assert pixels.shape == (54, 96, 4) and pixels[0, 48, 3] == 0 and pixels[-1, 48, 3] == 255
    page = words(client.get(f"/takes/{take.pk}/"))
    assert "with passes, OpenEXR" in page and "with the sky cut out" in page
    # the same frames without passes are found, not made again
    plain = Take.begin(place, "a", Order("take", (96, 54), "sketch", 1, 2))
    until(lambda: state(plain) == Take.State.DONE, what="the second take")
    assert progress(plain)["seconds_spent"] == 0
