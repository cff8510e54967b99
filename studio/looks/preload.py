"""The place that was edited last is opened as the server starts, while whoever comes is still signing in."""

from __future__ import annotations

import logging
import threading

from django.db import connection

from lumwick.errors import LumwickError
from studio.looks.engine import ENGINE_OF_LOOKS, LookEngine
from studio.looks.opening import OpeningAttempt, count_deaths
from studio.places.models import Place

log = logging.getLogger(__name__)


def preload(engine: LookEngine = ENGINE_OF_LOOKS) -> bool:
    """Open the place that was edited last, and no other: a look at any other one would wait for it. Gives whether one
    was opened.

    A place that cannot be opened is left to tell so to whoever opens it.
    """
    newest = Place.objects.filter(thrown_out=None).exclude(head=None).values_list("pk", "head").first()
    if newest is None or engine.wished:  # whoever is there goes first
        return False
    if OpeningAttempt(newest[1]).deaths:  # not a second time unless it went well since
        log.warning("place %s ended the server when it was opened, and is not opened beforehand", newest[0])
        return False
    try:
        engine.open(*newest)
    except (LumwickError, OSError) as error:
        log.warning("place %s could not be opened beforehand: %s", newest[0], error)
        return False
    return True


def begin() -> threading.Thread:
    """Do so on a thread of its own; it keeps nobody from leaving."""
    count_deaths()

    def work() -> None:
        try:
            preload()
        finally:
            connection.close()  # the thread's own

    thread = threading.Thread(target=work, name="beforehand", daemon=True)
    thread.start()
    return thread
