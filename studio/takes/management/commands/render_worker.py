"""A render worker: takes jobs one at a time, and takes up what dead workers left."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import signal
from typing import Any

from asgiref.sync import sync_to_async
from django.core.management.base import BaseCommand
from django.db import connection
from procrastinate.contrib.django import app

from studio.takes.tasks import STOPPING, sweep

log = logging.getLogger("studio.takes")
BEAT, DEAD_AFTER = 2.0, 8.0
"""Seconds between a worker's signs of life, and without one after which it is taken for dead."""


class Command(BaseCommand):
    help = "Render takes until stopped."

    def handle(self, *args: object, **options: object) -> None:
        with contextlib.suppress(OSError):
            os.nice(5)  # the look and the pages come first
        asyncio.run(self._work())

    async def _work(self) -> None:
        """Work until told to stop; where the database goes away, begin anew when it is back."""
        stop = asyncio.Event()

        def leave() -> None:
            STOPPING.set()  # the frame in work ends at its next strip
            stop.set()

        for number in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(number, leave)
        while not stop.is_set():
            try:
                await self._until(stop)
            except Exception as error:  # the database was stopped or lost: whatever its drivers make of that
                log.warning("the worker begins anew: %s", (str(error) or type(error).__name__).splitlines()[0])
                with contextlib.suppress(TimeoutError):
                    await asyncio.wait_for(stop.wait(), BEAT)

    async def _until(self, stop: asyncio.Event) -> None:
        """Work on one set of connections until told to stop, or they break."""
        connector: Any = app.connector  # Django's, which knows the one for workers
        worker = app.with_connector(connector.get_worker_connector())
        async with worker.open_async():
            work = asyncio.create_task(
                worker.run_worker_async(
                    queues=["takes"],
                    concurrency=1,
                    wait=True,
                    fetch_job_polling_interval=2.0,
                    update_heartbeat_interval=BEAT,
                    stalled_worker_timeout=DEAD_AFTER,
                    install_signal_handlers=False,
                )
            )
            others = (asyncio.create_task(self._take_up(worker)), asyncio.create_task(stop.wait()))
            try:
                await asyncio.wait([work, *others], return_when=asyncio.FIRST_COMPLETED)
                for one in (work, *others):
                    if one.done() and one.exception() is not None:
                        raise one.exception()  # type: ignore[misc]
            finally:
                for one in (*others, work):
                    one.cancel()
                with contextlib.suppress(asyncio.CancelledError, Exception):
                    await work

    async def _take_up(self, worker: object) -> None:
        """Put jobs of workers that gave no sign of life back into the queue, and ask for workers where work has no
        job."""
        manager = worker.job_manager  # type: ignore[attr-defined]
        while True:
            for job in await manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER):
                log.warning("job %s was left by a dead worker and is taken up", job.id)
                await manager.retry_job(job)
            await sync_to_async(_swept, thread_sensitive=False)()
            await asyncio.sleep(2.0)


def _swept() -> None:
    try:
        sweep()
    finally:
        connection.close()  # this thread's own
