"""Rehearsals: what lies ready for a shot as it is now, and what is made first."""

from __future__ import annotations

import contextlib
import io
import threading
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.db import connection
from django.test import Client
from django.utils import timezone
from PIL import Image

from lumwick.deliver.stills import read_png
from lumwick.frame_keys import frame_keys
from lumwick.picture import frame_picture
from lumwick.trace.quality import QUALITIES, REHEARSAL
from lumwick.trace.stage import Stage
from studio.looks.settings import revision_setting
from studio.places.models import Place
from studio.takes import tasks
from studio.takes.models import Frame, Order, Take
from studio.takes.store import stored
from studio.takes.tasks import _claim, _next_frame, _release
from studio.takes.turns import ORDERED, OVERTAKEN, WISHED, in_turn, waits_behind
from tests.conftest import small_place
from tests.studio.conftest import kept_place, words

pytestmark = pytest.mark.django_db


@pytest.fixture
def visitor(client: Client, account: Any) -> Client:
    client.force_login(account)
    return client


def keys_now(place: Any, size: tuple[int, int] = (384, 216)) -> list[str]:
    head = Place.objects.get(pk=place.pk).head
    setting = revision_setting(head.pk)
    shot = setting.place.shot("a")
    return frame_keys(setting, shot, range(1, shot.frames + 1), size, REHEARSAL)


def make(key: str, colour: tuple[int, int, int] = (90, 120, 150)) -> Path:
    """Put a picture into the store, as a worker would."""
    path = stored(key)
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.new("RGB", (384, 216), colour).save(path)
    return path


def ready(visitor: Client, place: Any, **more: str) -> dict[str, Any]:
    reply = visitor.get(f"/places/{place.pk}/ready/", {"shot": "a", **more})
    assert reply.status_code == 200
    return reply.json()


def test_ready_tells_frames_by_what_they_show_whoever_had_them_made(visitor: Client, place: Any) -> None:
    assert ready(visitor, place)["frames"] == {} and not ready(visitor, place)["running"]
    keys = keys_now(place)
    for n in (1, 2, 20):
        make(keys[n - 1])
    assert ready(visitor, place)["frames"] == {"1": keys[0], "2": keys[1], "20": keys[19]}
    assert ready(visitor, place, size="640x360")["frames"] == {}  # another size is another picture
    # an edit of the place's name touches nothing; one of the haze everything; taking it back brings all of it back
    place.edit(1, {"op": "set", "path": "/name", "value": "Other"})
    assert len(ready(visitor, place)["frames"]) == 3
    Place.objects.get(pk=place.pk).edit(2, {"op": "set", "path": "/air/haze", "value": 0.4})
    assert ready(visitor, place)["frames"] == {}
    Place.objects.get(pk=place.pk).undo(3)
    assert len(ready(visitor, place)["frames"]) == 3


def test_a_frame_is_shown_as_a_picture_that_plays_quickly(visitor: Client, place: Any) -> None:
    key = keys_now(place)[0]
    assert visitor.get(f"/places/{place.pk}/shown/{key}.jpg").status_code == 404
    make(key)
    for _ in range(2):  # made, then kept
        reply = visitor.get(f"/places/{place.pk}/shown/{key}.jpg")
        picture = Image.open(io.BytesIO(b"".join(reply.streaming_content)))
        assert (
            reply["Content-Type"] == "image/jpeg"
            and "immutable" in reply["Cache-Control"]
            and picture.size == (384, 216)
        )
    assert abs(picture.getpixel((100, 100))[2] - 150) < 4
    for junk in ("0" * 64, "x", "..%2f..%2fpasswd"):
        assert visitor.get(f"/places/{place.pk}/shown/{junk}.jpg").status_code == 404


def test_a_rehearsal_begins_at_the_playhead_and_gives_way_to_an_edit(visitor: Client, place: Any) -> None:
    url = f"/places/{place.pk}/rehearse/"
    first = visitor.post(url, {"shot": "a", "from": "10"}).json()
    take = Take.objects.get(pk=first["id"])
    assert (take.begins_at, take.width, take.count) == (10, 384, 24) and ready(visitor, place)["running"]
    claimed = []
    for _ in range(24):
        frame = _claim(take)
        claimed.append(frame.number)
        take.frames.filter(pk=frame.pk).update(state="done")
        _release(frame)
    # every fourth first, from the one that the playhead shows on; then what lies between, and what lies before it
    assert claimed[:6] == [9, 13, 17, 21, 1, 5]
    assert claimed[6:] == [n for n in (*range(7, 25), *range(1, 7)) if n % 4 != 1]
    # the same again is the same; from another frame it goes on from there
    assert visitor.post(url, {"shot": "a", "from": "3"}).json()["id"] == first["id"]
    take.refresh_from_db()
    assert take.begins_at == 3
    # an edit overtakes it while it runs: it is cancelled, and another begins
    place.edit(1, {"op": "set", "path": "/air/haze", "value": 0.4})
    second = visitor.post(url, {"shot": "a", "from": "1"}).json()
    take.refresh_from_db()
    assert second["id"] != first["id"] and take.state == Take.State.CANCELLED and "overtook" in take.reason
    # one that is done is kept, as every test is
    Take.objects.filter(pk=second["id"]).update(state=Take.State.DONE)
    Place.objects.get(pk=place.pk).edit(2, {"op": "set", "path": "/air/haze", "value": 0.5})
    visitor.post(url, {"shot": "a"})
    assert Take.objects.get(pk=second["id"]).state == Take.State.DONE and Take.objects.count() == 3


def test_a_shot_of_one_frame_is_rehearsed(visitor: Client, account: Any) -> None:
    lone = small_place().shots[0].model_copy(update={"frames": 1})
    place = kept_place(account, shots=[lone])
    take = Take.objects.get(pk=visitor.post(f"/places/{place.pk}/rehearse/", {"shot": "a", "from": "1"}).json()["id"])
    tasks.render_take(take.pk)
    tasks.make_film(take.pk)
    take.refresh_from_db()
    shown = ready(visitor, place)
    assert take.state == Take.State.DONE and list(shown["frames"]) == ["1"] and not shown["running"]
    assert read_png(stored(shown["frames"]["1"])).shape == (216, 384, 3)


def test_rehearsals_that_cannot_be(visitor: Client, place: Any) -> None:
    url = f"/places/{place.pk}/rehearse/"
    assert "A rehearsal is" in visitor.post(url, {"shot": "a", "size": "9x9"}).json()["error"]
    assert "no shot" in visitor.post(url, {"shot": "z"}).json()["error"]
    assert "whole number" in visitor.post(url, {"shot": "a", "from": "soon"}).json()["error"]
    assert visitor.get(f"/places/{place.pk}/ready/", {"shot": "z"}).status_code == 422
    for station in ("s1", "s2", "s3"):
        head = Place.objects.get(pk=place.pk).head
        Place.objects.get(pk=place.pk).edit(head.number, {"op": "remove_station", "shot": "a", "station": station})
    assert "no station" in visitor.post(url, {"shot": "a"}).json()["error"]
    assert ready(visitor, place)["frames"] == {}


def test_a_range_on_the_ruler_is_what_the_take_form_offers(visitor: Client, place: Any) -> None:
    page = words(visitor.get(f"/places/{place.pk}/take-form/", {"shot": "a", "first": "5", "last": "9"}))
    assert 'name="first" value="5"' in page and 'name="last" value="9"' in page
    whole = words(visitor.get(f"/places/{place.pk}/take-form/", {"shot": "a"}))
    assert 'name="first" value="1"' in whole and 'name="last" value="24"' in whole


def order_of_work(until: int = 12) -> list[tuple[str, int]]:
    """Whose frames are made, one by one, by a worker that makes them at once."""
    made = []
    for _ in range(until):
        claimed = _next_frame()
        if claimed is None:
            break
        take, frame, _ = claimed
        made.append((f"{take.kind} {take.place_id}", frame.number))
        Take.objects.filter(pk=take.pk).update(served=timezone.now())
        take.frames.filter(pk=frame.pk).update(state="done")
        _release(frame)
    return made


def test_a_rehearsal_goes_before_takes_and_the_newest_wish_before_older_ones(place: Any) -> None:
    take = Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 3))
    older = Take.begin(place, "a", Order("rehearsal", (64, 36), "sketch", 1, 2))
    newer = Take.begin(place, "a", Order("rehearsal", (96, 54), "sketch", 1, 2))
    ranks = [(t.pk, rank) for rank, t in in_turn()]
    assert ranks == [(newer.pk, WISHED), (older.pk, OVERTAKEN), (take.pk, ORDERED)]
    assert waits_behind(newer) == "" and waits_behind(take).startswith("waits for rehearsal 3 of A")
    Take.objects.filter(pk=older.pk).update(wished=timezone.now())  # asked for again: it is the newest wish now
    assert [t.pk for _, t in in_turn()] == [older.pk, newer.pk, take.pk]
    assert [kind.split()[0] for kind, _ in order_of_work()] == ["rehearsal"] * 4 + ["take"] * 3
    assert _next_frame() is None


def test_visitors_take_turns(place: Any, other: Any) -> None:
    theirs = kept_place(other)
    for owned in (place, theirs):
        Take.begin(owned, "a", Order("rehearsal", (64, 36), "sketch", 1, 3))
    assert [who for who, _ in order_of_work()] == [f"rehearsal {p.pk}" for p in (place, theirs)] * 3


def test_a_take_steps_aside_for_a_rehearsal_and_goes_on_where_it_was(
    place: Any, visitor: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = Take.begin(place, "a", Order("take", (96, 54), "study", 1, 2))
    alone = Stage(revision_setting(take.revision_id))
    shot = alone.setting.place.shot("a")
    expected = [frame_picture(alone, shot, n, (96, 54), QUALITIES["study"]) for n in (1, 2)]
    monkeypatch.setattr(tasks, "LOOK_UP_EVERY", 0.0)
    wished: list[Any] = []
    asked = tasks._Stop.__call__

    def asking(stop: Any) -> bool:
        if not wished:  # while the first frame is under way
            wished.append(Take.begin(place, "a", Order("rehearsal", (64, 36), REHEARSAL, 1, 5)))
        return asked(stop)

    monkeypatch.setattr(tasks._Stop, "__call__", asking)
    tasks.render_take(take.pk)
    tasks.make_film(wished[0].pk)
    tasks.render_take(take.pk)
    tasks.make_film(take.pk)
    take.refresh_from_db()
    rehearsal = Take.objects.get(pk=wished[0].pk)
    assert take.state == rehearsal.state == Take.State.DONE
    assert rehearsal.finished < take.finished and rehearsal.frames.filter(state="done").count() == 5
    assert take.frames.filter(attempts__gt=1).count() == 0
    for frame, whole in zip(take.frames.order_by("number"), expected, strict=True):
        assert whole is not None and np.array_equal(read_png(frame.path), whole.pixels)


def test_a_stopped_rehearsal_is_left_and_what_is_made_stays(visitor: Client, place: Any) -> None:
    made = visitor.post(f"/places/{place.pk}/rehearse/", {"shot": "a"}).json()
    take = Take.objects.get(pk=made["id"])
    stop = tasks._Stop(take.pk, WISHED)
    stop.asked = 0.0
    assert not stop()
    assert visitor.post(f"/places/{place.pk}/rest/", {"shot": "a"}).json() == {"stopped": 1}
    stop.asked = 0.0
    assert stop() and tasks.LOOK_UP_EVERY <= 0.25
    take.refresh_from_db()
    assert take.state == Take.State.CANCELLED and _next_frame() is None
    again = visitor.post(f"/places/{place.pk}/rehearse/", {"shot": "a"}).json()
    assert again["id"] != take.pk  # asked for again, another begins, and finds what was made


@pytest.mark.django_db(transaction=True)
def test_of_two_workers_one_answers_wishes_and_the_other_goes_on(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    take = Take.begin(place, "a", Order("take", (96, 54), "study", 1, 24))
    rehearsal = Take.begin(place, "a", Order("rehearsal", (64, 36), REHEARSAL, 1, 12))
    made: list[tuple[str, str]] = []
    both = threading.Barrier(2, timeout=20)

    def rendered(take: Take, frame: Frame, stop: Any) -> bool:
        if len(made) < 2:  # both are at work: one in each of the two
            both.wait()
        made.append((threading.current_thread().name, take.kind))
        time.sleep(0.02)
        stop.asked = 0.0
        stop()  # as between two strips
        Frame.objects.filter(pk=frame.pk).update(state=Frame.State.DONE)
        return True

    def worker() -> None:
        try:
            for _ in range(40):  # as jobs come: frames, and a film as soon as one is due
                tasks.render_take(take.pk)
                for one in (take, rehearsal):
                    tasks.make_film(one.pk)
        finally:
            connection.close()

    monkeypatch.setattr(tasks, "_ALONE", contextlib.nullcontext())  # as if each were a process
    monkeypatch.setattr(tasks, "_render", rendered)
    monkeypatch.setattr(Take, "wait_for_damaged", lambda take: 0)
    monkeypatch.setattr(tasks, "_write_film", lambda take: "")
    workers = [threading.Thread(target=worker, name=name) for name in ("first", "second")]
    for one in workers:
        one.start()
    for one in workers:
        one.join(60)
    assert len(made) == 36 and {Take.objects.get(pk=one.pk).state for one in (take, rehearsal)} == {Take.State.DONE}
    answered = {name for name, kind in made if kind == "rehearsal"}
    last = max(k for k, (_, kind) in enumerate(made) if kind == "rehearsal")
    assert len(answered) == 1
    # meanwhile the other made frames of the take, and of nothing else
    assert {kind for name, kind in made[:last] if name not in answered} == {"take"}
    assert sum(kind == "take" for _, kind in made[:last]) >= 4


@pytest.mark.django_db(transaction=True)
def test_who_answers_wishes_and_dies_is_followed_by_another(place: Any) -> None:
    Take.begin(place, "a", Order("rehearsal", (64, 36), REHEARSAL, 1, 2))
    begun, gone = threading.Event(), threading.Event()

    def dies() -> None:
        assert tasks._hold(*tasks.ANSWERING)
        begun.set()
        gone.wait(20)
        connection.close()

    other = threading.Thread(target=dies)
    other.start()
    assert begun.wait(20) and not tasks._answer()
    gone.set()
    other.join(20)
    assert tasks._answer()
    assert Frame.objects.filter(state=Frame.State.DONE).count() == 2
