"""A render worker: takes jobs one at a time, and takes up what dead workers left."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import signal
from typing import Any

from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app

from studio.takes.tasks import STOPPING

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
        connector: Any = app.connector  # Django's, which knows the one for workers
        worker = app.with_connector(connector.get_worker_connector())
        async with worker.open_async():
            sweep = asyncio.create_task(self._take_up(worker))
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

            def stop() -> None:
                STOPPING.set()  # the frame in work ends at its next strip
                work.cancel()

            for number in (signal.SIGTERM, signal.SIGINT):
                asyncio.get_running_loop().add_signal_handler(number, stop)
            try:
                with contextlib.suppress(asyncio.CancelledError):
                    await work
            finally:
                sweep.cancel()

    async def _take_up(self, worker: object) -> None:
        """Put jobs of workers that gave no sign of life back into the queue."""
        manager = worker.job_manager  # type: ignore[attr-defined]
        while True:
            for job in await manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER):
                log.warning("job %s was left by a dead worker and is taken up", job.id)
                await manager.retry_job(job)
            await asyncio.sleep(2.0)
