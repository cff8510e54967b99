"""The store of frames: pictures and what is made beside them, by the names of what they show, each with its digest.

A file that is there is not yet a file that is whole: a machine that lost its power, a disk that filled or a hand may
have cut it. What was written is recorded with its digest, and looked at by it before it is used.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from django.conf import settings
from django.db import models

from lumwick.deliver.stills import png_is_whole


def stored(key: str) -> Path:
    """Where a frame's picture lies once it is made."""
    return Path(settings.MEDIA_ROOT) / "frames" / key[:2] / f"{key}.png"


class StoredFile(models.Model):
    """A file of the store as it was written."""

    name = models.CharField(max_length=120, primary_key=True)
    sha256 = models.CharField(max_length=64)
    bytes = models.BigIntegerField()

    def __str__(self) -> str:
        return self.name

    @classmethod
    def record(cls, path: Path) -> None:
        """Note what a file is, just after it was written."""
        sha256, size = _digest(path)
        cls.objects.update_or_create(name=path.name, defaults={"sha256": sha256, "bytes": size})

    @classmethod
    def intact(cls, path: Path) -> bool:
        """Whether a file is there and as it was written; one that was never recorded is looked through, if it can be,
        and recorded."""
        if not path.is_file():
            return False
        known = cls.objects.filter(name=path.name).first()
        if known is not None:
            return known.bytes == path.stat().st_size and known.sha256 == _digest(path)[0]
        if path.suffix == ".png" and not png_is_whole(path):
            return False
        cls.record(path)
        return True

    @classmethod
    def discard(cls, path: Path) -> None:
        """Take a damaged file away, so that it is made again; with what was made to play it quickly."""
        path.unlink(missing_ok=True)
        path.with_suffix(".play.jpg").unlink(missing_ok=True)
        cls.objects.filter(name=path.name).delete()


def _digest(path: Path) -> tuple[str, int]:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest(), path.stat().st_size
