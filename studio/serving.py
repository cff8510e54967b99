"""The web server's worker: gunicorn's threads, none of which waits for a client to hang up."""

from __future__ import annotations

import threading
from typing import Any

from gunicorn import util
from gunicorn.workers import gthread


def _close(self: Any, graceful: bool = False) -> None:
    """Close a connection. A graceful end waits up to two seconds for the client's, and gunicorn 27.0 does so on the
    thread that takes all connections in: a dozen clients that do not hang up would hold everybody for half a minute."""
    if not graceful:
        util.close(self.sock)
        return

    def linger() -> None:
        self.sock.setblocking(True)
        util.close_graceful(self.sock)

    threading.Thread(target=linger, name="linger", daemon=True).start()


class Worker(gthread.ThreadWorker):  # type: ignore[misc]
    """What `web_command` starts."""

    def init_process(self) -> None:
        gthread.TConn.close = _close
        super().init_process()
