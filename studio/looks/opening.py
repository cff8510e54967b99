"""Places whose opening ended the process: they are not opened again and again, for everybody.

A mark is left before a place's stage is made, and taken away when something of it was made. A mark that is found as the
server starts was left by a process that did not live through it.
"""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from lumwick.errors import RenderError

TRIES = 2
"""Times that a state of a place may end the process before it is no longer opened."""


def _folder() -> Path:
    return Path(settings.MEDIA_ROOT) / "opening"


class OpeningAttempt:
    """The opening of a place at one of its revisions."""

    def __init__(self, revision_id: int) -> None:
        self._now = _folder() / f"{revision_id}.now"
        self._died = _folder() / f"{revision_id}.died"

    @property
    def deaths(self) -> int:
        """How often it ended the process."""
        return len(self._died.read_bytes()) if self._died.exists() else 0

    def begin(self) -> None:
        """Leave a mark.

        Raises
        ------
        RenderError
            It ended the process too often.
        """
        if self.deaths >= TRIES:
            raise RenderError(
                "Opening this state of the place stopped the server, more than once: undo the last step, or open an "
                "earlier state from its history."
            )
        self._now.parent.mkdir(parents=True, exist_ok=True)
        self._now.touch()

    def end(self) -> None:
        """It went well: what was before does not count."""
        self._now.unlink(missing_ok=True)
        self._died.unlink(missing_ok=True)


def count_deaths() -> None:
    """As the server starts: whoever left a mark did not live."""
    for mark in _folder().glob("*.now"):
        with mark.with_suffix(".died").open("ab") as died:
            died.write(b".")
        mark.unlink(missing_ok=True)
