"""Files that are written whole or not at all: beside their place first, under a name of the writer's own."""

from __future__ import annotations

import os
import threading
from pathlib import Path


def part_of(path: Path, ending: str | None = None) -> Path:
    """Where a file is written before it is moved to its place: hidden, and named by process and thread, so that two
    writers of one file do not meet.

    Parameters
    ----------
    ending : str
        With its dot, for writers that go by it; the file's own if None.
    """
    own = path.suffix if ending is None else ending
    return path.with_name(f".{path.stem}.{os.getpid()}-{threading.get_ident()}.part{own}")


def write_bytes(path: Path, *data: bytes | memoryview) -> None:
    """Write some bytes, one after the other, as a file; folders that are missing are made.

    Raises
    ------
    OSError
        The disk is full, or the folder cannot be written; nothing is left of it then.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    part = part_of(path)
    try:
        with part.open("wb") as out:
            for piece in data:
                out.write(piece)
        os.replace(part, path)
    finally:
        part.unlink(missing_ok=True)
