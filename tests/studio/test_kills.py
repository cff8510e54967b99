"""Takes in a house where anything may die at any moment: nothing is lost, nothing is made twice, nothing hangs."""

from __future__ import annotations

import contextlib
import os
import random
import signal
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
import pytest
from django.db import DatabaseError, InterfaceError, connection
from django.test import Client
from procrastinate.contrib.django.models import ProcrastinateJob

from lumwick.deliver.stills import png_is_whole, write_png
from lumwick.errors import RenderError
from scripts.base import free_port
from scripts.cluster import Cluster
from scripts.dev import web_command
from studio.takes import tasks
from studio.takes.models import Frame, Order, Take
from studio.takes.store import StoredFile
from tests.studio.conftest import ROOT, until, words

pytestmark = pytest.mark.django_db(transaction=True)
KILLS, SEED = int(os.environ.get("LUMWICK_KILLS", "60")), 28


def state(take: Take) -> str:
    take.refresh_from_db()
    return take.state


def finish(take: Take) -> str:
    """What a worker does about a take, in this process: its frames, then its film."""
    for _ in range(4):
        tasks.render_take(take.pk)
        tasks.make_film(take.pk)
    return state(take)


@pytest.fixture(autouse=True)
def no_jobs(transactional_db: None) -> None:
    """What other tests left in the queue is away."""
    connection.cursor().execute("delete from procrastinate_jobs")


@pytest.fixture
def small(place: Any) -> Take:
    return Take.begin(place, "a", Order("take", (48, 32), "sketch", 1, 3))


# -- what hung ----------------------------------------------------------------------------------------------------


def test_a_frame_cut_in_half_is_found_said_and_made_again(small: Take) -> None:
    finish(small)
    frame = small.frames.get(number=2)
    whole = frame.path.read_bytes()
    frame.path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(RenderError, match="cut short or damaged"):
        tasks.read_png(frame.path)
    Take.objects.filter(pk=small.pk).update(state=Take.State.FILM)  # as if it came to its film only now
    tasks.make_film(small.pk)
    frame.refresh_from_db()
    assert state(small) == Take.State.RENDERING and frame.state == "waiting" and "damaged" in frame.reason
    assert finish(small) == Take.State.DONE and frame.path.read_bytes() == whole


def test_a_frame_with_one_byte_turned_is_found_by_its_digest(small: Take) -> None:
    finish(small)
    frame = small.frames.get(number=1)
    whole = bytearray(frame.path.read_bytes())
    whole[-1] ^= 1  # in the last check sum: every pixel still reads
    frame.path.write_bytes(bytes(whole))
    assert not StoredFile.intact(frame.path)
    small.resume()  # of a take that is done
    assert state(small) == Take.State.WAITING and finish(small) == Take.State.DONE
    assert StoredFile.intact(frame.path)


def test_a_file_that_was_never_recorded_is_looked_through(small: Take) -> None:
    finish(small)
    path = small.frames.get(number=1).path
    StoredFile.objects.all().delete()
    assert StoredFile.intact(path) and StoredFile.objects.count() == 1
    StoredFile.objects.all().delete()
    path.write_bytes(path.read_bytes()[:-20])
    assert not png_is_whole(path) and not StoredFile.intact(path) and not StoredFile.objects.exists()


def test_a_cancelled_take_whose_frames_are_all_made_goes_on_to_its_film(small: Take) -> None:
    tasks.render_take(small.pk)
    assert state(small) == Take.State.FILM
    small.cancel()
    tasks.make_film(small.pk)
    assert state(small) == Take.State.CANCELLED and not small.film_path.exists()
    small.resume()
    assert state(small) == Take.State.WAITING and finish(small) == Take.State.DONE and small.film_path.exists()


def test_cancel_and_go_on_in_every_state(small: Take, client: Client) -> None:
    client.force_login(small.place.owner)
    for held in Take.State:
        Take.objects.filter(pk=small.pk).update(state=held)
        assert client.post(f"/takes/{small.pk}/cancel/").status_code == 200
        running = held in (Take.State.WAITING, Take.State.RENDERING, Take.State.FILM)
        assert state(small) == (Take.State.CANCELLED if running else held)
        Take.objects.filter(pk=small.pk).update(state=held)
        assert client.post(f"/takes/{small.pk}/resume/").status_code == 200
        assert finish(small) == Take.State.DONE, held
    assert "3 of 3" in words(client.get(f"/takes/{small.pk}/"))


def test_a_frame_that_takes_its_workers_life_is_let_be_and_others_go_on(
    small: Take, place: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Died(BaseException):
        """As SIGKILL does: nothing that catches errors sees it."""

    real = tasks.frame_picture

    def deadly(stage: Any, shot: Any, number: int, *args: Any, **more: Any) -> Any:
        if number == 1:
            raise Died
        return real(stage, shot, number, *args, **more)

    monkeypatch.setattr(tasks, "frame_picture", deadly)
    other = Take.begin(place, "a", Order("take", (64, 32), "sketch", 2, 3))
    for _ in range(2 * tasks.CLAIMS_AT_MOST):
        with contextlib.suppress(Died):
            tasks.render_take(small.pk)
    tasks.make_film(small.pk)
    tasks.make_film(other.pk)
    frame = small.frames.get(number=1)
    assert frame.attempts == tasks.CLAIMS_AT_MOST and "stopped at it" in frame.reason
    assert state(small) == Take.State.FAILED and state(other) == Take.State.DONE
    assert small.frames.filter(state="done").count() == 2


def test_work_without_a_job_is_found_and_work_with_one_is_not_asked_twice(small: Take) -> None:
    jobs = ProcrastinateJob.objects.filter(status="todo")
    assert tasks.sweep() == 0 and jobs.count() == 2  # as many as may share it
    connection.cursor().execute("delete from procrastinate_jobs")
    assert tasks.sweep() == 1 and tasks.sweep() == 0 and jobs.count() == 1
    tasks.render_take(small.pk)
    connection.cursor().execute("delete from procrastinate_jobs")
    assert state(small) == Take.State.FILM and tasks.sweep() == 1
    assert jobs.get().task_name == tasks.make_film.name
    finish(small)
    connection.cursor().execute("delete from procrastinate_jobs")
    assert tasks.sweep() == 0


def test_a_lost_connection_leaves_the_frame_to_the_next(small: Take, monkeypatch: pytest.MonkeyPatch) -> None:
    real = tasks.frame_picture

    def losing(*args: Any, **more: Any) -> Any:
        picture = real(*args, **more)
        monkeypatch.setattr(tasks, "frame_picture", real)
        with connection.cursor() as cursor:
            cursor.execute("select pg_backend_pid()")
            own = cursor.fetchone()[0]
        lose_connections(own)
        return picture

    monkeypatch.setattr(tasks, "frame_picture", losing)
    with pytest.raises((DatabaseError, InterfaceError)):  # which has the job begun again
        tasks.render_take(small.pk)
    assert small.frames.filter(state="failed").count() == 0
    assert finish(small) == Take.State.DONE


# -- sixty deaths -------------------------------------------------------------------------------------------------


def lose_connections(*only: int) -> None:
    """End connections to the test database: some by their processes' numbers, or all but this one's own."""
    import psycopg

    told = connection.settings_dict
    with psycopg.connect(
        host=told["HOST"], port=told["PORT"], user=told["USER"], password=told["PASSWORD"], dbname="postgres"
    ) as own:
        own.autocommit = True
        own.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity where datname = %s and (pid = any(%s) or %s)",
            [told["NAME"], list(only), not only],
        )


def stop_database() -> None:
    """End PostgreSQL as a loss of power would, and start it again as the house does."""
    cluster = Cluster()
    cluster._as([str(cluster.bin / "pg_ctl"), "-D", str(cluster.data), "-m", "immediate", "-w", "stop"], check=False)
    time.sleep(0.3)
    cluster.mend()


@pytest.fixture
def web(media: Path) -> Iterator[Callable[[], subprocess.Popen[bytes]]]:
    """Starts a web server on the test database; one at a time, the one before it killed."""
    started: list[subprocess.Popen[bytes]] = []
    log, port = (media / "web.log").open("ab"), free_port()

    def start() -> subprocess.Popen[bytes]:
        for one in started:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(one.pid, signal.SIGKILL)
            one.wait()
        env = {**os.environ, "LUMWICK_DB": connection.settings_dict["NAME"], "LUMWICK_MEDIA": str(media)}
        started[:] = [
            subprocess.Popen(web_command(port), cwd=ROOT, env=env, stdout=log, stderr=log, start_new_session=True)
        ]
        return started[0]

    yield start
    for one in started:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(one.pid, signal.SIGKILL)
        one.wait()


def calmly(ask: Callable[[], Any]) -> Any:
    """An answer of the database, asked again while it is away."""
    for _ in range(60):
        try:
            return ask()
        except (DatabaseError, InterfaceError):
            connection.close()
            time.sleep(0.5)
    return ask()


def test_sixty_deaths_at_random_moments(place: Any, worker: Any, web: Any, client: Client) -> None:
    """Workers, the web server, PostgreSQL and connections, over three takes and a rehearsal."""
    dice = random.Random(SEED)
    takes = [
        Take.begin(place, "a", Order("take", (96, 54), "study", 1, 8)),
        Take.begin(place, "a", Order("take", (64, 36), "sketch", 1, 16, outputs=("passes",))),
        Take.begin(place, "a", Order("take", (160, 90), "sketch", 5, 12)),
        Take.begin(place, "a", Order("rehearsal", (96, 54), "rehearsal", 1, 24)),
    ]
    workers = [worker(), worker()]
    web()
    time.sleep(5)
    for _ in range(KILLS):
        (what,) = dice.choices(["worker", "connections", "database", "web"], [8, 9, 2, 1])
        if what == "worker":
            k = dice.randrange(len(workers))
            os.kill(workers[k].pid, signal.SIGKILL)
            workers[k].wait()
            workers[k] = worker()
        elif what == "connections":
            lose_connections()
        elif what == "database":
            stop_database()
        else:
            web()
        connection.close()
        time.sleep(dice.uniform(0.05, 1.0))
        assert all(one.poll() is None for one in workers), "a worker did not live through a lost database"
    left = until(
        lambda: calmly(lambda: all(state(take) not in ("waiting", "rendering", "film") for take in takes)),
        seconds=900,
        what="all takes",
    )
    assert left and [state(take) for take in takes] == [Take.State.DONE] * 4
    for take in takes:
        frames = list(take.frames.all())
        assert [f.number for f in frames] == list(range(take.first, take.last + 1))  # none lost, none twice
        assert {f.state for f in frames} == {Frame.State.DONE}
        assert all(StoredFile.intact(path) for f in frames for path in f.files().values())
        with av.open(str(take.film_path)) as film:
            assert sum(1 for _ in film.decode(video=0)) == take.count
    open_jobs = ProcrastinateJob.objects.filter(status__in=["todo", "doing"])
    until(lambda: calmly(lambda: not open_jobs.exists()), seconds=60, what="the last jobs")


def test_a_picture_is_written_whole_by_two_threads_at_once(tmp_path: Path) -> None:
    """Part files bear process and thread."""
    import threading

    import numpy as np

    path = tmp_path / "frame.png"
    pictures = [np.full((64, 64, 3), k * 60, np.uint8) for k in range(4)]
    faults: list[BaseException] = []

    def write(picture: Any) -> None:
        try:
            for _ in range(20):
                write_png(path, picture)
        except BaseException as error:
            faults.append(error)

    threads = [threading.Thread(target=write, args=(one,)) for one in pictures]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert not faults and png_is_whole(path) and list(tmp_path.iterdir()) == [path]
