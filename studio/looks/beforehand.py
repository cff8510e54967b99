"""Places that were edited last are opened as the server starts, while whoever comes is still signing in."""

from __future__ import annotations

import logging
import threading

from django.db import connection

from lumwick.errors import LumwickError
from studio.looks.engine import ENGINE_OF_LOOKS, LookEngine
from studio.places.models import Place

log = logging.getLogger(__name__)


def open_beforehand(engine: LookEngine = ENGINE_OF_LOOKS) -> list[int]:
    """Open as many places as the engine keeps, the one edited last first; gives those that could be opened.

    A place that cannot be opened is left to tell so to whoever opens it.
    """
    opened = []
    for place in Place.objects.filter(thrown_out=None).exclude(head=None)[: engine.keep]:
        try:
            engine.open(place.pk, place.head.pk)
        except (LumwickError, OSError) as error:
            log.warning("place %s could not be opened beforehand: %s", place.pk, error)
        else:
            opened.append(place.pk)
    return opened


def begin() -> threading.Thread:
    """Open them on a thread of their own; it keeps nobody from leaving."""

    def work() -> None:
        try:
            open_beforehand()
        finally:
            connection.close()  # the thread's own

    thread = threading.Thread(target=work, name="beforehand", daemon=True)
    thread.start()
    return thread
